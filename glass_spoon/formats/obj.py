"""Wavefront OBJ out: polygons kept as they are, with uv and normals. Lengths in millimetres, Z up, said in the header."""

from __future__ import annotations

import numpy as np

from glass_spoon.formats.gltf import NamedMesh
from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.meshes.shading import shade_normals, sharp_edges, split_at_creases

MEDIA_TYPE = "model/obj"


def write_obj(meshes: list[NamedMesh]) -> bytes:
    """Return an OBJ file of meshes, an `o` group each; quads stay quads."""
    parts = ["# Glass Spoon\n# units: millimetres, Z up\n"]
    first = np.array([1, 1, 1])
    for item in meshes:
        text, used = _object(item, first)
        parts.append(text)
        first = first + used
    return "".join(parts).encode()


def _object(item: NamedMesh, first: np.ndarray) -> tuple[str, np.ndarray]:
    """Return the text of one mesh whose indices start at `first` (vertex, uv, normal), and how many of each it used."""
    mesh = item.mesh
    shade = split_at_creases(mesh.topology, sharp_edges(mesh))
    normals = shade_normals(mesh, shade)
    name = " ".join(item.name.split()) or "mesh"
    parts = [f"o {name}\n", _rows("v", mesh.positions)]
    columns = [mesh.topology.face_corners.astype(np.int64) + first[0]]
    uv_count = 0
    uv = mesh.corners.get("uv")
    if uv is not None:
        unique, inverse = np.unique(np.round(uv, 9), axis=0, return_inverse=True)
        uv_count = len(unique)
        parts.append(_rows("vt", unique))
        columns.append(inverse.ravel() + first[1])
    parts.append(_rows("vn", normals))
    columns.append(shade.of_corner + first[2])
    parts.append(_faces(mesh.topology.face_offsets, np.column_stack(columns), "%d/%d/%d" if uv_count else "%d//%d"))
    return "".join(parts), np.array([mesh.point_count, uv_count, len(normals)])


def _rows(word: str, values: Floats) -> str:
    """Return one line a row, nine significant digits."""
    row = word + " %.9g" * values.shape[1] + "\n"
    return (row * len(values)) % tuple((values + 0.0).ravel().tolist())


def _faces(offsets: np.ndarray, corners: np.ndarray, pattern: str) -> str:
    """Return one `f` line a face from the index columns (h, k) of its corners."""
    sides = np.diff(offsets).tolist()
    lines = {count: "f " + " ".join([pattern] * count) + "\n" for count in set(sides)}
    return "".join(map(lines.__getitem__, sides)) % tuple(corners.ravel().tolist())
