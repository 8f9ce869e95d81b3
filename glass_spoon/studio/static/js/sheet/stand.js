/**
 * The line one stands on: the next one is added behind it, and what is likely to come next is offered there.
 *
 * The finder is one element and stays where it is in the document, with its focus and its text; only where it is drawn
 * changes: over a room that is left for it behind the line.
 */
import { Listening, SWAPPED } from "../listening.js";
import { plainlyClicked } from "./clicks.js";

export class Stand {
  /** @param {HTMLElement} root the bench @param {Edits} edits @param {Board} board @param {Steps} steps */
  constructor(root, edits, board, steps) {
    this.root = root;
    this.edits = edits;
    this.board = board;
    this.steps = steps;
    this.listening = new Listening();
    /** The id of the line, "" at the end of the sheet. */
    this.id = "";
    /** The lines that were there before one that is added; null where none is awaited. @type {?Set<string>} */
    this.awaited = null;
  }

  connect() {
    this.lines = /** @type {HTMLElement} */ (this.root.querySelector(".sheet-lines"));
    this.finder = /** @type {?HTMLElement} */ (this.root.querySelector(".finder"));
    if (!this.finder) return;
    this.offers = /** @type {HTMLElement} */ (this.finder.querySelector(".next-offers"));
    this.end = /** @type {HTMLElement} */ (this.root.querySelector(".add-at-end"));
    this.listening.on(this.lines, "click", (event) => this.onClick(event));
    for (const name of SWAPPED) this.listening.on(document.body, name, () => this.show());
    this.listening.on(this.root, "sheet-laid-out", () => this.show());
    // Whatever makes a line taller, the finder stays behind its own.
    this.observer = new ResizeObserver(() => this.place());
    this.show();
  }

  disconnect() {
    this.listening.end();
    this.observer?.disconnect();
  }

  /** @returns {string} the id of the line behind which the next one goes, "" for the end */
  get behind() {
    return this.edits.state().shown_after || (this.element(this.id) ? this.id : "");
  }

  onClick(event) {
    const button = event.target.closest("[data-add-behind], .add-at-end, .next-offer");
    const line = plainlyClicked(event);
    if (button?.matches(".next-offer")) this.take(button.dataset.verb);
    else if (button) this.addBehind(button.dataset.addBehind ?? "");
    else if (line) this.on(line.dataset.line);
  }

  /** @param {string} id */
  addBehind(id) {
    this.on(id);
    /** @type {HTMLElement} */ (this.finder.querySelector("#next-line")).focus();
  }

  /** Stand on a line. @param {string} id "" for the end of the sheet */
  on(id) {
    this.awaited = null;
    this.id = id;
    this.show();
  }

  /** Stand on a line that was just added, in view. @param {?HTMLElement} line */
  onNew(line) {
    if (!line) return;
    this.steps.unfold(line);
    this.on(line.dataset.line);
    line.scrollIntoView({ block: "nearest" });
    if (!this.finder) return;
    this.room?.scrollIntoView({ block: "nearest" });
    this.board.handles.standOn(line.dataset.line);
  }

  /** Add an offered line. @param {string} verb */
  async take(verb) {
    const known = this.known();
    if (await this.edits.change({ op: "next", verb, after: this.offered.dataset.line })) this.onAdded(known);
  }

  /**
   * Stand on the line that was added; where the part is still being built, when it is there.
   * @param {Set<string>} known the lines that were there before @returns {?HTMLElement} the line
   */
  onAdded(known) {
    const line = this.added(known);
    this.awaited = line ? null : known;
    this.onNew(line);
    return line;
  }

  /** @returns {Set<string>} the lines that are there */
  known() {
    return new Set([...this.root.querySelectorAll(".line")].map((line) => /** @type {HTMLElement} */ (line).dataset.line));
  }

  /** @param {Set<string>} known @returns {?HTMLElement} the last line that was not there */
  added(known) {
    return /** @type {HTMLElement[]} */ ([...this.root.querySelectorAll(".line")]).filter((line) => !known.has(line.dataset.line)).at(-1) ?? null;
  }

  /** @param {string} id @returns {?HTMLElement} */
  element(id) {
    return id ? this.root.querySelector(`.line[data-line="${id}"]`) : null;
  }

  /** @returns {boolean} whether a line that was awaited is there by now, and is stood on */
  standOnAwaited() {
    const line = this.awaited && this.added(this.awaited);
    if (!line) return false;
    this.awaited = null;
    this.onNew(line);
    return true;
  }

  /** Draw the finder behind the line, or at the end of the sheet. */
  show() {
    if (!this.finder || this.standOnAwaited()) return;
    this.lines.querySelectorAll(".finder-room, .line.is-stood").forEach((element) => {
      if (element.matches(".finder-room")) element.remove();
      else element.classList.remove("is-stood");
    });
    const line = this.element(this.behind);
    const all = /** @type {HTMLElement[]} */ ([...this.lines.querySelectorAll(".line")]);
    const isPlaced = Boolean(line && line !== all.at(-1) && line.offsetParent);
    this.offered = line ?? all.at(-1) ?? null;
    this.offer();
    line?.classList.add("is-stood");
    this.finder.classList.toggle("is-placed", isPlaced);
    this.end.hidden = !isPlaced;
    this.room = null;
    const input = /** @type {HTMLInputElement} */ (this.finder.querySelector("#next-line"));
    input.placeholder = isPlaced ? `Add behind line ${line.querySelector(".line-number").textContent}…` : "Add the next line…";
    this.finder.style.top = "";
    if (!isPlaced) return;
    this.room = document.createElement("li");
    this.room.className = "finder-room";
    this.room.setAttribute("aria-hidden", "true");
    line.after(this.room);
    const closed = this.finder.querySelector(".finder-box").getBoundingClientRect().height + this.offers.getBoundingClientRect().height;
    this.room.style.height = `${Math.ceil(closed) + 22}px`;
    this.place();
    this.observer.disconnect();
    this.observer.observe(this.root.querySelector("#sheet"));
  }

  /** Draw the finder over its room. */
  place() {
    if (!this.room?.isConnected) return;
    this.finder.style.top = `${this.room.getBoundingClientRect().top - this.lines.getBoundingClientRect().top + this.lines.scrollTop + 14}px`;
  }

  /** Show what is likely to come next. */
  offer() {
    const offers = JSON.parse(this.offered?.dataset.offers ?? "[]");
    this.offers.replaceChildren(...offers.map(([verb, words]) => {
      const button = document.createElement("button");
      button.type = "button";
      button.className = "next-offer";
      button.dataset.verb = verb;
      button.textContent = words;
      button.title = `Add: ${words}`;
      return button;
    }));
  }
}
