/** Setting the scale of a reference picture, or levelling it, by two places clicked on it. */
import { millimetres, shown, unit } from "../../unit.js";
import { svgElement } from "../views/svg.js";
import { round } from "./coordinate_text.js";
import { Tool } from "./tool.js";

export class PictureTask extends Tool {
  /** @param {Board} board @param {Edits} edits */
  constructor(board, edits) {
    super(board);
    this.edits = edits;
    /** @type {?{line: string, kind: string, places: [number, number][]}} */
    this.task = null;
    this.stop = () => this.end();
  }

  connect(listening) {
    listening.on(this.board.root, "click", (event) => {
      const button = event.target.closest("[data-picture-task]");
      if (button) this.begin(button.dataset.pictureLine, button.dataset.pictureTask);
    });
  }

  disconnect() {
    this.end();
  }

  picture(line) {
    return this.board.scene.extras.pictures?.find((other) => other.line === line);
  }

  /** @param {string} line of the picture @param {string} kind "scale" or "level" */
  begin(line, kind) {
    const picture = this.picture(line);
    if (!picture) {
      this.board.note("Show the picture first.");
      return;
    }
    this.task = { line, kind, places: [] };
    this.board.tools.begin(this);
    this.board.element.classList.add("is-measuring");
    const sentence = kind === "scale" ? `Click two places in the ${picture.plane} view whose distance you know. Esc ends.` : `Click two places in the ${picture.plane} view that should lie level or upright. Esc ends.`;
    this.board.notes.stand({ sentence, end: this.stop });
  }

  end() {
    if (!this.task) return;
    this.task = null;
    this.board.notes.leave(this.stop);
    this.board.tools.end(this);
    this.board.element.classList.remove("is-measuring");
    this.board.drawings.forEach((view) => view.layers.measure.replaceChildren());
  }

  key(event) {
    if (!this.task || event.key !== "Escape") return false;
    this.end();
    return true;
  }

  claims({ event, view }) {
    return Boolean(this.task) && !view.isPicture && event.button === 0;
  }

  down({ event, view }) {
    const { places, line } = this.task;
    const picture = this.picture(line);
    if (!picture || picture.plane !== view.plane || places.length > 1) return;
    places.push(view.fromEvent(event));
    this.show(view, places);
  }

  /** When the click is over the second place is used: an input that came before would lose the focus again. */
  up() {
    if (this.task?.places.length !== 2) return;
    const { places, line, kind } = this.task;
    const picture = this.picture(line);
    if (!picture) return;
    if (kind === "scale") setTimeout(() => this.askDistance(picture, places));
    else this.level(picture, places);
  }

  show(view, places) {
    const screen = places.map((place) => view.toScreen(...place));
    const parts = screen.map(([x, y]) => svgElement("path", { class: "measure-line", d: `M${x - 6} ${y}h12M${x} ${y - 6}v12` }));
    if (screen.length > 1) parts.push(svgElement("polyline", { class: "measure-line", points: screen.map((point) => point.join(",")).join(" ") }));
    view.layers.measure.replaceChildren(...parts);
  }

  /** Ask how far apart two places are; the first stays where it is. @param {any} picture @param {[number, number][]} places */
  askDistance(picture, [a, b]) {
    const seen = Math.hypot(b[0] - a[0], b[1] - a[1]);
    const use = (text) => {
      const wanted = millimetres(text);
      if (!(wanted > 0) || !(seen > 0)) {
        this.board.note(`Type a distance such as 164 ${unit()}.`);
        return;
      }
      const factor = wanted / seen;
      this.end();
      this.board.references.place(picture.line, { width: picture.width * factor, right: a[0] + (picture.right - a[0]) * factor, up: a[1] + (picture.up - a[1]) * factor });
    };
    this.board.notes.ask("They are how far apart?", `${round(shown(seen))} ${unit()}`, use, () => this.end());
  }

  /** Turn the picture so that two places lie level or upright, whichever is nearer. @param {any} picture @param {[number, number][]} places */
  level(picture, [a, b]) {
    const angle = Math.atan2(b[1] - a[1], b[0] - a[0]);
    const by = Math.round(angle / (Math.PI / 2)) * (Math.PI / 2) - angle;
    const [x, y] = turned([picture.right - a[0], picture.up - a[1]], by);
    this.end();
    this.board.note("");
    this.board.references.place(picture.line, { turn: ((picture.turn + by) * 180) / Math.PI, right: a[0] + x, up: a[1] + y });
  }
}

/** @param {[number, number]} place @param {number} angle in radians @returns {[number, number]} */
export function turned([x, y], angle) {
  return [x * Math.cos(angle) - y * Math.sin(angle), x * Math.sin(angle) + y * Math.cos(angle)];
}
