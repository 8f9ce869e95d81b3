"""Whether a place lies behind faces: by their winding number where they close, else by the nearest of them."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.meshes.shading import cut_triangles
from glass_spoon.kernel.remembered import Remembered
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points_normals
from glass_spoon.kernel.trims.cutters import Cutter
from glass_spoon.kernel.trims.face import FaceSet
from glass_spoon.kernel.trims.mesh_faces import mesh_faces

STEPS = 40
"""Edges along the size of faces whose winding number is asked."""

_nets: Remembered[Floats] = Remembered(8)
"""Triangles of the faces that were asked last."""


def is_inside(cutter: Cutter, place: Floats) -> bool:
    """Say whether a place (3,) in mm lies behind a cutter."""
    if cutter.closed:
        return abs(_winding(cutter.shape, place)) > 0.5
    best, behind = np.inf, False
    for face in cutter.shape.faces:
        u, v, _ = closest_points(face.surface, place[None])
        point, normal = surface_points_normals(face.surface, u, v)
        away = float(lengths(point - place)[0])
        if away < best:
            best, behind = away, bool(((place - point) * normal).sum() < 0)
    return behind


def is_void(shape: FaceSet) -> bool:
    """Say whether closed faces that hang together face inwards, as those of a hollow within a body do."""
    a, b, c = _nets.get(tuple(face.key for face in shape.faces), lambda: _triangles(shape)).swapaxes(0, 1)
    return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum()) < 0


def _winding(shape: FaceSet, place: Floats) -> float:
    """Return how often faces run round a place (van Oosterom and Strackee, The solid angle of a plane triangle, 1983)."""
    triangles = _nets.get(tuple(face.key for face in shape.faces), lambda: _triangles(shape))
    a, b, c = (triangles[:, k] - place for k in range(3))
    la, lb, lc = (lengths(side) for side in (a, b, c))
    top = np.einsum("ij,ij->i", a, np.cross(b, c))
    under = la * lb * lc + (a * b).sum(1) * lc + (b * c).sum(1) * la + (c * a).sum(1) * lb
    return float(np.arctan2(top, under).sum() / (2 * np.pi))


def _triangles(shape: FaceSet) -> Floats:
    """Return the triangles (t, 3, 3) of faces."""
    mesh = mesh_faces(shape, shape.size / STEPS, crease_sharp=False)
    return np.asarray(mesh.positions[cut_triangles(mesh, mesh.topology.face_corners)])
