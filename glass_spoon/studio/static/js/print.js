/** The print button of pages that are made to be printed. */
document.querySelectorAll("[data-print]").forEach((button) => button.addEventListener("click", () => window.print()));
