/** Grips: places on the board that change rows of a line's table when dragged: rings of a skin, control points of a net. */
import { PLANES, svgElement } from "../views/drawing_view.js";
import { round, shifted } from "./coordinate_text.js";

const SIZE = 4;
const INDEX = { x: 0, y: 1, z: 2 };

export class Grips {
  /** @param {Object} board @param {Object} edits */
  constructor(board, edits) {
    this.board = board;
    this.edits = edits;
    this.held = null;
  }

  /** @returns {Object[]} tables with grips; the one in hand as it is being dragged */
  tables() {
    const tables = this.board.extras.grips ?? [];
    return this.held ? tables.map((table) => (table.line === this.held.table.line ? this.held.table : table)) : tables;
  }

  /** Draw the grips seen in a drawing view. */
  draw(view) {
    view.layers.grips ??= view.svg.appendChild(svgElement("g"));
    const focused = view.layers.grips.contains(document.activeElement) ? document.activeElement.dataset.grip : null;
    const parts = [];
    for (const table of this.tables()) {
      table.places.forEach((place, k) => {
        const seen = this.seen(table, place, view);
        if (!seen) return;
        const [x, y] = view.toScreen(...seen.at);
        if (seen.from) {
          const [fx, fy] = view.toScreen(...seen.from);
          parts.push(svgElement("line", { class: "grip-line", x1: fx, y1: fy, x2: x, y2: y }));
        }
        const words = `${table.noun} ${k + 1} of ${table.name}`;
        const grip = svgElement("rect", { class: "grip", x: x - SIZE, y: y - SIZE, width: 2 * SIZE, height: 2 * SIZE, tabindex: this.edits.mayEdit ? 0 : -1, role: "button", "data-grip": `${table.line}:${k}`, "aria-label": words });
        grip.append(svgElement("title", {}, words));
        grip.addEventListener("pointerdown", (event) => this.grab(event, view, table, k));
        grip.addEventListener("keydown", (event) => this.onKey(event, view, table, k));
        parts.push(grip);
      });
    }
    view.layers.grips.replaceChildren(...parts);
    if (focused) view.layers.grips.querySelector(`[data-grip="${focused}"]`)?.focus({ preventScroll: true });
  }

  /** @returns {?{at: number[], from: ?number[]}} where a grip lies in a view, and the line that leads to it */
  seen(table, place, view) {
    const { right, up } = PLANES[view.plane];
    if (table.kind === "net") return { at: [place[INDEX[right]], place[INDEX[up]]], from: null };
    if (view.plane === "plan") return null;
    const reach = view.plane === "front" ? place[3] : place[4];
    const middle = place[INDEX[right]];
    return { at: [middle + reach / 2, place[2]], from: [middle - reach / 2, place[2]] };
  }

  grab(event, view, table, k) {
    if (event.button !== 0 || !this.edits.mayEdit) return;
    event.preventDefault();
    event.stopPropagation();
    const start = view.fromEvent(event);
    this.held = { table: structuredClone(table) };
    const move = (moving) => {
      const now = view.fromEvent(moving);
      this.shift(view, table, k, now[0] - start[0], now[1] - start[1]);
    };
    const up = () => {
      window.removeEventListener("pointermove", move);
      window.removeEventListener("pointerup", up);
      this.commit();
    };
    window.addEventListener("pointermove", move);
    window.addEventListener("pointerup", up);
  }

  onKey(event, view, table, k) {
    const by = { ArrowUp: [0, 1], ArrowDown: [0, -1], ArrowRight: [1, 0], ArrowLeft: [-1, 0] }[event.key];
    if (!by || !this.edits.mayEdit) return;
    event.preventDefault();
    event.stopPropagation();
    const step = event.shiftKey ? 0.1 : 1;
    this.held = { table: structuredClone(table) };
    this.shift(view, table, k, by[0] * step, by[1] * step);
    this.commit();
  }

  /** Change the row of a grip by a move in a view, from the table as it was when it was taken. */
  shift(view, table, k, right, up) {
    const held = this.held.table;
    const axes = PLANES[view.plane];
    if (table.kind === "ring") {
      const row = held.rows[k];
      const name = view.plane === "front" ? "width" : "depth";
      const reach = view.plane === "front" ? 3 : 4;
      const wide = Math.max(0.1, round(table.places[k][reach] + 2 * right));
      row[name] = shifted(table.rows[k][name] ?? table.places[k][reach], table.places[k][reach], wide);
      row.height = shifted(table.rows[k].height, table.heights[k], table.heights[k] + up);
      held.places[k][reach] = wide;
      if (name === "width" && table.rows[k].depth === undefined) held.places[k][4] = wide;
      held.places[k][2] = table.places[k][2] + up;
    } else {
      const by = [0, 0, 0];
      by[INDEX[axes.right]] = right;
      by[INDEX[axes.up]] = up;
      const [around, along] = table.numbers[k];
      held.rows = structuredClone(table.rows);
      let row = held.rows.find((other) => Number(other.round) === around && Number(other.along) === along);
      if (!row) held.rows.push((row = { round: around, along, x: 0, y: 0, z: 0 }));
      const before = table.moved[k];
      ["x", "y", "z"].forEach((axis, c) => (row[axis] = round(before[c] + by[c])));
      held.places[k] = table.places[k].map((value, c) => value + by[c]);
    }
    this.board.preview(held.line, held.field, held.rows);
    this.board.drawings.forEach((other) => this.draw(other));
  }

  commit() {
    const { table } = this.held;
    this.edits.change({ op: "set", line: table.line, field: table.field, value: JSON.stringify(table.rows) }).then(() => {
      this.held = null;
    });
  }
}
