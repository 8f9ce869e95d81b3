/** The measure: distance, angle and radius taken off the board, and made a size where wanted. */
import { shown, told, unit } from "../../unit.js";
import { svgElement } from "../views/svg.js";
import { Tool } from "./tool.js";

/** Pixels from the edge of its view, and from what is measured, that the words keep. */
const NOTE_EDGE = 6;
const NOTE_AWAY = 14;

export class Measure extends Tool {
  /** @param {Board} board @param {Edits} edits */
  constructor(board, edits) {
    super(board);
    this.edits = edits;
    this.on = false;
    this.view = null;
    this.places = [];
    this.end = () => this.toggle();
    /** What is measured, in words at its place. */
    this.note = document.createElement("p");
    this.note.className = "measure-note";
    this.note.setAttribute("role", "status");
  }

  connect(listening) {
    listening.on(this.board.element, "click", (event) => event.target.closest("[data-measure]") && this.toggle());
  }

  disconnect() {
    this.clear();
  }

  /** Start measuring, or end it. */
  toggle() {
    this.on = !this.on;
    this.clear();
    if (this.on) this.board.tools.begin(this);
    else this.board.tools.end(this);
    this.board.element.classList.toggle("is-measuring", this.on);
    this.board.root.querySelector("[data-measure]")?.setAttribute("aria-pressed", String(this.on));
    if (this.on) this.board.notes.stand({ sentence: "Click two places for a distance, a third for an angle, or an arc for its radius. Enter or Esc ends.", end: this.end });
    else this.board.notes.leave(this.end);
  }

  clear() {
    this.places = [];
    this.note.remove();
    this.board.drawings.forEach((view) => view.layers.measure.replaceChildren());
  }

  claims({ event, view }) {
    return this.on && !view.isPicture && event.button === 0;
  }

  down({ event, view }) {
    if (this.view !== view || this.places.length === 3) this.clear();
    this.view = view;
    const caught = this.board.snapping.find(view, event);
    const radius = this.places.length === 0 && caught.marks.some((mark) => mark.kind === "curve") ? this.radiusAt(view, caught.place) : null;
    if (radius) {
      this.tell(view, /** @type {[number, number]} */ (caught.place), told(`R ${text(radius)} mm`), { value: `${text(radius)} mm`, name: "radius" });
      this.drawPlaces(view, [caught.place], `R ${text(shown(radius))}`);
      return;
    }
    this.places.push(caught.place);
    this.show(view, this.places);
  }

  move(press) {
    this.hover(press);
  }

  hover({ event, view }) {
    if (!this.on || this.view !== view || !this.places.length || this.places.length === 3) return this.on && !view.isPicture;
    const caught = this.board.snapping.find(view, event);
    this.show(view, [...this.places, caught.place]);
    view.layers.measure.append(...this.board.snapping.draw(view, caught));
    return true;
  }

  key(event) {
    if (!this.on || (event.key !== "Escape" && event.key !== "Enter")) return false;
    this.toggle();
    return true;
  }

  /** Say what some places measure. */
  show(view, places) {
    if (places.length < 2) {
      this.drawPlaces(view, places, "");
      return;
    }
    const [a, b] = places.slice(-2);
    if (places.length === 3) {
      const angle = angleAt(places);
      this.drawPlaces(view, places, `${text(angle)}°`);
      this.tell(view, b, `Angle ${text(angle)}°`, { value: `${text(angle)}°`, name: "angle" });
      return;
    }
    const length = Math.hypot(b[0] - a[0], b[1] - a[1]);
    this.drawPlaces(view, places, text(shown(length)));
    this.tell(view, b, `${text(shown(length))} ${unit()}: ${text(shown(Math.abs(b[0] - a[0])))} across, ${text(shown(Math.abs(b[1] - a[1])))} up`, { value: `${text(length)} mm`, name: "measured" });
  }

  /**
   * Say what is measured where it is measured; what is settled may become a size.
   * @param {DrawingView} view @param {[number, number]} place right and up @param {string} sentence @param {{value: string, name: string}} size
   */
  tell(view, place, sentence, { value, name }) {
    const { note } = this;
    const [x, y] = view.toScreen(...place);
    note.textContent = sentence;
    if (note.parentElement !== view.element) view.element.append(note);
    this.offerSize(name, value);
    const free = view.svg.clientWidth - note.offsetWidth - NOTE_EDGE;
    const beside = x + NOTE_AWAY <= free ? x + NOTE_AWAY : x - NOTE_AWAY - note.offsetWidth;
    note.style.left = `${Math.max(NOTE_EDGE, Math.min(beside, free))}px`;
    note.style.top = `${Math.max(NOTE_EDGE, Math.min(y + NOTE_AWAY, view.svg.clientHeight - note.offsetHeight - NOTE_EDGE))}px`;
  }

  /** Offer to make a size of what is settled. @param {string} name @param {string} value */
  offerSize(name, value) {
    if (!this.edits.mayEdit || (this.places.length < 2 && name !== "radius")) return;
    const button = document.createElement("button");
    button.type = "button";
    button.className = "text-button";
    button.textContent = "Make it a size";
    button.addEventListener("click", () => this.makeSize(name, value));
    this.note.append(button);
  }

  async makeSize(name, value) {
    const taken = new Set([...this.board.root.querySelectorAll("[data-size-name]")].map((element) => /** @type {HTMLElement} */ (element).dataset.sizeName));
    let free = name;
    for (let number = 2; taken.has(free); number += 1) free = `${name}_${number}`;
    await this.edits.change({ op: "add", verb: "size", text: `${free} = ${value}` });
    this.toggle();
    this.board.note(`${free} is a size now; use its name in any number.`);
  }

  drawPlaces(view, places, words) {
    const screen = places.map((place) => view.toScreen(...place));
    const parts = screen.map(([x, y]) => svgElement("path", { class: "measure-line", d: `M${x - 5} ${y}h10M${x} ${y - 5}v10` }));
    if (screen.length > 1) parts.push(svgElement("polyline", { class: "measure-line", points: screen.map((point) => point.join(",")).join(" ") }));
    const [x, y] = screen.length > 1 ? [(screen.at(-1)[0] + screen.at(-2)[0]) / 2, (screen.at(-1)[1] + screen.at(-2)[1]) / 2] : (screen[0] ?? [0, 0]);
    if (words) parts.push(svgElement("text", { class: "size-text", x, y: y - 8 }, words));
    view.layers.measure.replaceChildren(...parts);
  }

  /** @returns {?number} the radius of the curve at a place, by the circle through three near places of it */
  radiusAt(view, place) {
    for (const { path } of this.board.snapping.curves(view)) {
      const at = path.findIndex((point, k) => k + 1 < path.length && Math.abs(Math.hypot(point[0] - place[0], point[1] - place[1]) + Math.hypot(path[k + 1][0] - place[0], path[k + 1][1] - place[1]) - Math.hypot(point[0] - path[k + 1][0], point[1] - path[k + 1][1])) < 1e-3);
      if (at < 0) continue;
      const k = Math.min(Math.max(at, 1), path.length - 2);
      const [a, b, c] = [path[k - 1], path[k], path[k + 1]];
      const area = Math.abs((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])) / 2;
      const sides = [[a, b], [b, c], [c, a]].map(([p, q]) => Math.hypot(p[0] - q[0], p[1] - q[1]));
      const radius = area > 1e-9 ? (sides[0] * sides[1] * sides[2]) / (4 * area) : Infinity;
      return radius < 1e5 ? radius : null;
    }
    return null;
  }
}

function angleAt([a, b, c]) {
  const first = Math.atan2(a[1] - b[1], a[0] - b[0]);
  const second = Math.atan2(c[1] - b[1], c[0] - b[0]);
  const turn = Math.abs(((second - first) * 180) / Math.PI) % 360;
  return turn > 180 ? 360 - turn : turn;
}

function text(value) {
  return String(Math.round(value * 1000) / 1000);
}
