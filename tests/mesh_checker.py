"""Judges meshes by plain Python over their faces, apart from the tables of our topology."""

from __future__ import annotations

from collections import Counter
from itertools import pairwise

import numpy as np

from glass_spoon.kernel.meshes.attributes import PLACES
from glass_spoon.kernel.meshes.mesh import Mesh


def faces_of(mesh: Mesh) -> list[list[int]]:
    """Return the vertices of every face."""
    offsets, corners = mesh.topology.face_offsets.tolist(), mesh.topology.face_corners.tolist()
    return [corners[a:b] for a, b in pairwise(offsets)]


def sides_of(mesh: Mesh) -> Counter[tuple[int, int]]:
    """Return how often each side runs from one vertex to another."""
    return Counter(pair for face in faces_of(mesh) for pair in pairwise([*face, face[0]]))


def open_sides(mesh: Mesh) -> int:
    """Return how many sides no other face has."""
    sides = sides_of(mesh)
    return sum(1 for a, b in sides if sides[a, b] + sides[b, a] == 1)


def check_result(mesh: Mesh, closed: bool | None = None, oriented: bool = True, areas: bool = True) -> None:
    """Assert what every result keeps to: sizes agree, no face has a vertex twice, none is without area, none is doubled.

    closed: whether it has no open sides, None for either. oriented: no side runs the same way twice. areas: no face of none.
    """
    faces = faces_of(mesh)
    assert np.isfinite(mesh.positions).all()
    assert all(len(face) >= 3 for face in faces)
    assert all(0 <= vertex < mesh.point_count for face in faces for vertex in face)
    assert all(len(set(face)) == len(face) for face in faces), "a face has a vertex twice"
    assert len({frozenset(face) for face in faces}) == len(faces), "a face is doubled"
    counts = {
        "points": mesh.point_count,
        "edges": len({frozenset(side) for side in sides_of(mesh)}),
        "corners": sum(len(face) for face in faces),
        "faces": len(faces),
    }
    for place in PLACES:
        for name, values in getattr(mesh, place).items():
            assert len(values) == counts[place], f"{name} on {place}"
    if oriented:
        assert max(sides_of(mesh).values(), default=0) <= 1, "neighbours face against each other"
    if closed is not None:
        assert (open_sides(mesh) == 0) == closed
    if areas:
        for face in faces:
            points = mesh.positions[face]
            area = np.linalg.norm(np.cross(points - points[0], np.roll(points, -1, axis=0) - points[0]).sum(axis=0)) / 2
            assert area > 1e-12 * np.ptp(mesh.positions, axis=0).max() ** 2, "a face is without area"
