/** A soft shadow on the floor under what stands there: the silhouette of what is near the floor, seen from below and blurred. */
import { MeshBasicMaterial, OrthographicCamera, Mesh as Body, PlaneGeometry, Scene, ShaderMaterial, Vector2, Vector3, Vector4, WebGLRenderTarget } from "three";
import { tokenColor } from "./tokens.js";

const SIZE = 256;
/** How much wider than the part the shadow's sheet is, and up to which share of the part's larger extent things throw one. */
const WIDER = 1.5;
const NEAR_FLOOR = 0.3;
const STRENGTH = 0.3;
/** Steps of the blur in texels, from coarse to fine. */
const BLURS = [5, 2.5];

const blurVertex = `varying vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }`;
const blurFragment = `
uniform sampler2D source; uniform vec2 step; varying vec2 at;
void main() {
  float sum = 0.2270270 * texture2D(source, at).a;
  sum += 0.1945946 * (texture2D(source, at + step).a + texture2D(source, at - step).a);
  sum += 0.1216216 * (texture2D(source, at + 2.0 * step).a + texture2D(source, at - 2.0 * step).a);
  sum += 0.0540541 * (texture2D(source, at + 3.0 * step).a + texture2D(source, at - 3.0 * step).a);
  sum += 0.0162162 * (texture2D(source, at + 4.0 * step).a + texture2D(source, at - 4.0 * step).a);
  gl_FragColor = vec4(0.0, 0.0, 0.0, sum);
}`;

export class ContactShadow {
  /** @param {any} scene of the picture */
  constructor(scene) {
    this.scene = scene;
    this.targets = [new WebGLRenderTarget(SIZE, SIZE), new WebGLRenderTarget(SIZE, SIZE)];
    this.camera = new OrthographicCamera();
    this.dark = new MeshBasicMaterial({ color: 0, side: 2 });
    this.blur = new ShaderMaterial({ uniforms: { source: { value: null }, step: { value: new Vector2() } }, vertexShader: blurVertex, fragmentShader: blurFragment, depthTest: false, depthWrite: false });
    this.quad = new Body(new PlaneGeometry(2, 2), this.blur);
    this.quad.frustumCulled = false;
    this.blurScene = new Scene();
    this.blurScene.add(this.quad);
    this.floor = new Body(new PlaneGeometry(1, 1), new MeshBasicMaterial({ map: this.targets[0].texture, color: tokenColor("ink"), transparent: true, opacity: STRENGTH, depthWrite: false }));
    this.floor.renderOrder = -1;
    this.floor.visible = false;
    scene.add(this.floor);
    this.isStale = true;
  }

  /**
   * Throw the shadow anew where what is shown has changed.
   * @param {any} renderer @param {Iterable<any>} bodies the meshes that throw it @param {{low: any, high: any}} box around them
   */
  update(renderer, bodies, { low, high }) {
    if (!this.isStale) return;
    this.isStale = false;
    const shown = [...bodies];
    this.floor.visible = shown.length > 0;
    if (!shown.length) return;
    this.look(low, high);
    const hidden = this.scene.children.filter((child) => child.visible && !child.isLight && !shown.includes(child));
    hidden.forEach((child) => (child.visible = false));
    const before = renderer.getViewport(new Vector4());
    renderer.setScissorTest(false);
    this.scene.overrideMaterial = this.dark;
    this.draw(renderer, this.scene, this.camera, 0);
    this.scene.overrideMaterial = null;
    hidden.forEach((child) => (child.visible = true));
    for (const texels of BLURS) {
      this.pass(renderer, 0, 1, texels / SIZE, 0);
      this.pass(renderer, 1, 0, 0, texels / SIZE);
    }
    renderer.setRenderTarget(null);
    renderer.setViewport(before);
    renderer.setScissorTest(true);
  }

  /** Look up from the floor at what stands near it. */
  look(low, high) {
    const middle = new Vector3().addVectors(low, high).multiplyScalar(0.5);
    const extent = Math.max(high.x - low.x, high.y - low.y, 0.25 * (high.z - low.z), 1e-6);
    const half = (WIDER * extent) / 2;
    Object.assign(this.camera, { left: -half, right: half, top: half, bottom: -half, near: 0, far: NEAR_FLOOR * Math.max(extent, high.z - low.z) });
    this.camera.position.set(middle.x, middle.y, low.z - 1e-4 * extent);
    this.camera.up.set(0, 1, 0);
    this.camera.lookAt(middle.x, middle.y, high.z + extent);
    this.camera.updateProjectionMatrix();
    // Seen from below right and left are exchanged; the sheet exchanges them back.
    this.floor.scale.set(-2 * half, 2 * half, 1);
    this.floor.position.set(middle.x, middle.y, low.z - 2e-3 * extent);
  }

  pass(renderer, from, to, x, y) {
    this.blur.uniforms.source.value = this.targets[from].texture;
    this.blur.uniforms.step.value.set(x, y);
    this.draw(renderer, this.blurScene, this.camera, to);
  }

  draw(renderer, scene, camera, target) {
    renderer.setRenderTarget(this.targets[target]);
    renderer.clear();
    renderer.render(scene, camera);
  }

  dispose() {
    this.targets.forEach((target) => target.dispose());
    for (const part of [this.dark, this.blur, this.floor.material, this.floor.geometry, this.quad.geometry]) part.dispose();
  }
}
