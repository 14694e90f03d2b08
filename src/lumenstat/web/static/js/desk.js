// The desk: a tile a station, drawn as the server says it stands; what is done to one or all goes back over the socket.
import { regained } from "./signing.js";
import { _, _n } from "./words.js";
const SIGNED_OUT = 4401;

function clock(seconds) {
  const whole = Math.abs(Math.floor(seconds));
  return `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, "0")}`;
}

function made(tag, look, text) {
  const part = document.createElement(tag);
  part.className = look;
  part.textContent = text;
  return part;
}

// What somebody has to be told of a station, the gravest first: its look and its words.
function alertsOf(tile) {
  const found = [];
  for (const name of tile.hazards) found.push(["hazard", _("Hazard: {name}", { name })]);
  if (tile.hand) found.push(["hand", _("Hand up")]);
  if (tile.state === "running" && tile.seen && !tile.linked) found.push(["lost", _("Link lost")]);
  if (tile.stuck && !tile.frozen) found.push(["stuck", _("Stuck: nothing done for {idle}", { idle: clock(tile.idle) })]);
  for (const name of tile.limits) found.push(["limit", _("Limit: {name}", { name })]);
  if (tile.frozen && tile.t > 0) found.push(["frozen", _("Frozen")]);
  if (tile.rate > 1) found.push(["quiet", _("Time passes ×{rate}", { rate: tile.rate })]);
  if (tile.word && found.length < 2) found.push(["quiet", tile.word]);
  return found.slice(0, 3);
}

class Tile {
  constructor(element, desk) {
    this.element = element;
    this.desk = desk;
    this.run = element.dataset.tile;
    this.zones = [...element.querySelectorAll("[data-bus]")];
    element.querySelector("[data-freeze]").addEventListener("click", () => this.freeze());
    element.querySelector("[data-seen]").addEventListener("click", () => desk.act([this.run], "hand", { up: false }));
  }

  part(name) {
    return this.element.querySelector(`[data-${name}]`);
  }

  get over() {
    return this.now?.state === "ended" || this.now?.state === "judging" || this.now?.state === "stuck";
  }

  freeze() {
    if (this.now && !this.over) this.desk.act([this.run], this.now.frozen ? "resume" : "freeze", {});
  }

  open() {
    window.location.assign(this.now?.state === "ended" ? this.element.dataset.debrief : this.element.dataset.open);
  }

  paint(tile) {
    this.now = tile;
    this.element.dataset.state = tile.state;
    this.element.dataset.power = tile.frozen ? "frozen" : "on";
    this.part("clock").textContent = tile.t > 0 || tile.state === "running" ? `T+${clock(tile.t)}` : "–";
    this.part("item").textContent = this.itemText(tile);
    this.part("on-item").textContent = this.onItem(tile);
    const pace = this.part("pace");
    const late = tile.behind !== null && tile.behind >= 30;
    pace.textContent = tile.behind === null || tile.state !== "running" ? "" : this.paceText(tile.behind);
    pace.dataset.late = String(late);
    const share = tile.of ? tile.done / tile.of : 0;
    this.part("bar-fill").style.width = `${Math.round(100 * share)}%`;
    this.part("bar").setAttribute("aria-label", _("{done} of {all} items", { done: tile.done, all: tile.of }));
    this.part("count").textContent = tile.of ? `${tile.done}/${tile.of}` : "";
    this.part("slips").textContent = tile.slips ? `${"|".repeat(Math.min(5, tile.slips))} ${tile.slips}` : "";
    this.part("slips").setAttribute("aria-label", _n("{count} slip so far", "{count} slips so far", tile.slips));
    for (const zone of this.zones) zone.dataset.power = tile.zones[zone.dataset.bus] ?? "dead";
    this.part("alerts").replaceChildren(...alertsOf(tile).map(([kind, words]) => made("li", `alert alert-${kind}`, words)));
    this.part("freeze").textContent = tile.frozen ? _("Go on") : _("Freeze");
    this.part("freeze").disabled = this.over || (tile.state === "waiting" && !tile.linked && !tile.frozen);
    this.part("seen").hidden = !tile.hand;
    const open = this.element.querySelector(".tile-open");
    open.textContent = tile.state === "ended" ? _("Debrief") : _("Open");
    open.href = tile.state === "ended" ? this.element.dataset.debrief : this.element.dataset.open;
    const code = this.part("code");
    if (code) code.hidden = tile.linked || this.over;
  }

  paceText(behind) {
    if (Math.abs(behind) < 1) return _("with the model");
    return behind > 0 ? _("{behind} behind the model", { behind: clock(behind) }) : _("{behind} ahead of the model", { behind: clock(behind) });
  }

  itemText(tile) {
    if (tile.state === "ended") return tile.percent === null ? _("ended") : `${tile.percent} %`;
    if (tile.state === "judging") return _("being judged");
    if (tile.state === "stuck") return _("could not be judged");
    if (tile.state === "waiting") return tile.linked ? _("seated, not begun") : _("nobody there yet");
    return tile.item ?? (tile.of && tile.done === tile.of ? _("everything answered") : _("flow from memory"));
  }

  onItem(tile) {
    if (tile.state === "ended") return { pass: _("passed"), held: _("not passed: held"), fail: _("not passed") }[tile.outcome] ?? _("not finished");
    if (tile.state !== "running" || !tile.item) return "";
    if (tile.waiting) return _("waiting for it to come");
    const needs = tile.needs === null ? "" : _(", the model needs {needs}", { needs: clock(tile.needs) });
    return _("last act {idle} ago{needs}", { idle: clock(tile.idle), needs });
  }
}

class Desk {
  constructor(root) {
    this.root = root;
    this.tiles = new Map([...root.querySelectorAll("[data-tile]")].map((e) => [e.dataset.tile, new Tile(e, this)]));
    this.made = 0;
    this.name = Math.random().toString(36).slice(2, 10);
    for (const button of document.querySelectorAll("[data-all]")) {
      button.addEventListener("click", () => this.all(button.dataset.all));
    }
    document.querySelector("[data-say-all]").addEventListener("click", () => this.tell());
    this.dialog("say").addEventListener("close", () => this.told());
    document.addEventListener("keydown", (event) => this.key(event));
    this.open();
  }

  dialog(name) {
    return this.root.querySelector(`[data-dialog="${name}"]`);
  }

  open() {
    const address = new URL(this.root.dataset.desk, window.location.href);
    address.protocol = address.protocol === "https:" ? "wss:" : "ws:";
    this.socket = new WebSocket(address);
    this.socket.addEventListener("open", () => this.link(true));
    this.socket.addEventListener("message", (event) => this.take(JSON.parse(event.data)));
    this.socket.addEventListener("close", (event) => {
      if (event.code === SIGNED_OUT) {
        regained().then(() => this.open());
        return;
      }
      this.link(false);
      setTimeout(() => this.open(), 1500);
    });
  }

  link(yes) {
    document.querySelector("[data-desk-link]").hidden = yes;
  }

  take(message) {
    if (message.type === "answer") {
      const says = Object.values(message.refused)[0];
      if (says) this.say(says);
      return;
    }
    for (const tile of message.tiles) {
      if (this.tiles.has(tile.run)) this.tiles.get(tile.run).paint(tile);
      else return window.location.reload();
    }
    this.paint();
  }

  get known() {
    return [...this.tiles.values()].filter((tile) => tile.now);
  }

  paint() {
    const known = this.known;
    const flying = known.filter((tile) => tile.now.state === "running");
    const frozen = known.filter((tile) => tile.now.frozen && !tile.over);
    const waits = known.filter((tile) => tile.now.state === "waiting");
    const need = known.filter((tile) => alertsOf(tile.now).some(([kind]) => ["hazard", "hand", "lost", "stuck"].includes(kind)));
    this.say(
      _("{stations} stations, {linked} linked, {flying} flying", {
        stations: known.length,
        linked: known.filter((tile) => tile.now.linked).length,
        flying: flying.length,
      }) +
        (need.length ? _("; {numbers} need somebody", { numbers: need.map((tile) => tile.element.dataset.number).join(", ") }) : ""),
    );
    const word = document.querySelector("[data-word]");
    if (word) word.hidden = waits.length === 0;
    document.querySelector(".no-print [data-all=resume]").hidden = frozen.length === 0;
    document.querySelector(".no-print [data-all=freeze]").hidden = frozen.length > 0 && frozen.length === flying.length;
  }

  say(text) {
    this.root.querySelector("[data-summary]").textContent = text;
  }

  act(runs, verb, args) {
    if (!runs.length || this.socket.readyState !== WebSocket.OPEN) return;
    this.made += 1;
    this.socket.send(JSON.stringify({ id: `${this.name}-${this.made}`, runs, verb, args }));
  }

  all(verb) {
    const wanted = this.known.filter((tile) => !tile.over && tile.now.frozen === (verb === "resume"));
    const runs = wanted.filter((tile) => verb === "resume" || tile.now.state === "running").map((tile) => tile.run);
    this.act(runs, verb, {});
  }

  tell() {
    this.root.querySelector("[data-say-text]").value = "";
    this.dialog("say").showModal();
  }

  told() {
    const text = this.root.querySelector("[data-say-text]").value.trim();
    if (this.dialog("say").returnValue !== "say" || !text) return;
    this.act(this.known.filter((tile) => !tile.over).map((tile) => tile.run), "say", { text });
  }

  key(event) {
    if (event.ctrlKey || event.metaKey || event.altKey || document.querySelector("dialog[open]")) return;
    if (event.target.matches("input, select, textarea")) return;
    const focused = [...this.tiles.values()].find((tile) => tile.element.contains(document.activeElement));
    const list = [...this.tiles.values()];
    const at = focused ? list.indexOf(focused) : -1;
    const columns = getComputedStyle(this.root.querySelector("[data-tiles]")).gridTemplateColumns.split(" ").length;
    const step = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: columns, ArrowUp: -columns }[event.key];
    if (step) {
      event.preventDefault();
      list[Math.min(list.length - 1, Math.max(0, at < 0 ? 0 : at + step))].element.focus();
    } else if (/^[1-9]$/.test(event.key)) {
      list.find((tile) => tile.element.dataset.number === event.key)?.open();
    } else if (event.key === "Enter" && focused && event.target === focused.element) focused.open();
    else if (event.key === "F") this.all(this.known.some((tile) => tile.now.frozen && !tile.over) ? "resume" : "freeze");
    else if (event.key === "f") focused?.freeze();
    else if (event.key === "h" && focused) this.act([focused.run], "hand", { up: false });
    else if (event.key === "s") {
      event.preventDefault();
      this.tell();
    } else if (event.key === "?") this.dialog("keys").showModal();
  }
}

const root = document.querySelector("[data-desk]");
if (root) new Desk(root);
