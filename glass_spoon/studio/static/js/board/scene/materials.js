/** The materials of the board, made once and shared. */
import { BackSide, DoubleSide, LineBasicMaterial, MeshBasicMaterial, MeshPhongMaterial, PointsMaterial, ShaderMaterial, Vector2 } from "three";
import { LineMaterial } from "../../../vendor/three/lines/LineMaterial.js";
import { token, tokenColor } from "./tokens.js";

const PLUM = tokenColor("plum");

const stripeVertex = `
varying vec3 vNormalView; varying vec3 vPlace; varying vec3 vNormalOwn;
void main() { vNormalOwn = normal; vec4 place = modelViewMatrix * vec4(position, 1.0); vPlace = place.xyz; vNormalView = normalMatrix * normal; gl_Position = projectionMatrix * place; }`;
const stripeFragment = `
uniform vec3 dark; uniform vec3 light; uniform float count; uniform vec2 along; uniform float fixedTo;
varying vec3 vNormalView; varying vec3 vPlace; varying vec3 vNormalOwn;
void main() {
  vec3 n = normalize(vNormalView); if (!gl_FrontFacing) n = -n;
  vec3 r = reflect(normalize(vPlace), n);
  vec3 own = normalize(vNormalOwn); if (!gl_FrontFacing) own = -own;
  float seen = mix(dot(r.xy, along), along.x * own.x + along.y * own.z, fixedTo);
  float wave = sin(asin(clamp(seen, -1.0, 1.0)) * count);
  float width = fwidth(wave) * 0.75;
  float stripe = smoothstep(-width, width, wave);
  gl_FragColor = vec4(mix(dark, light, stripe) * (gl_FrontFacing ? 1.0 : 0.72), 1.0);
  #include <colorspace_fragment>
}`;
const sidesFragment = `
uniform vec3 outer; uniform vec3 inner;
varying vec3 vNormalView; varying vec3 vPlace; varying vec3 vNormalOwn;
void main() {
  vec3 n = normalize(vNormalView); if (!gl_FrontFacing) n = -n;
  float light = 0.42 + 0.5 * max(dot(n, normalize(vec3(-0.35, 0.75, 0.6))), 0.0) + 0.16 * max(n.z, 0.0);
  gl_FragColor = vec4((gl_FrontFacing ? outer : inner) * light, 1.0);
  #include <colorspace_fragment>
}`;
const hullVertex = `
uniform float reach;
void main() { gl_Position = projectionMatrix * modelViewMatrix * vec4(position + normal * reach, 1.0); }`;
const hullFragment = `
uniform vec3 ink;
void main() { gl_FragColor = vec4(ink, 1.0); 
  #include <colorspace_fragment>
}`;

const pushed = { polygonOffset: true, polygonOffsetFactor: 1.5, polygonOffsetUnits: 2 };

/** How stripes run, shared by all models: their count, the direction across them, and 1 where they are fixed to the object. */
export const stripeChoice = { count: { value: 22 }, along: { value: new Vector2(0, 1) }, fixed: { value: 0 } };

/** One set of materials for a model of one colour. @param {number[]} color linear red, green, blue */
export function makeMaterials(color) {
  const paint = tokenColor("sheet").fromArray(color);
  return {
    faces: new MeshPhongMaterial({ color: paint, specular: tokenColor("shine"), shininess: 22, flatShading: true, side: DoubleSide, ...pushed }),
    smooth: new MeshPhongMaterial({ color: paint, specular: tokenColor("shine-smooth"), shininess: 30, side: DoubleSide, ...pushed }),
    evenness: new MeshPhongMaterial({ vertexColors: true, specular: tokenColor("shine-coloured"), flatShading: true, side: DoubleSide, ...pushed }),
    judged: new MeshPhongMaterial({ vertexColors: true, specular: tokenColor("shine-coloured"), side: DoubleSide, ...pushed }),
    painted: new MeshPhongMaterial({ vertexColors: true, specular: tokenColor("shine-smooth"), shininess: 30, side: DoubleSide, ...pushed }),
    paintedFaces: new MeshPhongMaterial({ vertexColors: true, specular: tokenColor("shine"), shininess: 22, flatShading: true, side: DoubleSide, ...pushed }),
    sides: new ShaderMaterial({
      uniforms: { outer: { value: tokenColor("side-out") }, inner: { value: tokenColor("side-in") } },
      vertexShader: stripeVertex,
      fragmentShader: sidesFragment,
      side: DoubleSide,
      ...pushed,
    }),
    stripes: new ShaderMaterial({
      uniforms: { dark: { value: tokenColor("stripe-dark") }, light: { value: tokenColor("stripe-light") }, count: stripeChoice.count, along: stripeChoice.along, fixedTo: stripeChoice.fixed },
      vertexShader: stripeVertex,
      fragmentShader: stripeFragment,
      side: DoubleSide,
      ...pushed,
    }),
  };
}

export const edgeLines = new LineBasicMaterial({ color: tokenColor("mesh-edge"), transparent: true, opacity: 0.62 });
export const drawingLines = new LineBasicMaterial({ color: tokenColor("drawn-line") });
export const paperFill = new MeshBasicMaterial({ color: tokenColor("view-paper"), side: DoubleSide, ...pushed });
export const outline = new ShaderMaterial({ uniforms: { reach: { value: 1 }, ink: { value: tokenColor("ink") } }, vertexShader: hullVertex, fragmentShader: hullFragment, side: BackSide, polygonOffset: true, polygonOffsetFactor: 8, polygonOffsetUnits: 16 });
export const plumFaces = new MeshBasicMaterial({ color: PLUM, side: DoubleSide, transparent: true, opacity: 0.85, polygonOffset: true, polygonOffsetFactor: -1, polygonOffsetUnits: -2 });
export const plumLines = new LineMaterial({ color: token("plum"), linewidth: 2.6, polygonOffset: true, polygonOffsetFactor: -2, polygonOffsetUnits: -4 });
export const plumPoints = new PointsMaterial({ color: PLUM, size: 8, sizeAttenuation: false });
