// Replay: the station's own deck and riser, drawn from one moment at a time.
import { Deck } from "./deck.js";
import { Riser } from "./riser.js";
import { _ } from "./words.js";

const PLAY_TIMES = 4;
const FRAME_MS = 250;

function clockText(seconds) {
  const whole = Math.floor(seconds);
  const two = (n) => String(n).padStart(2, "0");
  return `T+${two(Math.floor(whole / 60))}:${two(whole % 60)}`;
}

class Replay {
  constructor(root) {
    this.root = root;
    this.end = Number(root.dataset.end);
    this.deck = new Deck(root, { mayFly: false });
    this.riser = root.querySelector("[data-riser]") ? new Riser(root) : null;
    this.slider = root.querySelector("[data-slider]");
    this.play = root.querySelector("[data-play]");
    this.slider.addEventListener("input", () => this.show(Number(this.slider.value)));
    root.querySelector("[data-marks]").addEventListener("click", (event) => {
      const mark = event.target.closest("[data-at]");
      if (mark) this.go(Number(mark.dataset.at));
    });
    this.play.addEventListener("click", () => this.toggle());
    document.addEventListener("keydown", (event) => {
      if (event.key === "d" && !event.ctrlKey && !event.metaKey) this.deck.turnOn();
    });
    this.go(Number(root.dataset.begin));
  }

  go(seconds) {
    this.slider.value = seconds;
    this.show(seconds);
  }

  // One request at a time; of several wishes meanwhile only the last one is asked for.
  async show(seconds) {
    this.wanted = seconds;
    if (this.asking) return;
    this.asking = true;
    while (this.wanted !== undefined) {
      const at = this.wanted;
      this.wanted = undefined;
      const answer = await fetch(`${this.root.dataset.moment}?t=${at}`);
      if (answer.ok) this.paint(await answer.json());
    }
    this.asking = false;
  }

  paint(moment) {
    this.deck.paint(moment.quantities, moment.quantities);
    this.riser?.paint(moment.quantities);
    this.root.querySelector("[data-clock]").textContent = clockText(moment.t);
    this.root.querySelector("[data-fork-at]").value = moment.t;
    const said = moment.crew.at(-1);
    this.root.querySelector("[data-said]").textContent = said ? `${said.by === "you" ? "You" : "Ground"}: ${said.says}` : "";
    let last = null;
    for (const mark of this.root.querySelectorAll("[data-at]")) {
      mark.setAttribute("aria-current", "false");
      if (Number(mark.dataset.at) <= moment.t) last = mark;
    }
    last?.setAttribute("aria-current", "true");
    last?.scrollIntoView({ block: "nearest" });
    this.root.dataset.shown = moment.t;
  }

  toggle() {
    const playing = this.play.getAttribute("aria-pressed") !== "true";
    this.play.setAttribute("aria-pressed", String(playing));
    this.play.textContent = playing ? _("Pause") : _("Play ×{times}", { times: PLAY_TIMES });
    clearInterval(this.timer);
    if (!playing) return;
    this.timer = setInterval(() => {
      const next = Math.min(this.end, Number(this.slider.value) + (PLAY_TIMES * FRAME_MS) / 1000);
      this.go(next);
      if (next >= this.end) this.toggle();
    }, FRAME_MS);
  }
}

new Replay(document.querySelector("[data-replay]"));
