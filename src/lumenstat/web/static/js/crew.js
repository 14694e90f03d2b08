// The ground crew line: what can be asked for now, and what was said.
import { _ } from "./words.js";
function clock(seconds) {
  return `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, "0")}`;
}

export class CrewLine {
  constructor(root, station) {
    this.list = root.querySelector("[data-crew]");
    this.buttons = [...root.querySelectorAll("[data-request]")];
    this.station = station;
    for (const button of this.buttons) button.addEventListener("click", () => this.ask(button));
  }

  ask(button) {
    const [service, action] = button.dataset.request.split("|");
    this.station.act("request", { service, action });
  }

  buttonOf(letter) {
    return this.buttons.find((each) => each.dataset.key === letter && !each.hidden);
  }

  paint(lines, state, whole) {
    for (const button of this.buttons) {
      const [service] = button.dataset.request.split("|");
      const possible = button.dataset.possible.split("|").includes(state[`service.${service}`]);
      button.hidden = !possible;
      button.disabled = !(this.station.mayFly || this.station.watch) || !possible || state[`service.${service}.busy`] === true;
    }
    if (whole && lines.length) this.list.replaceChildren();
    if (!lines.length) return;
    if (!this.list.dataset.begun) this.list.replaceChildren();
    this.list.dataset.begun = "yes";
    for (const line of lines) {
      const row = document.createElement("li");
      row.className = "flex gap-3";
      for (const [text, look] of [
        [clock(line.t), "font-mono text-mist w-10 text-right"],
        [line.by === "you" ? _("You") : _("Ground"), line.by === "you" ? "font-bold text-lilac w-12" : "font-bold text-frost w-12"],
        [line.says, "flex-1"],
      ]) {
        const part = document.createElement("span");
        part.className = look;
        part.textContent = text;
        row.append(part);
      }
      this.list.append(row);
    }
    this.list.scrollTop = this.list.scrollHeight;
  }
}
