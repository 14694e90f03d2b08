// The riser diagram and its table: rails with all permitted bands in one strip, rungs shut or open, current one way.
import { _ } from "./words.js";
const FLOWING_AMPS = 0.5;
const SHOWN_AMPS = 1;

function put(element, text) {
  if (element && element.textContent !== text) element.textContent = text;
}

function voltsText(volts, alive) {
  if (volts === undefined) return _("read");
  return volts >= 100 ? volts.toFixed(0) : alive ? volts.toFixed(1) : "0";
}

export class Riser {
  constructor(root) {
    this.rails = [...root.querySelectorAll(".rail[data-bus]")];
    this.rungs = [...root.querySelectorAll(".rung[data-joint]")];
    this.chips = [...root.querySelectorAll(".chip[data-source]")];
    this.table = root.querySelector("[data-riser-table]");
    this.through = new Map();
  }

  paint(state) {
    for (const rail of this.rails) this.paintRail(rail, state);
    for (const rung of this.rungs) this.paintRung(rung, state);
    for (const chip of this.chips) this.paintChip(chip, state);
    if (this.table) this.paintTable(state);
  }

  paintChip(chip, state) {
    const { of, gives, unit } = chip.dataset;
    const amount = state[gives];
    const alive = of ? state[of] === true : amount > FLOWING_AMPS;
    chip.dataset.alive = String(alive);
    put(chip.querySelector(".gives"), alive && amount !== undefined ? ` ${amount.toFixed(0)} ${unit}` : "");
  }

  // Where volts stand along the strip: all permitted bands fill it, what is under or over stands beside it.
  paintRail(rail, state) {
    const bus = rail.dataset.bus;
    const volts = state[`bus.${bus}.volts`];
    const alive = state[`bus.${bus}.alive`] === true;
    const [low, high] = [Number(rail.dataset.low), Number(rail.dataset.high)];
    const read = volts !== undefined;
    rail.dataset.alive = String(alive);
    rail.dataset.read = String(read);
    rail.dataset.quality = read && alive && (volts < low || volts > high) ? "marginal" : "good";
    put(rail.querySelector(".volts"), voltsText(volts, alive));
    const { stripLeft, stripRight } = rail.closest("[data-riser]").dataset;
    const [left, right] = [Number(stripLeft), Number(stripRight) - 3];
    const share = read ? (volts - low) / (high - low) : 0;
    const x = share < 0 ? left - 4 : share > 1 ? right + 4 : left + (right - left) * share;
    rail.querySelector(".marker").setAttribute("x", x.toFixed(1));
    const fed = rail.querySelector("[data-fed]");
    if (fed) put(fed, this.fedWords(fed, state));
  }

  fedWords(fed, state) {
    const source = state[fed.dataset.fed];
    const names = new Map(fed.dataset.feeders.split("|").filter(Boolean).map((each) => each.split("=")));
    return source ? _("from {source}", { source: names.get(source) ?? source }) : _("fed by nothing");
  }

  paintRung(rung, state) {
    const { quantity, value, carries, top, foot, downwards, joint, id } = rung.dataset;
    const reading = state[quantity];
    const shut = joint === "contactor" ? reading === true : value ? reading === value : reading > FLOWING_AMPS;
    const [topAlive, footAlive] = [state[top] === true, state[foot] === true];
    rung.dataset.shut = String(shut);
    rung.dataset.live = String(shut && topAlive && footAlive);
    rung.dataset.topAlive = String(topAlive);
    rung.dataset.footAlive = String(footAlive);
    const amps = carries ? state[carries] : 0;
    const flows = shut && Math.abs(amps) > SHOWN_AMPS;
    rung.dataset.flow = !flows ? "none" : amps > 0 === (downwards === "true") ? "down" : "up";
    const words = flows ? `${Math.abs(amps).toFixed(0)} A` : "";
    put(rung.querySelector(".amps"), words && ` ${words}`);
    this.through.set(id, words || (joint === "contactor" ? (shut ? _("shut") : _("open")) : ""));
  }

  paintTable(state) {
    for (const row of this.table.querySelectorAll("[data-bus-row]")) {
      const bus = row.dataset.busRow;
      const volts = state[`bus.${bus}.volts`];
      const alive = state[`bus.${bus}.alive`] === true;
      const out = alive && (volts < Number(row.dataset.low) || volts > Number(row.dataset.high));
      row.dataset.alive = String(alive);
      put(row.querySelector('[data-cell="volts"]'), voltsText(volts, alive));
      put(row.querySelector('[data-cell="state"]'), out ? _("▲ out of limits") : alive ? _("alive") : _("dead"));
    }
    for (const each of this.table.querySelectorAll("[data-feeder]")) {
      each.dataset.on = String(state[each.dataset.fed] === each.dataset.feeder);
    }
    for (const each of this.table.querySelectorAll("[data-through]")) {
      put(each.querySelector('[data-cell="through"]'), this.through.get(each.dataset.through) ?? "");
    }
    for (const each of this.table.querySelectorAll("[data-load]")) each.dataset.on = String(state[each.dataset.load] === true);
  }
}
