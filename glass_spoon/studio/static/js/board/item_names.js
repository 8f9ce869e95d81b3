/** The names of what the picture shows, on request: each over its body, none on another; a click goes to its line. */
import { Vector3 } from "three";
import { svgElement } from "./views/svg.js";

/** Pixels that a line of names is high, and a letter wide. */
const HIGH = 17;
const WIDE = 7.2;
const OVER = 10;

export class ItemNames {
  /** @param {Board} board */
  constructor(board) {
    this.board = board;
    this.on = false;
  }

  connect(listening) {
    this.layer = this.board.picture.over.appendChild(svgElement("g"));
    listening.on(this.board.element, "click", (event) => {
      const name = event.target.closest(".picture-name");
      if (event.target.closest("[data-names]")) this.toggle();
      else if (name) this.board.root.dispatchEvent(new CustomEvent("item-picked", { detail: name.dataset.item }));
    });
  }

  toggle() {
    this.on = !this.on;
    this.board.element.querySelector("[data-names]").setAttribute("aria-pressed", String(this.on));
    this.draw();
  }

  /** Write the names where their bodies are now. */
  draw() {
    const names = this.on ? this.placed() : [];
    // All leaders lie under all names.
    const leaders = names.map(({ x, y, over }) => svgElement("line", { class: "name-leader", x1: x, y1: y + 4, x2: x, y2: over }));
    const texts = names.map(({ id, name, x, y }) => {
      const group = svgElement("g", { class: "picture-name", "data-item": id });
      group.append(svgElement("text", { x, y, "text-anchor": "middle" }, name));
      return group;
    });
    this.layer.replaceChildren(...leaders, ...texts);
  }

  /** @returns {{id: string, name: string, x: number, y: number, over: number}[]} names over their bodies, pushed up until none lies on another */
  placed() {
    const { scene, picture } = this.board;
    const found = [];
    for (const model of scene.models.values()) {
      const shown = scene.extras.shown.find((item) => item.id === model.id);
      const { min, max } = model.box;
      const at = picture.project(new Vector3((min.x + max.x) / 2, (min.y + max.y) / 2, max.z));
      if (shown && at) found.push({ id: model.id, name: shown.name, x: at[0], y: at[1] - OVER, over: at[1] });
    }
    found.sort((a, b) => b.y - a.y);
    const placed = [];
    for (const one of found) {
      while (placed.some((other) => Math.abs(other.y - one.y) < HIGH && Math.abs(other.x - one.x) < (WIDE * (other.name.length + one.name.length)) / 2 + 8)) one.y -= HIGH;
      one.y = Math.max(one.y, HIGH);
      placed.push(one);
    }
    return placed;
  }
}
