// The debrief: which lines of the ledger are shown, and which one is open.
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
});
