"""Marked points joined across their faces, and marked edges halved and joined.

o-------o        o---m---o     Points: a face with marked points that are not side by side is parted from one to the
|     .'|        |   |   |     next. Edges: each gets a point in its middle; a face with two of them is parted from
|   .'  |        m---c---m     one to the other, a face with more is parted from its own middle.
o-------o        o---m---o
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from functools import cache
from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.mesh_edits.assemble import Assembly
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Reworked

What = Literal["points", "edges"]

Place = tuple[str, int]
"""A point of what a face becomes: ("own", corner), ("half", side) in the middle of the side after that corner, or
("middle", 0) of the face."""

Pieces = tuple[tuple[Place, ...], ...]


@dataclass(frozen=True, eq=False)
class Connected(Reworked):
    """A mesh with faces parted. parted: how many were; odd: how many of the new faces are no quads."""

    parted: int
    odd: int


def connect_points(mesh: Mesh, marked: Bools) -> Connected:
    """Return the mesh with faces parted between marked points (n,) of theirs that no edge joins.

    Raises KernelError where no face has two such points, or where a new edge would lie on another.
    """
    done = _Connecting(mesh, "points").done(marked[mesh.topology.face_corners])
    if not done.parted:
        raise KernelError("No face has two marked points to join. Mark points across a face from each other.")
    return done


def connect_edges(mesh: Mesh, marked: Bools) -> Connected:
    """Return the mesh with marked edges (e,) halved, and faces parted between the middles of theirs.

    Raises KernelError where no face has two marked edges.
    """
    topology = mesh.topology
    own = marked[topology.edges.of_corner]
    if not (np.bincount(topology.face_of_corner[own], minlength=1) >= 2).any():
        raise KernelError("No face has two marked edges to join. Mark edges across a face from each other.")
    work = _Connecting(mesh, "edges")
    work.halve(np.flatnonzero(marked))
    return work.done(own)


@cache
def pieces_of(flags: tuple[bool, ...], what: What) -> Pieces:
    """Return what a face becomes whose corners, or the sides after them, are marked so."""
    ring: list[Place] = []
    at: list[int] = []
    for corner, marked in enumerate(flags):
        if marked and what == "points":
            at.append(len(ring))
        ring.append(("own", corner))
        if marked and what == "edges":
            at.append(len(ring))
            ring.append(("half", corner))
    if what == "edges" and len(at) > 2:
        return tuple((("middle", 0), *_run(ring, a, b)) for a, b in zip(at, [*at[1:], at[0]], strict=True))
    return _cut_between(ring, at)


def _cut_between(ring: list[Place], at: list[int]) -> Pieces:
    """Return the pieces of a ring that is cut from each place to the next but those beside each other; one for none."""
    count = len(ring)
    pairs = [(a, b) for a, b in zip(at, [*at[1:], *at[:1]], strict=True) if (b - a) % count > 1]
    if len(at) == 2:
        return tuple(_run(ring, a, b) for a, b in pairs) if len(pairs) == 2 else (tuple(ring),)
    if len(at) < 2 or not pairs:
        return (tuple(ring),)
    return (*(_run(ring, a, b) for a, b in pairs), tuple(ring[k] for k in at))


def _run(ring: list[Place], first: int, last: int) -> tuple[Place, ...]:
    """Return the places of a ring from one to another, both among them."""
    return tuple(ring[(first + k) % len(ring)] for k in range((last - first) % len(ring) + 1))


def _chords(pieces: Pieces) -> list[tuple[int, int]]:
    """Return the pairs of corners between which pieces part a face."""
    sides = Counter(
        frozenset((a, b))
        for piece in pieces
        for a, b in zip(piece, [*piece[1:], piece[0]], strict=True)
        if a[0] == b[0] == "own"
    )
    return [(min(k for _, k in side), max(k for _, k in side)) for side, count in sides.items() if count == 2]


class _Connecting:
    """Puts the mesh together, the faces of one pattern at once."""

    def __init__(self, mesh: Mesh, what: What) -> None:
        self.mesh, self.what = mesh, what
        self.made = Assembly(mesh)
        self.half_of = np.full(len(mesh.topology.edges.ends), -1, dtype=np.int64)
        self.chords: list[Ints] = []
        self.parted = self.odd = 0

    def halve(self, edges: Ints) -> None:
        """Put a point into the middle of each of some edges (k,)."""
        ends = self.mesh.topology.edges.ends[edges].astype(np.int64)
        self.half_of[edges] = self.made.add_points(self.mesh.positions[ends].mean(axis=1))
        self.made.mix(self.half_of[edges], ends, np.full(ends.shape, 0.5))
        for side in (0, 1):
            self.made.continue_edges(np.column_stack((ends[:, side], self.half_of[edges])), edges)

    def done(self, marked: Bools) -> Connected:
        """Return the mesh with faces parted by their marked corners (h,), or sides after these."""
        topology = self.mesh.topology
        touched = np.flatnonzero(np.bincount(topology.face_of_corner[marked], minlength=self.mesh.face_count) > 0)
        for sides in np.unique(topology.face_sides[touched]).tolist():
            faces = touched[topology.face_sides[touched] == sides]
            corners = topology.face_offsets[faces].astype(np.int64)[:, None] + np.arange(sides)
            patterns, which = np.unique(marked[corners], axis=0, return_inverse=True)
            for number, pattern in enumerate(patterns.tolist()):
                own = which.ravel() == number
                self._part(pieces_of(tuple(pattern), self.what), faces[own], corners[own])
        self._refuse_doubled()
        done, _ = self.made.finish()
        return Connected(done.mesh, done.origin, self.parted, self.odd)

    def _part(self, pieces: Pieces, faces: Ints, corners: Ints) -> None:
        """Put pieces in the place of faces (k,) with corners (k, n)."""
        if len(pieces) == 1 and self.what == "points":
            return
        self.made.gone[faces] = True
        self.parted += len(faces) if len(pieces) > 1 else 0
        count, sides = corners.shape
        numbers: dict[Place, Ints] = {}
        mixes: dict[Place, Floats] = {}
        for place in sorted({place for piece in pieces for place in piece}):
            numbers[place], mixes[place] = self._point(place, corners)
        for piece in pieces:
            self.odd += count if len(piece) != 4 else 0
            points = np.column_stack([numbers[place] for place in piece])
            weights = np.broadcast_to(np.stack([mixes[place] for place in piece]), (count, len(piece), sides))
            self.made.add_faces(points, np.repeat(corners[:, None], len(piece), axis=1), faces, "part", weights)
        vertices = self.mesh.topology.face_corners[corners].astype(np.int64)
        self.chords += [vertices[:, [a, b]] for a, b in _chords(pieces)]

    def _point(self, place: Place, corners: Ints) -> tuple[Ints, Floats]:
        """Return the number (k,) of a place in faces with corners (k, n), and how it is mixed of these (n,)."""
        kind, k = place
        topology, sides = self.mesh.topology, corners.shape[1]
        mix = np.zeros(sides)
        if kind == "own":
            mix[k] = 1.0
            return topology.face_corners[corners[:, k]].astype(np.int64), mix
        if kind == "half":
            mix[[k, (k + 1) % sides]] = 0.5
            return self.half_of[topology.edges.of_corner[corners[:, k]]], mix
        mix[:] = 1 / sides
        vertices = topology.face_corners[corners].astype(np.int64)
        numbers = self.made.add_points(self.mesh.positions[vertices].mean(axis=1))
        self.made.mix(numbers, vertices, np.full(vertices.shape, 1 / sides))
        return numbers, mix

    def _refuse_doubled(self) -> None:
        """Raise KernelError where a new edge between two points of a face is there already, or twice."""
        if not self.chords:
            return
        pairs = np.sort(np.concatenate(self.chords), axis=1)
        if len(np.unique(pairs, axis=0)) < len(pairs) or (self.mesh.topology.find_edges(pairs) >= 0).any():
            raise KernelError("A new edge would lie on another one. Mark fewer points there, or clean the mesh.")
