// Lists and choices: one tick for all, and / for the search.
for (const all of document.querySelectorAll("[data-tick-all]")) {
  const boxes = () => [...all.closest("form").querySelectorAll("input[type=checkbox]:not([data-tick-all])")];
  const agree = () => (all.checked = boxes().length > 0 && boxes().every((box) => box.checked));
  all.addEventListener("change", () => boxes().forEach((box) => (box.checked = all.checked)));
  all.closest("form").addEventListener("change", (event) => event.target !== all && agree());
  agree();
}

document.addEventListener("keydown", (event) => {
  if (event.key !== "/" || event.ctrlKey || event.metaKey || event.target.matches("input, select, textarea")) return;
  const search = document.querySelector("[data-search]");
  if (!search) return;
  event.preventDefault();
  search.focus();
});
