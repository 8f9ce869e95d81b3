/** What the pen draws: the control net, the points themselves, and handles that turn the directions of ends. */
import { shown, unit } from "../../unit.js";
import { round } from "./coordinate_text.js";
import { axesOf, PLANES } from "../views/planes.js";
import { svgElement } from "../views/svg.js";
import { seen } from "./drawn_points.js";

const END_PIXELS = 44;
/** Pixels around a handle that take it. */
const REACH = 12;

export class PenMarks {
  /** @param {Object} pen */
  constructor(pen) {
    this.pen = pen;
  }

  /** The control net of the drawing under the pen: from point to point, where the points pull the curve. */
  drawNet(view) {
    const drawing = this.pen.hand.drawing();
    if (!drawing || drawing.manner !== "pulled by" || !this.pen.isSeen(drawing, view)) {
      view.layers.net.replaceChildren();
      return;
    }
    const places = drawing.points.map((_, index) => view.toScreen(...seen(drawing, index, view)).join(","));
    const name = drawing.closed ? "polygon" : "polyline";
    view.layers.net.replaceChildren(svgElement(name, { class: "control-net", points: places.join(" ") }));
  }

  /** Draw the points of all drawings seen in a view. */
  drawPoints(view) {
    const { points, snaps } = view.layers;
    const { pen } = this;
    const focused = /** @type {?HTMLElement} */ (document.activeElement?.closest?.(".drawn-point"));
    const refocus = focused && points.contains(focused) ? `[data-line="${focused.dataset.line}"][data-index="${focused.dataset.index}"]` : "";
    if (pen.drag && pen.caught && pen.board.tools.view === view) snaps.replaceChildren(...pen.board.snapping.draw(view, pen.caught));
    const { local } = pen.hand;
    const drawings = pen.board.scene.extras.drawings.map((drawing) => (drawing.line === local?.line ? local : drawing));
    points.replaceChildren(...drawings.filter((drawing) => pen.isSeen(drawing, view)).flatMap((drawing) => this.marksOf(view, drawing)));
    if (refocus) points.querySelector(refocus)?.focus({ preventScroll: true });
  }

  /** @returns {SVGElement[]} the points of a drawing, and the handles of its ends where the pen is on it */
  marksOf(view, drawing) {
    const isActive = drawing.line === this.pen.activeLine();
    const ends = isActive && drawing.plane === view.plane ? this.endHandles(view, drawing) : [];
    return [...ends, ...drawing.points.map((point, index) => this.point(view, drawing, [...seen(drawing, index, view), point[2]], index, isActive))];
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
        svgElement("circle", { class: "end-reach", cx: hx, cy: hy, r: REACH, "data-end": end }),
        svgElement("rect", { class: `end-handle${drawing.ends[end] === "free" ? " is-free" : ""}`, x: hx - 4, y: hy - 4, width: 8, height: 8, "data-end": end, "aria-label": words }),
      ];
    });
  }

  /**
   * @param {DrawingView} view @param {[number, number]} place where the next point would be @param {boolean} closes
   * @returns {SVGElement[]} the stretch to it from the last point, and where it is in numbers
   */
  next(view, place, closes) {
    const drawing = this.pen.hand.drawing();
    const [x, y] = view.toScreen(...place);
    const axes = PLANES[view.plane];
    const words = [`${axes.right} ${tidy(place[0])}  ${axes.up} ${tidy(place[1])}`];
    const parts = [];
    const last = drawing?.plane === view.plane ? drawing.points.at(-1) : null;
    if (last) {
      const [fromX, fromY] = view.toScreen(last[0], last[1]);
      const by = [place[0] - last[0], place[1] - last[1]];
      parts.push(svgElement("line", { class: "next-line", x1: fromX, y1: fromY, x2: x, y2: y }));
      words.push(`${tidy(Math.hypot(...by))} at ${tidy((Math.atan2(by[1], by[0]) * 180) / Math.PI)}°`);
    }
    if (closes) words.unshift("closes the curve");
    const left = x > view.svg.clientWidth - 150;
    words.forEach((line, k) => parts.push(svgElement("text", { class: "next-text", x: left ? x - 14 : x + 14, y: y + 22 + 15 * k, "text-anchor": left ? "end" : "start" }, line)));
    return parts;
  }

  /** @returns {?number} the direction of travel at an end of the curve as it is drawn now, in radians */
  tangentAngle(drawing, end, view) {
    const curve = this.pen.board.scene.extras.curves.find((other) => other.id === drawing.line);
    const [r, u] = axesOf(view.plane);
    const point = drawing.points.at(end ? -1 : 0);
    // The curve may hold a mirror image too, so the piece is found by its place: as it runs, or else run backwards.
    for (const [at, from, to] of end ? [[9, 6, 9], [0, 3, 0]] : [[0, 0, 3], [9, 9, 6]]) {
      const piece = curve?.beziers.find((other) => Math.hypot(other[at + r] - point[0], other[at + u] - point[1]) < 1e-2);
      const [dr, du] = piece ? [piece[to + r] - piece[from + r], piece[to + u] - piece[from + u]] : [0, 0];
      if (Math.hypot(dr, du) > 1e-9) return Math.atan2(du, dr);
    }
    return null;
  }

  point(view, drawing, [right, up, sharp], index, isActive) {
    const [x, y] = view.toScreen(right, up);
    const axes = PLANES[view.plane];
    const size = isActive ? 4.6 : 3.2;
    const chosen = isActive && this.pen.hand.picked().includes(index);
    const shape = sharp
      ? { d: `M${x} ${y - size * 1.2}L${x + size * 1.15} ${y + size * 0.9}H${x - size * 1.15}Z` }
      : { d: `M${x - size} ${y}a${size} ${size} 0 1 0 ${2 * size} 0a${size} ${size} 0 1 0 ${-2 * size} 0Z` };
    const element = svgElement("path", {
      ...shape,
      class: `drawn-point${isActive ? "" : " is-idle"}${chosen ? " is-chosen" : ""}`,
      "data-line": drawing.line,
      "data-index": index,
      tabindex: this.pen.edits.mayEdit ? 0 : -1,
      role: "button",
      "aria-label": `Point ${index + 1} of ${drawing.name}, ${axes.right} ${round(shown(right))} ${axes.up} ${round(shown(up))} ${unit()}${sharp ? ", sharp" : ""}`,
    });
    return element;
  }
}

/** @returns {string} a number to a hundredth, without a minus before nothing */
function tidy(value) {
  return String(Math.round(value * 100) / 100 + 0);
}
