// Keys of the station. Single keys are off while typing and while a dialog is open, and need Alt where the account says so.
import { _ } from "./words.js";
const TWICE_MS = 4000;

export class Keys {
  constructor(station) {
    this.station = station;
    const { keys, singleKeys } = station.root.dataset;
    this.commands = new Map(Object.entries(JSON.parse(keys)).map(([command, key]) => [key, command]));
    this.alone = singleKeys === "true";
    this.asked = null;
    document.addEventListener("keydown", (event) => this.pressed(event));
    // Whoever uses keys is led on by the focus; whoever points is not.
    document.addEventListener("keydown", () => (this.used = true), true);
    document.addEventListener("pointerdown", () => (this.used = false), true);
  }

  pressed(event) {
    if (event.ctrlKey || event.metaKey || this.station.dialogs.anyOpen) return;
    if (event.key === "Enter" && !event.altKey) return this.enter(event);
    const typing = event.target.matches("input:not([type=radio]), select, textarea");
    if (typing) return this.inReading(event);
    if (event.key.length !== 1 || event.key === " " || event.altKey === this.alone) return;
    if (this.station.watch?.key(event)) return;
    if (this.press(event.key)) event.preventDefault();
  }

  // What the card offers goes before what the control in focus would do, and where it offers nothing a knob turns on.
  enter(event) {
    const { station } = this;
    const onDeck = event.target.closest("[data-deck]");
    if (station.mayFly && station.card.ready && onDeck) {
      event.preventDefault();
      return station.card.answer();
    }
    const elsewhere = event.target.closest("[data-deck], footer, header") || event.target.matches("select");
    const button = event.target.closest("button");
    if (elsewhere || (button && !button.dataset.answer && !station.card.ready)) return;
    event.preventDefault();
    station.card.answer();
  }

  // A figure is typed; a letter beside it judges what was read.
  inReading(event) {
    const item = event.target.closest("[data-item]");
    if (!event.target.matches("[data-call-reading]") || event.altKey) return;
    const judgement = { w: "within", b: "below", a: "above", d: "dead" }[event.key.toLowerCase()];
    if (!judgement) return;
    event.preventDefault();
    item.querySelector(`input[value="${judgement}"]`).checked = true;
  }

  press(key) {
    const { station } = this;
    if (/^[1-9]$/.test(key)) return station.card.choose(Number(key));
    const command = this.commands.get(key) ?? this.commands.get(key.toLowerCase());
    if (command) return this.does(command);
    return /^[a-z]$/i.test(key) && this.request(key.toUpperCase());
  }

  // What takes something away is asked for with the same key twice, so that a slip of the finger does not do it.
  request(letter) {
    const button = this.station.crew.buttonOf(letter);
    if (!button || button.disabled) return Boolean(button);
    if (!("takesAway" in button.dataset) || this.asked === letter) {
      this.asked = null;
      this.station.crew.ask(button);
      return true;
    }
    this.asked = letter;
    const words = button.querySelector("[data-words]").textContent.replace(/\s+/g, " ").trim();
    this.station.say(_("{words}: press {letter} once more to ask for it.", { words, letter }));
    setTimeout(() => (this.asked = null), TWICE_MS);
    return true;
  }

  does(command) {
    const { station } = this;
    const pressed = (selector) => station.root.querySelector(selector)?.click();
    const does = {
      find: () => station.dialogs.open("find"),
      pick: () => this.pick(),
      card: () => station.card.focus(),
      part: () => station.guided?.length && station.deck.locate(station.guided),
      why: () => station.card.toggleWhy(),
      hint: () => station.card.hint(),
      page: () => station.deck.turnOn(),
      riser: () => station.riser && station.dialogs.open("riser"),
      papers: () => station.dialogs.open("papers"),
      hand: () => station.mayFly && station.raiseHand(),
      faster: () => this.lapse(1),
      slower: () => this.lapse(-1),
      finish: () => pressed('[data-open="finish"]'),
      keys: () => station.dialogs.open("keys"),
    };
    does[command]();
    return true;
  }

  pick() {
    const instrument = document.activeElement?.closest?.("[data-instrument]");
    if (instrument) this.station.card.pick(instrument.dataset.instrument);
    else this.station.root.querySelector("[data-deck-page]:not([hidden]) [data-instrument]")?.focus();
  }

  lapse(by) {
    const buttons = [...this.station.root.querySelectorAll("[data-rate]")];
    const at = buttons.findIndex((button) => button.getAttribute("aria-pressed") === "true");
    buttons[at + by]?.click();
  }
}
