"""A sheet of faces given a wall: two skins, and a rim between them where the sheet ends.

Where the mesh is smooth a point goes along its normal: that of the surface it was made on where that is known, and no line
has made edges there since, so that the other skin lies on the true parallel surface. At creases it goes to where the offset
planes of both sides meet, so that the wall is even on flats and round corners alike.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import (
    Bools,
    Floats,
    Ints,
    cross,
    cross_columns,
    directions,
    dot_columns,
    lengths,
    owned,
    sum_by_index,
)
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import KEPT, Origin, Reworked, Taken, carry
from glass_spoon.kernel.meshes.topology import Topology, make_topology

Rim = Literal["flat", "rounded", "open"]

CREASE = np.radians(30)
"""Faces that meet at more than this are two sides of a crease, on a mesh that knows no surface."""

LONGEST = 4.0
"""A point at a very sharp fold goes this many walls far at most; the wall is thinner there."""

SAFE = 0.9
"""The share of the wall that folds a face which is taken where the wall is evened out."""

ROUNDS = 12
"""Rounds in which a wall is evened out about places where it would fold."""

TWICE = 1e-12
"""Roots that differ by no more than this share, squared, are one: last digits decide else whether there is any."""

OUTER, INNER, RIM = "outer", "inner", "rim"
"""Roles of the faces."""


@dataclass(frozen=True, eq=False)
class Wall:
    """What wall a sheet gets. outside, inside: how far (n,) each point goes to either side, in mm. rim: how the sheet ends.

    loops: loops of edges in a flat rim, or faces over a quarter of a rounded one. band: the rim alone, no inner skin.
    evened: where a face would fold the wall is made thinner about it.
    """

    outside: Floats
    inside: Floats
    rim: Rim = "flat"
    loops: int = 0
    band: bool = False
    evened: bool = False


@dataclass(frozen=True, eq=False)
class Thickened(Reworked):
    """A sheet with its wall. folded: old faces (k,) whose other side folds; fits: the largest share of the wall that folds
    none, 1 where all fits; thinned: points whose wall was made thinner, spikes: points held at very sharp folds.
    """

    folded: Ints
    fits: float
    thinned: int
    spikes: int


def thicken(mesh: Mesh, wall: Wall) -> Thickened:
    """Return a mesh with a wall, all its quads kept and quads added; roles say what is outer, inner and rim.

    Raises KernelError for a mesh whose faces do not face alike, or with edges of more than two faces, InvalidInput for a
    wall that is nowhere above zero. Cost: linear; points at creases one by one solve three planes.
    """
    _check(mesh, wall)
    lean, spikes = leans(mesh)
    shares, thinned = np.ones(mesh.point_count), 0
    fits, folded = _fits(mesh, lean, wall)
    if wall.evened and len(folded):
        shares = _evened(mesh, lean, wall)
        thinned = int((shares < 1).sum())
        evened = replace(wall, outside=wall.outside * shares, inside=wall.inside * shares)
        _, folded = _fits(mesh, lean, evened)
        wall = evened
    layout = _Layout(mesh.topology, wall)
    origin = layout.origin
    made = carry(mesh, layout.topology, origin, layout.positions(mesh, lean, wall))
    return Thickened(_faced(made, mesh, layout), origin, folded, fits, thinned, spikes)


def _check(mesh: Mesh, wall: Wall) -> None:
    """Raise for a mesh that cannot get a wall, or no wall."""
    topology = mesh.topology
    if (topology.edge_face_counts > 2).any():
        raise KernelError("Edges of three or more faces have no two sides: clean the mesh first.")
    if (topology.same_direction & (topology.edge_face_counts == 2)).any():
        raise KernelError("Neighbours face different ways, so there is no outside: clean the mesh first.")
    rims = topology.edges.ends[topology.boundary_edges]
    if len(rims) and np.bincount(rims.ravel()).max() > 2:
        raise KernelError("Two rims meet in a point, which can have no rim of its own: clean the mesh first.")
    whole = wall.outside + wall.inside
    if not (wall.outside >= 0).all() or not (wall.inside >= 0).all() or not whole.max(initial=0.0) > 0:
        raise InvalidInput("The wall", "zero or more everywhere, and above it somewhere", f"{whole.min(initial=0.0):.4g} mm")
    if wall.loops < 0:
        raise InvalidInput("The loops of the rim", "0 or more", str(wall.loops))


def leans(mesh: Mesh) -> tuple[Floats, int]:
    """Return how far (n, 3) each point goes for a wall of 1, and how many points were held."""
    worked = _worked(mesh)
    ends = mesh.topology.edges.ends
    marked, bent = _creases(mesh, worked)
    creased = marked | bent
    at_crease = np.zeros(mesh.point_count, dtype=bool)
    at_crease[ends[bent]] = True
    at_crease &= worked
    at_crease[ends[marked]] = True
    known = mesh.points.get("normal")
    lean = np.zeros((mesh.point_count, 3)) if known is None else directions(known)
    if worked.any():
        plain = mesh.vertex_normals.copy()
        corners = mesh.topology.face_corners
        slant = np.einsum("ci,ci->c", plain[corners], mesh.face_normals[mesh.topology.face_of_corner])
        total = np.bincount(corners, slant, mesh.point_count)
        counts = np.bincount(corners, minlength=mesh.point_count)
        mean = np.divide(total, counts, out=np.ones(mesh.point_count), where=counts > 0)
        plain /= np.maximum(mean, 1 / LONGEST)[:, None]
        lean = np.where(worked[:, None], plain, lean)
    if at_crease.any():
        lean = lean.copy()
        lean[at_crease] = _where_planes_meet(mesh, creased, np.flatnonzero(at_crease))
    size = lengths(lean)
    long = size > LONGEST * (1 + 1e-9)
    lean[long] *= (LONGEST / size[long])[:, None]
    return lean, int(long.sum())


def _worked(mesh: Mesh) -> Bools:
    """Mark the points (n,) whose normals are not those of a surface: all where none are known, else those at edges that a
    line has made since.
    """
    if "normal" not in mesh.points:
        return np.ones(mesh.point_count, dtype=bool)
    worked = np.zeros(mesh.point_count, dtype=bool)
    if "maker" in mesh.edges:
        worked[mesh.topology.edges.ends[mesh.edges["maker"] > 0]] = True
    return worked


def _creases(mesh: Mesh, worked: Bools) -> tuple[Bools, Bools]:
    """Mark the edges (e,) at which a wall has two sides: those that are sharp, and those that bend where no surface is."""
    topology = mesh.topology
    sharp = mesh.edges.get("sharpness")
    marked = np.zeros(len(topology.edges.ends), dtype=bool) if sharp is None else np.asarray(sharp > 0)
    marked &= topology.edge_face_counts == 2
    bent = np.zeros(len(marked), dtype=bool)
    if worked.any():
        first, second = _sides(topology)
        bends = np.einsum("ei,ei->e", mesh.face_normals[first], mesh.face_normals[second]) < np.cos(CREASE)
        bent = bends & (topology.edge_face_counts == 2) & worked[topology.edges.ends].any(axis=1)
    return marked, bent


def _sides(topology: Topology) -> tuple[Ints, Ints]:
    """Return the faces (e,), (e,) on both sides of every edge; on a rim the same one twice."""
    of_corner, faces = topology.edges.of_corner, topology.face_of_corner
    first = np.zeros(len(topology.edges.ends), dtype=np.int64)
    second = first.copy()
    first[of_corner] = faces
    second[of_corner[::-1]] = faces[::-1]
    return first, second


def _where_planes_meet(mesh: Mesh, creased: Bools, points: Ints) -> Floats:
    """Return how far (p, 3) points at creases go: to where the planes of the sides about them, each 1 away, meet.

    The sides are groups of faces between creases, their normals weighted by the angle at the point. Where fewer than three
    planes fix a place it is the nearest one.
    """
    topology = mesh.topology
    number = np.full(mesh.point_count, -1)
    number[points] = np.arange(len(points))
    at = np.flatnonzero(number[topology.face_corners] >= 0)
    place = np.full(len(topology.face_corners), -1)
    place[at] = np.arange(len(at))
    # The edge before a corner and the one after it both end there; corners that share such an edge, unless it is a crease,
    # look over one side.
    after, before = topology.edges.of_corner[at], topology.edges.of_corner[topology.previous_corner[at]]
    keys = np.concatenate((after, before)) * np.int64(mesh.point_count) + np.tile(topology.face_corners[at], 2)
    joins = np.tile(np.arange(len(at)), 2)
    smooth = ~creased[np.concatenate((after, before))]
    order = np.argsort(keys[smooth], kind="stable")
    ordered, members = keys[smooth][order], joins[smooth][order]
    same = ordered[1:] == ordered[:-1]
    groups = joined_groups(members[:-1][same], members[1:][same], len(at))
    normals = mesh.face_normals[topology.face_of_corner[at]] * _angles(mesh, at)[:, None]
    sums = sum_by_index(groups, normals, int(groups.max()) + 1)
    unit = directions(sums)
    owner = np.zeros(len(unit), dtype=np.int64)
    owner[groups] = number[topology.face_corners[at]]
    squares = np.zeros((len(points), 3, 3))
    np.add.at(squares, owner, unit[:, :, None] * unit[:, None, :])
    wanted = sum_by_index(owner, unit, len(points))
    values, vectors = np.linalg.eigh(squares)
    inverse = np.where(values > 1e-3 * values[:, -1:], 1 / np.maximum(values, 1e-300), 0.0)
    along = np.einsum("pij,pi->pj", vectors, wanted) * inverse
    return np.asarray(np.einsum("pij,pj->pi", vectors, along))


def _angles(mesh: Mesh, corners: Ints) -> Floats:
    """Return the angles (c,) in radians at some corners."""
    topology = mesh.topology
    here = mesh.positions[topology.face_corners[corners]]
    ahead = directions(mesh.positions[topology.face_corners[topology.next_corner[corners]]] - here)
    behind = directions(mesh.positions[topology.face_corners[topology.previous_corner[corners]]] - here)
    return np.asarray(np.arccos(np.clip(np.einsum("ci,ci->c", ahead, behind), -1.0, 1.0)))


def first_folds(mesh: Mesh, ways: Floats) -> Floats:
    """Return for each face the least share (f,), above 0 and at most 1, of moves (n, 3) at which a corner of it folds.

    The vector area of a corner is of second degree in the share; it folds where its part along the face's normal is zero.
    Infinite where it does not; corners that are folded at the start are left out. Only corners whose sides change by enough
    are solved: where |p| |s| + |r| |q| + |r| |s| is below the area, no share up to 1 takes it away.
    """
    topology = mesh.topology
    ends = topology.edges.ends
    edge = lengths(mesh.positions.take(ends[:, 1], axis=0) - mesh.positions.take(ends[:, 0], axis=0))
    change = lengths(ways.take(ends[:, 1], axis=0) - ways.take(ends[:, 0], axis=0))
    after = topology.edges.of_corner
    before = after[topology.previous_corner]
    p, q, r, s = edge[after], edge[before], change[after], change[before]
    areas = _corner_areas(mesh)
    least = np.full(mesh.face_count, np.inf)
    asked = np.flatnonzero((p * s + r * q + r * s >= areas) & (areas > 0))
    if len(asked):
        np.minimum.at(least, topology.face_of_corner[asked], _folding_shares(mesh, ways, asked))
    return least


def _corner_areas(mesh: Mesh) -> Floats:
    """Return the parts (c,) of the vector areas of corners, twice the triangle's, along the normals of their faces."""
    topology = mesh.topology
    columns = [column.take(topology.face_corners) for column in mesh.positions.T]
    ahead = [column.take(topology.next_corner) - column for column in columns]
    behind = [column.take(topology.previous_corner) - column for column in columns]
    normals = [column.take(topology.face_of_corner) for column in mesh.face_normals.T]
    return np.asarray(dot_columns(cross_columns(ahead, behind), normals))


def _folding_shares(mesh: Mesh, ways: Floats, at: Ints) -> Floats:
    """Return the least share (k,) in (0, 1] of moves (n, 3) at which the corners `at` (k,) fold, infinite for none."""
    topology = mesh.topology
    here, ahead, behind = (
        topology.face_corners[corner] for corner in (at, topology.next_corner[at], topology.previous_corner[at])
    )
    p, q = mesh.positions[ahead] - mesh.positions[here], mesh.positions[behind] - mesh.positions[here]
    r, s = ways[ahead] - ways[here], ways[behind] - ways[here]
    normal = mesh.face_normals[topology.face_of_corner[at]]
    c = np.einsum("ci,ci->c", cross(p, q), normal)
    b = np.einsum("ci,ci->c", cross(p, s) + cross(r, q), normal)
    a = np.einsum("ci,ci->c", cross(r, s), normal)
    inside = b * b - 4 * a * c
    inside = np.where(np.abs(inside) <= TWICE * b * b, 0.0, inside)  # a square shrinks to a point: both roots are one
    # The form that loses no digits: both roots from the one whose parts have the same sign.
    half = -(b + np.where(b >= 0, 1.0, -1.0) * np.sqrt(np.maximum(inside, 0.0))) / 2
    found = np.full(len(at), np.inf)
    for top, bottom in ((half, a), (c, half)):
        share = np.divide(top, bottom, out=np.full(len(at), np.inf), where=(inside >= 0) & (bottom != 0))
        found = np.where((share > 0) & (share <= 1) & (share < found), share, found)
    return found


def _fits(mesh: Mesh, lean: Floats, wall: Wall) -> tuple[float, Ints]:
    """Return the largest share of a wall that folds no face, at most 1, and the faces that the whole wall folds."""
    least = np.full(mesh.face_count, np.inf)
    for ways in (wall.outside[:, None] * lean, -wall.inside[:, None] * lean):
        if ways.any():
            least = np.minimum(least, first_folds(mesh, ways))
    return float(min(1.0, least.min(initial=np.inf))), np.flatnonzero(least <= 1)


def _evened(mesh: Mesh, lean: Floats, wall: Wall) -> Floats:
    """Return the share (n,) of its wall that each point gets so that no face folds, falling off evenly to both sides."""
    shares = np.ones(mesh.point_count)
    ends = mesh.topology.edges.ends
    degree = np.bincount(ends.ravel(), minlength=mesh.point_count)
    corners = mesh.topology.face_corners
    for _ in range(ROUNDS):
        ways = [wall.outside * shares, wall.inside * shares]
        least = np.minimum(first_folds(mesh, ways[0][:, None] * lean), first_folds(mesh, -ways[1][:, None] * lean))
        if (least > 1).all():
            break
        of_corner = np.minimum(1.0, SAFE * least)[mesh.topology.face_of_corner]
        limit = np.ones(mesh.point_count)
        np.minimum.at(limit, corners, of_corner)
        capped = shares * limit
        for _ in range(4):  # what is thinner draws its neighbours, and is not drawn itself
            total = np.bincount(ends[:, 0], capped[ends[:, 1]], mesh.point_count)
            total += np.bincount(ends[:, 1], capped[ends[:, 0]], mesh.point_count)
            mean = np.divide(total, degree, out=capped.copy(), where=degree > 0)
            capped = np.minimum(capped, (capped + mean) / 2)
        shares = capped
    return shares


class _Layout:
    """How the elements of a thickened mesh follow one another: outer skin, inner skin, then the rows of the rim."""

    def __init__(self, topology: Topology, wall: Wall) -> None:
        self.old = topology
        self.skins = 1 if wall.band else 2
        rims = topology.boundary_edges if wall.rim != "open" or wall.band else np.zeros(0, dtype=np.int64)
        self.rows = 2 * max(1, wall.loops) if wall.rim == "rounded" else wall.loops + 1
        on_rim = np.zeros(len(topology.edges.ends), dtype=bool)
        on_rim[rims] = True
        self.corner = np.flatnonzero(on_rim[topology.edges.of_corner])
        self.start = topology.face_corners[self.corner].astype(np.int64)
        self.end = topology.face_corners[topology.next_corner[self.corner]].astype(np.int64)
        self.rim_points = np.unique(np.concatenate((self.start, self.end)))
        self.number = np.full(topology.point_count, -1)
        self.number[self.rim_points] = np.arange(len(self.rim_points))
        # points of rows between the skins, and of the last row where there is no inner skin
        self.own_rows = self.rows - 1 + (1 if wall.band else 0)

    def row(self, points: Ints, row: int) -> Ints:
        """Return the new points (k,) of a row of the rim over old ones (k,): row 0 is the outer skin, the last the inner."""
        if row == 0:
            return points
        if row == self.rows and self.skins == 2:
            return points + self.old.point_count
        return self.skins * self.old.point_count + (row - 1) * len(self.rim_points) + self.number[points]

    @cached_property
    def backwards(self) -> Ints:
        """The order of corners (c,) in which faces run the other way round."""
        starts = np.repeat(self.old.face_offsets[:-1].astype(np.int64), self.old.face_sides)
        sides = np.repeat(self.old.face_sides.astype(np.int64), self.old.face_sides)
        return np.asarray(starts + (starts - np.arange(len(starts))) % sides)

    @cached_property
    def rim_faces(self) -> Ints:
        """The corners (k rows, 4) of the faces of the rim, row by row."""
        if not len(self.corner):
            return np.zeros((0, 4), dtype=np.int64)
        rows = []
        for row in range(self.rows):
            ends = [(self.end, row), (self.start, row), (self.start, row + 1), (self.end, row + 1)]
            rows.append(np.stack([self.row(points, at) for points, at in ends], axis=1))
        return np.concatenate(rows)

    @cached_property
    def topology(self) -> Topology:
        """The faces of the wall."""
        own = self.old.face_corners.astype(np.int64)
        skins = [own] if self.skins == 1 else [own, own[self.backwards] + self.old.point_count]
        corners = np.concatenate((*skins, self.rim_faces.ravel()))
        count = self.skins * self.old.point_count + self.own_rows * len(self.rim_points)
        if self.old.is_quads:
            return make_topology(count, corners.reshape(-1, 4))
        sides = np.concatenate((*[self.old.face_sides] * self.skins, np.full(len(self.rim_faces), 4)))
        return make_topology(count, corners, offsets=np.concatenate(([0], np.cumsum(sides))))

    @cached_property
    def origin(self) -> Origin:
        """Where all of it came from."""
        old, rims = self.old, self.rows * len(self.corner)
        points = np.concatenate((*[np.arange(old.point_count)] * self.skins, *[self.rim_points] * self.own_rows))
        own = np.arange(len(old.face_corners))
        ahead = old.next_corner[self.corner]
        of_rim = np.tile(np.stack((ahead, self.corner, self.corner, ahead), axis=1).ravel(), self.rows)
        corners = np.concatenate((*([own] if self.skins == 1 else [own, own[self.backwards]]), of_rim if rims else own[:0]))
        faces = np.concatenate(
            (*[np.arange(old.face_count)] * self.skins, np.tile(old.face_of_corner[self.corner], self.rows))
        )
        roles = np.concatenate(
            (
                np.full(old.face_count, 1),
                np.full((self.skins - 1) * old.face_count, 2),
                np.full(rims, 3),
            )
        )
        return Origin(
            old,
            Taken(points, old.point_count),
            Taken(corners, len(old.face_corners)),
            faces,
            self._pairs,
            None,
            (KEPT, OUTER, INNER, RIM),
            roles,
            None,
        )

    def _pairs(self) -> Ints:
        """Return the pairs (k, 2) of a new edge and the old one: those of both skins."""
        ends = self.old.edges.ends.astype(np.int64)
        found = [
            np.column_stack((self.topology.find_edges(ends + skin * self.old.point_count), np.arange(len(ends))))
            for skin in range(self.skins)
        ]
        return np.concatenate(found).astype(np.int64)

    def positions(self, mesh: Mesh, lean: Floats, wall: Wall) -> Floats:
        """Return the places (n, 3) of all points."""
        outer = mesh.positions + wall.outside[:, None] * lean
        inner = mesh.positions - wall.inside[:, None] * lean
        parts = [outer] if self.skins == 1 else [outer, inner]
        if len(self.rim_points):
            high, low = outer[self.rim_points], inner[self.rim_points]
            out = self._outwards(mesh, high - low) if wall.rim == "rounded" else np.zeros_like(high)
            for row in range(1, self.own_rows + 1):
                share = row / self.rows
                if wall.rim == "rounded":
                    turn = np.pi * share
                    reach = lengths(high - low)[:, None] / 2
                    parts.append((high + low) / 2 + (high - low) / 2 * np.cos(turn) + out * reach * np.sin(turn))
                else:
                    parts.append(high + share * (low - high))
        return owned(np.concatenate(parts))

    def _outwards(self, mesh: Mesh, across: Floats) -> Floats:
        """Return unit vectors (r, 3) at points of rims out of the sheet: across the rim and across the wall."""
        way = np.zeros((self.old.point_count, 3))
        step = directions(mesh.positions[self.end] - mesh.positions[self.start])
        np.add.at(way, self.start, step)
        np.add.at(way, self.end, step)
        return directions(cross(way[self.rim_points], across))


def _faced(made: Mesh, mesh: Mesh, layout: _Layout) -> Mesh:
    """Return a thickened mesh with its normals: those of the sheet on its outer skin, turned over on the inner one.

    Points of a rim have two sides, and none of these; a mesh with a rim keeps no normals.
    """
    points = {name: value for name, value in made.points.items() if name != "normal"}
    if "normal" in mesh.points and not len(layout.corner) and layout.skins == 2:
        points["normal"] = owned(np.concatenate((mesh.points["normal"], -mesh.points["normal"])))
    return replace(made, points=points)
