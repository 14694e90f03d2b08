// Keys of the station. Single letters are off while typing and while a dialog is open.
export function bindKeys(station) {
  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || station.dialogs.anyOpen) return;
    const typing = event.target.matches("input:not([type=radio]), select, textarea");
    if (event.key === "Enter" && station.mayFly && station.card.ready && event.target.closest("[data-deck]")) {
      // The step is there and only has to be left: Enter does that, and not what the switch in focus would do.
      event.preventDefault();
      station.card.answer();
      return;
    }
    if (event.key === "Enter") {
      const elsewhere = event.target.closest("[data-deck], footer, header") || event.target.matches("select");
      const button = event.target.closest("button");
      if (elsewhere || (button && !button.dataset.answer && !station.card.ready)) return;
      event.preventDefault();
      station.card.answer();
      return;
    }
    if (typing) return;
    if (station.watch?.key(event)) return;
    if (event.key === "H" && station.mayFly) return station.raiseHand();
    const act = {
      f: () => station.dialogs.open("find"),
      y: () => station.card.toggleWhy(),
      ".": () => station.guided?.length && station.deck.locate(station.guided),
      d: () => station.deck.turnOn(),
      o: () => station.dialogs.open("papers"),
      r: () => station.riser && station.dialogs.open("riser"),
      "?": () => station.dialogs.open("keys"),
      h: () => station.card.hint(),
      c: () => document.querySelector('[data-state="current"] button:not(.card-line), [data-state="current"] input')?.focus(),
      p: () => {
        const instrument = document.activeElement?.closest?.("[data-instrument]");
        if (instrument) station.card.pick(instrument.dataset.instrument);
        else station.root.querySelector("[data-deck-page]:not([hidden]) [data-instrument]")?.focus();
      },
    }[event.key.length === 1 ? event.key.toLowerCase() : event.key];
    if (act && !(event.key.toLowerCase() === "h" && !station.card.open?.querySelector("[data-hint]"))) {
      event.preventDefault();
      act();
    } else if (/^[1-4]$/.test(event.key)) station.card.judge(Number(event.key));
    else if (/^[a-z]$/i.test(event.key) && station.crew.key(event.key)) event.preventDefault();
  });
}
