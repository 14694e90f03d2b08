// The riser diagram: bars on one scale on which all permitted bands line up, joints shut or open, current one way.
const FLOWING_AMPS = 0.5;
const SHOWN_AMPS = 1;

export class Riser {
  constructor(root) {
    this.svg = root.querySelector("[data-riser]");
    const d = this.svg.dataset;
    this.scale = { bandTop: +d.bandTop, bandFoot: +d.bandFoot, top: +d.barTop, foot: +d.barFoot };
    this.columns = [...this.svg.querySelectorAll("[data-bus]")];
    this.joints = [...this.svg.querySelectorAll("[data-joint]")];
    this.sources = [...this.svg.querySelectorAll("[data-source]")];
  }

  // A bar's height: nothing at 0 V, the permitted band always in the same strip, a little room above it.
  level(volts, low, high) {
    const { bandTop, bandFoot, top, foot } = this.scale;
    if (volts <= low) return (foot - bandFoot) * Math.max(0, volts / low);
    const share = (volts - low) / (high - low);
    return Math.min(foot - top, foot - bandFoot + (bandFoot - bandTop) * share);
  }

  paint(state) {
    for (const column of this.columns) this.paintColumn(column, state);
    for (const joint of this.joints) this.paintJoint(joint, state);
    for (const source of this.sources) this.paintSource(source, state);
  }

  paintSource(source, state) {
    const alive = state[source.dataset.of] === true;
    source.dataset.alive = String(alive);
    const text = source.querySelector("text");
    const load = state[text.dataset.load];
    text.textContent = alive && load !== undefined ? `${text.dataset.name} ${load.toFixed(0)} %` : text.dataset.name;
  }

  paintColumn(column, state) {
    const bus = column.dataset.bus;
    const volts = state[`bus.${bus}.volts`];
    const alive = state[`bus.${bus}.alive`] === true;
    const [low, high] = [Number(column.dataset.low), Number(column.dataset.high)];
    const read = volts !== undefined;
    column.dataset.alive = String(alive);
    column.dataset.read = String(read);
    column.dataset.quality = read && alive && (volts < low || volts > high) ? "marginal" : "good";
    column.querySelector(".volts").textContent = !read ? "read" : volts >= 100 ? volts.toFixed(0) : alive ? volts.toFixed(1) : "0";
    const fill = column.querySelector(".fill");
    const height = read ? this.level(volts, low, high) : 0;
    fill.setAttribute("height", height.toFixed(1));
    fill.setAttribute("y", (this.scale.foot - height).toFixed(1));
  }

  paintJoint(joint, state) {
    const { quantity, value, amps, left, a, b } = joint.dataset;
    const kind = joint.dataset.joint;
    const aAlive = state[a] === true;
    const bAlive = state[b] === true;
    const reading = state[quantity];
    const shut =
      kind === "contactor" ? reading === true : kind === "feed" || kind === "inverter" ? reading === value : reading > FLOWING_AMPS;
    joint.dataset.shut = String(shut);
    joint.dataset.live = String(aAlive && bAlive);
    joint.dataset.first = String(aAlive);
    joint.dataset.second = String(bAlive);
    const flow = amps ? state[amps] : 0;
    const flowing = shut && amps && Math.abs(flow) > SHOWN_AMPS;
    joint.dataset.flow = flowing ? "on" : "off";
    if (amps) {
      const rightward = flow > 0 === (value === left);
      joint.querySelector(".flow-ab").setAttribute("display", rightward ? "inline" : "none");
      joint.querySelector(".flow-ba").setAttribute("display", rightward ? "none" : "inline");
      const text = joint.querySelector(".amps");
      if (text) text.textContent = flowing ? `${Math.abs(flow).toFixed(0)} A` : "";
    }
  }
}
