// The checklist card: which item lies open, and the answer that goes with its kind.
import { _ } from "./words.js";
export class Card {
  constructor(root, station) {
    this.root = root;
    this.station = station;
    this.items = new Map([...root.querySelectorAll("[data-item]")].map((e) => [e.dataset.item, e]));
    this.current = null;
    root.querySelector("[data-card]").addEventListener("click", (event) => this.clicked(event));
    root.querySelector("[data-card]").addEventListener("change", ({ target }) => {
      if (target.matches("[data-call-instrument]")) this.offer(target.closest("[data-item]"), target.value);
    });
  }

  clicked(event) {
    const target = event.target.closest("button");
    if (!target) return;
    const { turn, answer, see, locate, hint, flowDone, pad } = target.dataset;
    if (pad) return this.type(target, pad);
    if ("nearFigure" in target.dataset) return this.confirm(target);
    if (target.dataset.continue) return this.answer();
    if (flowDone) return this.station.act("note", { text: "The flow is done.", flow: flowDone });
    if (turn) this.station.turnTo(turn);
    else if (answer) this.answer();
    else if (see) this.see(target, see);
    else if (locate) this.station.deck.locate(locate.split("|"));
    else if (hint) this.hint();
  }

  // The pad types into the reading, for hands without a keyboard.
  type(button, figure) {
    const reading = button.closest("[data-item]").querySelector("[data-call-reading]");
    if (reading.disabled) return;
    if (figure === "back") reading.value = reading.value.slice(0, -1);
    else if (figure === "−") reading.value = reading.value.startsWith("−") ? reading.value.slice(1) : `−${reading.value}`;
    else if (figure !== "." || !reading.value.includes(".")) reading.value += figure;
  }

  // Where the exercise allows it an instrument that is tapped offers what it shows among two figures near it.
  offer(item, name) {
    const near = item.querySelector("[data-near]");
    const figures = near ? this.station.deck.nearFigures(name) : [];
    if (near) near.hidden = figures.length === 0;
    for (const [n, button] of (near?.querySelectorAll("[data-near-figure]") ?? []).entries()) {
      button.textContent = figures[n] ?? "";
      button.setAttribute("aria-pressed", "false");
    }
  }

  confirm(button) {
    for (const other of button.parentElement.children) other.setAttribute("aria-pressed", String(other === button));
    const item = button.closest("[data-item]");
    item.querySelector("[data-call-reading]").value = button.textContent;
    item.querySelector("fieldset input").focus();
    item.querySelector('[data-answer="call"]').scrollIntoView({ block: "nearest" });
  }

  get open() {
    return this.current ? this.items.get(this.current) : null;
  }

  see(button, written) {
    const [control, position] = written.split("|");
    for (const other of button.parentElement.querySelectorAll("[data-see]")) other.setAttribute("aria-pressed", "false");
    button.setAttribute("aria-pressed", "true");
    this.station.act("see", { control, position });
  }

  answer() {
    const item = this.open;
    if (!item || !this.station.mayFly) return;
    if (this.ready === item.dataset.item) return this.station.act("respond", { item: this.ready });
    const id = item.dataset.item;
    const kind = item.dataset.kind;
    if (kind === "confirm") this.station.act("confirm", { item: id });
    else if (kind === "set" && item.querySelector("[data-answer=stands]")) this.stands(item.querySelector("[data-answer=stands]").dataset);
    else if (kind === "wait" || (kind === "set" && item.querySelector("[data-answer]"))) this.station.act("respond", { item: id });
    else if (kind === "decide") {
      const chosen = item.querySelector("input:checked");
      if (chosen) this.station.act("decide", { item: id, branch: chosen.value });
      else this.station.say(_("Choose one of the ways first."));
    } else if (kind === "check") this.call(item);
  }

  // What stands right from the start is looked at and spoken, each control by itself.
  stands({ controls, position }) {
    for (const control of controls.split("|")) this.station.act("see", { control, position });
  }

  call(item) {
    const instrument = item.querySelector("[data-call-instrument]").value;
    const written = item.querySelector("[data-call-reading]").value.trim().replace(",", ".").replace("−", "-");
    const judgement = item.querySelector("input:checked")?.value;
    if (!instrument) return this.station.say(_("Pick the instrument that you read, on the deck or from the list."));
    if (!judgement) return this.station.say(_("Judge the reading: within, below or above limits, or dead."));
    if (judgement === "dead") return this.station.act("call", { instrument, judgement });
    const reading = Number(written);
    if (written === "" || !Number.isFinite(reading)) return this.station.say(_("Say the reading as a figure, like 24.6."));
    return this.station.act("call", { instrument, reading, judgement });
  }

  pick(name) {
    const item = this.open;
    const list = item?.querySelector("[data-call-instrument]");
    if (!list) {
      const part = this.station.deck.instruments.get(name);
      if (this.root.dataset.byDoing === "true") this.station.dialogs.call(name, part.dataset.name);
      return;
    }
    list.value = name;
    this.station.deck.showPicked(name);
    this.offer(item, name);
    if (!("touch" in this.root.dataset)) item.querySelector("[data-call-reading]").focus();
  }

  // A figure chooses: a judgement or a way by its place, and of controls to be looked at the position.
  choose(number) {
    const choice = this.open?.querySelectorAll("fieldset input, [data-see]")[number - 1];
    if (choice?.matches("[data-see]")) choice.click();
    else if (choice) choice.checked = true;
    return Boolean(choice);
  }

  // Where the open item is answered: what it asks to be chosen or filled in, else its button, else the item itself.
  focus() {
    const item = this.open;
    const answers = "[data-call-instrument], [data-see], fieldset input, [data-continue]:not([hidden]), [data-answer]";
    const target = [...(item?.querySelectorAll(answers) ?? [])].find((each) => !each.disabled) ?? item?.querySelector("[data-heading]");
    target?.focus();
  }

  hint() {
    const button = this.open?.querySelector("[data-hint]");
    if (!button || button.hidden) return;
    const level = (this.hints[this.current] ?? 0) + 1;
    if (level <= Number(button.dataset.levels)) this.station.act("hint", { item: this.current, level });
  }

  paint(card) {
    this.hints = card.hints;
    this.ready = card.ready;
    this.paintFlow(card.flow);
    const shown = new Set(card.items);
    const answered = new Set(card.answered);
    for (const [id, element] of this.items) {
      element.hidden = !shown.has(id);
      const state = id === card.current ? "current" : answered.has(id) ? "answered" : "open";
      if (element.dataset.state !== state) element.dataset.state = state;
    }
    for (const button of this.root.querySelectorAll("[data-continue]")) button.hidden = button.dataset.continue !== card.ready;
    if (card.ready && this.announced !== card.ready) this.tell(card.ready, _("It is there; Enter goes on."));
    for (const [id, level] of Object.entries(card.hints)) this.paintHints(id, level);
    this.root.querySelector("[data-answered]").textContent = answered.size;
    this.left = card.items.filter((id) => !answered.has(id));
    this.root.querySelector("[data-all-answered]").hidden = card.current !== null || card.flow !== null;
    if (card.current !== this.current) {
      this.current = card.current;
      this.tell(card.current);
      this.station.guide(this.open);
      this.station.deck.showPicked(null);
      const open = this.open;
      if (open) {
        const list = open.closest("[data-card]");
        // Some answered lines stay in sight above it, where the card is high enough for that.
        const above = open.offsetTop - list.offsetTop - (list.clientHeight > 450 ? 84 : 0);
        list.scrollTo({ top: Math.max(0, above) });
        this.station.leadOn(open);
      }
    }
  }

  // What a screen reader says of the open item; of one that is there, that it may be left.
  tell(id, more = "") {
    const item = this.items.get(id);
    this.announced = more ? id : null;
    const heading = item?.querySelector("[data-heading]")?.textContent.replace(/\s+/g, " ").trim() ?? "";
    this.root.querySelector("[data-told]").textContent = `${heading}${more && `. ${more}`}`;
  }

  paintFlow(flow) {
    for (const panel of this.root.querySelectorAll("[data-flow]")) {
      panel.hidden = panel.dataset.flow !== flow;
      if (flow === panel.dataset.flow && this.flow !== flow) panel.scrollIntoView({ block: "nearest" });
    }
    for (const list of this.root.querySelectorAll("[data-section]")) list.hidden = list.dataset.section === flow;
    this.flow = flow;
  }

  say(words) {
    const line = this.open?.querySelector("[data-word]");
    if (!line || !words.length) return !words.length;
    line.textContent = words.at(-1);
    line.hidden = false;
    return true;
  }

  toggleWhy() {
    const why = this.open?.querySelector("[data-why]");
    if (why) why.open = !why.open;
  }

  paintLeft(state) {
    for (const left of this.open?.querySelectorAll("[data-left]") ?? []) {
      const seconds = state[left.dataset.left];
      const whole = Math.ceil(seconds);
      left.textContent = seconds > 0 ? _("About {time} left.", { time: `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, "0")}` }) : "";
    }
  }

  paintHints(id, level) {
    const item = this.items.get(id);
    for (const hint of item?.querySelectorAll("[data-hint-text]") ?? []) hint.hidden = Number(hint.dataset.hintText) > level;
    const button = item?.querySelector("[data-hint]");
    if (button) button.hidden = level >= Number(button.dataset.levels);
  }
}
