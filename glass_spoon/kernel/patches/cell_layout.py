r"""Which patches meet in a region with holes side by side: chords part it in cells of one hole each, and each cell in
patches from its own corners to the hole.

    +-------+-------+      the ends of chords are corners of the cells on both sides; a patch lies
    | \ _ / | \ _ / |      between two neighbouring corners of a cell and two places of its hole
    |  |_|  |  |_|  |
    | /   \ | /   \ |
    +-------+-------+
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import groupby, pairwise

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.patches.boundary_stretch import Plan, Stretch, has_corner, own_stops, run_alike
from glass_spoon.kernel.patches.patch_layout import Quad
from glass_spoon.kernel.patches.region import Loop

WAYS = 12
"""Directions along which it is tried to put the holes in a row."""

PLACES = 96
"""Places of each side by which a boundary is seen on the flat."""

BESIDE = 0.02
"""Share of a boundary's length within which a chord ends at a corner, or where the bend jumps."""

FEWEST = (4, 6, 8)
"""Fewest corners of a cell that are tried."""

HALVINGS = 40
"""Halvings to where a chord meets the boundary."""


def cell_layouts(loops: list[Loop], axes: Floats) -> Iterator[Plan]:
    """Yield plans of the patches within the first of some loops and outside the others, which run the same way round, seen
    on two axes (2, 3): those by few of them first; none where no chords part the holes.
    """
    outer, holes = _Round(loops[0], axes), [_Round(loop, axes) for loop in loops[1:]]
    found = _in_a_row(outer, holes)
    if found is None:
        return
    order, chords = found
    cells = _cells(outer, chords)
    for fewest in FEWEST:
        counts = [max(fewest, len(holes[k].stops)) for k in order]
        ways = [_counted(outer, cell, count) for cell, count in zip(cells, counts, strict=True)]
        yield _plan(outer, [holes[k] for k in order], ways)


def _plan(outer: _Round, holes: list[_Round], ways: list[list[float]]) -> Plan:
    """Return the patches between holes and the cells round them, which are given by the corners that they have (ways)."""
    ends = sorted({place for way in ways for place in way})
    number = {place: k for k, place in enumerate(ends)}
    stretches, first = [_stretches(outer, ends, 0)], len(ends)
    quads, fans = list[Quad](), dict[int, tuple[int, float]]()
    for way, hole in zip(ways, holes, strict=True):
        stops = hole.facing([outer.place(place) for place in way])
        own = sorted(stops)
        stretches.append(_stretches(hole, own, first))
        rim = [first + own.index(place) for place in stops]
        for a, b in zip(range(len(way)), [*range(1, len(way)), 0], strict=True):
            quads.append((number[way[a]], number[way[b]], rim[b], rim[a]))
        fans |= {first + n: (2, 2 * np.pi - hole.angle(place)) for n, place in enumerate(own)}
        first += len(own)
    for place, vertex in number.items():
        fans[vertex] = 2 * sum(place in way for way in ways), outer.angle(place)
    return [one for own in stretches for one in own], tuple(quads), fans


class _Round:
    """A boundary by places: the number of a side and a share of it, added; and as it is seen on the flat."""

    def __init__(self, loop: Loop, axes: Floats) -> None:
        self.loop, self.axes = loop, axes
        shares = np.arange(PLACES) / PLACES
        self.at = np.concatenate([k + shares for k in range(len(loop.sides))])
        self.flat = np.concatenate([side.points(shares) for side in loop.sides]) @ axes.T
        self.middle = self.flat.mean(axis=0)
        self.has_corner = has_corner(loop)
        self.stops = [k + share for k, shares in enumerate(own_stops(loop)) for share in shares]

    def place(self, at: float) -> Floats:
        """Return a place (2,) on the flat."""
        side = int(at) % len(self.loop.sides)
        return np.asarray(self.loop.sides[side].points(np.array([at % 1.0]))[0] @ self.axes.T)

    def angle(self, at: float) -> float:
        """Return the angle inside the boundary at a place."""
        return float(self.loop.angles[int(at)]) if at == int(at) and self.has_corner else float(np.pi)

    def crossings(self, way: Floats, level: float) -> tuple[list[float], list[float]]:
        """Return the places at which it rises over a level along a way (2,), and at which it falls under it."""
        off = self.flat @ way - level
        found: tuple[list[float], list[float]] = [], []
        total = len(self.loop.sides)
        for k in np.flatnonzero((off > 0) != (np.roll(off, -1) > 0)).tolist():
            low, high = float(self.at[k]), float(self.at[k + 1]) if k + 1 < len(self.at) else float(total)
            rises = off[k] <= 0
            for _ in range(HALVINGS):
                middle = (low + high) / 2
                low, high = (middle, high) if (self.place(middle) @ way - level > 0) != rises else (low, middle)
            at = (low + high) / 2
            near = min(self.stops, key=lambda stop: abs(_turned(stop - at, total)), default=None)
            reach = BESIDE * self.loop.length / self.loop.sides[int(at) % total].length
            at = near if near is not None and abs(_turned(near - at, total)) < reach else at
            found[0 if rises else 1].append(at % total)
        return found

    def facing(self, corners: list[Floats]) -> list[float]:
        """Return as many places of it, one across from each of some corners (2,) round it: its own corners, and between."""
        total = float(len(self.loop.sides))
        turns = np.array([np.arctan2(*(corner - self.middle)[::-1]) for corner in corners])
        own = np.unwrap(np.arctan2(*(self.flat - self.middle).T[::-1]))
        if not self.stops:
            ahead = (turns - own[0]) % (2 * np.pi)
            known = np.append(own, own[0] + 2 * np.pi) - own[0]
            return [float(place) % total for place in np.interp(ahead, known, [*self.at, total])]
        parts = _parted(self, list(pairwise([*self.stops, self.stops[0] + total])), len(corners))
        stops = sorted(place for row in parts for place in row)
        theirs = np.array([np.arctan2(*(self.place(stop) - self.middle)[::-1]) for stop in stops])
        off = [float((1 - np.cos(np.roll(theirs, -k) - turns)).sum()) for k in range(len(stops))]
        first = int(np.argmin(off))
        return [*stops[first:], *stops[:first]]


def _turned(place: float, total: int) -> float:
    """Return the way to a place round a boundary of a length, the shorter way."""
    return (place + total / 2) % total - total / 2


def _in_a_row(outer: _Round, holes: list[_Round]) -> tuple[list[int], list[tuple[float, float]]] | None:
    """Return the holes' numbers in a row, and the places at which chords between them meet the boundary as it rises and as
    it falls along the row; None where they are in no row, or a chord would meet it more than twice.
    """
    best: tuple[float, list[int], list[tuple[float, float]]] | None = None
    for turn in np.arange(WAYS) * np.pi / WAYS:
        way = np.array([np.cos(turn), np.sin(turn)])
        spans = [(float((hole.flat @ way).min()), float((hole.flat @ way).max())) for hole in holes]
        order = sorted(range(len(holes)), key=lambda k: spans[k])
        gaps = [spans[b][0] - spans[a][1] for a, b in pairwise(order)]
        if min(gaps) <= 0 or (best is not None and min(gaps) <= best[0]):
            continue
        levels = [(spans[a][1] + spans[b][0]) / 2 for a, b in pairwise(order)]
        met = [outer.crossings(way, level) for level in levels]
        if all(len(rises) == len(falls) == 1 for rises, falls in met):
            best = min(gaps), order, [(rises[0], falls[0]) for rises, falls in met]
    return None if best is None else best[1:]


def _cells(outer: _Round, chords: list[tuple[float, float]]) -> list[list[list[float]]]:
    """Return the cells between chords as runs of places along the boundary, their ends included, counter-clockwise."""
    rises, falls = [chord[0] for chord in chords], [chord[1] for chord in chords]

    def run(start: float, end: float) -> list[float]:
        total = len(outer.loop.sides)
        reach = (end - start) % total
        inner = sorted(
            (stop for stop in outer.stops if 0 < (stop - start) % total < reach), key=lambda s: (s - start) % total
        )
        return [start, *inner, end]

    cells = [[run(falls[0], rises[0])]]
    for k in range(len(chords) - 1):
        cells.append([run(rises[k], rises[k + 1]), run(falls[k + 1], falls[k])])
    return [*cells, [run(rises[-1], falls[-1])]]


def _counted(outer: _Round, cell: list[list[float]], least: int) -> list[float]:
    """Return the corners of a cell in their order, with others between them where they are too few."""
    total = len(outer.loop.sides)
    gaps = [(a, a + (b - a) % total) for run in cell for a, b in pairwise(run)]
    parts = iter(_parted(outer, gaps, least - len(cell)))
    return [place for run in cell for place in [*(at for _ in run[1:] for at in next(parts)), run[-1]]]


def _parted(outer: _Round, gaps: list[tuple[float, float]], count: int) -> list[list[float]]:
    """Return gaps between places parted evenly, the longest most, in so many parts or more: the start of each part."""
    total, times = len(outer.loop.sides), [1] * len(gaps)
    sizes = [(high - low) * outer.loop.sides[int(low) % total].length for low, high in gaps]
    while sum(times) < count:
        times[max(range(len(gaps)), key=lambda k: sizes[k] / times[k])] += 1
    return [
        [(low + (high - low) * k / parts) % total for k in range(parts)]
        for (low, high), parts in zip(gaps, times, strict=True)
    ]


def _stretches(outer: _Round, ends: list[float], first: int) -> list[Stretch]:
    """Return the stretches of a boundary between places in their order, their vertices from `first` on."""
    total, count = len(outer.loop.sides), len(ends)
    found = []
    for k, (low, high) in enumerate(pairwise([*ends, ends[0] + total])):
        side = int(low)
        one = Stretch(
            first + k, first + (k + 1) % count, outer.loop.sides[side], low - side, high - side, is_closed=total == 1
        )
        found.append(one)
    if total == 1 and not outer.has_corner:
        return run_alike(found)
    rows = [list(run) for _, run in groupby(found, key=lambda one: id(one.side))]
    return [one for row in rows for one in run_alike(row, ring=False)]
