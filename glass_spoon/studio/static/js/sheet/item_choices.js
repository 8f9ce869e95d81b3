/** Fills the list of a reference with the items of its kinds that earlier lines give, when it is about to be opened. */
import { Listening } from "../listening.js";

const EVERY = "every";

export class ItemChoices {
  /** @param {HTMLElement} root the bench */
  constructor(root) {
    this.root = root;
    this.listening = new Listening();
  }

  connect() {
    this.lines = this.root.querySelector(".sheet-lines");
    for (const name of ["pointerdown", "focusin"]) this.listening.on(this.lines, name, (event) => this.fill(event.target));
  }

  disconnect() {
    this.listening.end();
  }

  /** @param {EventTarget} target */
  fill(target) {
    if (!(target instanceof HTMLSelectElement) || !target.dataset.kinds || target.dataset.filled) return;
    target.dataset.filled = "1";
    const kinds = target.dataset.kinds.split(" ");
    const before = this.before(target.dataset.of);
    const items = this.items().filter(([id, kind]) => kinds.includes(kind) && before.has(id));
    const there = new Set([...target.options].map((option) => option.value));
    const last = [...target.options].find((option) => !option.value && !option.selected) ?? null;
    for (const [id, , name] of items) if (!there.has(id)) target.add(new Option(name, id), last);
    if ("every" in target.dataset && items.length > 1 && !there.has(EVERY)) target.add(new Option("every surface", EVERY), last);
  }

  /** @returns {[string, string, string][]} id, kind and name of every item */
  items() {
    return JSON.parse(/** @type {HTMLElement} */ (this.root.querySelector("#sheet")).dataset.items || "[]");
  }

  /** @param {string} id of a line @returns {Set<string>} the lines before it */
  before(id) {
    const found = new Set();
    for (const line of /** @type {NodeListOf<HTMLElement>} */ (this.lines.querySelectorAll(".line"))) {
      if (line.dataset.line === id) break;
      found.add(line.dataset.line);
    }
    return found;
  }
}
