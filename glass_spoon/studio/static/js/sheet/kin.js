/** Who made what: the line under the hand lights what it made on the board, and the lines that made and use its items. */
import { Listening } from "../listening.js";

export class Kin {
  /** @param {HTMLElement} root the bench @param {Board} board @param {Stand} stand */
  constructor(root, board, stand) {
    this.root = root;
    this.board = board;
    this.stand = stand;
    this.listening = new Listening();
    /** The line whose kin are lit. @type {?HTMLElement} */
    this.lit = null;
  }

  connect() {
    this.lines = /** @type {HTMLElement} */ (this.root.querySelector(".sheet-lines"));
    this.listening.on(this.lines, "pointerover", (event) => this.light(event.target.closest(".line")));
    this.listening.on(this.lines, "pointerleave", () => this.light(null));
    this.listening.on(this.root, "item-pointed", (event) => this.tell(event.detail));
    this.listening.on(this.root, "item-picked", (event) => this.goTo(event.detail));
  }

  disconnect() {
    this.listening.end();
  }

  /** @returns {HTMLElement[]} */
  all() {
    return /** @type {HTMLElement[]} */ ([...this.lines.querySelectorAll(".line")]);
  }

  /** @param {?HTMLElement} line */
  light(line) {
    if (line === this.lit) return;
    this.lit = line;
    const item = line?.dataset.item ?? "";
    const used = usesOf(line);
    for (const other of this.all()) {
      const isKin = Boolean(line) && other !== line;
      other.classList.toggle("is-maker", isKin && used.includes(other.dataset.line));
      other.classList.toggle("is-user", isKin && usesOf(other).includes(item));
    }
    this.board.light(item);
  }

  /** @param {string} item @returns {{maker: ?HTMLElement, users: string[]}} the line that gives it, and the numbers of those that use it */
  of(item) {
    const numberOf = (line) => line.querySelector(".line-number").textContent;
    const users = this.all().filter((line) => line.dataset.line !== item && usesOf(line).includes(item));
    return { maker: this.all().find((line) => line.dataset.line === item) ?? null, users: users.map(numberOf) };
  }

  /** Say which line made what the hand points at, and which use it. @param {{item: string, place: HTMLElement}} pointed */
  tell({ item, place }) {
    const { maker, users } = this.of(item);
    if (!maker) return;
    const used = users.length ? `, used by line${users.length > 1 ? "s" : ""} ${users.join(", ")}` : "";
    place.append(` · made by line ${maker.querySelector(".line-number").textContent}${used}`);
  }

  /** Go to the line that made what was clicked. @param {string} item */
  goTo(item) {
    const { maker } = this.of(item);
    if (maker) this.stand.onNew(maker);
  }
}

/** @param {?HTMLElement} line @returns {string[]} the items that it uses */
function usesOf(line) {
  return (line?.dataset.uses ?? "").split(" ").filter(Boolean);
}
