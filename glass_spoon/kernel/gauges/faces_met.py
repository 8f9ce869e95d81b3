"""Faces held against other faces: their boxes and triangles, and how these lie about the planes of others."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, directions
from glass_spoon.kernel.gauges.near_boxes import BoxTree, face_boxes, tree_of_boxes
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.shading import cut_triangles

_SLACK = 1e-6
"""How far boxes are drawn out, as a share of the largest coordinate: faces that touch are found whatever the last digits."""


@dataclass(frozen=True, eq=False)
class Faces:
    """The faces of a mesh with their boxes."""

    mesh: Mesh

    @cached_property
    def boxes(self) -> tuple[Floats, Floats]:
        """Lower and upper corners (f, 3) in mm."""
        topology = self.mesh.topology
        return face_boxes(self.mesh.positions, topology.face_corners, topology.face_offsets)

    def middles_of(self, members: Ints) -> Floats:
        """Return the middles (m, 3) in mm of the boxes of faces."""
        low, high = self.boxes
        return (low[members] + high[members]) / 2

    def sizes_of(self, members: Ints) -> Floats:
        """Return the longest sides (m,) in mm of the boxes of faces."""
        low, high = self.boxes
        return np.asarray((high[members] - low[members]).max(axis=1, initial=0.0))

    @cached_property
    def tree(self) -> BoxTree:
        """Their boxes, drawn out a little."""
        low, high = self.boxes
        slack = _SLACK * float(np.abs(self.mesh.positions).max())
        return tree_of_boxes(low - slack, high + slack)

    @cached_property
    def triangle_points(self) -> Ints:
        """The vertices (t, 3) of triangles in the order of the faces."""
        return cut_triangles(self.mesh, self.mesh.topology.face_corners).astype(np.int64)

    @cached_property
    def triangles(self) -> tuple[Floats, Ints, Ints]:
        """Triangles (t, 3, 3) in mm in the order of the faces, the first of each face (f,), and their number (f,)."""
        counts = self.mesh.topology.face_sides.astype(np.int64) - 2
        return self.mesh.positions[self.triangle_points], np.cumsum(counts) - counts, counts


def reach_beside(faces: Faces, of_face: Ints, planes: Floats) -> tuple[Floats, Floats]:
    """Return how far the corners of faces (n,) reach below and above the planes of triangles (n, 3, 3), in mm."""
    normal = unit_normals(planes)
    triangles, starts, counts = faces.triangles
    low, high = np.full(len(of_face), np.inf), np.full(len(of_face), -np.inf)
    for step in range(int(counts.max(initial=0))):
        there = np.flatnonzero(counts[of_face] > step)
        corners = triangles[starts[of_face[there]] + step] - planes[there, :1]
        along = np.einsum("nij,nj->ni", corners, normal[there])
        low[there] = np.minimum(low[there], along.min(axis=1))
        high[there] = np.maximum(high[there], along.max(axis=1))
    return low, high


def unit_normals(triangles: Floats) -> Floats:
    """Return the unit normals (n, 3) of triangles, zero where one has no area."""
    return directions(np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]))


def part_in_plane(p: Floats, q: Floats, place: Floats, touch: Floats) -> tuple[Floats, Floats]:
    """Return from where to where (n,) the triangles p lie in the planes of q, by the places (n, 3) of their corners along a
    line in mm; inf to -inf for nowhere.
    """
    off = np.einsum("nij,nj->ni", p - q[:, :1], unit_normals(q))
    off[np.abs(off) <= 1e-3 * touch[:, None]] = 0.0
    low, high = np.full(len(p), np.inf), np.full(len(p), -np.inf)
    for i, j in ((0, 1), (1, 2), (2, 0)):
        step = off[:, i] - off[:, j]
        cuts = (off[:, i] * off[:, j] <= 0) & (step != 0)
        share = off[:, i] / np.where(step != 0, step, 1.0)
        at = place[:, i] + share * (place[:, j] - place[:, i])
        low, high = np.where(cuts, np.minimum(low, at), low), np.where(cuts, np.maximum(high, at), high)
    return low, high
