/** One mesh on the board: its geometry, and what stands for it in the picture and in the drawing views. */
import { BufferAttribute, BufferGeometry, LineSegments, Mesh, Points } from "three";
import { MeshBVH } from "three-mesh-bvh";
import { drawingLines, edgeLines, makeMaterials, outline, paperFill, plumFaces, plumLines, plumPoints } from "./materials.js";

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
    this.mesh = new Mesh(this.geometry, this.materials.faces);
    this.edges = new LineSegments(this.lines, edgeLines);
    this.fill = new Mesh(this.geometry, paperFill);
    this.outline = new Mesh(this.geometry, outline);
    this.drawn = new LineSegments(this.lines, drawingLines);
    this.offenders = null;
    this.setPoints(data);
  }

  /** Move the points; the topology stays. */
  setPoints(data) {
    this.data.positions = data.positions;
    this.data.evenness = data.evenness ?? this.data.evenness;
    const place = new BufferAttribute(data.positions, 3);
    this.geometry.setAttribute("position", place);
    this.geometry.setAttribute("normal", new BufferAttribute(data.normals, 3));
    this.lines.setAttribute("position", place);
    this.geometry.computeBoundingSphere();
    this.lines.boundingSphere = this.geometry.boundingSphere;
    this.tree = null;
    if (this.mode === "evenness") this.setMode("evenness");
  }

  /** @param {"edges" | "faces" | "smooth" | "stripes" | "evenness" | "sides"} mode how the picture shows the mesh */
  setMode(mode) {
    this.mode = mode;
    this.edges.visible = mode === "edges" || mode === "evenness" || mode === "sides";
    this.mesh.material = { edges: this.materials.smooth, faces: this.materials.faces, smooth: this.materials.smooth, stripes: this.materials.stripes, sides: this.materials.sides, evenness: this.materials.evenness }[mode];
    if (this.mesh.geometry !== this.geometry) this.mesh.geometry.dispose();
    this.mesh.geometry = mode === "evenness" ? this.evennessGeometry() : this.geometry;
  }

  /** @returns {BufferGeometry} triangles with a colour for each face: its area over the mean */
  evennessGeometry() {
    const split = this.geometry.toNonIndexed();
    const colors = new Float32Array(split.getAttribute("position").count * 3);
    for (let triangle = 0; triangle * 9 < colors.length; triangle += 1) {
      const color = evennessColor(this.data.evenness[this.faceOf(triangle)]);
      for (let corner = 0; corner < 3; corner += 1) colors.set(color, triangle * 9 + corner * 3);
    }
    split.setAttribute("color", new BufferAttribute(colors, 3));
    return split;
  }

  /** @returns {number} the face that a triangle belongs to */
  faceOf(triangle) {
    return this.data.triangleFaces ? this.data.triangleFaces[triangle] : triangle >> 1;
  }

  /** Search tree for pointing, made when first needed. */
  pick(ray) {
    this.tree ??= new MeshBVH(this.geometry, { indirect: true });
    return this.tree.raycastFirst(ray, 2);
  }

  /**
   * Objects that show some elements in plum.
   * @param {"face" | "edge" | "point"} kind
   * @param {number[]} indices
   */
  marks(kind, indices) {
    const geometry = new BufferGeometry();
    geometry.setAttribute("position", this.geometry.getAttribute("position"));
    if (kind === "point") {
      geometry.setIndex(indices);
      return new Points(geometry, plumPoints);
    }
    if (kind === "edge") {
      geometry.setIndex(indices.flatMap((edge) => [this.data.lines[2 * edge], this.data.lines[2 * edge + 1]]));
      return new LineSegments(geometry, plumLines);
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
    if (this.mesh.geometry !== this.geometry) this.mesh.geometry.dispose();
    this.geometry.dispose();
    this.lines.dispose();
    Object.values(this.materials).forEach((material) => material.dispose());
  }
}

const SMALL = [0.78, 0.44, 0.07];
const EVEN = [0.62, 0.75, 0.71];
const LARGE = [0.42, 0.07, 0.28];

/** Colour of a face by its area over the mean: amber at half and below, plum at double and above. */
function evennessColor(ratio) {
  const octaves = Math.max(-1, Math.min(1, Math.log2(Math.max(ratio, 1e-6))));
  const other = octaves < 0 ? SMALL : LARGE;
  const share = Math.abs(octaves);
  return EVEN.map((value, k) => value + (other[k] - value) * share);
}
