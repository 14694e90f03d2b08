// Prints the page as it stands.
document.querySelector("[data-print]")?.addEventListener("click", () => window.print());
