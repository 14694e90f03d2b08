// The debrief: which lines of the ledger are shown, and which one is open.
import { _ } from "./words.js";
document.addEventListener("alpine:init", () => {
  window.Alpine.data("ledger", () => ({
    shown: "lost",
    open: null,
    init() {
      this.shown = this.$root.dataset.lost === "0" ? "all" : "lost";
    },
    showLost() {
      this.shown = "lost";
    },
    showAll() {
      this.shown = "all";
    },
    showChanged() {
      this.shown = "changed";
    },
    isNotChanged() {
      return this.shown !== "changed";
    },
    pressedChanged() {
      return String(this.shown === "changed");
    },
    isLost() {
      return this.shown === "lost";
    },
    isAll() {
      return this.shown === "all";
    },
    pressedLost() {
      return String(this.shown === "lost");
    },
    pressedAll() {
      return String(this.shown === "all");
    },
  }));

  // The time axis: a cursor that names the moment under it; a click shows the aircraft as it stood then.
  window.Alpine.data("axis", () => ({
    seconds: 0,
    at(event) {
      const data = this.$root.dataset;
      const box = event.currentTarget.getBoundingClientRect();
      const x = ((event.clientX - box.left) / box.width) * Number(data.width);
      const share = (x - Number(data.left)) / Number(data.plot);
      this.seconds = Math.min(Math.max(share, 0), 1) * Number(data.end);
      return Number(data.left) + (this.seconds / Number(data.end)) * Number(data.plot);
    },
    follow(event) {
      const x = this.at(event);
      const whole = Math.floor(this.seconds);
      this.$refs.cursor.setAttribute("transform", `translate(${x} 0)`);
      this.$refs.cursor.setAttribute("visibility", "visible");
      this.$refs.label.textContent = _("{time}, click to see it", { time: `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, "0")}` });
    },
    leave() {
      this.$refs.cursor.setAttribute("visibility", "hidden");
    },
    go(event) {
      if (event.target.closest("a")) return;
      this.at(event);
      window.location.href = `${this.$root.dataset.replay}?t=${this.seconds.toFixed(2)}`;
    },
  }));
});
