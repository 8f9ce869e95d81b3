/** A place taken from the board: while a coordinate of a line is typed, a click on the board gives all of its place. */
import { PLANES } from "../views/drawing_view.js";

const FLAT = ["right", "up"];
const SPACE = ["x", "y", "z"];

export class PlacePick {
  /** @param {Object} board @param {Object} edits */
  constructor(board, edits) {
    this.board = board;
    this.edits = edits;
    this.wanted = null;
    this.taken = false;
  }

  connect() {
    this.board.element.addEventListener("pointerdown", (event) => this.onDown(event), { capture: true });
    // The focus stays where it is after a click that was taken.
    this.board.element.addEventListener("mousedown", (event) => this.taken && event.preventDefault(), { capture: true });
    this.board.element.addEventListener("pointermove", (event) => this.onMove(event));
  }

  /**
   * @param {HTMLElement} chip the coordinate that is typed @param {() => void} leave takes the input away
   */
  start(chip, leave) {
    const { axis, line, field } = chip.dataset;
    const prefix = field.slice(0, field.length - axis.length);
    const has = (name) => name === field || this.board.root.querySelector(`[data-line="${line}"][data-field="${name}"]`);
    const names = FLAT.includes(axis) ? FLAT : SPACE;
    const fields = Object.fromEntries(names.map((name) => [name, prefix + name]).filter(([, name]) => has(name)));
    const plane = names === FLAT ? (this.board.root.querySelector(`select[data-line="${line}"][data-field=plane]`)?.value ?? "front") : null;
    this.wanted = { line, fields, plane, leave };
    this.board.note(plane ? `Type it, or click the place in the ${plane} view.` : "Type it, or click the place in a view or on a surface in the picture.");
  }

  stop() {
    if (!this.wanted) return;
    this.wanted = null;
    this.board.drawings.forEach((view) => view.layers.snaps.replaceChildren());
    this.board.note("");
  }

  onMove(event) {
    const view = this.wanted && this.viewOf(event);
    if (view && this.fits(view)) view.layers.snaps.replaceChildren(...this.board.snapping.draw(view, this.board.snapping.find(view, event)));
  }

  onDown(event) {
    this.taken = false;
    if (!this.wanted || event.button !== 0) return;
    const view = this.viewOf(event);
    const values = view ? this.fromView(view, event) : event.target.closest(".picture-surface") && this.fromPicture(event);
    if (!values) return;
    this.taken = true;
    event.stopImmediatePropagation();
    const { line, leave } = this.wanted;
    leave();
    this.edits.change({ op: "set_many", line, values: JSON.stringify(values) });
  }

  viewOf(event) {
    const svg = event.target.closest?.(".view-drawing");
    return svg && this.board.drawings.find((view) => view.svg === svg);
  }

  fits(view) {
    return !this.wanted.plane || this.wanted.plane === view.plane;
  }

  /** @returns {?Object<string, number>} the coordinates that a drawing view gives, by field */
  fromView(view, event) {
    if (!this.fits(view)) return null;
    const [right, up] = this.board.snapping.find(view, event).place;
    const { fields, plane } = this.wanted;
    const axes = plane ? { right: "right", up: "up" } : PLANES[view.plane];
    const given = [[fields[axes.right], right], [fields[axes.up], up]].filter(([name]) => name);
    return Object.fromEntries(given);
  }

  fromPicture(event) {
    const place = this.wanted.plane ? null : this.board.picture.placeAt(event);
    if (!place) return null;
    return Object.fromEntries(Object.entries(this.wanted.fields).map(([axis, name]) => [name, Math.round(place[axis] * 1000) / 1000]));
  }
}
