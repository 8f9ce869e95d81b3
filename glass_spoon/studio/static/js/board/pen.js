/** The pen: points of drawn curves on the board. Placed, dragged, nudged, inserted, removed, made sharp or smooth. */
import { PLANES, svgElement } from "./drawing_view.js";

const SNAP_PIXELS = 8;
const REACH_PIXELS = 10;
const OFFSET = /^(.*[^\s])\s+[-+]\s+[\d.]+ mm$/;
const NUDGES = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };
const COMMIT_DELAY = 500;

export class Pen {
  constructor(root, edits, board) {
    this.root = root;
    this.edits = edits;
    this.board = board;
    this.line = null;
    this.chosen = null;
    this.placing = false;
    this.drag = null;
    this.local = null;
    this.snaps = [];
    this.timer = 0;
    this.reminder = "";
    this.pending = 0;
    this.onMood = () => {};
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
    if (this.local) return this.local;
    const all = this.board.extras.drawings;
    return all.find((drawing) => drawing.line === this.line) ?? all.at(-1) ?? null;
  }

  activeLine() {
    return this.drawing()?.line ?? null;
  }

  isPlacing(plane) {
    return this.placing && this.drawing()?.plane === plane;
  }

  /** Take the server's points, unless a drag is under way or the model shown is older than the last change made here. */
  update() {
    if (!this.drag && !this.timer && !this.pending && (this.local?.until ?? 0) <= this.board.loadedRevision) this.local = null;
    if (this.line && !this.board.extras.drawings.some((drawing) => drawing.line === this.line)) this.line = null;
    const drawing = this.drawing();
    if (drawing && !drawing.points.length && this.edits.mayEdit) this.setPlacing(true);
    this.board.drawings.forEach((view) => view.svg.closest(".view").classList.toggle("can-place", this.isPlacing(view.plane)));
    if (this.chosen !== null && this.chosen >= (drawing?.points.length ?? 0)) this.chosen = null;
  }

  /** Put the pen on a line's points. */
  choose(line) {
    this.line = line;
    this.chosen = null;
    this.redraw();
  }

  /** Start placing points of a new line. */
  begin(line) {
    this.line = line;
    this.setPlacing(true);
  }

  togglePlacing() {
    if (this.edits.mayEdit && this.drawing()) this.setPlacing(!this.placing);
  }

  setPlacing(placing) {
    this.placing = placing;
    const plane = this.drawing()?.plane ?? "front";
    this.reminder = placing ? `Click in the ${plane} view to place points; Enter when done.` : "";
    this.board.note("");
    this.onMood(placing ? "placing" : this.chosen === null ? "rest" : "chosen");
    this.board.drawings.forEach((view) => view.svg.closest(".view").classList.toggle("can-place", this.isPlacing(view.plane)));
  }

  /** A copy of the drawing that may be changed here. */
  take() {
    const drawing = this.drawing();
    this.local = { ...drawing, until: Infinity, points: drawing.points.map((point) => [...point]), raw: drawing.raw.map((pair) => [...pair]) };
    return this.local;
  }

  onDown(event, view) {
    if (event.button !== 0 || !this.edits.mayEdit) return;
    const handle = event.target.closest(".handle") ?? (this.isPlacing(view.plane) ? null : this.nearHandle(view, event));
    if (handle) {
      this.line = handle.dataset.line;
      if (this.local?.line !== this.line) this.local = null;
      this.chosen = Number(handle.dataset.index);
      this.placing = false;
      this.drag = { index: this.chosen, moved: false };
      this.take();
      view.svg.setPointerCapture(event.pointerId);
      this.onMood("chosen");
      this.redraw();
      this.focusHandle(view);
    } else if (this.isPlacing(view.plane)) {
      const [right, up] = this.snapped(view, event, -1);
      const local = this.take();
      local.points.push([right, up, event.shiftKey]);
      local.raw.push([right, up]);
      this.chosen = local.points.length - 1;
      this.commit();
    } else {
      const curve = event.target.closest("[data-curve]");
      if (curve) this.choose(curve.dataset.curve);
      else if (this.chosen !== null) {
        this.chosen = null;
        this.onMood("rest");
        this.redraw();
      }
    }
  }

  /** @returns {?Element} the handle within reach of the pointer, for fingers and hasty hands */
  nearHandle(view, event) {
    const [x, y] = view.toScreen(...view.fromEvent(event));
    let best = null;
    let reach = REACH_PIXELS;
    this.drawing()?.points.forEach((point, index) => {
      const [px, py] = view.toScreen(point[0], point[1]);
      const distance = Math.hypot(px - x, py - y);
      if (this.drawing().plane !== view.plane || distance > reach) return;
      reach = distance;
      best = view.svg.querySelector(`.handle[data-line="${this.activeLine()}"][data-index="${index}"]`);
    });
    return best;
  }

  onMove(event, view) {
    if (!this.drag || this.local?.plane !== view.plane) return;
    this.drag.moved = true;
    this.moveTo(this.drag.index, this.snapped(view, event, this.drag.index));
    this.preview();
  }

  onUp() {
    const drag = this.drag;
    this.drag = null;
    this.snaps = [];
    if (drag?.moved) {
      this.commit();
      return;
    }
    if (drag && this.local && !this.pending) this.local.until = this.board.loadedRevision;
    this.update();
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
    local.points.splice(after + 1, 0, [right, up, false]);
    local.raw.splice(after + 1, 0, [right, up]);
    this.chosen = after + 1;
    this.commit();
  }

  /** Move a point of the local copy; an expression of sizes keeps its size and gets an offset. */
  moveTo(index, [right, up]) {
    const { points, raw } = this.local;
    raw[index] = [shifted(raw[index][0], points[index][0], right), shifted(raw[index][1], points[index][1], up)];
    points[index][0] = right;
    points[index][1] = up;
    this.redraw();
  }

  /** @returns {[number, number]} right and up under the pointer, caught by points, axes and the grid unless Alt is held */
  snapped(view, event, index) {
    const place = view.fromEvent(event);
    this.snaps = [];
    if (event.altKey) return place.map((value) => Math.round(value * 1000) / 1000);
    const reach = SNAP_PIXELS / this.board.space.zoom;
    const grid = this.gridStep();
    const others = this.board.extras.drawings.flatMap((drawing) =>
      drawing.plane === view.plane ? drawing.points.filter((_, number) => drawing.line !== this.activeLine() || number !== index) : []);
    return place.map((value, axis) => {
      const marks = [0, ...others.map((point) => point[axis])];
      const near = marks.reduce((best, mark) => (Math.abs(mark - value) < Math.abs(best - value) ? mark : best), Infinity);
      if (Math.abs(near - value) <= reach) {
        this.snaps.push([axis, near]);
        return near;
      }
      return Math.round(Math.round(value / grid) * grid * 1000) / 1000;
    });
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
    if (this.chosen === null || event.altKey && !NUDGES[event.key]) return false;
    const key = event.key.toLowerCase();
    if (NUDGES[event.key]) this.nudge(NUDGES[event.key], event);
    else if (key === "s") this.toggleSharp();
    else if (key === "i") this.insertBeside();
    else if (key === "delete" || key === "backspace") this.removeChosen();
    else if (key === "escape") {
      this.chosen = null;
      this.onMood("rest");
      this.redraw();
    } else return false;
    return true;
  }

  nudge([right, up], event) {
    const local = this.local ?? this.take();
    const step = this.gridStep() * (event.shiftKey ? 10 : event.altKey ? 0.1 : 1);
    const point = local.points[this.chosen];
    this.moveTo(this.chosen, [round(point[0] + right * step), round(point[1] + up * step)]);
    this.preview();
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.commit(), COMMIT_DELAY);
  }

  toggleSharp() {
    const point = this.take().points[this.chosen];
    point[2] = !point[2];
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
    local.points.splice(this.chosen, 1);
    local.raw.splice(this.chosen, 1);
    this.chosen = local.points.length ? Math.min(this.chosen, local.points.length - 1) : null;
    this.commit();
  }

  values() {
    return this.local.points.map((point, index) => ({ x: this.local.raw[index][0], y: this.local.raw[index][1], sharp: point[2] }));
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

  focusHandle(view) {
    if (this.chosen !== null) view?.svg.querySelector(`.handle[data-line="${this.activeLine()}"][data-index="${this.chosen}"]`)?.focus({ preventScroll: true });
  }

  redraw() {
    this.board.drawings.forEach((view) => {
      view.drawCurves();
      this.drawHandles(view);
    });
  }

  /** Draw the handles of all drawings of a view's plane. */
  drawHandles(view) {
    const focused = document.activeElement?.closest?.(".handle")?.dataset;
    const refocus = focused && view.layers.handles.contains(document.activeElement) ? { ...focused } : null;
    const parts = this.drag && this.local?.plane === view.plane ? this.snaps.map(([axis, value]) => snapLine(view, axis, value)) : [];
    const active = this.activeLine();
    const drawings = this.board.extras.drawings.map((drawing) => (drawing.line === this.local?.line ? this.local : drawing));
    for (const drawing of drawings) {
      if (drawing.plane !== view.plane) continue;
      drawing.points.forEach((point, index) => parts.push(this.handle(view, drawing, point, index, drawing.line === active)));
    }
    view.layers.handles.replaceChildren(...parts);
    if (refocus) view.layers.handles.querySelector(`[data-line="${refocus.line}"][data-index="${refocus.index}"]`)?.focus({ preventScroll: true });
  }

  handle(view, drawing, [right, up, sharp], index, isActive) {
    const [x, y] = view.toScreen(right, up);
    const axes = PLANES[view.plane];
    const size = isActive ? 4.6 : 3.2;
    const chosen = isActive && index === this.chosen;
    const shape = sharp
      ? { d: `M${x} ${y - size * 1.2}L${x + size * 1.15} ${y + size * 0.9}H${x - size * 1.15}Z` }
      : { d: `M${x - size} ${y}a${size} ${size} 0 1 0 ${2 * size} 0a${size} ${size} 0 1 0 ${-2 * size} 0Z` };
    const element = svgElement("path", {
      ...shape,
      class: `handle${isActive ? "" : " is-idle"}${chosen ? " is-chosen" : ""}`,
      "data-line": drawing.line,
      "data-index": index,
      tabindex: this.edits.mayEdit ? 0 : -1,
      role: "button",
      "aria-label": `Point ${index + 1} of ${drawing.name}, ${axes.right} ${round(right)} ${axes.up} ${round(up)} mm${sharp ? ", sharp" : ""}`,
    });
    element.addEventListener("focus", () => this.onFocus(drawing.line, index));
    return element;
  }

  onFocus(line, index) {
    if (this.chosen === index && this.activeLine() === line) return;
    if (this.local?.line !== line) this.local = null;
    this.line = line;
    this.chosen = index;
    this.onMood("chosen");
    this.redraw();
  }
}

/** Whether the focus may be taken: it is nowhere, or on the board already. */
function isAtRest(focused) {
  return !focused || focused === document.body || Boolean(focused.closest(".board"));
}

function round(value) {
  return Math.round(value * 1000) / 1000;
}

/** The text of a coordinate after a move: plain numbers are replaced, expressions keep their sizes. */
function shifted(raw, before, after) {
  if (typeof raw === "number" || /^\s*-?[\d.]+\s*(mm)?\s*$/.test(raw)) return round(after);
  if (Math.abs(after - before) < 1e-9) return raw;
  const match = OFFSET.exec(raw);
  const base = match ? match[1] : raw;
  const old = match ? Number(raw.slice(base.length).replace(/[\s+m]/g, "")) : 0;
  const offset = round(old + after - before);
  if (offset === 0) return base;
  return `${base} ${offset < 0 ? "-" : "+"} ${Math.abs(offset)} mm`;
}

function snapLine(view, axis, value) {
  const [x, y] = view.toScreen(value, value);
  return axis === 0
    ? svgElement("line", { class: "snap-line", x1: x, x2: x, y1: 0, y2: view.svg.clientHeight })
    : svgElement("line", { class: "snap-line", y1: y, y2: y, x1: 0, x2: view.svg.clientWidth });
}

function distanceToSegment([x, y], [x1, y1], [x2, y2]) {
  const [dx, dy] = [x2 - x1, y2 - y1];
  const share = Math.max(0, Math.min(1, ((x - x1) * dx + (y - y1) * dy) / (dx * dx + dy * dy || 1)));
  return Math.hypot(x - x1 - share * dx, y - y1 - share * dy);
}
