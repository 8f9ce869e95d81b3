/** The drawing planes as the views see them: third-angle views of one space, Z up, in mm. */
import { Vector3 } from "three";
import { shown, unit } from "../../unit.js";

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

/** Decimals that a coordinate under the pointer is told to. @type {Record<string, number>} */
export const DECIMALS = { mm: 1, cm: 2, m: 4, inch: 3 };

/** @param {number} value in mm @returns {string} a coordinate to about a tenth of a mm in the project's unit, without a minus before nothing */
export function tenths(value) {
  const decimals = DECIMALS[unit()];
  return (Math.round(shown(value) * 10 ** decimals) / 10 ** decimals + 0).toFixed(decimals);
}
