// A sign-in that ends while a page is open: it is said, somebody signs in beside the page, and it goes on as it stands.
const here = document.querySelector("meta[name=signed-in]")?.getAttribute("content") ?? null;
let waiting = null;
let known = performance.now();

// Whether the server said a moment ago that somebody is signed in: then nobody is kept waiting for the question.
export function lately() {
  const mark = document.querySelector("meta[name=signed-in]");
  // A page of nobody has no sign-in to lose.
  return !(mark instanceof HTMLElement) || performance.now() - known < Number(mark.dataset.fresh);
}

async function asked() {
  const answer = await fetch("/sign-in/beside", { headers: { "X-Refresh": "1" } });
  return answer.ok ? answer.json() : null;
}

// Every form of the page gets the token of the new sign-in; without it each would be refused as too old.
function renew(csrf) {
  for (const field of document.querySelectorAll("input[name=csrf]")) field.value = csrf;
  for (const part of document.querySelectorAll("[data-csrf]")) part.dataset.csrf = csrf;
}

function signInBeside(dialog, csrf) {
  const form = dialog.querySelector("[data-signing-form]");
  return new Promise((resolve) => {
    dialog.addEventListener("cancel", (event) => event.preventDefault());
    if (!form) return dialog.showModal();
    form.elements.namedItem("csrf").value = csrf;
    const wrong = form.querySelector("[data-signing-wrong]");
    form.onsubmit = async (event) => {
      event.preventDefault();
      event.stopPropagation();
      const answer = await fetch(form.action, { method: "POST", body: new FormData(form) }).catch(() => null);
      const said = (await answer?.json().catch(() => null)) ?? { says: "" };
      wrong.textContent = said.says;
      wrong.hidden = !said.says;
      if (!answer?.ok) return;
      form.elements.namedItem("password").value = "";
      dialog.close();
      renew((await asked())?.csrf ?? "");
      resolve(true);
    };
    dialog.showModal();
    form.elements.namedItem("sign_in_name").focus();
  });
}

async function regain() {
  const found = await asked().catch(() => null);
  // Nobody answers, or all is well: whoever asked goes on and is told what there is.
  if (!found || String(found.person) === here) {
    known = performance.now();
    return false;
  }
  return signInBeside(document.querySelector("[data-signing]"), found.csrf);
}

// Resolves to whether somebody had to sign in again, once they have; two that ask at once wait for the same dialog.
export function regained() {
  if (here === null) return Promise.resolve(false);
  waiting ??= regain().finally(() => {
    waiting = null;
  });
  return waiting;
}
