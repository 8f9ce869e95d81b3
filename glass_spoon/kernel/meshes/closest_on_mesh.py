"""The nearest place of a mesh to many places: candidates from a tree over points strewn on the faces, then exact triangles.

Faces with more than three sides count as the fan from their first corner.
Distance from a triangle: Ericson, Real-Time Collision Detection (2005), section 5.1.5.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.spatial import cKDTree

from glass_spoon.kernel.arrays import Floats, Ints, lengths
from glass_spoon.kernel.meshes.mesh import Mesh

LONG = 2.0
"""Triangles that reach so many times farther than the median are cut."""

MOST_CUTS, MOST_PIECES = 8, 400_000
"""Most times that a triangle is cut in four, and most pieces of one cut."""


@dataclass(frozen=True, eq=False)
class NearestOnMesh:
    """A mesh made ready to be asked for nearest places."""

    mesh: Mesh

    @cached_property
    def triangles(self) -> tuple[Ints, Ints]:
        """The fan of every face: vertices (t, 3) and the face (t,) of each."""
        topology = self.mesh.topology
        sides = topology.face_sides.astype(np.int64)
        owner = np.repeat(np.arange(topology.face_count), sides - 2)
        firsts = np.cumsum(sides - 2) - (sides - 2)
        step = np.arange(len(owner)) - firsts[owner]
        start = topology.face_offsets[:-1].astype(np.int64)[owner]
        corners = np.column_stack((start, start + step + 1, start + step + 2))
        return topology.face_corners[corners].astype(np.int64), owner

    @cached_property
    def _pieces(self) -> tuple[Floats, Ints]:
        """The triangles in pieces of about one size: corners (k, 3, 3) mm and the face (k,) of each.

        Long ones are cut in four until they reach little farther from their middle than most do: candidates are found by
        middles, and one long triangle would make many of them needed.
        """
        vertices, owner = self.triangles
        points = self.mesh.positions[vertices]
        reach = _reach(points)
        limit = LONG * float(np.median(reach)) if len(reach) else 0.0
        done_points, done_owner = [], []
        for _ in range(MOST_CUTS):
            long = _reach(points) > limit
            done_points.append(points[~long])
            done_owner.append(owner[~long])
            points, owner = _in_four(points[long]), np.repeat(owner[long], 4)
            if not len(points) or len(points) > MOST_PIECES:
                break
        return np.concatenate((*done_points, points)), np.concatenate((*done_owner, owner))

    @cached_property
    def _tree(self) -> tuple[cKDTree, float]:
        """A tree over the middles of all pieces, and the farthest in mm that one reaches from its middle."""
        points = self._pieces[0]
        return cKDTree(points.mean(axis=1)), float(_reach(points).max(initial=0.0))

    def ask(self, places: Floats) -> tuple[Floats, Ints, Floats]:
        """Return the nearest places (n, 3) in mm, the faces (n,) they lie on, and the distances (n,) in mm.

        The nearest middles come first; where a piece with a middle farther away may still be nearer, more are looked at.
        """
        tree, largest = self._tree
        points, owner = self._pieces
        total = len(owner)
        found, face = np.empty_like(places), np.zeros(len(places), dtype=np.int64)
        distance = np.full(len(places), np.inf)
        left, count = np.arange(len(places)), min(8, total)
        while len(left):
            away, near = tree.query(places[left], k=count)
            near, away = np.asarray(near).reshape(len(left), -1), np.asarray(away).reshape(len(left), -1)
            asked = np.repeat(places[left], near.shape[1], axis=0)
            feet = nearest_in_triangles(asked, points[near.ravel()])
            off = lengths(feet - asked).reshape(near.shape)
            best = off.argmin(axis=1)
            rows = np.arange(len(left))
            distance[left], face[left] = off[rows, best], owner[near[rows, best]]
            found[left] = feet.reshape(*near.shape, 3)[rows, best]
            # Nothing beyond the last middle can be nearer than its distance less the largest reach.
            open_ones = away[:, -1] - largest < distance[left]
            if count >= total:
                break
            left, count = left[open_ones], min(4 * count, total)
        return found, face, distance


def _reach(points: Floats) -> Floats:
    """Return how far (k,) in mm triangles (k, 3, 3) reach from their middles."""
    return np.asarray(lengths(points - points.mean(axis=1)[:, None]).max(axis=1)) if len(points) else np.zeros(0)


def _in_four(points: Floats) -> Floats:
    """Return the four triangles (4 k, 3, 3) of each of (k, 3, 3), cut at the middles of its sides."""
    a, b, c = points[:, 0], points[:, 1], points[:, 2]
    ab, bc, ca = (a + b) / 2, (b + c) / 2, (c + a) / 2
    parts = (np.stack(part, axis=1) for part in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca)))
    return np.stack(list(parts), axis=1).reshape(-1, 3, 3)


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
