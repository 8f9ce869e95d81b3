/**
 * The drawing under the pen: which one it is, which of its points are chosen, and its points while they are being changed.
 *
 * A change is shown at once and told to the server; until the board shows what came of it, the points here count.
 */
import { round } from "./coordinate_text.js";
import { copyOf, middleBeside, moveTo, placeTogether, putIn, sheetValues, takeOut } from "./drawn_points.js";

/** Milliseconds after the last nudge until it is saved. */
const COMMIT_DELAY = 500;

export class DrawingInHand {
  /** @param {Board} board @param {Edits} edits @param {() => void} changed what draws it anew */
  constructor(board, edits, changed) {
    this.board = board;
    this.edits = edits;
    this.changed = changed;
    /** @type {?string} */
    this.line = null;
    /** @type {?number} */
    this.chosen = null;
    /** @type {Set<number>} */
    this.also = new Set();
    /** @type {any} */
    this.local = null;
    /** A line that was just added and that the board has not heard of, with the clicks made for it. @type {?{line: string, clicks: any[]}} */
    this.awaited = null;
    this.timer = 0;
    this.pending = 0;
  }

  /** @returns {any} the drawing, with its points as they are being changed; null for none */
  drawing() {
    if (this.awaited) return null;
    if (this.local) return this.local;
    const all = this.board.scene.extras.drawings;
    return all.find((drawing) => drawing.line === this.line) ?? all.at(-1) ?? null;
  }

  /** @returns {?string} the line of the drawing */
  activeLine() {
    return this.drawing()?.line ?? null;
  }

  hasDrawing(line) {
    return this.board.scene.extras.drawings.some((drawing) => drawing.line === line);
  }

  /** Take the server's points, unless a hand is at them or the model shown is older than the last change made here. @param {boolean} isHeld */
  update(isHeld) {
    const isBusy = isHeld || this.timer || this.pending;
    if (!isBusy && (this.local?.until ?? 0) <= this.board.feed.revision) this.local = null;
    const isKnown = !this.line || this.awaited || this.hasDrawing(this.line);
    if (!isKnown) this.line = null;
    this.keepWithin();
  }

  /** No point is chosen that is not there any more. */
  keepWithin() {
    const count = this.drawing()?.points.length ?? 0;
    if (this.chosen !== null && this.chosen >= count) this.chosen = null;
    this.also = new Set([...this.also].filter((index) => index < count));
  }

  /** What was taken was not changed: the server's points count again when the board shows them. */
  leave() {
    if (this.local && !this.pending) this.local.until = this.board.feed.revision;
  }

  /** @returns {any} a copy of the drawing that may be changed here */
  take() {
    this.local = copyOf(this.drawing());
    return this.local;
  }

  /** Take up another line's drawing. @param {string} line */
  turnTo(line) {
    if (this.line !== line) this.pick(null);
    this.line = line;
    if (this.local?.line !== line) this.local = null;
  }

  /** @returns {number[]} all chosen points */
  picked() {
    return this.chosen === null ? [...this.also] : [...new Set([this.chosen, ...this.also])];
  }

  /** Choose one point alone, or none. @param {?number} index */
  pick(index) {
    this.chosen = index;
    this.also.clear();
  }

  /** Choose a point beside those that are, or take it out of them. @param {number} index */
  pickAlso(index) {
    if (!this.picked().includes(index)) {
      if (this.chosen !== null) this.also.add(this.chosen);
      this.chosen = index;
      return;
    }
    this.also.delete(index);
    if (this.chosen === index) this.chosen = this.also.values().next().value ?? null;
  }

  /** A point is taken by the hand: with others that are chosen, or else alone. @param {number} index */
  grasp(index) {
    if (!this.picked().includes(index)) {
      this.pick(index);
      return;
    }
    if (this.chosen !== null) this.also.add(this.chosen);
    this.chosen = index;
  }

  pickAll() {
    this.drawing().points.forEach((_, index) => this.also.add(index));
    this.chosen ??= 0;
  }

  /** Put a point at the end. @param {number[]} place @param {boolean} sharp */
  append(place, sharp) {
    const local = this.take();
    putIn(local, local.points.length, place, sharp);
    this.pick(local.points.length - 1);
    return this.commit();
  }

  insert(after, place) {
    putIn(this.take(), after + 1, place);
    this.pick(after + 1);
    return this.commit();
  }

  insertBeside() {
    const found = middleBeside(this.drawing(), this.chosen);
    return found ? this.insert(found.after, found.place) : undefined;
  }

  toggleSharp() {
    const { points } = this.take();
    const sharp = !points[this.chosen][2];
    this.picked().forEach((index) => (points[index][2] = sharp));
    return this.commit();
  }

  removeChosen() {
    const picked = this.picked();
    const local = this.take();
    takeOut(local, picked);
    this.pick(local.points.length ? Math.min(...picked, local.points.length - 1) : null);
    return this.commit();
  }

  /** Move, turn and scale the chosen points by numbers. @param {{right: number, up: number, turn: number, scale: number, about: string}} by */
  placeChosen(by) {
    placeTogether(this.take(), this.picked(), by);
    return this.commit();
  }

  /** Move the chosen points a little; saved when the hand rests. @param {number} right mm @param {number} up mm */
  nudge(right, up) {
    const local = this.local ?? this.take();
    for (const index of this.picked()) {
      const point = local.points[index];
      moveTo(local, index, [round(point[0] + right), round(point[1] + up)]);
    }
    this.changed();
    this.preview();
    clearTimeout(this.timer);
    this.timer = window.setTimeout(() => this.commit(), COMMIT_DELAY);
  }

  preview() {
    this.board.feed.preview(this.local.line, { points: sheetValues(this.local) });
  }

  /** Save the points. */
  commit() {
    clearTimeout(this.timer);
    this.timer = 0;
    return this.save({ op: "set", line: this.local.line, field: "points", value: JSON.stringify(sheetValues(this.local)) });
  }

  /** Save other fields of the line than its points. @param {Object<string, unknown>} values */
  commitValues(values) {
    return this.save({ op: "set_many", line: this.local.line, values: JSON.stringify(values) });
  }

  async save(edit) {
    this.board.feed.drop();
    this.changed();
    this.pending += 1;
    await this.edits.change(edit);
    this.pending -= 1;
    if (this.local) this.local.until = Number(this.edits.state().revision);
  }

  disconnect() {
    clearTimeout(this.timer);
    this.timer = 0;
  }
}
