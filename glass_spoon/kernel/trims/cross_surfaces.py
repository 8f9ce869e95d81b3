"""The curves in which two surfaces cross, or parallels of them: found on nets of triangles, then made exact.

Nets find every branch wider than a cell, whose ends lie on borders; Newton steps bring the places onto both surfaces; where
the surfaces touch, branches cross, and are parted there; a spline through the places then guides planes in which the curve
is asked anew, as often as its fit needs. Patrikalakis and Maekawa, Shape Interrogation, 2002, chapter 5.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise, product

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, directions, lengths
from glass_spoon.kernel.curves.alter.edit_knots import join_curves, rescale_domain
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.patches.fit_rows import DEGREE, Asked, fit_rows
from glass_spoon.kernel.remembered import Remembered
from glass_spoon.kernel.surfaces.alter.smooth_pieces import smooth_pieces
from glass_spoon.kernel.trims.common_places import Guide, Parallel, common_places
from glass_spoon.kernel.trims.exact_way import Way, exact_ways
from glass_spoon.kernel.trims.net_crossings import net_crossings
from glass_spoon.kernel.trims.surface_net import SurfaceNet

NODES = 5
"""Places of a chain for each span of its guide."""


SPAN = 4
"""Places of a chain for each span that is tried first."""

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
    keys = (first.surface.key, first.height), (second.surface.key, second.height)
    if keys[1] < keys[0]:  # found once for both orders
        return [replace(one, first=one.second, second=one.first) for one in cross_surfaces(second, first)]
    return list(_crossings.get(keys, lambda: tuple(_crossings_of(first, second))))


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
    for one, other in product(
        *([Parallel(piece, side.height) for piece in smooth_pieces(side.surface)] for side in (first, second))
    ):
        for chain in net_crossings(SurfaceNet.of(one.surface, one.height), SurfaceNet.of(other.surface, other.height)):
            for way in exact_ways(one, other, chain):
                parts = [_fitted(one, other, part) for part in way.smooth_parts()]
                found.append(_linked(parts, way))
    return found


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

    def at(shares: Floats) -> Floats:
        values = guide(shares)
        planes = Guide(values[:, :3], directions(guide(shares, 1)[:, :3]))
        params, places, _ = common_places(first, second, values[:, 3:], None, planes)
        for end, row in ((0.0, 0), (1.0, -1)):
            params[shares == end], places[shares == end] = way.params[row], way.places[row]
        flat = params * scale
        zero = np.zeros(len(flat))
        return np.stack((places, np.column_stack((flat[:, :2], zero)), np.column_stack((flat[:, 2:], zero))))

    fitted = fit_rows(
        Asked(at, np.array([0.0, 1.0]), np.zeros(0), ring=way.closed), FITTED * size, max(1, round(len(way.params) / SPAN))
    )
    curves = []
    for row, by in ((0, None), (1, scale[:2]), (2, scale[2:])):
        control = fitted.control[row].copy()
        if by is not None:
            control[:, :2] /= by
            control[:, 2] = 0.0
        curves.append(NurbsCurve(DEGREE, fitted.knots, control, np.ones(len(control))))
    return Crossing(curves[0], curves[1], curves[2], fitted.off, way.closed, way.touching)


def _linked(parts: list[Crossing], way: Way) -> Crossing:
    """Return parts that go on from one to the next as one crossing, its parameter shared out by their lengths."""
    if len(parts) == 1:
        return parts[0]
    sizes = [float(lengths(np.diff(part.curve.control_points, axis=0)).sum()) for part in parts]
    stops = np.concatenate(([0.0], np.cumsum(sizes))) / sum(sizes)

    def joined(curves: list[NurbsCurve]) -> NurbsCurve:
        runs = [rescale_domain(curve, a, b) for curve, (a, b) in zip(curves, pairwise(stops.tolist()), strict=True)]
        return rescale_domain(join_curves(runs), 0.0, 1.0)

    closed = way.closed or bool(lengths(way.places[0] - way.places[-1]) == 0)
    return Crossing(
        joined([part.curve for part in parts]),
        joined([part.first for part in parts]),
        joined([part.second for part in parts]),
        max(part.off for part in parts),
        closed,
        way.touching,
    )


def _speed(side: Parallel, params: Floats, axis: int) -> float:
    """Return the usual length in mm of a derivative."""
    return max(float(lengths(side.at(params)[1 + axis]).mean()), 1e-12)


def _guide(way: Way) -> scipy.interpolate.BSpline:
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
        spline = scipy.interpolate.make_interp_spline(shares, values, k=min(degree, 3))
    else:
        inner = shares[NODES:-NODES:NODES]
        knots = np.concatenate((np.full(degree + 1, shares[0]), inner, np.full(degree + 1, shares[-1])))
        spline = scipy.interpolate.make_lsq_spline(shares, values, knots, k=degree)
    ends = np.stack([np.concatenate((way.places[row], way.params[row])) for row in (0, -1)]) - spline([0.0, 1.0])
    line = scipy.interpolate.BSpline(
        np.array([shares[0], shares[0], shares[-1], shares[-1]]),
        np.stack([ends[0] + (ends[1] - ends[0]) * s for s in (shares[0], shares[-1])]),
        1,
    )
    return _sum(spline, line)


def _sum(spline: scipy.interpolate.BSpline, line: scipy.interpolate.BSpline) -> scipy.interpolate.BSpline:
    """Return the sum of a spline and a straight line."""
    greville = np.array([spline.t[k + 1 : k + 1 + spline.k].mean() for k in range(len(spline.c))])
    return scipy.interpolate.BSpline(spline.t, spline.c + line(greville), spline.k)
