/** What the pen draws: the control net, the handles of points, and those that turn the directions of ends. */
import { round } from "./coordinate_text.js";
import { PLANES, svgElement } from "../views/drawing_view.js";
import { seen } from "./drawn_points.js";

const END_PIXELS = 44;

export class PenMarks {
  /** @param {Object} pen */
  constructor(pen) {
    this.pen = pen;
  }

  /** The control net of the drawing under the pen: from point to point, where the points pull the curve. */
  drawNet(view) {
    const drawing = this.pen.drawing();
    if (!drawing || drawing.manner !== "pulled by" || !this.pen.isSeen(drawing, view)) {
      view.layers.net.replaceChildren();
      return;
    }
    const places = drawing.points.map((_, index) => view.toScreen(...seen(drawing, index, view)).join(","));
    const name = drawing.closed ? "polygon" : "polyline";
    view.layers.net.replaceChildren(svgElement(name, { class: "control-net", points: places.join(" ") }));
  }

  /** Draw the handles of all drawings seen in a view. */
  drawHandles(view) {
    const focused = document.activeElement?.closest?.(".handle")?.dataset;
    const refocus = focused && view.layers.handles.contains(document.activeElement) ? { ...focused } : null;
    const parts = [];
    if (this.pen.drag?.view === view && this.pen.caught) view.layers.snaps.replaceChildren(...this.pen.board.snapping.draw(view, this.pen.caught));
    const active = this.pen.activeLine();
    const drawings = this.pen.board.extras.drawings.map((drawing) => (drawing.line === this.pen.local?.line ? this.pen.local : drawing));
    for (const drawing of drawings) {
      if (!this.pen.isSeen(drawing, view)) continue;
      if (drawing.line === active && drawing.plane === view.plane) parts.push(...this.endHandles(view, drawing));
      drawing.points.forEach((point, index) => parts.push(this.handle(view, drawing, [...seen(drawing, index, view), point[2]], index, drawing.line === active)));
    }
    view.layers.handles.replaceChildren(...parts);
    if (refocus) view.layers.handles.querySelector(`[data-line="${refocus.line}"][data-index="${refocus.index}"]`)?.focus({ preventScroll: true });
  }

  /** Handles that turn the direction of both ends of an open curve through points. */
  endHandles(view, drawing) {
    if (drawing.manner !== "through" || drawing.closed || drawing.locked || drawing.points.length < 2 || !this.pen.edits.mayEdit) return [];
    return [0, 1].flatMap((end) => {
      const point = drawing.points.at(end ? -1 : 0);
      const angle = drawing.ends[end] === "at an angle" ? drawing.angles[end] : this.tangentAngle(drawing, end, view);
      if (angle === null) return [];
      const [x, y] = view.toScreen(point[0], point[1]);
      const [hx, hy] = [x + END_PIXELS * Math.cos(angle), y - END_PIXELS * Math.sin(angle)];
      const words = `Direction at the ${end ? "end" : "start"} of ${drawing.name}`;
      return [
        svgElement("line", { class: "end-line", x1: x, y1: y, x2: hx, y2: hy }),
        svgElement("rect", { class: `end-handle${drawing.ends[end] === "free" ? " is-free" : ""}`, x: hx - 4, y: hy - 4, width: 8, height: 8, "data-end": end, "aria-label": words }),
      ];
    });
  }

  /** @returns {?number} the direction of travel at an end of the curve as it is drawn now, in radians */
  tangentAngle(drawing, end, view) {
    const curve = this.pen.board.extras.curves.find((other) => other.id === drawing.line);
    const index = { x: 0, y: 1, z: 2 };
    const [r, u] = [index[PLANES[view.plane].right], index[PLANES[view.plane].up]];
    const point = drawing.points.at(end ? -1 : 0);
    // The curve may hold a mirror image too, so the piece is found by its place: as it runs, or else run backwards.
    for (const [at, from, to] of end ? [[9, 6, 9], [0, 3, 0]] : [[0, 0, 3], [9, 9, 6]]) {
      const piece = curve?.beziers.find((other) => Math.hypot(other[at + r] - point[0], other[at + u] - point[1]) < 1e-2);
      const [dr, du] = piece ? [piece[to + r] - piece[from + r], piece[to + u] - piece[from + u]] : [0, 0];
      if (Math.hypot(dr, du) > 1e-9) return Math.atan2(du, dr);
    }
    return null;
  }

  handle(view, drawing, [right, up, sharp], index, isActive) {
    const [x, y] = view.toScreen(right, up);
    const axes = PLANES[view.plane];
    const size = isActive ? 4.6 : 3.2;
    const chosen = isActive && (index === this.pen.chosen || this.pen.also.has(index));
    const shape = sharp
      ? { d: `M${x} ${y - size * 1.2}L${x + size * 1.15} ${y + size * 0.9}H${x - size * 1.15}Z` }
      : { d: `M${x - size} ${y}a${size} ${size} 0 1 0 ${2 * size} 0a${size} ${size} 0 1 0 ${-2 * size} 0Z` };
    const element = svgElement("path", {
      ...shape,
      class: `handle${isActive ? "" : " is-idle"}${chosen ? " is-chosen" : ""}`,
      "data-line": drawing.line,
      "data-index": index,
      tabindex: this.pen.edits.mayEdit ? 0 : -1,
      role: "button",
      "aria-label": `Point ${index + 1} of ${drawing.name}, ${axes.right} ${round(right)} ${axes.up} ${round(up)} mm${sharp ? ", sharp" : ""}`,
    });
    element.addEventListener("focus", () => this.pen.onFocus(drawing.line, index));
    return element;
  }
}
