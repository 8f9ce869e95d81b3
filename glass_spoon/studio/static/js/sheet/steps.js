/** Steps that are folded to their heading. What is folded is remembered for each part in this browser. */
import { Listening, SWAPPED } from "../listening.js";

export class Steps {
  /** @param {HTMLElement} root the bench */
  constructor(root) {
    this.root = root;
    this.listening = new Listening();
    this.place = `folded ${root.dataset.part}`;
    /** Ids of the steps that are folded. @type {Set<string>} */
    this.folded = new Set(read(this.place));
  }

  connect() {
    this.button = /** @type {HTMLElement} */ (this.root.querySelector(".fold-all"));
    this.listening.on(this.root, "click", (event) => {
      const fold = event.target.closest("[data-fold]");
      if (fold) this.fold([fold.dataset.fold], !this.folded.has(fold.dataset.fold));
      else if (event.target.closest(".fold-all")) this.foldAll();
    });
    for (const name of SWAPPED) this.listening.on(document.body, name, () => this.show());
    this.show();
  }

  disconnect() {
    this.listening.end();
  }

  /** @returns {HTMLElement[]} */
  all() {
    return /** @type {HTMLElement[]} */ ([...this.root.querySelectorAll(".step[data-step]")]);
  }

  /** @param {string[]} ids @param {boolean} isFolded */
  fold(ids, isFolded) {
    for (const id of ids) {
      if (isFolded) this.folded.add(id);
      else this.folded.delete(id);
    }
    write(this.place, [...this.folded]);
    this.show();
  }

  /** Fold all steps; unfold them where all are folded. */
  foldAll() {
    const ids = this.all().map((step) => step.dataset.step);
    this.fold(ids, !ids.every((id) => this.folded.has(id)));
  }

  /** Unfold the step that a line stands in. @param {Element} line */
  unfold(line) {
    const step = /** @type {?HTMLElement} */ (line.closest(".step[data-step]"));
    if (step && this.folded.has(step.dataset.step)) this.fold([step.dataset.step], false);
  }

  show() {
    const steps = this.all();
    for (const step of steps) {
      const isFolded = this.folded.has(step.dataset.step);
      step.classList.toggle("is-folded", isFolded);
      step.querySelector(".step-fold").setAttribute("aria-expanded", String(!isFolded));
    }
    this.button.hidden = !steps.length;
    this.button.textContent = steps.length && steps.every((step) => this.folded.has(step.dataset.step)) ? "Unfold all" : "Fold all";
    this.root.dispatchEvent(new CustomEvent("sheet-laid-out"));
  }
}

/** @param {string} place @returns {string[]} */
function read(place) {
  try {
    const kept = JSON.parse(localStorage.getItem(place) ?? "[]");
    return Array.isArray(kept) ? kept.map(String) : [];
  } catch {
    return [];
  }
}

/** @param {string} place @param {string[]} ids */
function write(place, ids) {
  try {
    localStorage.setItem(place, JSON.stringify(ids));
  } catch {
    // a browser that keeps nothing forgets what is folded
  }
}
