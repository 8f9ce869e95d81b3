/** The line that is open: the only one that says all it can, where the others leave out what goes without saying. */
import { Listening, SWAPPED } from "../listening.js";
import { plainlyClicked } from "./clicks.js";

export class OpenLine {
  /** @param {HTMLElement} root the bench */
  constructor(root) {
    this.root = root;
    this.listening = new Listening();
    /** The id of the line. */
    this.id = "";
  }

  connect() {
    this.lines = this.root.querySelector(".sheet-lines");
    this.listening.on(this.lines, "click", (event) => this.onClick(event));
    this.listening.on(this.lines, "keydown", (event) => this.onKey(event));
    for (const name of SWAPPED) this.listening.on(document.body, name, () => this.show());
  }

  disconnect() {
    this.listening.end();
  }

  /** A click on the words opens a line; one on a value does not, so that nothing moves under the hand. */
  onClick(event) {
    const more = event.target.closest("[data-open-line]");
    const line = plainlyClicked(event);
    if (more) this.toggle(more.dataset.openLine);
    else if (line) this.open(line.dataset.line);
  }

  /** Escape in the open line closes it. */
  onKey(event) {
    const line = event.target.closest(".line");
    if (event.key !== "Escape" || event.defaultPrevented || line?.dataset.line !== this.id || event.target.matches("input, select, textarea")) return;
    this.open("");
    event.preventDefault();
  }

  /** @param {string} id */
  toggle(id) {
    this.open(id === this.id ? "" : id);
  }

  /** Open a line, and close the one that was; the line stays where it is under the hand. @param {string} id "" for none */
  open(id) {
    if (id === this.id) return;
    const line = this.element(id || this.id);
    const top = line?.getBoundingClientRect().top ?? 0;
    this.id = id;
    this.show();
    if (line) this.lines.scrollTop += line.getBoundingClientRect().top - top;
    this.root.dispatchEvent(new CustomEvent("sheet-laid-out"));
  }

  /** @param {string} id @returns {?HTMLElement} */
  element(id) {
    return id ? this.root.querySelector(`.line[data-line="${id}"]`) : null;
  }

  /** Show which line is open; an answer of the server brings all lines closed. */
  show() {
    const opened = /** @type {HTMLElement[]} */ ([...this.lines.querySelectorAll(".line.is-open")]);
    for (const line of opened) if (line.dataset.line !== this.id) mark(line, false);
    const line = this.element(this.id);
    if (line) mark(line, true);
  }
}

/** @param {HTMLElement} line @param {boolean} isOpen */
function mark(line, isOpen) {
  line.classList.toggle("is-open", isOpen);
  line.querySelector(".line-more")?.setAttribute("aria-expanded", String(isOpen));
}
