/** What surfaces are judged by in the picture: colours by bend and draft, lines drawn on them, stripes, shared edges. */
import { Vector3 } from "three";
import { LineMaterial } from "../../../vendor/three/lines/LineMaterial.js";
import { LineSegments2 } from "../../../vendor/three/lines/LineSegments2.js";
import { LineSegmentsGeometry } from "../../../vendor/three/lines/LineSegmentsGeometry.js";
import { Listening } from "../../listening.js";
import { told } from "../../unit.js";
import { swatch } from "../legend.js";
import { stripeChoice } from "./materials.js";
import { token } from "./tokens.js";

const LINES = {
  isocurves: { color: "ink", linewidth: 1, opacity: 0.55 },
  net: { color: "plum", linewidth: 1, opacity: 0.8 },
  arrows: { color: "amber", linewidth: 2.6, opacity: 1 },
  combs: { color: "glass", linewidth: 1, opacity: 0.75 },
};
const EDGES = { G2: "glass", G1: "soft-ink", G0: "amber", apart: "plum" };
const EDGE_WIDTH = 4;
const NEAR = 12;
const NAMES = { gaussian: "Gaussian bend", mean: "Mean bend", largest: "Largest bend", draft: "Draft angle", deviation: "Off the surface", change: "Off what it was before its last line", corners: "Corners off square", valence: "Edges at points" };
const ENDS = { gaussian: ["saddle", "dome"], mean: ["hollow", "bulging"], largest: ["flat", "tight"], draft: ["undercut", "open"], deviation: ["on it", "off it"], change: ["as it was", "off it"], corners: ["square", "pointed"], valence: ["fewer", "more"] };
const UNITS = { gaussian: "/mm²", mean: "/mm", largest: "/mm", draft: "°", deviation: " mm", change: " mm", corners: "°", valence: "" };
const _place = new Vector3();

export class Judging {
  /** @param {Object} board the board */
  constructor(board) {
    this.board = board;
    this.form = board.root.querySelector(".judge-form");
    this.listening = new Listening();
    this.objects = [];
    this.edges = [];
    this.range = null;
    const material = (look) => new LineMaterial({ transparent: true, depthTest: true, ...look, color: token(look.color) });
    this.materials = Object.fromEntries(Object.entries(LINES).map(([kind, look]) => [kind, material(look)]));
    this.edgeMaterials = Object.fromEntries(Object.entries(EDGES).map(([verdict, color]) => [verdict, material({ color, linewidth: EDGE_WIDTH, opacity: 1 })]));
  }

  connect() {
    this.listening.on(this.form, "change", (event) => this.onChange(event));
    this.listening.on(this.form, "submit", (event) => event.preventDefault());
  }

  /** Let go of listeners and of what lies on the graphics card. */
  disconnect() {
    this.listening.end();
    this.show({});
    Object.values({ ...this.materials, ...this.edgeMaterials }).forEach((material) => material.dispose());
  }

  /** @returns {Object<string, string>} what the server is asked to work out */
  state() {
    const data = /** @type {Object<string, string>} */ (Object.fromEntries(new FormData(this.form)));
    return { judge: data.judge, towards: data.towards, isocurves: data.isocurves || "0", net: data.net ?? "0", arrows: data.arrows ?? "0", combs: data.combs ?? "0", edges: data.edges ?? "0" };
  }

  onChange(event) {
    const { name } = event.target;
    if (name.startsWith("stripe")) {
      this.setStripes();
      if (this.board.scene.mode !== "stripes") this.board.setMode("stripes");
      return;
    }
    this.form.querySelector(".judge-towards").hidden = this.form.judge.value !== "draft";
    if (name === "judge") this.board.setMode(event.target.value ? "judged" : "edges");
    if (name === "towards" && this.form.judge.value !== "draft") return;
    this.board.load();
  }

  /** No colour by bend or draft any more: another way of showing was chosen. */
  clear() {
    this.form.judge.value = "";
    this.form.querySelector(".judge-towards").hidden = true;
  }

  setStripes() {
    const data = Object.fromEntries(new FormData(this.form));
    stripeChoice.count.value = Math.max(2, Math.min(80, Number(data.stripes) || 22));
    stripeChoice.along.value.fromArray({ level: [0, 1], upright: [1, 0], slanted: [0.707, 0.707] }[data.stripeWay]);
    stripeChoice.fixed.value = data.stripeFixed === "object" ? 1 : 0;
    this.board.draw(true);
  }

  /** @param {Object} extras of the model: lines on surfaces, shared edges, the range of colours */
  show(extras) {
    this.objects.forEach((object) => {
      this.board.scene.picture.remove(object);
      object.geometry.dispose();
    });
    this.objects = [];
    const judged = extras.judged ?? {};
    for (const kind of Object.keys(LINES)) if (judged[kind]?.length) this.add(segments(judged[kind]), this.materials[kind]);
    this.edges = judged.edges ?? [];
    for (const verdict of Object.keys(EDGES)) {
      const lines = this.edges.filter((edge) => edge.verdict === verdict).map((edge) => edge.places);
      if (lines.length) this.add(segments(lines), this.edgeMaterials[verdict]);
    }
    this.range = extras.range ?? null;
    this.board.legend.show();
  }

  add(positions, material) {
    const geometry = new LineSegmentsGeometry();
    geometry.setPositions(positions);
    const object = new LineSegments2(geometry, material);
    object.renderOrder = 2;
    this.objects.push(object);
    this.board.scene.picture.add(object);
  }

  /** Fill the legend with what the colours mean, and with the tally of edges. @param {HTMLElement} legend */
  legend(legend) {
    const judge = this.form.judge.value;
    if (this.board.scene.mode === "judged" && judge && this.range) {
      const [low, high] = this.range;
      const name = document.createElement("strong");
      name.textContent = NAMES[judge];
      const ramp = document.createElement("span");
      ramp.className = `legend-ramp is-${judge}`;
      legend.append(name, told(` ${ENDS[judge][0]} ${short(low)}${UNITS[judge]} `), ramp, told(` ${short(high)}${UNITS[judge]} ${ENDS[judge][1]}`));
    }
    if (this.form.edges.checked) this.tally(legend);
  }

  /** Count the shared edges by how smooth they are. @param {HTMLElement} legend */
  tally(legend) {
    legend.append(this.edges.length ? "Shared edges:" : "No edges are shared here.");
    for (const verdict of Object.keys(EDGES)) {
      const count = this.edges.filter((edge) => edge.verdict === verdict).length;
      if (count) legend.append(swatch(`is-${verdict}`), `${count} ${verdict}`);
    }
    if (!this.edges.length) return;
    const report = document.createElement("button");
    report.type = "button";
    report.className = "text-button";
    report.textContent = "Report";
    report.addEventListener("click", () => window.htmx.ajax("GET", this.form.dataset.edgesUrl, { target: "#slip-content", swap: "innerHTML", values: { ...this.board.edits.state() } }));
    legend.append(" ", report);
  }

  /** @returns {string} the value at a place of a model that is coloured by bend or draft */
  valueText(found) {
    const judge = this.form.judge.value;
    if (this.board.scene.mode !== "judged" || !judge) return "";
    const value = found.model.valueAt(found.triangle, found.local);
    if (value === null) return "";
    const radius = (judge === "mean" || judge === "largest") && Math.abs(value) > 1e-6 ? told(` (radius ${short(1 / Math.abs(value))} mm)`) : "";
    return `${NAMES[judge].toLowerCase()} ${told(`${short(value)}${UNITS[judge]}`)}${radius}`;
  }

  /** @returns {string} what is told of the shared edge near a place in the picture, in pixels; "" for none near */
  edgeText(x, y, camera, width, height) {
    let best = NEAR;
    let text = "";
    for (const edge of this.edges) {
      for (let k = 0; k < edge.places.length; k += 3) {
        _place.set(edge.places[k], edge.places[k + 1], edge.places[k + 2]).project(camera);
        const away = Math.hypot(((_place.x + 1) / 2) * width - x, ((1 - _place.y) / 2) * height - y);
        if (away < best) [best, text] = [away, told(edge.text)];
      }
    }
    return text;
  }
}

/** @returns {Float32Array} both ends of each piece of some broken lines, each a list of coordinates */
function segments(lines) {
  const total = lines.reduce((sum, line) => sum + Math.max(0, line.length / 3 - 1), 0);
  const places = new Float32Array(total * 6);
  let at = 0;
  for (const line of lines) {
    for (let k = 0; k + 5 < line.length; k += 3) {
      for (let c = 0; c < 6; c += 1) places[at++] = line[k + c];
    }
  }
  return places;
}

/** @returns {string} a number with three digits that count */
export function short(value) {
  return Number(value.toPrecision(3)).toString();
}
