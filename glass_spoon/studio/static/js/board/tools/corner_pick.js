/** Numbers at the corners of a curve, or at copies, while values of single ones are typed: a click on one begins its value. */
import { svgElement } from "../views/svg.js";
import { Tool } from "./tool.js";

const RADIUS = 12;

export class CornerPick extends Tool {
  /** @param {Board} board */
  constructor(board) {
    super(board);
    this.keepsFocus = true;
    this.places = [];
    this.input = null;
  }

  /** @param {string} url tells the places and how one is picked @param {HTMLInputElement} input takes their values */
  async start(url, input) {
    this.input = input;
    const answer = await this.board.edits.session.ask(url).catch(() => null);
    if (!answer?.ok || this.input !== input) return;
    const { places, note } = await answer.json();
    this.places = places;
    this.board.note(note);
    this.board.drawings.forEach((view) => this.draw(view));
  }

  disconnect() {
    this.stop();
  }

  stop() {
    if (!this.input) return;
    this.input = null;
    this.places = [];
    this.board.drawings.forEach((view) => this.draw(view));
    this.board.note("");
  }

  /** Draw the numbers in a view. */
  draw(view) {
    if (view.isPicture) return;
    const parts = this.places.map((place, number) => {
      const [x, y] = view.project(place);
      const group = svgElement("g", { class: "corner-number", "data-corner": number + 1, transform: `translate(${x} ${y})` });
      group.append(svgElement("circle", { r: RADIUS }), svgElement("text", { "text-anchor": "middle", y: 4 }, String(number + 1)));
      return group;
    });
    view.layers.corners.replaceChildren(...parts);
  }

  claims({ event }) {
    return Boolean(this.input && event.target.closest(".corner-number"));
  }

  down({ event }) {
    const corner = event.target.closest(".corner-number");
    const before = this.input.value.replace(/[,\s]+$/, "");
    this.input.value = `${before ? `${before}, ` : ""}${corner.dataset.corner}: `;
    this.input.size = Math.max(this.input.size, this.input.value.length + 6);
    this.input.focus();
  }
}
