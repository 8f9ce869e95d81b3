"""Frames on a mesh, for what stands on its faces, its edges or its points."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats, cross, directions
from glass_spoon.kernel.meshes.mesh import Mesh


def face_frames(mesh: Mesh, faces: np.ndarray) -> tuple[Floats, Floats]:
    """Return the middles (f, 3) of faces and frames (f, 3, 3): the way of the first edge, beside it, the normal.

    In a quad the way is that of the first edge and the one across from it.
    """
    topology = mesh.topology
    starts = topology.face_offsets[:-1].astype(np.int64)[faces]
    corners = topology.face_corners
    along = mesh.positions[corners[starts + 1]] - mesh.positions[corners[starts]]
    quads = topology.face_sides[faces] == 4
    at = starts[quads]
    along[quads] += mesh.positions[corners[at + 2]] - mesh.positions[corners[at + 3]]
    return mesh.face_centers[faces], _frames(along, mesh.face_normals[faces])


def edge_frames(mesh: Mesh, edges: np.ndarray) -> tuple[Floats, Floats]:
    """Return the middles (e, 3) of edges and frames (e, 3, 3): along them, beside them, the mean normal of their ends."""
    ends = mesh.topology.edges.ends[edges]
    first, second = mesh.positions[ends[:, 0]], mesh.positions[ends[:, 1]]
    return (first + second) / 2, _frames(second - first, mesh.vertex_normals[ends].sum(axis=1))


def point_frames(mesh: Mesh, points: np.ndarray) -> tuple[Floats, Floats]:
    """Return points (p, 3) and frames (p, 3, 3): the way of the first edge that leaves them, beside it, the normal."""
    ends = mesh.topology.edges.ends.astype(np.int64)
    way = np.zeros((mesh.point_count, 3))
    for start, end in ((0, 1), (1, 0)):
        # written from last to first, so that the first edge of a point is what stays
        way[ends[::-1, start]] = mesh.positions[ends[::-1, end]] - mesh.positions[ends[::-1, start]]
    return mesh.positions[points], _frames(way[points], mesh.vertex_normals[points])


def _frames(along: Floats, normal: Floats) -> Floats:
    """Return frames (n, 3, 3) whose columns are: along as it lies across the normal, beside, the normal."""
    up = directions(normal)
    flat = along - np.einsum("ni,ni->n", along, up)[:, None] * up
    weak = np.einsum("ni,ni->n", flat, flat) <= 1e-24
    flat[weak] = cross(up[weak], np.where(np.abs(up[weak][:, :1]) < 0.9, [1.0, 0.0, 0.0], [0.0, 1.0, 0.0]))
    first = directions(flat)
    return np.stack((first, cross(up, first), up), axis=2)
