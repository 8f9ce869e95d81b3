/** The part's curves as lines in the picture. */
import { LineMaterial } from "../../../vendor/three/lines/LineMaterial.js";
import { LineSegments2 } from "../../../vendor/three/lines/LineSegments2.js";
import { LineSegmentsGeometry } from "../../../vendor/three/lines/LineSegmentsGeometry.js";
import { token } from "./tokens.js";

const PARTS = 12;
const PIXELS = 1.7;
/** Colours of curves, by their tokens. */
const COLOURS = { ink: "ink", glass: "glass", plum: "plum", amber: "amber", slate: "soft-ink" };

export class SpaceCurves {
  /** @param {Object3D} scene */
  constructor(scene) {
    this.scene = scene;
    this.lines = [];
    this.materials = Object.fromEntries(Object.entries(COLOURS).map(([name, colour]) => [name, new LineMaterial({ color: token(colour), linewidth: PIXELS, transparent: true })]));
  }

  /** @param {Array<{beziers: number[][], colour: string}>} curves @param {boolean} beside whether surfaces or meshes are shown too: curves then step back */
  show(curves, beside) {
    this.dispose();
    for (const material of Object.values(this.materials)) {
      material.linewidth = beside ? 1 : PIXELS;
      material.opacity = beside ? 0.5 : 1;
    }
    this.lines = curves.map((curve) => {
      const geometry = new LineSegmentsGeometry();
      geometry.setPositions(chords(curve.beziers));
      return new LineSegments2(geometry, this.materials[curve.colour] ?? this.materials.ink);
    });
    if (this.lines.length) this.scene.add(...this.lines);
  }

  dispose() {
    this.lines.forEach((line) => {
      this.scene.remove(line);
      line.geometry.dispose();
    });
    this.lines = [];
  }
}

/** @returns {Float32Array} both ends of each chord of some cubics */
function chords(beziers) {
  const places = new Float32Array(beziers.length * PARTS * 6);
  let at = 0;
  for (const piece of beziers) {
    for (let part = 0; part < PARTS; part += 1) {
      for (const t of [part / PARTS, (part + 1) / PARTS]) {
        const s = 1 - t;
        const weights = [s * s * s, 3 * s * s * t, 3 * s * t * t, t * t * t];
        for (let axis = 0; axis < 3; axis += 1) places[at++] = weights[0] * piece[axis] + weights[1] * piece[3 + axis] + weights[2] * piece[6 + axis] + weights[3] * piece[9 + axis];
      }
    }
  }
  return places;
}
