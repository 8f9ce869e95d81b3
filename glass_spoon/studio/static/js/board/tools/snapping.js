/** What catches the pen: points, ends, middles, crossings, square and tangent places of curves, alignment, axes, the grid. */
import { axesOf } from "../views/planes.js";
import { svgElement } from "../views/svg.js";

const REACH_PIXELS = 8;
const PARTS = 10;
/** Most chords near a place whose crossings are looked for. */
const MOST_CROSSED = 80;
const WORDS = { point: "point", end: "end", middle: "middle", crossing: "crossing", square: "square on", tangent: "tangent", curve: "on the curve" };
const RANK = { point: 0, end: 0, crossing: 1, middle: 1, tangent: 2, square: 2, curve: 3 };

/**
 * @typedef {Object} Caught
 * @property {number[]} place right and up in mm
 * @property {Array<{kind: string, axis?: number, value?: number}>} marks what caught it
 */
export class Snapping {
  constructor(board) {
    this.board = board;
    this.cache = { extras: null, planes: new Map() };
    /** The typed step of the grid in mm; null for one that goes with the zoom. @type {?number} */
    this.step = null;
  }

  /** @returns {number} the grid in mm: as typed, or at the present zoom */
  gridStep(view) {
    return this.step ?? view.space.niceLength(4);
  }

  /**
   * @param {DrawingView} view @param {PointerEvent} event
   * @param {{from?: ?[number, number], line?: ?string, skip?: Set<number>}} with the place that a new stretch starts from,
   *   the line whose own curve does not count, and its points that are being moved
   * @returns {Caught} the place under the pointer, caught by what is near unless Alt is held
   */
  find(view, event, { from = null, line = null, skip = new Set() } = {}) {
    const place = view.fromEvent(event);
    if (event.altKey) return { place: place.map(round), marks: [] };
    const reach = REACH_PIXELS / view.space.zoom;
    const points = this.points(view, line, skip);
    const best = this.nearest(view, place, reach, points, from, line);
    if (best) return { place: best.place, marks: [{ kind: best.kind }] };
    const grid = this.gridStep(view);
    const marks = [];
    const caught = place.map((value, axis) => {
      const near = [0, ...points.map((point) => point[axis])].reduce((a, b) => (Math.abs(b - value) < Math.abs(a - value) ? b : a), Infinity);
      if (Math.abs(near - value) > reach) return round(Math.round(value / grid) * grid);
      marks.push({ kind: near === 0 ? "axis" : "aligned", axis, value: near });
      return near;
    });
    return { place: caught, marks };
  }

  /** Points of drawn curves seen in a view. */
  points(view, line, skip) {
    return this.board.scene.extras.drawings.flatMap((drawing) =>
      drawing.plane === view.plane ? drawing.points.filter((_, index) => drawing.line !== line || !skip.has(index)) : []);
  }

  /** @returns {?{kind: string, place: number[]}} what is best within reach: by rank, then the nearest */
  nearest(view, place, reach, points, from, line) {
    const near = [];
    const found = points.map((point) => ({ kind: "point", place: [point[0], point[1]] }));
    for (const curve of this.curves(view)) if (curve.id !== line && curve.path.length) found.push(...this.onCurve(curve, place, reach, from, near));
    if (near.length < MOST_CROSSED) found.push(...crossings(near));
    const within = found.map((one) => ({ ...one, rank: RANK[one.kind], away: distance(one.place, place) })).filter((one) => one.away <= reach);
    if (!within.length) return null;
    const best = within.reduce((a, b) => (b.rank < a.rank || (b.rank === a.rank && b.away < a.away) ? b : a));
    return { kind: best.kind, place: best.place.map(round) };
  }

  /** @returns {{kind: string, place: number[]}[]} what a curve offers near a place; its chords there are added to `near` */
  onCurve({ path, middle }, place, reach, from, near) {
    const found = [{ kind: "end", place: path[0] }, { kind: "end", place: path.at(-1) }, { kind: "middle", place: middle }];
    for (let k = 0; k + 1 < path.length; k += 1) {
      const foot = footOn(path[k], path[k + 1], place);
      if (distance(foot, place) > reach) continue;
      near.push([path[k], path[k + 1]]);
      found.push({ kind: "curve", place: foot });
      if (from) found.push(...this.from(from, path, k));
    }
    return found;
  }

  /** Places of a chord of a curve where a stretch from a point meets it squarely, or touches it. */
  from(from, path, k) {
    const [a, b, c] = [path[k], path[k + 1], path[k + 2]];
    const found = [];
    const share = shareOn(a, b, from);
    if (share >= 0 && share <= 1) found.push({ kind: "square", place: mix(a, b, share) });
    if (c && turn(from, a, b) * turn(from, b, c) < 0) found.push({ kind: "tangent", place: b });
    return found;
  }

  /** Curves as polylines in a view's coordinates, worked out once for each model. */
  curves(view) {
    if (this.cache.extras !== this.board.scene.extras) this.cache = { extras: this.board.scene.extras, planes: new Map() };
    if (!this.cache.planes.has(view.plane)) this.cache.planes.set(view.plane, this.board.scene.extras.curves.map((curve) => flattened(curve, view.plane)));
    return this.cache.planes.get(view.plane);
  }

  /** @returns {SVGElement[]} what shows that something caught */
  draw(view, { place, marks }) {
    const parts = [];
    const [x, y] = view.toScreen(...place);
    for (const mark of marks) {
      if (mark.axis === undefined) {
        parts.push(svgElement("path", { class: "snap-mark", d: `M${x - 6} ${y - 6}h12v12h-12Z` }));
        parts.push(svgElement("text", { class: "snap-text", x: x + 11, y: y - 9 }, WORDS[mark.kind]));
      } else if (mark.axis === 0) parts.push(svgElement("line", { class: "snap-line", x1: x, x2: x, y1: 0, y2: view.svg.clientHeight }));
      else parts.push(svgElement("line", { class: "snap-line", y1: y, y2: y, x1: 0, x2: view.svg.clientWidth }));
    }
    return parts;
  }
}

/** A curve's cubics as a polyline in right and up, with the place halfway along it. */
function flattened(curve, plane) {
  const [r, u] = axesOf(plane);
  const path = [];
  for (const piece of curve.beziers) {
    for (let part = path.length ? 1 : 0; part <= PARTS; part += 1) path.push(onCubic(piece, part / PARTS, r, u));
  }
  return { id: curve.id, path, middle: halfway(path) };
}

function onCubic(p, t, r, u) {
  const s = 1 - t;
  const weights = [s * s * s, 3 * s * s * t, 3 * s * t * t, t * t * t];
  return [r, u].map((axis) => weights.reduce((sum, weight, k) => sum + weight * p[3 * k + axis], 0));
}

function halfway(path) {
  const steps = path.slice(1).map((point, k) => distance(path[k], point));
  let left = steps.reduce((a, b) => a + b, 0) / 2;
  for (let k = 0; k < steps.length; k += 1) {
    if (left <= steps[k]) return mix(path[k], path[k + 1], steps[k] ? left / steps[k] : 0);
    left -= steps[k];
  }
  return path.at(-1) ?? [0, 0];
}

function shareOn(a, b, p) {
  const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
  return ((p[0] - a[0]) * dx + (p[1] - a[1]) * dy) / (dx * dx + dy * dy || 1);
}

function footOn(a, b, p) {
  return mix(a, b, Math.max(0, Math.min(1, shareOn(a, b, p))));
}

function mix(a, b, share) {
  return [a[0] + (b[0] - a[0]) * share, a[1] + (b[1] - a[1]) * share];
}

function turn(o, a, b) {
  return (a[0] - o[0]) * (b[1] - a[1]) - (a[1] - o[1]) * (b[0] - a[0]);
}

/** @param {number[][][]} chords @returns {{kind: string, place: number[]}[]} where some of them cross */
function crossings(chords) {
  const places = chords.flatMap((one, k) => chords.slice(k + 1).map((other) => crossingOf(one, other)));
  return places.filter(Boolean).map((place) => ({ kind: "crossing", place }));
}

/** @param {number[][]} one @param {number[][]} other @returns {?number[]} where two chords cross */
function crossingOf(one, other) {
  const [[a, b], [c, d]] = [one, other];
  const [ux, uy, vx, vy] = [b[0] - a[0], b[1] - a[1], d[0] - c[0], d[1] - c[1]];
  const det = ux * vy - uy * vx;
  if (Math.abs(det) < 1e-9 * (Math.hypot(ux, uy) * Math.hypot(vx, vy) || 1)) return null;
  const s = ((c[0] - a[0]) * vy - (c[1] - a[1]) * vx) / det;
  const t = ((c[0] - a[0]) * uy - (c[1] - a[1]) * ux) / det;
  // Chords that share an end are neighbours on one curve, not a crossing.
  if (s < 0 || s > 1 || t < 0 || t > 1 || [a, b].some((p) => [c, d].some((q) => distance(p, q) < 1e-9))) return null;
  return mix(a, b, s);
}

function distance(a, b) {
  return Math.hypot(a[0] - b[0], a[1] - b[1]);
}

function round(value) {
  return Math.round(value * 1000) / 1000;
}
