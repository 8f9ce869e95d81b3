"""A row of quads inside each rim of a flat outline, so that its edges run on concentric with it.

o---o---o---o      A vertex of a rim where it runs on has one vertex opposite in the row. At a corner less than
|   |   |   |      THROUGH there is none: its two neighbours share one, and the quad between them holds the corner.
o---+---+          At a corner that looks inwards, more than BEYOND, there are three.
|   |              (Blacker and Stephenson, Paving, International Journal for Numerical Methods in Engineering 32,
o---o               1991, sections 3 and 4.)
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, Ints
from glass_spoon.kernel.meshing.plane_fill import worst_cosine

THROUGH, BEYOND = float(np.radians(125)), float(np.radians(235))
"""Inner angles between which a rim runs on at a vertex."""

DEEP = 0.9
"""How deep a row is, in edges of its rim."""

ROOM = 1.2
"""How far apart rows of different rims, or of parts of one, stay, in edges."""

FEWEST = 6
"""Vertices that a loop has at least: every second of them makes an outline."""

WORST = float(np.cos(np.radians(40)))
"""The largest cosine of a corner in a row."""


@dataclass(frozen=True, eq=False)
class RimRow:
    """A row inside a rim of n vertices: the loop (m, 2) that it leaves, and its quads (k, 4): numbers below n are of
    the rim, those from n on vertices of the loop.
    """

    loop: Floats
    quads: Ints


def rim_rows(loops: list[Floats]) -> list[RimRow | None]:
    """Return the row inside each loop (n, 2), the area on its left; None where there is no room for one, or no clean one."""
    rows = [_row(loop) for loop in loops]
    while True:
        kept = [row.loop if row is not None else loop for row, loop in zip(rows, loops, strict=True)]
        near = _crowded(kept, loops)
        drop = [k for k, row in enumerate(rows) if row is not None and near[k]]
        if not drop:
            return rows
        for k in drop:
            rows[k] = None


def _row(given: Floats) -> RimRow | None:
    """Return the row inside one loop."""
    count = len(given)
    ends, turns = _corners(given)
    clear = np.flatnonzero(~ends & ~np.roll(ends, 1))
    if not len(clear) or (ends & (np.roll(ends, 1) | np.roll(ends, 2) | np.roll(turns, 1) | np.roll(turns, -1))).any():
        return None
    start = int(clear[0])
    loop, ends, turns = np.roll(given, -start, axis=0), np.roll(ends, -start), np.roll(turns, -start)
    ways, depth = _ways_in(loop)
    places: list[Floats] = []
    opposite = [0] * count  # the number of the first vertex of the row opposite each
    for k in np.flatnonzero(~ends).tolist():
        opposite[k] = len(places)
        if turns[k]:
            places += [loop[k] + depth[k] * way[k] for way in ways]
        elif ends[k - 1]:
            opposite[k] -= 1
            places[-1] = loop[k - 2] + loop[k] - loop[k - 1]
        else:
            places.append(loop[k] + depth[k] * ways[1][k])
    quads = []
    for k in range(count):
        after = (k + 1) % count
        if ends[k]:
            quads.append([k, after, count + opposite[after], k - 1])
        elif not ends[after]:
            quads.append([k, after, count + opposite[after], count + opposite[k] + 2 * int(turns[k])])
        if turns[k]:
            quads.append([k, *(count + opposite[k] + step for step in (2, 1, 0))])
    inside, faces = np.array(places), np.array(quads)
    if len(inside) < FEWEST or len(inside) % 2 or worst_cosine(np.concatenate((loop, inside)), faces).max() > WORST:
        return None
    return RimRow(inside, np.where(faces < count, (faces + start) % count, faces))


def _corners(loop: Floats) -> tuple[Bools, Bools]:
    """Mark the vertices of a loop that are corners, and those that look inwards."""
    ahead, back = np.roll(loop, -1, axis=0) - loop, np.roll(loop, 1, axis=0) - loop
    inner = np.arctan2(ahead[:, 0] * back[:, 1] - ahead[:, 1] * back[:, 0], (ahead * back).sum(axis=1)) % (2 * np.pi)
    return inner < THROUGH, inner > BEYOND


def _ways_in(loop: Floats) -> tuple[tuple[Floats, Floats, Floats], Floats]:
    """Return the ways (n, 2) in from each vertex, square to the edge before, between both and square to the edge after, and
    how deep (n,) its row is.
    """
    ahead = np.roll(loop, -1, axis=0) - loop
    size = np.hypot(*ahead.T)
    normals = np.column_stack((-ahead[:, 1], ahead[:, 0])) / size[:, None]
    before = np.roll(normals, 1, axis=0)
    middle = normals + before
    middle = middle / np.maximum((middle * normals).sum(axis=1), 0.2)[:, None]
    depth = DEEP * (size + np.roll(size, 1)) / 2
    return (before, middle, normals), (np.roll(depth, 1) + 2 * depth + np.roll(depth, -1)) / 4


def _crowded(loops: list[Floats], rims: list[Floats]) -> list[bool]:
    """Say of each loop whether a vertex of it is nearer to another, or to a far part of itself, than ROOM edges."""
    points = np.concatenate(loops)
    owner = np.repeat(np.arange(len(loops)), [len(loop) for loop in loops])
    place = np.concatenate([np.arange(len(loop)) for loop in loops])
    sizes = np.array([len(loop) for loop in loops])
    means = [float(np.hypot(*(np.roll(rim, -1, axis=0) - rim).T).mean()) for rim in rims]
    edge = np.repeat(means, sizes)
    found = [False] * len(loops)
    for a, near in enumerate(scipy.spatial.cKDTree(points).query_ball_point(points, ROOM * edge)):
        for b in near:
            steps = abs(int(place[a]) - int(place[b]))
            if owner[a] != owner[b] or min(steps, int(sizes[owner[a]]) - steps) > 3:
                found[int(owner[a])] = found[int(owner[b])] = True
    return found
