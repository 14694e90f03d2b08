// The deck: controls send what was done to them, and everything is drawn as the desk says it stands.
import { Horn } from "./horn.js";
import { _ } from "./words.js";

const MOVE = {
  toggle: (mover, at, count) => {
    const flip = count < 2 ? 1 : 1 - (2 * at) / (count - 1);
    const y = Number(mover.dataset.y);
    mover.setAttribute("transform", `translate(0 ${y}) scale(1 ${flip}) translate(0 ${-y})`);
  },
  rotary: (mover, at, count) => {
    const sweep = Number(mover.dataset.sweep);
    const angle = count < 2 ? 0 : -sweep + (2 * sweep * at) / (count - 1);
    mover.setAttribute("transform", `rotate(${angle} ${mover.dataset.x} ${mover.dataset.y})`);
  },
  lever: (mover, at, count) => {
    const y = count < 2 ? 0 : (Number(mover.dataset.span) * at) / (count - 1);
    mover.setAttribute("transform", `translate(0 ${y})`);
  },
};
MOVE["guarded-toggle"] = MOVE.toggle;

export class Deck {
  constructor(root, station) {
    this.root = root;
    this.station = station;
    this.controls = new Map([...root.querySelectorAll("[data-control]")].map((e) => [e.dataset.control, e]));
    this.guards = new Map([...root.querySelectorAll("[data-guard]")].map((e) => [e.dataset.guard, e]));
    this.instruments = new Map([...root.querySelectorAll("[data-instrument]")].map((e) => [e.dataset.instrument, e]));
    this.lamps = new Map([...root.querySelectorAll("[data-lamp]")].map((e) => [e.dataset.lamp, e]));
    this.entries = new Map([...root.querySelectorAll("[data-entry]")].map((e) => [e.dataset.entry, e]));
    this.zones = [...root.querySelectorAll("[data-zone]")];
    this.pages = [...root.querySelectorAll("[data-deck-page]")];
    this.tabs = [...root.querySelectorAll("[data-tab]")];
    for (const tab of this.tabs) tab.addEventListener("click", () => this.turn(Number(tab.dataset.tab)));
    this.at = new Map();
    this.horn = station.mayFly ? new Horn(root) : null;
    if (station.mayFly || root.dataset.watch) this.bind();
  }

  // An instructor's hand moves nothing before it is put on the deck in so many words.
  act(verb, args, beside) {
    if (this.station.mayFly || this.station.watch?.mode === "hand") this.station.act(verb, args, beside);
  }

  enable(yes) {
    for (const element of [...this.controls.values(), ...this.guards.values()]) {
      if (yes) element.removeAttribute("aria-disabled");
      else element.setAttribute("aria-disabled", "true");
    }
    for (const form of this.entries.values()) for (const part of form.elements) part.disabled = !yes;
  }

  bind() {
    for (const [name, element] of this.controls) {
      if (element.dataset.kind === "momentary") this.bindMomentary(name, element);
      else this.bindStanding(name, element);
    }
    for (const [name, element] of this.guards) {
      element.addEventListener("click", () => {
        this.act("guard", { control: name, open: element.getAttribute("aria-pressed") !== "true" });
      });
    }
    for (const [name, element] of this.instruments) {
      if (this.station.mayFly) element.addEventListener("click", () => this.station.card.pick(name));
    }
    for (const [name, form] of this.entries) {
      form.addEventListener("submit", (event) => {
        event.preventDefault();
        this.act("set", { control: name, to: Number(form.querySelector("input").value) });
      });
    }
  }

  turn(number) {
    for (const page of this.pages) page.hidden = Number(page.dataset.deckPage) !== number;
    for (const tab of this.tabs) tab.setAttribute("aria-selected", String(Number(tab.dataset.tab) === number));
  }

  turnOn() {
    const shown = this.pages.findIndex((page) => !page.hidden);
    this.turn(Number(this.pages[(shown + 1) % this.pages.length].dataset.deckPage));
  }

  reveal(part) {
    const page = part?.closest("[data-deck-page]");
    if (page?.hidden) this.turn(Number(page.dataset.deckPage));
  }

  positions(name) {
    return this.controls.get(name).dataset.positions.split("|");
  }

  bindStanding(name, element) {
    const step = (by) => {
      const positions = this.positions(name);
      const next = Math.min(positions.length - 1, Math.max(0, (this.at.get(name) ?? 0) + by));
      if (next !== this.at.get(name)) this.act("set", { control: name, to: positions[next] });
    };
    element.addEventListener("click", (event) => {
      const label = event.target.closest("[data-index]");
      const positions = this.positions(name);
      const at = this.at.get(name) ?? 0;
      const next = label ? Number(label.dataset.index) : positions.length === 2 ? 1 - at : (at + 1) % positions.length;
      if (next !== at) this.act("set", { control: name, to: positions[next] });
    });
    element.addEventListener("keydown", (event) => {
      const by = { ArrowUp: -1, ArrowLeft: -1, ArrowDown: 1, ArrowRight: 1 }[event.key];
      if (by) {
        event.preventDefault();
        step(by);
      } else if (["Enter", " "].includes(event.key) && !element.matches("button") && !event.repeat && !event.defaultPrevented) {
        // A knob or lever turns on to its next position, and from the last one back to the first.
        event.preventDefault();
        element.click();
      }
    });
  }

  bindMomentary(name, element) {
    // The release says how long the hand held, so that a slow link does not make a hold shorter than it was.
    let since = null;
    const hold = (yes) => {
      if ((since !== null) === yes) return;
      if (yes) this.act("press", { control: name });
      else this.act("release", { control: name }, { held: (performance.now() - since) / 1000 });
      since = yes ? performance.now() : null;
    };
    element.addEventListener("pointerdown", (event) => {
      element.setPointerCapture(event.pointerId);
      hold(true);
    });
    for (const name_ of ["pointerup", "pointercancel", "blur"]) element.addEventListener(name_, () => hold(false));
    element.addEventListener("keydown", (event) => {
      if (event.key === " " && !event.repeat) {
        event.preventDefault();
        hold(true);
      }
    });
    element.addEventListener("keyup", (event) => {
      if (event.key === " ") hold(false);
    });
  }

  paint(changed, state) {
    for (const [name, value] of Object.entries(changed)) {
      const [group, id] = name.split(".");
      if (group === "control") this.paintControl(id, value);
      else if (group === "guard") this.paintGuard(id, value);
      else if (group === "lamp" && name.split(".").length === 2) this.paintLamp(id, value);
      else if (group === "instrument" && name.endsWith(".reads")) this.paintInstrument(id, value);
    }
    let alive = 0;
    for (const zone of this.zones) alive += this.paintZone(zone, state);
    this.paintTabs();
    const note = this.root.querySelector("[data-deck-note]");
    note.textContent =
      alive === 0
        ? _("All zones dark. A zone lights when the bus that feeds it comes alive.")
        : _("{alive} of {count} zones lit.", { alive, count: this.zones.length });
  }

  paintTabs() {
    for (const tab of this.tabs) {
      const page = this.pages.find((each) => each.dataset.deckPage === tab.dataset.tab);
      const zones = [...page.querySelectorAll("[data-zone]")];
      const lit = zones.filter((zone) => zone.dataset.power !== "dead").length;
      tab.querySelector("[data-lit-count]").textContent = `${lit}/${zones.length}`;
    }
  }

  paintControl(id, value) {
    if (this.entries.has(id)) {
      const input = this.entries.get(id).querySelector("input");
      if (document.activeElement !== input) input.value = value;
      return;
    }
    const element = this.controls.get(id);
    if (!element) return;
    const positions = this.positions(id);
    const at = positions.indexOf(String(value));
    this.at.set(id, at);
    const kind = element.dataset.kind;
    const mover = element.querySelector(".mover");
    if (mover) MOVE[kind](mover, at, positions.length);
    for (const label of element.querySelectorAll("[data-index]")) {
      label.classList.toggle("at", Number(label.dataset.index) === at);
    }
    if (kind === "momentary") element.setAttribute("aria-pressed", String(at === 1));
    else if (kind === "push-latch") {
      element.setAttribute("aria-pressed", String(at === 0));
      element.querySelector("[data-shown]").textContent = value;
    } else if (element.getAttribute("role") === "switch") {
      element.setAttribute("aria-checked", String(at === 0));
      this.root.querySelector(`#at-${id}`).textContent = _("at {value}", { value });
    } else {
      element.setAttribute("aria-valuenow", String(at));
      element.setAttribute("aria-valuetext", String(value));
    }
    element.dataset.position = value;
  }

  paintGuard(id, open) {
    this.guards.get(id)?.setAttribute("aria-pressed", String(open));
    const cover = this.controls.get(id)?.querySelector(".guard");
    if (cover) cover.setAttribute("transform", open ? "translate(0 -22) scale(1 .5)" : "");
  }

  paintLamp(id, lit) {
    const lamp = this.lamps.get(id);
    if (!lamp) return;
    const lights = lit === true && lamp.dataset.lit !== "true";
    lamp.dataset.lit = String(lit);
    if (lights && this.root.dataset.announcesLamps === "true") {
      this.root.querySelector("[data-lit-told]").textContent = _("{name} lamp lit", { name: lamp.textContent.trim() });
    }
    if ("sounds" in lamp.dataset) this.horn?.set(id, lit === true);
    lamp.setAttribute("aria-label", lit ? _("{name} lamp, lit", { name: lamp.textContent.trim() }) : _("{name} lamp, dark", { name: lamp.textContent.trim() }));
  }

  // What an instrument shows among two figures near it, in order; where it stands among them is drawn anew each time.
  nearFigures(id) {
    const element = this.instruments.get(id);
    const text = element?.querySelector(".digits").textContent;
    if (!text) return [];
    const shown = Number(text.replace("−", "-"));
    const { low, high } = element.dataset;
    const decimals = Number(element.dataset.decimals);
    const apart = Math.max(4 / 10 ** decimals, (Number(high) - Number(low)) / 25);
    const below = Math.floor(Math.random() * 3);
    return [0, 1, 2].map((n) => (shown + (n - below) * apart).toFixed(decimals).replace("-", "−"));
  }

  paintInstrument(id, value) {
    const element = this.instruments.get(id);
    if (!element) return;
    const { name, unit, decimals, low, high } = element.dataset;
    const dark = value === null;
    const text = dark ? "" : value.toFixed(Number(decimals)).replace("-", "−");
    element.dataset.dark = String(dark);
    element.querySelector(".digits").textContent = text;
    element.setAttribute("aria-label", dark ? _("{name}, dark", { name }) : `${name}, ${text} ${unit}`);
    const needle = element.parentElement.querySelector(".needle");
    needle.setAttribute("visibility", dark ? "hidden" : "visible");
    if (!dark) {
      const share = Math.min(1, Math.max(0, (value - low) / (high - low)));
      needle.setAttribute("transform", `translate(${-1 + 68 * share} 0)`);
    }
  }

  paintZone(zone, state) {
    const alive = state[`bus.${zone.dataset.zone}.alive`] === true;
    const volts = state[`bus.${zone.dataset.zone}.volts`];
    const marginal = alive && (volts < Number(zone.dataset.low) || volts > Number(zone.dataset.high));
    const power = marginal ? "marginal" : alive ? "live" : "dead";
    if (zone.dataset.power !== power) zone.dataset.power = power;
    const words = marginal ? _("▲ out of limits") : alive ? _("alive") : _("dead");
    const shown = zone.querySelector("[data-zone-state]");
    if (shown.textContent !== words) {
      shown.textContent = words;
      // A narrow zone cuts it off; its bus and state are whole under the hand.
      shown.parentElement.title = shown.parentElement.textContent.replace(/\s+/g, " ");
    }
    return alive ? 1 : 0;
  }

  locate(names) {
    for (const lit of this.root.querySelectorAll(".found")) lit.classList.remove("found");
    const parts = names.map((name) => this.root.querySelector(`[data-part="${name}"]`)).filter(Boolean);
    this.reveal(parts[0]);
    for (const part of parts) part.classList.add("found");
    const first = parts[0];
    // A guard that is open is no longer what the hand goes to.
    const target = first?.querySelector('.guard-button[aria-pressed="false"]') ?? first?.querySelector("[data-control], [data-instrument], input, [tabindex]");
    target?.focus();
    if (target?.matches("input")) target.select();
    setTimeout(() => parts.forEach((part) => part.classList.remove("found")), 4000);
  }

  guide(names) {
    for (const part of this.root.querySelectorAll(".guided")) part.classList.remove("guided");
    const parts = names.map((name) => this.root.querySelector(`[data-part="${name}"]`)).filter(Boolean);
    this.reveal(parts[0]);
    for (const part of parts) part.classList.add("guided");
  }

  showPicked(name) {
    if (name) this.reveal(this.instruments.get(name));
    for (const [id, element] of this.instruments) element.classList.toggle("picked", id === name);
  }
}
