"""Surfaces that belong together, and the edges that they share."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal
from weakref import WeakKeyDictionary

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, Ints, directions, first_least, lengths
from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.evaluate.even_lengths import LengthTable, alike, measure_alike, points_alike
from glass_spoon.kernel.curves.read.bend_spacing import bend_shares, curve_bends
from glass_spoon.kernel.curves.read.tight_bends import find_tight_bends, steps_with_bends
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.remembered import Remembered
from glass_spoon.kernel.surfaces.alter.edit_surface import place_surface, reverse_surface
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, edge_curve

End = Literal[0, -1]

BEND_PLACES = 65
"""Places of an edge at which its bend is read, where steps are to be shorter at bends."""

SHORT = 0.1
"""The share of the shortest edge that the tolerance may be."""

OWN_TOLERANCE = 1e-5
"""Share of the size of a single surface within which its own edges are one."""

OUTLINE_PLACES = 257
"""Places along an edge by which it is told what an outline surrounds."""

SHARES = np.linspace(0.0, 1.0, 9)
"""Shares of the length at which two edges are compared."""


@dataclass(frozen=True)
class EdgeName:
    """An edge of a piece: it runs along `axis`, at the start (0) or the end (-1) of the other axis."""

    piece: int
    axis: int
    end: End


@dataclass(frozen=True)
class SharedEdge:
    """Two edges that coincide; the second may run the other way. gap: largest distance found, in mm."""

    first: EdgeName
    second: EdgeName
    reversed: bool
    gap: float


@dataclass(frozen=True, eq=False)
class FlatCap:
    """A piece of a plane, bounded by all edges of a set that lie in it and that no other edge meets.

    origin (3,) mm on the plane; normal (3,) of length one, to the side that faces out.
    """

    origin: Floats
    normal: Floats


@dataclass(frozen=True, eq=False)
class SurfaceSet:
    """Surfaces in an order that counts. tolerance: edges within it of each other, in mm, are shared.

    caps: flat pieces that close open edges. counts: counts of edges (u, v) that some surfaces should take, 0 for any.
    pattern: where every surface is the first one moved rigidly, the moves; else nothing. regions: the numbers of surfaces
    that fill a region together, which may be meshed as one.
    """

    surfaces: tuple[NurbsSurface, ...]
    tolerance: float = 1e-3
    caps: tuple[FlatCap, ...] = ()
    counts: tuple[tuple[int, int], ...] = ()
    pattern: tuple[Placement, ...] = ()
    regions: tuple[tuple[int, ...], ...] = ()

    @cached_property
    def size(self) -> float:
        """Largest extent of all control points in mm."""
        return float(np.ptp(np.concatenate([one.control_points.reshape(-1, 3) for one in self.surfaces]), axis=0).max())

    @cached_property
    def edges(self) -> EdgeTable:
        """All edges of the surfaces, measured."""
        return measure_edges(list(self.surfaces), self.tolerance)

    @cached_property
    def reach(self) -> float:
        """The tolerance in mm as it is used: well below the shortest edge, so that no two ends of one are taken for one."""
        solid = self.edges.lengths[~self.edges.is_pole]
        return min(self.tolerance, SHORT * float(solid.min())) if len(solid) else self.tolerance

    @cached_property
    def shared(self) -> list[SharedEdge]:
        """The pairs of edges that coincide."""
        return find_shared_edges(self.edges, self.reach)

    def neighbours(self, piece: int) -> list[int]:
        """Return the other pieces that share an edge with a piece."""
        found = {pair.second.piece for pair in self.shared if pair.first.piece == piece}
        found |= {pair.first.piece for pair in self.shared if pair.second.piece == piece}
        return sorted(found - {piece})

    @cached_property
    def open_edges(self) -> list[EdgeName]:
        """The edges that no other edge meets and no cap closes, poles left out."""
        capped = {name for rim in self.rims for name in rim}
        return [name for name in self.lone_edges if name not in capped]

    @cached_property
    def rims(self) -> list[list[EdgeName]]:
        """For each cap the edges that bound it, in no order; caps in one plane take those of the outlines nearest."""
        rows = [self.edges.number[name] for name in self.lone_edges]
        places = self.edges.places[rows]
        found = []
        for cap in self.caps:
            off = np.abs((places - cap.origin) @ cap.normal).max(axis=1) if len(rows) else np.zeros(0)
            found.append([name for name, away in zip(self.lone_edges, off, strict=True) if away <= self.reach])
        together: dict[tuple[EdgeName, ...], list[int]] = {}
        for number, rim in enumerate(found):
            together.setdefault(tuple(rim), []).append(number)
        for names, numbers in together.items():
            if len(numbers) > 1:
                for number, own in zip(numbers, self._shared_out(list(names), numbers), strict=True):
                    found[number] = own
        return found

    def _shared_out(self, rim: list[EdgeName], numbers: list[int]) -> list[list[EdgeName]]:
        """Return for each of some caps in one plane the edges of the outlines, with their holes, that are its own."""
        parts = nested_loops(
            self, [[name for name, _ in loop] for loop in edge_loops(self, rim)], self.caps[numbers[0]].normal
        )
        own: list[list[EdgeName]] = [[] for _ in numbers]
        for part in parts:
            places = self.edges.places[[self.edges.number[name] for name in part]].reshape(-1, 3)
            away = [float(lengths(places - self.caps[number].origin).min()) for number in numbers]
            own[int(np.argmin(away))] += part
        return own

    @cached_property
    def lone_edges(self) -> list[EdgeName]:
        """The edges that no other edge meets, poles left out."""
        met = {name for pair in self.shared for name in (pair.first, pair.second)}
        return [
            name for name, pole in zip(self.edges.names, self.edges.is_pole, strict=True) if not pole and name not in met
        ]


@dataclass(frozen=True, eq=False)
class EdgeTable:
    """The edges of surfaces: names, lengths (edges,) mm, places (edges, len(SHARES), 3) even along them, poles.

    tables: lengths of the edges with the same knots; where: table and row of each edge.
    """

    names: list[EdgeName]
    lengths: Floats
    places: Floats
    is_pole: Bools
    tables: list[LengthTable]
    where: list[tuple[int, int]]

    @cached_property
    def number(self) -> dict[EdgeName, int]:
        """The row of each edge."""
        return {name: row for row, name in enumerate(self.names)}

    def tight_bends(self, edges: tuple[float, float]) -> dict[int, Floats]:
        """Return the bends of each edge that steps of so many mm along u and v would step over, see `find_tight_bends`."""
        if edges not in self._tight:
            found = {}
            for row, (name, (table, own)) in enumerate(zip(self.names, self.where, strict=True)):
                lengths_of = self.tables[table]
                curve = lengths_of.curves[own]
                if self.is_pole[row] or len(curve.breaks) < 3:
                    continue
                ends = np.interp(curve.breaks, lengths_of.params, lengths_of.totals[own])
                bends = find_tight_bends(curve, ends, edges[name.axis])
                if len(bends):
                    found[row] = bends
            self._tight[edges] = found
        return self._tight[edges]

    @cached_property
    def _tight(self) -> dict[tuple[float, float], dict[int, Floats]]:
        """Bends that were found, by the lengths of the steps."""
        return {}

    def even_params(self, counts: Ints, bend: float = 0.0, edges: tuple[float, float] = (np.inf, np.inf)) -> list[Floats]:
        """Return for each edge the parameters (count + 1,) of even steps, for counts (edges,).

        bend: how much shorter the steps are where an edge bends, 0 for even ones (see `bend_shares`). edges: wished lengths
        along u and v in mm; bends that they would step over get steps of their own.
        """
        tight = {} if bend else self.tight_bends(edges)
        groups: dict[tuple[int, int], list[int]] = {}
        for edge, (table, _) in enumerate(self.where):
            groups.setdefault((table, int(counts[edge])), []).append(edge)
        result: list[Floats] = [np.zeros(0)] * len(self.names)
        for (table, count), own in groups.items():
            rows = np.array([self.where[edge][1] for edge in own])
            if bend and count > 1:
                for edge, row in zip(own, rows, strict=True):
                    result[edge] = self._bent_params(table, row, count, bend)
                continue
            params = self.tables[table].to_params(rows, np.linspace(0.0, 1.0, count + 1))
            for edge, row in zip(own, params, strict=True):
                result[edge] = self._stepped_params(edge, count, tight[edge]) if edge in tight else row
        return result

    def _stepped_params(self, edge: int, count: int, bends: Floats) -> Floats:
        """Return the parameters (count + 1,) of steps along one edge that meet its bends."""
        table, row = self.where[edge]
        own, at = self.tables[table], np.array([row])

        def places(shares: Floats) -> Floats:
            return curve_points(own.curves[row], own.to_params(at, shares)[0])

        return own.to_params(at, steps_with_bends(float(self.lengths[edge]), bends, count, places), exact=True)[0]

    def _bent_params(self, table: int, row: int, count: int, bend: float) -> Floats:
        """Return the parameters (count + 1,) of steps along one edge that are shorter where it bends."""
        own = self.tables[table]
        places = np.linspace(0.0, 1.0, BEND_PLACES)
        inside = np.clip(places, 1e-6, 1 - 1e-6)
        bends = curve_bends(own.curves[row], own.to_params(np.array([row]), inside)[0])
        wanted = np.interp(np.linspace(0.0, 1.0, count + 1), bend_shares(bends, bend), places)
        return own.to_params(np.array([row]), wanted)[0]


def measure_edges(surfaces: list[NurbsSurface], tolerance: float) -> EdgeTable:
    """Return the four edges of every surface; one that is a point within `tolerance` mm is a pole, see `is_pole`.

    What was read of a surface is kept while it lives: sets that grow out of one another have most of theirs in common.
    """
    fresh = [surface for surface in dict.fromkeys(surfaces) if surface not in _read]
    _read.update(zip(fresh, _read_edges(fresh), strict=True))
    names = [
        EdgeName(piece, axis, end)  # type: ignore[arg-type]  # 0 or -1
        for piece in range(len(surfaces))
        for axis, end in _SIDES
    ]
    found = [edge for surface in surfaces for edge in _read[surface]]
    tables = list({id(table): table for table, _, _ in found}.values())
    number = {id(table): k for k, table in enumerate(tables)}
    sizes = np.array([table.lengths[row] for table, row, _ in found])
    poles = sizes <= tolerance
    for edge in np.flatnonzero(poles).tolist():
        poles[edge] = surfaces[names[edge].piece].is_pole(1 - names[edge].axis, names[edge].end, tolerance)
    places = np.array([own for _, _, own in found]).reshape(-1, len(SHARES), 3)
    return EdgeTable(names, sizes, places, poles, tables, [(number[id(table)], row) for table, row, _ in found])


_SIDES = ((0, 0), (0, -1), (1, 0), (1, -1))
_ReadEdge = tuple[LengthTable, int, Floats]
"""The table and the row of an edge's lengths, and places (len(SHARES), 3) even along it."""

_read: WeakKeyDictionary[NurbsSurface, list[_ReadEdge]] = WeakKeyDictionary()


def _read_edges(surfaces: list[NurbsSurface]) -> list[list[_ReadEdge]]:
    """Return what is read of the four edges of each surface; edges with the same knots are read together."""
    curves = [edge_curve(surface, axis, end) for surface in surfaces for axis, end in _SIDES]
    found: list[_ReadEdge | None] = [None] * len(curves)
    for edges in alike(curves):
        group = [curves[edge] for edge in edges]
        table = measure_alike(group)
        places = points_alike(group, table.to_params(np.arange(len(edges)), SHARES, exact=True))
        for row, (edge, own) in enumerate(zip(edges, places, strict=True)):
            found[edge] = (table, row, own)
    return [[edge for edge in found[k : k + 4] if edge] for k in range(0, len(found), 4)]


def find_shared_edges(edges: EdgeTable, tolerance: float) -> list[SharedEdge]:
    """Return the pairs of edges whose places, even along them, lie within `tolerance` mm of each other, poles apart."""
    solid = np.flatnonzero(~edges.is_pole)
    if len(solid) < 2:
        return []
    middles = edges.places[solid, len(SHARES) // 2]
    pairs = scipy.spatial.cKDTree(middles).query_pairs(tolerance, output_type="ndarray")
    first, second = solid[pairs[:, 0]], solid[pairs[:, 1]]
    gaps = np.array([_gaps(edges.places[first], edges.places[second, ::step]) for step in (1, -1)])
    found: list[SharedEdge] = []
    for a, b, gap in zip(first, second, gaps.T, strict=True):
        backwards = bool(gap[1] < gap[0])
        if gap.min() <= tolerance:
            found.append(SharedEdge(edges.names[a], edges.names[b], backwards, float(gap.min())))
    return sorted(found, key=lambda pair: (edges.number[pair.first], edges.number[pair.second]))


def _gaps(first: Floats, second: Floats) -> Floats:
    """Return the largest distance (n,) in mm between rows of places (n, k, 3)."""
    return lengths(first - second).max(axis=1)


def edge_chains(piece_count: int, shared: list[SharedEdge]) -> Ints:
    """Return the number (pieces, 2) of the chain that each axis of each piece belongs to.

    The two edges of an axis face each other across a piece, and shared edges are one: all edges of a chain take the same
    count in a mesh of quads.
    """
    rows = [2 * pair.first.piece + pair.first.axis for pair in shared]
    columns = [2 * pair.second.piece + pair.second.axis for pair in shared]
    return joined_groups(rows, columns, 2 * piece_count).reshape(piece_count, 2)


def one_as_set(surface: NurbsSurface) -> SurfaceSet:
    """Return a surface as a set of its own, with a tolerance that suits its size: none of its edges is taken for a point."""
    return _ones.get(surface, lambda: SurfaceSet((surface,), min(SurfaceSet.tolerance, OWN_TOLERANCE * surface.size)))


_ones: Remembered[SurfaceSet] = Remembered(4)
"""The surfaces that were taken for sets last, so that their edges are measured once."""


def place_set(shape: SurfaceSet, placement: Placement) -> SurfaceSet:
    """Return the set moved, turned, stretched or mirrored."""
    across = np.linalg.inv(placement.matrix).T
    caps = tuple(FlatCap(placement.apply(cap.origin), directions(across @ cap.normal)) for cap in shape.caps)
    surfaces = tuple(place_surface(surface, placement) for surface in shape.surfaces)
    return replace(shape, surfaces=surfaces, caps=caps, pattern=())


def gather_sets(sets: list[SurfaceSet], tolerance: float) -> SurfaceSet:
    """Return one set of all surfaces and caps, with what counts are asked for, and their regions."""
    counts = tuple(count for shape in sets for count in shape.counts or ((0, 0),) * len(shape.surfaces))
    return SurfaceSet(
        tuple(surface for shape in sets for surface in shape.surfaces),
        tolerance,
        tuple(cap for shape in sets for cap in shape.caps),
        counts if any(shape.counts for shape in sets) else (),
        regions=tuple(
            tuple(first + number for number in region)
            for shape, first in zip(sets, np.cumsum([0, *(len(shape.surfaces) for shape in sets)]).tolist(), strict=False)
            for region in shape.regions
        ),
    )


def reverse_set(shape: SurfaceSet) -> SurfaceSet:
    """Return the set with its sides changed over."""
    surfaces = tuple(reverse_surface(surface, 0) for surface in shape.surfaces)
    return replace(shape, surfaces=surfaces, caps=tuple(FlatCap(cap.origin, -cap.normal) for cap in shape.caps))


def edge_loops(shape: SurfaceSet, rim: list[EdgeName]) -> list[list[tuple[EdgeName, bool]]]:
    """Return the closed loops of edges, each edge with whether it is followed as it runs.

    A loop goes on with the nearest end of an edge; it closes where its own start is nearest. Others are left out.
    """
    rows = {name: shape.edges.number[name] for name in rim}
    longest = sorted(rim, key=lambda name: -shape.edges.lengths[rows[name]])
    left = {name: shape.edges.places[rows[name]][[0, -1]] for name in longest}
    reach = 2 * shape.reach
    loops = []
    while left:
        name = next(iter(left))
        ends = left.pop(name)
        loop, start, here = [(name, True)], ends[0], ends[1]
        while True:
            found, away = _nearest_end(left, here)
            home = float(lengths(here - start))
            if home <= min(reach, away):
                loops.append(loop)
                break
            if found is None or away > reach:
                break
            following, forward = found
            here = left.pop(following)[-1 if forward else 0]
            loop.append((following, forward))
    return loops


def nested_loops(shape: SurfaceSet, loops: list[list[EdgeName]], normal: Floats) -> list[list[EdgeName]]:
    """Return the edges of each outline in a plane together with those of the holes in it (even-odd rule)."""
    axes = plane_axes(normal)
    if len(loops) == 1:
        return [list(loops[0])]
    flat = [np.concatenate([_places_of(shape, name) for name in loop]) @ axes.T for loop in loops]
    low, high = (np.array([getattr(places, which)(axis=0) for places in flat]) for which in ("min", "max"))
    # Only what lies in the box of another can lie in it.
    inside = (low[:, None] >= low).all(axis=2) & (high[:, None] <= high).all(axis=2) & ~np.eye(len(loops), dtype=bool)
    for k, j in np.argwhere(inside):
        inside[k, j] = _surrounds(flat[j], flat[k])
    depth = inside.sum(axis=1) if len(loops) else np.zeros(0)
    parts = {int(k): list(loops[k]) for k in np.flatnonzero(depth % 2 == 0)}
    for k in np.flatnonzero(depth % 2 == 1):
        around = np.flatnonzero(inside[k] & (depth == depth[k] - 1))
        parts[int(around[0])] += loops[k]
    return list(parts.values())


def _places_of(shape: SurfaceSet, name: EdgeName) -> Floats:
    """Return OUTLINE_PLACES places (n, 3) along an edge, near enough to tell what lies inside an outline."""
    curve = edge_curve(shape.surfaces[name.piece], name.axis, name.end)
    return curve_points(curve, np.linspace(*curve.domain, OUTLINE_PLACES))


def _surrounds(outline: Floats, other: Floats) -> bool:
    """Say whether most of three places of another outline (m, 2) lie inside one (n, 2), whose stretches have any order.

    Three, as the ends of stretches meet to a rounding only: a line that runs just there may cross both or neither.
    """
    stretches = outline.reshape(-1, OUTLINE_PLACES, 2)
    starts, ends = stretches[:, :-1].reshape(-1, 2), stretches[:, 1:].reshape(-1, 2)
    votes = 0
    for place in other[(np.array([0.11, 0.43, 0.79]) * len(other)).astype(int)]:
        over = (starts[:, 1] > place[1]) != (ends[:, 1] > place[1])
        a, b = starts[over], ends[over]
        at = a[:, 0] + (place[1] - a[:, 1]) * (b[:, 0] - a[:, 0]) / (b[:, 1] - a[:, 1])
        votes += int((at > place[0]).sum()) % 2
    return votes > 1


def plane_axes(normal: Floats) -> Floats:
    """Return two unit axes (2, 3) of a plane, right-handed with its normal (3,)."""
    right = directions(np.cross(np.eye(3)[int(first_least(np.abs(normal)))], normal))
    return np.stack((right, np.cross(normal, right)))


def _nearest_end(left: dict[EdgeName, Floats], here: Floats) -> tuple[tuple[EdgeName, bool] | None, float]:
    """Return the edge with the end nearest to a place (3,), whether that is its start, and the distance in mm."""
    if not left:
        return None, np.inf
    away = lengths(np.array(list(left.values())) - here)
    row, end = np.unravel_index(int(np.argmin(away)), away.shape)
    return (list(left)[int(row)], end == 0), float(away[row, end])
