/** Elements shown in plum because a gauge complains about them or a line worked on them, and each place of them by itself. */
import { Vector3 } from "three";

/** Least reach of a place, as a share of the size of the part: nearer, nothing around it would be seen. */
const LEAST_REACH = 0.015;
/** Reach of a place, as a share of the size of the part, from which it goes round the part: it is seen from everywhere. */
const WIDE_REACH = 0.2;
const _middle = new Vector3();
const _out = new Vector3();

export class Offenders {
  /** @param {Object} board the board */
  constructor(board) {
    this.board = board;
    this.plum = null;
  }

  /**
   * @param {?{item: string, kind: string, indices: number[], total: number, places: number[][]}} found places as rows of
   *   count, x, y, z and reach in mm; null takes away what is shown
   */
  show(found) {
    this.clear();
    const { board } = this;
    const model = found && board.scene.models.get(found.item);
    if (model && found.indices.length) {
      this.plum = board.scene.plum(model, found.kind, found.indices);
      this.found = found;
      this.sayAll();
    } else if (found) board.note("Nothing to show.");
    board.draw();
  }

  clear() {
    this.plum?.remove();
    this.plum = null;
    this.found = null;
    this.goBack = null;
  }

  sayAll() {
    const { total, kind, places, indices } = this.found;
    const some = indices.length < total ? `${indices.length.toLocaleString("en")} of ` : "";
    const words = `${some}${total.toLocaleString("en")} ${kind}${total === 1 ? "" : "s"} shown in plum`;
    const actions = places.length ? [[places.length === 1 ? "Go there" : "Go to each", () => this.visit(0)]] : [];
    this.board.note(places.length > 1 ? `${words}, in ${places.length} places.` : `${words}.`, actions);
  }

  /** Bring one place near, seen from outside. @param {number} number */
  visit(number) {
    if (!this.found) return;
    const { places, kind } = this.found;
    const [count, x, y, z, reach] = places[number];
    const { low, high } = this.board.scene.bounds();
    const size = low.distanceTo(high);
    _middle.set(x, y, z);
    _out.copy(_middle).sub(low.clone().add(high).multiplyScalar(0.5));
    this.goBack ??= this.board.picture.stand();
    this.board.picture.approach(_middle, Math.max(reach, size * LEAST_REACH), reach < size * WIDE_REACH ? _out : null);
    const step = (by) => () => this.visit((number + by + places.length) % places.length);
    const moves = places.length > 1 ? [["Next", step(1)], ["Back", step(-1)]] : [];
    const words = `${count.toLocaleString("en")} ${kind}${count === 1 ? "" : "s"}`;
    this.board.note(places.length > 1 ? `Place ${number + 1} of ${places.length}: ${words}.` : `${words}.`, [...moves, ["Whole part", () => this.leave()]]);
  }

  leave() {
    this.goBack?.();
    this.goBack = null;
    if (this.found) this.sayAll();
  }
}
