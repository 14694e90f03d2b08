// Forms marked data-stay: what the server refuses is said beside the field, and what was typed stays.
import { lately, regained } from "./signing.js";
import { _ } from "./words.js";
const NO_ANSWER = _("The server does not answer. What you entered is still here: try again in a moment.");

function clear(form) {
  for (const each of form.querySelectorAll("[data-wrong]")) each.remove();
  for (const each of form.querySelectorAll("[aria-invalid]")) each.removeAttribute("aria-invalid");
}

function say(form, words, name) {
  const line = document.createElement("p");
  line.className = "wrong";
  line.setAttribute("role", "alert");
  line.dataset.wrong = name;
  line.textContent = words;
  const named = name ? form.elements.namedItem(name) : null;
  const field = named instanceof RadioNodeList ? named[0] : named;
  if (!(field instanceof HTMLElement) || field.getAttribute("type") === "hidden") {
    form.append(line);
    return;
  }
  (field.closest("label") ?? field).append(line);
  field.setAttribute("aria-invalid", "true");
  field.focus();
}

async function send(form, submitter) {
  form.setAttribute("aria-busy", "true");
  try {
    const answer = await fetch(form.action, {
      method: "POST",
      body: new FormData(form, submitter),
      headers: { "X-Form": "stay" },
    });
    clear(form);
    const next = answer.headers.get("X-Next");
    if (next) return go(next);
    const told = await answer.json();
    say(form, told.says, told.field);
  } catch {
    clear(form);
    say(form, NO_ANSWER, "");
  } finally {
    form.removeAttribute("aria-busy");
  }
}

// An address on the same page, but for its fragment, is not loaded again by itself.
function go(next) {
  const to = new URL(next, location.href);
  const same = to.pathname === location.pathname && to.search === location.search;
  location.assign(to.href);
  if (same && to.hash) location.reload();
}

// What was typed is not sent into a sign-in that has ended: one signs in first, beside it.
document.addEventListener("submit", (event) => {
  const form = event.target;
  if (!(form instanceof HTMLFormElement) || form.getAttribute("method") !== "post" || form.dataset.signed) return;
  // Whoever leaves, or comes in, has no sign-in to lose.
  if (lately() || /\/sign-(in|out)/.test(form.getAttribute("action") ?? "")) return;
  const submitter = /** @type {SubmitEvent} */ (event).submitter;
  event.preventDefault();
  event.stopImmediatePropagation();
  if (form.dataset.asking) return;
  form.dataset.asking = "now";
  regained().then(() => {
    delete form.dataset.asking;
    form.dataset.signed = "now";
    form.requestSubmit(submitter);
    delete form.dataset.signed;
  });
}, true);

// ? leads to the help about this page, where nothing is being typed and the page has no list of keys of its own.
document.addEventListener("keydown", (event) => {
  const help = document.querySelector("[data-help]");
  const target = /** @type {HTMLElement} */ (event.target);
  if (!help || document.querySelector('[data-dialog="keys"]') || event.key !== "?" || event.ctrlKey || event.altKey || target.matches("input, select, textarea")) return;
  if (!document.querySelector("dialog[open]")) location.assign(help.getAttribute("href"));
});

// A hint that was read goes away at once, and does not come again.
document.addEventListener("submit", (event) => {
  const form = event.target;
  if (!(form instanceof HTMLFormElement) || !form.hasAttribute("data-hint-form")) return;
  event.preventDefault();
  form.hidden = true;
  fetch(form.action, { method: "POST", body: new FormData(form) });
});

document.addEventListener("submit", (event) => {
  const form = event.target;
  if (!(form instanceof HTMLFormElement) || !form.hasAttribute("data-stay")) return;
  event.preventDefault();
  if (form.getAttribute("aria-busy") !== "true") send(form, /** @type {SubmitEvent} */ (event).submitter);
});
