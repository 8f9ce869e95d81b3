/** The places where one body stands: every object that shows it is drawn at all of them in one call. */
import { Box3, InstancedBufferAttribute, Matrix4, Ray, Sphere, Vector3 } from "three";

const _matrix = new Matrix4();
const _inverse = new Matrix4();
const _sphere = new Sphere();
const _ray = new Ray();
const _corner = new Vector3();

export class Places {
  /** @param {Float32Array} columns 16 numbers a place, column after column */
  constructor(columns) {
    this.columns = columns;
    this.count = columns.length / 16;
    this.attribute = new InstancedBufferAttribute(columns, 16);
  }

  /** Let an object stand at every place: the renderer draws whatever says that it is instanced so, lines and points too. */
  stand(object) {
    Object.assign(object, { isInstancedMesh: true, instanceMatrix: this.attribute, instanceColor: null, morphTexture: null, count: this.count, frustumCulled: false });
    return object;
  }

  /** @returns {Matrix4} one place, in a matrix that is used again @param {number} number */
  at(number) {
    return _matrix.fromArray(this.columns, 16 * number);
  }

  /** @returns {Box3} about the body at all places @param {Box3} box about the body */
  around(box) {
    const all = new Box3();
    for (let number = 0; number < this.count; number += 1) {
      const place = this.at(number);
      for (let corner = 0; corner < 8; corner += 1) {
        _corner.set(corner & 1 ? box.max.x : box.min.x, corner & 2 ? box.max.y : box.min.y, corner & 4 ? box.max.z : box.min.z);
        all.expandByPoint(_corner.applyMatrix4(place));
      }
    }
    return all;
  }

  /**
   * @param {Ray} ray @param {Sphere} sphere about the body
   * @param {(ray: Ray) => any} hitOf what a ray hits on the body
   * @returns {any} the nearest hit, with the number of its place, its point there and `local`, its point on the body
   */
  firstHit(ray, sphere, hitOf) {
    let best = null;
    for (let number = 0; number < this.count; number += 1) {
      if (!ray.intersectsSphere(_sphere.copy(sphere).applyMatrix4(this.at(number)))) continue;
      const hit = hitOf(_ray.copy(ray).applyMatrix4(_inverse.copy(this.at(number)).invert()));
      if (!hit) continue;
      const point = hit.point.clone().applyMatrix4(this.at(number));
      const distance = point.distanceTo(ray.origin);
      if (!best || distance < best.distance) best = { ...hit, local: hit.point.clone(), point, distance, number };
    }
    return best;
  }

  /** @returns {Float32Array} places of the body, one after another, at every place; some when they would be too many */
  repeated(positions, most) {
    const times = Math.max(1, Math.min(this.count, Math.floor(most / Math.max(1, positions.length))));
    const all = new Float32Array(times * positions.length);
    for (let number = 0; number < times; number += 1) {
      const place = this.at(number);
      for (let k = 0; k < positions.length; k += 3) _corner.fromArray(positions, k).applyMatrix4(place).toArray(all, number * positions.length + k);
    }
    return all;
  }
}
