/** Turns about an axis through a centre, in degrees, counter-clockwise seen against the axis. */

/** @typedef {[number[], number[]]} Turning a centre and a unit axis */

/** @param {Turning} turning @param {number[]} place @param {number} degrees @returns {number[]} a place turned */
export function turnedAbout([centre, axis], place, degrees) {
  const angle = (degrees * Math.PI) / 180;
  const out = minus(place, centre);
  const beside = cross(axis, out);
  const along = dot(axis, out) * (1 - Math.cos(angle));
  return centre.map((part, k) => part + Math.cos(angle) * out[k] + Math.sin(angle) * beside[k] + along * axis[k]);
}

/** @param {Turning} turning @param {number[]} from @param {number[]} to @returns {?number} the angle from one place to another, null on the axis */
export function degreesAbout([centre, axis], from, to) {
  const [a, b] = [from, to].map((place) => square(axis, minus(place, centre)));
  if (Math.hypot(...b) < 1e-6 * Math.hypot(...a)) return null;
  return (Math.atan2(dot(axis, cross(a, b)), dot(a, b)) * 180) / Math.PI;
}

function square(axis, way) {
  const along = dot(axis, way);
  return way.map((part, k) => part - along * axis[k]);
}

function minus(a, b) {
  return a.map((part, k) => part - b[k]);
}

function dot(a, b) {
  return a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
}

function cross(a, b) {
  return [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
}
