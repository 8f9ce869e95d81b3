/** The points of a drawn curve while they are changed: copied, moved, put in, taken out, and where a view sees them. */
import { round, shifted } from "./coordinate_text.js";
import { PLANES } from "../views/planes.js";
import { distanceToSegment } from "./plane_places.js";

/** The axis that runs out of each plane, and which way the viewer is. */
const OUT = { front: { axis: "y", sign: -1 }, side: { axis: "x", sign: 1 }, plan: { axis: "z", sign: 1 } };

/** @returns {Object} a copy of a drawing whose points, texts and ends may be changed */
export function copyOf(drawing) {
  const { ends, angles, points, raw } = drawing;
  return { ...drawing, until: Infinity, ends: [...ends], angles: [...angles], points: points.map((point) => [...point]), raw: raw.map((texts) => [...texts]) };
}

/** @returns {[number, number]} where a point is seen in a view */
export function seen(drawing, index, view) {
  const point = drawing.points[index];
  if (view.plane === drawing.plane) return [point[0], point[1]];
  const place = inSpace(point, drawing.plane);
  return [place[PLANES[view.plane].right], place[PLANES[view.plane].up]];
}

/** @returns {[number, number, number]} right, up and out of the drawing's own plane, for a point put at a place of any view */
export function fromView({ plane, points }, index, view, [right, up]) {
  if (view.plane === plane) return [right, up, points[index][3]];
  const place = inSpace(points[index], plane);
  place[PLANES[view.plane].right] = right;
  place[PLANES[view.plane].up] = up;
  return [place[PLANES[plane].right], place[PLANES[plane].up], OUT[plane].sign * place[OUT[plane].axis]];
}

/** Move a point; an expression of sizes keeps its size and gets an offset. */
export function moveTo({ points, raw }, index, [right, up, out = null]) {
  const wanted = [right, up, out ?? points[index][3]];
  const now = [points[index][0], points[index][1], points[index][3]];
  raw[index] = now.map((value, k) => shifted(raw[index][k], value, wanted[k]));
  [points[index][0], points[index][1], points[index][3]] = wanted;
}

/** Move points so that one of them comes to a place of a view. @param {any} drawing @param {number[]} picked @param {DrawingView} view @param {number} index @param {number[]} place */
export function moveTogether(drawing, picked, view, index, place) {
  const [right, up] = place;
  const from = seen(drawing, index, view);
  const [dr, du] = [right - from[0], up - from[1]];
  for (const other of picked) {
    const [r, u] = seen(drawing, other, view);
    moveTo(drawing, other, fromView(drawing, other, view, [round(r + dr), round(u + du)]));
  }
}

/** Move, turn and scale points by numbers: right and up in mm, a turn in degrees, a factor, about their middle, the first or the origin. */
export function placeTogether(drawing, picked, { right, up, turn, scale, about }) {
  const places = picked.map((index) => drawing.points[index]);
  const middle = [0, 1].map((axis) => (Math.min(...places.map((p) => p[axis])) + Math.max(...places.map((p) => p[axis]))) / 2);
  const center = { middle, first: places[0].slice(0, 2), origin: [0, 0] }[about];
  const [c, s] = [Math.cos((turn * Math.PI) / 180) * scale, Math.sin((turn * Math.PI) / 180) * scale];
  for (const index of picked) {
    const [x, y] = [drawing.points[index][0] - center[0], drawing.points[index][1] - center[1]];
    moveTo(drawing, index, [round(center[0] + c * x - s * y + right), round(center[1] + s * x + c * y + up)]);
  }
}

/** Put a point in so that it becomes number `index`. @param {any} drawing @param {number} index @param {number[]} place */
export function putIn({ points, raw }, index, place, sharp = false) {
  const [right, up] = place;
  points.splice(index, 0, [right, up, sharp, 0, 1]);
  raw.splice(index, 0, [right, up, 0]);
}

/** Take points out. @param {number[]} picked */
export function takeOut(drawing, picked) {
  const gone = new Set(picked);
  drawing.points = drawing.points.filter((_, index) => !gone.has(index));
  drawing.raw = drawing.raw.filter((_, index) => !gone.has(index));
}

/** @returns {?{after: number, place: [number, number]}} the middle of the stretch beside a point */
export function middleBeside({ points, closed }, index) {
  const after = index === points.length - 1 && !closed ? index - 1 : index;
  if (after < 0) return null;
  const [a, b] = [points[after], points[(after + 1) % points.length]];
  return { after, place: [round((a[0] + b[0]) / 2), round((a[1] + b[1]) / 2)] };
}

/** @returns {number} the point before the stretch nearest to a place on the screen of a view */
export function nearestGap({ points, closed }, view, place) {
  const places = points.map((point) => view.toScreen(point[0], point[1]));
  if (closed) places.push(places[0]);
  const away = places.slice(1).map((end, k) => distanceToSegment(place, places[k], end));
  return Math.max(0, away.indexOf(Math.min(...away)));
}

/** @returns {Object[]} the points as the sheet keeps them */
export function sheetValues({ points, raw }) {
  return points.map((point, index) => {
    const [x, y, out] = raw[index];
    return { x, y, sharp: point[2], ...(out === 0 ? {} : { out }), ...(point[4] === 1 ? {} : { weight: point[4] }) };
  });
}

/** @returns {{x: number, y: number, z: number}} a drawn point in space */
function inSpace([right, up, , out], plane) {
  const { right: r, up: u } = PLANES[plane];
  const place = { x: 0, y: 0, z: 0 };
  Object.assign(place, { [r]: right, [u]: up, [OUT[plane].axis]: OUT[plane].sign * out });
  return place;
}
