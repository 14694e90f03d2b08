// The station: one Alpine component that joins the link, the deck, the card, the riser and the keys.
import { Link } from "./link.js";
import { Deck } from "./deck.js";
import { Card } from "./card.js";
import { Riser } from "./riser.js";
import { CrewLine } from "./crew.js";
import { Keys } from "./keys.js";
import { Dialogs } from "./dialogs.js";
import { Watch } from "./watch.js";
import { regained } from "./signing.js";
import { _ } from "./words.js";

const byId = (name) => document.querySelector(`[data-${name}]`);

function clockText(seconds) {
  const whole = Math.floor(seconds);
  const two = (n) => String(n).padStart(2, "0");
  return `T+${two(Math.floor(whole / 60))}:${two(whole % 60)}`;
}

class Station {
  constructor(root) {
    this.root = root;
    this.mayFly = root.dataset.mayFly === "true";
    this.state = {};
    this.deck = new Deck(root, this);
    this.card = new Card(root, this);
    this.riser = root.querySelector("[data-riser]") ? new Riser(root) : null;
    this.crew = new CrewLine(root, this);
    this.dialogs = new Dialogs(root, this);
    this.watch = root.dataset.watch ? new Watch(root, this) : null;
    this.keys = new Keys(this);
    // From the first touch on there is a pad for figures, larger targets, and no keyboard that covers the card.
    root.addEventListener("pointerdown", (event) => event.pointerType === "touch" && this.touched(), true);
    root.addEventListener("contextmenu", (event) => "touch" in root.dataset && event.preventDefault());
    byId("begin")?.addEventListener("click", () => this.act("rate", { times: 1 }));
    byId("hand")?.addEventListener("click", () => this.raiseHand());
    for (const button of root.querySelectorAll("[data-rate]")) {
      button.addEventListener("click", () => this.act("rate", { times: Number(button.dataset.rate) }));
    }
    this.link = new Link(root.dataset.socket, {
      frame: (frame) => this.take(frame),
      linked: (yes, note) => this.showLink(yes, note),
      done: (sent) => this.watch?.done(sent),
      logged: () => this.watch?.stir(),
      refused: (says, sent) => {
        this.say(says);
        if (sent) this.watch?.refused(sent);
      },
      signedOut: () => regained().then(() => this.link.open()),
      ended: () => window.location.assign(root.dataset.debrief),
      stopped: (says) => this.dialogs.stopped(says),
    });
  }

  act(verb, args, beside = {}) {
    if (!this.mayFly && !this.watch) return;
    this.link.send({ verb, args, ...beside });
  }

  turnTo(item) {
    if (this.mayFly) this.link.send({ open: item });
  }

  // A frame tells what has changed; the first one of a link is whole.
  take(frame) {
    if (frame.whole) this.state = {};
    if (this.lostAt !== undefined && this.linked) this.sayBack(frame.t);
    this.watch?.stir();
    const changed = frame.quantities ?? {};
    Object.assign(this.state, changed);
    if (frame.whole || frame.quantities) {
      this.deck.paint(changed, this.state);
      this.riser?.paint(this.state);
    }
    if (frame.card) this.card.paint(frame.card);
    this.card.paintLeft(this.state);
    const words = frame.words ?? [];
    const beside = this.card.say(words) ? frame.from_instructor ?? [] : words;
    for (const word of beside) this.say(word);
    if (frame.whole || frame.quantities || frame.crew) this.crew.paint(frame.crew ?? [], this.state, frame.whole);
    if (frame.hand !== undefined && byId("hand")) byId("hand").setAttribute("aria-pressed", String(frame.hand));
    if (frame.pointed) this.deck.locate([frame.pointed]);
    if (frame.clock) this.clock = frame.clock;
    this.t = frame.t;
    this.paintClock(frame.t, this.clock);
    this.root.dataset.drawn = "true";
  }

  // Guided: the part of the open step is lit up, on whichever page of the deck it stands.
  guide(item) {
    if (this.root.dataset.assist !== "guided") return;
    this.guided = item?.dataset.parts ? item.dataset.parts.split("|") : [];
    this.deck.guide(this.guided);
  }

  // After an answer whoever uses keys stands where the next act is: at the part, where the step is shown, else on the card.
  leadOn(item) {
    if (!this.keys?.used || !this.mayFly || !item) return;
    const onDeck = document.activeElement?.closest("[data-deck]");
    if (this.guided?.length && this.root.dataset.assist === "guided" && item.dataset.kind !== "verify") this.deck.locate(this.guided);
    // In a list or a field the letters would be typed: a reading begins on the deck, with the letters free.
    else if (item.dataset.kind === "check") item.querySelector("[data-heading]").focus();
    else if (!onDeck || item.querySelector("[data-answer], [data-see]")) this.card.focus();
  }

  touched() {
    if ("touch" in this.root.dataset) return;
    this.root.dataset.touch = "";
    for (const reading of this.root.querySelectorAll("[data-call-reading]")) reading.inputMode = "none";
  }

  raiseHand() {
    this.act("hand", { up: byId("hand").getAttribute("aria-pressed") !== "true" });
  }

  paintFrozen(clock, t) {
    this.watch?.paintFrozen(clock.frozen);
    const over = byId("frozen");
    if (!over) return;
    over.hidden = !clock.frozen;
    byId("frozen-note").textContent = t > 0 ? _("Frozen by your instructor") : _("Wait for your instructor's word");
  }

  paintClock(t, clock) {
    this.paintFrozen(clock, t);
    byId("clock").textContent = clockText(t);
    byId("clock-note").textContent = clock.finished
      ? _("ended, being judged")
      : clock.frozen
        ? _("frozen")
        : !clock.running
        ? _("starts with the first action")
        : clock.rate > 1
          ? _("×{rate}, drops to ×1 by itself", { rate: clock.rate })
          : clock.rates.length > 1
            ? _("nothing to do but wait")
            : _("running");
    if (byId("begin")) byId("begin").hidden = clock.running;
    for (const button of this.root.querySelectorAll("[data-rate]")) {
      const rate = Number(button.dataset.rate);
      button.setAttribute("aria-pressed", String(rate === clock.rate));
      button.disabled = this.watch ? clock.frozen || !clock.running : !this.mayFly || !clock.rates.includes(rate);
    }
  }

  // What passed while nobody could see it.
  sayBack(t) {
    const passed = Math.round(t - this.lostAt);
    this.lostAt = undefined;
    this.say(passed > 0 ? _("The link is back. {passed} s of the exercise passed meanwhile.", { passed }) : _("The link is back. The clock stood meanwhile."));
  }

  showLink(yes, note) {
    if (!yes && this.linked) this.lostAt = this.t;
    this.linked = yes;
    byId("link").textContent = yes ? _("Desk linked") : _("Not linked");
    byId("lost").hidden = yes;
    byId("lost-note").textContent = note ? `, ${note}` : "";
  }

  say(text) {
    const line = byId("say");
    line.textContent = text;
    line.hidden = false;
    clearTimeout(this.saying);
    this.saying = setTimeout(() => (line.hidden = true), 6000);
  }
}

document.addEventListener("alpine:init", () => {
  window.Alpine.data("station", () => ({
    init() {
      const station = new Station(this.$el);
      station.link.open();
    },
  }));
});
