/** The picture: the part in perspective, turned by hand; tells what is under the pointer. */
import { MOUSE, PerspectiveCamera, Plane, Ray, Raycaster, Vector2, Vector3 } from "three";
import { OrbitControls } from "../../../vendor/three/OrbitControls.js";
import { Listening } from "../../listening.js";
import { unit } from "../../unit.js";
import { tenths } from "./planes.js";
import { svgElement } from "./svg.js";
import { enterViewport } from "./viewport.js";

const START = new Vector3(0.42, -1, 0.5).normalize();
/** Share of the picture that the box may fill: bodies rarely reach its corners, lines do. */
const SOLID_ROOM = 0.9;
/** Share of its distance by which a place may lie behind what is hit first and still be seen: faces bulge before their middles. */
const SEEN = 0.004;
/** Faces from which the picture is coarser while it moves, and the modes that show edges. */
const HEAVY = 60000;
const EDGED = ["edges", "evenness", "sides"];
const LINE_ROOM = 0.88;
/** Pixels that a click may wander. */
const STILL = 4;
const _ray = new Raycaster();
const _pointer = new Vector2();
const _plane = new Plane();
const _place = new Vector3();
const _other = new Vector3();

export class PictureView {
  /** @param {HTMLElement} element @param {Board} board */
  constructor(element, board) {
    this.element = element;
    this.surface = /** @type {HTMLElement} */ (element.querySelector(".picture-surface"));
    this.over = element.querySelector(".picture-over");
    this.board = board;
    this.isPicture = true;
    this.plane = "picture";
    this.layers = { comments: this.over.appendChild(svgElement("g")), handles: this.over.appendChild(svgElement("g")) };
    this.camera = new PerspectiveCamera(26, 1, 1, 10000);
    this.camera.up.set(0, 0, 1);
    this.camera.position.copy(START).multiplyScalar(600);
    this.controls = new OrbitControls(this.camera, this.surface);
    this.controls.zoomToCursor = true;
    this.hovered = null;
    this.mark = null;
    this.waiting = 0;
    this.listening = new Listening();
  }

  connect() {
    this.controls.addEventListener("change", () => {
      this.board.tools.draw(this);
      this.board.names.draw();
      this.board.draw(true);
    });
    this.controls.addEventListener("start", () => {
      this.board.wasMoved = true;
      this.coarsen(true);
    });
    this.controls.addEventListener("end", () => this.coarsen(false));
    this.listening.on(this.surface, "pointerleave", () => this.point(null));
    this.listening.on(this.surface, "pointerdown", (event) => (this.pressed = [event.clientX, event.clientY]));
    this.listening.on(this.surface, "click", (event) => this.onClick(event));
  }

  disconnect() {
    this.listening.end();
    this.controls.dispose();
    cancelAnimationFrame(this.waiting);
  }

  isShown() {
    return this.element.clientWidth > 0;
  }

  /** Turn by the right button, so that the left one picks; or as ever. @param {boolean} right */
  turnByRight(right) {
    this.controls.mouseButtons.LEFT = right ? null : MOUSE.ROTATE;
    this.controls.mouseButtons.RIGHT = right ? MOUSE.ROTATE : MOUSE.PAN;
  }

  /** @param {number[] | Vector3} place in space @returns {?[number, number]} where it is on the picture; null behind the camera */
  project(place) {
    if (Array.isArray(place)) _place.fromArray(place);
    else _place.copy(place);
    _place.project(this.camera);
    const { clientWidth: width, clientHeight: height } = this.element;
    return _place.z < 1 ? [((_place.x + 1) / 2) * width, ((1 - _place.y) / 2) * height] : null;
  }

  /**
   * @param {PointerEvent} from @param {PointerEvent} to @param {number[]} place what is moved @param {?number[]} way the only way it may go
   * @returns {?number[]} how far in space the hand went: along the way, or in the plane through the place that faces the camera
   */
  shift(from, to, place, way) {
    const [a, b] = [from, to].map((event) => (way ? this.onLine(event, place, way) : this.onPlane(event, place)));
    return a && b && b.sub(a).toArray();
  }

  /** @returns {boolean} whether a move along a way is seen here */
  sees(way) {
    this.camera.getWorldDirection(_place);
    return Math.abs(_place.dot(_other.fromArray(way).normalize())) < 0.985;
  }

  onPlane(event, place) {
    this.aim(event);
    _ray.setFromCamera(_pointer, this.camera);
    this.camera.getWorldDirection(_other);
    _plane.setFromNormalAndCoplanarPoint(_other, _place.fromArray(place));
    return _ray.ray.intersectPlane(_plane, new Vector3());
  }

  /** @returns {?Vector3} the place of a line that the pointer is nearest to; null where the line runs away from the eye */
  onLine(event, place, way) {
    this.aim(event);
    _ray.setFromCamera(_pointer, this.camera);
    const { origin, direction } = _ray.ray;
    const along = new Vector3().fromArray(way).normalize();
    const cosine = along.dot(direction);
    if (Math.abs(cosine) > 0.999) return null;
    const apart = _place.fromArray(place).sub(origin);
    const share = (cosine * apart.dot(direction) - apart.dot(along)) / (1 - cosine * cosine);
    return new Vector3().fromArray(place).addScaledVector(along, share);
  }

  /** Large meshes are turned coarser, without their edges and in larger dots; all of it comes back when they rest. @param {boolean} moving */
  coarsen(moving) {
    const { scene, renderer } = this.board;
    if (scene.faces < HEAVY) return;
    for (const model of scene.models.values()) {
      model.edges.visible = !moving && EDGED.includes(model.mode);
      model.coarsen(moving);
    }
    renderer.setPixelRatio(moving ? 0.6 : Math.min(2, window.devicePixelRatio));
    this.board.draw(!moving);
    if (!moving) this.board.resize();
  }

  resize() {
    const { clientWidth, clientHeight } = this.element;
    if (!clientWidth || !clientHeight) return;
    this.camera.aspect = clientWidth / clientHeight;
    this.camera.updateProjectionMatrix();
  }

  /** Bring a box into the picture: the camera goes back until all its corners are seen. */
  fit({ low, high }) {
    const center = low.clone().add(high).multiplyScalar(0.5);
    const radius = Math.max(high.distanceTo(low) / 2, 1);
    const back = this.camera.position.clone().sub(this.controls.target).normalize();
    const right = new Vector3().crossVectors(this.camera.up, back).normalize();
    const up = new Vector3().crossVectors(back, right);
    const room = (this.board.scene.models.size ? SOLID_ROOM : LINE_ROOM) * Math.tan((this.camera.fov / 2) * (Math.PI / 180));
    let distance = radius * 0.1;
    for (let corner = 0; corner < 8; corner += 1) {
      const place = new Vector3(corner & 1 ? high.x : low.x, corner & 2 ? high.y : low.y, corner & 4 ? high.z : low.z).sub(center);
      const wide = Math.max(Math.abs(place.dot(right)) / this.camera.aspect, Math.abs(place.dot(up)));
      distance = Math.max(distance, wide / room + place.dot(back));
    }
    this.controls.target.copy(center);
    this.camera.position.copy(center).addScaledVector(back, distance);
    this.camera.near = radius / 100;
    this.camera.far = radius * 100;
    this.camera.updateProjectionMatrix();
    this.controls.update();
  }

  /** @returns {() => void} what brings the camera back to where it is now */
  stand() {
    const [from, to] = [this.camera.position.clone(), this.controls.target.clone()];
    return () => {
      this.camera.position.copy(from);
      this.controls.target.copy(to);
      this.controls.update();
      this.board.fit();
    };
  }

  /**
   * Bring a place near; from where the camera is, or from outside where it would be hidden.
   * @param {Vector3} place @param {number} reach mm around it to be seen @param {?Vector3} out the way out of the part there
   */
  approach(place, reach, out) {
    const back = this.camera.position.clone().sub(this.controls.target).normalize();
    const away = (1.7 * reach) / Math.tan((this.camera.fov / 2) * (Math.PI / 180)) / Math.min(1, this.camera.aspect);
    this.board.wasMoved = true;
    this.controls.target.copy(place);
    this.camera.position.copy(place).addScaledVector(back, away);
    if (out?.lengthSq() > 0 && !this.isSeen(place)) this.camera.position.copy(place).addScaledVector(out.normalize().addScaledVector(this.camera.up, 0.25).normalize(), away);
    this.camera.near = away / 100;
    this.camera.updateProjectionMatrix();
    this.controls.update();
    this.board.draw(true);
  }

  render(renderer, board) {
    if (!this.isShown()) return;
    this.board.scene.throwShadow(renderer);
    if (!enterViewport(renderer, board, this.element)) return;
    const away = this.camera.position.distanceTo(this.controls.target);
    const zoom = this.element.clientHeight / (2 * away * Math.tan((this.camera.fov / 2) * (Math.PI / 180)));
    for (const model of this.board.scene.models.values()) model.fadeEdges(zoom);
    renderer.render(this.board.scene.picture, this.camera);
  }

  aim(event) {
    const rect = this.element.getBoundingClientRect();
    _pointer.set(((event.clientX - rect.left) / rect.width) * 2 - 1, 1 - ((event.clientY - rect.top) / rect.height) * 2);
  }

  /** Say what is under the pointer. @param {PointerEvent} event */
  tell(event) {
    this.aim(event);
    if (event.buttons || this.waiting) return;
    this.waiting = requestAnimationFrame(() => {
      this.waiting = 0;
      this.point(this.find());
    });
  }

  /** @returns {?Vector3} the place of a surface or mesh under a pointer event */
  placeAt(event) {
    this.aim(event);
    return this.find()?.place ?? null;
  }

  /** @returns {?{model: any, face: number, triangle: number, place: Vector3, local: Vector3, number: ?number, distance: number}} what is under the pointer */
  find() {
    _ray.setFromCamera(_pointer, this.camera);
    const ray = new Ray().copy(_ray.ray);
    let best = null;
    for (const model of this.board.scene.models.values()) {
      const hit = model.pick(ray);
      if (hit && (!best || hit.distance < best.distance)) best = { model, face: model.faceOf(hit.faceIndex), triangle: hit.faceIndex, place: hit.point, local: hit.local ?? hit.point, number: hit.number ?? null, distance: hit.distance };
    }
    return best;
  }

  /** A click that turns nothing and belongs to no tool goes to the line that made what it hits. @param {MouseEvent} event */
  onClick(event) {
    const [x, y] = this.pressed ?? [event.clientX, event.clientY];
    if (this.board.tools.begun.length || Math.hypot(event.clientX - x, event.clientY - y) > STILL) return;
    this.aim(event);
    const found = this.find();
    if (found) this.board.root.dispatchEvent(new CustomEvent("item-picked", { detail: found.model.id }));
  }

  /** @returns {boolean} whether nothing lies before a place, as the camera sees it @param {Vector3} place */
  isSeen(place) {
    const ray = new Ray(this.camera.position.clone(), place.clone().sub(this.camera.position).normalize());
    const away = this.camera.position.distanceTo(place);
    for (const model of this.board.scene.models.values()) {
      const hit = model.pick(ray);
      if (hit && hit.distance < away * (1 - SEEN)) return false;
    }
    return true;
  }

  /** @returns {string} what is told of the surface or the edge under the pointer */
  judged(found) {
    const { clientWidth, clientHeight } = this.element;
    const [x, y] = [((_pointer.x + 1) / 2) * clientWidth, ((1 - _pointer.y) / 2) * clientHeight];
    const { judging } = this.board;
    return judging.edgeText(x, y, this.camera, clientWidth, clientHeight) || (found ? judging.valueText(found) : "");
  }

  /** Show and say what the pointer is at. @param {?Object} found */
  point(found) {
    const shown = found && this.board.scene.extras.shown.find((item) => item.id === found.model.id);
    const isFace = Boolean(found) && !shown?.surface;
    this.say(found, shown);
    const key = found ? `${found.model.id}:${found.face}:${found.number}` : "";
    if (key === this.hovered) return;
    this.hovered = key;
    this.mark?.remove();
    this.mark = isFace ? this.board.scene.plum(found.model, "face", [found.face], false, found.number) : null;
    this.board.draw(true);
  }

  say(found, shown) {
    const { root } = this.board;
    const pointing = root.querySelector(".pointing");
    if (found && !shown?.surface) pointing.replaceChildren(...faceWords(found, shown));
    else pointing.textContent = found ? `Pointing at the surface ${shown.name}` : "";
    if (shown) root.dispatchEvent(new CustomEvent("item-pointed", { detail: { item: shown.id, place: pointing } }));
    const told = this.judged(found);
    if (told) pointing.append(` · ${told}`);
    root.querySelector(".coordinates").textContent = found ? `x ${tenths(found.place.x)}  y ${tenths(found.place.y)}  z ${tenths(found.place.z)} ${unit()}` : "";
  }
}

/** @returns {(string | HTMLElement)[]} what says which face of what is pointed at */
function faceWords(found, shown) {
  const strong = document.createElement("strong");
  strong.textContent = `face ${found.face + 1}`;
  return ["Pointing at ", strong, `${found.number === null ? "" : ` of body ${found.number + 1}`} of ${shown?.name ?? "the mesh"}`];
}
