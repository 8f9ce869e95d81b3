"""A joint of wires: the convex hull of the squares at which they begin, its triangles paired to quads (as scaffolds of
skeletons are: Panotopoulou and others 2018; Fuentes Suárez and Hubert 2018).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cache
from itertools import combinations

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints, cross, directions, lengths
from glass_spoon.kernel.mesh_edits.pair_triangles import pair_triangles, quad_shapes
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.subdivision.catmull_clark import split_plain

NEARLY = 0.3
"""Radians by which triangles turn that are paired first."""
SAME = 1e-9
"""How much squarer faces must be to be taken instead of others."""
DEEP = 0.5
"""Share of the wire's reach that the middle of a joint lies deep at least: else a tip is set behind it."""
SOFTENED = 6
"""Rounds in which the crotches of round wires are softened, and kept off the middles of the wires."""


@dataclass(frozen=True, eq=False)
class Joint:
    """Squares (k, 4, 3) in mm of the wires round a middle (3,), in the order in which their rings run; ways (k, 3): the unit
    directions in which the wires leave, and the reach of a wire in mm, and half of its least width. is_round: whether its
    skin lies at the reach.
    """

    middle: Floats
    squares: Floats
    ways: Floats
    reach: float
    thin: float
    is_round: bool

    @property
    def is_hidden(self) -> bool:
        """Whether one of its squares does not lie on the hull of them all."""
        points = self.squares.reshape(-1, 3)
        return len(scipy.spatial.ConvexHull(points).vertices) < len(points)

    def skin(self, halvings: int, flat: float) -> Mesh:
        """Return the quads between the squares, each edge halved so often; the sides of squares stay straight.

        flat: radians by which triangles of the hull turn that are one facet.
        """
        points = self.squares.reshape(-1, 3)
        hull = scipy.spatial.ConvexHull(points)
        if (hull.equations[:, :3] @ self.middle + hull.equations[:, 3]).max() > -DEEP * self.thin:
            behind = -directions(self.ways.sum(axis=0))
            points = np.vstack((points, self.middle + self.reach * behind))
            hull = scipy.spatial.ConvexHull(points)
        faces = []
        for facet in _facets(points, hull, flat):
            own = {number // 4 for number in facet}
            if len(own) > 1 or max(facet) >= 4 * len(self.squares):
                faces += _quads_within(points, facet)
        offsets = np.concatenate(([0], np.cumsum([len(face) for face in faces])))
        mesh = make_mesh(points, np.concatenate(faces), offsets=offsets)
        fine = split_plain(pair_triangles(pair_triangles(mesh, NEARLY).mesh).mesh, halvings)
        return self._rounded(fine) if self.is_round else fine

    def _rounded(self, mesh: Mesh) -> Mesh:
        """Return the skin softened in its crotches, and nowhere nearer to the middles of the wires than their reach."""
        places, inside = mesh.positions.copy(), ~mesh.topology.on_boundary
        ends = mesh.topology.edges.ends
        degree = np.bincount(ends.ravel(), minlength=len(places))[:, None]
        every = np.concatenate((ends, ends[:, ::-1]))
        links = scipy.sparse.csr_array((np.ones(len(every)), (every[:, 0], every[:, 1])), shape=(len(places), len(places)))
        rim = directions(places - self._feet(places))
        places[~inside] = (self._feet(places) + self.reach * rim)[~inside]
        for _ in range(SOFTENED):
            places[inside] = self._kept_off((places + links @ places / np.maximum(degree, 1)) / 2)[inside]
        return replace(mesh, positions=np.where(inside[:, None], places, mesh.positions))

    def _feet(self, places: Floats) -> Floats:
        """Return the nearest places (n, 3) on the middles of the wires."""
        arms = lengths(self.squares.mean(axis=1) - self.middle)
        along = np.clip((places - self.middle) @ self.ways.T, 0, arms)
        feet = self.middle + along[:, :, None] * self.ways
        return np.asarray(feet[np.arange(len(places)), lengths(places[:, None] - feet).argmin(axis=1)])

    def _kept_off(self, places: Floats) -> Floats:
        """Return places (n, 3) moved straight off the middles of the wires, where they lie nearer than the reach."""
        feet = self._feet(places)
        away = np.maximum(lengths(places - feet), 1e-12)
        return feet + (places - feet) * (np.maximum(away, self.reach) / away)[:, None]


def _facets(points: Floats, hull: scipy.spatial.ConvexHull, flat: float) -> list[list[int]]:
    """Return the nearly flat facets of a hull: their points in order, counter-clockwise seen from outside."""
    triangles = _outwards(points, hull)
    normals = hull.equations[:, :3]
    group, count = np.full(len(triangles), -1), 0
    a, b, c = (points[triangles[:, k]] for k in range(3))
    for seed in np.argsort(-np.round(lengths(cross(b - a, c - a)), 9), kind="stable").tolist():
        if group[seed] >= 0:
            continue
        group[seed], left = count, [seed]
        while left:  # on from the largest, as far as they are flat beside it
            near = [other for other in hull.neighbors[left.pop()] if group[other] < 0]
            near = [other for other in near if normals[other] @ normals[seed] > np.cos(flat)]
            group[near] = count
            left += near
        count += 1
    found = []
    for number in range(count):
        own = triangles[group == number]
        edges = {(int(t[k]), int(t[(k + 1) % 3])) for t in own for k in range(3)}
        following = {a: b for a, b in edges if (b, a) not in edges}
        way = [min(following)]
        while (after := following[way[-1]]) != way[0]:
            way.append(after)
        found.append(way)
    return found


def _quads_within(points: Floats, facet: list[int]) -> list[list[int]]:
    """Return the quads that a facet is cut into, its worst as square as can be; the last is a triangle where it is odd."""

    @cache
    def best(way: tuple[int, ...]) -> tuple[float, tuple[tuple[int, ...], ...]]:
        """Return the worst shape and the faces of a polygon, of which one has its first and its last point for an edge."""
        if len(way) < 3:
            return np.inf, ()
        if len(way) == 3:
            return np.inf, (way,)
        found: tuple[float, tuple[tuple[int, ...], ...]] = (-np.inf, ())
        for k, m in combinations(range(1, len(way) - 1), 2):
            parts = (way[: k + 1], way[k : m + 1], way[m:])
            if sum(len(part) % 2 for part in parts) > len(way) % 2:
                continue
            quad = (way[0], way[k], way[m], way[-1])
            shape = float(quad_shapes(points[None, list(quad)])[0])
            inner = [best(part) for part in parts]
            worst = min(shape, *(one for one, _ in inner))
            if worst > found[0] + SAME:
                found = (worst, (quad, *(face for _, faces in inner for face in faces)))
        return found

    if len(facet) % 2:
        turned = [tuple(facet[k:] + facet[:k]) for k in range(len(facet))]
        return [list(face) for face in max((best(way) for way in turned), key=lambda one: one[0])[1]]
    return [list(face) for face in best(tuple(facet))[1]]


def _outwards(points: Floats, hull: scipy.spatial.ConvexHull) -> Ints:
    """Return the triangles (t, 3) of a hull, counter-clockwise seen from outside."""
    triangles = hull.simplices.astype(np.int64)
    a, b, c = (points[triangles[:, k]] for k in range(3))
    inward = np.einsum("ti,ti->t", cross(b - a, c - a), hull.equations[:, :3]) < 0
    triangles[inward] = triangles[inward][:, ::-1]
    return triangles
