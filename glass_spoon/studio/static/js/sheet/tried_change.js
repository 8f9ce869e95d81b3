/** A change of sizes out of the list of those that do not rebuild: shown on the board, made, or left. */
import { Listening } from "../listening.js";

export class TriedChange {
  /** @param {HTMLElement} root the bench @param {Edits} edits @param {Board} board @param {Slip} slip */
  constructor(root, edits, board, slip) {
    this.root = root;
    this.edits = edits;
    this.board = board;
    this.slip = slip;
    this.listening = new Listening();
    this.bar = /** @type {HTMLElement} */ (root.querySelector(".tried-bar"));
    this.at = -1;
    /** What the buttons of the bar do. @type {Object<string, () => void>} */
    this.acts = {
      next: () => this.show(this.at + 1),
      keep: () => this.keep(),
      list: () => this.backToList(),
      end: () => this.end(),
    };
  }

  connect() {
    this.listening.on(this.slip.dialog, "click", (event) => {
      const button = event.target.closest("[data-show-tried]");
      if (button) this.show(Number(button.dataset.showTried));
    });
    this.listening.on(this.bar, "click", (event) => {
      const button = event.target.closest("[data-tried]");
      if (button) this.acts[button.dataset.tried]();
    });
    this.listening.on(document.body, "rebuilt", () => this.hide());
  }

  disconnect() {
    this.listening.end();
  }

  /** @returns {HTMLButtonElement[]} the changes of the list */
  rows() {
    return /** @type {HTMLButtonElement[]} */ ([...this.slip.dialog.querySelectorAll("[data-show-tried]")]);
  }

  /** Show the part as a change would make it, and its line. @param {number} number */
  show(number) {
    const rows = this.rows();
    if (!rows.length) return;
    this.at = number % rows.length;
    const { changes, line, words, told } = rows[this.at].dataset;
    this.slip.dialog.close();
    this.changes = changes;
    this.bar.querySelector("[data-tried-words]").textContent = `Tried, not saved: ${words}.`;
    this.bar.querySelector("[data-tried-told]").textContent = told;
    /** @type {HTMLElement} */ (this.bar.querySelector("[data-tried=next]")).hidden = rows.length < 2;
    this.bar.hidden = false;
    this.board.feed.previewAll(JSON.parse(changes));
    this.point(line);
  }

  /** Bring the line that was changed into sight. @param {string} line */
  point(line) {
    for (const other of this.root.querySelectorAll(".line.is-tried")) other.classList.remove("is-tried");
    const element = line && this.root.querySelector(`.line[data-line="${CSS.escape(line)}"]`);
    if (!element) return;
    element.classList.add("is-tried");
    element.scrollIntoView({ block: "nearest" });
  }

  keep() {
    this.hide();
    this.edits.change({ op: "set_lines", changes: this.changes });
  }

  backToList() {
    this.end();
    this.slip.dialog.showModal();
    this.rows()[this.at]?.focus();
  }

  end() {
    this.hide();
    this.board.load();
  }

  hide() {
    this.bar.hidden = true;
    this.point("");
  }
}
