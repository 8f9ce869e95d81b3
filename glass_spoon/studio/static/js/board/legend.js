/** The legend of the picture: what its colours, stripes and shared edges mean. */

/** What is said of a mode beside its colours. */
const SAID = {
  sides: "Green faces out, amber is the inside; Flip turns a surface round. ",
  stripes: "Stripes bend where the surface does; a break in them is a kink. ",
};
/** The colours of evenness, by their tokens. */
const EVENNESS = [["small", "half the mean"], ["even", "even"], ["large", "double"]];

export class Legend {
  /** @param {Board} board */
  constructor(board) {
    this.board = board;
    this.element = /** @type {HTMLElement} */ (board.element.querySelector(".legend"));
  }

  show() {
    const { mode } = this.board.scene;
    const { element } = this;
    element.replaceChildren();
    if (SAID[mode]) element.append(SAID[mode]);
    this.board.judging.legend(element);
    if (mode === "evenness") {
      element.append("Face area:");
      for (const [name, words] of EVENNESS) element.append(swatch(`is-${name}`), words);
    }
    element.hidden = !element.childNodes.length;
  }
}

/** @param {string} look a class of board.css @returns {HTMLElement} a small square of colour */
export function swatch(look) {
  const square = document.createElement("span");
  square.className = `legend-swatch ${look}`;
  return square;
}
