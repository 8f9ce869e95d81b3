/** A coarser stand-in for a large mesh: vertices of one cell of a grid become one, triangles that fall together are left out. */
import { BufferAttribute, BufferGeometry } from "three";

/** Cells along the longest side of the box. */
const CELLS = 256;

/**
 * @param {Float32Array} positions x, y, z of every vertex @param {Uint32Array} triangles
 * @param {{ min: { x: number, y: number, z: number }, max: { x: number, y: number, z: number } }} box of the positions
 * @returns {{index: Uint32Array, cell: number}} triangles of some of the same vertices, and how far in mm they may have moved
 */
export function coarseIndex(positions, triangles, { min, max }) {
  const cell = Math.max(max.x - min.x, max.y - min.y, max.z - min.z, 1e-9) / CELLS;
  const wide = Math.floor((max.x - min.x) / cell) + 1;
  const deep = Math.floor((max.y - min.y) / cell) + 1;
  const high = Math.floor((max.z - min.z) / cell) + 1;
  // The first vertex of every cell, plus one; most cells stay untouched, and so does their memory.
  const firsts = new Uint32Array(wide * deep * high);
  const stands = new Uint32Array(positions.length / 3);
  for (let vertex = 0; vertex < stands.length; vertex += 1) {
    const x = ((positions[3 * vertex] - min.x) / cell) | 0;
    const y = ((positions[3 * vertex + 1] - min.y) / cell) | 0;
    const z = ((positions[3 * vertex + 2] - min.z) / cell) | 0;
    const place = (z * deep + y) * wide + x;
    if (!firsts[place]) firsts[place] = vertex + 1;
    stands[vertex] = firsts[place] - 1;
  }
  const index = new Uint32Array(triangles.length);
  let count = 0;
  for (let corner = 0; corner < triangles.length; corner += 3) {
    const a = stands[triangles[corner]];
    const b = stands[triangles[corner + 1]];
    const c = stands[triangles[corner + 2]];
    if (a === b || b === c || c === a) continue;
    index[count] = a;
    index[count + 1] = b;
    index[count + 2] = c;
    count += 3;
  }
  return { index: index.slice(0, count), cell: cell * Math.sqrt(3) };
}

/** @returns {{geometry: BufferGeometry, cell: number}} the stand-in of a geometry, on the same buffers @param {BufferGeometry} whole */
export function coarseGeometry(whole) {
  whole.computeBoundingBox();
  const { index, cell } = coarseIndex(/** @type {Float32Array} */ (whole.getAttribute("position").array), /** @type {Uint32Array} */ (whole.index.array), whole.boundingBox);
  const geometry = new BufferGeometry();
  geometry.setIndex(new BufferAttribute(index, 1));
  for (const [name, attribute] of Object.entries(whole.attributes)) geometry.setAttribute(name, attribute);
  geometry.boundingSphere = whole.boundingSphere;
  return { geometry, cell };
}
