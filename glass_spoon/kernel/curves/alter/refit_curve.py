"""Write a curve with other, fewer points: the fewest that keep it within a tolerance, and points evenly spaced along it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, directions, lengths
from glass_spoon.kernel.curves.alter.edit_knots import insert_knots, join_curves
from glass_spoon.kernel.curves.evaluate.arc_length import ArcLength, measure_length
from glass_spoon.kernel.curves.evaluate.basis import basis_matrix
from glass_spoon.kernel.curves.evaluate.blossom import conversion_matrix
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params, largest_distance
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve, from_homogeneous
from glass_spoon.kernel.curves.evaluate.evaluate_curve import (
    closed_at_kink,
    curve_curvature,
    curve_derivatives,
    curve_points,
    find_kinks,
)
from glass_spoon.kernel.curves.make.fit_function import Fit
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.errors import InvalidInput, KernelError

SHARP_ANGLE = np.radians(0.5)
PLACES = 300
"""Steps of a smooth run between the places that a fit is held against."""

MOST = 400
"""Most points of one smooth run."""

CORRECTIONS = 4
"""Most rounds in which each place is moved to its closest parameter on the fit (Hoschek's parameter correction)."""

LEAST_PIVOT = 1e-4
"""Ratio of the Cholesky pivots below which the normal equations lose too many digits."""

REFUSALS = 5
"""Knots found to be needed, one after another, before no more are tried."""


@dataclass(frozen=True, eq=False)
class Points:
    """Points that give a curve: places (n, 3) mm, which are sharp (n,), and the largest distance in mm from the original.

    tangents: directions (3,) at the first and the last place, None where the curve is closed. A closed curve repeats no
    point, unless its seam is sharp.
    """

    places: Floats
    sharp: Bools
    largest: float
    closed: bool = False
    tangents: tuple[Floats, Floats] | None = None


@dataclass(frozen=True, eq=False)
class _Run:
    """A smooth run of a curve: places (m, 3), their parameters (m,), the length (m,) to each, and the share (m,) of bending.

    It starts `start` mm along the arc. tangents: unit directions (3,) at both ends.
    """

    arc: ArcLength
    start: float
    places: Floats
    params: Floats
    totals: Floats
    bending: Floats
    tangents: tuple[Floats, Floats]

    def at_shares(self, count: int) -> Floats:
        """Return lengths (count + 1,) that share the bending evenly, both ends included."""
        return np.interp(np.linspace(0, 1, count + 1), self.bending, self.totals)

    def points_at(self, totals: Floats) -> Floats:
        """Return points (k, 3) of the curve at lengths (k,) along the run."""
        return curve_points(self.arc.curve, self.arc.to_params(self.start + totals))


def _runs(curve: NurbsCurve) -> list[_Run]:
    """Return the smooth runs between sharp points."""
    arc = measure_length(curve)
    stops = arc.at_params(np.concatenate(([curve.domain[0]], find_kinks(curve, SHARP_ANGLE), [curve.domain[1]])))
    return [_make_run(arc, float(start), float(end)) for start, end in pairwise(stops)]


def _make_run(arc: ArcLength, start: float, end: float) -> _Run:
    """Return the run between two lengths in mm, its places half spread by length and half by bending."""
    even = np.linspace(start, end, 2 * PLACES + 1)
    bending = _bending(arc, even)
    totals = np.interp(np.linspace(0, 1, PLACES + 1), (np.linspace(0, 1, len(even)) + bending) / 2, even)
    params = arc.to_params(totals)
    inside = 1e-9 * (end - start)
    slopes = curve_derivatives(arc.curve, arc.to_params(np.array([start + inside, end - inside])), 1)[1]
    ends = directions(slopes)
    places = curve_points(arc.curve, params)
    return _Run(arc, start, places, params, totals - start, np.interp(totals, even, bending), (ends[0], ends[1]))


def _bending(arc: ArcLength, totals: Floats) -> Floats:
    """Return the share (n,) of the bending up to lengths (n,) in mm.

    The error of a cubic between points h apart grows with h^4; the root of the curvature spreads it well, and a part
    that all places share keeps straight stretches from being left without a point.
    """
    middles = (totals[:-1] + totals[1:]) / 2
    density = np.sqrt(curve_curvature(arc.curve, arc.to_params(middles)))
    density = density + 0.15 * density.mean() + 1e-12
    bending = np.concatenate(([0.0], np.cumsum(density)))
    shares: Floats = bending / bending[-1]
    return shares


def _fewest(least: int, works: Callable[[int], bool], tolerance: float) -> int:
    """Return the smallest count that works: doubled until one does, then bisected."""
    low, high = least - 1, least
    while not works(high):
        low, high = high, high * 2
        if high > MOST:
            raise KernelError(f"More than {MOST} points would be needed to stay within {tolerance:.3g} mm. Allow more.")
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if works(middle) else (middle, high)
    return high


def _farthest(curve: NurbsCurve, places: Floats) -> float:
    """Return the largest distance in mm of places (n, 3) from a curve."""
    return float(closest_params(curve, places)[1].max())


def points_through(curve: NurbsCurve, tolerance: float) -> Points:
    """Return the fewest points found through which `interpolate_points` comes within `tolerance` mm of a curve.

    The ends of an open curve keep their directions; a closed curve without a sharp seam stays smooth all round.
    """
    _check_tolerance(tolerance)
    runs = _runs(curve)
    if len(runs) == 1 and _is_smooth_ring(curve):
        run = runs[0]
        count = _fewest(3, lambda n: _farthest(_ring(run, n), run.places) <= tolerance, tolerance)
        places = run.points_at(run.at_shares(count))[:-1]
        return Points(places, np.zeros(count, dtype=bool), _farthest(_ring(run, count), run.places), closed=True)
    last = len(runs) - 1

    def make(picked: Floats, number: int) -> NurbsCurve:
        start = runs[number].tangents[0] if number == 0 else None
        end = runs[number].tangents[1] if number == last else None
        return interpolate_points(picked, start_tangent=start, end_tangent=end)

    points = _points_of(runs, tolerance, make, 2)
    return replace(points, tangents=(runs[0].tangents[0], runs[-1].tangents[1]))


def _is_smooth_ring(curve: NurbsCurve) -> bool:
    """Say whether a curve closes without a sharp seam."""
    return curve.is_closed(1e-9 * (1 + np.abs(curve.control_points).max())) and not closed_at_kink(curve, SHARP_ANGLE)


def _ring(run: _Run, count: int) -> NurbsCurve:
    """Return the closed curve through `count` points of a run."""
    return interpolate_points(run.points_at(run.at_shares(count))[:-1], closed=True)


def points_straight(curve: NurbsCurve, tolerance: float) -> Points:
    """Return the fewest points found whose poly-line comes within `tolerance` mm of a curve."""
    _check_tolerance(tolerance)
    return _points_of(_runs(curve), tolerance, lambda picked, number: make_polyline(picked), 1)


def _points_of(runs: list[_Run], tolerance: float, make: Callable[[Floats, int], NurbsCurve], least: int) -> Points:
    """Return points on the curve, run by run, so that what `make` draws through them stays within `tolerance` mm."""
    parts: list[Floats] = []
    largest = 0.0
    for number, run in enumerate(runs):

        def off(count: int, run: _Run = run, number: int = number) -> float:
            return _farthest(make(run.points_at(run.at_shares(count)), number), run.places)

        chord = _off_chord(run)
        fewest = 1 if chord <= tolerance else max(least, 2 if np.isinf(chord) else 1)

        def works(count: int, off: Callable[[int], float] = off) -> bool:
            return off(count) <= tolerance

        count = _fewest(fewest, works, tolerance)
        largest = max(largest, off(count))
        parts.append(run.points_at(run.at_shares(count)))
    return _gathered(parts, largest)


def _off_chord(run: _Run) -> float:
    """Return the largest distance in mm of a run from the line between its ends, infinite where these coincide."""
    ends = run.places[[0, -1]]
    return _farthest(make_polyline(ends), run.places) if lengths(ends[1] - ends[0]) > 0 else np.inf


def _gathered(parts: list[Floats], largest: float) -> Points:
    """Join the points of runs; where runs meet the point is sharp."""
    places = np.vstack([part if k == 0 else part[1:] for k, part in enumerate(parts)])
    sharp = np.zeros(len(places), dtype=bool)
    ends = np.cumsum([len(part) - 1 for part in parts])[:-1]
    sharp[ends] = True
    return Points(places, sharp, largest)


def points_pulling(curve: NurbsCurve, degree: int, tolerance: float) -> Points:
    """Return the fewest control points found with which `pulled_curve` comes within `tolerance` mm of a curve."""
    _check_tolerance(tolerance)
    parts: list[Floats] = []
    largest = 0.0
    for run in _runs(curve):
        best: dict[int, tuple[Floats, float]] = {}

        def works(count: int, run: _Run = run, best: dict[int, tuple[Floats, float]] = best) -> bool:
            p = min(degree, count)
            spans = count + 1 - p
            knots = np.concatenate((np.zeros(p), np.arange(spans + 1.0), np.full(p, float(spans))))
            fit, off = _least_squares(run, p, knots, run.totals, tolerance)
            best[count] = fit.control_points, off
            return off <= tolerance

        count = _fewest(1, works, tolerance)
        parts.append(best[count][0])
        largest = max(largest, best[count][1])
    return _gathered(parts, largest)


def refit_curve(curve: NurbsCurve, tolerance: float, degree: int = 3) -> Fit:
    """Return a curve within `tolerance` mm with the fewest control points found; sharp points stay.

    Least squares over knots that share the bending evenly, then knots taken out one after another while the fit holds.
    """
    _check_tolerance(tolerance)
    allowed, runs = tolerance, _runs(curve)
    for _ in range(4):
        fits = [_refit_run(run, allowed, degree) for run in runs]
        fitted = join_curves([fit.curve for fit in fits]) if len(fits) > 1 else fits[0].curve
        largest = largest_distance(curve, fitted)
        if largest <= tolerance:
            break
        allowed *= 0.95 * tolerance / largest  # between the places it was held against the fit went farther off
    return Fit(fitted, largest)


def _refit_run(run: _Run, tolerance: float, degree: int) -> Fit:
    """Refit one smooth run, from the lengths of its places and from its own parameters; the shorter answer counts."""
    fits = [_refit_from(run, tolerance, degree, start) for start in (run.totals, run.params)]
    return min(fits, key=lambda fit: (len(fit.curve.control_points), fit.largest))


def _refit_from(run: _Run, tolerance: float, degree: int, start: Floats) -> Fit:
    """Refit one smooth run, its places first taken at the parameters `start` (m,)."""
    found: dict[int, tuple[NurbsCurve, float]] = {}

    def works(count: int) -> bool:
        p = min(degree, count)
        at = np.interp(np.linspace(0, 1, count + 2 - p), run.bending, start)
        knots = np.concatenate((np.repeat(at[0], p), at, np.repeat(at[-1], p)))
        found[count] = _least_squares(run, p, knots, start, tolerance)
        return found[count][1] <= tolerance

    count = _fewest(1, works, tolerance)
    return _without_knots(run, start, *found[count], tolerance)


def _without_knots(run: _Run, start: Floats, curve: NurbsCurve, off: float, tolerance: float) -> Fit:
    """Take inner knots out, those with the least jump of the highest derivative first, while the fit holds."""
    p = curve.degree
    needed: set[float] = set()
    while len(needed) < REFUSALS:
        inner = curve.knots[p + 1 : -p - 1]
        open_to = np.flatnonzero(~np.isin(inner, list(needed)))
        if not len(open_to):
            break
        at = int(open_to[np.argmin(_jumps(curve)[open_to])])
        trial = _least_squares(run, p, np.delete(curve.knots, p + 1 + at), start, tolerance)
        if trial[1] <= tolerance:
            curve, off = trial
        else:
            needed.add(float(inner[at]))
    return Fit(curve, off)


def _jumps(curve: NurbsCurve) -> Floats:
    """Return how far in mm a curve would move without each simple inner knot (k,): its p-th derivative's jump times h^p."""
    p = curve.degree
    knots = curve.knots[p : len(curve.knots) - p]
    value = curve_derivatives(curve, (knots[:-1] + knots[1:]) / 2, p)[p]
    jumps: Floats = lengths(np.diff(value, axis=0)) * ((knots[2:] - knots[:-2]) / 2) ** p
    return jumps


def _least_squares(run: _Run, degree: int, knots: Floats, start: Floats, enough: float) -> tuple[NurbsCurve, float]:
    """Return the curve over given knots nearest to a run by least squares, its ends kept, and the largest distance in mm.

    The places are first taken at the parameters `start` (m,), then at their closest ones, until no distance is above
    `enough` mm or a round gains little.
    """
    low, high = knots[degree], knots[-degree - 1]
    params = low + (start - start[0]) / (start[-1] - start[0]) * (high - low)
    ends = run.places[[0, -1]]
    best: tuple[NurbsCurve, float] | None = None
    for _ in range(CORRECTIONS):
        matrix = basis_matrix(knots, degree, params)
        rest = run.places - matrix[:, [0, -1]] @ ends
        inner = _solve_least(matrix[:, 1:-1], rest) if matrix.shape[1] > 2 else np.zeros((0, 3))
        control = np.vstack((ends[:1], inner, ends[1:]))
        curve = NurbsCurve(degree, knots, control, np.ones(len(control)))
        params, distance = closest_params(curve, run.places, params)
        off, before = float(distance.max()), np.inf if best is None else best[1]
        if _strays(run, curve, params):
            off = np.inf
        if best is None or off < before:
            best = curve, off
        if off <= enough or off > 0.8 * before:
            break
    return best  # type: ignore[return-value]  # there is at least one round


def _solve_least(matrix: Floats, wanted: Floats) -> Floats:
    """Return the least-squares solution (n, 3) of matrix (m, n) for wanted (m, 3): by Cholesky where that is safe."""
    try:
        factor = np.linalg.cholesky(matrix.T @ matrix)
    except np.linalg.LinAlgError:
        factor = np.zeros((1, 1))
    pivots = np.diagonal(factor)
    if pivots.min() <= LEAST_PIVOT * pivots.max():
        return np.asarray(np.linalg.lstsq(matrix, wanted, rcond=None)[0], dtype=np.float64)
    result: Floats = scipy.linalg.cho_solve((factor, True), matrix.T @ wanted, check_finite=False)
    return result


def _strays(run: _Run, curve: NurbsCurve, params: Floats) -> bool:
    """Say whether a fit leaves the run between places, whose parameters are given: where too few places hold its knots."""
    chords = lengths(np.diff(run.places, axis=0))
    between = curve_points(curve, (params[:-1] + params[1:]) / 2)
    away = lengths(between - (run.places[:-1] + run.places[1:]) / 2)
    return bool((away > chords).any())


def _check_tolerance(tolerance: float) -> None:
    """Raise InvalidInput for a tolerance that nothing could keep."""
    if not tolerance >= 1e-6 or not np.isfinite(tolerance):
        raise InvalidInput("The tolerance", "0.000001 mm or more", f"{tolerance:g} mm")


def even_points(curve: NurbsCurve, count: int) -> Points:
    """Return `count` + 1 points evenly by length, but each sharp point met: its runs share the count by their lengths.

    Raises InvalidInput when there are more runs between sharp points than the count.
    """
    arc = measure_length(curve)
    kinks = find_kinks(curve, SHARP_ANGLE)
    stops = arc.at_params(np.concatenate(([curve.domain[0]], kinks, [curve.domain[1]])))
    if count < len(stops) - 1:
        raise InvalidInput("The number of steps", f"{len(stops) - 1} or more: one for each run", str(count))
    sizes = np.diff(stops)
    shares = np.maximum(1, np.floor(sizes / sizes.sum() * count)).astype(int)
    while shares.sum() != count:
        step = 1 if shares.sum() < count else -1
        shares[np.argmax(np.where((shares > 1) | (step > 0), step * (sizes / shares), -np.inf))] += step
    wanted = [np.linspace(a, b, n + 1)[:-1] for (a, b), n in zip(pairwise(stops), shares, strict=True)]
    params = arc.to_params(np.append(np.concatenate(wanted), arc.length))
    at = np.cumsum(shares)[:-1]
    params[at] = kinks
    sharp = np.zeros(len(params), dtype=bool)
    sharp[at] = True
    return Points(curve_points(curve, params), sharp, 0.0)


def remove_knot(curve: NurbsCurve, param: float, tolerance: float) -> NurbsCurve | None:
    """Return the curve with one knot less at `param`, None when that would move it by more than `tolerance` mm.

    The control points of the shorter curve are those whose knot insertion comes nearest to the old ones; when that is
    exact the knot was not needed (The NURBS Book, section 5.4; its algorithm A5.8 solves the same equations from both
    ends). The distance is bounded by the largest change of a control point (equation 5.30).
    """
    at = np.flatnonzero(np.abs(curve.knots - param) <= 1e-12 * (1 + abs(param)))
    low, high = curve.domain
    if not len(at) or not low < param < high:
        raise InvalidInput("The knot", "one inside the curve", f"{param:g}")
    knots = np.delete(curve.knots, at[-1])
    matrix = conversion_matrix(knots, curve.degree, curve.knots, curve.degree)
    control: Floats = np.linalg.lstsq(matrix, curve.homogeneous, rcond=None)[0].astype(np.float64)
    control[0], control[-1] = curve.homogeneous[0], curve.homogeneous[-1]
    if control[:, 3].min() <= 0:
        return None
    shorter = from_homogeneous(curve.degree, knots, control)
    again = insert_knots(shorter, [float(curve.knots[at[-1]])])
    return shorter if lengths(again.control_points - curve.control_points).max() <= tolerance else None
