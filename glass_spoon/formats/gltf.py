"""Binary glTF 2.0 out (ISO/IEC 12113:2022): one writer for the view in the browser and for the files sent out.

Positions are stored in millimetres, Z up, as the kernel has them; a root node turns them to glTF's Y up and scales them to
metres, so nothing is rounded twice. glTF knows triangles only: quads are cut along their shorter diagonal.
"""

from __future__ import annotations

import json
import struct
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from glass_spoon.kernel.arrays import AnyInts, Floats, Ints
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.shading import (
    ShadeVertices,
    cut_triangles,
    fan_corners,
    shade_normals,
    sharp_edges,
    split_at_creases,
    split_at_jumps,
)
from glass_spoon.kernel.repeat.placements import Placements
from glass_spoon.kernel.repeat.repeat_mesh import repeat_mesh

MEDIA_TYPE = "model/gltf-binary"
FLOAT, UINT32 = 5126, 5125
VERTEX_TARGET, INDEX_TARGET = 34962, 34963
LINES, TRIANGLES, POINTS = 1, 4, 0
_MILLIMETRES_Z_UP = {"rotation": [-(0.5**0.5), 0.0, 0.0, 0.5**0.5], "scale": [0.001, 0.001, 0.001]}


Parts = list[dict[str, Any]]


@dataclass(frozen=True, eq=False)
class NamedMesh:
    """A mesh to write, with its name and a colour (red, green, blue, each 0 to 1, linear).

    values: (n,) at its vertices, to colour it by on the board. face_colors: (f, 3) where its faces have own colours. groups:
    names by the numbers that faces carry as "piece". places: where a body stands that is written once.
    """

    name: str
    mesh: Mesh
    color: tuple[float, float, float] = (0.55, 0.66, 0.63)
    values: Floats | None = None
    face_colors: Floats | None = None
    groups: tuple[str, ...] = ()
    places: Placements | None = None

    @property
    def face_count(self) -> int:
        """Faces of all copies."""
        return self.mesh.face_count * (1 if self.places is None else len(self.places))

    def written_out(self) -> NamedMesh:
        """Return the mesh with all its copies as one."""
        if self.places is None:
            return self
        pieces = max(1, len(self.groups))
        mesh = repeat_mesh(self.mesh, self.places, pieces)
        return replace(self, mesh=mesh, groups=self.groups * len(self.places), places=None)

    def face_groups(self) -> list[tuple[str, Ints]]:
        """Return the name and the faces (k,) of each group, those of one name as one; nothing where all are of one."""
        names = list(dict.fromkeys(self.groups))
        piece = self.mesh.faces.get("piece")
        if len(names) < 2 or piece is None:
            return []
        numbers = np.array([names.index(name) for name in self.groups])
        of_face = numbers[np.clip(piece.astype(np.int64), 0, len(numbers) - 1)]
        found = [(name, np.flatnonzero(of_face == number)) for number, name in enumerate(names)]
        return [(name, faces) for name, faces in found if len(faces)]


@dataclass(eq=False)
class _Binary:
    """The binary chunk in the making: buffers, their views and accessors."""

    parts: list[memoryview] = field(default_factory=list)
    views: list[dict[str, Any]] = field(default_factory=list)
    accessors: list[dict[str, Any]] = field(default_factory=list)
    size: int = 0

    def add(self, array: NDArray[Any], target: int | None, *, bounds: bool = False) -> int:
        """Append an array (n,) or (n, k) of float32 or uint32; return the number of its accessor."""
        data = np.ascontiguousarray(array)
        view: dict[str, Any] = {"buffer": 0, "byteOffset": self.size, "byteLength": data.nbytes}
        if target is not None:
            view["target"] = target
        accessor: dict[str, Any] = {
            "bufferView": len(self.views),
            "componentType": FLOAT if data.dtype == np.float32 else UINT32,
            "count": len(data),
            "type": "SCALAR" if data.ndim == 1 else f"VEC{data.shape[1]}",
        }
        if bounds:
            columns = np.ascontiguousarray(data.T)
            accessor["min"] = [float(column.min()) for column in columns]
            accessor["max"] = [float(column.max()) for column in columns]
        self.parts.append(memoryview(data.view(np.uint8).reshape(-1)))  # type: ignore[arg-type]  # arrays are buffers
        self.size += data.nbytes
        self.views.append(view)
        self.accessors.append(accessor)
        return len(self.accessors) - 1


def write_glb(meshes: list[NamedMesh], extras: dict[str, Any] | None = None, *, instanced: bool = False) -> bytes:
    """Return a glb file of meshes for other software: triangles, normals broken at creases, uv where corners have one.

    Copies of a body are one mesh with a node each, or (`instanced`) one node with the list of their places, for software
    that knows the extension EXT_mesh_gpu_instancing.
    """
    binary, nodes, gltf_meshes, materials = _Binary(), Parts(), Parts(), Parts()
    for item in meshes:
        if not item.mesh.face_count:
            continue
        shade = split_at_creases(item.mesh.topology, sharp_edges(item.mesh))
        uv = item.mesh.corners.get("uv")
        if uv is not None:
            shade = split_at_jumps(shade, uv)
        attributes = _vertex_attributes(binary, item.mesh, shade)
        if uv is not None:
            attributes["TEXCOORD_0"] = binary.add(_shade_uv(shade, uv), VERTEX_TARGET)
        triangles = cut_triangles(item.mesh, shade.of_corner)
        indices = binary.add(_indices(triangles), INDEX_TARGET)
        primitive = {"attributes": attributes, "indices": indices, "mode": TRIANGLES, "material": len(materials)}
        materials.append(_material(item))
        nodes += _nodes(binary, item, len(gltf_meshes), instanced=instanced)
        gltf_meshes.append({"name": item.name, "primitives": [primitive]})
    return _assemble(binary, nodes, gltf_meshes, materials, extras)


INSTANCING = "EXT_mesh_gpu_instancing"
"""The extension of the Khronos Group by which one node stands at many places."""


def _nodes(binary: _Binary, item: NamedMesh, mesh: int, *, instanced: bool) -> Parts:
    """Return the node of a mesh; of a body at many places one node with their list, or one for each."""
    if item.places is None:
        return [{"mesh": mesh, "name": item.name}]
    parted = item.places.parted()
    if parted is None:  # a skewed copy is no move, turn and size
        columns = _columns(item.places).reshape(-1, 16).astype(float).tolist()
        return [{"mesh": mesh, "name": f"{item.name} {k}", "matrix": one} for k, one in enumerate(columns, 1)]
    moves, turns, sizes = parted
    if not instanced:
        rows = zip(moves.tolist(), turns.tolist(), sizes.tolist(), strict=True)
        return [
            {"mesh": mesh, "name": f"{item.name} {k}", "translation": move, "rotation": turn, "scale": size}
            for k, (move, turn, size) in enumerate(rows, 1)
        ]
    named = (("TRANSLATION", moves), ("ROTATION", turns), ("SCALE", sizes))
    attributes = {name: binary.add(values.astype(np.float32), None) for name, values in named}
    return [{"mesh": mesh, "name": item.name, "extensions": {INSTANCING: {"attributes": attributes}}}]


def write_view_glb(meshes: list[NamedMesh], extras: dict[str, Any] | None = None) -> bytes:
    """Return a glb of meshes for the board: triangles, then the mesh's edges as lines over the same vertices.

    Each mesh's extras name accessors: "triangleFaces" (face of each triangle) when not all faces are quads, "evenness"
    (area of each face over the mean); and give "points", the count of the mesh's own vertices among the shade vertices.
    """
    binary, nodes, gltf_meshes, materials = _Binary(), Parts(), Parts(), Parts()
    for item in meshes:
        mesh = item.mesh
        if not mesh.face_count:
            continue
        shade = split_at_creases(mesh.topology, sharp_edges(mesh))
        attributes = _vertex_attributes(binary, mesh, shade)
        triangles, faces = _view_triangles(mesh)
        indices = binary.add(_indices(shade.of_corner[triangles]), INDEX_TARGET)
        lines = binary.add(_indices(mesh.topology.edges.ends), INDEX_TARGET)
        more: dict[str, Any] = {"points": mesh.point_count, "faces": mesh.face_count, "topology": mesh.topology.key}
        if not mesh.topology.is_quads:
            more["triangleFaces"] = binary.add(faces.astype(np.uint32), None)
        more["evenness"] = binary.add(_evenness(mesh), None)
        if item.places is not None:
            more["places"] = binary.add(_columns(item.places), None)
        if item.values is not None:
            more["values"] = binary.add(item.values[shade.source].astype(np.float32), None)
        if item.face_colors is not None:
            more["faceColors"] = binary.add(item.face_colors.astype(np.float32), None)
        primitives = [
            {"attributes": attributes, "indices": indices, "mode": TRIANGLES, "material": len(materials)},
            {"attributes": {"POSITION": attributes["POSITION"]}, "indices": lines, "mode": LINES},
        ]
        materials.append(_material(item))
        nodes.append({"mesh": len(gltf_meshes), "name": item.name})
        gltf_meshes.append({"name": item.name, "primitives": primitives, "extras": more})
    return _assemble(binary, nodes, gltf_meshes, materials, extras)


def write_moved_glb(meshes: list[NamedMesh], extras: dict[str, Any] | None = None) -> bytes:
    """Return a glb of the vertices alone, for a board that has the topology already (each mesh's extras name it)."""
    binary, nodes, gltf_meshes = _Binary(), Parts(), Parts()
    for item in meshes:
        mesh = item.mesh
        shade = split_at_creases(mesh.topology, sharp_edges(mesh))
        attributes = _vertex_attributes(binary, mesh, shade)
        more: dict[str, Any] = {"topology": mesh.topology.key}
        if item.values is not None:
            more["values"] = binary.add(item.values[shade.source].astype(np.float32), None)
        if item.places is not None:
            more["places"] = binary.add(_columns(item.places), None)
        nodes.append({"mesh": len(gltf_meshes), "name": item.name})
        gltf_meshes.append({"name": item.name, "primitives": [{"attributes": attributes, "mode": POINTS}], "extras": more})
    return _assemble(binary, nodes, gltf_meshes, [], extras)


def _columns(places: Placements) -> NDArray[np.float32]:
    """Return the matrices of placements as rows (4 n, 4): one row a column, as WebGL takes them."""
    columns = np.zeros((len(places), 4, 4), dtype=np.float32)
    columns[:, :3, :3] = places.matrices.swapaxes(1, 2)
    columns[:, 3, :3] = places.offsets
    columns[:, 3, 3] = 1.0
    return columns.reshape(-1, 4)


def _vertex_attributes(binary: _Binary, mesh: Mesh, shade: ShadeVertices) -> dict[str, int]:
    """Write positions and normals of the shade vertices."""
    own = len(shade.source) == mesh.point_count
    positions = mesh.positions if own else mesh.positions[shade.source]
    normals = shade_normals(mesh, shade).astype(np.float32)
    level = np.flatnonzero(normals[:, 0] == 0)
    normals[level[~normals[level].any(axis=1)]] = (0.0, 0.0, 1.0)
    return {
        "POSITION": binary.add(positions.astype(np.float32), VERTEX_TARGET, bounds=True),
        "NORMAL": binary.add(normals, VERTEX_TARGET),
    }


def _indices(numbers: AnyInts) -> NDArray[np.uint32]:
    """Return numbers from zero up as flat uint32: int32 ones as they are."""
    flat = np.ascontiguousarray(numbers).reshape(-1)
    return flat.view(np.uint32) if flat.dtype == np.int32 else flat.astype(np.uint32)


def _shade_uv(shade: ShadeVertices, uv: Floats) -> NDArray[np.float32]:
    """Return uv (s, 2) of the shade vertices, v counted from the top as glTF does."""
    values = np.zeros((len(shade.source), 2), dtype=np.float32)
    values[shade.of_corner, 0] = uv[:, 0]
    values[shade.of_corner, 1] = 1.0 - uv[:, 1]
    return values


def _view_triangles(mesh: Mesh) -> tuple[AnyInts, AnyInts]:
    """Return triangles (t, 3) as corners and the face (t,) of each, by the same diagonal for one topology."""
    topology = mesh.topology
    if topology.is_quads:
        first = np.arange(0, len(topology.face_corners), 4)[:, None]
        triangles = (first + np.array([0, 1, 2, 0, 2, 3])).reshape(-1, 3)
        return triangles, np.repeat(np.arange(topology.face_count), 2)
    return fan_corners(topology), np.repeat(np.arange(topology.face_count), topology.face_sides - 2)


def _evenness(mesh: Mesh) -> NDArray[np.float32]:
    """Return the area of each face over the mean."""
    areas = np.sqrt(np.einsum("ij,ij->i", mesh.face_vectors, mesh.face_vectors))
    return (areas / max(float(areas.mean()), 1e-300)).astype(np.float32)


def _material(item: NamedMesh) -> dict[str, Any]:
    """Return a plain material."""
    color = [*item.color, 1.0]
    metal = {"baseColorFactor": color, "metallicFactor": 0.0, "roughnessFactor": 0.6}
    return {"name": f"{item.name} colour", "pbrMetallicRoughness": metal, "doubleSided": True}


def _assemble(
    binary: _Binary,
    nodes: list[dict[str, Any]],
    meshes: list[dict[str, Any]],
    materials: list[dict[str, Any]],
    extras: dict[str, Any] | None,
) -> bytes:
    """Return the whole file: header, JSON chunk, binary chunk (section 4 of the specification)."""
    root: dict[str, Any] = {"name": "millimetres to metres", **_MILLIMETRES_Z_UP}
    document: dict[str, Any] = {
        "asset": {"version": "2.0", "generator": "Glass Spoon"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [root, *nodes],
    }
    if nodes:
        root["children"] = list(range(1, len(nodes) + 1))
        document["meshes"] = meshes
        document["buffers"] = [{"byteLength": binary.size}]
        document["bufferViews"], document["accessors"] = binary.views, binary.accessors
    if materials:
        document["materials"] = materials
    if any(INSTANCING in node.get("extensions", {}) for node in nodes):
        document["extensionsUsed"] = document["extensionsRequired"] = [INSTANCING]
    if extras:
        document["extras"] = extras
    text = json.dumps(document, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    chunks: list[bytes | memoryview] = [struct.pack("<II", len(text), 0x4E4F534A), text]
    if binary.size:
        chunks += [struct.pack("<II", binary.size, 0x004E4942), *binary.parts]
    total = 12 + sum(map(len, chunks))
    return b"".join((struct.pack("<III", 0x46546C67, 2, total), *chunks))
