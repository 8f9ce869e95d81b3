/** The pen: points of drawn curves on the board. Placed, dragged, nudged, inserted, removed, made sharp or smooth. */
import { round } from "./coordinate_text.js";
import { DrawingInHand } from "./drawing_in_hand.js";
import { BEGINS_PLACE, DrawBar } from "./draw_bar.js";
import { moveTogether, nearestGap, seen } from "./drawn_points.js";
import { PenArea } from "./pen_area.js";
import { PenMarks } from "./pen_marks.js";
import { Tool } from "./tool.js";

const REACH_PIXELS = 12;
const NUDGES = { arrowleft: [-1, 0], arrowright: [1, 0], arrowup: [0, 1], arrowdown: [0, -1] };
/** Milliseconds within which two clicks are a double one. */
const DOUBLE_CLICK = 500;
/** Pixels within which two clicks are at one place. */
const SAME_PLACE = 5;

export class Pen extends Tool {
  /** @param {Board} board @param {Edits} edits */
  constructor(board, edits) {
    super(board);
    this.edits = edits;
    this.hand = new DrawingInHand(board, edits, () => this.redraw());
    this.placing = false;
    /** What is dragged: a point, or the direction of an end. @type {any} */
    this.drag = null;
    this.caught = null;
    this.area = null;
    /** The line whose placing was ended: it is not begun again by itself. @type {?string} */
    this.left = null;
    this.marks = new PenMarks(this);
    this.bar = new DrawBar(this);
    /** When and where the last point was placed. @type {?{time: number, x: number, y: number}} */
    this.last = null;
    this.acts = {
      t: () => this.onPlaceSlip(),
      s: () => this.after(this.hand.toggleSharp()),
      i: () => this.after(this.hand.insertBeside()),
      delete: () => this.after(this.hand.removeChosen()),
      backspace: () => this.after(this.hand.removeChosen()),
      escape: () => this.dropChoice(),
    };
    this.onPlaceSlip = () => {};
  }

  connect(listening) {
    this.bar.connect(listening);
    listening.on(this.board.element, "focusin", (event) => {
      const point = event.target.closest?.(".drawn-point");
      if (point) this.onFocus(point.dataset.line, Number(point.dataset.index));
    });
  }

  disconnect() {
    this.hand.disconnect();
  }

  activeLine() {
    return this.hand.activeLine();
  }

  picked() {
    return this.hand.picked();
  }

  /** @returns {boolean} whether changes of its own are not saved yet */
  get isSaving() {
    return this.hand.pending > 0;
  }

  /** @param {string} plane @returns {boolean} whether a click in a view of it places a point */
  isPlacing(plane) {
    return this.placing && (this.hand.drawing()?.plane ?? this.plannedPlane()) === plane;
  }

  update() {
    const { hand } = this;
    const { awaited } = hand;
    if (awaited && hand.hasDrawing(awaited.line)) this.takeUp();
    else if (awaited && !this.plannedPlane()) hand.awaited = null;
    if (this.placing && this.isGone()) this.setPlacing(false);
    hand.update(Boolean(this.drag));
    if (this.isEmpty(hand.drawing())) this.setPlacing(true);
    this.showPlacing();
    this.showBar();
  }

  /** @returns {boolean} whether the line that points were placed for is not there any more, as after an undo */
  isGone() {
    const { line, awaited } = this.hand;
    return Boolean(line) && !awaited && !this.hand.hasDrawing(line);
  }

  /** @returns {boolean} whether a drawing waits for its first point */
  isEmpty(drawing) {
    return Boolean(drawing) && !drawing.points.length && this.edits.mayEdit && this.left !== drawing.line;
  }

  showPlacing() {
    this.board.drawings.forEach((view) => view.element.classList.toggle("can-place", this.isPlacing(view.plane)));
  }

  /** Put the pen on a line's points. @param {string} line */
  choose(line) {
    this.hand.awaited = null;
    this.hand.line = line;
    this.dropChoice();
  }

  /** No point is chosen any more. */
  dropChoice() {
    this.hand.pick(null);
    this.mood("rest");
    this.redraw();
  }

  /** Start placing points of a new line. Clicks that come before the board has heard of it are kept for it. @param {string} line */
  begin(line) {
    this.left = null;
    Object.assign(this.hand, { local: null, line, awaited: null });
    this.hand.pick(null);
    if (!this.hand.hasDrawing(line)) this.hand.awaited = { line, clicks: [] };
    this.setPlacing(true);
  }

  /** The awaited line has come: the points clicked in the meantime are its own. */
  takeUp() {
    const { line, clicks } = this.hand.awaited;
    Object.assign(this.hand, { awaited: null, line });
    this.setPlacing(true);
    for (const { view, event } of clicks) if (this.isPlacing(view.plane)) this.placeAt(view, event);
  }

  togglePlacing() {
    this.left = null;
    if (this.edits.mayEdit && this.hand.drawing()) this.setPlacing(!this.placing);
  }

  /** @param {boolean} placing */
  setPlacing(placing) {
    const begins = placing && !this.placing;
    this.placing = placing;
    const { tools } = this.board;
    if (placing) tools.begin(this);
    else tools.end(this);
    if (placing) this.hand.line ??= this.activeLine();
    if (begins) this.board.takeRoom(this.placedIn());
    else if (!placing) this.board.leaveRoom();
    this.showBar();
    this.mood(placing ? "placing" : this.hand.chosen === null ? "rest" : "chosen");
    this.showPlacing();
  }

  /** Hint at the keys of what the hand is at: placing goes on whatever is chosen. @param {"rest" | "placing" | "chosen"} mood */
  mood(mood) {
    this.board.tools.onMood(this.placing ? "placing" : mood);
  }

  /** @returns {DrawingView} the view in which points are placed */
  placedIn() {
    const plane = this.hand.drawing()?.plane ?? this.plannedPlane() ?? "front";
    return this.board.drawings.find((view) => view.plane === plane);
  }

  /** The bar stands in the view in which points are placed. */
  showBar() {
    if (this.placing) this.bar.show(this.placedIn(), this.hand.drawing()?.name ?? "the curve");
    else this.bar.hide();
  }

  /** @returns {?string} the plane of the line that is awaited, as the sheet has it */
  plannedPlane() {
    const { awaited } = this.hand;
    const field = awaited && this.board.root.querySelector(`.line[data-line="${awaited.line}"] [data-field=plane]`);
    return /** @type {?HTMLSelectElement} */ (field)?.value ?? null;
  }

  claims({ event, view }) {
    if (view.isPicture || event.button !== 0 || !this.edits.mayEdit) return false;
    // The second click of a double one on a view's name falls on the view, which has moved under it.
    if (performance.now() - (this.board.toggledAt ?? -Infinity) < DOUBLE_CLICK) return false;
    this.end = event.target.closest(".end-handle, .end-reach");
    this.point = this.pointUnder(view, event);
    return Boolean(this.end || this.point || this.isPlacing(view.plane) || event.shiftKey);
  }

  down({ event, view }) {
    const { awaited } = this.hand;
    if (awaited && this.isPlacing(view.plane)) awaited.clicks.push({ view, event });
    else if (this.end) this.startEnd(view, Number(this.end.dataset.end));
    else if (this.point) this.startDrag(view, event, this.point);
    else if (this.isPlacing(view.plane)) this.placeAt(view, event);
    else this.area = new PenArea(view, event);
  }

  move({ event, view }) {
    if (this.area) this.area.move(event);
    else if (this.drag) this.moveDrag(view, event);
    else this.hover({ event, view });
  }

  moveDrag(view, event) {
    this.drag.moved = true;
    if (this.drag.end !== undefined) {
      this.moveEnd(view, event);
      return;
    }
    const { hand, drag } = this;
    moveTogether(hand.local, hand.picked(), view, drag.index, this.snapped(view, event, drag.index));
    this.redraw();
    hand.preview();
  }

  up() {
    if (this.area) {
      this.chooseArea();
      return;
    }
    const { drag } = this;
    this.drag = null;
    this.caught = null;
    this.board.drawings.forEach((view) => view.layers.snaps.replaceChildren());
    if (!drag) return;
    if (drag.closes && !drag.moved) {
      this.after(this.hand.commitValues({ shape: "closed" }));
      return;
    }
    if (drag.moved) {
      this.after(drag.end === undefined ? this.hand.commit() : this.hand.commitValues(drag.values));
      return;
    }
    this.hand.leave();
    this.update();
    this.redraw();
  }

  /** Show what would catch a point placed here. */
  hover({ event, view }) {
    if (view.isPicture || !this.isPlacing(view.plane)) return false;
    this.snapped(view, event, -1);
    const isHeld = !this.board.tools.holder && event.target.closest(".drawn-point");
    view.layers.snaps.replaceChildren(...this.marks.next(view, /** @type {[number, number]} */ (this.caught.place), isHeld ? this.closesAt(isHeld) : false), ...this.board.snapping.draw(view, this.caught));
    return true;
  }

  /** A click that nobody else took: on a curve it opens its readings, beside all it drops the choice. */
  click({ event, view }) {
    const path = document.elementsFromPoint(event.clientX, event.clientY).map((element) => element.closest("[data-curve]")).find(Boolean);
    const curve = /** @type {?HTMLElement} */ (path);
    if (curve && view.svg.contains(curve)) this.chooseCurve(curve.dataset.curve);
    else if (this.hand.picked().length) this.dropChoice();
  }

  /** Put the pen on a curve that was clicked, and open its readings. */
  chooseCurve(line) {
    if (this.hand.hasDrawing(line)) this.choose(line);
    this.board.handles.standOn(line);
    if (this.edits.state().curve !== line) this.edits.look({ curve: line });
  }

  /** A double click on the curve puts a point there. */
  double({ event, view }) {
    if (this.isPlacing(view.plane)) {
      this.endPlacing();
      return true;
    }
    const drawing = this.hand.drawing();
    const curve = event.target.closest("[data-curve]");
    if (!this.edits.mayEdit || !drawing || drawing.plane !== view.plane || curve?.dataset.curve !== drawing.line) return false;
    this.after(this.hand.insert(nearestGap(drawing, view, view.toScreen(...view.fromEvent(event))), this.snapped(view, event, -1)));
    return true;
  }

  startDrag(view, event, point) {
    const { hand } = this;
    const drawing = this.board.scene.extras.drawings.find((other) => other.line === point.dataset.line);
    if (drawing?.locked) {
      this.board.note(`${drawing.name} is locked. Unlock it under Curves to move its points.`);
      return;
    }
    const index = Number(point.dataset.index);
    hand.turnTo(point.dataset.line);
    const closes = !event.shiftKey && this.closesAt(point);
    if (event.shiftKey) hand.pickAlso(index);
    else hand.grasp(index);
    if (this.placing) this.setPlacing(false);
    this.drag = { index, moved: false, closes };
    hand.take();
    this.mood("chosen");
    this.redraw();
    this.focusPoint(view);
  }

  /** @param {Element} point @returns {boolean} whether a click on a point closes the curve that is being placed: its first one does */
  closesAt(point) {
    const drawing = this.hand.drawing();
    const { line, index } = /** @type {HTMLElement} */ (point).dataset;
    return this.placing && line === drawing?.line && index === "0" && !drawing.closed && drawing.points.length > 2;
  }

  placeAt(view, event) {
    const { last } = this;
    const now = performance.now();
    // The second click of a double one ends placing; it is no point.
    if (last && now - last.time < DOUBLE_CLICK && Math.hypot(event.clientX - last.x, event.clientY - last.y) < SAME_PLACE) return;
    this.last = { time: now, x: event.clientX, y: event.clientY };
    const place = this.snapped(view, event, -1);
    this.caught = null;
    this.after(this.hand.append(place, event.shiftKey));
  }

  /** Put a typed place at the end. @param {string} text @returns {Promise<boolean>} whether it was understood */
  async putTyped(text) {
    const line = this.activeLine() ?? this.hand.awaited?.line;
    if (!line) return false;
    const saved = await this.edits.change({ op: "put_point", line, text });
    this.hand.local = null;
    return saved;
  }

  /** Start turning the direction of an end. */
  startEnd(view, end) {
    this.hand.take();
    this.drag = { end, moved: false };
  }

  moveEnd(view, event) {
    const { end } = this.drag;
    const { local } = this.hand;
    const point = local.points.at(end ? -1 : 0);
    const [right, up] = view.fromEvent(event);
    let angle = (Math.atan2(up - point[1], right - point[0]) * 180) / Math.PI;
    if (!event.altKey) angle = Math.round(angle / 5) * 5;
    this.drag.values = end ? { end: "at an angle", end_angle: round(angle) } : { start: "at an angle", start_angle: round(angle) };
    local.ends[end] = "at an angle";
    local.angles[end] = (angle * Math.PI) / 180;
    this.redraw();
    this.board.feed.preview(local.line, this.drag.values);
  }

  /** @returns {?Element} the point meant: of the drawing under the pen the nearest, not the uppermost, where many lie close */
  pointUnder(view, event) {
    const hit = event.target.closest(".drawn-point");
    if (hit && hit.dataset.line !== this.activeLine()) return hit;
    if (!hit && this.isPlacing(view.plane)) return null;
    return this.nearPoint(view, event) ?? hit;
  }

  /** @returns {?Element} the point within reach of the pointer, for fingers and hasty hands */
  nearPoint(view, event) {
    const [x, y] = view.toScreen(...view.fromEvent(event));
    const drawing = this.hand.drawing();
    if (!drawing || !this.isSeen(drawing, view)) return null;
    let best = null;
    let reach = REACH_PIXELS;
    drawing.points.forEach((_, index) => {
      const [px, py] = view.toScreen(...seen(drawing, index, view));
      const distance = Math.hypot(px - x, py - y);
      if (distance > reach) return;
      reach = distance;
      best = this.pointElement(view, index);
    });
    return best;
  }

  pointElement(view, index) {
    return view?.svg.querySelector(`.drawn-point[data-line="${this.activeLine()}"][data-index="${index}"]`);
  }

  /** Choose the points of the drawing under the pen inside the box, or the free outline, that was drawn. */
  chooseArea() {
    const { hand } = this;
    const drawing = hand.drawing();
    const inside = this.area.finish(drawing);
    this.area = null;
    if (!inside) return;
    hand.chosen = inside[0] ?? hand.chosen;
    inside.forEach((index) => hand.also.add(index));
    this.mood(hand.picked().length ? "chosen" : "rest");
    const count = hand.picked().length;
    this.board.note(count > 1 ? `${count} points of ${drawing.name} are chosen. Drag one to move all; T turns, scales or moves them by numbers.` : "");
    this.redraw();
  }

  /** @returns {number[]} right and up under the pointer, as it is caught */
  snapped(view, event, index) {
    const { hand } = this;
    const drawing = hand.drawing();
    const before = index < 0 ? drawing?.points.at(-1) : drawing?.points[index - 1];
    const skip = new Set(index < 0 ? [] : hand.picked());
    this.caught = this.board.snapping.find(view, event, { from: before && drawing.plane === view.plane ? [before[0], before[1]] : null, line: this.activeLine(), skip });
    return this.caught.place;
  }

  key(event) {
    if (this.placing && this.placingKey(event)) return true;
    if (!this.edits.mayEdit || !this.hand.drawing()) return false;
    const key = event.key.toLowerCase();
    if (key === "a" && event.shiftKey) {
      this.hand.pickAll();
      this.mood("chosen");
      this.redraw();
      return true;
    }
    return this.hand.chosen !== null && this.changeChosen(key, event);
  }

  /** @returns {boolean} whether a key ended placing, or began to type a place */
  placingKey(event) {
    const begins = BEGINS_PLACE.test(event.key) && !event.altKey;
    if (event.key === "Enter" || event.key === "Escape") this.endPlacing();
    else if (begins) this.bar.type(event.key);
    return begins || event.key === "Enter" || event.key === "Escape";
  }

  /** Placing ends, and is not begun again for this line by itself. */
  endPlacing() {
    this.left = this.activeLine() ?? this.hand.awaited?.line ?? null;
    this.hand.awaited = null;
    this.setPlacing(false);
  }

  /** @returns {boolean} whether a key changed the chosen points */
  changeChosen(key, event) {
    if (NUDGES[key]) {
      const step = this.board.snapping.gridStep(this.board.drawings[0]) * (event.shiftKey ? 10 : event.altKey ? 0.1 : 1);
      this.hand.nudge(NUDGES[key][0] * step, NUDGES[key][1] * step);
      return true;
    }
    if (event.altKey || !this.acts[key]) return false;
    this.acts[key]();
    return true;
  }

  /** Move, turn and scale the chosen points by numbers. */
  placeChosen(by) {
    this.after(this.hand.placeChosen(by));
  }

  /** When a change is saved: take what came of it, and give the chosen point the focus again. @param {Promise<void> | undefined} saving */
  async after(saving) {
    const plane = this.hand.local?.plane;
    await saving;
    this.update();
    this.redraw();
    if (isAtRest(document.activeElement)) this.focusPoint(this.board.drawings.find((view) => view.plane === plane));
  }

  focusPoint(view) {
    if (this.hand.chosen !== null) this.pointElement(view, this.hand.chosen)?.focus({ preventScroll: true });
  }

  redraw() {
    this.board.drawings.forEach((view) => {
      view.drawCurves();
      this.draw(view);
    });
  }

  draw(view) {
    if (view.isPicture) return;
    this.marks.drawNet(view);
    this.marks.drawPoints(view);
  }

  /** Whether a drawing's points are shown in a view: on its own plane, or everywhere once one lies out of it. */
  isSeen(drawing, view) {
    return drawing.plane === view.plane || (drawing.line === this.activeLine() && drawing.points.some((point) => point[3] !== 0));
  }

  /** A point got the focus: the pen is on it. */
  onFocus(line, index) {
    const { hand } = this;
    if (this.activeLine() === line && hand.picked().includes(index)) return;
    hand.turnTo(line);
    hand.pick(index);
    this.mood("chosen");
    this.redraw();
  }
}

/** Whether the focus may be taken: it is nowhere, or on the board already. */
function isAtRest(focused) {
  return !focused || focused === document.body || Boolean(focused.closest(".board"));
}
