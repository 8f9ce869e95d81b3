/** A place taken from the board: while a coordinate of a line is typed, a click on the board gives all of its place. */
import { PLANES } from "../views/planes.js";
import { Tool } from "./tool.js";

const FLAT = ["right", "up"];
const SPACE = ["x", "y", "z"];

export class PlacePick extends Tool {
  /** @param {Board} board @param {Edits} edits */
  constructor(board, edits) {
    super(board);
    this.edits = edits;
    this.keepsFocus = true;
    this.wanted = null;
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
    const plane = names === FLAT ? (/** @type {?HTMLSelectElement} */ (this.board.root.querySelector(`select[data-line="${line}"][data-field=plane]`))?.value ?? "front") : null;
    this.wanted = { line, fields, plane, leave };
    this.board.tools.begin(this);
    this.board.note(plane ? `Type it, or click the place in the ${plane} view.` : "Type it, or click the place in a view or on a surface in the picture.");
  }

  disconnect() {
    this.stop();
  }

  stop() {
    if (!this.wanted) return;
    this.wanted = null;
    this.board.tools.end(this);
    this.board.drawings.forEach((view) => view.layers.snaps.replaceChildren());
    this.board.note("");
  }

  hover({ event, view }) {
    if (!this.wanted || view.isPicture || !this.fits(view)) return false;
    view.layers.snaps.replaceChildren(...this.board.snapping.draw(view, this.board.snapping.find(view, event)));
    return true;
  }

  claims({ event, view }) {
    this.values = null;
    if (this.wanted && event.button === 0 && this.fits(view)) this.values = view.isPicture ? this.fromPicture(event) : this.fromView(view, event);
    return this.values !== null;
  }

  down() {
    const { line, leave } = this.wanted;
    leave();
    this.edits.change({ op: "set_many", line, values: JSON.stringify(this.values) });
  }

  /** @returns {boolean} whether a view can give the place: a flat one comes from its own plane alone */
  fits(view) {
    return !this.wanted.plane || this.wanted.plane === view.plane;
  }

  /** @returns {?Object<string, number>} the coordinates that a drawing view gives, by field */
  fromView(view, event) {
    const [right, up] = this.board.snapping.find(view, event).place;
    const { fields, plane } = this.wanted;
    const axes = plane ? { right: "right", up: "up" } : PLANES[view.plane];
    const given = [[fields[axes.right], right], [fields[axes.up], up]].filter(([name]) => name);
    return Object.fromEntries(given);
  }

  /** @returns {?Object<string, number>} the coordinates of the place under the pointer; null beside everything */
  fromPicture(event) {
    const place = this.board.picture.placeAt(event);
    if (!place) return null;
    return Object.fromEntries(Object.entries(this.wanted.fields).map(([axis, name]) => [name, Math.round(place[axis] * 1000) / 1000]));
  }
}
