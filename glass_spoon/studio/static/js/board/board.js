/** The board: four views of one part on one canvas. Puts its scene, its views and its tools together. */
import { WebGLRenderer } from "three";
import { Listening } from "../listening.js";
import { BoardNote } from "./board_note.js";
import { ItemNames } from "./item_names.js";
import { Legend } from "./legend.js";
import { PartFeed } from "./part_feed.js";
import { Judging } from "./scene/judging.js";
import { Offenders } from "./scene/offenders.js";
import { PartScene } from "./scene/part_scene.js";
import { CornerPick } from "./tools/corner_pick.js";
import { Handles } from "./tools/handles.js";
import { MarkPick } from "./tools/mark_pick.js";
import { Measure } from "./tools/measure.js";
import { Pan } from "./tools/pan.js";
import { Pen } from "./tools/pen.js";
import { PictureTask } from "./tools/picture_task.js";
import { PlacePick } from "./tools/place_pick.js";
import { References } from "./tools/references.js";
import { Snapping } from "./tools/snapping.js";
import { CommentPins } from "./tools/comment_pins.js";
import { ToolStack } from "./tools/tool_stack.js";
import { DrawingSpace } from "./views/drawing_space.js";
import { DrawingView } from "./views/drawing_view.js";
import { PictureView } from "./views/picture_view.js";

/** Faces from which the drawing views are drawn after the picture. */
const LATER_FACES = 60000;
/** Pixels that the bar of drawing covers at the foot of its view. */
const DRAW_BAR = 84;
/** Share of what was there by which new things reach beyond it, for all views to take them in. */
const BEYOND = 0.02;

export class Board {
  /** @param {HTMLElement} root the bench @param {Edits} edits */
  constructor(root, edits) {
    this.root = root;
    this.edits = edits;
    this.element = /** @type {HTMLElement} */ (root.querySelector(".board"));
    this.listening = new Listening();
    this.renderer = new WebGLRenderer({ canvas: root.querySelector(".board-canvas"), antialias: true, alpha: true, preserveDrawingBuffer: true });
    this.renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
    this.renderer.autoClear = false;
    this.notes = new BoardNote(this.element.querySelector(".board-note"));
    this.scene = new PartScene();
    this.feed = new PartFeed(this, edits);
    this.space = new DrawingSpace();
    this.drawings = [...root.querySelectorAll(".view-drawing")].map((svg) => new DrawingView(/** @type {SVGSVGElement} */ (svg), this.space, this));
    this.picture = new PictureView(root.querySelector(".view-picture"), this);
    this.views = [...this.drawings, this.picture];
    this.judging = new Judging(this);
    this.legend = new Legend(this);
    this.offenders = new Offenders(this);
    this.snapping = new Snapping(this);
    this.names = new ItemNames(this);
    this.makeTools();
    this.combScale = 1;
    /** The drawing view that has the room, the others beside it. @type {?DrawingView} */
    this.room = null;
    /** The view that the pointer was in last. @type {?HTMLElement} */
    this.lastView = null;
    this.fitted = false;
    this.frame = 0;
  }

  /** The tools, those asked first before others. */
  makeTools() {
    const { edits } = this;
    this.cornerPick = new CornerPick(this);
    this.placePick = new PlacePick(this, edits);
    this.measure = new Measure(this, edits);
    this.pictureTask = new PictureTask(this, edits);
    this.markPick = new MarkPick(this, edits);
    this.handles = new Handles(this, edits);
    this.pen = new Pen(this, edits);
    this.references = new References(this, edits);
    const pan = new Pan(this);
    const tools = [new CommentPins(this), this.cornerPick, this.placePick, this.measure, this.pictureTask, this.markPick, this.handles, this.pen, this.references, pan];
    this.tools = new ToolStack(this, tools, pan);
  }

  connect() {
    const observer = new ResizeObserver(() => this.resize());
    observer.observe(this.element);
    this.stopObserving = () => observer.disconnect();
    this.listening.on(this.element, "click", (event) => this.onClick(event));
    for (const name of this.element.querySelectorAll(".view-name")) this.listening.on(name, "click", () => this.toggleAlone(name.closest(".view")));
    this.names.connect(this.listening);
    for (const part of [this.judging, this.picture, this.tools]) part.connect();
    this.resize();
  }

  disconnect() {
    this.listening.end();
    this.stopObserving();
    for (const part of [this.judging, this.picture, this.tools]) part.disconnect();
    cancelAnimationFrame(this.frame);
    this.scene.dispose();
    this.renderer.dispose();
  }

  onClick(event) {
    const mode = event.target.closest("[data-mode]");
    if (mode) {
      this.judging.clear();
      this.setMode(mode.dataset.mode);
    } else if (event.target.closest("[data-apart]")) this.toggleApart();
  }

  /** @returns {?DrawingView | PictureView} the view that an element is the paper of, or lies on */
  viewOf(target) {
    const paper = target.closest?.(".view-drawing, .picture-surface, .picture-over");
    return paper ? this.views.find((view) => view.element === paper.closest(".view")) : null;
  }

  /** Let the drawing views zoom and move each by itself, or all together again. */
  toggleApart() {
    this.apart = !this.apart;
    this.drawings.forEach((view) => (view.space = this.apart ? this.space.copy() : this.space));
    const button = this.element.querySelector("[data-apart]");
    button.setAttribute("aria-pressed", String(this.apart));
    this.fit();
  }

  /** @param {Mode} mode how the picture shows meshes */
  setMode(mode) {
    this.element.querySelectorAll("[data-mode]").forEach((button) => button.setAttribute("aria-checked", String(/** @type {HTMLElement} */ (button).dataset.mode === mode)));
    this.scene.setMode(mode, this.judging.range);
    this.legend.show();
    this.draw();
  }

  /** Load the model as the server has it now. */
  load() {
    return this.feed.load();
  }

  /** Show the part as it is saved. @param {Object} file */
  showSaved(file) {
    const hadModels = this.scene.models.size > 0;
    const before = { isEmpty: this.scene.isEmpty, ids: new Set(this.itemIds()), box: this.whole() };
    this.take(file);
    if (!this.fitted || (!this.pen.placing && this.cameIn(before))) this.fit();
    else if (this.scene.models.size && !hadModels) this.picture.fit(this.scene.bounds(true));
    this.fitted = true;
    if (this.isBehind) this.note("Shown as it last could be built; the sheet says which line needs a look.");
    else if (!this.notes.hasOffers) this.note("");
  }

  /** Show the part as it would be. @param {Object} file */
  showPreview(file) {
    this.take(file);
    this.note(file.extras.failed?.[0] ?? file.extras.told ?? "");
    this.showReadings(file.extras.readings ?? []);
    for (const [label, text] of file.extras.curveRows ?? []) {
      const row = this.root.querySelector(`[data-curve-row="${CSS.escape(label)}"] .gauge-text`);
      if (row) row.textContent = text;
    }
  }

  /** Show the content of a glTF file. */
  take(file) {
    const { scene } = this;
    const failed = file.extras.failed?.[0];
    this.isBehind = Boolean(failed) && !file.meshes.length && scene.models.size > 0;
    const before = scene.models;
    if (!this.isBehind) scene.showMeshes(file.meshes);
    if (this.isBehind || scene.models !== before) this.offenders.show(null);
    scene.setExtras(file.extras);
    this.element.dataset.revision = String(this.feed.revision);
    this.element.dataset.meshes = String(scene.models.size);
    this.judging.show(file.extras);
    if (scene.mode === "judged") scene.setMode("judged", this.judging.range);
    this.sayEmpty(failed);
    this.tools.update(file.extras);
    this.redraw();
  }

  sayEmpty(failed) {
    const empty = /** @type {HTMLElement} */ (this.element.querySelector(".picture-empty"));
    empty.hidden = !this.scene.isEmpty;
    empty.textContent = failed ? "Nothing can be shown yet: the sheet says which line needs a look." : "Surfaces and meshes show here: draw a curve, then revolve it.";
    const scale = /** @type {HTMLInputElement} */ (this.root.querySelector("[data-comb-scale]"));
    if (scale && scale !== document.activeElement) scale.value = String(this.combScale);
  }

  /** Put quick readings into the gauges' column while something is dragged. */
  showReadings(readings) {
    for (const reading of readings) {
      const gauge = this.root.querySelector(`.gauge[data-code="${reading.code}"]`);
      if (!gauge) continue;
      gauge.querySelector(".gauge-text").textContent = reading.text;
      gauge.classList.toggle("is-look", !reading.good);
      if (reading.bar !== null) gauge.querySelector(".bar-fill")?.setAttribute("width", `${reading.bar}%`);
    }
  }

  /** Light what an item is on the board. @param {string} item its id, "" for none */
  light(item) {
    if (item === this.lit) return;
    this.lit = item;
    for (const model of this.scene.models.values()) model.light(model.id === item);
    for (const curve of this.element.querySelectorAll("[data-curve]")) curve.classList.toggle("is-lit", Boolean(item) && /** @type {HTMLElement} */ (curve).dataset.curve === item);
    this.draw(true);
  }

  /** Say something at the foot of the board. @param {string} sentence @param {Array<[string, () => void]>} actions */
  note(sentence, actions = []) {
    this.notes.say(sentence, actions);
  }

  /** @returns {string[]} the ids of all that is shown */
  itemIds() {
    const { models, extras } = this.scene;
    return [...models.keys(), ...extras.curves.map((curve) => curve.id), ...(extras.pictures ?? []).map((picture) => picture.line)];
  }

  /** @returns {boolean} whether something new came that reaches beyond what was there before */
  cameIn({ isEmpty, ids, box }) {
    if (this.itemIds().every((id) => ids.has(id))) return false;
    if (isEmpty) return true;
    const { low, high } = this.whole();
    const slack = BEYOND * box.low.distanceTo(box.high);
    const reaches = (axis) => low[axis] < box.low[axis] - slack || high[axis] > box.high[axis] + slack;
    return ["x", "y", "z"].some(reaches);
  }

  /** @returns {{low: any, high: any}} the box in mm of all that is shown, laid pictures too */
  whole() {
    const places = this.references.corners();
    const box = this.scene.bounds(true);
    if (!places.length) return box;
    if (this.scene.isEmpty) Object.assign(box, { low: places[0].clone(), high: places[0].clone() });
    for (const place of places) {
      box.low.min(place);
      box.high.max(place);
    }
    return box;
  }

  /** Bring everything into all views. */
  fit() {
    const box = this.whole();
    this.wasMoved = false;
    const seen = this.drawings.filter((view) => view.isShown());
    if (this.apart || this.room) seen.forEach((view) => view.space.fit(box, [view], view === this.room ? DRAW_BAR : 0));
    else this.space.fit(box, seen);
    this.picture.fit(box);
    this.redraw();
  }

  /** A drawing view takes the room, the others stand in a strip beside it. @param {DrawingView} view */
  takeRoom(view) {
    if (this.room || this.element.dataset.view !== "four") return;
    this.before = this.wasMoved ? this.space.copy() : null;
    this.setRoom(view);
    if (!this.apart) this.drawings.forEach((other) => (other.space = this.space.copy()));
    this.wasMoved = false;
    this.resize();
  }

  /** All four views stand as they did before one took the room. */
  leaveRoom() {
    if (!this.room) return;
    this.setRoom(null);
    if (!this.apart) this.drawings.forEach((other) => (other.space = this.space));
    this.wasMoved = false;
    this.resize();
    if (!this.before || this.apart) return;
    Object.assign(this.space, { middle: this.before.middle, zoom: this.before.zoom });
    this.wasMoved = true;
    this.redraw();
  }

  /** @param {?DrawingView} view */
  setRoom(view) {
    this.room?.element.classList.remove("has-room");
    view?.element.classList.add("has-room");
    if (view) this.element.dataset.room = view.plane;
    else delete this.element.dataset.room;
    this.room = view;
  }

  /** Show one view alone, or all four again. @param {?HTMLElement} view */
  toggleAlone(view = null) {
    if (this.room) {
      this.leaveRoom();
      return;
    }
    const alone = /** @type {?HTMLElement} */ (this.element.querySelector(".is-alone"));
    this.toggledAt = performance.now();
    const next = alone ? null : (view ?? this.lastView ?? this.picture.element);
    alone?.classList.remove("is-alone");
    next?.classList.add("is-alone");
    this.element.dataset.view = next ? next.dataset.plane : "four";
    this.resize();
    this.fit();
  }

  resize() {
    const { clientWidth, clientHeight } = this.element;
    this.renderer.setSize(clientWidth, clientHeight, false);
    this.picture.resize();
    if (!this.fitted || !this.wasMoved) this.fit();
    else this.redraw();
  }

  /** Draw everything anew, what lies over the canvas too. */
  redraw() {
    this.drawings.forEach((view) => view.redraw());
    this.tools.draw(this.picture);
    this.names.draw();
    this.draw();
  }

  /** Draw in the next frame: all views, or the picture alone when only its camera or marks have changed. */
  draw(pictureOnly = false) {
    if (!pictureOnly) this.stale = true;
    this.frame ||= requestAnimationFrame(() => {
      this.frame = 0;
      this.render();
    });
  }

  render() {
    this.renderer.setScissorTest(true);
    this.renderer.setClearColor(0x000000, 0);
    this.picture.render(this.renderer, this.element);
    if (!this.stale) return;
    this.stale = false;
    const rest = () => this.drawings.forEach((view) => view.render(this.renderer, this.element));
    // The picture of a large model is shown before the drawing views follow.
    if (this.scene.faces > LATER_FACES) requestAnimationFrame(() => requestAnimationFrame(rest));
    else rest();
  }
}
