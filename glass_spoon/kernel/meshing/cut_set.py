"""A set of surfaces cut at its sharp points, and the fans of pieces that run to one point side by side."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from itertools import pairwise
from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, directions
from glass_spoon.kernel.curves.evaluate.even_lengths import alike, measure_alike
from glass_spoon.kernel.meshing.divide_length import find_stops
from glass_spoon.kernel.meshing.fill_simple import CORNER_TURN
from glass_spoon.kernel.meshing.whole_regions import WholeRegion, skirts_of, whole_regions
from glass_spoon.kernel.remembered import Remembered
from glass_spoon.kernel.surfaces.alter.edit_surface import middle_isocurves, split_surface
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.split_to_meet import split_to_meet
from glass_spoon.kernel.surfaces.sets.surface_set import EdgeName, FlatCap, SurfaceSet, one_as_set

KEPT = 16
"""Sets whose cuts are kept, with what follows from them: searches and drags ask for the same ones again and again."""

POLE = 1e-6
"""An edge within so many mm of one point is a pole."""

LONG_END = 1.5
"""A flat end whose outline reaches so many times farther one way than the other is no circle."""

FLAT = 1e-9
"""Share of its size within which a piece is flat."""


@dataclass(frozen=True, eq=False)
class CutSet:
    """A set cut at sharp points: the pieces, the number of the surface each was cut from, and its place (n, 2, 2) in it.

    place: first and last share of the parent's domain, by axis. original: the surfaces before they were cut. wholes: the
    regions that are meshed as one, of whose pieces skirts alone are left; before: the set that still has those pieces.
    """

    shape: SurfaceSet
    parents: Ints
    place: Floats
    original: tuple[NurbsSurface, ...]
    wholes: tuple[WholeRegion, ...] = ()
    before: CutSet | None = None

    @property
    def pieces(self) -> tuple[NurbsSurface, ...]:
        """The surfaces."""
        return self.shape.surfaces

    @cached_property
    def middle_lengths(self) -> Floats:
        """The lengths (pieces, 2) in mm of the isocurve midway across each piece, along u and along v.

        A piece may be wider in its middle than at either edge, as a bulging cord is.
        """
        sizes = np.empty((len(self.pieces), 2))
        for axis in (0, 1):
            curves = middle_isocurves(self.pieces, axis)
            for numbers in alike(curves):
                sizes[numbers, axis] = measure_alike([curves[number] for number in numbers]).lengths
        return sizes

    @cached_property
    def fans(self) -> tuple[Fan, ...]:
        """The fans of pieces with one pole, each piece in one fan."""
        return _find_fans(self)

    @cached_property
    def planes(self) -> dict[Fan, FlatCap | None]:
        """The plane that the pieces of each fan lie in, see `_fan_plane`."""
        return {fan: _fan_plane(self, fan) for fan in self.fans}

    @cached_property
    def sides(self) -> dict[Fan, tuple[tuple[int, ...], ...]]:
        """The sectors (by place in the fan) of each side of the outline of each closed fan, from corner to corner."""
        return {fan: _fan_sides(self, fan) for fan in self.fans if fan.closed}


@dataclass(frozen=True)
class Sector:
    """A piece that runs to one point: rim and pole along `axis`, the pole at `end` of the other axis.

    forward: the fan runs through it from its start to its end along `axis`.
    """

    piece: int
    axis: int
    end: Literal[0, -1]
    forward: bool = True


@dataclass(frozen=True)
class Fan:
    """Sectors side by side about one point; closed when the last meets the first."""

    sectors: tuple[Sector, ...]
    closed: bool


@lru_cache(maxsize=KEPT)
def cut_at_kinks(shape: SurfaceSet) -> CutSet:
    """Return the set with every surface cut at its sharp points, and one with two poles cut midway between them.

    The same set is cut once: a mesh line asks for its counts, for what it tells, and for the mesh.
    """
    return _cuts.get(shape, lambda: _cut(shape))


_cuts: Remembered[CutSet] = Remembered(4)
"""The sets that were cut last, by themselves: sets never change."""


def _cut(shape: SurfaceSet) -> CutSet:
    """Cut a set, and take out the pieces of regions that are meshed as one."""
    cut = _cut_pieces(shape)
    regions = [np.flatnonzero(np.isin(cut.parents, region)).tolist() for region in shape.regions]
    wholes = whole_regions(cut.shape, regions)
    return _without(cut, wholes) if wholes else cut


def _without(cut: CutSet, wholes: list[WholeRegion]) -> CutSet:
    """Return a set in which the pieces of some regions have given way to skirts along their rims."""
    taken = {piece for whole in wholes for piece in whole.members}
    rows = [piece for piece in range(len(cut.pieces)) if piece not in taken]
    surfaces, skirted = [cut.pieces[piece] for piece in rows], []
    for whole in wholes:
        first = len(surfaces)
        surfaces += skirts_of(cut.shape, whole)
        rows += [edge.piece for edge in whole.edges]
        skirted.append(replace(whole, skirts=tuple(range(first, len(surfaces)))))
    counts = [list(cut.shape.counts[piece]) for piece in rows] if cut.shape.counts else []
    for whole in skirted if counts else ():
        for skirt, edge in zip(whole.skirts, whole.edges, strict=True):
            counts[skirt][1 - edge.axis] = 0
    shape = replace(cut.shape, surfaces=tuple(surfaces), counts=tuple((u, v) for u, v in counts), pattern=(), regions=())
    return CutSet(shape, cut.parents[rows], cut.place[rows], cut.original, tuple(skirted), cut)


def _cut_pieces(shape: SurfaceSet) -> CutSet:
    """Cut a set at its sharp points."""
    pieces: list[NurbsSurface] = []
    parents: list[int] = []
    for number, surface in enumerate(shape.surfaces):
        first, second = (all(surface.is_pole(1 - axis, end, shape.tolerance) for end in (0, -1)) for axis in (0, 1))
        # Edges along one axis are points where the other axis runs from pole to pole.
        for piece in _cut_surface(surface, (second, first)):
            pieces.append(piece)
            parents.append(number)
    if len(pieces) == len(shape.surfaces):
        return CutSet(shape, np.arange(len(pieces)), np.broadcast_to([0.0, 1.0], (len(pieces), 2, 2)), shape.surfaces)
    counts = tuple(shape.counts[parent] for parent in parents) if shape.counts else ()
    # A neighbour whose edge runs past a sharp line of another is cut there too, or the mesh would be open between them.
    met, of_cut = split_to_meet(replace(shape, surfaces=tuple(pieces), counts=counts, pattern=(), regions=()))
    owners = np.array(parents)[of_cut]
    place = np.empty((len(owners), 2, 2))
    for row, (piece, parent) in enumerate(zip(met.surfaces, owners.tolist(), strict=True)):
        for axis in (0, 1):
            low, high = shape.surfaces[parent].domain(axis)
            place[row, axis] = (np.array(piece.domain(axis)) - low) / (high - low)
    return CutSet(met, owners, place, shape.surfaces)


def _cut_surface(surface: NurbsSurface, between_poles: tuple[bool, bool]) -> list[NurbsSurface]:
    """Return the pieces of one surface."""
    pieces = [surface]
    for axis in (0, 1):
        stops: list[float] = []
        if may_have_kinks(surface, axis):
            stops = [float(stop) for stop in find_stops(surface, axis)]
        if not stops and between_poles[axis]:
            stops = [sum(surface.domain(axis)) / 2]
        for stop in stops:
            last = [piece for piece in pieces if piece.domain(axis)[0] < stop < piece.domain(axis)[1]]
            for piece in last:
                at = pieces.index(piece)
                pieces[at : at + 1] = split_surface(piece, axis, stop)
    return pieces


def may_have_kinks(surface: NurbsSurface, axis: int) -> bool:
    """Say whether an axis has inner knots of full multiplicity, where alone it can be sharp."""
    inner = surface.knots[axis][surface.degrees[axis] + 1 : -surface.degrees[axis] - 1]
    return bool(len(inner) and np.unique(inner, return_counts=True)[1].max() >= surface.degrees[axis])


def _find_fans(cut: CutSet) -> tuple[Fan, ...]:
    """Return the fans of pieces with one pole, each piece in one fan."""
    poles: dict[int, list[EdgeName]] = {}
    for name, pole in zip(cut.shape.edges.names, cut.shape.edges.is_pole, strict=True):
        if pole:
            poles.setdefault(name.piece, []).append(name)
    sectors = {piece: Sector(piece, found[0].axis, found[0].end) for piece, found in poles.items() if len(found) == 1}
    across: dict[EdgeName, EdgeName] = {}
    own_first = sorted(cut.shape.shared, key=lambda pair: cut.parents[pair.first.piece] != cut.parents[pair.second.piece])
    for pair in own_first:  # where bodies touch, the sides of each are its own
        if pair.first in across or pair.second in across:
            continue
        if all(name.piece in sectors and name.axis != sectors[name.piece].axis for name in (pair.first, pair.second)):
            ends = [_is_pole_first(sectors[name.piece]) for name in (pair.first, pair.second)]
            if (ends[0] == ends[1]) != pair.reversed:
                across[pair.first], across[pair.second] = pair.second, pair.first
    fans, left = [], dict(sectors)
    while left:
        open_ones = [
            sector for sector in left.values() if any(side not in across for side in (_side(sector, 0), _side(sector, -1)))
        ]
        start = open_ones[0] if open_ones else next(iter(left.values()))
        if open_ones and _side(start, 0) in across:
            start = Sector(start.piece, start.axis, start.end, forward=False)
        fan, closed = _walk(start, sectors, across)
        for sector in fan:
            left.pop(sector.piece, None)
        fans.append(Fan(tuple(fan), closed))
    return tuple(fans)


def _is_pole_first(sector: Sector) -> bool:
    return sector.end == 0


def _side(sector: Sector, end: Literal[0, -1]) -> EdgeName:
    """Return the side of a sector at the start or the end of its rim."""
    return EdgeName(sector.piece, 1 - sector.axis, end)


def _walk(start: Sector, sectors: dict[int, Sector], across: dict[EdgeName, EdgeName]) -> tuple[list[Sector], bool]:
    """Return the sectors from one on, side by side, and whether they come back to it."""
    fan = [start]
    while True:
        here = fan[-1]
        entered = across.get(_side(here, -1 if here.forward else 0))
        if entered is None:
            return fan, False
        if entered.piece == start.piece:
            return fan, True
        if any(entered.piece == other.piece for other in fan):
            return fan, False
        found = sectors[entered.piece]
        fan.append(Sector(found.piece, found.axis, found.end, entered.end == 0))


def _fan_plane(cut: CutSet, fan: Fan) -> FlatCap | None:
    """Return the plane that the pieces of a closed fan lie in, facing as they do; None where they do not lie in one."""
    if not fan.closed:
        return None
    pieces = [cut.pieces[sector.piece] for sector in fan.sectors]
    points = np.concatenate([piece.control_points.reshape(-1, 3) for piece in pieces])
    origin = points.mean(axis=0)
    normal = np.linalg.svd(points - origin, full_matrices=False)[2][-1]
    if np.abs((points - origin) @ normal).max() > FLAT * max(piece.size for piece in pieces):
        return None
    sector, piece = fan.sectors[0], pieces[0]
    net = piece.control_points if sector.axis == 0 else piece.control_points.transpose(1, 0, 2)
    pole, rim = (net[0, 0], net[:, -1]) if sector.end == 0 else (net[0, -1], net[:, 0])
    turn = np.cross(rim[:-1] - pole, rim[1:] - pole).sum(axis=0)
    # Along the first axis and then towards the rim, or away from it: which of them the normal goes by.
    outward = (sector.axis == 0) == (sector.end == -1)
    return FlatCap(origin, normal if (turn @ normal > 0) == outward else -normal)


def _fan_sides(cut: CutSet, fan: Fan) -> tuple[tuple[int, ...], ...]:
    """Return the sectors (by place in the fan) of each side of a closed fan's outline, from corner to corner.

    An outline without corners is one side.
    """
    starts, ends = [], []
    for sector in fan.sectors:
        net = cut.pieces[sector.piece].control_points
        rim = np.take(net, -1 if sector.end == 0 else 0, axis=1 - sector.axis)
        rim = rim if sector.forward else rim[::-1]
        starts.append(rim[1] - rim[0])
        ends.append(rim[-1] - rim[-2])
    before, after = directions(np.roll(np.array(ends), 1, axis=0)), directions(np.array(starts))
    corners = np.flatnonzero(np.einsum("ij,ij->i", before, after) < np.cos(CORNER_TURN))
    total = len(fan.sectors)
    if not len(corners):
        return (tuple(range(total)),)
    stops = np.append(corners, corners[0] + total)
    return tuple(tuple(k % total for k in range(first, last)) for first, last in pairwise(stops.tolist()))


ROUND_NET = 1.5
"""Most that a ring of control points of a circle reaches farther one way than another: the square root of two, and a
little.
"""


def _is_round(surface: NurbsSurface) -> bool:
    """Say whether all rings of the net about its poles are those of circles or nearly so: no end of it is long then."""
    rings = surface.control_points[:-1] if surface.is_closed(0, POLE) else surface.control_points
    away = np.linalg.norm(rings - rings.mean(axis=0), axis=2)
    wide = away.max(axis=0) > POLE
    return bool((away.max(axis=0)[wide] <= ROUND_NET * away.min(axis=0)[wide]).all())


def has_long_flat_end(surface: NurbsSurface) -> bool:
    """Say whether a surface runs into a pole over a flat end whose outline is far from a circle."""
    if not any(surface.is_pole(1, end, POLE) for end in (0, -1)) or _is_round(surface):
        return False
    cut = cut_at_kinks(one_as_set(surface))
    for fan in cut.fans:
        plane = cut.planes[fan]
        if plane is None:
            continue
        rims = [
            np.take(cut.pieces[sector.piece].control_points, -1 if sector.end == 0 else 0, axis=1 - sector.axis)
            for sector in fan.sectors
        ]
        away = np.linalg.norm(np.concatenate(rims) - np.concatenate(rims).mean(axis=0), axis=1)
        if away.max() > LONG_END * away.min():
            return True
    return False
