"""glTF 2.0 in (ISO/IEC 12113:2022), binary or text with its data inside: triangles, uv, names, places of nodes.

glTF is in metres, Y up; what is read is turned to Z up, and its unit is a thousand millimetres.
"""

from __future__ import annotations

import base64
import binascii
import json
import struct
from typing import Any

import numpy as np
from numpy.typing import NDArray

from glass_spoon.formats.read_mesh import (
    MOST_BYTES,
    MOST_TRIANGLES,
    Progress,
    ReadMesh,
    UnreadableMesh,
    checked_mesh,
    untold,
)
from glass_spoon.kernel.arrays import Floats, Ints

_COMPONENTS = {5120: "i1", 5121: "u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
_WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}
_Z_UP = np.array([[1.0, 0, 0], [0, 0, -1.0], [0, 1.0, 0]])
"""Turns Y up to Z up."""

TRIANGLES, STRIP, FAN = 4, 5, 6
MOST_NODES = 100_000


@np.errstate(invalid="ignore", over="ignore")  # numbers that are none are told, see checked_mesh
def read_gltf(data: bytes, progress: Progress = untold) -> ReadMesh:
    """Return all meshes of a glTF file as one, each primitive a group; files beside it are not read.

    Raises UnreadableMesh for a file that is broken, compressed, or needs others.
    """
    if len(data) > MOST_BYTES:
        raise UnreadableMesh(f"The file has {len(data):,} bytes; the most is {MOST_BYTES:,}.")
    try:
        document, chunk = _chunks(data)
        progress(0.1)
        needed = set(document.get("extensionsRequired", []))
        if needed:
            names = ", ".join(sorted(map(str, needed)))[:80]
            raise UnreadableMesh(
                f"The file needs {names}, which is not read. Export it uncompressed and without extensions."
            )
        return _Reader(document, chunk, progress).read()
    except UnreadableMesh:
        raise
    except (ValueError, KeyError, IndexError, TypeError, struct.error, RecursionError, binascii.Error) as error:
        raise UnreadableMesh("The glTF file is broken, or cut short. Export it again.") from error


def _chunks(data: bytes) -> tuple[dict[str, Any], bytes]:
    """Return the document and the binary chunk of a file."""
    if data[:4] != b"glTF":
        return json.loads(data), b""
    _, version, total = struct.unpack("<III", data[:12])
    if version != 2 or total > len(data):
        raise UnreadableMesh("This is not a glTF 2.0 file, or it is cut short. Export it again.")
    size, kind = struct.unpack("<II", data[12:20])
    if kind != 0x4E4F534A:
        raise UnreadableMesh("The glTF file does not start with its JSON chunk. Export it again.")
    document = json.loads(data[20 : 20 + size])
    rest = 20 + size
    return document, data[rest + 8 : total] if rest + 8 <= total else b""


class _Reader:
    """Gathers the primitives of all nodes of a scene."""

    def __init__(self, document: dict[str, Any], chunk: bytes, progress: Progress) -> None:
        self.document, self.chunk, self.progress = document, chunk, progress
        self.positions: list[Floats] = []
        self.corners: list[Ints] = []
        self.uv: list[Floats | None] = []
        self.names: list[str] = []
        self.colors: list[tuple[float, float, float] | None] = []
        self.first = 0
        self.left_out = 0
        self.triangles = 0

    def read(self) -> ReadMesh:
        nodes = self.document.get("nodes", [])
        scenes = self.document.get("scenes", [])
        roots = scenes[self.document.get("scene", 0)].get("nodes", []) if scenes else range(len(nodes))
        waiting = [(int(node), np.eye(4)) for node in reversed(list(roots))]
        seen: set[int] = set()
        while waiting:
            number, above = waiting.pop()
            if number in seen or len(seen) >= MOST_NODES:  # nodes are trees: section 3.5.2
                raise UnreadableMesh("The file has too many nodes, or nodes that hang in two places. Export it again.")
            seen.add(number)
            node = nodes[number]
            place = above @ _placement(node)
            if "mesh" in node:
                self._mesh(self.document["meshes"][node["mesh"]], place, str(node.get("name", "")))
            waiting += [(int(child), place) for child in reversed(node.get("children", []))]
            self.progress(0.1 + 0.5 * min(len(seen) / max(len(nodes), 1), 1.0))
        if not self.corners:
            raise UnreadableMesh("The glTF file holds no triangles.")
        corners = np.concatenate(self.corners)
        pieces = np.repeat(np.arange(len(self.corners)), [len(part) // 3 for part in self.corners])
        uv = None
        if all(part is not None for part in self.uv):
            uv = np.concatenate([part for part in self.uv if part is not None])
        offsets = np.arange(0, len(corners) + 1, 3)
        mesh, told = checked_mesh(np.concatenate(self.positions), corners, offsets, uv, pieces)
        if self.left_out:
            told += (f"{self.left_out:,} sets of points or lines were left out: they are no faces.",)
        return ReadMesh(mesh, 1000.0, tuple(self.names), told, tuple(self.colors))

    def _mesh(self, mesh: dict[str, Any], place: Floats, name: str) -> None:
        """Keep the primitives of a mesh at a place."""
        for primitive in mesh["primitives"]:
            mode = primitive.get("mode", TRIANGLES)
            if mode not in (TRIANGLES, STRIP, FAN):
                self.left_out += 1
                continue
            indices = primitive.get("indices")
            self._count(mode, primitive["attributes"]["POSITION"] if indices is None else indices)
            points = self._accessor(primitive["attributes"]["POSITION"]).astype(np.float64)
            order = np.arange(len(points)) if indices is None else self._accessor(indices).ravel().astype(np.int64)
            corners = _triangles(order, mode)
            if np.linalg.det(place[:3, :3]) < 0:
                corners = corners.reshape(-1, 3)[:, ::-1].ravel()
            self.positions.append((points @ place[:3, :3].T + place[:3, 3]) @ _Z_UP.T)
            self.corners.append(corners + self.first)
            self.first += len(points)
            at = primitive["attributes"].get("TEXCOORD_0")
            uv = None if at is None else self._accessor(at)
            self.uv.append(None if uv is None or uv.dtype.kind != "f" else _upright(uv.astype(np.float64)[corners]))
            self.colors.append(self._color(primitive.get("material")))
            self.names.append(name or str(mesh.get("name", "")) or f"group {len(self.names) + 1}")

    def _count(self, mode: int, number: int) -> None:
        """Count the triangles of a primitive before it is read, by its indices or its points; UnreadableMesh for too
        many.
        """
        corners = int(self.document["accessors"][number]["count"])
        self.triangles += corners // 3 if mode == TRIANGLES else max(corners - 2, 0)
        if self.triangles > MOST_TRIANGLES:
            raise UnreadableMesh(f"The file has more than {MOST_TRIANGLES:,} triangles, copies counted. Reduce it before.")

    def _color(self, number: int | None) -> tuple[float, float, float] | None:
        """Return the base colour of a material, linear; None where there is none, or it is plain white."""
        if number is None:
            return None
        factor = self.document["materials"][number].get("pbrMetallicRoughness", {}).get("baseColorFactor", (1.0, 1.0, 1.0))
        red, green, blue = (min(max(float(value), 0.0), 1.0) for value in factor[:3])
        return None if red == green == blue == 1.0 else (red, green, blue)

    def _accessor(self, number: int) -> NDArray[Any]:
        """Return the values (n, width) of an accessor."""
        accessor = self.document["accessors"][number]
        if "sparse" in accessor or "bufferView" not in accessor:
            raise UnreadableMesh("The glTF file holds sparse data, which is not read. Export it without.")
        view = self.document["bufferViews"][accessor["bufferView"]]
        data = self._buffer(view["buffer"])
        kind, width = np.dtype(_COMPONENTS[accessor["componentType"]]), _WIDTHS[accessor["type"]]
        at = view.get("byteOffset", 0) + accessor.get("byteOffset", 0)
        step, count = view.get("byteStride", kind.itemsize * width), int(accessor["count"])
        if count < 0 or at < 0 or at + (count - 1) * step + kind.itemsize * width > len(data):
            raise UnreadableMesh("The glTF file is cut short. Export it again.")
        return np.ndarray((count, width), kind, data, at, (step, kind.itemsize)).copy()

    def _buffer(self, number: int) -> bytes:
        """Return the bytes of a buffer: the binary chunk, or data written into the document."""
        uri = self.document["buffers"][number].get("uri")
        if uri is None:
            return self.chunk
        if not str(uri).startswith("data:"):
            raise UnreadableMesh("The glTF file keeps its data in another file. Export it as binary glTF (.glb).")
        return base64.b64decode(str(uri).partition(",")[2])


def _placement(node: dict[str, Any]) -> Floats:
    """Return the matrix (4, 4) of a node."""
    if "matrix" in node:
        return np.array(node["matrix"], dtype=np.float64).reshape(4, 4).T
    x, y, z, w = node.get("rotation", (0.0, 0.0, 0.0, 1.0))
    turn = np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )
    place = np.eye(4)
    place[:3, :3] = turn * np.array(node.get("scale", (1.0, 1.0, 1.0)), dtype=np.float64)
    place[:3, 3] = node.get("translation", (0.0, 0.0, 0.0))
    return place


def _triangles(order: Ints, mode: int) -> Ints:
    """Return the corners (3 t,) of triangles from the vertices of a list, a strip or a fan."""
    if mode == TRIANGLES:
        return order[: len(order) // 3 * 3]
    count = max(len(order) - 2, 0)
    k = np.arange(count)
    if mode == FAN:
        return order[np.column_stack((np.zeros(count, dtype=np.int64), k + 1, k + 2))].ravel()
    odd = k % 2
    return order[np.column_stack((k, k + 1 + odd, k + 2 - odd))].ravel()


def _upright(uv: Floats) -> Floats:
    """Return uv with v counted from the bottom."""
    return np.column_stack((uv[:, 0], 1.0 - uv[:, 1]))
