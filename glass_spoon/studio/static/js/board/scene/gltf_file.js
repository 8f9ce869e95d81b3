/** Reads the binary glTF files that the server writes: JSON chunk, binary chunk, accessors as typed arrays. */
const KINDS = { 5126: Float32Array, 5125: Uint32Array };
const WIDTHS = { SCALAR: 1, VEC2: 2, VEC3: 3, VEC4: 4 };

/**
 * @param {ArrayBuffer} buffer a whole .glb file
 * @returns {{extras: Object, meshes: {id: string, positions: Float32Array, normals: Float32Array, triangles: ?Uint32Array,
 *   lines: ?Uint32Array, evenness: Float32Array, values: ?Float32Array, faceColors: ?Float32Array, places: ?Float32Array, triangleFaces: ?Uint32Array, color: ?number[], extras: Object}[]}}
 */
export function readGltf(buffer) {
  const view = new DataView(buffer);
  const jsonLength = view.getUint32(12, true);
  const json = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 20, jsonLength)));
  const start = 20 + jsonLength + 8;
  const read = (index) => {
    if (index === undefined) return null;
    const accessor = json.accessors[index];
    const bytes = json.bufferViews[accessor.bufferView];
    return new KINDS[accessor.componentType](buffer, start + bytes.byteOffset, accessor.count * WIDTHS[accessor.type]);
  };
  const meshes = (json.meshes ?? []).map((mesh) => {
    const [faces, edges] = mesh.primitives;
    return {
      id: mesh.name,
      positions: read(faces.attributes.POSITION),
      normals: read(faces.attributes.NORMAL),
      triangles: read(faces.indices),
      lines: read(edges?.indices),
      evenness: read(mesh.extras.evenness),
      triangleFaces: read(mesh.extras.triangleFaces),
      values: read(mesh.extras.values),
      faceColors: read(mesh.extras.faceColors),
      places: read(mesh.extras.places),
      color: faces.material === undefined ? null : json.materials[faces.material].pbrMetallicRoughness.baseColorFactor,
      extras: mesh.extras,
    };
  });
  return { extras: json.extras ?? {}, meshes };
}
