/** Marks on the board: named ones in plum with their counts, and picking new ones by click, box or lasso. */
import { Vector3 } from "three";
import { svgElement } from "../views/svg.js";
import { contains } from "./plane_places.js";
import { Tool } from "./tool.js";

const KINDS = { face: "face", edge: "edge", point: "point", loop: "edge", ring: "edge", strip: "face" };
const DRAG = 5;
const MOST_PLACES = 500;

export class MarkPick extends Tool {
  /** @param {Board} board @param {Edits} edits */
  constructor(board, edits) {
    super(board);
    this.edits = edits;
    this.on = false;
    this.gesture = "face";
    /** @type {Plum[]} */
    this.shown = [];
    this.marks = [];
    this.picked = null;
  }

  connect(listening) {
    const { element } = this.board;
    this.bar = /** @type {HTMLElement} */ (element.querySelector(".mark-bar"));
    this.lasso = element.querySelector(".mark-lasso");
    this.list = /** @type {HTMLElement} */ (element.querySelector(".mark-list"));
    this.surface = element.querySelector(".picture-surface");
    this.choice = /** @type {HTMLElement} */ (element.querySelector(".mark-choice"));
    for (const part of [this.bar, this.choice]) listening.on(part, "click", (event) => this.onBar(event));
  }

  disconnect() {
    this.picked = null;
    this.shown.forEach((plum) => plum.remove());
  }

  toggle() {
    if (!this.on && !this.board.scene.models.size) {
      this.board.note("Marks are made on a mesh: add a mesh line first.");
      return;
    }
    this.on = !this.on;
    this.bar.hidden = !this.on;
    this.choice.hidden = !this.on;
    this.board.element.classList.toggle("is-marking", this.on);
    this.board.picture.turnByRight(this.on);
    if (this.on) this.board.tools.begin(this);
    else this.board.tools.end(this);
    if (!this.on) this.clear();
    this.board.tools.onMood(this.on ? "marking" : "rest");
    this.tell();
  }

  /** @returns {boolean} whether the key was for picking */
  key(event) {
    if (!this.on) return false;
    const kind = Object.keys(KINDS)[Number(event.key) - 1];
    if (kind) this.setGesture(kind);
    else if (event.key === "Escape") this.toggle();
    else if (event.key === "Enter" && this.picked) /** @type {?HTMLElement} */ (this.bar.querySelector(".mark-offers button"))?.click();
    else return false;
    return true;
  }

  setGesture(kind) {
    this.gesture = kind;
    this.choice.querySelectorAll("[data-pick]").forEach((button) => button.setAttribute("aria-checked", String(/** @type {HTMLElement} */ (button).dataset.pick === kind)));
    if (this.picked && KINDS[kind] !== this.picked.kind) this.clear();
  }

  onBar(event) {
    const button = event.target.closest("button");
    if (button?.dataset.pick) this.setGesture(button.dataset.pick);
    else if (button && "pickClear" in button.dataset) this.clear();
    else if (button && "pickEnd" in button.dataset) this.toggle();
  }

  clear() {
    this.picked = null;
    this.show();
    this.tell();
  }

  update({ marks = [] }) {
    this.marks = marks;
    this.show();
  }

  /** Show named marks, and what is picked. */
  show() {
    const { marks } = this;
    const { scene } = this.board;
    this.shown.forEach((plum) => plum.remove());
    const every = this.picked ? [...marks, this.picked] : marks;
    this.shown = every
      .filter((mark) => scene.models.has(mark.mesh) && mark.indices.length)
      .map((mark) => scene.plum(scene.models.get(mark.mesh), mark.kind, mark.indices));
    this.list.hidden = !marks.length;
    this.list.replaceChildren(...marks.map((mark) => {
      const row = document.createElement("span");
      const name = document.createElement("strong");
      name.textContent = mark.name;
      row.append(name, ` ${counted(mark.count, mark.kind)}`);
      return row;
    }));
    this.board.draw();
  }

  claims({ event, view }) {
    return this.on && view.isPicture && event.button === 0;
  }

  down({ event }) {
    this.start = [event.clientX, event.clientY];
    this.path = [this.start];
    this.isLasso = event.altKey;
  }

  move({ event }) {
    const here = [event.clientX, event.clientY];
    if (this.isLasso) this.path.push(here);
    else this.path = [this.start, [here[0], this.start[1]], here, [this.start[0], here[1]]];
    this.isDrag ||= Math.hypot(here[0] - this.start[0], here[1] - this.start[1]) > DRAG;
    if (!this.isDrag) return;
    const box = this.surface.getBoundingClientRect();
    this.lasso.toggleAttribute("hidden", false);
    this.lasso.replaceChildren(svgElement("polygon", { points: this.path.map(([x, y]) => `${x - box.left},${y - box.top}`).join(" ") }));
  }

  up({ event }) {
    const wasDrag = this.isDrag;
    const path = this.path;
    this.endDrag();
    if (event.type === "pointercancel") return;
    if (wasDrag) this.pickInside(path, event.shiftKey);
    else this.pickAt(event);
  }

  endDrag() {
    this.start = null;
    this.isDrag = false;
    this.lasso.toggleAttribute("hidden", true);
    this.lasso.replaceChildren();
  }

  /** Ask the server what a click picks: it knows loops and rings, and the rules behind them. */
  async pickAt(event) {
    const { picture, root } = this.board;
    picture.aim(event);
    const found = picture.find();
    if (!found || this.isSurface(found.model)) {
      this.tell("Click on a mesh.");
      return;
    }
    if (this.edits.state().level !== "0") {
      this.tell("Marks are made on the cage: choose “cage” under Smoothing first.");
      return;
    }
    const asked = { mesh: found.model.id, gesture: this.gesture, place: found.place.toArray(), shown_after: this.edits.state().shown_after };
    const answer = await this.edits.session.ask(root.dataset.pickedUrl, { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(asked) }).catch(() => null);
    if (!answer) {
      this.tell("The server does not answer. Try again in a moment.");
      return;
    }
    const told = await answer.json();
    if (!answer.ok) {
      this.tell(told.sentence);
      return;
    }
    this.join(found.model.id, told.kind, told.indices, event.shiftKey, told.offers);
  }

  /** Pick all elements whose middle lies inside a polygon on the screen; through the mesh, or only what is seen. */
  pickInside(path, takeAway) {
    const kind = KINDS[this.gesture];
    const through = /** @type {HTMLInputElement} */ (this.choice.querySelector("[data-pick-through]")).checked;
    const meshes = [...this.board.scene.models.values()].filter((model) => !this.isSurface(model));
    const isInside = (middle) => contains(path, this.toScreen(middle)) && (through || this.board.picture.isSeen(middle));
    const found = meshes.map((model) => ({ model, indices: elementsWhere(model, kind, isInside) }));
    const best = found.reduce((most, other) => (other.indices.length > most.indices.length ? other : most), { model: null, indices: [] });
    if (best.indices.length) this.join(best.model.id, kind, best.indices, takeAway, []);
    else this.tell("Nothing lies inside.");
  }

  /** @returns {[number, number]} where a place is on the page; nowhere when it lies behind the camera */
  toScreen(place) {
    const box = this.surface.getBoundingClientRect();
    const [x, y] = this.board.picture.project(place) ?? [NaN, NaN];
    return [box.left + x, box.top + y];
  }

  /** @returns {boolean} whether a model stands for a surface, which has no faces to mark */
  isSurface(model) {
    return Boolean(this.board.scene.extras.shown.find((item) => item.id === model.id)?.surface);
  }

  join(mesh, kind, indices, takeAway, offers) {
    if (!this.picked || this.picked.mesh !== mesh || this.picked.kind !== kind) this.picked = { mesh, kind, indices: [], offers: [] };
    const held = new Set(this.picked.indices);
    const first = held.size === 0;
    for (const index of indices) {
      if (takeAway) held.delete(index);
      else held.add(index);
    }
    this.picked.indices = [...held].sort((a, b) => a - b);
    this.picked.offers = first && !takeAway ? offers : [];
    if (!held.size) this.picked = null;
    this.show();
    this.tell();
  }

  /** Say a sentence, or what is picked, and offer what may be made of it. */
  tell(sentence = "") {
    const isMarkable = Boolean(this.picked) && this.edits.mayEdit;
    const made = isMarkable ? this.offers() : [];
    const offers = this.bar.querySelector(".mark-offers");
    this.bar.querySelector(".mark-count").textContent = sentence || this.count() + (isMarkable && !made.length ? " Too many for single picks: mark them by a rule." : "");
    offers.replaceChildren();
    made.forEach((button, k) => offers.append(k ? " · " : "Mark ", button));
  }

  /** @returns {string} how much is picked, or how it is done */
  count() {
    const { picked } = this;
    return picked ? `${counted(picked.indices.length, picked.kind)} picked.` : "Click, or drag a box; Alt draws a lasso. The right button turns.";
  }

  /** @returns {HTMLButtonElement[]} buttons that mark what is picked: by rules that find it, and by the places themselves */
  offers() {
    const { picked } = this;
    const size = picked.indices.length;
    const made = picked.offers.map((offer) => this.offer(offer.words, offer.values));
    const values = !picked.offers.length || size === 1 ? this.byPlaces() : null;
    return values ? [...made, this.offer(size === 1 ? "this one" : "these picks", values)] : made;
  }

  offer(words, values) {
    const button = document.createElement("button");
    button.type = "button";
    button.className = "text-button";
    button.textContent = words;
    button.addEventListener("click", () => this.make(values));
    return button;
  }

  /** @returns {?Object} the fields of a mark by the places of single picks */
  byPlaces() {
    const model = this.board.scene.models.get(this.picked.mesh);
    if (!model || this.picked.indices.length > MOST_PLACES) return null;
    const wanted = new Set(this.picked.indices);
    const picks = [];
    for (const [index, middle] of elementMiddles(model, this.picked.kind)) {
      if (wanted.has(index)) picks.push({ x: rounded(middle.x), y: rounded(middle.y), z: rounded(middle.z) });
    }
    return { what: `single ${this.picked.kind}s`, picks };
  }

  async make(values) {
    const mesh = this.picked.mesh;
    this.picked = null;
    await this.edits.change({ op: "mark", after: this.edits.state().shown_after, values: JSON.stringify({ mesh, ...values }) });
    this.tell("Marked; its name is in the sheet.");
  }
}

/** @returns {string} as in `3 faces` */
function counted(size, kind) {
  return `${size.toLocaleString("en")} ${kind}${size === 1 ? "" : "s"}`;
}

function rounded(value) {
  return Math.round(value * 1e4) / 1e4;
}

/** @returns {number[]} the elements of a kind whose middles pass */
function elementsWhere(model, kind, passes) {
  const found = [];
  for (const [index, middle] of elementMiddles(model, kind)) if (passes(middle)) found.push(index);
  return found;
}

/** Yield the number and the middle of every element of a kind; the middle is one vector that is used again. */
function* elementMiddles(model, kind) {
  const { positions, lines, triangles } = model.data;
  const at = (corner, target) => target.set(positions[3 * corner], positions[3 * corner + 1], positions[3 * corner + 2]);
  const middle = new Vector3();
  const other = new Vector3();
  if (kind === "point") {
    for (let point = 0; point < model.data.extras.points; point += 1) yield [point, at(point, middle)];
  } else if (kind === "edge") {
    for (let edge = 0; 2 * edge < lines.length; edge += 1) yield [edge, at(lines[2 * edge], middle).add(at(lines[2 * edge + 1], other)).multiplyScalar(0.5)];
  } else {
    yield* faceMiddles(model, triangles, at);
  }
}

/** Yield every face with the mean of its corners: each corner once, so that fans do not weigh more. */
function* faceMiddles(model, triangles, at) {
  const middle = new Vector3();
  const other = new Vector3();
  let face = 0;
  let corners = new Set();
  const total = triangles.length / 3;
  for (let triangle = 0; triangle <= total; triangle += 1) {
    const own = triangle < total ? model.faceOf(triangle) : -1;
    if (own !== face && corners.size) {
      middle.set(0, 0, 0);
      for (const corner of corners) middle.add(at(corner, other));
      yield [face, middle.multiplyScalar(1 / corners.size)];
      corners = new Set();
    }
    if (triangle === total) return;
    face = own;
    for (let k = 0; k < 3; k += 1) corners.add(triangles[3 * triangle + k]);
  }
}
