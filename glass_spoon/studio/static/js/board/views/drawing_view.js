/** A drawing view (plan, front, side): mesh lines by WebGL behind, curves, axes and sizes in SVG before them, tools on top. */
import { OrthographicCamera } from "three";
import { shown, told, unit } from "../../unit.js";
import { outline } from "../scene/materials.js";
import { axesOf, DECIMALS, PLANES, tenths } from "./planes.js";
import { svgElement } from "./svg.js";
import { enterViewport } from "./viewport.js";

/** Pixels left of the scale bar that the view's name and the scale's words need side by side. */
const BESIDE = 118;
/** Pixels between two lines of the grid, at least. */
const GRID_PIXELS = 9;
const WIDER = [1, 2, 5, 10, 20, 50, 100];
const DEPTH = 1e5;
/** What lies over what, from below. */
const LAYERS = ["over", "back", "comb", "net", "curves", "sizes", "measure", "points", "comments", "handles", "snaps", "corners"];

export class DrawingView {
  /** @param {SVGSVGElement} svg @param {DrawingSpace} space @param {Board} board */
  constructor(svg, space, board) {
    this.svg = svg;
    this.space = space;
    this.board = board;
    this.isPicture = false;
    this.element = /** @type {HTMLElement} */ (svg.closest(".view"));
    this.surface = svg;
    this.plane = /** @type {Plane} */ (this.element.dataset.plane);
    this.camera = new OrthographicCamera();
    /** @type {Object<string, SVGElement>} */
    this.layers = {};
    for (const name of LAYERS) this.layers[name] = svg.appendChild(svgElement("g"));
    this.under = this.element.insertBefore(svgElement("svg", { class: "view-under", "aria-hidden": "true" }), svg);
  }

  isShown() {
    return this.svg.clientWidth > 0;
  }

  /** @param {number} right mm @param {number} up mm @returns {[number, number]} the place on the screen */
  toScreen(right, up) {
    const axes = PLANES[this.plane];
    return [(right - this.space.middle[axes.right]) * this.space.zoom + this.svg.clientWidth / 2, (this.space.middle[axes.up] - up) * this.space.zoom + this.svg.clientHeight / 2];
  }

  /** @param {number} x @param {number} y on the screen @returns {[number, number]} right and up in mm */
  fromScreen(x, y) {
    const axes = PLANES[this.plane];
    return [(x - this.svg.clientWidth / 2) / this.space.zoom + this.space.middle[axes.right], this.space.middle[axes.up] - (y - this.svg.clientHeight / 2) / this.space.zoom];
  }

  /** @param {number[]} place in space @returns {[number, number]} where it is on the screen */
  project(place) {
    const [r, u] = axesOf(this.plane);
    return this.toScreen(place[r], place[u]);
  }

  /** @param {{clientX: number, clientY: number}} event @returns {[number, number]} right and up in mm under the pointer */
  fromEvent(event) {
    const rect = this.svg.getBoundingClientRect();
    return this.fromScreen(event.clientX - rect.left, event.clientY - rect.top);
  }

  /** @returns {?number[]} how far in space the hand went from one event to another */
  shift(from, to) {
    const [a, b] = [this.fromEvent(from), this.fromEvent(to)];
    const by = [0, 0, 0];
    axesOf(this.plane).forEach((axis, k) => (by[axis] = b[k] - a[k]));
    return by;
  }

  /** @param {number[]} way in space @returns {boolean} whether a move along it is seen here */
  sees(way) {
    const [r, u] = axesOf(this.plane);
    return Math.hypot(way[r], way[u]) > 0.05 * Math.hypot(...way);
  }

  /** Say where the pointer is. @param {PointerEvent} event */
  tell(event) {
    const [right, up] = this.fromEvent(event);
    const axes = PLANES[this.plane];
    this.board.root.querySelector(".coordinates").textContent = `${axes.right} ${tenths(right)}  ${axes.up} ${tenths(up)} ${unit()}`;
  }

  /** Move the view so that a place lies under the pointer. @param {[number, number]} place right and up in mm */
  keepUnder([right, up], event) {
    const now = this.fromEvent(event);
    const axes = PLANES[this.plane];
    this.moveBy(right - now[0], up - now[1], axes);
  }

  moveBy(right, up, axes = PLANES[this.plane]) {
    this.space.middle[axes.right] += right;
    this.space.middle[axes.up] += up;
    this.board.wasMoved = true;
    this.board.redraw();
  }

  redraw() {
    if (!this.isShown()) return;
    this.drawBack();
    this.drawComb();
    this.drawCurves();
    this.drawSizes();
    this.board.tools.draw(this);
  }

  drawBack() {
    const { clientWidth: width, clientHeight: height } = this.svg;
    const [x, y] = this.toScreen(0, 0);
    const parts = this.board.pen.isPlacing(this.plane) ? this.grid() : [];
    parts.push(svgElement("line", { class: "axis-line", x1: x, x2: x, y1: 0, y2: height }));
    parts.push(svgElement("line", { class: this.plane === "plan" ? "axis-line" : "ground-line", x1: 0, x2: width, y1: y, y2: y }));
    const length = this.space.niceLength(48);
    const left = width - 14 - length * this.space.zoom;
    const foot = 20;
    parts.push(svgElement("path", { class: "scale-bar", d: `M${left} ${foot - 4}v4h${length * this.space.zoom}v-4` }));
    const words = unit() === "mm" && length >= 1000 ? `${length / 1000} m` : told(`${Number(length.toPrecision(3))} mm`);
    const beside = left > BESIDE;
    parts.push(svgElement("text", { class: "scale-text", x: beside ? left - 6 : width - 14, y: beside ? foot : foot + 14, "text-anchor": "end" }, words));
    this.layers.back.replaceChildren(...parts);
  }

  /** @returns {SVGElement[]} the grid that catches points: every step that is wide enough to be seen, and every tenth stronger */
  grid() {
    const step = this.board.snapping.gridStep(this);
    const seen = WIDER.map((times) => times * step).find((wide) => wide * this.space.zoom >= GRID_PIXELS);
    if (!seen) return [];
    return [svgElement("path", { class: "grid-line", d: this.gridPath(seen) }), svgElement("path", { class: "grid-line is-tenth", d: this.gridPath(10 * seen) })];
  }

  /** @param {number} wide mm @returns {string} lines of a grid over the whole view */
  gridPath(wide) {
    const { clientWidth: width, clientHeight: height } = this.svg;
    const [left, low] = this.fromScreen(0, height);
    const [right, high] = this.fromScreen(width, 0);
    let path = "";
    for (let k = Math.ceil(left / wide); k * wide <= right; k += 1) path += `M${this.toScreen(k * wide, 0)[0].toFixed(1)} 0v${height}`;
    for (let k = Math.ceil(low / wide); k * wide <= high; k += 1) path += `M0 ${this.toScreen(0, k * wide)[1].toFixed(1)}h${width}`;
    return path;
  }

  drawCurves() {
    const active = this.board.pen.activeLine();
    const parts = [];
    for (const curve of this.board.scene.extras.curves) {
      const path = this.pathOf(curve.beziers);
      const looks = [`is-${curve.colour ?? "ink"}`, curve.id === active && "is-active", curve.id === this.board.edits.state().curve && "is-read"];
      parts.push(svgElement("path", { class: ["curve-line", ...looks.filter(Boolean)].join(" "), d: path, "data-curve": curve.id }));
      if (!curve.locked) parts.push(svgElement("path", { class: "curve-hit", d: path, "data-curve": curve.id }));
    }
    this.layers.curves.replaceChildren(...parts);
  }

  /** @param {number[][]} beziers @returns {string} cubics as the path that this view sees */
  pathOf(beziers) {
    const [r, u] = axesOf(this.plane);
    let path = "";
    let last = "";
    for (const piece of beziers) {
      const place = [0, 3, 6, 9].map((k) => this.toScreen(piece[k + r], piece[k + u]).map((value) => Math.round(value * 100) / 100));
      const start = `${place[0]}`;
      path += (start === last ? "" : `M${start}`) + `C${place[1]} ${place[2]} ${place[3]}`;
      last = `${place[3]}`;
    }
    return path;
  }

  /** The curvature comb of the curve whose readings are open. */
  drawComb() {
    const { comb } = this.board.scene.extras;
    if (!comb) {
      this.layers.comb.replaceChildren();
      return;
    }
    const [r, u] = axesOf(this.plane);
    const largest = Math.max(...comb.teeth.map((tooth) => Math.hypot(...tooth)), 1e-9);
    // Teeth as long as a ninth of the view at the tightest place, so that a comb always shows; the scale is typed beside.
    const length = (this.board.combScale * Math.min(this.svg.clientWidth, this.svg.clientHeight)) / 9 / this.space.zoom / largest;
    let teeth = "";
    let ridge = "";
    comb.places.forEach((place, k) => {
      const [x1, y1] = this.toScreen(place[r], place[u]);
      const [x2, y2] = this.toScreen(place[r] + comb.teeth[k][r] * length, place[u] + comb.teeth[k][u] * length);
      teeth += `M${x1.toFixed(1)} ${y1.toFixed(1)}L${x2.toFixed(1)} ${y2.toFixed(1)}`;
      ridge += `${k ? "L" : "M"}${x2.toFixed(1)} ${y2.toFixed(1)}`;
    });
    this.layers.comb.replaceChildren(svgElement("path", { class: "comb-teeth", d: teeth }), svgElement("path", { class: "comb-ridge", d: ridge }));
  }

  /** The overall sizes of what is shown, as dimension lines below and beside it. */
  drawSizes() {
    const parts = [];
    if (this.board.scene.models.size && this.plane !== "side") {
      const { low, high } = this.board.scene.bounds();
      const axes = PLANES[this.plane];
      const [x1, y1] = this.toScreen(low[axes.right], low[axes.up]);
      const [x2, y2] = this.toScreen(high[axes.right], high[axes.up]);
      if (this.plane === "front") {
        parts.push(svgElement("path", { class: "size-line", d: `M${x1} ${y1 + 8}v16M${x2} ${y1 + 8}v16M${x1} ${y1 + 18}H${x2}` }));
        parts.push(svgElement("text", { class: "size-text", x: (x1 + x2) / 2, y: y1 + 14 }, sizeText(shown(high[axes.right] - low[axes.right]))));
      }
      parts.push(svgElement("path", { class: "size-line", d: `M${x1 - 8} ${y1}h-16M${x1 - 8} ${y2}h-16M${x1 - 18} ${y1}V${y2}` }));
      parts.push(svgElement("text", { class: "size-text", x: 0, y: 0, transform: `translate(${x1 - 22} ${(y1 + y2) / 2}) rotate(-90)` }, sizeText(shown(high[axes.up] - low[axes.up]))));
    }
    this.layers.sizes.replaceChildren(...parts);
  }

  render(renderer, board) {
    if (!enterViewport(renderer, board, this.svg)) return;
    const axes = PLANES[this.plane];
    const { clientWidth: width, clientHeight: height } = this.svg;
    const zoom = this.space.zoom;
    Object.assign(this.camera, { left: -width / 2 / zoom, right: width / 2 / zoom, top: height / 2 / zoom, bottom: -height / 2 / zoom, near: 0, far: 2 * DEPTH });
    this.camera.up.copy(axes.top);
    this.camera.position.copy(this.space.middle).addScaledVector(axes.eye, DEPTH);
    this.camera.lookAt(this.space.middle);
    this.camera.updateProjectionMatrix();
    outline.uniforms.reach.value = 1.1 / zoom;
    for (const model of this.board.scene.models.values()) model.drawAt(zoom);
    renderer.render(this.board.scene.drawing, this.camera);
  }
}

function sizeText(value) {
  const parts = 10 ** DECIMALS[unit()];
  return String(Math.round(value * parts) / parts);
}
