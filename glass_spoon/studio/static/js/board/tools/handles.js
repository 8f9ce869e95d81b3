/** Handles: places in space that verbs declare. Taken in any view, they change the values of the line that one stands on. */
import { told } from "../../unit.js";
import { svgElement } from "../views/svg.js";
import { round, shifted, withUnit } from "./coordinate_text.js";
import { Tool } from "./tool.js";
import { degreesAbout, turnedAbout } from "./turning.js";

/**
 * @typedef {Object} Handle
 * @property {string} line whose values it changes
 * @property {string} label @property {string} of what the line gives
 * @property {number[]} place in mm
 * @property {?number[]} way the only one it goes, null for any
 * @property {?number[]} start where the dimension that it ends begins @property {?number[]} measured its direction
 * @property {?[number[], number[]]} turning the centre and the axis of the circle on which that of an angle goes
 * @property {string} text its value as it is told
 * @property {?[string, string]} press the field and its text after a press @property {string} mark what is written on it then @property {boolean} off whether it is off
 * @property {number[]} joins numbers of other handles to which thin lines are drawn
 * @property {Array<[string, string, any, number[], number, any, ?number, ?number, string]>} changes field, column, row, rate, value, typed text, least, most, unit
 */

const SIZE = 4.5;
const PRESSED_SIZE = 9;
/** Pixels around a handle that take it. */
const REACH = 12;
/** Most handles of a line whose values are written beside them. */
const MOST_TEXTS = 12;
/** Pixels that a line of text is high, and a letter wide. */
const TEXT_HIGH = 13;
const TEXT_WIDE = 7.5;
/** Least share of its value that a length above zero is dragged to. */
const ABOVE = 0.01;
/** Pieces that an arc is drawn of, and how much of a square it must cover to be seen. */
const PIECES = 48;
const SEEN = 0.12;
/** Degrees to which an angle is dragged. */
const DEGREES = 0.5;
const KEYS = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 };

export class Handles extends Tool {
  /** @param {Board} board @param {Edits} edits */
  constructor(board, edits) {
    super(board);
    this.edits = edits;
    this.keepsFocus = true;
    /** The line whose handles are shown. @type {?string} */
    this.line = null;
    /** What is in hand: its number, the handles and tables as they were, the values it came to. @type {any} */
    this.held = null;
    /** What was let go last, until the board has heard of it: the next key goes on from there. @type {any} */
    this.left = null;
  }

  /** Stand on a line: its handles are shown. @param {?string} line */
  standOn(line) {
    if (!line || line === this.line) return;
    this.line = line;
    this.board.markPick.show();
    this.redraw();
  }

  redraw() {
    this.board.views.forEach((view) => this.draw(view));
  }

  /** @returns {Handle[]} of the line that one stands on; those in hand as they are dragged */
  handles() {
    if (this.held) return this.held.now;
    if (this.stays()) return this.left.now;
    return (this.board.scene.extras.handles ?? []).filter((handle) => handle.line === this.line);
  }

  draw(view) {
    if (!view.isShown()) return;
    const layer = view.layers.handles;
    const focused = layer.contains(document.activeElement) ? /** @type {SVGElement} */ (document.activeElement).dataset.number : null;
    const handles = this.handles();
    /** @type {number[][]} */
    const texts = [];
    const parts = handles.flatMap((handle, number) => this.parts(view, handle, number, handles.length <= MOST_TEXTS ? texts : null));
    layer.replaceChildren(...netOf(view, handles), ...parts);
    if (focused) layer.querySelector(`[data-number="${focused}"]`)?.focus({ preventScroll: true });
  }

  /**
   * @param {?number[][]} texts places of those that are written already, null for none to be written
   * @returns {SVGElement[]} a handle with its dimension, as a view sees it; nothing where the view looks along it
   */
  parts(view, handle, number, texts) {
    if (handle.measured && !view.sees(handle.measured)) return [];
    const at = view.project(handle.place);
    if (!at) return [];
    const parts = handle.turning ? arcOf(view, handle, at) : dimensionOf(view, handle, at);
    if (!parts) return [];
    if (texts && handle.text && isFree(texts, at, handle.text)) {
      texts.push(at);
      parts.push(svgElement("text", { class: "handle-text", x: at[0] + 9, y: at[1] - 8 }, told(handle.text)));
    }
    return [...parts, svgElement("circle", { class: "handle-reach", cx: at[0], cy: at[1], r: REACH }), this.mark(handle, number, at)];
  }

  /** @returns {SVGElement} what is taken: round on a dimension, square for a place */
  mark(handle, number, [x, y]) {
    const words = handle.press ? handle.label : [handle.of ? `${handle.label} of ${handle.of}` : handle.label, told(handle.text)].filter(Boolean).join(", ");
    const look = { class: "handle", tabindex: this.edits.mayEdit ? 0 : -1, role: "button", "data-number": number, "aria-label": words };
    if (handle.press) return this.pressed(handle, look, [x, y]);
    const mark = handle.measured || handle.turning ? svgElement("circle", { ...look, cx: x, cy: y, r: SIZE }) : svgElement("rect", { ...look, x: x - SIZE, y: y - SIZE, width: 2 * SIZE, height: 2 * SIZE });
    mark.append(svgElement("title", {}, words));
    return mark;
  }

  /** @returns {SVGElement} what is pressed: a round with its mark on it */
  pressed(handle, look, [x, y]) {
    const group = svgElement("g", { ...look, class: handle.off ? "handle is-pressed is-off" : "handle is-pressed" });
    group.append(svgElement("circle", { cx: x, cy: y, r: PRESSED_SIZE }), svgElement("text", { x, y: y + 4 }, handle.mark), svgElement("title", {}, handle.label));
    return group;
  }

  claims({ event, view }) {
    return event.button === 0 && this.edits.mayEdit && Boolean(event.target.closest(".handle, .handle-reach")) && this.nearest(event, view) !== null;
  }

  /** @returns {?number} the handle nearest to a press, not the uppermost, where many lie close; of marks the one that is read */
  nearest(event, view) {
    const read = event.target.closest(".handle.is-pressed");
    if (read) return Number(read.dataset.number);
    let best = null;
    let least = Infinity;
    for (const mark of view.layers.handles.querySelectorAll(".handle")) {
      const { left, right, top, bottom } = mark.getBoundingClientRect();
      const away = Math.hypot(event.clientX - (left + right) / 2, event.clientY - (top + bottom) / 2);
      if (away < least) [best, least] = [Number(mark.dataset.number), away];
    }
    return best;
  }

  down({ event, view }) {
    this.take(this.nearest(event, view));
    this.held.from = event;
  }

  move({ event, view }) {
    const { from, handle } = this.held;
    if (handle.press) return;
    const by = view.shift(from, event, handle.place, handle.way);
    if (by) this.shift(by);
  }

  up() {
    if (this.held.handle.press) this.press(this.held.handle);
    else this.commit();
  }

  /** @param {Handle} handle whose field changes at once */
  press(handle) {
    this.held = null;
    const [field, text] = /** @type {[string, string]} */ (handle.press);
    this.edits.change({ op: "set_many", line: this.line, values: JSON.stringify({ [field]: text }) });
  }

  key(event) {
    const mark = /** @type {?HTMLElement} */ (event.target.closest?.(".handle"));
    if (!mark || !this.edits.mayEdit) return false;
    const handle = this.handles()[Number(mark.dataset.number)];
    if (!handle.press) return this.step(event, mark);
    if (!["Enter", " "].includes(event.key)) return false;
    this.press(handle);
    return true;
  }

  /** @param {HTMLElement} mark of a handle that goes on by a step @returns {boolean} whether the key is one for that */
  step(event, mark) {
    if (!KEYS[event.key] || event.altKey) return false;
    const view = this.board.viewOf(mark);
    this.take(Number(mark.dataset.number));
    const times = KEYS[event.key] * (event.shiftKey ? 10 : 1);
    if (this.held.handle.turning) {
      this.turn(times);
      this.commit();
      return true;
    }
    const step = times * this.board.space.niceLength(4);
    const isUp = event.key === "ArrowUp" || event.key === "ArrowDown";
    this.shift((this.held.handle.way ?? wayOf(view, isUp)).map((part) => part * step));
    this.commit();
    return true;
  }

  /** @returns {boolean} whether the board shows the part as it was before the last change of this line by its handles */
  stays() {
    return this.left?.line === this.line && this.left.seen === this.board.scene.extras;
  }

  /** @param {number} number */
  take(number) {
    const before = this.handles();
    const behind = this.held ?? (this.stays() ? this.left : null);
    const tables = behind?.rows ?? this.board.scene.extras.tables?.[this.line] ?? {};
    this.held = { before, now: before, number, handle: before[number], turned: 0, values: null, rows: null, tables: structuredClone(tables) };
  }

  /** The handle of an angle is turned on from where it was taken. @param {number} degrees */
  turn(degrees) {
    const { handle, number, before } = this.held;
    const [change] = handle.changes;
    const after = within(change, Math.round((change[4] + degrees) / DEGREES) * DEGREES);
    const raw = typed(shifted(change[5], change[4], after, "°"), "°");
    const moved = { ...handle, place: turnedAbout(handle.turning, handle.place, after - change[4]), text: `${round(after)}°`, changes: [[...change.slice(0, 4), after, raw, ...change.slice(6)]] };
    const values = { [change[0]]: raw };
    Object.assign(this.held, { values, now: before.map((other, k) => (k === number ? moved : other)) });
    this.board.feed.preview(this.line, values);
    this.redraw();
  }

  /** The handle is moved by a vector from where it was taken. @param {number[]} by */
  shift(by) {
    const { handle, number, before, tables } = this.held;
    if (handle.turning) {
      const to = degreesAbout(handle.turning, handle.place, handle.place.map((part, k) => part + by[k]));
      if (to === null) return;
      this.held.turned += ((to - this.held.turned + 540) % 360 + 360) % 360 - 180;
      this.turn(this.held.turned);
      return;
    }
    const along = handle.way ? scaled(handle.way, dot(handle.way, by) / dot(handle.way, handle.way)) : by;
    const rows = structuredClone(tables);
    /** @type {Object<string, unknown>} */
    const values = {};
    for (const change of handle.changes) {
      const [field, column] = change;
      if (column) {
        setCell(rows, change, along);
        values[field] = rows[field];
      } else values[field] = textAfter(change, change[5], along);
    }
    const place = handle.place.map((part, k) => part + along[k]);
    const changes = handle.changes.map((change) => [...change.slice(0, 4), valueAfter(change, along), change[1] ? change[5] : textAfter(change, change[5], along), ...change.slice(6)]);
    const moved = { ...handle, place, changes, text: handle.text && withUnit(changes[0][4], changes[0][8]) };
    Object.assign(this.held, { values, rows, now: before.map((other, k) => (k === number ? moved : other)) });
    this.board.feed.preview(this.line, values);
    this.redraw();
  }

  async commit() {
    const { held } = this;
    if (!held?.values) {
      this.held = null;
      return;
    }
    this.board.feed.drop();
    const saved = await this.edits.change({ op: "set_many", line: this.line, values: JSON.stringify(held.values) });
    if (this.held === held) {
      this.left = saved && { line: this.line, now: held.now, rows: held.rows ?? held.tables, seen: this.board.scene.extras };
      this.held = null;
    }
    this.redraw();
  }

  disconnect() {
    this.held = null;
  }
}

/** @returns {boolean} whether a text beside a place would lie on none of those that are written */
function isFree(texts, [x, y], text) {
  return texts.every(([otherX, otherY]) => Math.abs(otherY - y) > TEXT_HIGH || Math.abs(otherX - x) > TEXT_WIDE * text.length);
}

/** @param {Handle[]} handles @returns {SVGElement[]} the thin lines from handle to handle */
function netOf(view, handles) {
  return handles.flatMap((handle) =>
    (handle.joins ?? []).flatMap((other) => {
      const ends = [handle, handles[other]].map((one) => view.project(one.place));
      if (!ends[0] || !ends[1]) return [];
      return [svgElement("line", { class: "handle-net", x1: ends[0][0], y1: ends[0][1], x2: ends[1][0], y2: ends[1][1] })];
    }),
  );
}

/** @returns {SVGElement[]} the line of a dimension, nothing for a place */
function dimensionOf(view, handle, at) {
  const from = handle.start && view.project(handle.start);
  return from ? [svgElement("line", { class: "handle-line", x1: from[0], y1: from[1], x2: at[0], y2: at[1] })] : [];
}

/** @returns {?SVGElement[]} the arc of an angle with the lines from its centre, null where the view looks along it */
function arcOf(view, handle, at) {
  const { turning, place } = handle;
  const value = handle.changes[0][4];
  const count = Math.max(2, Math.ceil((Math.min(Math.abs(value), 360) / 360) * PIECES));
  const first = turnedAbout(turning, place, -value);
  const places = Array.from({ length: count + 1 }, (_, k) => view.project(turnedAbout(turning, first, (value * k) / count)));
  const centre = view.project(turning[0]);
  const aside = view.project(turnedAbout(turning, place, 90));
  if (!centre || !aside || places.some((one) => !one)) return null;
  const [a, b] = [at, aside].map((one) => [one[0] - centre[0], one[1] - centre[1]]);
  const size = Math.max(Math.hypot(...a), Math.hypot(...b));
  if (Math.abs(a[0] * b[1] - a[1] * b[0]) < SEEN * size * size) return null;
  const points = places.map((one) => one.map((part) => part.toFixed(1)).join(",")).join(" ");
  const spokes = [places[0], at].map((end) => svgElement("line", { class: "handle-line is-thin", x1: centre[0], y1: centre[1], x2: end[0], y2: end[1] }));
  return [...spokes, svgElement("polyline", { class: "handle-line", points })];
}

/** @returns {number} a value no less and no more than it may be */
function within([, , , , value, , least, most], wanted) {
  const low = least === null ? wanted : Math.max(wanted, least === 0 ? ABOVE * value : least);
  return most === null ? low : Math.min(low, most);
}

/** @returns {number} the value of a change after a move, not beyond what it may be */
function valueAfter(change, by) {
  return within(change, round(change[4] + dot(change[3], by)));
}

/** @returns {any} the text of a value after a move: an expression of sizes keeps them and gets an offset */
function textAfter(change, raw, by) {
  return typed(shifted(raw, change[4], valueAfter(change, by), change[8]), change[8]);
}

/** @param {any} text @param {string} unit @returns {string} what is typed, a plain number with its unit */
function typed(text, unit) {
  return typeof text === "number" ? withUnit(text, unit) : text;
}

/** Change one cell of a table; a row told by its cells is added where there is none. */
function setCell(rows, change, by) {
  const [field, column, where, , value] = change;
  let row = typeof where === "number" ? rows[field][where] : rows[field].find((other) => Object.entries(where).every(([name, cell]) => Number(other[name]) === cell));
  if (!row) rows[field].push((row = { ...where }));
  if (typeof where !== "number") row[column] ??= value;
  const after = valueAfter(change, by);
  if (Math.abs(after - value) > 1e-9) row[column] = shifted(row[column] ?? value, value, after, change[8]);
}

/** @returns {number[]} the direction in space of up, or right, of a view; of the picture upright, or to the right */
function wayOf(view, isUp) {
  if (view.isPicture) return isUp ? [0, 0, 1] : [1, 0, 0];
  const [a, b] = [{ clientX: 0, clientY: 0 }, isUp ? { clientX: 0, clientY: -1 } : { clientX: 1, clientY: 0 }];
  const step = view.shift(a, b);
  return scaled(step, 1 / Math.hypot(...step));
}

function dot(a, b) {
  return a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
}

function scaled(vector, factor) {
  return vector.map((part) => part * factor);
}
