"""Points, edges and faces taken by hand: places on a mesh, and how far what is nearest to each goes, others following.

A place is looked for again on any mesh that stands there, whatever its count: it finds what is nearest, no farther off than
an edge or two there.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, first_least, lengths
from glass_spoon.kernel.detail.shift import distances, fading
from glass_spoon.kernel.meshes.marked import MarkKind, element_middles, make_mark
from glass_spoon.kernel.meshes.mesh import Mesh

FOUND = 1.5
"""What is nearest to a place counts as found within so many of the longest edges at it."""


@dataclass(frozen=True, eq=False)
class Dragged:
    """Where points (n, 3) go; elements (k,): what was moved, -1 for nothing."""

    places: Floats
    elements: Ints


@dataclass(frozen=True)
class Following:
    """How points about what is dragged follow: within a reach in mm, along the mesh or in space, by a law over its share."""

    reach: float = 0.0
    along: bool = True
    law: Callable[[Floats], Floats] = lambda share: 1 - share


def found_near(mesh: Mesh, kind: MarkKind, places: Floats) -> Ints:
    """Return the element (k,) of a kind nearest to each of places (k, 3) mm, -1 where none is near enough."""
    middles = element_middles(mesh, kind)
    return np.array([_found(mesh, kind, middles, place) for place in places], dtype=np.int64)


def drag(mesh: Mesh, kind: MarkKind, elements: Ints, moves: Floats, following: Following | None = None) -> Dragged:
    """Return where points go when elements (k,) of a kind, -1 for none, are moved by moves (k, 3) mm.

    A point of several goes by the mean of theirs; what follows several goes by the sum of its shares, of no more than one.
    """
    follow = following or Following()
    total, weight = np.zeros_like(mesh.positions), np.zeros(mesh.point_count)
    for element, move in zip(elements.tolist(), moves, strict=True):
        if element < 0:
            continue
        marked = make_mark(kind, mesh, np.array([element])).points()
        own = fading(distances(mesh, marked, follow.reach, along=follow.along), follow.reach, follow.law)
        total += own[:, None] * move
        weight += own
    return Dragged(mesh.positions + total / np.maximum(weight, 1.0)[:, None], elements)


def _found(mesh: Mesh, kind: MarkKind, middles: Floats, place: Floats) -> int:
    """Return the element whose middle, of all (k, 3), is nearest to a place (3,), -1 where that is too far off."""
    if not len(middles):
        return -1
    away = lengths(middles - place)
    element = int(first_least(away))
    points = make_mark(kind, mesh, np.array([element])).points()
    ends = mesh.topology.edges.ends
    edges = mesh.positions[ends[points[ends].any(axis=1)]]
    longest = float(lengths(edges[:, 1] - edges[:, 0]).max(initial=0.0))
    return element if away[element] <= FOUND * longest else -1
