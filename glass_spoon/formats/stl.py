"""STL out and in: triangles only, binary or text when read, binary when written. The format knows no unit; we write mm."""

from __future__ import annotations

import re

import numpy as np

from glass_spoon.formats.gltf import NamedMesh
from glass_spoon.formats.read_mesh import MOST_BYTES, Progress, ReadMesh, UnreadableMesh, checked_mesh, merged_alike, untold
from glass_spoon.kernel.arrays import Floats, directions
from glass_spoon.kernel.meshes.shading import cut_triangles

MEDIA_TYPE = "model/stl"
HEADER = 80
RECORD = np.dtype([("normal", "<f4", 3), ("points", "<f4", (3, 3)), ("attribute", "<u2")])
_VERTEX = re.compile(rb"vertex\s+(\S+)\s+(\S+)\s+(\S+)")


def write_stl(meshes: list[NamedMesh]) -> bytes:
    """Return a binary STL file of all meshes in millimetres, Z up; faces are cut into triangles."""
    parts = []
    for item in meshes:
        triangles = item.mesh.positions[cut_triangles(item.mesh, item.mesh.topology.face_corners)]
        records = np.zeros(len(triangles), dtype=RECORD)
        records["points"] = triangles
        records["normal"] = directions(np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]))
        parts.append(records)
    every = np.concatenate(parts) if parts else np.zeros(0, dtype=RECORD)
    header = b"Glass Spoon, units: millimetres, Z up".ljust(HEADER, b" ")
    return header + np.uint32(len(every)).tobytes() + every.tobytes()


@np.errstate(invalid="ignore", over="ignore")  # numbers that are none are told, see checked_mesh
def read_stl(data: bytes, progress: Progress = untold) -> ReadMesh:
    """Return the mesh of an STL file, corners at one place made one vertex; it names no unit. Raises UnreadableMesh."""
    if len(data) > MOST_BYTES:
        raise UnreadableMesh(f"The file has {len(data):,} bytes; the most is {MOST_BYTES:,}.")
    points = _binary_points(data)
    if points is None:
        points = _text_points(data)
    if not len(points):
        raise UnreadableMesh("The file holds no triangles. Is it an STL file?")
    progress(0.2)
    positions, corners = merged_alike(points)
    progress(0.8)
    mesh, told = checked_mesh(positions, corners, np.arange(0, len(corners) + 1, 3), None, None)
    return ReadMesh(mesh, 1.0 if b"millimetres" in data[:HEADER] else None, (), told)


def _binary_points(data: bytes) -> Floats | None:
    """Return the corners (3 t, 3) of a binary file, None where its count does not fit its size."""
    if len(data) < HEADER + 4:
        return None
    count = int(np.frombuffer(data, "<u4", 1, HEADER)[0])
    if count * RECORD.itemsize + HEADER + 4 != len(data):
        return None
    records = np.frombuffer(data, RECORD, count, HEADER + 4)
    return records["points"].reshape(-1, 3).astype(np.float64)


def _text_points(data: bytes) -> Floats:
    """Return the corners (3 t, 3) of a text file."""
    found = _VERTEX.findall(data)
    if not data.lstrip()[:5].lower() == b"solid" or len(found) % 3:
        raise UnreadableMesh("This is not an STL file, or it is cut short. Export it again.")
    try:
        return np.array(found, dtype=np.float64).reshape(-1, 3)
    except ValueError as error:
        raise UnreadableMesh("A point of the STL file is no number. Export it again.") from error
