"""How many edges of a mesh each edge of faces takes: even counts, alike where edges face each other across a face."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, directions
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.trims.face import FaceSet
from glass_spoon.kernel.trims.shared_edges import Edges, Use

LEAST_ROUND = 8
"""Fewest edges of a rim that is one curve."""

UNLIKE = 1.6
"""Times that facing edges may differ in length and still take one count."""

CORNER = float(np.radians(45))
"""A boundary that turns by more from one edge to the next has a corner there."""

Facing = tuple[list[int], list[int]]
"""Edges along one side of a face and those along the side across from it."""


def rim_counts(shape: FaceSet, edges: Edges, step: float) -> Ints:
    """Return the even count (edges,) of edges of about a step in mm that each edge takes.

    Sides across from each other take one count in all where their lengths allow it: a grid fills the face then.
    """
    sizes = np.array([edges.uses[number].length for number in edges.first])
    facing = [pair for number, face in enumerate(shape.faces) for pair in _facing_sides(edges, number, boxed=face.is_box)]
    facing = [pair for pair in facing if UNLIKE > sizes[pair[0]].sum() / sizes[pair[1]].sum() > 1 / UNLIKE]
    group = _groups(sizes, [(one[0], other[0]) for one, other in facing if len(one) == len(other) == 1])
    wanted = np.bincount(group, sizes) / np.bincount(group) / step
    alone = edges.ends[edges.first, 0] == edges.ends[edges.first, 1]
    least = np.full(len(wanted), 2)
    least[group[alone]] = LEAST_ROUND
    counts = np.maximum(least, 2 * np.round(wanted / 2).astype(np.int64))
    together = [(group[one].tolist(), group[other].tolist()) for one, other in facing]
    return np.asarray(balanced(counts, wanted, least, together)[group])


def _groups(sizes: Floats, facing: list[tuple[int, int]]) -> Ints:
    """Return the group (edges,) of each edge: those that face each other take one count, if none is far longer."""
    found = joined_groups([a for a, _ in facing], [b for _, b in facing], len(sizes))
    low, high = np.full(len(sizes), np.inf), np.zeros(len(sizes))
    np.minimum.at(low, found, sizes)
    np.maximum.at(high, found, sizes)
    apart = high[found] >= UNLIKE**2 * low[found]
    found = np.where(apart, len(sizes) + np.arange(len(sizes)), found)
    return np.asarray(np.unique(found, return_inverse=True)[1])


def _facing_sides(edges: Edges, face: int, *, boxed: bool) -> list[Facing]:
    """Return the two pairs of sides of a face of one loop with four corners; none for another.

    boxed: it is a rectangle of its parameters, whatever its corners are in space.
    """
    own = [k for k, use in enumerate(edges.uses) if use.face == face]
    if boxed and len(own) == 4:
        sides = [[int(edges.edge[k])] for k in own]
        return [(sides[0], sides[2]), (sides[1], sides[3])]
    if len(own) < 4 or len({edges.uses[k].loop for k in own}) > 1:
        return []
    leaving = [_way(edges.uses[k], 0) for k in own]
    arriving = [_way(edges.uses[k], -1) for k in own]
    turns = [float(np.arccos(np.clip(arriving[k - 1] @ leaving[k], -1.0, 1.0))) for k in range(len(own))]
    corners = [k for k, turn in enumerate(turns) if turn > CORNER]
    if len(corners) != 4:
        return []
    numbers = [int(edges.edge[k]) for k in own]
    turned = numbers[corners[0] :] + numbers[: corners[0]]
    stops = [*(corner - corners[0] for corner in corners), len(own)]
    sides = [turned[a:b] for a, b in pairwise(stops)]
    return [(sides[0], sides[2]), (sides[1], sides[3])]


def _way(use: Use, end: int) -> Floats:
    """Return the direction (3,) of a piece of a boundary at its start, 0, or its end, -1."""
    a, b = (use.places[0], use.places[1]) if end == 0 else (use.places[-2], use.places[-1])
    return directions(b - a)


def balanced(counts: Ints, wanted: Floats, least: Ints, facing: list[Facing]) -> Ints:
    """Return counts changed by two, where that costs least of what is wanted, until sides that face each other agree.

    Each change brings all sides nearer to each other; where none does, the rest stays as it is.
    """
    counts = counts.copy()
    amounts = np.zeros((len(facing), len(counts)), dtype=np.int64)
    for row, (one, other) in zip(amounts, facing, strict=True):
        np.add.at(row, one, 1)
        np.subtract.at(row, other, 1)
    while True:
        off = amounts @ counts
        if not off.any():
            return counts
        tried = np.unique(np.nonzero(amounts[off != 0])[1])
        best: tuple[float, int, int] | None = None
        for delta in (-2, 2):
            after = np.abs(off[:, None] + delta * amounts[:, tried]).sum(axis=0)
            cost = (np.abs(counts[tried] + delta - wanted[tried]) - np.abs(counts[tried] - wanted[tried])) / wanted[tried]
            fit = (after < np.abs(off).sum()) & (counts[tried] + delta >= least[tried])
            for k in np.flatnonzero(fit).tolist():
                if best is None or cost[k] < best[0]:
                    best = float(cost[k]), int(tried[k]), delta
        if best is None:
            return counts
        counts[best[1]] += best[2]
