// The plan of a day: a wave is dragged, or moved with the arrow keys; the server holds it against the rules.
const GRID = 5;
const drawing = document.querySelector("[data-day]");

function move(key, minutes, alone) {
  const form = document.querySelector(`[data-move="${CSS.escape(key)}"]`);
  if (!(form instanceof HTMLFormElement) || !minutes) return;
  const field = form.elements.namedItem("by_minutes");
  if (field instanceof HTMLInputElement) field.value = String(minutes);
  if (alone) {
    const mark = document.createElement("input");
    mark.type = "hidden";
    mark.name = "alone";
    mark.value = "yes";
    form.append(mark);
  }
  sessionStorage.setItem("day-focus", key);
  form.requestSubmit();
}

function waveOf(key) {
  return key.split("-")[0];
}

if (drawing instanceof SVGSVGElement) {
  const minuteWidth = Number(drawing.dataset.minute);
  let held = null;

  drawing.addEventListener("keydown", (event) => {
    const slot = event.target instanceof Element ? event.target.closest("[data-slot]") : null;
    if (!(slot instanceof SVGElement) || !["ArrowLeft", "ArrowRight"].includes(event.key)) return;
    event.preventDefault();
    const step = (event.shiftKey ? 6 : 1) * GRID;
    move(slot.dataset.slot, event.key === "ArrowLeft" ? -step : step, event.altKey);
  });

  drawing.addEventListener("pointerdown", (event) => {
    const slot = event.target instanceof Element ? event.target.closest("[data-slot]") : null;
    if (!(slot instanceof SVGElement)) return;
    const alone = event.altKey;
    const key = slot.dataset.slot ?? "";
    const slots = [...drawing.querySelectorAll("[data-slot]")].filter((each) =>
      each instanceof SVGElement && (alone ? each.dataset.slot === key : waveOf(each.dataset.slot ?? "") === waveOf(key)),
    );
    held = { key, alone, from: event.clientX, minutes: 0, slots };
    drawing.setPointerCapture(event.pointerId);
  });

  drawing.addEventListener("pointermove", (event) => {
    if (!held) return;
    const wide = drawing.getBoundingClientRect().width / drawing.viewBox.baseVal.width;
    held.minutes = Math.round((event.clientX - held.from) / wide / minuteWidth / GRID) * GRID;
    for (const each of held.slots) each.setAttribute("transform", `translate(${held.minutes * minuteWidth} 0)`);
  });

  const let_go = () => {
    if (!held) return;
    const { key, minutes, alone, slots } = held;
    held = null;
    if (!minutes) for (const each of slots) each.removeAttribute("transform");
    move(key, minutes, alone);
  };
  drawing.addEventListener("pointerup", let_go);
  drawing.addEventListener("pointercancel", () => {
    for (const each of held?.slots ?? []) each.removeAttribute("transform");
    held = null;
  });

  const before = sessionStorage.getItem("day-focus");
  sessionStorage.removeItem("day-focus");
  const again = before ? drawing.querySelector(`[data-slot="${CSS.escape(before)}"]`) : null;
  if (again instanceof SVGElement) again.focus();
}
