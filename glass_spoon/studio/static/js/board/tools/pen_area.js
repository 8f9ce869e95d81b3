/** Choosing points of a drawing by a box, or by a free outline, drawn in a view. */
import { svgElement } from "../views/svg.js";
import { seen } from "./drawn_points.js";
import { contains } from "./plane_places.js";

export class PenArea {
  /** @param {DrawingView} view @param {PointerEvent} event the press that starts it: with Alt a free outline */
  constructor(view, event) {
    this.view = view;
    this.free = event.altKey;
    this.path = [view.fromEvent(event)];
  }

  move(event) {
    this.path.push(this.view.fromEvent(event));
    const corners = this.corners(this.path.map((place) => this.view.toScreen(...place)));
    this.view.layers.snaps.replaceChildren(svgElement("polygon", { class: "choice-area", points: corners.map((corner) => corner.join(",")).join(" ") }));
  }

  corners(path) {
    const [a, b] = [path[0], path.at(-1)];
    return this.free ? path : [a, [b[0], a[1]], b, [a[0], b[1]]];
  }

  /** Take the area away. @returns {?number[]} the points of a drawing inside it; null when nothing was drawn */
  finish(drawing) {
    this.view.layers.snaps.replaceChildren();
    if (!drawing || this.path.length < 2) return null;
    const outline = this.corners(this.path);
    return drawing.points.map((_, index) => index).filter((index) => contains(outline, seen(drawing, index, this.view)));
  }
}
