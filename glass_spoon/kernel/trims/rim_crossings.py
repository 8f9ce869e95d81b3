"""Where a surface just reaches another with its rim: the rim itself is what they have in common.

Whether they cross there cannot be told by numbers: one place of the rim is a rounding above, the next below.
"""

from __future__ import annotations

from dataclasses import replace
from itertools import product

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.patches.fit_rows import DEGREE, SAME, Asked, Followed, fit_rows
from glass_spoon.kernel.remembered import Remembered
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.trims.common_places import Parallel
from glass_spoon.kernel.trims.cross_surfaces import FITTED, Crossing, cross_surfaces
from glass_spoon.kernel.trims.exact_way import rough_knots

PLACES, SEVERAL = 129, 5
"""Places of a rim that are looked at, and how many of them beside each other say that it lies on the other surface."""

LYING, BESIDE = 1e-6, 1e-5
"""Shares of the size within which a rim lies on a surface, and within which what crosses runs along it."""

HALVINGS = 40
"""Halvings to where a rim leaves a surface."""

POLE = 1e-9
"""Share of the size within which an edge is one point."""


def cross_with_rims(first: NurbsSurface, second: NurbsSurface, *, both: bool = False) -> list[Crossing]:
    """Return the curves in which surfaces cross, and the rims of the second that lie on the first, each of them once; of
    both: those of the first that lie on the second too.
    """
    rims = rim_crossings(first, second)
    if both:
        rims += [replace(one, first=one.second, second=one.first) for one in rim_crossings(second, first)]
    found, near = list[Crossing](), BESIDE * max(first.size, second.size)
    for one in (*rims, *(cross_surfaces(Parallel(first), Parallel(second)))):
        if not any(_runs_along(one.curve, rim.curve, near) for rim in found[: len(rims)]):
            found.append(one)
    return found


_rims: Remembered[tuple[Crossing, ...]] = Remembered(400)
"""The rims that lie on surfaces, by the content of both."""


def rim_crossings(first: NurbsSurface, second: NurbsSurface) -> list[Crossing]:
    """Return the rims of the second surface, or the stretches of them, that lie on the first."""
    return list(_rims.get((first.key, second.key), lambda: tuple(_rim_crossings(first, second))))


def _rim_crossings(first: NurbsSurface, second: NurbsSurface) -> list[Crossing]:
    found = []
    low, high = (getattr(first.control_points.reshape(-1, 3), which)(axis=0) for which in ("min", "max"))
    near = LYING * max(first.size, second.size)
    for axis, end in product((0, 1), (0, -1)):
        if second.is_pole(axis, end, POLE * second.size) or second.is_closed(axis, POLE * second.size):
            continue
        row = second.control_points.take(end, axis=axis)
        if (row.min(axis=0) > high + near).any() or (row.max(axis=0) < low - near).any():
            continue
        rim = _Rim(first, second, axis, end)
        shares = np.linspace(0, 1, PLACES)
        for low, high in _stretches(rim.away(shares) <= near):
            start = rim.left(shares[low], shares[max(low - 1, 0)], near)
            one = rim.crossing(start, rim.left(shares[high], shares[min(high + 1, PLACES - 1)], near), near)
            if one is not None:
                found.append(one)
    return found


def _stretches(on: Bools) -> list[tuple[int, int]]:
    """Return the first and the last of the places beside each other that are on, where they are SEVERAL."""
    steps = np.flatnonzero(np.diff(np.concatenate(([False], on, [False])).astype(np.int8)))
    return [(low, high - 1) for low, high in steps.reshape(-1, 2).tolist() if high - low >= SEVERAL]


def _runs_along(curve: NurbsCurve, rim: NurbsCurve, near: float) -> bool:
    """Say whether a curve is a stretch of another."""
    return bool(closest_params(rim, curve_points(curve, np.linspace(*curve.domain, 17)))[1].max() <= near)


class _Rim:
    """The rim at one end of an axis of a surface, by shares of its parameter, beside another surface."""

    def __init__(self, first: NurbsSurface, second: NurbsSurface, axis: int, end: int) -> None:
        self.first, self.second, self.axis = first, second, axis
        self.at_end = second.domain(axis)[end]
        self.low, self.high = second.domain(1 - axis)

    def params(self, shares: Floats) -> Floats:
        """Return the parameters (n, 2) on the surface that it is the rim of."""
        result = np.empty((len(shares), 2))
        result[:, self.axis], result[:, 1 - self.axis] = self.at_end, self.low + shares * (self.high - self.low)
        return result

    def places(self, shares: Floats) -> Floats:
        """Return the places (n, 3) in mm."""
        return surface_points(self.second, *self.params(shares).T)

    def away(self, shares: Floats) -> Floats:
        """Return how far (n,) in mm they are from the other surface."""
        return closest_points(self.first, self.places(shares))[2]

    def left(self, on: float, off: float, near: float) -> float:
        """Return the share between one on the other surface and one off it at which it is left."""
        for _ in range(HALVINGS if on != off else 0):
            middle = (on + off) / 2
            on, off = (middle, off) if self.away(np.array([middle]))[0] <= near else (on, middle)
        return on

    def crossing(self, low: float, high: float, near: float) -> Crossing | None:
        """Return a stretch of it as a crossing; None where the other surface's parameters jump, as over its seam."""
        shares = np.linspace(low, high, PLACES)
        feet = np.column_stack(closest_points(self.first, self.places(shares))[:2])
        widths = np.array([np.ptp(self.first.domain(axis)) for axis in (0, 1)])
        if (np.abs(np.diff(feet, axis=0)) > 0.5 * widths).any():
            return None
        size = max(self.first.size, self.second.size)
        spans = (widths, np.array([np.ptp(self.second.domain(axis)) for axis in (0, 1)]))
        scales = [np.append(size / span, 1.0) for span in spans]  # parameters as long as the surfaces are

        def at(own: Floats) -> Floats:
            here = low + own * (high - low)
            places = self.places(here)
            flat = np.column_stack((*closest_points(self.first, places)[:2], np.zeros(len(own))))
            return np.stack((places, flat * scales[0], np.column_stack((self.params(here), np.zeros(len(own)))) * scales[1]))

        closed = bool(high - low == 1.0 and self.second.is_closed(1 - self.axis, POLE * size))
        corners = self._rough(low, high)
        found = fit_rows(Asked(at, np.union1d([0.0, 1.0], corners), corners), FITTED * size)
        curve, onto, own = (_curve(found, row, scale) for row, scale in enumerate((np.ones(3), *scales)))
        return Crossing(curve, onto, own, found.off, closed) if found.off <= near else None

    def _rough(self, low: float, high: float) -> Floats:
        """Return the shares of a stretch at which either surface is not smooth enough for one spline."""
        own = (rough_knots(Parallel(self.second), 1 - self.axis) - self.low) / (self.high - self.low)
        found = [(own - low) / (high - low)]
        shares = np.linspace(0, 1, PLACES)
        feet = closest_points(self.first, self.places(low + shares * (high - low)))[:2]
        for axis, along in enumerate(feet):
            for knot in rough_knots(Parallel(self.first), axis).tolist():
                for k in np.flatnonzero((along[:-1] - knot) * (along[1:] - knot) < 0).tolist():
                    at = self._at_knot(axis, knot, low + shares[k : k + 2] * (high - low))
                    found.append(np.array([(at - low) / (high - low)]))
        every = np.unique(np.concatenate(found))
        return every[(every > SAME) & (every < 1 - SAME)]

    def _at_knot(self, axis: int, knot: float, ends: Floats) -> float:
        """Return the share between two at which the foot on the other surface has a parameter."""
        start, end = float(ends[0]), float(ends[1])
        before = float(closest_points(self.first, self.places(ends))[axis][0]) < knot
        for _ in range(HALVINGS):
            middle = (start + end) / 2
            under = float(closest_points(self.first, self.places(np.array([middle])))[axis][0]) < knot
            start, end = (middle, end) if under == before else (start, middle)
        return start


def _curve(found: Followed, row: int, scale: Floats) -> NurbsCurve:
    """Return a row of splines as a curve, its coordinates by a scale (3,)."""
    return NurbsCurve(DEGREE, found.knots, found.control[row] / scale, np.ones(found.control.shape[1]))
