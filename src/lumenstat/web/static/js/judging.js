// Something under way, a run being judged or a lesson made ready: how far it is, and the page as soon as it is there.
import { _ } from "./words.js";
const line = document.querySelector("[data-judging]");
const bar = document.querySelector("progress");

async function look() {
  try {
    const answer = await fetch(line.dataset.judging, { headers: { accept: "application/json" } });
    if (answer.ok) {
      const progress = await answer.json();
      if (progress.over) return window.location.assign(line.dataset.debrief);
      line.textContent = progress.words;
      bar.value = progress.share;
    }
  } catch {
    line.textContent = _("the server does not answer; trying again");
  }
  setTimeout(look, 500);
}

if (line) setTimeout(look, 500);
