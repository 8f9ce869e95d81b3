/** The pen: points of drawn curves on the board. Placed, dragged, nudged, inserted, removed, made sharp or smooth. */
import { round } from "./coordinate_text.js";
import { copyOf, middleBeside, moveTo, moveTogether, nearestGap, placeTogether, putIn, seen, sheetValues, takeOut } from "./drawn_points.js";
import { PenArea } from "./pen_area.js";
import { PenMarks } from "./pen_marks.js";

const REACH_PIXELS = 10;
const NUDGES = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };
const COMMIT_DELAY = 500;
/** Milliseconds within which two clicks are a double one. */
const DOUBLE_CLICK = 500;

export class Pen {
  constructor(root, edits, board) {
    this.root = root;
    this.edits = edits;
    this.board = board;
    this.line = null;
    this.chosen = null;
    this.also = new Set();
    this.placing = false;
    this.drag = null;
    this.local = null;
    this.caught = null;
    this.area = null;
    this.timer = 0;
    this.reminder = "";
    this.pending = 0;
    this.awaited = null;
    this.left = null;
    this.marks = new PenMarks(this);
    this.onMood = () => {};
    this.onPlaceSlip = () => {};
  }

  connect() {
    for (const view of this.board.drawings) {
      view.svg.addEventListener("pointerdown", (event) => this.onDown(event, view));
      view.svg.addEventListener("pointermove", (event) => this.onMove(event, view));
      view.svg.addEventListener("pointerup", () => this.onUp());
      view.svg.addEventListener("pointercancel", () => this.onUp());
      view.svg.addEventListener("dblclick", (event) => this.onDouble(event, view));
    }
  }

  /** @returns {?Object} the drawing under the pen, with its points as they are being changed */
  drawing() {
    if (this.awaited) return null;
    if (this.local) return this.local;
    const all = this.board.extras.drawings;
    return all.find((drawing) => drawing.line === this.line) ?? all.at(-1) ?? null;
  }

  activeLine() {
    return this.drawing()?.line ?? null;
  }

  isPlacing(plane) {
    return this.placing && (this.drawing()?.plane ?? this.plannedPlane()) === plane;
  }

  /** Take the server's points, unless a drag is under way or the model shown is older than the last change made here. */
  update() {
    if (!this.drag && !this.timer && !this.pending && (this.local?.until ?? 0) <= this.board.loadedRevision) this.local = null;
    if (this.awaited && this.hasDrawing(this.awaited.line)) this.takeUp();
    if (this.awaited && !this.plannedPlane()) this.awaited = null;
    if (this.line && !this.awaited && !this.hasDrawing(this.line)) this.line = null;
    const drawing = this.drawing();
    if (drawing && !drawing.points.length && this.edits.mayEdit && this.left !== drawing.line) this.setPlacing(true);
    this.board.drawings.forEach((view) => view.svg.closest(".view").classList.toggle("can-place", this.isPlacing(view.plane)));
    const count = drawing?.points.length ?? 0;
    if (this.chosen !== null && this.chosen >= count) this.chosen = null;
    this.also = new Set([...this.also].filter((index) => index < count));
  }

  /** @returns {number[]} all chosen points of the drawing under the pen */
  picked() {
    return this.chosen === null ? [...this.also] : [...new Set([this.chosen, ...this.also])];
  }

  /** Choose one point alone, or none. @param {?number} index */
  pick(index) {
    this.chosen = index;
    this.also.clear();
  }

  /** Put the pen on a line's points. */
  choose(line) {
    this.awaited = null;
    this.line = line;
    this.pick(null);
    this.onMood("rest");
    this.redraw();
  }

  hasDrawing(line) {
    return this.board.extras.drawings.some((drawing) => drawing.line === line);
  }

  /** Start placing points of a new line. Clicks that come before the board has heard of it are kept for it. */
  begin(line) {
    this.local = null;
    this.left = null;
    this.line = line;
    this.pick(null);
    if (!this.hasDrawing(line)) this.awaited = { line, clicks: [] };
    this.setPlacing(true);
  }

  /** The awaited line has come: the points clicked in the meantime are its own. */
  takeUp() {
    const { line, clicks } = this.awaited;
    this.awaited = null;
    this.line = line;
    this.setPlacing(true);
    for (const { view, event } of clicks) if (this.isPlacing(view.plane)) this.placeAt(view, event);
  }

  togglePlacing() {
    this.left = null;
    if (this.edits.mayEdit && this.drawing()) this.setPlacing(!this.placing);
  }

  setPlacing(placing) {
    this.placing = placing;
    const plane = this.drawing()?.plane ?? this.plannedPlane() ?? "front";
    this.reminder = placing ? `Click in the ${plane} view to place points; Enter when done.` : "";
    this.board.note("");
    this.onMood(placing ? "placing" : this.chosen === null ? "rest" : "chosen");
    this.board.drawings.forEach((view) => view.svg.closest(".view").classList.toggle("can-place", this.isPlacing(view.plane)));
  }

  /** @returns {?string} the plane of the line that is awaited, as the sheet has it */
  plannedPlane() {
    return this.awaited && this.root.querySelector(`.line[data-line="${this.awaited.line}"] [data-field=plane]`)?.value;
  }

  /** A copy of the drawing that may be changed here. */
  take() {
    this.local = copyOf(this.drawing());
    return this.local;
  }

  onDown(event, view) {
    if (event.button !== 0 || !this.edits.mayEdit) return;
    // The second click of a double one on a view's name falls on the view, which has moved under it.
    if (performance.now() - (this.board.toggledAt ?? -Infinity) < DOUBLE_CLICK) return;
    if (this.awaited && this.isPlacing(view.plane)) {
      this.awaited.clicks.push({ view, event });
      return;
    }
    const end = event.target.closest(".end-handle");
    const handle = this.handleUnder(view, event);
    if (end) this.startEnd(view, event, Number(end.dataset.end));
    else if (handle) this.startDrag(view, event, handle);
    else if (this.isPlacing(view.plane)) this.placeAt(view, event);
    else if (event.shiftKey) this.area = new PenArea(view, event);
    else {
      const curve = event.target.closest("[data-curve]");
      if (curve) this.chooseCurve(curve.dataset.curve);
      else if (this.picked().length) {
        this.pick(null);
        this.onMood("rest");
        this.redraw();
      }
    }
  }

  startDrag(view, event, handle) {
    const drawing = this.board.extras.drawings.find((other) => other.line === handle.dataset.line);
    if (drawing?.locked) {
      this.board.note(`${drawing.name} is locked. Unlock it under Curves to move its points.`);
      return;
    }
    const index = Number(handle.dataset.index);
    if (this.line !== handle.dataset.line) this.pick(null);
    this.line = handle.dataset.line;
    if (this.local?.line !== this.line) this.local = null;
    if (event.shiftKey) {
      if (this.picked().includes(index)) {
        this.also.delete(index);
        if (this.chosen === index) this.chosen = this.also.values().next().value ?? null;
      } else {
        if (this.chosen !== null) this.also.add(this.chosen);
        this.chosen = index;
      }
    } else if (this.picked().includes(index)) {
      this.also.add(this.chosen);
      this.chosen = index;
    } else this.pick(index);
    this.placing = false;
    this.drag = { view, index, moved: false };
    this.take();
    view.svg.setPointerCapture(event.pointerId);
    this.onMood("chosen");
    this.redraw();
    this.focusHandle(view);
  }

  placeAt(view, event) {
    const place = this.snapped(view, event, -1);
    const local = this.take();
    putIn(local, local.points.length, place, event.shiftKey);
    this.pick(local.points.length - 1);
    this.caught = null;
    this.commit();
  }

  /** Put the pen on a curve that was clicked, and open its readings. */
  chooseCurve(line) {
    if (this.board.extras.drawings.some((drawing) => drawing.line === line)) this.choose(line);
    if (this.edits.state().curve !== line) this.edits.look({ curve: line });
  }

  /** Start turning the direction of an end. */
  startEnd(view, event, end) {
    this.take();
    this.drag = { view, end, moved: false };
    view.svg.setPointerCapture(event.pointerId);
  }

  moveEnd(view, event) {
    const { end } = this.drag;
    const point = this.local.points.at(end ? -1 : 0);
    const [right, up] = view.fromEvent(event);
    let angle = (Math.atan2(up - point[1], right - point[0]) * 180) / Math.PI;
    if (!event.altKey) angle = Math.round(angle / 5) * 5;
    this.drag.values = end ? { end: "at an angle", end_angle: round(angle) } : { start: "at an angle", start_angle: round(angle) };
    this.local.ends[end] = "at an angle";
    this.local.angles[end] = (angle * Math.PI) / 180;
    this.redraw();
    this.board.previewMany(this.local.line, this.drag.values);
  }

  /** @returns {?Element} the handle meant: of the drawing under the pen the nearest, not the uppermost, where many lie close */
  handleUnder(view, event) {
    const hit = event.target.closest(".handle");
    if (hit && hit.dataset.line !== this.activeLine()) return hit;
    if (!hit && this.isPlacing(view.plane)) return null;
    return this.nearHandle(view, event) ?? hit;
  }

  /** @returns {?Element} the handle within reach of the pointer, for fingers and hasty hands */
  nearHandle(view, event) {
    const [x, y] = view.toScreen(...view.fromEvent(event));
    let best = null;
    let reach = REACH_PIXELS;
    const drawing = this.drawing();
    if (!drawing || !this.isSeen(drawing, view)) return null;
    drawing.points.forEach((_, index) => {
      const [px, py] = view.toScreen(...seen(drawing, index, view));
      const distance = Math.hypot(px - x, py - y);
      if (distance > reach) return;
      reach = distance;
      best = view.svg.querySelector(`.handle[data-line="${this.activeLine()}"][data-index="${index}"]`);
    });
    return best;
  }

  onMove(event, view) {
    if (this.area?.view === view) {
      this.area.move(event);
      return;
    }
    if (!this.drag) {
      if (this.isPlacing(view.plane)) this.hover(view, event);
      return;
    }
    if (this.drag.view !== view) return;
    this.drag.moved = true;
    if (this.drag.end !== undefined) {
      this.moveEnd(view, event);
      return;
    }
    moveTogether(this.local, this.picked(), view, this.drag.index, this.snapped(view, event, this.drag.index));
    this.redraw();
    this.preview();
  }

  /** Show what would catch a point placed here. */
  hover(view, event) {
    this.snapped(view, event, -1);
    view.layers.snaps.replaceChildren(...this.board.snapping.draw(view, this.caught));
  }

  onUp() {
    if (this.area) {
      this.chooseArea();
      return;
    }
    const drag = this.drag;
    this.drag = null;
    this.caught = null;
    this.board.drawings.forEach((view) => view.layers.snaps.replaceChildren());
    if (drag?.moved && drag.end !== undefined) {
      this.commitValues(drag.values);
      return;
    }
    if (drag?.moved) {
      this.commit();
      return;
    }
    if (drag && this.local && !this.pending) this.local.until = this.board.loadedRevision;
    this.update();
    this.redraw();
  }

  /** Choose the points of the drawing under the pen inside the box, or the free outline, that was drawn. */
  chooseArea() {
    const drawing = this.drawing();
    const inside = this.area.finish(drawing);
    this.area = null;
    if (!inside) return;
    this.chosen = inside[0] ?? this.chosen;
    inside.forEach((index) => this.also.add(index));
    this.onMood(this.picked().length ? "chosen" : "rest");
    const count = this.picked().length;
    this.board.note(count > 1 ? `${count} points of ${drawing.name} are chosen. Drag one to move all; T turns, scales or moves them by numbers.` : "");
    this.redraw();
  }

  /** A double click on the curve puts a point there. */
  onDouble(event, view) {
    const drawing = this.drawing();
    const curve = event.target.closest("[data-curve]");
    if (!this.edits.mayEdit || !drawing || drawing.plane !== view.plane || curve?.dataset.curve !== drawing.line) return;
    this.insert(nearestGap(drawing, view, view.toScreen(...view.fromEvent(event))), this.snapped(view, event, -1));
  }

  insert(after, place) {
    putIn(this.take(), after + 1, place);
    this.pick(after + 1);
    this.commit();
  }

  /** @returns {[number, number]} right and up under the pointer, as it is caught */
  snapped(view, event, index) {
    const drawing = this.drawing();
    const before = index < 0 ? drawing?.points.at(-1) : drawing?.points[index - 1];
    const skip = new Set(index < 0 ? [] : this.picked());
    this.caught = this.board.snapping.find(view, event, { from: before && drawing.plane === view.plane ? [before[0], before[1]] : null, line: this.activeLine(), skip });
    return this.caught.place;
  }

  /** @returns {number} the grid in mm at the present zoom */
  gridStep() {
    return this.board.space.niceLength(4);
  }

  /** @returns {boolean} whether the key was meant for the pen */
  onKey(event) {
    if (this.placing && (event.key === "Enter" || event.key === "Escape")) {
      this.left = this.activeLine() ?? this.awaited?.line ?? null;
      this.awaited = null;
      this.setPlacing(false);
      return true;
    }
    if (!this.edits.mayEdit || !this.drawing()) return false;
    const key = event.key.toLowerCase();
    if (key === "a" && event.shiftKey) {
      this.drawing().points.forEach((_, index) => this.also.add(index));
      this.chosen ??= 0;
      this.onMood("chosen");
      this.redraw();
      return true;
    }
    if (this.chosen === null || event.altKey && !NUDGES[event.key]) return false;
    if (key === "t") {
      this.onPlaceSlip();
      return true;
    }
    if (NUDGES[event.key]) this.nudge(NUDGES[event.key], event);
    else if (key === "s") this.toggleSharp();
    else if (key === "i") this.insertBeside();
    else if (key === "delete" || key === "backspace") this.removeChosen();
    else if (key === "escape") {
      this.pick(null);
      this.onMood("rest");
      this.redraw();
    } else return false;
    return true;
  }

  nudge([right, up], event) {
    const local = this.local ?? this.take();
    const step = this.gridStep() * (event.shiftKey ? 10 : event.altKey ? 0.1 : 1);
    for (const index of this.picked()) {
      const point = local.points[index];
      moveTo(local, index, [round(point[0] + right * step), round(point[1] + up * step)]);
    }
    this.redraw();
    this.preview();
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.commit(), COMMIT_DELAY);
  }

  toggleSharp() {
    const { points } = this.take();
    const sharp = !points[this.chosen][2];
    this.picked().forEach((index) => (points[index][2] = sharp));
    this.commit();
  }

  insertBeside() {
    const found = middleBeside(this.drawing(), this.chosen);
    if (found) this.insert(found.after, found.place);
  }

  removeChosen() {
    const picked = this.picked();
    const local = this.take();
    takeOut(local, picked);
    this.pick(local.points.length ? Math.min(...picked, local.points.length - 1) : null);
    this.commit();
  }

  /** Move, turn and scale the chosen points by numbers. @param {{right: number, up: number, turn: number, scale: number, about: string}} by */
  placeChosen(by) {
    placeTogether(this.take(), this.picked(), by);
    this.commit();
  }

  preview() {
    this.board.preview(this.local.line, "points", sheetValues(this.local));
  }

  async commit() {
    clearTimeout(this.timer);
    this.timer = 0;
    this.board.dropPreviews();
    this.redraw();
    const sent = this.local;
    this.pending += 1;
    await this.edits.change({ op: "set", line: sent.line, field: "points", value: JSON.stringify(sheetValues(this.local)) });
    this.pending -= 1;
    if (this.local) this.local.until = Number(this.edits.state().revision);
    this.update();
    this.redraw();
    if (isAtRest(document.activeElement)) this.focusHandle(this.board.drawings.find((view) => view.plane === sent.plane));
  }

  /** Save other fields of the line than its points. */
  async commitValues(values) {
    this.board.dropPreviews();
    const sent = this.local;
    this.pending += 1;
    await this.edits.change({ op: "set_many", line: sent.line, values: JSON.stringify(values) });
    this.pending -= 1;
    if (this.local) this.local.until = Number(this.edits.state().revision);
    this.update();
    this.redraw();
  }

  focusHandle(view) {
    if (this.chosen !== null) view?.svg.querySelector(`.handle[data-line="${this.activeLine()}"][data-index="${this.chosen}"]`)?.focus({ preventScroll: true });
  }

  redraw() {
    this.board.drawings.forEach((view) => {
      view.drawCurves();
      this.marks.drawNet(view);
      this.marks.drawHandles(view);
    });
  }

  /** Whether a drawing's points are shown in a view: on its own plane, or everywhere once one lies out of it. */
  isSeen(drawing, view) {
    return drawing.plane === view.plane || (drawing.line === this.activeLine() && drawing.points.some((point) => point[3] !== 0));
  }

  onFocus(line, index) {
    if (this.activeLine() === line && this.picked().includes(index)) return;
    if (this.local?.line !== line) this.local = null;
    this.line = line;
    this.pick(index);
    this.onMood("chosen");
    this.redraw();
  }
}

/** Whether the focus may be taken: it is nowhere, or on the board already. */
function isAtRest(focused) {
  return !focused || focused === document.body || Boolean(focused.closest(".board"));
}
