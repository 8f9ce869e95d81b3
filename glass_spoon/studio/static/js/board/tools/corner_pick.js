/** Numbers at the corners of a curve, while values of single corners are typed: a click on one begins its value. */
import { PLANES, svgElement } from "../views/drawing_view.js";

const RADIUS = 9;

export class CornerPick {
  /** @param {Object} board */
  constructor(board) {
    this.board = board;
    this.places = [];
    this.input = null;
  }

  connect() {
    for (const kind of ["pointerdown", "mousedown"]) this.board.element.addEventListener(kind, (event) => this.onDown(event), { capture: true });
  }

  /** @param {string} url tells the corners @param {HTMLInputElement} input takes their values */
  async start(url, input) {
    this.input = input;
    this.board.note("Type as 1: 5 mm, 3: 0, or click a corner's number on the board.");
    const answer = await this.board.edits.session.ask(url).catch(() => null);
    if (!answer?.ok || this.input !== input) return;
    this.places = (await answer.json()).places;
    this.board.drawings.forEach((view) => this.draw(view));
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
    const index = { x: 0, y: 1, z: 2 };
    const axes = PLANES[view.plane];
    const parts = this.places.map((place, number) => {
      const [x, y] = view.toScreen(place[index[axes.right]], place[index[axes.up]]);
      const group = svgElement("g", { class: "corner-number", "data-corner": number + 1, transform: `translate(${x} ${y})` });
      group.append(svgElement("circle", { r: RADIUS }), svgElement("text", { "text-anchor": "middle", y: 4 }, String(number + 1)));
      return group;
    });
    view.layers.corners.replaceChildren(...parts);
  }

  onDown(event) {
    const corner = this.input && event.target.closest(".corner-number");
    if (!corner) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    if (event.type !== "pointerdown") return;
    const before = this.input.value.replace(/[,\s]+$/, "");
    this.input.value = `${before ? `${before}, ` : ""}${corner.dataset.corner}: `;
    this.input.size = Math.max(this.input.size, this.input.value.length + 6);
    this.input.focus();
  }
}
