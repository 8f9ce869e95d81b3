/** The print button of pages that are made to be printed. */
document.querySelectorAll("[data-print]").forEach((button) => button.addEventListener("click", () => window.print()));
document.querySelector("[data-submits]")?.addEventListener("change", (event) => /** @type {HTMLSelectElement} */ (event.target).form.submit());
