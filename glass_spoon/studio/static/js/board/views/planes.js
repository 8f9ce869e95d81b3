/** The drawing planes as the views see them: third-angle views of one space, Z up, in mm. */
import { Vector3 } from "three";

/** @typedef {"front" | "side" | "plan"} Plane */
/** @typedef {"x" | "y" | "z"} Axis */

/** @type {Record<Plane, { right: Axis, up: Axis, eye: Vector3, top: Vector3 }>} */
export const PLANES = {
  front: { right: "x", up: "z", eye: new Vector3(0, -1, 0), top: new Vector3(0, 0, 1) },
  side: { right: "y", up: "z", eye: new Vector3(1, 0, 0), top: new Vector3(0, 0, 1) },
  plan: { right: "x", up: "y", eye: new Vector3(0, 0, 1), top: new Vector3(0, 1, 0) },
};
const INDEX = { x: 0, y: 1, z: 2 };

/** @param {Plane} plane @returns {[number, number]} which coordinates of a place are right and up of a plane */
export function axesOf(plane) {
  return [INDEX[PLANES[plane].right], INDEX[PLANES[plane].up]];
}

/** @returns {string} a coordinate to a tenth of a mm, without a minus before nothing */
export function tenths(value) {
  return (Math.round(value * 10) / 10 + 0).toFixed(1);
}
