/** The pen: points of drawn curves on the board. Placed, dragged, nudged, inserted, removed, made sharp or smooth. */
import { round, shifted } from "./coordinate_text.js";
import { PLANES, svgElement } from "./drawing_view.js";
import { PenMarks } from "./pen_marks.js";
import { contains, distanceToSegment } from "./plane_places.js";

const REACH_PIXELS = 10;
const NUDGES = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };
const COMMIT_DELAY = 500;
/** The axis that runs out of each plane, and which way the viewer is. */
const OUT = { front: { axis: "y", sign: -1 }, side: { axis: "x", sign: 1 }, plan: { axis: "z", sign: 1 } };

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
    if (drawing && !drawing.points.length && this.edits.mayEdit) this.setPlacing(true);
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
    const drawing = this.drawing();
    this.local = { ...drawing, until: Infinity, ends: [...drawing.ends], angles: [...drawing.angles], points: drawing.points.map((point) => [...point]), raw: drawing.raw.map((texts) => [...texts]) };
    return this.local;
  }

  onDown(event, view) {
    if (event.button !== 0 || !this.edits.mayEdit) return;
    if (this.awaited && this.isPlacing(view.plane)) {
      this.awaited.clicks.push({ view, event });
      return;
    }
    const end = event.target.closest(".end-handle");
    const handle = this.handleUnder(view, event);
    if (end) this.startEnd(view, event, Number(end.dataset.end));
    else if (handle) this.startDrag(view, event, handle);
    else if (this.isPlacing(view.plane)) this.placeAt(view, event);
    else if (event.shiftKey) {
      this.area = { view, free: event.altKey, path: [view.fromEvent(event)] };
      view.svg.setPointerCapture(event.pointerId);
    } else {
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
    const [right, up] = this.snapped(view, event, -1);
    const local = this.take();
    local.points.push([right, up, event.shiftKey, 0, 1]);
    local.raw.push([right, up, 0]);
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
      const [px, py] = view.toScreen(...this.seen(drawing, index, view));
      const distance = Math.hypot(px - x, py - y);
      if (distance > reach) return;
      reach = distance;
      best = view.svg.querySelector(`.handle[data-line="${this.activeLine()}"][data-index="${index}"]`);
    });
    return best;
  }

  onMove(event, view) {
    if (this.area?.view === view) {
      this.area.path.push(view.fromEvent(event));
      this.drawArea();
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
    this.moveBy(view, this.drag.index, this.snapped(view, event, this.drag.index));
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

  drawArea() {
    const { view, free, path } = this.area;
    const screen = path.map((place) => view.toScreen(...place));
    const [a, b] = [screen[0], screen.at(-1)];
    const corners = free ? screen : [a, [b[0], a[1]], b, [a[0], b[1]]];
    view.layers.snaps.replaceChildren(svgElement("polygon", { class: "choice-area", points: corners.map((corner) => corner.join(",")).join(" ") }));
  }

  /** Choose the points of the drawing under the pen inside the box, or the free outline, that was drawn. */
  chooseArea() {
    const { view, free, path } = this.area;
    this.area = null;
    view.layers.snaps.replaceChildren();
    const drawing = this.drawing();
    if (!drawing || path.length < 2) return;
    const [a, b] = [path[0], path.at(-1)];
    const outline = free ? path : [a, [b[0], a[1]], b, [a[0], b[1]]];
    const inside = drawing.points.map((_, index) => index).filter((index) => contains(outline, this.seen(drawing, index, view)));
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
    this.insert(this.nearestGap(view, event), this.snapped(view, event, -1));
  }

  /** @returns {number} the index of the point before the stretch of curve nearest to the pointer */
  nearestGap(view, event) {
    const drawing = this.drawing();
    const [x, y] = view.toScreen(...view.fromEvent(event));
    const places = drawing.points.map((point) => view.toScreen(point[0], point[1]));
    if (drawing.closed) places.push(places[0]);
    let best = [Infinity, 0];
    for (let k = 0; k + 1 < places.length; k += 1) {
      const distance = distanceToSegment([x, y], places[k], places[k + 1]);
      if (distance < best[0]) best = [distance, k];
    }
    return best[1];
  }

  insert(after, [right, up]) {
    const local = this.take();
    local.points.splice(after + 1, 0, [right, up, false, 0, 1]);
    local.raw.splice(after + 1, 0, [right, up, 0]);
    this.pick(after + 1);
    this.commit();
  }

  /** Move a point of the local copy; an expression of sizes keeps its size and gets an offset. */
  moveTo(index, [right, up, out = null]) {
    const { points, raw } = this.local;
    const wanted = [right, up, out ?? points[index][3]];
    const now = [points[index][0], points[index][1], points[index][3]];
    raw[index] = now.map((value, k) => shifted(raw[index][k], value, wanted[k]));
    [points[index][0], points[index][1], points[index][3]] = wanted;
  }

  /** Move all chosen points so that one of them comes to a place of a view. */
  moveBy(view, index, [right, up]) {
    const from = this.seen(this.local, index, view);
    const [dr, du] = [right - from[0], up - from[1]];
    for (const other of this.picked()) {
      const [r, u] = this.seen(this.local, other, view);
      this.moveTo(other, this.fromView(other, view, [round(r + dr), round(u + du)]));
    }
    this.redraw();
  }

  /** @returns {[number, number]} where a point is seen in a view */
  seen(drawing, index, view) {
    const point = drawing.points[index];
    if (view.plane === drawing.plane) return [point[0], point[1]];
    const place = inSpace(point, drawing.plane);
    return [place[PLANES[view.plane].right], place[PLANES[view.plane].up]];
  }

  /** @returns {[number, number, number]} right, up and out of the drawing's own plane, for a place in any view */
  fromView(index, view, [right, up]) {
    const { plane, points } = this.local;
    if (view.plane === plane) return [right, up, points[index][3]];
    const place = inSpace(points[index], plane);
    place[PLANES[view.plane].right] = right;
    place[PLANES[view.plane].up] = up;
    return [place[PLANES[plane].right], place[PLANES[plane].up], OUT[plane].sign * place[OUT[plane].axis]];
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
    if (!this.edits.mayEdit || !this.drawing()) return false;
    if (this.placing && (event.key === "Enter" || event.key === "Escape")) {
      this.setPlacing(false);
      return true;
    }
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
      this.moveTo(index, [round(point[0] + right * step), round(point[1] + up * step)]);
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
    const { points, closed } = this.drawing();
    const after = this.chosen === points.length - 1 && !closed ? this.chosen - 1 : this.chosen;
    if (after < 0) return;
    const [a, b] = [points[after], points[(after + 1) % points.length]];
    this.insert(after, [round((a[0] + b[0]) / 2), round((a[1] + b[1]) / 2)]);
  }

  removeChosen() {
    const local = this.take();
    const gone = new Set(this.picked());
    local.points = local.points.filter((_, index) => !gone.has(index));
    local.raw = local.raw.filter((_, index) => !gone.has(index));
    this.pick(local.points.length ? Math.min(Math.min(...gone), local.points.length - 1) : null);
    this.commit();
  }

  /** Move, turn and scale the chosen points by numbers. @param {{right: number, up: number, turn: number, scale: number, about: string}} by */
  placeChosen({ right, up, turn, scale, about }) {
    const local = this.take();
    const places = this.picked().map((index) => local.points[index]);
    const middle = [0, 1].map((axis) => (Math.min(...places.map((p) => p[axis])) + Math.max(...places.map((p) => p[axis]))) / 2);
    const center = { middle, first: places[0].slice(0, 2), origin: [0, 0] }[about];
    const [c, s] = [Math.cos((turn * Math.PI) / 180) * scale, Math.sin((turn * Math.PI) / 180) * scale];
    for (const index of this.picked()) {
      const [x, y] = [local.points[index][0] - center[0], local.points[index][1] - center[1]];
      this.moveTo(index, [round(center[0] + c * x - s * y + right), round(center[1] + s * x + c * y + up)]);
    }
    this.commit();
  }

  values() {
    return this.local.points.map((point, index) => {
      const [x, y, out] = this.local.raw[index];
      return { x, y, sharp: point[2], ...(out === 0 ? {} : { out }), ...(point[4] === 1 ? {} : { weight: point[4] }) };
    });
  }

  preview() {
    this.board.preview(this.local.line, "points", this.values());
  }

  async commit() {
    clearTimeout(this.timer);
    this.timer = 0;
    this.board.dropPreviews();
    this.redraw();
    const sent = this.local;
    this.pending += 1;
    await this.edits.change({ op: "set", line: sent.line, field: "points", value: JSON.stringify(this.values()) });
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

/** @returns {{x: number, y: number, z: number}} a drawn point in space */
function inSpace([right, up, , out], plane) {
  const { right: r, up: u } = PLANES[plane];
  return { [r]: right, [u]: up, [OUT[plane].axis]: OUT[plane].sign * out };
}
