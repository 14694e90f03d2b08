// Dialogs of the station: find, papers, finish, keys, and what can only be told.
import { _, _n } from "./words.js";
export class Dialogs {
  constructor(root, station) {
    this.station = station;
    this.root = root;
    for (const button of root.querySelectorAll("[data-open]")) {
      button.addEventListener("click", () => this.open(button.dataset.open));
    }
    root.querySelector("[data-finish]").addEventListener("click", () => station.act("finish", {}));
    this.input = root.querySelector("[data-find-input]");
    this.list = root.querySelector("[data-find-list]");
    this.input.addEventListener("input", () => this.filter());
    this.input.addEventListener("keydown", (event) => {
      if (event.key !== "Enter") return;
      event.preventDefault();
      this.list.querySelector("button")?.click();
    });
  }

  // On a draft's station whatever is read may be called out, and becomes an item.
  call(instrument, name) {
    const dialog = this.dialog("call");
    if (!dialog || this.anyOpen) return;
    const form = dialog.querySelector("[data-call-form]");
    form.reset();
    dialog.querySelector("[data-call-name]").textContent = name;
    dialog.onclose = () => dialog.returnValue === "call" && this.called(instrument, new FormData(form));
    dialog.returnValue = "";
    dialog.showModal();
    form.elements.reading.focus();
  }

  called(instrument, said) {
    const judgement = said.get("judgement");
    if (judgement === "dead") return this.station.act("call", { instrument, judgement });
    const written = String(said.get("reading")).trim().replace(",", ".").replace("−", "-");
    if (written === "" || !Number.isFinite(Number(written))) return this.station.say(_("Say the reading as a figure, like 24.6."));
    return this.station.act("call", { instrument, reading: Number(written), judgement });
  }

  dialog(name) {
    return this.root.querySelector(`[data-dialog="${name}"]`);
  }

  get anyOpen() {
    return Boolean(this.root.querySelector("dialog[open]"));
  }

  open(name) {
    if (this.anyOpen) return;
    if (name === "find") {
      this.input.value = "";
      this.filter();
    }
    if (name === "finish") this.paintLeft();
    this.dialog(name).showModal();
  }

  // What would be left undone.
  paintLeft() {
    const left = this.station.card.left ?? [];
    // What is still to be done is not told where nothing is: only that not everything was answered.
    if (this.root.dataset.assist === "examined") {
      this.root.querySelector("[data-finish-note]").textContent = left.length
        ? _("Not everything is answered. Nothing more can be done in it; the debrief follows.")
        : _("Every item is answered. Nothing more can be done in it; the debrief follows.");
      return;
    }
    const first = this.root.querySelector(`[data-item="${left[0]}"] .card-line span:nth-of-type(3)`)?.textContent ?? "";
    const items = _n("{count} item is open", "{count} items are open", left.length);
    this.root.querySelector("[data-finish-note]").textContent = left.length
      ? _('{items}, the first is "{first}". Nothing more can be done in it; the debrief follows.', { items, first })
      : _("Every item is answered. Nothing more can be done in it; the debrief follows.");
  }

  stopped(says) {
    this.root.querySelector("[data-stopped-note]").textContent = says;
    this.open("stopped");
  }

  filter() {
    const words = this.input.value.toLowerCase().split(/\s+/).filter(Boolean);
    const parts = [...this.root.querySelectorAll("[data-part]")].map((part) => {
      const zone = part.closest("[data-zone]").querySelector(".zone-name").textContent;
      return { id: part.dataset.part, text: `${part.querySelector(".name").textContent}, ${zone}` };
    });
    const found = parts.filter(({ text }) => words.every((word) => text.toLowerCase().includes(word)));
    this.list.replaceChildren(
      ...found.map(({ id, text }) => {
        const row = document.createElement("li");
        const button = document.createElement("button");
        button.type = "button";
        button.className = "w-full text-left px-2 py-1 hover:bg-seam cursor-pointer";
        button.textContent = text;
        button.addEventListener("click", () => {
          this.dialog("find").close();
          this.station.deck.locate([id]);
        });
        row.append(button);
        return row;
      }),
    );
  }
}
