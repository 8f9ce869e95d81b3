/** What the board shows of a part: its meshes and curves, in one scene for the picture and one for the drawing views. */
import { DirectionalLight, HemisphereLight, Scene, Vector3 } from "three";
import { ContactShadow } from "./contact_shadow.js";
import { Model } from "./model.js";
import { Plum } from "./plum.js";
import { SpaceCurves } from "./space_curves.js";
import { tokenColor } from "./tokens.js";

/** Half of the box in mm that an empty part is seen in. */
const EMPTY_SIZE = 100;

export class PartScene {
  constructor() {
    this.picture = new Scene();
    this.drawing = new Scene();
    /** @type {Map<string, Model>} */
    this.models = new Map();
    this.extras = { curves: [], drawings: [], shown: [], pictures: [], handles: [], comb: null };
    this.curves = new SpaceCurves(this.picture);
    /** @type {Mode} */
    this.mode = "edges";
    /** @type {?[number, number]} values at which the colours of a judgement are full */
    this.range = null;
    this.shadow = new ContactShadow(this.picture);
    this.light();
  }

  light() {
    const sky = new HemisphereLight(tokenColor("light-sky"), tokenColor("light-ground"), 1.9);
    sky.position.set(0, 0, 1);
    const sun = new DirectionalLight(tokenColor("light-sun"), 1.9);
    sun.position.set(-0.55, -0.75, 0.95);
    const rim = new DirectionalLight(tokenColor("light-rim"), 1.1);
    rim.position.set(0.85, 0.75, 0.3);
    this.picture.add(sky, sun, rim);
  }

  /** @returns {number} faces of all meshes */
  get faces() {
    return [...this.models.values()].reduce((sum, model) => sum + model.faces, 0);
  }

  /** @returns {boolean} whether there is nothing to see */
  get isEmpty() {
    return !this.models.size && !this.extras.curves.length;
  }

  /** Show meshes; those whose topology is known only move their points. @param {Object[]} meshes of a glTF file */
  showMeshes(meshes) {
    const known = meshes.length === this.models.size && meshes.every((data) => this.models.get(data.id)?.topology === data.extras.topology);
    this.shadow.isStale = true;
    if (known) meshes.forEach((data) => this.models.get(data.id).setPoints(data));
    else this.replace(meshes);
  }

  replace(meshes) {
    for (const model of this.models.values()) {
      this.picture.remove(model.mesh, model.edges);
      this.drawing.remove(model.fill, model.outline, model.drawn);
      model.dispose();
    }
    this.models = new Map(meshes.filter((data) => data.triangles).map((data) => [data.id, new Model(data)]));
    for (const model of this.models.values()) {
      model.setMode(this.mode, this.range);
      this.picture.add(model.mesh, model.edges);
      this.drawing.add(model.fill, model.outline, model.drawn);
    }
  }

  /** Throw the shadow on the floor where it is not there yet. @param {any} renderer */
  throwShadow(renderer) {
    this.shadow.update(renderer, [...this.models.values()].map((model) => model.mesh), this.bounds());
  }

  /** Take what came beside the meshes. @param {Object} extras */
  setExtras(extras) {
    this.extras = extras;
    this.curves.show(extras.curves, this.models.size > 0);
  }

  /** @param {Mode} mode how the picture shows meshes @param {?[number, number]} range */
  setMode(mode, range) {
    this.mode = mode;
    this.range = range;
    for (const model of this.models.values()) model.setMode(mode, range);
  }

  /** Show elements of a mesh in plum. @returns {Plum} which is taken away again by `remove` */
  plum(model, kind, indices, everywhere = true, place = null) {
    return new Plum(this, model, kind, indices, everywhere, place);
  }

  /** @returns {{low: Vector3, high: Vector3}} the box in mm of all meshes, and of the curves where asked or where there is no mesh */
  bounds(withCurves = false) {
    const low = new Vector3(Infinity, Infinity, Infinity);
    const high = new Vector3(-Infinity, -Infinity, -Infinity);
    for (const model of this.models.values()) {
      const { box } = model;
      low.min(box.min);
      high.max(box.max);
    }
    if (!this.models.size || withCurves) {
      for (const place of this.curvePlaces()) {
        low.min(place);
        high.max(place);
      }
    }
    if (low.x > high.x) return { low: new Vector3(-EMPTY_SIZE, -EMPTY_SIZE, 0), high: new Vector3(EMPTY_SIZE, EMPTY_SIZE, EMPTY_SIZE * 1.2) };
    return { low, high };
  }

  /** Yield the control points of all curves. */
  *curvePlaces() {
    const place = new Vector3();
    for (const piece of this.extras.curves.flatMap((curve) => curve.beziers)) {
      for (let k = 0; k < 12; k += 3) yield place.set(piece[k], piece[k + 1], piece[k + 2]);
    }
  }

  dispose() {
    this.replace([]);
    this.curves.dispose();
    this.shadow.dispose();
  }
}
