/** The bar of the view that is drawn in: what to do, a place typed in words, the step of the grid, and how it ends. */
import { millimetres, shown, unit } from "../../unit.js";

/** Letters that a typed place begins with. */
export const BEGINS_PLACE = /^[0-9.+-]$/;
const GRID_KEY = "glass-spoon:grid:";

export class DrawBar {
  /** @param {Object} pen */
  constructor(pen) {
    this.pen = pen;
    this.board = pen.board;
    this.element = /** @type {?HTMLFormElement} */ (this.board.element.querySelector(".draw-bar"));
    this.key = GRID_KEY + this.board.root.dataset.part;
  }

  connect(listening) {
    if (!this.element) return;
    this.place = /** @type {HTMLInputElement} */ (this.element.querySelector("[data-draw-place]"));
    this.step = /** @type {HTMLInputElement} */ (this.element.querySelector("[data-draw-step]"));
    this.board.snapping.step = Number(localStorage.getItem(this.key)) || null;
    listening.on(this.element, "submit", (event) => event.preventDefault());
    listening.on(this.place, "keydown", (event) => this.onPlaceKey(event));
    listening.on(this.step, "change", () => this.setStep());
    listening.on(this.step, "keydown", (event) => (event.key === "Enter" || event.key === "Escape") && this.leaveStep(event));
    listening.on(this.element.querySelector("[data-draw-back]"), "click", () => this.pen.edits.step("undo"));
    listening.on(this.element.querySelector("[data-draw-end]"), "click", () => this.pen.endPlacing());
  }

  /** Stand in a view while points are placed in it. @param {DrawingView} view @param {string} name of the curve */
  show(view, name) {
    if (!this.element) return;
    const isNew = this.element.hidden;
    if (this.element.parentElement !== view.element) view.element.append(this.element);
    this.element.hidden = false;
    this.element.querySelector(".draw-name").textContent = name;
    this.element.querySelector(".draw-view").textContent = view.plane;
    if (isNew) this.place.value = "";
    this.showStep(view);
  }

  hide() {
    if (!this.element || this.element.hidden) return;
    if (this.element.contains(document.activeElement)) /** @type {HTMLElement} */ (document.activeElement).blur();
    this.element.hidden = true;
  }

  /** Show the step of the grid: the typed one, or that of the zoom. @param {DrawingView} view */
  showStep(view) {
    const { snapping } = this.board;
    if (document.activeElement !== this.step) this.step.value = snapping.step ? `${shown(snapping.step)} ${unit()}` : "";
    this.step.placeholder = `${Number(shown(snapping.gridStep(view)).toPrecision(6))} by zoom`;
  }

  /** Begin to type a place with the first letter of it. @param {string} letter */
  type(letter) {
    this.place.focus();
    this.place.value += letter;
  }

  onPlaceKey(event) {
    if (event.key !== "Enter" && event.key !== "Escape") return;
    event.preventDefault();
    event.stopPropagation();
    const text = this.place.value.trim();
    if (event.key === "Escape" && text) this.place.value = "";
    else if (event.key === "Escape" || !text) this.pen.endPlacing();
    else this.put(text);
  }

  /** @param {string} text */
  async put(text) {
    const saved = await this.pen.putTyped(text);
    if (saved) this.place.value = "";
    if (!this.element.hidden) this.place.focus();
  }

  setStep() {
    const text = this.step.value.trim();
    const step = text ? millimetres(text) : null;
    if (step !== null && !(step > 0)) {
      this.board.note(`Type the step of the grid as a length, such as 5 ${unit()}; empty, it goes with the zoom.`);
      return;
    }
    this.board.snapping.step = step;
    if (step) localStorage.setItem(this.key, String(step));
    else localStorage.removeItem(this.key);
    this.board.redraw();
  }

  leaveStep(event) {
    event.preventDefault();
    event.stopPropagation();
    this.setStep();
    this.step.blur();
  }
}
