/** The page of a project: an archive that is ready goes to the downloads by itself. */
document.body.addEventListener("htmx:afterSwap", () => {
  const link = /** @type {?HTMLAnchorElement} */ (document.querySelector("a[data-fetch-now]"));
  if (!link) return;
  delete link.dataset.fetchNow;
  link.click();
});
