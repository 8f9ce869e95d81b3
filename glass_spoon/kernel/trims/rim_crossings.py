"""Where a surface just reaches another with its rim: the rim itself is what they have in common.

Whether they cross there cannot be told by numbers: one place of the rim is a rounding above, the next below.
"""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise, product

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, lengths
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
from glass_spoon.kernel.trims.face import Face, whole_face

PLACES, SEVERAL = 129, 5
"""Places of a rim that are looked at, and how many of them beside each other say that it lies on the other surface."""

LYING, BESIDE = 1e-6, 1e-5
"""Shares of the size within which a rim lies on a surface, and within which what crosses runs along it."""

LOOKED = 65
"""Places of a crossing at which it is looked whether it is a rim."""

HALVINGS = 40
"""Halvings to where a rim leaves a surface."""

POLE = 1e-9
"""Share of the size within which an edge is one point."""


def cross_with_rims(first: Face, second: Face, *, both: bool = False) -> list[Crossing]:
    """Return the curves in which the surfaces of faces cross, and the rims of the second that lie on the first, each of them
    once; of both: those of the first that lie on the second too.
    """
    rims, along = rim_crossings(first.surface, second), rim_crossings(first.surface, whole_face(second.surface))
    if both:
        turned = [replace(one, first=one.second, second=one.first) for one in rim_crossings(second.surface, first)]
        rims += [one for one in turned if not _runs_along(one, rims, first, second)]
        along += rim_crossings(second.surface, whole_face(first.surface))
    others = cross_surfaces(Parallel(first.surface), Parallel(second.surface))
    return [*rims, *(one for one in others if not _runs_along(one, [*rims, *along], first, second))]


def _runs_along(one: Crossing, rims: list[Crossing], first: Face, second: Face) -> bool:
    """Say whether what of a crossing lies in the boxes of both faces is a stretch of a rim."""
    if not rims:
        return False
    near = BESIDE * max(first.surface.size, second.surface.size)
    shares = one.curve.domain[0] + np.linspace(0, 1, LOOKED) * np.ptp(one.curve.domain)
    within = np.ones(LOOKED, dtype=bool)
    for face, run in ((first, one.first), (second, one.second)):
        low, high = (bound(face.outlines[0], axis=0) for bound in (np.min, np.max))
        slack = BESIDE * (high - low)
        params = curve_points(run, shares)[:, :2]
        within &= ((params >= low - slack) & (params <= high + slack)).all(axis=1)
    places = curve_points(one.curve, shares[within])
    return len(places) > 1 and any(closest_params(rim.curve, places)[1].max() <= near for rim in rims)


_rims: Remembered[tuple[Crossing, ...]] = Remembered(400)
"""The rims that lie on surfaces, by the content of both."""


def rim_crossings(first: NurbsSurface, second: Face) -> list[Crossing]:
    """Return the rims of a face, or the stretches of them, that lie on another surface.

    Only a face that is a rectangle of its parameters is looked at.
    """
    if not second.is_box:
        return []
    return list(_rims.get((first.key, second.key), lambda: tuple(_rim_crossings(first, second))))


def _rim_crossings(first: NurbsSurface, face: Face) -> list[Crossing]:
    found, second, box = [], face.surface, np.array([bound(face.outlines[0], axis=0) for bound in (np.min, np.max)])
    low, high = (getattr(first.control_points.reshape(-1, 3), which)(axis=0) for which in ("min", "max"))
    near, shares, rims = LYING * max(first.size, second.size), np.linspace(0, 1, PLACES), []
    for axis, end in product((0, 1), (0, -1)):
        if second.is_pole(axis, end, POLE * second.size) or second.is_closed(axis, POLE * second.size):
            continue
        rim = _Rim(first, second, axis, float(box[end, axis]), (float(box[0, 1 - axis]), float(box[1, 1 - axis])))
        places = rim.places(shares)
        slack = near + float(lengths(np.diff(places, axis=0)).max())  # it may bulge between them
        if (places.min(axis=0) <= high + slack).all() and (places.max(axis=0) >= low - slack).all():
            rims.append((rim, places))
    if not rims:
        return []
    every = closest_points(first, np.concatenate([places for _, places in rims]))[2].reshape(-1, PLACES)
    for (rim, _), away in zip(rims, every, strict=True):
        for start, stop in _stretches(away <= near):
            since = rim.left(shares[start], shares[max(start - 1, 0)], near)
            found += rim.crossings(since, rim.left(shares[stop], shares[min(stop + 1, PLACES - 1)], near), near)
    return found


def _stretches(on: Bools) -> list[tuple[int, int]]:
    """Return the first and the last of the places beside each other that are on, where they are SEVERAL."""
    steps = np.flatnonzero(np.diff(np.concatenate(([False], on, [False])).astype(np.int8)))
    return [(low, high - 1) for low, high in steps.reshape(-1, 2).tolist() if high - low >= SEVERAL]


class _Rim:
    """A span of the rim at one end of an axis of a surface, by shares of it, beside another surface."""

    def __init__(
        self, first: NurbsSurface, second: NurbsSurface, axis: int, at_end: float, span: tuple[float, float]
    ) -> None:
        self.first, self.second, self.axis, self.at_end = first, second, axis, at_end
        self.low, self.high = span
        self.widths = np.array([np.ptp(first.domain(axis)) for axis in (0, 1)])
        self.closed = np.array([first.is_closed(axis, POLE * first.size) for axis in (0, 1)])

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

    def crossings(self, low: float, high: float, near: float) -> list[Crossing]:
        """Return a stretch of it as crossings between the seams of the other surface; none where its parameters jump."""
        shares = np.linspace(low, high, PLACES)
        feet = self.feet(shares)
        if (np.abs(np.diff(feet, axis=0)) > 0.5 * self.widths).any():
            return []
        stops = set[float]()
        for axis in np.flatnonzero(self.closed).tolist():
            turns = np.floor((feet[:, axis] - self.first.domain(axis)[0]) / self.widths[axis])
            for k in np.flatnonzero(np.diff(turns)).tolist():
                seam = self.first.domain(axis)[0] + self.widths[axis] * max(turns[k], turns[k + 1])
                stops.add(self._at(axis, seam, shares[k : k + 2], feet[k : k + 2]))
        inner = sorted(stop for stop in stops if min(stop - low, high - stop) > SAME * (high - low))
        pieces = [self._crossing(a, b, near) for a, b in pairwise([low, *inner, high])]
        return [one for one in pieces if one is not None]

    def feet(self, shares: Floats, table: tuple[Floats, Floats] | None = None) -> Floats:
        """Return the parameters (n, 2) on the other surface of places in their order, going on over its seams.

        table: shares and parameters that are known, beside which those are taken; without, the middle is in the domain.
        """
        feet = np.column_stack(closest_points(self.first, self.places(shares))[:2])
        for axis in np.flatnonzero(self.closed).tolist():
            own, width = feet[:, axis], self.widths[axis]
            if table is not None:
                feet[:, axis] = own + width * np.round((np.interp(shares, table[0], table[1][:, axis]) - own) / width)
                continue
            own = np.unwrap(own, period=width)
            feet[:, axis] = own - width * np.floor((own[len(own) // 2] - self.first.domain(axis)[0]) / width)
        return feet

    def _crossing(self, low: float, high: float, near: float) -> Crossing | None:
        """Return a stretch of it between seams as a crossing; None where it cannot be followed."""
        shares = np.linspace(low, high, PLACES)
        table = shares, self.feet(shares)
        bounds = np.array([self.first.domain(axis) for axis in (0, 1)])
        size = max(self.first.size, self.second.size)
        spans = (self.widths, np.array([np.ptp(self.second.domain(axis)) for axis in (0, 1)]))
        scales = [np.append(size / span, 1.0) for span in spans]  # parameters as long as the surfaces are

        def at(own: Floats) -> Floats:
            here = low + own * (high - low)
            flat = np.column_stack((np.clip(self.feet(here, table), *bounds.T), np.zeros(len(own))))
            mine = np.column_stack((self.params(here), np.zeros(len(own))))
            return np.stack((self.places(here), flat * scales[0], mine * scales[1]))

        ends = self.places(np.array([low, high]))
        closed = float(lengths(ends[1] - ends[0])) <= POLE * size
        corners = self._rough(low, high)
        found = fit_rows(Asked(at, np.union1d([0.0, 1.0], corners), corners), FITTED * size)
        curve, onto, own = (_curve(found, row, scale) for row, scale in enumerate((np.ones(3), *scales)))
        return Crossing(curve, onto, own, found.off, closed) if found.off <= near else None

    def _rough(self, low: float, high: float) -> Floats:
        """Return the shares of a stretch at which either surface is not smooth enough for one spline."""
        own = (rough_knots(Parallel(self.second), 1 - self.axis) - self.low) / (self.high - self.low)
        found = [(own - low) / (high - low)]
        shares = np.linspace(low, high, PLACES)
        feet = self.feet(shares)
        for axis, along in enumerate(feet.T):
            for knot in rough_knots(Parallel(self.first), axis).tolist():
                for k in np.flatnonzero((along[:-1] - knot) * (along[1:] - knot) < 0).tolist():
                    at = self._at(axis, knot, shares[k : k + 2], feet[k : k + 2])
                    found.append(np.array([(at - low) / (high - low)]))
        every = np.unique(np.concatenate(found))
        return every[(every > SAME) & (every < 1 - SAME)]

    def _at(self, axis: int, wanted: float, ends: Floats, feet: Floats) -> float:
        """Return the share between two (2,), whose feet (2, 2) are known, at which the foot has a parameter."""
        start, end = float(ends[0]), float(ends[1])
        before = float(feet[0, axis]) < wanted
        for _ in range(HALVINGS):
            middle = (start + end) / 2
            under = float(self.feet(np.array([middle]), (ends, feet))[0, axis]) < wanted
            start, end = (middle, end) if under == before else (start, middle)
        return start


def _curve(found: Followed, row: int, scale: Floats) -> NurbsCurve:
    """Return a row of splines as a curve, its coordinates by a scale (3,)."""
    return NurbsCurve(DEGREE, found.knots, found.control[row] / scale, np.ones(found.control.shape[1]))
