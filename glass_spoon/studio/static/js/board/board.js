/** The board: four views of one part on one canvas; loads the model, previews changes, shows offenders. */
import { DirectionalLight, HemisphereLight, Scene, WebGLRenderer, Color, Vector3 } from "three";
import { DrawingSpace, DrawingView } from "./views/drawing_view.js";
import { Grips } from "./tools/grips.js";
import { Judging } from "./scene/judging.js";
import { Model } from "./scene/model.js";
import { MarkPick } from "./tools/mark_pick.js";
import { Measure } from "./tools/measure.js";
import { Offenders } from "./scene/offenders.js";
import { Pen } from "./tools/pen.js";
import { CornerPick } from "./tools/corner_pick.js";
import { PictureView } from "./views/picture_view.js";
import { PlacePick } from "./tools/place_pick.js";
import { References } from "./tools/references.js";
import { Snapping } from "./tools/snapping.js";
import { SpaceCurves } from "./scene/space_curves.js";
import { readGltf } from "./scene/gltf_file.js";

const EMPTY_SIZE = 100;
/** Faces from which the drawing views are drawn after the picture. */
const LATER_FACES = 60000;

export class Board {
  /** @param {HTMLElement} root the bench @param {import("../edits.js").Edits} edits */
  constructor(root, edits) {
    this.root = root;
    this.edits = edits;
    this.element = root.querySelector(".board");
    this.models = new Map();
    this.extras = { curves: [], drawings: [], shown: [] };
    this.mode = "edges";
    this.scenes = { picture: new Scene(), drawing: new Scene() };
    this.renderer = new WebGLRenderer({ canvas: root.querySelector(".board-canvas"), antialias: true, alpha: true, preserveDrawingBuffer: true });
    this.renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
    this.renderer.autoClear = false;
    this.light();
    this.space = new DrawingSpace();
    this.drawings = [...root.querySelectorAll(".view-drawing")].map((svg) => new DrawingView(svg, this.space, this));
    this.curves = new SpaceCurves(this.scenes.picture);
    this.judging = new Judging(this);
    this.grips = new Grips(this, edits);
    this.picture = new PictureView(root.querySelector(".view-picture"), this);
    this.snapping = new Snapping(this);
    this.references = new References(this, edits);
    this.measure = new Measure(this, edits);
    this.markPick = new MarkPick(this, edits);
    this.offenders = new Offenders(this);
    this.pen = new Pen(root, edits, this);
    this.placePick = new PlacePick(this, edits);
    this.cornerPick = new CornerPick(this);
    this.combScale = 1;
    this.loading = 0;
    this.loadedRevision = 0;
    this.previewing = null;
    this.nextPreview = null;
    this.fitted = false;
    this.frame = 0;
  }

  light() {
    const sky = new HemisphereLight(new Color("#ffffff"), new Color("#8d958f"), 1.9);
    sky.position.set(0, 0, 1);
    const sun = new DirectionalLight(0xffffff, 1.9);
    sun.position.set(-0.55, -0.75, 0.95);
    const back = new DirectionalLight(0xffffff, 0.5);
    back.position.set(0.9, 0.5, 0.2);
    this.scenes.picture.add(sky, sun, back);
  }

  connect() {
    new ResizeObserver(() => this.resize()).observe(this.element);
    this.element.addEventListener("click", (event) => this.onClick(event));
    this.element.querySelectorAll(".view-name").forEach((name) => name.addEventListener("click", () => this.toggleAlone(name.closest(".view"))));
    for (const part of [this.judging, this.measure, this.markPick, this.references, this.placePick, this.cornerPick]) part.connect();
    this.drawings.forEach((view) => view.connect());
    this.picture.connect();
    this.pen.connect();
    this.resize();
  }

  onClick(event) {
    const mode = event.target.closest("[data-mode]");
    if (mode) {
      this.judging.clear();
      this.setMode(mode.dataset.mode);
    }
    else if (event.target.closest("[data-measure]")) this.measure.toggle();
    else if (event.target.closest("[data-apart]")) this.toggleApart();
  }

  /** Let the drawing views zoom and move each by itself, or all together again. */
  toggleApart() {
    this.apart = !this.apart;
    this.drawings.forEach((view) => (view.space = this.apart ? this.space.copy() : this.space));
    const button = this.element.querySelector("[data-apart]");
    button.textContent = this.apart ? "Zoom together" : "Zoom apart";
    this.fit();
  }

  /** @param {string} mode how the picture shows meshes */
  setMode(mode) {
    this.mode = mode;
    this.element.querySelectorAll("[data-mode]").forEach((button) => button.setAttribute("aria-checked", String(button.dataset.mode === mode)));
    this.models.forEach((model) => model.setMode(mode, this.judging.range));
    this.legend();
    this.draw();
  }

  legend() {
    const legend = this.element.querySelector(".legend");
    legend.replaceChildren();
    if (this.mode === "sides") legend.append("Green faces out, amber is the inside; Flip turns a surface round. ");
    if (this.mode === "stripes") legend.append("Stripes bend where the surface does; a break in them is a kink. ");
    const judged = this.judging.legend(legend);
    legend.hidden = !judged && !["evenness", "stripes", "sides"].includes(this.mode);
    if (this.mode !== "evenness") return;
    legend.append("Face area:");
    for (const [color, words] of [["#e4b06b", "half the mean"], ["#cddfda", "even"], ["#ad4c91", "double"]]) {
      const swatch = document.createElement("span");
      swatch.className = "legend-swatch";
      swatch.style.background = color;
      legend.append(swatch, words);
    }
  }

  /** Load the model as the server has it now. */
  async load() {
    const number = ++this.loading;
    this.dropPreviews();
    const slow = setTimeout(() => this.note("Loading the model…"), 700);
    try {
      const state = { ...this.edits.state(), ...this.judging.state() };
      const answer = await this.edits.session.ask(`${this.root.dataset.viewUrl}?${new URLSearchParams(state)}`);
      if (number !== this.loading) return;
      if (!answer.ok) {
        const refusal = await answer.json().catch(() => ({}));
        this.note(refusal.sentence ?? "The model could not be loaded. Load the page again.");
        return;
      }
      const hadModels = this.models.size > 0;
      const wasEmpty = !hadModels && !this.extras.curves.length;
      const content = await answer.arrayBuffer();
      if (number !== this.loading) return;
      this.loadedRevision = Number(state.revision);
      this.take(readGltf(content));
      if (!this.fitted || (wasEmpty && this.extras.curves.length && !this.pen.placing)) this.fit();
      else if (this.models.size && !hadModels) this.picture.fit(this.bounds(true));
      this.fitted = true;
      if (this.isBehind) this.note("Shown as it last could be built; the sheet says which line needs a look.");
      else if (!this.noteOffers) this.note("");
    } catch {
      this.note("The server does not answer. Your last change may not be saved; load the page again.");
    } finally {
      clearTimeout(slow);
    }
  }

  /** Show the content of a glTF file. */
  take(file) {
    const failed = file.extras.failed?.[0];
    this.isBehind = Boolean(failed) && !file.meshes.length && this.models.size > 0;
    const known = this.isBehind || file.meshes.every((data) => this.models.get(data.id)?.topology === data.extras.topology);
    if (this.isBehind) this.offenders.show(null);
    else if (known && file.meshes.length === this.models.size) file.meshes.forEach((data) => this.models.get(data.id).setPoints(data));
    else this.replaceModels(file.meshes);
    this.extras = file.extras;
    this.element.dataset.revision = String(this.loadedRevision);
    this.element.dataset.meshes = String(this.models.size);
    const empty = this.element.querySelector(".picture-empty");
    empty.hidden = this.models.size > 0 || this.extras.curves.length > 0;
    this.curves.show(this.extras.curves, this.models.size > 0);
    this.judging.show(file.extras);
    this.markPick.show(file.extras.marks ?? []);
    if (this.mode === "judged") this.models.forEach((model) => model.setMode("judged", this.judging.range));
    const scale = this.root.querySelector("[data-comb-scale]");
    if (scale && scale !== document.activeElement) scale.value = String(this.combScale);
    empty.textContent = failed ? "Nothing can be shown yet: the sheet says which line needs a look." : "Surfaces and meshes show here: draw a curve, then revolve it.";
    this.pen.update();
    this.drawings.forEach((view) => view.redraw());
    this.draw();
  }

  replaceModels(meshes) {
    this.offenders.show(null);
    for (const model of this.models.values()) {
      this.scenes.picture.remove(model.mesh, model.edges);
      this.scenes.drawing.remove(model.fill, model.outline, model.drawn);
      model.dispose();
    }
    this.models = new Map(meshes.filter((data) => data.triangles).map((data) => [data.id, new Model(data)]));
    for (const model of this.models.values()) {
      model.setMode(this.mode);
      this.scenes.picture.add(model.mesh, model.edges);
      this.scenes.drawing.add(model.fill, model.outline, model.drawn);
    }
  }

  /**
   * Ask how the part would be with one field changed. Only the newest request matters; nothing is saved.
   * @param {string} line @param {string} field @param {unknown} value
   */
  preview(line, field, value) {
    this.previewMany(line, { [field]: value });
  }

  /** Ask the same of several fields at once. @param {string} line @param {Object<string, unknown>} values */
  previewMany(line, values) {
    if (!line) return;
    this.nextPreview = { line, values };
    if (!this.previewing) this.previewing = this.runPreviews();
  }

  /** Forget previews that are under way: something is saved now. */
  dropPreviews() {
    this.nextPreview = null;
    this.previewEpoch = (this.previewEpoch ?? 0) + 1;
  }

  async runPreviews() {
    while (this.nextPreview) {
      const asked = this.nextPreview;
      const epoch = this.previewEpoch;
      this.nextPreview = null;
      await this.onePreview(asked, epoch);
    }
    this.previewing = null;
  }

  async onePreview(asked, epoch) {
    const known = [...this.models.values()].map((model) => model.topology);
    try {
      const answer = await this.edits.session.ask(this.root.dataset.previewUrl, {
        method: "POST",
        headers: { "Content-Type": "application/json" },
        body: JSON.stringify({ ...asked, known, view: { ...this.edits.state(), ...this.judging.state() } }),
      });
      if (epoch !== this.previewEpoch) return;
      if (!answer.ok) {
        this.note((await answer.json()).sentence ?? "");
        return;
      }
      const file = readGltf(await answer.arrayBuffer());
      if (epoch !== this.previewEpoch) return;
      this.take(file);
      this.note(file.extras.failed?.[0] ?? file.extras.told ?? "");
      this.showReadings(file.extras.readings ?? []);
      for (const [label, text] of file.extras.curveRows ?? []) {
        const row = this.root.querySelector(`[data-curve-row="${CSS.escape(label)}"] .gauge-text`);
        if (row) row.textContent = text;
      }
    } catch {
      this.note("The server does not answer.");
    }
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

  /**
   * Say something at the foot of the board; an empty sentence takes it away.
   * @param {string} sentence @param {Array<[string, () => void]>} actions buttons after it
   */
  note(sentence, actions = []) {
    const note = this.element.querySelector(".board-note");
    note.textContent = sentence || this.pen.reminder;
    note.hidden = !note.textContent;
    this.noteOffers = actions.length > 0;
    const ending = !sentence && this.pen.reminder ? [["Done", () => this.pen.setPlacing(false)]] : [];
    for (const [words, act] of [...actions, ...ending]) {
      const button = document.createElement("button");
      button.type = "button";
      button.className = "text-button";
      button.textContent = words;
      button.addEventListener("click", act);
      note.append(" ", button);
    }
  }

  /** Ask for a text at the foot of the board. @param {(text: string) => void} use @param {() => void} leave */
  ask(question, value, use, leave) {
    this.note(question);
    const note = this.element.querySelector(".board-note");
    this.noteOffers = true;
    const input = document.createElement("input");
    input.className = "value-input";
    input.value = value;
    input.size = 10;
    input.setAttribute("aria-label", question);
    note.append(" ", input);
    input.focus();
    input.select();
    input.addEventListener("keydown", (event) => {
      event.stopPropagation();
      if (event.key === "Enter") {
        this.note("");
        use(input.value);
      } else if (event.key === "Escape") {
        this.note("");
        leave();
      }
    });
  }

  /** @returns {{low: Vector3, high: Vector3}} the box in mm of all meshes, and of the curves where asked or where there is no mesh */
  bounds(withCurves = false) {
    const low = new Vector3(Infinity, Infinity, Infinity);
    const high = new Vector3(-Infinity, -Infinity, -Infinity);
    for (const model of this.models.values()) {
      model.geometry.computeBoundingBox();
      low.min(model.geometry.boundingBox.min);
      high.max(model.geometry.boundingBox.max);
    }
    if (!this.models.size || withCurves) {
      for (const curve of this.extras.curves) {
        for (const piece of curve.beziers) {
          for (let k = 0; k < 12; k += 3) {
            const place = new Vector3(piece[k], piece[k + 1], piece[k + 2]);
            low.min(place);
            high.max(place);
          }
        }
      }
    }
    if (low.x > high.x) return { low: new Vector3(-EMPTY_SIZE, -EMPTY_SIZE, 0), high: new Vector3(EMPTY_SIZE, EMPTY_SIZE, EMPTY_SIZE * 1.2), empty: true };
    return { low, high };
  }

  /** Bring everything into all views. */
  fit() {
    const box = this.bounds(true);
    this.wasMoved = false;
    const seen = this.drawings.filter((view) => view.isShown());
    if (this.apart) seen.forEach((view) => view.space.fit(box, [view]));
    else this.space.fit(box, seen);
    this.picture.fit(box);
    this.drawings.forEach((view) => view.redraw());
    this.draw();
  }

  /** Show one view alone, or all four again. @param {?HTMLElement} view */
  toggleAlone(view = null) {
    const alone = this.element.querySelector(".is-alone");
    this.toggledAt = performance.now();
    const next = alone ? null : (view ?? this.lastView ?? this.element.querySelector(".view-picture"));
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
    this.drawings.forEach((view) => view.redraw());
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
    const faces = [...this.models.values()].reduce((sum, model) => sum + model.data.extras.faces, 0);
    const rest = () => this.drawings.forEach((view) => view.render(this.renderer, this.element));
    // The picture of a large model is shown before the drawing views follow.
    if (faces > LATER_FACES) requestAnimationFrame(() => requestAnimationFrame(rest));
    else rest();
  }
}

