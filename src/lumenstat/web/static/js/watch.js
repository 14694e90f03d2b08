// What an instructor has beside a station: log, verdicts so far, and everything that can be done in it.
import { _ } from "./words.js";
const LOOK_MILLISECONDS = 1000;
// So often at the most the log is looked at, and only when something has come over the link.

function clock(seconds) {
  return `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, "0")}`;
}

function made(tag, look, text) {
  const part = document.createElement(tag);
  part.className = look;
  part.textContent = text;
  return part;
}

export class Watch {
  constructor(root, station) {
    this.root = root;
    this.station = station;
    this.next = 0;
    this.injected = false;
    this.asking = false;
    this.mode = "look";
    for (const tab of root.querySelectorAll("[data-side-tab]")) tab.addEventListener("click", () => this.turn(tab.dataset.sideTab));
    for (const form of root.querySelectorAll("[data-do]")) {
      form.addEventListener("submit", (event) => {
        event.preventDefault();
        this.doIt(form.dataset.do, form);
      });
    }
    root.querySelector("[data-freeze]").addEventListener("click", () => this.freeze());
    root.querySelector("[data-point]").addEventListener("click", () => this.setMode("point"));
    root.querySelector("[data-own-hand]").addEventListener("click", () => this.setMode("hand"));
    root.querySelector("[data-judge]").addEventListener("click", () => this.judge());
    root.querySelector("[data-deck]").addEventListener("click", (event) => this.pointed(event), true);
    this.turn("do");
  }

  turn(name) {
    for (const side of this.root.querySelectorAll("[data-side]")) side.hidden = side.dataset.side !== name;
    for (const tab of this.root.querySelectorAll("[data-side-tab]")) {
      tab.setAttribute("aria-selected", String(tab.dataset.sideTab === name));
    }
    if (name === "verdicts") this.judge();
    if (name === "log") this.stir();
  }

  freeze() {
    this.station.act(this.station.clock?.frozen ? "resume" : "freeze", {});
  }

  paintFrozen(frozen) {
    const button = this.root.querySelector("[data-freeze]");
    button.firstChild.textContent = frozen ? `${_("Go on")} ` : `${_("Freeze")} `;
    button.setAttribute("aria-pressed", String(frozen));
  }

  // Looking changes nothing; pointing and moving are told to the trainee.
  setMode(mode) {
    this.mode = this.mode === mode ? "look" : mode;
    this.root.querySelector("[data-point]").setAttribute("aria-pressed", String(this.mode === "point"));
    this.root.querySelector("[data-own-hand]").setAttribute("aria-pressed", String(this.mode === "hand"));
    this.station.deck.enable(this.mode === "hand");
    this.root.querySelector("[data-mode-note]").textContent =
      this.mode === "point"
        ? _("Click the part that you point at.")
        : this.mode === "hand"
          ? _("What you move now is told to the trainee, and stands in the log as yours.")
          : _("Looking: nothing that you click on the deck moves anything.");
  }

  pointed(event) {
    if (this.mode !== "point") return;
    const part = event.target.closest("[data-part], [data-lamp]");
    if (!part) return;
    event.preventDefault();
    event.stopPropagation();
    this.station.act("point", { part: part.dataset.part ?? part.dataset.lamp });
    this.setMode("look");
  }

  doIt(verb, form) {
    const field = (name) => form.querySelector(`[name="${name}"]`)?.value.trim() ?? "";
    if (verb === "say" || verb === "note") {
      if (!field("text")) return;
      this.station.act(verb, { text: field("text") });
      form.reset();
    } else if (verb === "give") {
      this.station.act("give", { item: field("item"), credit: field("credit") });
    } else if (verb === "fault") {
      const [kind, target] = field("fault").split("|");
      const seed = Math.random().toString(36).slice(2, 7);
      const args = { fault: `injected-${seed}`, kind, target };
      if (field("when")) args.when = field("when");
      this.station.act("fault", args);
      form.querySelector('[name="when"]').value = "";
    }
  }

  // That the log has grown every instructor is told; whoever put a fault in is shown it.
  done({ verb }) {
    if (verb === "fault") this.injected = true;
  }

  // What was typed for it is there again, to be mended.
  refused({ verb, args }) {
    const field = this.root.querySelector(`[data-do="${verb}"] input`);
    if (field && !field.value) field.value = args.text ?? args.when ?? "";
  }

  key(event) {
    const focus = (name) => {
      this.turn("do");
      this.root.querySelector(`[data-do="${name}"] input, [data-do="${name}"] select`).focus();
    };
    const act = {
      f: () => this.freeze(),
      s: () => focus("say"),
      n: () => focus("note"),
      g: () => focus("give"),
      i: () => focus("fault"),
      l: () => this.turn("log"),
      v: () => this.turn("verdicts"),
      r: () => this.turn("riser"),
      0: () => this.root.querySelector('nav a[href*="/desk/"]')?.click(),
    }[event.key];
    if (act) act();
    else if (/^[1-9]$/.test(event.key)) this.root.querySelector(`[data-station-key="${event.key}"]`)?.click();
    else return false;
    event.preventDefault();
    return true;
  }

  // Something has changed at the station: look at the log soon.
  stir() {
    this.soon ??= setTimeout(() => {
      this.soon = undefined;
      if (this.station.linked) this.look();
    }, LOOK_MILLISECONDS);
  }

  async look() {
    // Two answers at once would write the same lines twice.
    if (this.asking) {
      this.stir();
      return;
    }
    this.asking = true;
    try {
      const answer = await fetch(`${this.root.dataset.watch}?after=${this.next}`, { headers: { accept: "application/json" } });
      if (answer.ok) this.paint(await answer.json());
    } catch {
      // The station says that the link is lost; it is looked at again with the next frame.
    } finally {
      this.asking = false;
    }
  }

  paint(seen) {
    this.next = seen.next;
    const list = this.root.querySelector("[data-log]");
    for (const line of seen.lines) {
      const row = made("li", "flex gap-2 px-4 py-0.5 border-b border-seam", "");
      row.dataset.by = line.by;
      row.append(
        made("span", "font-mono text-mist w-10 text-right", clock(line.t)),
        made("span", `flex-1 ${line.by === "instructor" ? "text-lilac" : "text-frost"}`, line.says),
      );
      list.prepend(row);
    }
    const now = [
      ...seen.hazards.map((name) => ["text-red font-bold", _("Hazard now: {name}", { name })]),
      ...seen.limits.map((name) => ["text-amber", _("Limit now: {name}", { name })]),
      ...(seen.hand ? [["text-lilac font-bold", _("Hand up")]] : []),
      ...seen.words.slice(-2).map((words) => ["text-mist", words]),
    ];
    this.root.querySelector("[data-now]").replaceChildren(...now.map(([look, words]) => made("li", look, words)));
    if (seen.hand) this.root.querySelector("[data-now]").append(this.handSeen());
    this.paintFaults(seen.faults);
  }

  handSeen() {
    const button = made("button", "night-button", _("I have seen it"));
    button.addEventListener("click", () => this.station.act("hand", { up: false }));
    return button;
  }

  paintFaults(faults) {
    const rows = faults.map(([id, words]) => {
      const row = made("li", "flex gap-2 items-center", "");
      const clear = made("button", "night-button min-h-6 px-2", _("Clear"));
      clear.type = "button";
      clear.addEventListener("click", () => this.station.act("clear", { fault: id }));
      row.append(made("span", "flex-1 text-amber", words), clear);
      return row;
    });
    const list = this.root.querySelector("[data-faults]");
    const more = rows.length > list.children.length;
    list.replaceChildren(...rows);
    // The answer to whoever has just pressed the button may lie below the edge of the window.
    if (this.injected && more) {
      this.injected = false;
      rows.at(-1).scrollIntoView({ block: "nearest" });
    }
  }

  async judge() {
    const here = this.root.querySelector("[data-verdicts-here]");
    here.replaceChildren(made("p", "px-4 py-2 text-mist", _("Judging…")));
    const answer = await fetch(this.root.dataset.verdicts);
    if (!answer.ok) {
      here.replaceChildren(made("p", "px-4 py-2 text-amber", _("It cannot be judged just now; try again.")));
      return;
    }
    const page = new DOMParser().parseFromString(await answer.text(), "text/html");
    here.replaceChildren(...page.body.children);
  }
}
