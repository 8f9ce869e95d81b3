"""Points about new faces drawn to where the faces become alike: rounds that a caller brings back onto the surface."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, cross, directions, first_least, lengths, sum_by_index
from glass_spoon.kernel.meshes.topology import Topology

SQUARE, DRAWN = 0.35, 0.6
"""How much a point is drawn to where its faces are parallelograms, else to the middle of their sides; how far at once."""

NARROW = np.radians(35)
"""Corners narrower than this are opened where they can be."""

SWEEPS, HALVINGS = 6, 12
"""How often all points at narrow corners are tried, and how many steps each may take."""

EIGHTHS = np.arange(8) * np.pi / 4


@dataclass(frozen=True, eq=False)
class Drawing:
    """Points (k,) of a topology that are drawn by the quads about them."""

    points: Ints
    faces: Ints
    _number: Ints
    _ahead: Ints
    _behind: Ints
    _across: Ints

    @classmethod
    def of(cls, topology: Topology, loose: Bools, more: Bools | None = None) -> Drawing:
        """Return the drawing of points marked loose (n,); more (f,): faces that are worked on though none of theirs is."""
        about = np.zeros(topology.face_count, dtype=bool) if more is None else more.copy()
        about[topology.face_of_corner[loose[topology.face_corners]]] = True
        corners = np.flatnonzero(about[topology.face_of_corner])
        corners = corners[loose[topology.face_corners[corners]]]
        here = topology.face_corners[corners]
        ahead, behind = (topology.face_corners[step[corners]] for step in (topology.next_corner, topology.previous_corner))
        across = topology.face_corners[topology.next_corner[topology.next_corner[corners]]]
        points = np.flatnonzero(loose)
        used = [np.asarray(part, dtype=np.int64) for part in (here, ahead, behind, across)]
        number = np.full(topology.point_count, -1)
        number[points] = np.arange(len(points))
        return cls(points, np.flatnonzero(about), number[used[0]], *used[1:])

    def drawn(self, places: Floats) -> Floats:
        """Return where the points (k, 3) go in a round, of places (n, 3) of all."""
        ahead, behind = places[self._ahead], places[self._behind]
        aim = SQUARE * (ahead + behind - places[self._across]) + (1 - SQUARE) * (ahead + behind) / 2
        count = np.maximum(np.bincount(self._number, minlength=len(self.points)), 1)[:, None]
        here = places[self.points]
        return np.asarray(here + DRAWN * (sum_by_index(self._number, aim, len(self.points)) / count - here))


def points_about(topology: Topology, faces: Bools, rings: int) -> Bools:
    """Mark the points (n,) of marked faces (f,) and of rings of neighbours about them, but for open rims."""
    reached = np.zeros(topology.point_count, dtype=bool)
    points = np.unique(topology.face_corners[topology.corners_of_faces(np.flatnonzero(faces))[0]])
    reached[points] = True
    for _ in range(rings):
        corners = topology.corners_at(points)
        beside = np.concatenate(
            [topology.face_corners[step[corners]] for step in (topology.next_corner, topology.previous_corner)]
        )
        points = np.unique(beside[~reached[beside]])
        reached[points] = True
    return np.asarray(reached & ~topology.on_boundary)


Brought = Callable[[Ints, Floats], Floats]
"""Puts places (k, 3) of some points (k,) onto what they lie on."""


def untangled(topology: Topology, places: Floats, drawing: Drawing, outward: Floats, brought: Brought) -> Floats:
    """Return places (n, 3) in which points at narrow or folded corners went where the narrowest about them opens most.

    outward (f, 3): which way the faces are to look. A search by halving steps in eight directions, for all such
    points at once that share no face; only quads are looked at.
    """
    if not topology.is_quads:
        return places
    places = places.copy()
    quads = topology.face_corners.reshape(-1, 4)
    movable = np.zeros(len(places), dtype=bool)
    movable[drawing.points] = True
    for _ in range(SWEEPS):
        bad = drawing.faces[corner_turns(places[quads[drawing.faces]], outward[drawing.faces]) < NARROW]
        waiting = np.unique(quads[bad])
        waiting = waiting[movable[waiting]]
        if not len(waiting):
            break
        moved = False
        while len(waiting):
            chosen = _apart(topology, waiting)
            moved |= _search(topology, places, chosen, (outward, brought))
            waiting = np.setdiff1d(waiting, chosen)
        if not moved:
            break
    return places


def _apart(topology: Topology, points: Ints) -> Ints:
    """Return some of the points (k,), the first among them, of which no two share a face."""
    corners, starts = topology.vertex_corners
    taken: set[int] = set()
    chosen = []
    for point in points.tolist():
        faces = topology.face_of_corner[corners[starts[point] : starts[point + 1]]].tolist()
        if taken.isdisjoint(faces):
            taken.update(faces)
            chosen.append(point)
    return np.array(chosen, dtype=np.int64)


def _search(topology: Topology, places: Floats, points: Ints, given: tuple[Floats, Brought]) -> bool:
    """Move points (k,) that share no face to the best places found; return whether one went. Changes places (n, 3)."""
    outward, brought = given
    corners, starts = topology.vertex_corners
    counts = starts[points + 1] - starts[points]
    first = np.cumsum(counts) - counts
    of_pair = np.repeat(np.arange(len(points)), counts)
    at = corners[np.repeat(starts[points], counts) + np.arange(len(of_pair)) - first[of_pair]]
    faces = topology.face_of_corner[at]
    quads, out = topology.face_corners.reshape(-1, 4)[faces], outward[faces]
    own = quads == points[of_pair, None]
    normal = directions(np.add.reduceat(out, first, axis=0))
    aside = directions(np.cross(normal, np.eye(3)[first_least(np.abs(normal))]))
    ways = np.cos(EIGHTHS)[:, None, None] * aside + np.sin(EIGHTHS)[:, None, None] * np.cross(normal, aside)
    step = np.maximum.reduceat(lengths(places[quads[:, 2]] - places[quads[:, 0]]), first) / 4
    best = np.minimum.reduceat(corner_turns(places[quads], out), first)
    start = best.copy()
    for _ in range(HALVINGS):
        tried = places[points] + step[:, None] * ways
        tried = brought(np.tile(points, len(EIGHTHS)), tried.reshape(-1, 3)).reshape(tried.shape)
        blocks = np.repeat(places[quads][None], len(EIGHTHS), axis=0)
        blocks[:, own] = tried[:, of_pair]
        turns = corner_turns(blocks.reshape(-1, 4, 3), np.tile(out, (len(EIGHTHS), 1))).reshape(len(EIGHTHS), -1)
        worst = np.minimum.reduceat(turns, first, axis=1)
        which = first_least(-worst.T, 1e-6)
        found = worst[which, np.arange(len(points))]
        better = found > best + 1e-4
        places[points[better]] = tried[which[better], np.flatnonzero(better)]
        best = np.where(better, found, best)
        step = np.where(better, step, step / 2)
    return bool((best > start + 1e-3).any())


def corner_turns(quads: Floats, outward: Floats) -> Floats:
    """Return the narrowest corner (q,) of quads (q, 4, 3) in radians: below zero for one that turns back, or in a quad that
    looks against the way (q, 3) it should.
    """
    own = cross(quads[:, 2] - quads[:, 0], quads[:, 3] - quads[:, 1])
    over = np.einsum("qi,qi->q", own, outward) < 0
    normal = directions(own) * np.where(over, -1.0, 1.0)[:, None]
    ahead, behind = np.roll(quads, -1, axis=1) - quads, np.roll(quads, 1, axis=1) - quads
    up = np.einsum("qci,qi->qc", cross(ahead.reshape(-1, 3), behind.reshape(-1, 3)).reshape(ahead.shape), normal)
    return np.asarray(np.arctan2(up, np.einsum("qci,qci->qc", ahead, behind)).min(axis=1))
