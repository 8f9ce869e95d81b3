"""A joint of wires: the convex hull of the squares at which they begin, its triangles paired to quads (as scaffolds of
skeletons are: Panotopoulou and others 2018; Fuentes Suárez and Hubert 2018).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cache, cached_property
from itertools import combinations, pairwise

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
TRIANGLE = 0.6
"""How square an even triangle counts as: three quads come of it."""
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

    def cage(self, flat: float) -> Cage | None:
        """Return the faces between the squares; None where one of these does not lie on the hull of them all.

        flat: radians by which triangles of the hull turn that are one facet.
        """
        points = self.squares.reshape(-1, 3)
        hull = scipy.spatial.ConvexHull(points)
        if len(hull.vertices) < len(points):
            return None
        if (hull.equations[:, :3] @ self.middle + hull.equations[:, 3]).max() > -DEEP * self.thin:
            behind = -directions(self.ways.sum(axis=0))
            points = np.vstack((points, self.middle + self.reach * behind))
            hull = scipy.spatial.ConvexHull(points)
        faces = []
        for facet in _facets(points, hull, flat):
            own = {number // 4 for number in facet}
            if len(own) > 1 or max(facet) >= 4 * len(self.squares):
                faces += _quads_within(points, facet)
        return Cage(points, _paired(points, faces))

    def feet(self, places: Floats) -> Floats:
        """Return the nearest places (n, 3) on the middles of the wires."""
        arms = lengths(self.squares.mean(axis=1) - self.middle)
        along = np.clip((places - self.middle) @ self.ways.T, 0, arms)
        feet = self.middle + along[:, :, None] * self.ways
        return np.asarray(feet[np.arange(len(places)), lengths(places[:, None] - feet).argmin(axis=1)])


@dataclass(frozen=True, eq=False)
class Cage:
    """Points (n, 3) in mm, the corners of squares first, and faces of three or four of them."""

    points: Floats
    faces: list[list[int]]

    @cached_property
    def worst(self) -> float:
        """How square its worst face is, 1 to 0; an even triangle counts as TRIANGLE, others as less."""
        quads, triangles = (
            np.array([face for face in self.faces if len(face) == n], dtype=np.int64).reshape(-1, n) for n in (4, 3)
        )
        corners = self.points[triangles]
        ahead, back = (directions(np.roll(corners, turn, axis=1) - corners) for turn in (-1, 1))
        angles = np.arccos(np.clip(np.einsum("tki,tki->tk", ahead, back), -1, 1)).min(axis=1, initial=np.pi / 3)
        shapes = quad_shapes(self.points[quads])
        return float(min(shapes.min(initial=1.0), (TRIANGLE * angles / (np.pi / 3)).min(initial=1.0)))


@dataclass(frozen=True, eq=False)
class JointSkins:
    """The quads of several joints as one mesh, and of which of them each of its points (n,) is."""

    mesh: Mesh
    joint: Ints


def joint_skins(joints: Sequence[Joint], cages: Sequence[Cage], halvings: int) -> JointSkins:
    """Return the quads of joints from their cages, each edge halved so often; the sides of squares stay straight.

    Round ones are softened in their crotches, and come nowhere nearer to the middles of the wires than their reach.
    """
    starts = np.concatenate(([0], np.cumsum([len(cage.points) for cage in cages])))
    faces = [
        [number + start for number in face]
        for cage, start in zip(cages, starts.tolist(), strict=False)
        for face in cage.faces
    ]
    owner = np.repeat(np.arange(len(cages), dtype=np.int32), [len(cage.faces) for cage in cages])
    offsets = np.concatenate(([0], np.cumsum([len(face) for face in faces])))
    mesh = make_mesh(np.concatenate([cage.points for cage in cages]), np.concatenate(faces), offsets=offsets)
    mesh = replace(mesh, faces={"piece": owner})
    fine = split_plain(mesh, halvings)
    joint = np.full(fine.point_count, -1)
    joint[fine.topology.face_corners] = np.repeat(fine.faces["piece"], fine.topology.face_sides)
    return JointSkins(_rounded(fine, joints, joint) if joints[0].is_round else fine, joint)


def _paired(points: Floats, faces: list[list[int]]) -> list[list[int]]:
    """Return faces whose triangles are joined to quads as far as can be, the flattest first."""
    for turn in (NEARLY, np.pi):
        if sum(len(face) == 3 for face in faces) > 1:
            mesh = pair_triangles(_mesh(points, faces), turn).mesh
            corners, offsets = mesh.topology.face_corners.tolist(), mesh.topology.face_offsets.tolist()
            faces = [corners[a:b] for a, b in pairwise(offsets)]
    return faces


def _mesh(points: Floats, faces: list[list[int]]) -> Mesh:
    """Return a mesh of faces of several counts."""
    return make_mesh(points, np.concatenate(faces), offsets=np.concatenate(([0], np.cumsum([len(face) for face in faces]))))


def _rounded(mesh: Mesh, joints: Sequence[Joint], joint: Ints) -> Mesh:
    """Return skins softened where wires meet, and kept off their middles."""
    places, reach = mesh.positions.copy(), joints[0].reach
    ends = mesh.topology.edges.ends
    degree = np.maximum(np.bincount(ends.ravel(), minlength=len(places)), 1)[:, None]
    every = np.concatenate((ends, ends[:, ::-1]))
    links = scipy.sparse.csr_array((np.ones(len(every)), (every[:, 0], every[:, 1])), shape=(len(places), len(places)))
    own = [np.flatnonzero(joint == number) for number in range(len(joints))]

    def feet(at: Floats) -> Floats:
        found = at.copy()
        for number, rows in enumerate(own):
            found[rows] = joints[number].feet(at[rows])
        return found

    inside = ~mesh.topology.on_boundary & (joint >= 0)
    rim = mesh.topology.on_boundary
    places[rim] = (feet(places) + reach * directions(places - feet(places)))[rim]
    for _ in range(SOFTENED):
        softer = (places + links @ places / degree) / 2
        near = feet(softer)
        away = np.maximum(lengths(softer - near), 1e-12)
        places[inside] = (near + (softer - near) * (np.maximum(away, reach) / away)[:, None])[inside]
    return replace(mesh, positions=np.where(inside[:, None], places, mesh.positions))


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
    count = len(facet)
    if count < 5:
        return [facet]
    every = list(combinations(range(count), 4))
    shape_of = dict(zip(every, quad_shapes(points[np.array(facet)[np.array(every)]]).tolist(), strict=True))

    @cache
    def best(first: int, last: int) -> tuple[float, tuple[tuple[int, ...], ...]]:
        """Return the worst shape and the faces of the part from one point on to another, whose chord is an edge of one."""
        if last - first < 2:
            return np.inf, ()
        if last - first == 2:
            return np.inf, ((first, first + 1, last),)
        found: tuple[float, tuple[tuple[int, ...], ...]] = (-np.inf, ())
        for k, m in combinations(range(first + 1, last), 2):
            parts = ((first, k), (k, m), (m, last))
            if sum((b - a) % 2 == 0 for a, b in parts) > ((last - first) % 2 == 0):
                continue
            inner = [best(*part) for part in parts]
            worst = min(shape_of[first, k, m, last], *(one for one, _ in inner))
            if worst > found[0] + SAME:
                found = (worst, ((first, k, m, last), *(face for _, faces in inner for face in faces)))
        return found

    return [[facet[number] for number in face] for face in best(0, count - 1)[1]]


def _outwards(points: Floats, hull: scipy.spatial.ConvexHull) -> Ints:
    """Return the triangles (t, 3) of a hull, counter-clockwise seen from outside."""
    triangles = hull.simplices.astype(np.int64)
    a, b, c = (points[triangles[:, k]] for k in range(3))
    inward = np.einsum("ti,ti->t", cross(b - a, c - a), hull.equations[:, :3]) < 0
    triangles[inward] = triangles[inward][:, ::-1]
    return triangles
