/** The page of verbs: only those with all typed words show. */
const field = /** @type {HTMLInputElement} */ (document.querySelector("#find-verb"));
const cards = /** @type {HTMLElement[]} */ ([...document.querySelectorAll(".verb-card")]);

function find() {
  const words = field.value.toLowerCase().split(/\s+/).filter(Boolean);
  for (const card of cards) card.hidden = !words.every((word) => card.dataset.words.includes(word));
  for (const chapter of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll(".verb-chapter"))) chapter.hidden = !chapter.querySelector(".verb-card:not([hidden])");
  const count = cards.filter((card) => !card.hidden).length;
  document.querySelector("#found-verbs").textContent = words.length ? `${count} of ${cards.length}` : "";
  /** @type {HTMLElement} */ (document.querySelector("#no-verbs")).hidden = count > 0;
}

field.addEventListener("input", find);
field.form.addEventListener("submit", (event) => event.preventDefault());
find();
// A link to a verb opens its values too.
document.querySelector(`${window.location.hash || "#none"} details`)?.setAttribute("open", "");
