r"""Which patches meet in a region with holes: chords part it until each cell has one hole, and each cell is parted in
patches from its own corners to the hole.

    +-------+-------+      the ends of chords are corners of the cells on both sides, those of one that ends on another
    | \ _ / | \ _ / |      too; a patch lies between two neighbouring corners of a cell and two places of its hole
    |  |_|  |  |_|  |
    | /   \ | /   \ |
    +-------+-------+
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import combinations, groupby, pairwise

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.patches.boundary_stretch import Plan, Stretch, has_corner, own_stops, run_alike
from glass_spoon.kernel.patches.patch_layout import Quad
from glass_spoon.kernel.patches.region import Loop

WAYS = 24
"""Directions along which it is tried to part holes, beside those from one to another."""

PLACES = 96
"""Places of each side by which a boundary is seen on the flat."""

BESIDE = 0.02
"""Share of a boundary's length within which a chord ends at a corner, at another's end, or where the bend jumps."""

FEWEST = (4, 6, 8)
"""Fewest corners of a cell that are tried."""

HALVINGS = 40
"""Halvings to where a chord meets the boundary."""


def cell_layouts(loops: list[Loop], axes: Floats) -> Iterator[Plan]:
    """Yield plans of the patches within the first of some loops and outside the others, which run the same way round, seen
    on two axes (2, 3): those by few of them first; none where no chords part the holes.
    """
    cells = _Cells.about(_Round(loops[0], axes), [_Round(loop, axes) for loop in loops[1:]])
    if cells is None:
        return
    known = 0
    for fewest in FEWEST:
        parted = cells.with_corners(fewest)
        if len(parted.flat) > known:  # else the same corners were enough before
            known = len(parted.flat)
            yield _plan(parted)


def _plan(parted: _Cells) -> Plan:
    """Return the patches between holes and the cells round them, each from a corner to the next; inner vertices last."""
    order = sorted((place, node) for node, place in enumerate(parted.places) if place is not None)
    inner = [node for node, place in enumerate(parted.places) if place is None]
    first, rims = len(order), sum(len(cell.nodes) for cell in parted.cells)
    number = {node: k for k, (_, node) in enumerate(order)} | {node: first + rims + k for k, node in enumerate(inner)}
    stretches, quads, fans = [_stretches(parted.outer, [place for place, _ in order], 0)], list[Quad](), dict[int, Fan]()
    for cell in parted.cells:
        hole, way = parted.holes[cell.holes[0]], [node for node, _ in cell.nodes]
        stops = hole.facing([parted.flat[node] for node in way])
        own = sorted(stops)
        stretches.append(_stretches(hole, own, first))
        rim = [first + own.index(place) for place in stops]
        for a, b in zip(range(len(way)), [*range(1, len(way)), 0], strict=True):
            quads.append((number[way[a]], number[way[b]], rim[b], rim[a]))
        fans |= {first + n: (2, 2 * np.pi - hole.angle(place)) for n, place in enumerate(own)}
        first += len(own)
    for place, node in order:
        meeting = sum(node == other for cell in parted.cells for other, _ in cell.nodes)
        fans[number[node]] = 2 * meeting, parted.outer.angle(place)
    return [one for own in stretches for one in own], tuple(quads), fans


Fan = tuple[int, float]
"""How many patches meet at a vertex of a boundary, and the angle between them in radians."""


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
            known = np.append(own, own[0] + 2 * np.pi) - own[0]
            ahead = (_evened(turns) - own[0]) % (2 * np.pi)
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


def _evened(turns: Floats) -> Floats:
    """Return angles (n,), one after the other round a circle, drawn half the way to even ones; where they are in no order,
    those even ones.
    """
    even = 2 * np.pi * np.arange(len(turns)) / len(turns)
    steps = (np.roll(turns, -1) - turns) % (2 * np.pi)
    ahead = turns[0] + np.concatenate(([0.0], np.cumsum(steps[:-1])))
    if abs(float(steps.sum()) - 2 * np.pi) < 1e-6:
        return np.asarray((ahead + even + (ahead - even).mean()) / 2)
    return np.asarray(even + np.angle(np.exp(1j * (turns - even)).sum()))


@dataclass(eq=False)
class _Cell:
    """A cell: the nodes round it, counter-clockwise, each with whether the boundary leads on to the next (else a chord), and
    the numbers of the holes in it.
    """

    nodes: list[tuple[int, bool]]
    holes: list[int]

    @property
    def edges(self) -> list[tuple[int, int, bool]]:
        """Its edges by the nodes at their ends, and whether they lie on the boundary."""
        return [(a, b, along) for (a, along), (b, _) in zip(self.nodes, [*self.nodes[1:], *self.nodes[:1]], strict=True)]

    def parted(self, ends: list[int]) -> list[list[tuple[int, bool]]]:
        """Return the nodes round both parts of it, by a chord between two of its nodes."""
        own = [node for node, _ in self.nodes]
        low, high = sorted(own.index(end) for end in ends)
        return [[*self.nodes[low:high], (own[high], False)], [*self.nodes[high:], *self.nodes[:low], (own[low], False)]]


@dataclass(eq=False)
class _Cells:
    """A region parted by chords. Its nodes: places of the boundary, None for those within it, and where they are seen on the
    flat (2,).
    """

    outer: _Round
    holes: list[_Round]
    places: list[float | None]
    flat: list[Floats]
    cells: list[_Cell]

    @classmethod
    def about(cls, outer: _Round, holes: list[_Round]) -> _Cells | None:
        """Return cells of one hole each; None where no chord parts some of them."""
        found = cls(outer, holes, list(outer.stops), [outer.place(place) for place in outer.stops], [])
        found.cells = [_Cell([(node, True) for node in range(len(outer.stops))], list(range(len(holes))))]
        while (crowded := next((cell for cell in found.cells if len(cell.holes) > 1), None)) is not None:
            if not any(found._part(crowded, way, level) for way, level in found._ways(crowded.holes)):
                return None
        return found

    def with_corners(self, fewest: int) -> _Cells:
        """Return them with more corners, where a cell has fewer than these, or than its hole."""
        cells = [_Cell(list(cell.nodes), cell.holes) for cell in self.cells]
        more = _Cells(self.outer, self.holes, list(self.places), list(self.flat), cells)
        for cell in sorted(cells, key=lambda cell: any(along for _, along in cell.nodes)):  # a chord is of two cells
            missing = max(fewest, len(self.holes[cell.holes[0]].stops)) - len(cell.nodes)
            runs = [(a, b) for a, b, along in cell.edges if along]
            if runs and missing > 0:
                parts = _parted(self.outer, [more._run(a, b) for a, b in runs], len(runs) + missing)
                for (a, b), (_, *between) in zip(runs, parts, strict=True):
                    more._insert(a, b, [more._node(place, self.outer.place(place)) for place in between], along=True)
            for _ in range(0 if runs else missing):
                a, b, _ = max(cell.edges, key=lambda edge: float(np.linalg.norm(more.flat[edge[1]] - more.flat[edge[0]])))
                more._insert(a, b, [more._node(None, (more.flat[a] + more.flat[b]) / 2)], along=False)
        return more

    def _node(self, place: float | None, flat: Floats) -> int:
        self.places.append(place)
        self.flat.append(flat)
        return len(self.flat) - 1

    def _insert(self, a: int, b: int, between: list[int], *, along: bool) -> None:
        """Insert nodes between two neighbours, in each cell that has that edge."""
        for cell in self.cells:
            for k, edge in enumerate(cell.edges):
                if edge == (a, b, along) or (edge == (b, a, along) and not along):  # the boundary runs one way
                    row = between if edge[0] == a else between[::-1]
                    cell.nodes[k + 1 : k + 1] = [(node, along) for node in row]
                    break

    def _run(self, a: int, b: int) -> tuple[float, float]:
        """Return the places along the boundary between two nodes on it, the second ahead of the first."""
        start, end = self.places[a], self.places[b]
        assert start is not None
        assert end is not None
        total = len(self.outer.loop.sides)
        return start, start + ((end - start) % total or total)

    def _ways(self, chosen: list[int]) -> list[tuple[Floats, float]]:
        """Return directions (2,) and levels along them at which some holes part, the widest gap between them first."""
        found = []
        ahead = [b - a for a, b in combinations([self.holes[k].middle for k in chosen], 2)]
        for turn in [*np.arange(WAYS) * np.pi / WAYS, *(np.arctan2(way[1], way[0]) for way in ahead)]:
            way = np.array([np.cos(turn), np.sin(turn)])
            seen = [self.holes[k].flat @ way for k in chosen]
            spans = sorted((float(one.min()), float(one.max())) for one in seen)
            reach = np.maximum.accumulate([high for _, high in spans]).tolist()
            for high, (low, _) in zip(reach[:-1], spans[1:], strict=True):
                if low > high:
                    found.append((low - high, way, (low + high) / 2))
        return [(way, level) for _, way, level in sorted(found, key=lambda one: -one[0])]

    def _part(self, cell: _Cell, way: Floats, level: float) -> bool:
        """Part a cell along a line, and say whether that meets it twice, at places that are no neighbours along a chord."""
        rises, falls = self.outer.crossings(way, level)
        if not self.places and len(rises) == len(falls) == 1:  # a smooth boundary has its first nodes there
            cell.nodes = [(self._node(place, self.outer.place(place)), True) for place in sorted((rises[0], falls[0]))]
        if not cell.nodes:
            return False
        met = {spot for edge in cell.edges for spot in self._met(edge, way, level, [*rises, *falls])}
        if len(met) != 2 or any(met == {a, b} for a, b, along in cell.edges if not along):
            return False
        ends = self._nodes_at(met)
        self.cells.remove(cell)
        for nodes in cell.parted(ends):
            (a, _), (b, _) = nodes[-1], nodes[0]  # the chord, which has its cell on its left
            run = self.flat[b] - self.flat[a]
            above = float(run[0] * way[1] - run[1] * way[0]) > 0
            own = [k for k in cell.holes if (float(self.holes[k].middle @ way) > level) == above]
            self.cells.append(_Cell(nodes, own))
        return True

    def _met(self, edge: tuple[int, int, bool], way: Floats, level: float, places: list[float]) -> Iterator[int | _Spot]:
        """Yield where a line meets an edge of a cell, given where it meets the boundary: a node, where there is one near."""
        a, b, along = edge
        found: list[tuple[float, float | None, Floats]] = []
        if along:
            low, high = self._run(a, b)
            for at in places:
                ahead = (at - low) % len(self.outer.loop.sides)
                if ahead <= high - low:
                    found.append((ahead, at, self.outer.place(at)))
        else:
            off = [float(self.flat[node] @ way) - level for node in (a, b)]
            if (off[0] > 0) != (off[1] > 0):
                share = off[0] / (off[0] - off[1])
                found.append((share, None, (1 - share) * self.flat[a] + share * self.flat[b]))
        for ahead, place, flat in found:
            away = [float(np.linalg.norm(flat - self.flat[node])) for node in (a, b)]
            if min(away) < BESIDE * self.outer.loop.length:
                yield a if away[0] <= away[1] else b
            else:
                yield a, b, along, ahead, place, float(flat[0]), float(flat[1])

    def _nodes_at(self, met: set[int | _Spot]) -> list[int]:
        """Return the nodes where a line meets the edges of a cell, new ones where there are none."""
        nodes, new = list[int](), dict[tuple[int, int, bool], list[_Spot]]()
        for spot in met:
            if isinstance(spot, int):
                nodes.append(spot)
            else:
                new.setdefault(spot[:3], []).append(spot)
        for (a, b, along), spots in new.items():
            # More than one only on the boundary, where an edge may be curved.
            ordered = sorted(spots, key=lambda spot: spot[3])
            own = [self._node(place, np.array([x, y])) for *_, place, x, y in ordered]
            self._insert(a, b, own, along=along)
            nodes += own
        return nodes


_Spot = tuple[int, int, bool, float, float | None, float, float]
"""A place on an edge: its nodes, whether it lies on the boundary, how far on the place is, the place of the boundary, and
where it is seen on the flat.
"""


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
