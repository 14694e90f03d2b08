// The builder: every change goes to the server and comes back as the parts of the page; nothing waits for a save.
import { Deck } from "./deck.js";
import { regained } from "./signing.js";
import { _, _n } from "./words.js";

const POLL_MS = 400;
// After the last key a field is sent, and after the last change the model flies the draft.
const TYPED_MS = 700;
const FOLLOW_MS = 300;

class Builder {
  constructor(root) {
    this.root = root;
    this.edition = Number(root.dataset.edition);
    this.selected = root.dataset.selected;
    this.queue = Promise.resolve();
    this.drawn = {};
    this.parts = Object.fromEntries(["head", "script", "inspector", "progress", "proof"].map((name) => [name, document.querySelector(`[data-${name}]`)]));
    this.note = root.querySelector("[data-note]");
    this.pick = document.querySelector("[data-pick-dialog]");
    this.clause = document.querySelector("[data-clause-dialog]");
    this.waive = document.querySelector("[data-waive-dialog]");
    this.overtaken = document.querySelector("[data-overtaken-dialog]");
    this.bind();
    this.headChanged();
    if (root.dataset.busy === "true") this.poll();
    else if (root.dataset.due === "true") this.follow();
  }

  // ---- talking to the server --------------------------------------------------------------------------------------

  send(verb, args = {}, refused = (says) => this.say(says)) {
    this.queue = this.queue.then(() => this.sendNow(verb, args, refused));
    return this.queue;
  }

  async sendNow(verb, args, refused) {
    const body = new FormData();
    for (const [name, value] of Object.entries({ csrf: this.root.dataset.csrf, edition: this.edition, verb, args: JSON.stringify(args), item: this.selected })) body.set(name, value);
    let answer;
    try {
      answer = await fetch(this.root.dataset.edit, { method: "POST", body });
    } catch {
      this.say(_("The desk cannot be reached; this change is not kept. Make it again when the line is back."));
      return;
    }
    // Refused, for the sign-in has ended: once somebody has signed in beside it the same change is made.
    if (answer.status === 403 && (await regained())) return this.sendNow(verb, args, refused);
    const said = await answer.json().catch(() => ({ says: _("The desk did not understand this; load the page again.") }));
    if (answer.ok) this.show(said);
    else if (answer.status === 409) this.tellOvertaken(said, verb, args);
    else refused(said.says);
  }

  async refresh(item = this.selected) {
    const answer = await fetch(`${this.root.dataset.parts}?item=${encodeURIComponent(item)}`);
    // Led to the sign-in page: asked again once somebody has signed in beside this one.
    if (answer.redirected && (await regained())) return this.refresh(item);
    const said = answer.ok && !answer.redirected ? await answer.json() : null;
    if (said && said.edition >= this.edition) this.show(said);
    else if (said) await this.refresh(item);
  }

  show(said, keepFocus = true) {
    const typing = keepFocus ? this.typing() : null;
    const scroll = this.parts.script.scrollTop;
    this.edition = said.edition;
    this.selected = said.selected;
    for (const name of Object.keys(this.parts)) this.draw(name, said);
    this.parts.script.scrollTop = scroll;
    const field = document.querySelector("[data-edition-field]");
    if (field) field.value = said.edition;
    if (typing) this.goOnTyping(typing);
    this.note.hidden = true;
    const count = this.parts.script.querySelectorAll("[data-row-item]").length;
    this.root.querySelector("[data-count]").textContent = _n("{count} item", "{count} items", count);
    this.headChanged();
    this.root.dataset.edition = said.edition;
    if (said.busy && !this.polling) this.poll();
    else if (said.due) this.follow();
  }

  // What is being typed, and where the cursor stands, so that an answer from the server takes nothing from under a hand.
  typing() {
    const element = /** @type {HTMLInputElement} */ (document.activeElement);
    if (!element?.dataset?.field) return null;
    const caret = "selectionStart" in element && element.type !== "checkbox" ? [element.selectionStart, element.selectionEnd] : null;
    return { item: this.selected, field: element.dataset.field, value: element.value, caret };
  }

  goOnTyping({ item, field, value, caret }) {
    const element = this.parts.inspector.querySelector(`[data-field="${CSS.escape(field)}"]`);
    if (!element) return;
    element.focus();
    if (item !== this.selected || element.type === "checkbox" || element.tagName === "SELECT") return;
    if (element.value !== value) {
      element.value = value;
      this.typed(element);
    }
    if (caret?.[0] !== null && caret) element.setSelectionRange(...caret);
  }

  // The proof follows the draft: once nothing is changed any more for a moment, the model flies it.
  follow() {
    clearTimeout(this.following);
    if (this.stoppedAt === this.edition) return;
    this.following = setTimeout(() => this.prove(false, true), FOLLOW_MS);
  }

  typed(element) {
    clearTimeout(this.sending);
    // What is only half typed may be wrong: that is said once the field is left.
    const half = () => delete element.dataset.sent;
    this.sending = setTimeout(() => element.isConnected && this.changed(element, half), TYPED_MS);
  }

  // Only what has changed is drawn anew: a button that is replaced between press and release is never clicked.
  draw(name, said) {
    if (this.drawn[name] === said[name]) return;
    this.drawn[name] = said[name];
    this.parts[name].innerHTML = said[name];
  }

  headChanged() {
    const head = this.parts.head.querySelector("template");
    for (const button of document.querySelectorAll("[data-turn]")) {
      const what = head.dataset[button.dataset.turn === "undo" ? "headUndo" : "headRedo"];
      button.disabled = !what;
      button.title = what ? button.dataset.turn === "undo" ? _("Undo: {what}", { what }) : _("Do again: {what}", { what }) : "";
    }
    const publish = document.querySelector("[data-publish] button");
    publish.disabled = head.dataset.publishable !== "true";
    publish.textContent = head.dataset.stops === "0" ? _("Publish") : _("Publish, {stops} to mend", { stops: head.dataset.stops });
    publish.title = head.dataset.publishable === "true" ? _("Let trainees see it") : _("It can be published once the model has flown it as it stands and nothing stops it");
  }

  say(text) {
    this.note.textContent = text;
    this.note.hidden = false;
  }

  tellOvertaken(said, verb, args) {
    this.overtaken.querySelector("[data-overtaken-says]").textContent = said.says;
    this.overtaken.querySelector("[data-overtaken-mine]").textContent = `${verb}: ${JSON.stringify(args, null, 1)}`;
    this.overtaken.querySelector("[data-overtaken-theirs]").innerHTML = said.theirs.script;
    this.overtaken.querySelector("[data-overtaken-drop]").onclick = () => this.settle(said);
    this.overtaken.querySelector("[data-overtaken-again]").onclick = () => {
      this.settle(said);
      this.send(verb, args);
    };
    this.overtaken.showModal();
  }

  settle(said) {
    this.overtaken.close();
    this.show(said.theirs, false);
  }

  async prove(stop = false, follows = false) {
    const body = new FormData();
    body.set("csrf", this.root.dataset.csrf);
    if (follows) body.set("follows", "yes");
    if (stop) body.set("stop", "yes");
    this.stoppedAt = stop ? this.edition : null;
    await this.queue;
    const answer = await fetch(this.root.dataset.proveAt, { method: "POST", body });
    if (answer.status === 403 && (await regained())) return this.prove(stop, follows);
    if (answer.ok) {
      if (!this.polling) this.poll();
    } else this.say(_("The draft cannot be flown yet; mend what its findings say first."));
  }

  async poll() {
    this.polling = true;
    for (;;) {
      await new Promise((done) => setTimeout(done, POLL_MS));
      const asked = this.selected;
      const answer = await fetch(`${this.root.dataset.parts}?item=${encodeURIComponent(asked)}`);
      if (answer.redirected && (await regained())) continue;
      if (!answer.ok || answer.redirected) break;
      const said = await answer.json();
      if (asked !== this.selected) continue;
      // Asked before the last change and answered after it: the next answer tells of that one. What somebody else
      // changed meanwhile is said when something is changed here, and both are shown.
      if (said.edition < this.edition || (said.edition > this.edition && said.busy)) continue;
      if (said.edition > this.edition) break;
      // While somebody types only the proof is drawn anew, so that nothing is taken from under their hands.
      this.draw("progress", said);
      if (document.activeElement?.dataset?.field) this.draw("proof", said);
      else this.show(said);
      if (!said.busy) {
        this.draw("script", said);
        this.draw("head", said);
        this.headChanged();
        this.polling = false;
        if (said.due) this.follow();
        break;
      }
    }
    this.polling = false;
  }

  // ---- what is done on the page -----------------------------------------------------------------------------------

  bind() {
    document.addEventListener("click", (event) => this.click(event));
    this.parts.inspector.addEventListener("change", (event) => this.changed(event.target));
    this.parts.inspector.addEventListener("input", (event) => {
      const named = event.target.dataset.field === "id";
      if (!named && event.target.matches("input:not([type=checkbox]):not([type=radio]), textarea")) this.typed(event.target);
    });
    this.unwritten = document.querySelector("[data-unwritten-dialog]");
    document.querySelector("[data-publish]").addEventListener("submit", (event) => this.publish(event));
    this.parts.inspector.addEventListener("submit", (event) => this.submitted(event));
    document.querySelector("[data-pick-dialog]").addEventListener("click", (event) => this.picked(event), true);
    document.addEventListener("keydown", (event) => this.key(event));
    this.bindDragging();
    this.bindClause();
    this.waive.querySelector("[data-waive-cancel]").addEventListener("click", () => this.waive.close());
    this.waive.querySelector("[data-waive-form]").addEventListener("submit", (event) => {
      event.preventDefault();
      this.waive.close();
      this.send("waive", { item: this.waive.dataset.item, rule: this.waive.dataset.rule, reason: event.target.elements.reason.value });
    });
  }

  click(event) {
    const hit = (name) => event.target.closest(`[data-${name}]`);
    const item = this.item;
    let found;
    if ((found = hit("bracket"))) this.send("section", { section: found.dataset.bracket, fields: { order: found.dataset.to } });
    else if ((found = hit("select"))) this.refresh(found.dataset.select);
    else if ((found = hit("turn"))) this.send(found.dataset.turn);
    else if ((found = hit("add"))) this.send("add", { kind: found.dataset.add, after: item });
    else if ((found = hit("do"))) this.send(found.dataset.do, { item });
    else if ((found = hit("kind-choice"))) this.send("kind", { item, kind: found.dataset.kindChoice });
    else if ((found = hit("open-pick"))) this.openPick(found.dataset.openPick);
    else if (hit("close-pick")) this.pick.close();
    else if (hit("prove")) this.prove();
    else if (hit("stop-proof")) this.prove(true);
    else if ((found = hit("remedy"))) this.send("remedy", { item: found.dataset.item, fields: JSON.parse(found.dataset.remedy) });
    else if ((found = hit("waive"))) this.askWhy(found.dataset);
    else if ((found = hit("weigh"))) this.send("weigh", { item: found.dataset.weigh, weight: Number(found.dataset.weight), critical: found.dataset.critical === "true" });
    else if ((found = hit("in-place"))) this.send("out-of-place", { control: found.dataset.inPlace, to: "" });
    else if ((found = hit("drop"))) this.send("drop", { list: found.dataset.drop, number: Number(found.dataset.number) });
    else if ((found = hit("append"))) this.send("append", { list: found.dataset.append });
    else if ((found = hit("branch-do"))) this.send("branch", { item, do: found.dataset.branchDo, branch: found.closest("[data-branch]")?.dataset.branch });
    else if ((found = hit("clause"))) this.openClause(found.dataset.clause);
    else if ((found = hit("keep-text"))) this.send("text", { which: found.dataset.keepText, text: document.querySelector(`[data-text="${found.dataset.keepText}"]`).value });
  }

  get item() {
    return this.parts.inspector.querySelector('[data-inspected="item"]')?.dataset.id ?? null;
  }

  publish(event) {
    // What is published is what stands on this page, and nothing that somebody else has made of it since.
    event.target.elements.edition.value = this.edition;
    const count = Number(this.parts.head.querySelector("template").dataset.placeholders);
    if (!count || this.unwritten.returnValue === "publish") return;
    event.preventDefault();
    this.unwritten.querySelector("[data-unwritten-count]").textContent = count === 1 ? "1 text" : `${count} texts`;
    this.unwritten.onclose = () => this.unwritten.returnValue === "publish" && event.target.requestSubmit();
    this.unwritten.showModal();
  }

  changed(element, refused) {
    const name = element.dataset.field;
    if (!name || element.value === element.dataset.sent) return;
    clearTimeout(this.sending);
    if (element.type !== "checkbox") element.dataset.sent = element.value;
    const value = element.type === "checkbox" ? (element.checked ? "true" : "") : element.value;
    const fields = { [name]: value };
    const inspected = this.parts.inspector.querySelector("[data-inspected]").dataset;
    if (element.dataset.set === "exercise") this.send("exercise", { fields }, refused);
    else if (element.dataset.set === "section") this.send("section", { section: inspected.id, fields }, refused);
    else this.send("fields", { item: inspected.id, fields }, refused);
  }

  submitted(event) {
    event.preventDefault();
    this.send("out-of-place", Object.fromEntries(new FormData(event.target)));
  }

  askWhy(data) {
    this.waive.dataset.item = data.item;
    this.waive.dataset.rule = data.waive;
    this.waive.querySelector("[name=reason]").value = "";
    this.waive.showModal();
  }

  key(event) {
    const typing = event.target.matches("input, select, textarea");
    const held = event.ctrlKey || event.metaKey;
    if (held && !typing && event.key.toLowerCase() === "z") this.send(event.shiftKey ? "redo" : "undo");
    else if (held && !typing && event.key.toLowerCase() === "y") this.send("redo");
    else if (event.altKey && ["ArrowUp", "ArrowDown"].includes(event.key) && this.item) this.send("shift", { item: this.item, by: event.key === "ArrowUp" ? -1 : 1 });
    else if (held || event.altKey || typing || document.querySelector("dialog[open]")) return;
    else if (event.key === "P") this.prove();
    else if (event.key === "p") this.openPick("add");
    else if (event.key === "Delete" && this.item) this.send("remove", { item: this.item });
    else if (["ArrowUp", "ArrowDown"].includes(event.key)) this.step(event.key === "ArrowUp" ? -1 : 1);
    else return;
    event.preventDefault();
  }

  step(by) {
    const rows = [...this.parts.script.querySelectorAll("[data-row-item]")];
    const at = rows.findIndex((row) => row.dataset.rowItem === this.selected);
    const next = rows[Math.min(Math.max(at + by, 0), rows.length - 1)];
    if (next) this.refresh(next.dataset.rowItem);
  }

  bindDragging() {
    const script = this.parts.script;
    script.addEventListener("dragstart", (event) => {
      this.dragged = event.target.closest("[data-row-item]")?.dataset.rowItem;
    });
    script.addEventListener("dragover", (event) => {
      const over = event.target.closest("[data-row-item]");
      for (const row of script.querySelectorAll(".drop-below")) row.classList.remove("drop-below");
      if (!over || !this.dragged) return;
      event.preventDefault();
      over.classList.add("drop-below");
    });
    script.addEventListener("drop", (event) => {
      const over = event.target.closest("[data-row-item]");
      if (over && this.dragged && over.dataset.rowItem !== this.dragged) {
        event.preventDefault();
        this.send("move", { item: this.dragged, after: over.dataset.rowItem });
      }
      this.dragged = null;
    });
  }

  // ---- pointing at the deck ---------------------------------------------------------------------------------------

  async openPick(how) {
    this.pick.dataset.how = how;
    if (!this.pick.open) this.pick.showModal();
    if (!this.deck) {
      this.deck = new Deck(this.pick, { mayFly: false });
      for (const part of this.pick.querySelectorAll("[aria-disabled], [disabled]")) {
        part.removeAttribute("aria-disabled");
        part.disabled = false;
      }
      this.pick.addEventListener("keydown", (event) => {
        if (event.key === "Enter" && event.target.matches("[role=slider], [data-instrument], [data-lamp]")) event.target.click();
      });
    }
    const answer = await fetch(`${this.root.dataset.stateAt}?item=${encodeURIComponent(this.item ?? "")}`);
    if (!answer.ok || answer.redirected) return;
    const { quantities, when } = await answer.json();
    this.pick.querySelector("[data-pick-when]").textContent = when;
    this.deck.paint(quantities, quantities);
  }

  picked(event) {
    const hit = (name) => event.target.closest(`[data-${name}]`);
    if (hit("close-pick") || hit("tab")) return;
    let part, name, found;
    if ((found = hit("pick-service"))) [part, name] = ["service", found.dataset.pickService];
    else if ((found = hit("control"))) [part, name] = ["control", found.dataset.control];
    else if ((found = hit("entry"))) [part, name] = ["control", found.dataset.entry];
    else if ((found = hit("instrument"))) [part, name] = ["instrument", found.dataset.instrument];
    else if ((found = hit("lamp"))) [part, name] = ["lamp", found.dataset.lamp];
    else if ((found = hit("part"))) [part, name] = ["control", found.dataset.part];
    if (!part) return;
    event.preventDefault();
    event.stopPropagation();
    const into = this.pick.dataset.how === "into" ? this.item : null;
    this.pick.close();
    this.send("pick", into ? { part, name, into } : { part, name, after: this.item });
  }

  // ---- conditions -------------------------------------------------------------------------------------------------

  openClause(field) {
    this.clause.dataset.field = field;
    this.clauseText.value = this.parts.inspector.querySelector(`[data-field="${CSS.escape(field)}"]`).value;
    this.clause.showModal();
  }

  bindClause() {
    this.clauseText = this.clause.querySelector("[data-clause-text]");
    this.clause.querySelector("[data-clause-form]").addEventListener("submit", (event) => {
      event.preventDefault();
      const { join, quantity, is, value } = Object.fromEntries(new FormData(event.target));
      const written = String(value).trim();
      const figure = written !== "" && !Number.isNaN(Number(written));
      const shown = figure ? written : `"${written}"`;
      const words = is === "" ? quantity : is === "not" ? `not ${quantity}` : `${quantity} ${is} ${shown}`;
      const before = this.clauseText.value.trim();
      this.clauseText.value = before ? `${before} ${join} ${words}` : words;
    });
    this.clause.querySelector("[data-clause-cancel]").addEventListener("click", () => this.clause.close());
    this.clause.querySelector("[data-clause-keep]").addEventListener("click", () => {
      const field = this.parts.inspector.querySelector(`[data-field="${CSS.escape(this.clause.dataset.field)}"]`);
      field.value = this.clauseText.value;
      this.clause.close();
      this.changed(field);
    });
  }
}

const root = document.querySelector("[data-builder]");
if (root) window.builder = new Builder(root);
