/** Marks on the board: named ones in plum with their counts, and picking new ones by click, box or lasso. */
import { elementMiddles, elementsWhere } from "../scene/element_middles.js";
import { svgElement } from "../views/svg.js";
import { contains } from "./plane_places.js";
import { Tool } from "./tool.js";

const KINDS = { face: "face", edge: "edge", point: "point", loop: "edge", ring: "edge", strip: "face", path: "edge" };
const DRAG = 5;
const MOST_PLACES = 500;
/** Most elements that are dragged by hand in one line. */
const MOST_DRAGGED = 50;

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
    /** The places that a path goes through, so far. @type {number[][]} */
    this.stops = [];
  }

  connect(listening) {
    const { element } = this.board;
    this.bar = /** @type {HTMLElement} */ (element.querySelector(".mark-bar"));
    this.lasso = element.querySelector(".mark-lasso");
    this.list = /** @type {HTMLElement} */ (element.querySelector(".mark-list"));
    this.surface = element.querySelector(".picture-surface");
    this.choice = /** @type {HTMLElement} */ (element.querySelector(".mark-choice"));
    for (const part of [this.bar, this.choice]) listening.on(part, "click", (event) => this.onBar(event));
    this.showGesture();
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
    if (this.on) this.show();
    else this.leave();
    this.board.tools.onMood(this.on ? "marking" : "rest");
    this.tell();
  }

  /** @returns {boolean} whether the key was for picking */
  key(event) {
    if (!this.on) return false;
    const act = this.meant(event);
    act?.();
    return Boolean(act);
  }

  /** @returns {?function(): unknown} what a key does while picking, none where it is not for picking */
  meant(event) {
    const kind = Object.keys(KINDS)[Number(event.key) - 1];
    if (kind) return () => this.setGesture(kind);
    const button = event.ctrlKey || event.metaKey || event.altKey ? null : this.actions().find((one) => one.dataset.actKey === event.key.toUpperCase());
    if (button) return () => this.act(button.dataset.act);
    const first = /** @type {?HTMLElement} */ (this.bar.querySelector(".mark-offers button"));
    const others = { Escape: () => this.toggle(), "+": () => this.grow(1), "-": () => this.grow(-1), Enter: this.picked && first ? () => first.click() : null, h: () => this.hide(), H: () => this.showAll() };
    return others[event.key] ?? null;
  }

  setGesture(kind) {
    this.gesture = kind;
    this.showGesture();
    if (this.picked && (KINDS[kind] !== this.picked.kind || kind === "path")) this.clear();
  }

  /** Show which kind a click picks. */
  showGesture() {
    const kind = this.gesture;
    this.choice.querySelectorAll("[data-pick]").forEach((button) => button.setAttribute("aria-checked", String(/** @type {HTMLElement} */ (button).dataset.pick === kind)));
  }

  onBar(event) {
    const data = event.target.closest("button")?.dataset ?? {};
    const acts = {
      pick: () => this.setGesture(data.pick),
      act: () => this.act(data.act),
      pickHide: () => this.hide(),
      pickShow: () => this.showAll(),
      pickClear: () => this.clear(),
      pickEnd: () => this.toggle(),
    };
    Object.entries(acts).find(([name]) => name in data)?.[1]();
  }

  /** Picking ends: nothing is picked or hidden any more. */
  leave() {
    this.clear();
    this.showAll();
  }

  /** Hide the picked faces, to see and pick what lies behind them. */
  hide() {
    const { picked } = this;
    if (picked?.kind !== "face") return;
    this.board.scene.models.get(picked.mesh)?.hideFaces(picked.indices);
    this.clear();
  }

  /** Show the hidden faces again. */
  showAll() {
    for (const model of this.board.scene.models.values()) if (model.hidden.size) model.hideFaces(null);
    this.tell();
    this.board.draw();
  }

  /** @returns {number} how many faces are hidden */
  get hiddenCount() {
    return [...this.board.scene.models.values()].reduce((sum, model) => sum + model.hidden.size, 0);
  }

  clear() {
    this.picked = null;
    this.stops = [];
    this.show();
    this.tell();
  }

  update({ marks = [] }) {
    this.marks = marks;
    this.show();
  }

  /** @returns {any[]} named marks that are shown: those that another line used rest, unless one stands on theirs or picks */
  inSight() {
    return this.marks.filter((mark) => !mark.used || this.on || mark.id === this.board.handles.line);
  }

  /** Show named marks, and what is picked. */
  show() {
    const marks = this.inSight();
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
    const { picture } = this.board;
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
    if (this.gesture === "path") await this.pickPath(found);
    else await this.pickOne(found, event.shiftKey);
  }

  async pickOne(found, takeAway) {
    const told = await this.ask({ mesh: found.model.id, place: found.place.toArray() });
    if (told) this.join(found.model.id, told.kind, told.indices, takeAway, told.offers);
  }

  /** The path goes on to a place: the shortest way over edges. */
  async pickPath(found) {
    const before = this.picked?.mesh === found.model.id ? this.stops : [];
    const stops = [...before, found.place.toArray()];
    const told = await this.ask({ mesh: found.model.id, places: stops });
    if (!told) return;
    this.stops = stops;
    this.picked = null;
    this.join(found.model.id, told.kind, told.indices, false, told.offers);
    if (stops.length === 1) this.tell("The path starts here: click where it goes on to.");
  }

  /** Take in what is about the picks, or leave out the outermost of them. @param {1|-1} by */
  async grow(by) {
    const { picked } = this;
    if (!picked) return;
    const told = await this.ask({ mesh: picked.mesh, kind: picked.kind, indices: picked.indices, grow: by });
    if (!told) return;
    this.picked = told.indices.length ? { ...picked, indices: told.indices, offers: [] } : null;
    this.stops = [];
    this.show();
    this.tell();
  }

  /** Ask the server about a pick. @returns {Promise<?any>} its answer; nothing where it refuses, which is told */
  async ask(asked) {
    const body = JSON.stringify({ gesture: this.gesture, shown_after: this.edits.state().shown_after, ...asked });
    const answer = await this.edits.session.ask(this.board.root.dataset.pickedUrl, { method: "POST", headers: { "Content-Type": "application/json" }, body }).catch(() => null);
    if (!answer) {
      this.tell("The server does not answer. Try again in a moment.");
      return null;
    }
    const told = await answer.json();
    if (answer.ok) return told;
    this.tell(told.sentence);
    return null;
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
    if (isMarkable) this.byHand().forEach((button) => offers.append(" · ", button));
    this.showActions();
    this.offerHiding();
  }

  /** Offer to hide picked faces, and to show those that are. */
  offerHiding() {
    const [hide, show] = ["[data-pick-hide]", "[data-pick-show]"].map((name) => /** @type {HTMLElement} */ (this.bar.querySelector(name)));
    hide.hidden = this.picked?.kind !== "face";
    const count = this.hiddenCount;
    show.hidden = !count;
    show.textContent = `Show ${counted(count, "hidden face")}`;
  }

  /** @returns {HTMLButtonElement[]} what may be done at once to what is picked */
  actions() {
    const { picked } = this;
    if (!picked || !this.edits.mayEdit || !this.toMark()) return [];
    return [...this.bar.querySelectorAll("[data-act]")].map((button) => /** @type {HTMLButtonElement} */ (button)).filter((button) => button.dataset.actOn.split(" ").includes(picked.kind));
  }

  /** Offer what may be done at once. */
  showActions() {
    const able = new Set(this.actions());
    const group = /** @type {HTMLElement} */ (this.bar.querySelector(".mark-acts"));
    group.hidden = !able.size;
    group.querySelectorAll("button").forEach((button) => button.toggleAttribute("hidden", !able.has(button)));
  }

  /** @returns {?Object} the fields of the mark that what is picked becomes when something is done to it: one by its place, more by their rule */
  toMark() {
    const { picked } = this;
    return picked.indices.length > 1 && picked.offers.length ? picked.offers[0].values : this.byPlaces();
  }

  /** Add a mark of what is picked and a line that does a verb to it, with its handles in sight and its first number in focus. @param {string} verb */
  async act(verb) {
    const { mesh } = this.picked;
    const values = { ...(await this.signed(this.toMark())), mesh };
    const added = await this.added({ op: "act", verb, values: JSON.stringify(values) });
    if (!added) return;
    /** @type {?HTMLElement} */ (added.querySelector("[data-kind=number]"))?.focus({ preventScroll: true });
    this.board.note("Drag the round handle, or press Enter and type the number.");
  }

  /** Send a change that adds a line for what is picked; @returns {Promise<?HTMLElement>} the last line that came, its handles in sight */
  async added(change) {
    const { root } = this.board;
    const known = new Set([...root.querySelectorAll(".line")].map((line) => /** @type {HTMLElement} */ (line).dataset.line));
    this.picked = null;
    await this.edits.change({ after: this.edits.state().shown_after, ...change });
    const line = /** @type {?HTMLElement} */ ([...root.querySelectorAll(".line")].filter((one) => !known.has(/** @type {HTMLElement} */ (one).dataset.line)).at(-1) ?? null);
    if (!line) return null;
    if (this.on) this.toggle();
    line.scrollIntoView({ block: "nearest" });
    this.board.handles.standOn(line.dataset.line);
    return line;
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

  /** @returns {HTMLButtonElement[]} the button that takes what is picked by hand, where it is not too much for that */
  byHand() {
    const { picked } = this;
    const values = picked.indices.length <= MOST_DRAGGED ? this.byPlaces() : null;
    if (!values) return [];
    return [wordButton("Drag by hand", () => this.drag(values))];
  }

  /** @returns {Object[]} where the picked mesh begins and how far it reaches, so that places go along with its size; none of a smoothed one, which has another */
  boxPicked() {
    const model = this.board.scene.models.get(this.picked.mesh);
    if (!model || String(this.edits.state().level) !== "0") return [];
    const { min, max } = model.box;
    const [x, y, z, width, depth, height] = [min.x, min.y, min.z, max.x - min.x, max.y - min.y, max.z - min.z].map(rounded);
    return [{ x, y, z, width, depth, height }];
  }

  /** Add a line that drags what is picked, by its places, and leave its handles in sight. */
  async drag(places) {
    const { mesh, kind } = this.picked;
    const box = this.boxPicked();
    const { picks } = await this.signed(places);
    const drags = picks.map((place) => ({ ...place, right: 0, back: 0, rise: 0 }));
    const added = await this.added({ op: "work", verb: "drag", item: mesh, values: JSON.stringify({ what: `${kind}s`, drags, box, axes: "own" }) });
    if (added) this.board.note("Drag the squares, in any view or the picture; their numbers stand in the line.");
  }

  offer(words, values) {
    return wordButton(words, () => this.make(values));
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

  /** @returns {Promise<Object>} the fields of a mark by places, each with what it is known by when the mesh changes; others as they are */
  async signed(values) {
    const { mesh, kind, indices } = this.picked;
    if (!values.what.startsWith("single") || String(this.edits.state().level) !== "0") return values;
    const told = await this.ask({ mesh, kind, known: indices });
    return told ? { ...values, picks: told.picks } : values;
  }

  /** @returns {string} the first place of what is picked, as it is sent */
  placePicked() {
    const [place] = this.byPlaces()?.picks ?? [];
    return place ? `${place.x},${place.y},${place.z}` : "";
  }

  async make(values) {
    const mesh = this.picked.mesh;
    const signed = await this.signed(values);
    this.picked = null;
    await this.edits.change({ op: "mark", after: this.edits.state().shown_after, values: JSON.stringify({ mesh, ...signed }) });
    this.tell("Marked; its name is in the sheet.");
  }
}

/** @returns {HTMLButtonElement} a button that reads as a word */
function wordButton(words, act) {
  const button = document.createElement("button");
  button.type = "button";
  button.className = "text-button";
  button.textContent = words;
  button.addEventListener("click", act);
  return button;
}

/** @returns {string} as in `3 faces` */
function counted(size, kind) {
  return `${size.toLocaleString("en")} ${kind}${size === 1 ? "" : "s"}`;
}

function rounded(value) {
  return Math.round(value * 1e4) / 1e4;
}
