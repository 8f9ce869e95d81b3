"""The nearest place of a mesh to many places, through libigl's tree of boxes (Jacobson and others, libigl, 2018).

Faces with more than three sides count as the fan from their first corner.
Distance from a triangle: Ericson, Real-Time Collision Detection (2005), section 5.1.5.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, lengths
from glass_spoon.kernel.meshes.mesh import Mesh

BESIDE = 1e-7
"""How far beside itself a ray is asked once more that hit nothing, as a share of all that there is."""


def box_tree(points: Floats, triangles: Ints) -> Any:
    """Return libigl's tree of boxes over triangles (t, 3) of points (n, 3); whoever asks it hands it the same two again."""
    from igl import AABB  # noqa: PLC0415  (it takes a fifth of a second to load, which a sheet without meshes need not wait for)

    tree = AABB()
    tree.init(points, triangles)
    return tree


@dataclass(frozen=True, eq=False)
class NearestOnMesh:
    """A mesh made ready to be asked for nearest places."""

    mesh: Mesh

    @cached_property
    def triangles(self) -> tuple[Ints, Ints]:
        """The fan of every face: vertices (t, 3) and the face (t,) of each."""
        corners, owner = self.fans
        return self.mesh.topology.face_corners[corners].astype(np.int64), owner

    @cached_property
    def fans(self) -> tuple[Ints, Ints]:
        """The fan of every face: corners (t, 3) and the face (t,) of each."""
        topology = self.mesh.topology
        sides = topology.face_sides.astype(np.int64)
        owner = np.repeat(np.arange(topology.face_count), sides - 2)
        firsts = np.cumsum(sides - 2) - (sides - 2)
        step = np.arange(len(owner)) - firsts[owner]
        start = topology.face_offsets[:-1].astype(np.int64)[owner]
        return np.column_stack((start, start + step + 1, start + step + 2)), owner

    @cached_property
    def _tree(self) -> tuple[Any, Floats, Ints]:
        """The tree, and the vertices and triangles that it is asked with."""
        points, triangles = np.ascontiguousarray(self.mesh.positions), np.ascontiguousarray(self.triangles[0])
        return box_tree(points, triangles), points, triangles

    def ask(self, places: Floats) -> tuple[Floats, Ints, Floats]:
        """Return the nearest places (n, 3) in mm, the faces (n,) they lie on, and the distances (n,) in mm."""
        if not len(places):
            return np.zeros((0, 3)), np.zeros(0, dtype=np.int64), np.zeros(0)
        _, triangle, found = self._tree[0].squared_distance(*self._tree[1:], np.ascontiguousarray(places))
        return found, self.triangles[1][triangle], lengths(found - places)

    def seen(self, places: Floats, way: Floats) -> tuple[Floats, Ints]:
        """Return where (n, 3) lines through places (n, 3) that run the unit way (3,) first meet the mesh, coming from far
        away, and the faces (n,) there; -1 and the place itself where they miss it.
        """
        size = float(np.ptp(self.mesh.positions, axis=0).max()) + float(lengths(places - self.mesh.positions[0]).max())
        aside = np.roll(way, 1) + 0.3 * np.roll(way, 2)
        found, faces = places.copy(), np.full(len(places), -1, dtype=np.int64)
        first, ways = np.full(len(places), np.inf), np.tile(way, (len(places), 1))
        for shift in (
            0.0,
            BESIDE,
            -BESIDE,
        ):  # a ray that runs along an edge of triangles may miss both, and hit what is behind
            start = np.ascontiguousarray(places + shift * size * aside - 2 * size * way)
            triangle, share, _ = self._tree[0].intersect_ray_first(*self._tree[1:], start, ways)
            nearer = (triangle >= 0) & np.isfinite(share) & (share < first * (1 - BESIDE))
            first[nearer] = share[nearer]
            found[nearer] = start[nearer] + share[nearer, None] * way
            faces[nearer] = self.triangles[1][triangle[nearer]]
        return found, faces

    def weights(self, places: Floats) -> tuple[Floats, Ints]:
        """Return weights (n, 3) that sum to one, and the corners (n, 3) of the mesh that mix to the nearest places."""
        _, triangle, found = self._tree[0].squared_distance(*self._tree[1:], np.ascontiguousarray(places))
        a, b, c = (self.mesh.positions[self.triangles[0][triangle, k]] for k in range(3))
        areas = [lengths(np.cross(q - p, r - p)) for p, q, r in ((found, b, c), (found, c, a), (found, a, b))]
        weights = np.stack(areas, axis=1)
        total = weights.sum(axis=1, keepdims=True)
        flat = np.broadcast_to(np.array([1.0, 0.0, 0.0]), weights.shape)
        return np.where(total > 0, weights / np.where(total > 0, total, 1.0), flat), self.fans[0][triangle]


def nearest_in_triangles(places: Floats, triangles: Floats) -> Floats:
    """Return the nearest place (n, 3) of each triangle (n, 3, 3) to its place (n, 3)."""
    a, b, c = triangles[:, 0], triangles[:, 1], triangles[:, 2]
    ab, ac, bc = b - a, c - a, c - b
    d1, d2 = (np.einsum("ij,ij->i", side, places - a) for side in (ab, ac))
    d3, d4 = (np.einsum("ij,ij->i", side, places - b) for side in (ab, ac))
    d5, d6 = (np.einsum("ij,ij->i", side, places - c) for side in (ab, ac))
    va, vb, vc = d3 * d6 - d5 * d4, d5 * d2 - d1 * d6, d1 * d4 - d3 * d2
    whole = va + vb + vc
    scale = np.where(np.abs(whole) > 0, whole, 1.0)
    inner = a + (vb / scale)[:, None] * ab + (vc / scale)[:, None] * ac

    def on_side(start: Floats, side: Floats) -> Floats:
        size = np.maximum(np.einsum("ij,ij->i", side, side), 1e-300)
        share = np.clip(np.einsum("ij,ij->i", places - start, side) / size, 0.0, 1.0)
        return np.asarray(start + share[:, None] * side)

    inside = (va >= 0) & (vb >= 0) & (vc >= 0) & (whole > 0)
    sides = np.stack((on_side(a, ab), on_side(a, ac), on_side(b, bc)))
    nearest = lengths(sides - places).argmin(axis=0)
    edge = sides[nearest, np.arange(len(places))]
    return np.asarray(np.where(inside[:, None], inner, edge))
