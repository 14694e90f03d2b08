// A run on a phone: clock, open item, what is lit, and the ground crew's line.
import { Link } from "./link.js";
import { CrewLine } from "./crew.js";
import { _ } from "./words.js";

const root = /** @type {HTMLElement} */ (document.querySelector("[data-phone]"));
const byName = (name) => root.querySelector(`[data-${name}]`);
const asks = root.dataset.asks === "true";
const zones = [...root.querySelectorAll("[data-bus]")];
let state = {};

function say(text) {
  byName("say").textContent = text;
  byName("say").hidden = false;
  setTimeout(() => (byName("say").hidden = true), 5000);
}

const link = new Link(root.dataset.socket, {
  frame: take,
  linked: (yes) => (byName("link").textContent = yes ? _("Linked to the desk") : _("Not linked; trying again")),
  refused: say,
  signedOut: () => window.location.assign(root.dataset.over),
  ended: () => window.location.assign(root.dataset.over),
  stopped: say,
});
const crew = new CrewLine(root, { mayFly: asks, act: (verb, args) => link.send({ verb, args }) });

function take(frame) {
  if (frame.whole) state = {};
  Object.assign(state, frame.quantities ?? {});
  const two = (n) => String(n).padStart(2, "0");
  byName("clock").textContent = `T+${two(Math.floor(frame.t / 60))}:${two(Math.floor(frame.t) % 60)}`;
  if (frame.card) {
    for (const item of root.querySelectorAll("[data-open-item]")) item.hidden = item.dataset.openItem !== frame.card.current;
    byName("nothing-open").hidden = frame.card.current !== null;
  }
  const lit = zones.filter((zone) => state[`bus.${zone.dataset.bus}.alive`] === true);
  for (const zone of zones) zone.dataset.power = lit.includes(zone) ? "live" : "dead";
  byName("lit").textContent = String(lit.length);
  crew.paint(frame.crew ?? [], state, frame.whole);
}

link.open();
