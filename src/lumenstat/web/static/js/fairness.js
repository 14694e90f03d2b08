// Fair before class: flights of the draft begun and followed, beside its proof.
const LOOK_MS = 700;
const panel = document.querySelector("[data-fair]");
const builder = document.querySelector("[data-builder]");

async function told(options = {}) {
  const answer = await fetch(panel.dataset.at, options).catch(() => null);
  const said = answer?.ok && !answer.redirected ? await answer.json() : null;
  if (!said) return;
  // What was opened stays open: only what has changed is written anew.
  const place = panel.querySelector("[data-fair-told]");
  if (place.innerHTML !== said.html) place.innerHTML = said.html;
  panel.querySelector("button").disabled = said.busy;
  if (said.busy) setTimeout(told, LOOK_MS);
}

panel.querySelector("button").addEventListener("click", () => {
  const body = new FormData();
  body.set("csrf", builder.dataset.csrf);
  told({ method: "POST", body });
});
told();
