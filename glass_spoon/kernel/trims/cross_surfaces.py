"""The curves in which two surfaces cross, or parallels of them: found on nets of triangles, then made exact.

Nets find every branch wider than a cell, whose ends lie on borders; Newton steps bring the places onto both surfaces; where
the surfaces touch, branches cross, and are parted there; a spline through the places then guides planes in which the curve
is asked anew, as often as its fit needs. Patrikalakis and Maekawa, Shape Interrogation, 2002, chapter 5.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import product

import numpy as np
from scipy.interpolate import BSpline, make_interp_spline, make_lsq_spline

from glass_spoon.kernel.arrays import Bools, Floats, Ints, directions, lengths
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.patches.fit_rows import DEGREE, Asked, fit_rows
from glass_spoon.kernel.remembered import Remembered
from glass_spoon.kernel.surfaces.alter.edit_surface import split_surface
from glass_spoon.kernel.surfaces.evaluate.surface_kinks import surface_kinks
from glass_spoon.kernel.trims.common_places import Guide, Parallel, common_places
from glass_spoon.kernel.trims.exact_way import Way, exact_ways
from glass_spoon.kernel.trims.net_crossings import net_crossings
from glass_spoon.kernel.trims.surface_net import SurfaceNet

NODES = 5
"""Places of a chain for each span of its guide."""


LOOKED, ROOTS, FEW = 65, 12, 12
"""Places at which it is looked for knots, steps to one, and how many knots of C2 are minded."""


FITTED = 1e-8
"""Share of the size within which curves are fitted."""


@dataclass(frozen=True, eq=False)
class Crossing:
    """A curve common to two surfaces: in space, and as (u, v, 0) on each, all by the same parameter, 0 to 1.

    off: the largest distance in mm found. closed: whether it comes back to its start. touching: surfaces touch at its start,
    and at its end.
    """

    curve: NurbsCurve
    first: NurbsCurve
    second: NurbsCurve
    off: float
    closed: bool
    touching: tuple[bool, bool] = (False, False)


def cross_surfaces(first: Parallel, second: Parallel) -> list[Crossing]:
    """Return the curves in which two surfaces, or parallels of them, cross; none where they only touch along a line."""
    key = first.surface.key, first.height, second.surface.key, second.height
    return list(_crossings.get(key, lambda: tuple(_crossings_of(first, second))))


_crossings: Remembered[tuple[Crossing, ...]] = Remembered(400)
"""Where surfaces cross, by their content."""


def _crossings_of(first: Parallel, second: Parallel) -> list[Crossing]:
    """Find the crossings of two surfaces."""
    boxes = [one.surface.control_points.reshape(-1, 3) for one in (first, second)]
    slack = abs(first.height) + abs(second.height)
    if (boxes[0].min(axis=0) - slack > boxes[1].max(axis=0)).any() or (
        boxes[1].min(axis=0) - slack > boxes[0].max(axis=0)
    ).any():
        return []
    found = []
    for one, other in product(_smooth(first), _smooth(second)):
        for chain in net_crossings(SurfaceNet.of(one.surface, one.height), SurfaceNet.of(other.surface, other.height)):
            found += [_fitted(one, other, way) for way in exact_ways(one, other, chain)]
    return found


def _smooth(side: Parallel) -> list[Parallel]:
    """Return a surface cut at its sharp edges, its parameters as they are."""
    pieces = [side.surface]
    for axis in (0, 1):
        for stop in surface_kinks(side.surface, axis).tolist():
            pieces = [
                part
                for piece in pieces
                for part in (
                    split_surface(piece, axis, float(stop))
                    if piece.domain(axis)[0] < stop < piece.domain(axis)[1]
                    else (piece,)
                )
            ]
    return [Parallel(piece, side.height) for piece in pieces]


def _fitted(first: Parallel, second: Parallel, way: Way) -> Crossing:
    """Return a way as curves."""
    size = max(first.surface.size, second.surface.size)
    scale = np.array(
        [
            _speed(first, way.params[:, :2], 0),
            _speed(first, way.params[:, :2], 1),
            _speed(second, way.params[:, 2:], 0),
            _speed(second, way.params[:, 2:], 1),
        ]
    )
    guide = _guide(way)

    def solved(shares: Floats) -> tuple[Floats, Floats]:
        values = guide(shares)
        planes = Guide(values[:, :3], directions(guide(shares, 1)[:, :3]))
        params, places, _ = common_places(first, second, values[:, 3:], None, planes)
        for end, row in ((0.0, 0), (1.0, -1)):
            params[shares == end], places[shares == end] = way.params[row], way.places[row]
        return params, places

    def at(shares: Floats) -> Floats:
        params, places = solved(shares)
        flat = params * scale
        zero = np.zeros(len(flat))
        return np.stack((places, np.column_stack((flat[:, :2], zero)), np.column_stack((flat[:, 2:], zero))))

    corners = _rough_places((first, second), lambda shares: solved(shares)[0], guide)
    fitted = fit_rows(Asked(at, np.array([0.0, 1.0]), corners, ring=way.closed), FITTED * size)
    curves = []
    for row, by in ((0, None), (1, scale[:2]), (2, scale[2:])):
        control = fitted.control[row].copy()
        if by is not None:
            control[:, :2] /= by
            control[:, 2] = 0.0
        curves.append(NurbsCurve(DEGREE, fitted.knots, control, np.ones(len(control))))
    return Crossing(curves[0], curves[1], curves[2], fitted.off, way.closed, way.touching)


def _rough_places(sides: tuple[Parallel, Parallel], params: Callable[[Floats], Floats], guide: BSpline) -> Floats:
    """Return the shares (k,) at which a way runs over knots where a surface is not smooth enough for one spline."""
    lines = [
        (2 * side + axis, knot) for side, one in enumerate(sides) for axis in (0, 1) for knot in _rough_knots(one, axis)
    ]
    if not lines:
        return np.zeros(0)
    shares = np.unique(np.concatenate((np.linspace(0.0, 1.0, LOOKED), np.clip(guide.t, 0.0, 1.0))))
    values = params(shares)
    low, high, which, knots = list[float](), list[float](), list[int](), list[float]()
    for number, level in lines:
        over = np.flatnonzero((values[:-1, number] - level) * (values[1:, number] - level) < 0)
        low += shares[over].tolist()
        high += shares[over + 1].tolist()
        which += [number] * len(over)
        knots += [level] * len(over)
    if not low:
        return np.zeros(0)
    a, b, column, knot = np.array(low), np.array(high), np.array(which), np.array(knots)
    rows = np.arange(len(a))
    fa, fb = params(a)[rows, column] - knot, params(b)[rows, column] - knot
    return _roots(params, column, knot, (a, b), (fa, fb))


def _roots(
    params: Callable[[Floats], Floats],
    column: Ints,
    knot: Floats,
    ends: tuple[Floats, Floats],
    values: tuple[Floats, Floats],
) -> Floats:
    """Return the shares (k,), each once, at which params have the values of knots, bracketed by ends."""
    (a, b), (fa, fb) = ends, values
    rows = np.arange(len(a))
    for _ in range(ROOTS):  # Ridders' method needs no slopes and keeps what it has bracketed
        middle = (a + b) / 2
        fm = params(middle)[rows, column] - knot
        under = np.sqrt(np.maximum(fm * fm - fa * fb, 1e-300))
        at = np.clip(middle + (middle - a) * np.sign(fa - fb) * fm / under, a, b)
        f = params(at)[rows, column] - knot
        for place, value in ((middle, fm), (at, f)):
            left = (np.sign(value) == np.sign(fa)) & (place > a)
            a, fa = np.where(left, place, a), np.where(left, value, fa)
            right = (np.sign(value) != np.sign(fa)) & (place < b)
            b, fb = np.where(right, place, b), np.where(right, value, fb)
        if float(np.abs(b - a).max()) < 1e-12 or float(np.abs(f).max()) == 0:
            break
    found = np.unique(at)
    return np.asarray(found[np.concatenate(([True], np.diff(found) > 1e-9))])


def _rough_knots(side: Parallel, axis: int) -> list[float]:
    """Return inner knots of a surface at which it is less than C3; those of C2 only where they are few."""
    degree = side.surface.degrees[axis]
    values, times = np.unique(side.surface.knots[axis][degree + 1 : -degree - 1], return_counts=True)
    smooth = degree - times
    rough: Bools = smooth < (3 if (smooth < 3).sum() <= FEW else 2)
    return [float(value) for value in values[rough]]


def _speed(side: Parallel, params: Floats, axis: int) -> float:
    """Return the usual length in mm of a derivative."""
    return max(float(lengths(side.at(params)[1 + axis]).mean()), 1e-12)


def _guide(way: Way) -> BSpline:
    """Return a smooth spline of places and params (7,) over 0 to 1 that runs near a way and through its ends."""
    values = np.column_stack((way.places, way.params))
    steps = lengths(np.diff(way.places, axis=0))
    shares = np.concatenate(([0.0], np.cumsum(steps))) / steps.sum()
    shares[-1] = 1.0
    if way.closed:  # some of the places before and after, so that it comes back smoothly
        more = min(len(values) - 2, 2 * NODES)
        shares = np.concatenate((shares[-more - 1 : -1] - 1, shares, shares[1 : more + 1] + 1))
        values = np.concatenate((values[-more - 1 : -1], values, values[1 : more + 1]))
    degree = min(DEGREE, len(values) - 1)
    if len(values) <= DEGREE + NODES:
        spline = make_interp_spline(shares, values, k=min(degree, 3))
    else:
        inner = shares[NODES:-NODES:NODES]
        knots = np.concatenate((np.full(degree + 1, shares[0]), inner, np.full(degree + 1, shares[-1])))
        weights = np.ones(len(values))
        spline = make_lsq_spline(shares, values, knots, k=degree, w=weights)
    ends = np.stack([np.concatenate((way.places[row], way.params[row])) for row in (0, -1)]) - spline([0.0, 1.0])
    line = BSpline(
        np.array([shares[0], shares[0], shares[-1], shares[-1]]),
        np.stack([ends[0] + (ends[1] - ends[0]) * s for s in (shares[0], shares[-1])]),
        1,
    )
    return _sum(spline, line)


def _sum(spline: BSpline, line: BSpline) -> BSpline:
    """Return the sum of a spline and a straight line."""
    greville = np.array([spline.t[k + 1 : k + 1 + spline.k].mean() for k in range(len(spline.c))])
    return BSpline(spline.t, spline.c + line(greville), spline.k)
