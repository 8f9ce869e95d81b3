/** Marks on the board: named ones in plum with their counts, and picking new ones by click, box or lasso. */
import { MOUSE, Vector3 } from "three";
import { svgElement } from "../views/drawing_view.js";
import { contains } from "./plane_places.js";

const KINDS = { face: "face", edge: "edge", point: "point", loop: "edge", ring: "edge", strip: "face" };
const DRAG = 5;
const MOST_PLACES = 500;
const _place = new Vector3();

export class MarkPick {
  /** @param {Object} board @param {Object} edits */
  constructor(board, edits) {
    this.board = board;
    this.edits = edits;
    this.on = false;
    this.gesture = "face";
    this.objects = [];
    this.picked = null;
    this.onMood = () => {};
  }

  connect() {
    const { element } = this.board;
    this.bar = element.querySelector(".mark-bar");
    this.lasso = element.querySelector(".mark-lasso");
    this.list = element.querySelector(".mark-list");
    this.surface = element.querySelector(".picture-surface");
    this.choice = element.querySelector(".mark-choice");
    for (const part of [this.bar, this.choice]) part.addEventListener("click", (event) => this.onBar(event));
    this.surface.addEventListener("pointerdown", (event) => this.onDown(event), { capture: true });
    this.surface.addEventListener("pointermove", (event) => this.onMove(event));
    this.surface.addEventListener("pointerup", (event) => this.onUp(event));
    this.surface.addEventListener("pointercancel", () => this.endDrag());
  }

  toggle() {
    if (!this.on && !this.board.models.size) {
      this.board.note("Marks are made on a mesh: add a mesh line first.");
      return;
    }
    this.on = !this.on;
    this.bar.hidden = !this.on;
    this.choice.hidden = !this.on;
    this.board.element.classList.toggle("is-marking", this.on);
    const { controls } = this.board.picture;
    controls.mouseButtons.LEFT = this.on ? null : MOUSE.ROTATE;
    controls.mouseButtons.RIGHT = this.on ? MOUSE.ROTATE : MOUSE.PAN;
    if (!this.on) this.clear();
    this.onMood(this.on ? "marking" : "rest");
    this.tell();
  }

  /** @returns {boolean} whether the key was for picking */
  onKey(event) {
    if (!this.on) return false;
    const kind = Object.keys(KINDS)[Number(event.key) - 1];
    if (kind) this.setGesture(kind);
    else if (event.key === "Escape") this.toggle();
    else if (event.key === "Enter" && this.picked) this.bar.querySelector(".mark-offers button")?.click();
    else return false;
    return true;
  }

  setGesture(kind) {
    this.gesture = kind;
    this.choice.querySelectorAll("[data-pick]").forEach((button) => button.setAttribute("aria-checked", String(button.dataset.pick === kind)));
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
    this.show(this.marks ?? []);
    this.tell();
  }

  /** Show named marks, and what is picked. @param {Array<Object>} marks */
  show(marks) {
    this.marks = marks;
    const { scenes, models } = this.board;
    for (const { scene, object } of this.objects) {
      scene.remove(object);
      object.geometry.dispose();
    }
    this.objects = [];
    const every = this.picked ? [...marks, this.picked] : marks;
    for (const mark of every) {
      const model = models.get(mark.mesh);
      if (!model || !mark.indices.length) continue;
      for (const scene of [scenes.picture, scenes.drawing]) {
        const object = model.marks(mark.kind, mark.indices);
        scene.add(object);
        this.objects.push({ scene, object });
      }
    }
    this.list.hidden = !marks.length;
    this.list.replaceChildren(...marks.map((mark) => {
      const row = document.createElement("span");
      const name = document.createElement("strong");
      name.textContent = mark.name;
      row.append(name, ` ${mark.count.toLocaleString("en")} ${mark.kind}${mark.count === 1 ? "" : "s"}`);
      return row;
    }));
    this.board.draw();
  }

  onDown(event) {
    if (!this.on || event.button !== 0) return;
    this.start = [event.clientX, event.clientY];
    this.path = [this.start];
    this.isLasso = event.altKey;
    this.surface.setPointerCapture(event.pointerId);
  }

  onMove(event) {
    if (!this.start) return;
    const here = [event.clientX, event.clientY];
    if (this.isLasso) this.path.push(here);
    else this.path = [this.start, [here[0], this.start[1]], here, [this.start[0], here[1]]];
    this.isDrag ||= Math.hypot(here[0] - this.start[0], here[1] - this.start[1]) > DRAG;
    if (!this.isDrag) return;
    const box = this.surface.getBoundingClientRect();
    this.lasso.toggleAttribute("hidden", false);
    this.lasso.replaceChildren(svgElement("polygon", { points: this.path.map(([x, y]) => `${x - box.left},${y - box.top}`).join(" ") }));
  }

  onUp(event) {
    if (!this.start) return;
    const wasDrag = this.isDrag;
    const path = this.path;
    this.endDrag();
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
    if (!found || this.board.extras.shown.find((item) => item.id === found.model.id)?.surface) {
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
    const through = this.choice.querySelector("[data-pick-through]").checked;
    let best = null;
    for (const model of this.board.models.values()) {
      if (this.board.extras.shown.find((item) => item.id === model.id)?.surface) continue;
      const indices = [];
      for (const [index, middle] of elementMiddles(model, kind)) {
        const screen = this.toScreen(middle);
        if (contains(path, screen) && (through || this.isSeen(middle))) indices.push(index);
      }
      if (!best || indices.length > best.indices.length) best = { model, indices };
    }
    if (best?.indices.length) this.join(best.model.id, kind, best.indices, takeAway, []);
    else this.tell("Nothing lies inside.");
  }

  toScreen(place) {
    const box = this.surface.getBoundingClientRect();
    _place.copy(place).project(this.board.picture.camera);
    return [box.left + ((_place.x + 1) / 2) * box.width, box.top + ((1 - _place.y) / 2) * box.height];
  }

  isSeen(place) {
    return this.board.picture.isSeen(place);
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
    this.show(this.marks ?? []);
    this.tell();
  }

  tell(sentence = "") {
    const count = this.bar.querySelector(".mark-count");
    const offers = this.bar.querySelector(".mark-offers");
    const { picked } = this;
    const size = picked?.indices.length ?? 0;
    count.textContent = sentence || (size ? `${size.toLocaleString("en")} ${picked.kind}${size === 1 ? "" : "s"} picked.` : "Click, or drag a box; Alt draws a lasso. The right button turns.");
    const buttons = [];
    if (picked && this.edits.mayEdit) {
      for (const offer of picked.offers) buttons.push(this.offer(offer.words, offer.values));
      if (!picked.offers.length || size === 1) {
        const values = this.byPlaces();
        if (values) buttons.push(this.offer(size === 1 ? "this one" : "these picks", values));
        else count.textContent += " Too many for single picks: mark them by a rule.";
      }
    }
    offers.replaceChildren(...(buttons.length ? ["Mark ", ...buttons.flatMap((button, k) => (k ? [" · ", button] : [button]))] : []));
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
    const model = this.board.models.get(this.picked.mesh);
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

function rounded(value) {
  return Math.round(value * 1e4) / 1e4;
}

/** Yield the number and the middle of every element of a kind. */
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
