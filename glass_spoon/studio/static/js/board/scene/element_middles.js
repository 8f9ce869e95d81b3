/** The middles of points, edges and faces of a mesh in the picture. */
import { Vector3 } from "three";

/** @returns {number[]} the elements of a kind whose middles pass */
export function elementsWhere(model, kind, passes) {
  const found = [];
  for (const [index, middle] of elementMiddles(model, kind)) if (passes(middle)) found.push(index);
  return found;
}

/** Yield the number and the middle of every element of a kind; the middle is one vector that is used again. */
export function* elementMiddles(model, kind) {
  const { positions, lines, triangles } = model.data;
  const at = (corner, target) => target.set(positions[3 * corner], positions[3 * corner + 1], positions[3 * corner + 2]);
  const middle = new Vector3();
  const other = new Vector3();
  if (kind === "point") {
    for (let point = 0; point < model.data.extras.points; point += 1) yield [point, at(point, middle)];
  } else if (kind === "edge") {
    for (let edge = 0; 2 * edge < lines.length; edge += 1) yield [edge, at(lines[2 * edge], middle).add(at(lines[2 * edge + 1], other)).multiplyScalar(0.5)];
  } else {
    yield* faceMiddles(model, triangles, at);
  }
}

/** Yield every face with the mean of its corners: each corner once, so that fans do not weigh more. */
function* faceMiddles(model, triangles, at) {
  const middle = new Vector3();
  const other = new Vector3();
  let face = 0;
  let corners = new Set();
  const total = triangles.length / 3;
  for (let triangle = 0; triangle <= total; triangle += 1) {
    const own = triangle < total ? model.faceOf(triangle) : -1;
    if (own !== face && corners.size) {
      middle.set(0, 0, 0);
      for (const corner of corners) middle.add(at(corner, other));
      yield [face, middle.multiplyScalar(1 / corners.size)];
      corners = new Set();
    }
    if (triangle === total) return;
    face = own;
    for (let k = 0; k < 3; k += 1) corners.add(triangles[3 * triangle + k]);
  }
}
