/** The editor of a law: a value along the way as a small curve, its places dragged, added and taken away; the board follows. */
import { Listening } from "./listening.js";
import { unit } from "./unit.js";

const WIDTH = 440;
const HEIGHT = 220;
const EDGE = { left: 46, right: 14, top: 14, bottom: 26 };
const SAMPLES = 96;
const STEP = 0.005;

export class LawEditor {
  /** @param {HTMLElement} root the bench @param {Object} edits @param {Object} board */
  constructor(root, edits, board) {
    this.edits = edits;
    this.board = board;
    this.dialog = /** @type {HTMLDialogElement} */ (root.querySelector("#slip"));
    this.listening = new Listening();
  }

  connect() {
    this.listening.on(document.body, "htmx:afterSwap", (event) => {
      if (event.detail.target.id === "slip-content") this.open();
    });
    this.listening.on(this.dialog, "click", (event) => {
      if (event.target.closest("[data-apply-law]")) this.apply();
      else if (event.target.closest("[data-drop-place]")) this.drop();
    });
    this.listening.on(this.dialog, "change", (event) => this.onChange(event));
    this.listening.on(this.dialog, "close", () => {
      if (this.previewed) this.board.load();
      this.previewed = false;
    });
  }

  disconnect() {
    this.listening.end();
  }

  open() {
    this.slip = /** @type {?HTMLElement} */ (this.dialog.querySelector("#law-slip"));
    if (!this.slip) return;
    this.places = JSON.parse(this.slip.dataset.places);
    this.unit = this.slip.dataset.unit;
    this.least = this.slip.dataset.least === "" ? -Infinity : Number(this.slip.dataset.least);
    this.chosen = 0;
    this.svg = this.slip.querySelector("svg");
    this.frame();
    this.draw();
  }

  /** Choose the values at the foot and the top of the paper, with room above and below. */
  frame() {
    const values = this.places.map(([, value]) => value);
    const low = Math.min(...values, 0);
    const high = Math.max(...values);
    const room = Math.max((high - low) * 0.25, Math.abs(high) * 0.2, this.unit === "°" ? 15 : 0.25);
    this.low = Math.max(low - (low < 0 ? room : 0), Number.isFinite(this.least) && this.least >= 0 ? 0 : -Infinity);
    this.high = high + room;
  }

  x(share) {
    return EDGE.left + share * (WIDTH - EDGE.left - EDGE.right);
  }

  y(value) {
    return HEIGHT - EDGE.bottom - ((value - this.low) / (this.high - this.low)) * (HEIGHT - EDGE.top - EDGE.bottom);
  }

  draw() {
    const way = this.field("way");
    way.closest("label").hidden = this.places.length > 2;
    const shares = Array.from({ length: SAMPLES + 1 }, (_, k) => k / SAMPLES);
    const path = shares.map((share) => `${this.x(share).toFixed(1)},${this.y(valueAt(this.places, way.value, share)).toFixed(1)}`).join(" ");
    const lines = [0, 0.25, 0.5, 0.75, 1].map((share) => `<line class="law-grid" x1="${this.x(share)}" x2="${this.x(share)}" y1="${EDGE.top}" y2="${HEIGHT - EDGE.bottom}"/><text class="law-text" x="${this.x(share)}" y="${HEIGHT - 8}" text-anchor="middle">${share}</text>`);
    const marks = [this.low, (this.low + this.high) / 2, this.high].map((value) => `<line class="law-grid" x1="${EDGE.left}" x2="${WIDTH - EDGE.right}" y1="${this.y(value)}" y2="${this.y(value)}"/><text class="law-text" x="${EDGE.left - 6}" y="${this.y(value) + 4}" text-anchor="end">${tidy(value)}${this.unit}</text>`);
    this.svg.innerHTML = `${lines.join("")}${marks.join("")}<polyline class="law-hit" points="${path}"/><polyline class="law-line" points="${path}"/>`;
    this.places.forEach(([share, value], k) => this.svg.append(this.handle(share, value, k)));
    this.svg.querySelector(".law-hit").addEventListener("pointerdown", (event) => this.add(event));
    const [share, value] = this.places[this.chosen];
    this.field("share").value = tidy(share);
    this.field("share").disabled = this.isEnd(this.chosen);
    this.field("value").value = tidy(value);
    /** @type {HTMLButtonElement} */ (this.slip.querySelector("[data-drop-place]")).disabled = this.isEnd(this.chosen);
    this.slip.querySelector("output").textContent = this.text();
  }

  /** @param {string} name @returns {any} a field of the slip */
  field(name) {
    return this.slip.querySelector(`[name=${name}]`);
  }

  focusHandle(k) {
    /** @type {SVGElement} */ (this.svg.querySelectorAll(".law-handle")[k]).focus();
  }

  isEnd(k) {
    return k === 0 || k === this.places.length - 1;
  }

  handle(share, value, k) {
    const circle = document.createElementNS("http://www.w3.org/2000/svg", "circle");
    const words = { cx: this.x(share), cy: this.y(value), r: 7, class: `law-handle${k === this.chosen ? " is-chosen" : ""}`, tabindex: 0, "aria-label": `Place at ${tidy(share)}: ${tidy(value)}${this.unit}` };
    for (const [name, word] of Object.entries(words)) circle.setAttribute(name, String(word));
    circle.addEventListener("pointerdown", (event) => this.grab(event, k));
    circle.addEventListener("focus", () => this.choose(k));
    circle.addEventListener("keydown", (event) => this.onKey(event, k));
    return circle;
  }

  choose(k) {
    if (this.chosen === k) return;
    this.chosen = k;
    this.draw();
    this.focusHandle(k);
  }

  /** @returns {[number, number]} the share and the value under the pointer */
  at(event) {
    const box = this.svg.getBoundingClientRect();
    const x = ((event.clientX - box.left) / box.width) * WIDTH;
    const y = ((event.clientY - box.top) / box.height) * HEIGHT;
    return [(x - EDGE.left) / (WIDTH - EDGE.left - EDGE.right), this.low + ((HEIGHT - EDGE.bottom - y) / (HEIGHT - EDGE.top - EDGE.bottom)) * (this.high - this.low)];
  }

  add(event) {
    const [share] = this.at(event);
    const value = valueAt(this.places, this.field("way").value, share);
    const k = this.places.findIndex(([other]) => other > share);
    if (k < 1 || share - this.places[k - 1][0] < 4 * STEP || this.places[k][0] - share < 4 * STEP) return;
    this.places.splice(k, 0, [share, value]);
    this.chosen = k;
    this.grab(event, k);
  }

  grab(event, k) {
    event.preventDefault();
    this.chosen = k;
    const move = (moving) => this.put(k, ...this.at(moving));
    const up = () => {
      window.removeEventListener("pointermove", move);
      window.removeEventListener("pointerup", up);
      this.frame();
      this.draw();
    };
    window.addEventListener("pointermove", move);
    window.addEventListener("pointerup", up);
    this.draw();
  }

  onKey(event, k) {
    const [share, value] = this.places[k];
    const by = { ArrowUp: [0, 1], ArrowDown: [0, -1], ArrowRight: [1, 0], ArrowLeft: [-1, 0] }[event.key];
    const fine = event.shiftKey ? 0.2 : 1;
    if (by) {
      event.preventDefault();
      this.put(k, share + by[0] * 0.01 * fine, value + by[1] * (this.unit === "°" ? 5 : 0.05) * fine);
      this.focusHandle(k);
    } else if (event.key === "Delete" || event.key === "Backspace") this.drop();
  }

  /** Move a place, between its neighbours and not below the least value. */
  put(k, share, value) {
    const low = this.isEnd(k) ? this.places[k][0] : this.places[k - 1][0] + STEP;
    const high = this.isEnd(k) ? this.places[k][0] : this.places[k + 1][0] - STEP;
    this.places[k] = [Math.min(Math.max(share, low), high), Math.max(value, this.least)];
    this.draw();
    this.preview();
  }

  drop() {
    if (this.isEnd(this.chosen)) return;
    this.places.splice(this.chosen, 1);
    this.chosen -= 1;
    this.draw();
    this.preview();
  }

  onChange(event) {
    if (!event.target.closest("#law-slip")) return;
    const { name, value } = event.target;
    if (name === "share") this.put(this.chosen, Number(value) || 0, this.places[this.chosen][1]);
    else if (name === "value") this.put(this.chosen, this.places[this.chosen][0], Number(value) || 0);
    else this.draw();
    this.frame();
    this.draw();
    this.preview();
  }

  preview() {
    this.previewed = true;
    this.board.feed.preview(this.slip.dataset.line, { [this.slip.dataset.field]: this.text() });
  }

  /** @returns {string} the law as it is typed */
  text() {
    const words = this.places.map(([share, value], k) => `${tidy(value)}${this.unit}${this.isEnd(k) ? "" : ` at ${tidy(share)}`}`);
    if (words.length > 2) return words.join(", ");
    if (words[0] === words[1]) return words[0];
    const { value } = this.field("way");
    return `${words[0]} to ${words[1]}${value === "evenly" ? "" : ` ${value}`}`;
  }

  apply() {
    this.previewed = false;
    const { line, field } = this.slip.dataset;
    this.edits.change({ op: "set", line, field, value: this.text() });
    this.dialog.close();
  }
}

/** The same laws as the kernel's: eased ways of two values, monotone cubics (Fritsch and Butland, 1984) through more. */
function valueAt(places, way, share) {
  if (places.length === 2) {
    const t = share;
    const done = { evenly: t, eased: t ** 3 * (t * (6 * t - 15) + 10), "eased in": t * t, "eased out": t * (2 - t) }[way];
    return places[0][1] + (places[1][1] - places[0][1]) * done;
  }
  const slopes = slopesOf(places);
  const k = Math.max(0, Math.min(places.length - 2, places.findLastIndex(([other]) => other <= share)));
  const [[a, low], [b, high]] = [places[k], places[k + 1]];
  const width = b - a;
  const t = (share - a) / width;
  return low * (1 + 2 * t) * (1 - t) ** 2 + high * t * t * (3 - 2 * t) + width * (slopes[k] * t * (1 - t) ** 2 + slopes[k + 1] * t * t * (t - 1));
}

function slopesOf(places) {
  const widths = places.slice(1).map(([share], k) => share - places[k][0]);
  const rises = places.slice(1).map(([, value], k) => (value - places[k][1]) / widths[k]);
  const inner = rises.slice(1).map((rise, k) => {
    const before = rises[k];
    if (before * rise <= 0) return 0;
    const [first, second] = [2 * widths[k + 1] + widths[k], widths[k + 1] + 2 * widths[k]];
    return (first + second) / (first / before + second / rise);
  });
  const end = (h0, h1, m0, m1) => {
    const slope = ((2 * h0 + h1) * m0 - h0 * m1) / (h0 + h1);
    if (Math.sign(slope) !== Math.sign(m0)) return 0;
    return Math.sign(m0) !== Math.sign(m1) && Math.abs(slope) > 3 * Math.abs(m0) ? 3 * m0 : slope;
  };
  const last = rises.length - 1;
  return [end(widths[0], widths[1], rises[0], rises[1]), ...inner, end(widths[last], widths[last - 1], rises[last], rises[last - 1])];
}

function tidy(value) {
  return Number(value.toFixed(unit() === "m" ? 6 : 3)).toString();
}
