/** A drawing view (plan, front, side): mesh lines by WebGL behind, curves, axes, sizes and handles in SVG before them. */
import { OrthographicCamera, Vector3 } from "three";
import { outline } from "../scene/materials.js";
import { enterViewport } from "./viewport.js";

/** Pixels left of the scale bar that the view's name and the scale's words need side by side. */
const BESIDE = 118;
export const PLANES = {
  front: { right: "x", up: "z", eye: new Vector3(0, -1, 0), top: new Vector3(0, 0, 1) },
  side: { right: "y", up: "z", eye: new Vector3(1, 0, 0), top: new Vector3(0, 0, 1) },
  plan: { right: "x", up: "y", eye: new Vector3(0, 0, 1), top: new Vector3(0, 1, 0) },
};
const NICE = [1, 2, 5];
const SVG = "http://www.w3.org/2000/svg";
const DEPTH = 1e5;

/** @returns {SVGElement} */
export function svgElement(name, attributes = {}, text = "") {
  const element = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, String(value));
  if (text) element.textContent = text;
  return element;
}

/** What the drawing views share: one middle and one zoom, so that third-angle projection stays aligned. */
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

  /** @param {DrawingView[]} views those on the page */
  fit({ low, high }, views) {
    this.middle.copy(low).add(high).multiplyScalar(0.5);
    const zooms = views.map((view) => {
      const { right, up } = PLANES[view.plane];
      const { clientWidth: width, clientHeight: height } = view.svg;
      return Math.min((width - 84) / Math.max(high[right] - low[right], 1), (height - 84) / Math.max(high[up] - low[up], 1));
    });
    if (zooms.length) this.zoom = Math.max(Math.min(...zooms), 1e-4);
  }

  /** @returns {number} a round number of mm that is at least `pixels` long on the screen */
  niceLength(pixels) {
    const wanted = pixels / this.zoom;
    const power = 10 ** Math.floor(Math.log10(wanted));
    return power * (NICE.find((step) => step * power >= wanted) ?? 10);
  }
}

export class DrawingView {
  constructor(svg, space, board) {
    this.svg = svg;
    this.space = space;
    this.board = board;
    this.plane = svg.closest(".view").dataset.plane;
    this.camera = new OrthographicCamera();
    this.layers = {};
    for (const name of ["over", "back", "comb", "net", "curves", "sizes", "measure", "handles", "snaps", "corners"]) this.layers[name] = svg.appendChild(svgElement("g"));
    this.under = svg.closest(".view").insertBefore(svgElement("svg", { class: "view-under", "aria-hidden": "true" }), svg);
    this.panning = null;
    this.fingers = new Map();
  }

  connect() {
    this.svg.addEventListener("wheel", (event) => this.onWheel(event), { passive: false });
    this.svg.addEventListener("pointerenter", () => (this.board.lastView = this.svg.closest(".view")));
    this.svg.addEventListener("pointerdown", (event) => this.onDown(event));
    this.svg.addEventListener("pointermove", (event) => this.onMove(event));
    for (const name of ["pointerup", "pointercancel"]) {
      this.svg.addEventListener(name, (event) => {
        this.panning = null;
        this.fingers.delete(event.pointerId);
      });
    }
  }

  /** Zoom and pan by two fingers. @returns {boolean} whether two fingers are down */
  pinch(event) {
    if (event.pointerType !== "touch" || !this.fingers.has(event.pointerId)) return false;
    const before = [...this.fingers.values()];
    this.fingers.set(event.pointerId, { clientX: event.clientX, clientY: event.clientY });
    if (before.length !== 2) return false;
    const after = [...this.fingers.values()];
    const [was, is] = [before, after].map(([a, b]) => ({ clientX: (a.clientX + b.clientX) / 2, clientY: (a.clientY + b.clientY) / 2, apart: Math.hypot(a.clientX - b.clientX, a.clientY - b.clientY) }));
    const place = this.fromEvent(was);
    this.space.zoom = clampZoom((this.space.zoom * is.apart) / Math.max(was.apart, 1));
    this.keepUnder(place, is);
    return true;
  }

  /** Move the view so that a place lies under the pointer. */
  keepUnder([right, up], event) {
    const now = this.fromEvent(event);
    const axes = PLANES[this.plane];
    this.space.middle[axes.right] += right - now[0];
    this.space.middle[axes.up] += up - now[1];
    this.redrawAll();
  }

  isShown() {
    return this.svg.clientWidth > 0;
  }

  /** @returns {[number, number]} screen place of right and up in mm */
  toScreen(right, up) {
    const axes = PLANES[this.plane];
    return [(right - this.space.middle[axes.right]) * this.space.zoom + this.svg.clientWidth / 2, (this.space.middle[axes.up] - up) * this.space.zoom + this.svg.clientHeight / 2];
  }

  /** @returns {[number, number]} right and up in mm under the pointer */
  fromEvent(event) {
    const rect = this.svg.getBoundingClientRect();
    const axes = PLANES[this.plane];
    return [(event.clientX - rect.left - rect.width / 2) / this.space.zoom + this.space.middle[axes.right], this.space.middle[axes.up] - (event.clientY - rect.top - rect.height / 2) / this.space.zoom];
  }

  onWheel(event) {
    event.preventDefault();
    const before = this.fromEvent(event);
    this.space.zoom = clampZoom(this.space.zoom * Math.exp(-event.deltaY * 0.0015));
    this.keepUnder(before, event);
  }

  onDown(event) {
    if (event.pointerType === "touch") this.fingers.set(event.pointerId, { clientX: event.clientX, clientY: event.clientY });
    if (event.shiftKey && event.button === 0) return;
    if (event.target.closest(".handle, .end-handle") || this.board.pen.nearHandle(this, event) || (this.board.pen.isPlacing(this.plane) && event.button === 0)) return;
    this.panning = { x: event.clientX, y: event.clientY };
    this.svg.setPointerCapture(event.pointerId);
  }

  onMove(event) {
    const [right, up] = this.fromEvent(event);
    const axes = PLANES[this.plane];
    this.board.root.querySelector(".coordinates").textContent = `${axes.right} ${tenths(right)}  ${axes.up} ${tenths(up)} mm`;
    if (this.pinch(event) || !this.panning || this.fingers.size > 1) return;
    this.space.middle[axes.right] -= (event.clientX - this.panning.x) / this.space.zoom;
    this.space.middle[axes.up] += (event.clientY - this.panning.y) / this.space.zoom;
    this.panning = { x: event.clientX, y: event.clientY };
    this.redrawAll();
  }

  redrawAll() {
    this.board.wasMoved = true;
    this.board.drawings.forEach((view) => view.redraw());
    this.board.draw();
  }

  redraw() {
    if (!this.isShown()) return;
    this.drawBack();
    this.board.references.draw(this);
    this.drawComb();
    this.drawCurves();
    this.drawSizes();
    this.board.pen.marks.drawHandles(this);
    this.board.grips.draw(this);
    this.board.cornerPick.draw(this);
  }

  drawBack() {
    const { clientWidth: width, clientHeight: height } = this.svg;
    const [x, y] = this.toScreen(0, 0);
    const parts = [svgElement("line", { class: "axis-line", x1: x, x2: x, y1: 0, y2: height })];
    parts.push(svgElement("line", { class: this.plane === "plan" ? "axis-line" : "ground-line", x1: 0, x2: width, y1: y, y2: y }));
    const length = this.space.niceLength(48);
    const left = width - 14 - length * this.space.zoom;
    const foot = 20;
    parts.push(svgElement("path", { class: "scale-bar", d: `M${left} ${foot - 4}v4h${length * this.space.zoom}v-4` }));
    const words = length >= 1000 ? `${length / 1000} m` : `${Number(length.toPrecision(3))} mm`;
    const beside = left > BESIDE;
    parts.push(svgElement("text", { class: "scale-text", x: beside ? left - 6 : width - 14, y: beside ? foot : foot + 14, "text-anchor": "end" }, words));
    this.layers.back.replaceChildren(...parts);
  }

  drawCurves() {
    const axes = PLANES[this.plane];
    const index = { x: 0, y: 1, z: 2 };
    const active = this.board.pen.activeLine();
    const parts = [];
    for (const curve of this.board.extras.curves) {
      let path = "";
      let last = "";
      for (const piece of curve.beziers) {
        const place = [0, 3, 6, 9].map((k) => this.toScreen(piece[k + index[axes.right]], piece[k + index[axes.up]]).map((value) => Math.round(value * 100) / 100));
        const start = `${place[0]}`;
        path += (start === last ? "" : `M${start}`) + `C${place[1]} ${place[2]} ${place[3]}`;
        last = `${place[3]}`;
      }
      const isActive = curve.id === active;
      const isRead = curve.id === this.board.edits.state().curve;
      parts.push(svgElement("path", { class: `curve-line is-${curve.colour ?? "ink"}${isActive ? " is-active" : ""}${isRead ? " is-read" : ""}`, d: path, "data-curve": curve.id }));
      if (!curve.locked) parts.push(svgElement("path", { class: "curve-hit", d: path, "data-curve": curve.id }));
    }
    this.layers.curves.replaceChildren(...parts);
  }

  /** The curvature comb of the curve whose readings are open. */
  drawComb() {
    const comb = this.board.extras.comb;
    if (!comb) {
      this.layers.comb.replaceChildren();
      return;
    }
    const axes = PLANES[this.plane];
    const index = { x: 0, y: 1, z: 2 };
    const [r, u] = [index[axes.right], index[axes.up]];
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
    if (this.board.models.size && this.plane !== "side") {
      const { low, high } = this.board.bounds();
      const axes = PLANES[this.plane];
      const [x1, y1] = this.toScreen(low[axes.right], low[axes.up]);
      const [x2, y2] = this.toScreen(high[axes.right], high[axes.up]);
      if (this.plane === "front") {
        parts.push(svgElement("path", { class: "size-line", d: `M${x1} ${y1 + 8}v16M${x2} ${y1 + 8}v16M${x1} ${y1 + 18}H${x2}` }));
        parts.push(svgElement("text", { class: "size-text", x: (x1 + x2) / 2, y: y1 + 14 }, sizeText(high[axes.right] - low[axes.right])));
        parts.push(svgElement("path", { class: "size-line", d: `M${x1 - 8} ${y1}h-16M${x1 - 8} ${y2}h-16M${x1 - 18} ${y1}V${y2}` }));
        parts.push(svgElement("text", { class: "size-text", x: 0, y: 0, transform: `translate(${x1 - 22} ${(y1 + y2) / 2}) rotate(-90)` }, sizeText(high[axes.up] - low[axes.up])));
      } else {
        parts.push(svgElement("path", { class: "size-line", d: `M${x1 - 8} ${y1}h-16M${x1 - 8} ${y2}h-16M${x1 - 18} ${y1}V${y2}` }));
        parts.push(svgElement("text", { class: "size-text", x: 0, y: 0, transform: `translate(${x1 - 22} ${(y1 + y2) / 2}) rotate(-90)` }, sizeText(high[axes.up] - low[axes.up])));
      }
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
    for (const model of this.board.models.values()) model.drawAt(zoom);
    renderer.render(this.board.scenes.drawing, this.camera);
  }
}

function clampZoom(zoom) {
  return Math.min(Math.max(zoom, 1e-3), 1e4);
}

function sizeText(value) {
  return String(Math.round(value * 10) / 10);
}

/** @returns {string} a coordinate to a tenth of a mm, without a minus before nothing */
export function tenths(value) {
  return (Math.round(value * 10) / 10 + 0).toFixed(1);
}
