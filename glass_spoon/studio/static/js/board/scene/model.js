/** One mesh on the board: its geometry, and what stands for it in the picture and in the drawing views. */
import { BufferAttribute, BufferGeometry, LineSegments, Mesh, Points, Triangle, Vector3 } from "three";
import { MeshBVH } from "three-mesh-bvh";
import { LineSegments2 } from "../../../vendor/three/lines/LineSegments2.js";
import { LineSegmentsGeometry } from "../../../vendor/three/lines/LineSegmentsGeometry.js";
import { Places } from "./places.js";
import { coarseGeometry } from "./coarse.js";
import { tokenColor, tokenRgb } from "./tokens.js";
import { drawingLines, edgeLines, makeMaterials, outline, paperFill, plumFaces, plumLines, plumPoints } from "./materials.js";

/** Faces from which the drawing views show the outline alone, and a coarser mesh stands in where nobody can tell. */
const DENSE = 100000;
/** Pixels by which the coarser mesh may be off in a drawing view. */
const UNSEEN = 1.8;
/** Pixels between edges from which they are drawn in full, and the least share of that. */
const CLEAR = 5;
const FAINT = 0.08;
/** What a body that the hand is at in the sheet gives off by itself, and any other. */
const LIT = tokenColor("plum").multiplyScalar(0.55);
const UNLIT = tokenColor("ink").multiplyScalar(0);

/** Most numbers of the ends of edges in plum. */
const MOST_ENDS = 300000;

/** Modes that show edges, and those that show the colours of faces. */
const EDGED = ["edges", "evenness", "sides"];
const PAINTED = ["edges", "faces", "smooth"];

/** @typedef {"edges" | "faces" | "smooth" | "stripes" | "evenness" | "sides" | "judged"} Mode */

export class Model {
  /** @param {Object} data one mesh of a glTF file as `readGltf` gives it */
  constructor(data) {
    this.id = data.id;
    this.data = data;
    this.topology = data.extras.topology;
    this.geometry = new BufferGeometry();
    this.geometry.setIndex(new BufferAttribute(data.triangles, 1));
    this.lines = new BufferGeometry();
    this.lines.setIndex(new BufferAttribute(data.lines, 1));
    this.materials = makeMaterials(data.color);
    this.mesh = new Mesh(this.geometry, /** @type {Material} */ (this.materials.faces));
    this.edges = new LineSegments(this.lines, edgeLines.clone());
    this.fill = new Mesh(this.geometry, paperFill);
    this.outline = new Mesh(this.geometry, outline);
    this.drawn = new LineSegments(this.lines, drawingLines);
    // So many lines would fill the drawing views with ink: their outline says more.
    this.drawn.visible = data.extras.faces < DENSE;
    this.offenders = null;
    /** Faces that are hidden while one picks, and the triangles that are left; null for all. @type {Set<number>} */
    this.hidden = new Set();
    /** @type {?number[]} */
    this.kept = null;
    /** @type {?Places} where it stands, when it is one of many bodies */
    this.places = null;
    this.setPoints(data);
  }

  /** Show that it is what the hand is at in the sheet. @param {boolean} isLit */
  light(isLit) {
    for (const material of Object.values(this.materials)) {
      if ("emissive" in material) material.emissive.copy(isLit ? LIT : UNLIT);
    }
  }

  /** Hide faces beside those that are hidden, or show all again (null). @param {?number[]} faces */
  hideFaces(faces) {
    const { triangles, lines } = this.data;
    this.hidden = new Set(faces ? [...this.hidden, ...faces] : []);
    this.kept = null;
    const left = [];
    for (let triangle = 0; 3 * triangle < triangles.length; triangle += 1) if (!this.hidden.has(this.faceOf(triangle))) left.push(triangle);
    this.kept = this.hidden.size ? left : null;
    const shown = this.kept ? left.flatMap((triangle) => [...triangles.subarray(3 * triangle, 3 * triangle + 3)]) : triangles;
    const points = new Set(this.kept ? shown : []);
    const edges = this.kept ? lines.filter((_, k) => points.has(lines[k - (k % 2)]) && points.has(lines[k - (k % 2) + 1])) : lines;
    this.geometry.setIndex(new BufferAttribute(new Uint32Array(shown), 1));
    this.lines.setIndex(new BufferAttribute(new Uint32Array(edges), 1));
    this.tree = null;
    this.setMode(this.mode, this.range);
  }

  /** Move the points; the topology stays. */
  setPoints(data) {
    this.data.positions = data.positions;
    this.data.evenness = data.evenness ?? this.data.evenness;
    this.data.values = data.values ?? null;
    this.data.faceColors = data.faceColors ?? this.data.faceColors;
    const place = new BufferAttribute(data.positions, 3);
    this.geometry.setAttribute("position", place);
    this.geometry.setAttribute("normal", new BufferAttribute(data.normals, 3));
    this.lines.setAttribute("position", place);
    this.geometry.computeBoundingSphere();
    this.lines.boundingSphere = this.geometry.boundingSphere;
    this.setPlaces(data.places ?? null);
    this.tree = null;
    this.edgeLength = 0;
    this.dropCoarse();
    if (this.mode === "evenness" || this.painted) this.setMode(this.mode, this.range);
  }

  /** Stand at places, 16 numbers each, or (null) only where it is. @param {?Float32Array} columns */
  setPlaces(columns) {
    this.places = columns && new Places(columns);
    if (this.places) for (const object of [this.mesh, this.edges, this.fill, this.outline, this.drawn]) this.places.stand(object);
  }

  /** @returns {number} faces of all that is shown of it */
  get faces() {
    return this.data.extras.faces * (this.places?.count ?? 1);
  }

  /** @returns {any} a box about all that is shown of it */
  get box() {
    this.geometry.computeBoundingBox();
    return this.places ? this.places.around(this.geometry.boundingBox) : this.geometry.boundingBox;
  }

  /** @returns {?{geometry: BufferGeometry, cell: number}} the coarser stand-in of a large mesh, made when first asked for */
  get coarse() {
    if (this.data.extras.faces < DENSE) return null;
    this.stand ??= coarseGeometry(this.geometry);
    return this.stand;
  }

  dropCoarse() {
    this.stand?.geometry.dispose();
    this.stand = null;
  }

  /** Show the mesh in a drawing view of so many pixels a mm: coarser where that cannot be seen. @param {number} zoom */
  drawAt(zoom) {
    const { coarse } = this;
    this.fill.geometry = this.outline.geometry = coarse && coarse.cell * zoom < UNSEEN ? coarse.geometry : this.geometry;
  }

  /** @returns {number} the length in mm of a usual edge: the median of some */
  get usualEdge() {
    if (this.edgeLength) return this.edgeLength;
    const { lines, positions } = this.data;
    const step = Math.max(1, Math.floor(lines.length / 2 / 500));
    const lengths = [];
    for (let edge = 0; 2 * edge < lines.length; edge += step) {
      const [a, b] = [3 * lines[2 * edge], 3 * lines[2 * edge + 1]];
      lengths.push(Math.hypot(positions[a] - positions[b], positions[a + 1] - positions[b + 1], positions[a + 2] - positions[b + 2]));
    }
    this.edgeLength = lengths.sort((one, other) => one - other)[lengths.length >> 1] || 1;
    return this.edgeLength;
  }

  /** Draw the edges of the picture paler where they lie too dense to be told apart. @param {number} zoom pixels a mm */
  fadeEdges(zoom) {
    this.edges.material.opacity = edgeLines.opacity * Math.min(1, Math.max(FAINT, (this.usualEdge * zoom) / CLEAR));
  }

  /** Show the picture coarser while it moves, where the mesh is large and its colours allow it. @param {boolean} moving */
  coarsen(moving) {
    const stands = this.mesh.geometry === this.geometry || this.mesh.geometry === this.stand?.geometry;
    if (stands) this.mesh.geometry = (moving && this.coarse?.geometry) || this.geometry;
  }

  /**
   * @param {Mode} mode how the picture shows the mesh
   * @param {?[number, number]} range values at which the colours of "judged" are full
   */
  setMode(mode, range = null) {
    const { data } = this;
    this.mode = mode;
    this.range = range;
    this.edges.visible = EDGED.includes(mode);
    this.coarsen(false);
    this.dropCoarse();
    if (this.mesh.geometry !== this.geometry) this.mesh.geometry.dispose();
    this.painted = Boolean(data.faceColors) && PAINTED.includes(mode);
    this.mesh.material = this.materialOf(mode);
    if (mode === "judged" && data.values && range) this.geometry.setAttribute("color", new BufferAttribute(judgedColors(data.values, range), 3));
    this.mesh.geometry = this.geometryOf(mode);
  }

  /** @returns {Material} */
  materialOf(mode) {
    const { materials } = this;
    if (this.painted) return mode === "faces" ? materials.paintedFaces : materials.painted;
    return materials[mode === "edges" || (mode === "judged" && !this.data.values) ? "smooth" : mode];
  }

  /** @returns {BufferGeometry} what the picture shows in a mode: faces of their own colours are split apart */
  geometryOf(mode) {
    if (mode === "evenness") return this.colouredGeometry((face) => evennessColor(this.data.evenness[face]));
    return this.painted ? this.colouredGeometry((face) => this.data.faceColors.subarray(3 * face, 3 * face + 3)) : this.geometry;
  }

  /** @returns {?number} the value at a place of a triangle, by its corners; null where there is none */
  valueAt(triangle, place) {
    const { values, triangles } = this.data;
    if (!values) return null;
    const corners = [0, 1, 2].map((k) => triangles[3 * this.numberOf(triangle) + k]);
    const [a, b, c] = corners.map((corner) => new Vector3().fromBufferAttribute(this.geometry.getAttribute("position"), corner));
    const shares = Triangle.getBarycoord(place, a, b, c, new Vector3());
    return shares ? values[corners[0]] * shares.x + values[corners[1]] * shares.y + values[corners[2]] * shares.z : values[corners[0]];
  }

  /** @returns {BufferGeometry} triangles with a colour for each face @param {(face: number) => ArrayLike<number>} colorOf */
  colouredGeometry(colorOf) {
    const split = this.geometry.toNonIndexed();
    const colors = new Float32Array(split.getAttribute("position").count * 3);
    for (let triangle = 0; triangle * 9 < colors.length; triangle += 1) {
      const color = colorOf(this.faceOf(triangle));
      for (let corner = 0; corner < 3; corner += 1) colors.set(color, triangle * 9 + corner * 3);
    }
    split.setAttribute("color", new BufferAttribute(colors, 3));
    return split;
  }

  /** @returns {number} the face that a triangle belongs to */
  faceOf(triangle) {
    const number = this.numberOf(triangle);
    return this.data.triangleFaces ? this.data.triangleFaces[number] : number >> 1;
  }

  /** @returns {number} the number of a triangle among all, those of hidden faces too */
  numberOf(triangle) {
    return this.kept ? this.kept[triangle] : triangle;
  }

  /** Search tree for pointing, made when first needed. */
  pick(ray) {
    this.tree ??= new MeshBVH(this.geometry, { indirect: true });
    const hitOf = (own) => this.tree.raycastFirst(own, 2);
    return this.places ? this.places.firstHit(ray, this.geometry.boundingSphere, hitOf) : hitOf(ray);
  }

  /** @returns {Float32Array} both ends of some edges, one after another @param {number[]} indices */
  edgePlaces(indices) {
    const { lines, positions } = this.data;
    const places = new Float32Array(indices.length * 6);
    indices.forEach((edge, k) => {
      for (const end of [0, 1]) places.set(positions.subarray(3 * lines[2 * edge + end], 3 * lines[2 * edge + end] + 3), 6 * k + 3 * end);
    });
    return places;
  }

  /**
   * Objects that show some elements in plum: of bodies at every place, or at one.
   * @param {"face" | "edge" | "point"} kind
   * @param {number[]} indices
   * @param {?number} place the number of one place
   */
  marks(kind, indices, place = null) {
    const object = this.marked(kind, indices, place === null);
    if (!this.places) return object;
    if (place === null) return kind === "edge" ? object : this.places.stand(object);
    object.matrixAutoUpdate = false;
    object.matrix.copy(this.places.at(place));
    return object;
  }

  /** @param {boolean} everywhere whether edges, which cannot be drawn as instances, are written out at every place */
  marked(kind, indices, everywhere) {
    const geometry = new BufferGeometry();
    geometry.setAttribute("position", this.geometry.getAttribute("position"));
    if (kind === "point") {
      geometry.setIndex(indices);
      return new Points(geometry, plumPoints);
    }
    if (kind === "edge") {
      const ends = this.edgePlaces(indices);
      return new LineSegments2(new LineSegmentsGeometry().setPositions(everywhere && this.places ? this.places.repeated(ends, MOST_ENDS) : ends), plumLines);
    }
    const wanted = new Set(indices);
    const corners = [];
    for (let triangle = 0; triangle * 3 < this.data.triangles.length; triangle += 1) {
      if (wanted.has(this.faceOf(triangle))) corners.push(...this.data.triangles.subarray(triangle * 3, triangle * 3 + 3));
    }
    geometry.setIndex(corners);
    return new Mesh(geometry, plumFaces);
  }

  dispose() {
    this.coarsen(false);
    this.dropCoarse();
    if (this.mesh.geometry !== this.geometry) this.mesh.geometry.dispose();
    this.geometry.dispose();
    this.lines.dispose();
    this.edges.material.dispose();
    Object.values(this.materials).forEach((material) => material.dispose());
  }
}

/** Colours of values: plum below zero, pale at zero, green above; a range from zero up runs from pale to amber. */
function judgedColors(values, [low, high]) {
  const colors = new Float32Array(values.length * 3);
  for (let k = 0; k < values.length; k += 1) {
    const share = Math.max(-1, Math.min(1, values[k] / (values[k] < 0 ? Math.abs(low) || 1 : high)));
    const full = low === 0 ? TIGHT : share < 0 ? BELOW : ABOVE;
    const weight = Math.abs(share);
    for (let axis = 0; axis < 3; axis += 1) colors[3 * k + axis] = PALE[axis] + (full[axis] - PALE[axis]) * weight;
  }
  return colors;
}

const [PALE, BELOW, ABOVE, TIGHT] = ["value-none", "value-below", "value-above", "value-tight"].map(tokenRgb);
const [SMALL, EVEN, LARGE] = ["face-small", "face-even", "face-large"].map(tokenRgb);

/** Colour of a face by its area over the mean: amber at half and below, plum at double and above. */
function evennessColor(ratio) {
  const octaves = Math.max(-1, Math.min(1, Math.log2(Math.max(ratio, 1e-6))));
  const other = octaves < 0 ? SMALL : LARGE;
  const share = Math.abs(octaves);
  return EVEN.map((value, k) => value + (other[k] - value) * share);
}
