/** What the drawing views share: one middle and one zoom, so that third-angle projection stays aligned. */
import { fromShown } from "../../unit.js";
import { Vector3 } from "three";
import { PLANES } from "./planes.js";

/** Pixels of a view that what is fitted into it leaves free. */
const MARGIN = 84;
const NICE = [1, 2, 5];

export class DrawingSpace {
  constructor() {
    this.middle = new Vector3(0, 0, 60);
    this.zoom = 2;
  }

  copy() {
    const space = new DrawingSpace();
    space.middle.copy(this.middle);
    space.zoom = this.zoom;
    return space;
  }

  /** @param {{low: Vector3, high: Vector3}} box in mm @param {DrawingView[]} views those on the page @param {number} foot pixels at their foot that are covered */
  fit({ low, high }, views, foot = 0) {
    this.middle.copy(low).add(high).multiplyScalar(0.5);
    const zooms = views.map((view) => {
      const { right, up } = PLANES[view.plane];
      const { clientWidth: width, clientHeight: height } = view.svg;
      return Math.min((width - MARGIN) / Math.max(high[right] - low[right], 1), (height - MARGIN - foot) / Math.max(high[up] - low[up], 1));
    });
    if (zooms.length) this.zoom = Math.max(Math.min(...zooms), 1e-4);
    if (foot) views.forEach((view) => (this.middle[PLANES[view.plane].up] -= foot / 2 / this.zoom));
  }

  /** @param {number} factor */
  zoomBy(factor) {
    this.zoom = Math.min(Math.max(this.zoom * factor, 1e-3), 1e4);
  }

  /** @param {number} pixels @returns {number} a length in mm, round in the unit of the project, that is at least so long on the screen */
  niceLength(pixels) {
    const wanted = pixels / this.zoom / fromShown(1);
    const power = 10 ** Math.floor(Math.log10(wanted));
    return fromShown(power * (NICE.find((step) => step * power >= wanted) ?? 10));
  }
}
