/** Finds lines by a word, an item, a verb or a value: only those show, whatever is folded, and Enter goes from one to the next. */
import { Listening, SWAPPED } from "../listening.js";

export class FindLines {
  /** @param {HTMLElement} root the bench @param {Stand} stand */
  constructor(root, stand) {
    this.root = root;
        this.stand = stand;
    this.listening = new Listening();
    this.at = -1;
  }

  connect() {
    this.input = /** @type {HTMLInputElement} */ (this.root.querySelector("#find-lines"));
    this.count = this.root.querySelector(".find-count");
    this.lines = this.root.querySelector(".sheet-lines");
    this.listening.on(this.input, "input", () => this.search());
    this.listening.on(this.input, "keydown", (event) => this.onKey(event));
    for (const name of SWAPPED) this.listening.on(document.body, name, () => this.show());
  }

  disconnect() {
    this.listening.end();
  }

  focus() {
    this.input.focus();
    this.input.select();
  }

  onKey(event) {
    if (event.key === "Enter") this.go(event.shiftKey ? -1 : 1);
    else if (event.key === "Escape") this.leave();
    else return;
    event.preventDefault();
  }

  /** Go on to what was found, and show the sheet as it was. */
  leave() {
    const line = this.found()[this.at];
    this.input.value = "";
    this.show();
    this.input.blur();
    if (line) this.stand.onNew(line);
  }

  /** @returns {string[]} the words that are looked for */
  words() {
    return this.input.value.toLowerCase().split(/\s+/).filter(Boolean);
  }

  /** @returns {HTMLElement[]} the lines that hold all the words, also in what goes without saying */
  found() {
    const words = this.words();
    const all = /** @type {HTMLElement[]} */ ([...this.lines.querySelectorAll(".line")]);
    return words.length ? all.filter((line) => words.every((word) => textOf(line).includes(word))) : [];
  }

  search() {
    this.at = -1;
    this.show();
    if (this.found().length) this.go(1);
  }

  show() {
    const found = new Set(this.found());
    const isLooking = this.words().length > 0;
    this.lines.classList.toggle("is-finding", isLooking);
    this.input.parentElement.classList.toggle("is-used", isLooking);
    for (const line of this.lines.querySelectorAll(".line")) line.classList.toggle("is-found", found.has(/** @type {HTMLElement} */ (line)));
    for (const step of this.lines.querySelectorAll(".step")) step.classList.toggle("has-found", Boolean(step.querySelector(".is-found")));
    this.count.textContent = isLooking ? (found.size ? `${this.at + 1 || 1} of ${found.size}` : "none") : "";
  }

  /** @param {number} step to the next or the one before */
  go(step) {
    const found = this.found();
    if (!found.length) return;
    this.at = (this.at + step + found.length) % found.length;
    const line = found[this.at];
    this.lines.querySelectorAll(".is-found-now").forEach((other) => other.classList.remove("is-found-now"));
    line.classList.add("is-found-now");
    line.scrollIntoView({ block: "nearest" });
    this.show();
  }
}

/** @param {HTMLElement} line @returns {string} what its sentence says, each choice by the word that is chosen */
function textOf(line) {
  const prose = /** @type {HTMLElement} */ (line.querySelector(".prose"));
  const walk = (node) => {
    if (node instanceof HTMLSelectElement) return node.selectedOptions[0]?.textContent ?? "";
    return node.nodeType === Node.TEXT_NODE ? node.textContent : [...node.childNodes].map(walk).join("");
  };
  return walk(prose).toLowerCase();
}
