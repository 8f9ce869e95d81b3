"""Cut surfaces where an edge of one lies on part of an edge of another, and find edges that only nearly meet.

A rim is one edge however many pieces it has on either side: a corner that lies within an open edge of another surface,
along which its own edge runs, cuts that surface across. Cuts leave corners on the far side, so it is done in rounds. A
surface that closes is not cut at once: its seam is moved to the corner, once.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace

import numpy as np
import scipy
from numpy.lib.stride_tricks import sliding_window_view

from glass_spoon.kernel.arrays import Floats, Ints, lengths
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.surfaces.alter.edit_surface import split_surface
from glass_spoon.kernel.surfaces.alter.rework_surface import move_seam
from glass_spoon.kernel.surfaces.evaluate.surface import edge_curve
from glass_spoon.kernel.surfaces.sets.regions import regions_of
from glass_spoon.kernel.surfaces.sets.surface_set import EdgeName, SurfaceSet

ROUNDS = 60
"""Rounds of cuts; each may carry a cut over one more neighbour."""

MOST_PIECES = 2000
"""Most surfaces that cuts may make."""

ALONG = np.array([0.02, 0.05, 0.1])
"""Shares of the shorter edge at which an edge must run along the other to be said to lie on it."""

LEAST_PART = 1e-3
"""Least share of an edge that is cut off: a corner nearer to its end is taken for that end."""

NEAR = 0.02
"""Edges nearer than this share of the shorter one nearly meet."""

BESIDE = 1e-6
"""How much nearer, against a sharp one, a knot must be that is smooth."""

PLACES = 65
"""Places along an edge at which it is told how near others are."""

NEAR_RUN = 13
"""Places side by side that must be near: less is a corner that touches, or two rings side by side."""

CLOSED = 1e-6
"""How near in mm the two sides of a surface lie that closes."""


@dataclass(frozen=True)
class NearMiss:
    """An open edge that nearly meets another: the pieces, the widest gap in mm, and the place (3,) where it is widest."""

    pieces: tuple[int, int]
    gap: float
    place: Floats


def split_to_meet(shape: SurfaceSet) -> tuple[SurfaceSet, Ints]:
    """Return the set with surfaces cut where corners of others lie in their open edges, and whose part each piece is.

    The second value (pieces,) numbers the surfaces as they were given.
    """
    surfaces = list(shape.surfaces)
    counts = list(shape.counts) if shape.counts else [(0, 0)] * len(surfaces)
    parents = list(range(len(surfaces)))
    current, settled = shape, set[int]()
    for _ in range(ROUNDS):
        edges = _open_edges(current)
        if edges is None:
            break
        seam = _seam(current, edges, parents, settled)
        cuts = {} if seam else _cuts(edges, current.reach)
        if not seam and (not cuts or len(surfaces) + len(cuts) > MOST_PIECES):
            break
        if seam:
            piece, axis, share = seam
            settled.add(parents[piece])
            surfaces[piece] = move_seam(surfaces[piece], axis, share)
        for piece in sorted(cuts, reverse=True):
            axis, param = cuts[piece]
            surfaces[piece : piece + 1] = split_surface(surfaces[piece], axis, param)
            kept = (0, counts[piece][1]) if axis == 0 else (counts[piece][0], 0)
            counts[piece : piece + 1] = [kept, kept]
            parents[piece : piece + 1] = [parents[piece]] * 2
        current = replace(
            shape,
            surfaces=tuple(surfaces),
            counts=tuple(counts) if shape.counts else (),
            pattern=(),
            regions=regions_of(shape, np.array(parents)),
        )
    return current, np.array(parents, dtype=np.int64)


def find_near_misses(shape: SurfaceSet) -> list[NearMiss]:
    """Return the open edges that nearly meet others, one for each pair of surfaces, the widest gap first."""
    edges = _open_edges(shape)
    if edges is None:
        return []
    names, sizes, places = edges.names, edges.sizes, edges.places
    found: dict[tuple[int, int], NearMiss] = {}
    for first, second in _boxes_near(places, NEAR * sizes):
        if names[first].piece == names[second].piece:
            continue
        pieces = (min(names[first].piece, names[second].piece), max(names[first].piece, names[second].piece))
        roughly = lengths(places[first][:, None] - places[second][None]).min(axis=1)
        step = float(lengths(np.diff(places[second], axis=0)).max())
        if np.count_nonzero(roughly <= NEAR * min(sizes[first], sizes[second]) + step) < NEAR_RUN:
            continue
        away = closest_params(edges.curves[second], places[first])[1]
        near = away <= NEAR * min(sizes[first], sizes[second])
        if not sliding_window_view(near, NEAR_RUN).all(axis=1).any():
            continue
        widest = int(np.argmax(np.where(near, away, -1.0)))
        if pieces not in found or away[widest] > found[pieces].gap:
            found[pieces] = NearMiss(pieces, float(away[widest]), places[first, widest])
    return sorted(found.values(), key=lambda miss: -miss.gap)


def _seam(shape: SurfaceSet, edges: _Open, parents: list[int], settled: set[int]) -> tuple[int, int, float] | None:
    """Return a whole surface that closes, the axis, and the share of it at which its seam would meet a corner of another.

    Corners of edges that do not close come first: a ring beside a ring is turned to it, not the other way round. None where
    no seam is to be moved; those that stay as they are from now on are added to `settled`.
    """
    pieces = Counter(parents)
    rings = [
        number
        for number, name in enumerate(edges.names)
        if pieces[parents[name.piece]] == 1 and shape.surfaces[name.piece].is_closed(name.axis, CLOSED)
    ]
    for first in rings:
        name = edges.names[first]
        if parents[name.piece] in settled:
            continue
        for second in sorted(edges.corners_near(first, shape.reach), key=lambda number: number in rings):
            at = _corner_within(edges, first, second, shape.reach)
            if at is not None:
                low, high = edges.curves[first].domain
                return name.piece, name.axis, (at - low) / (high - low)
            if _meets_seam(edges.curves[first], edges.curves[second], shape.reach):
                settled.add(parents[name.piece])
                break
    return None


def _meets_seam(curve: NurbsCurve, other: NurbsCurve, reach: float) -> bool:
    """Say whether an edge starts or ends at the seam of a ring and runs along it."""
    low, high = other.domain
    start = curve_points(curve, np.array(curve.domain[:1]))[0]
    for end, way in ((low, 1.0), (high, -1.0)):
        run = curve_points(other, end + way * np.concatenate(([0.0], ALONG)) * (high - low))
        if lengths(run[0] - start) <= reach and closest_params(curve, run)[1].max() <= reach:
            return True
    return False


@dataclass(frozen=True)
class _Open:
    """The open edges of a set: names, curves, lengths sizes (n,) in mm, and places (n, PLACES, 3) along them."""

    names: list[EdgeName]
    curves: list[NurbsCurve]
    sizes: Floats
    places: Floats

    def corners_near(self, first: int, reach: float) -> list[int]:
        """Return the other edges that end on an edge, or so near that it must be looked at closely."""
        own = self.places[first]
        step = reach + float(lengths(np.diff(own, axis=0)).max())
        ends = self.places[:, [0, -1]].reshape(-1, 3)
        low, high = own.min(axis=0) - step, own.max(axis=0) + step
        inside = np.flatnonzero(((ends >= low) & (ends <= high)).all(axis=1))
        away = lengths(ends[inside, None] - own[None]).min(axis=1)
        near = np.unique(inside[away <= step] // 2)
        return [int(other) for other in near if self.names[other].piece != self.names[first].piece]


def _open_edges(shape: SurfaceSet) -> _Open | None:
    """Return the open edges of a set, None where there are fewer than two."""
    names = shape.lone_edges
    if len(names) < 2:
        return None
    curves = [edge_curve(shape.surfaces[name.piece], name.axis, name.end) for name in names]
    sizes = shape.edges.lengths[[shape.edges.number[name] for name in names]]
    places = np.stack([curve_points(curve, np.linspace(*curve.domain, PLACES)) for curve in curves])
    return _Open(names, curves, sizes, places)


def _cuts(edges: _Open, reach: float) -> dict[int, tuple[int, float]]:
    """Return for pieces the axis and the parameter at which each is to be cut next."""
    cuts: dict[int, tuple[int, float]] = {}
    for first, name in enumerate(edges.names):
        if name.piece in cuts:
            continue
        for second in edges.corners_near(first, reach):
            at = _corner_within(edges, first, second, reach)
            if at is not None:
                cuts[name.piece] = (name.axis, at)
                break
    return cuts


def _corner_within(edges: _Open, first: int, second: int, reach: float) -> float | None:
    """Return the parameter of an edge at which another one, that runs along it from there, has an end; None for none."""
    curve, other = edges.curves[first], edges.curves[second]
    low, high = other.domain
    least = max(LEAST_PART * float(edges.sizes[first]), 2 * reach)
    shares = np.concatenate(([0.0], ALONG * min(1.0, edges.sizes[first] / edges.sizes[second])))
    own = edges.places[first]
    step = reach + float(lengths(np.diff(own, axis=0)).max())
    for end, way in ((low, 1.0), (high, -1.0)):
        run = curve_points(other, end + way * shares * (high - low))
        if lengths(run[:, None] - own[None]).min(axis=1).max() > step:
            continue
        params, away = closest_params(curve, run)
        if away.max() > reach:
            continue
        param = _at_knot(curve, float(params[0]), least)
        place = curve_points(curve, np.array([param]))[0]
        if lengths(curve_points(curve, np.array(curve.domain)) - place).min() > least:
            return param
    return None


def _at_knot(curve: NurbsCurve, param: float, near: float) -> float:
    """Return the knot beside a parameter, within `near` mm of a sharp one: a cut beside it leaves a strip of nothing."""
    inner, times = np.unique(curve.knots[curve.degree + 1 : -curve.degree - 1], return_counts=True)
    if not len(inner):
        return param
    place = curve_points(curve, np.array([param]))[0]
    away = lengths(curve_points(curve, inner) - place)
    away[times < curve.degree] /= BESIDE
    nearest = int(away.argmin())
    return float(inner[nearest]) if away[nearest] <= near else param


def _boxes_near(places: Floats, reach: Floats) -> list[tuple[int, int]]:
    """Return ordered pairs of edges, places (n, k, 3), whose boxes come within the first one's reach (n,) mm."""
    low, high = places.min(axis=1), places.max(axis=1)
    middles, radii = (low + high) / 2, lengths(high - low) / 2
    tree = scipy.spatial.cKDTree(middles)
    found = []
    for first, near in enumerate(tree.query_ball_point(middles, radii + radii.max() + reach)):
        for second in near:
            apart = np.maximum(low[second] - high[first], low[first] - high[second]).max()
            if second != first and apart <= reach[first]:
                found.append((first, int(second)))
    return found
