// Parts of a page marked data-refresh are looked at again now and then, and put in place where they have changed.
// It is said that nobody asks, so that a page that is left open does not keep its sign-in alive.
const PAUSE = 8000;

// Form tokens are another text each time, and say nothing about what is shown.
function shown(part) {
  const copy = part.cloneNode(true);
  for (const token of copy.querySelectorAll("input[name=csrf]")) token.remove();
  return copy.innerHTML.trim();
}

function inUse(part) {
  return part.contains(document.activeElement) || part.querySelector("[aria-busy=true], details[open], [data-wrong]") !== null;
}

async function look() {
  if (document.hidden) return;
  const answer = await fetch(location.href, { headers: { "X-Refresh": "1" } });
  // A sign-in that has ended leads elsewhere: the page stays as it is, and the next click says so.
  if (!answer.ok || answer.redirected) return;
  const fresh = new DOMParser().parseFromString(await answer.text(), "text/html");
  for (const part of document.querySelectorAll("[data-refresh]")) {
    const now = fresh.querySelector(`[data-refresh="${CSS.escape(part.dataset.refresh)}"]`);
    if (now && !inUse(part) && shown(now) !== shown(part)) part.replaceChildren(...document.adoptNode(now).childNodes);
  }
}

if (document.querySelector("[data-refresh]")) {
  setInterval(() => look().catch(() => {}), PAUSE);
  document.addEventListener("visibilitychange", () => look().catch(() => {}));
}
