"""The closest points of a curve to given points."""

from __future__ import annotations

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints, lengths
from glass_spoon.kernel.curves.evaluate.basis import find_spans
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives, curve_points, curve_tangents
from glass_spoon.kernel.remembered import Remembered

SAMPLES = 24
"""Places a knot span from which a search may start."""

TURN = 0.35
"""Turn of the tangent, in radians, over which a cell between two such places is halved."""

HALVINGS = 14
"""Most halvings of a cell."""

_BLOCK = 512
"""Points whose distances to all samples are looked at at once."""

ROUNDING = 1e-14
"""Relative rounding of a squared distance."""

STEPS = 30
"""Most steps of one search; nearly all points settle in four."""


def span_params(curve: NurbsCurve, per_span: int) -> Floats:
    """Return parameters (spans * per_span + 1,), evenly spread in each knot span, both ends included."""
    breaks = curve.breaks
    shares = np.arange(per_span) / per_span
    return np.append((breaks[:-1, None] + np.diff(breaks)[:, None] * shares).ravel(), breaks[-1])


def turning_params(curve: NurbsCurve, per_span: int) -> Floats:
    """Return parameters (n,) evenly spread in each knot span, and more where the curve turns fast, as near a cusp.

    Cells are halved, at most HALVINGS times, while the tangent turns by more than TURN between their places.
    """
    params = span_params(curve, per_span)
    fresh = np.arange(len(params) - 1)
    for _ in range(HALVINGS):
        low, high = params[fresh], params[fresh + 1]
        middles = (low + high) / 2
        spans = find_spans(curve.knots, curve.degree, middles)
        before, middle, after = (curve_tangents(curve, at, spans) for at in (low, middles, high))
        turn = sum(np.arccos(np.clip(np.einsum("ij,ij->i", a, b), -1, 1)) for a, b in ((before, middle), (middle, after)))
        fast = np.flatnonzero(turn > TURN)
        if not len(fast):
            break
        params = np.insert(params, fresh[fast] + 1, middles[fast])
        first = fresh[fast] + np.arange(len(fast))
        fresh = np.sort(np.concatenate((first, first + 1)))
    return params


def closest_params(curve: NurbsCurve, points: Floats, start: Floats | None = None) -> tuple[Floats, Floats]:
    """Return the parameters (n,) and distances (n,) in mm of the closest places of a curve to points (n, 3).

    From both sides of every dip of the distance at SAMPLES places a span, each search within its own polynomial piece;
    or from `start` (n,) and across knots, for places known to be near on a smooth run. See `_search`.
    """
    if start is not None:
        low, high = (np.full(len(points), end) for end in curve.domain)
        return _search(curve, points, start, low, high, None)
    owner, begin = _dips(curve, points)
    spans = find_spans(curve.knots, curve.degree, begin)
    params, distance = _search(curve, points[owner], begin, curve.knots[spans], curve.knots[spans + 1], spans)
    order = np.lexsort((distance, owner))
    first = order[np.searchsorted(owner[order], np.arange(len(points)))]
    return params[first], distance[first]


def _search(
    curve: NurbsCurve, points: Floats, start: Floats, low: Floats, high: Floats, spans: Ints | None
) -> tuple[Floats, Floats]:
    """Return parameters (n,) between low and high (n,) and distances (n,), by damped Newton steps.

    They solve (C(t) - P) . C'(t) = 0
    (The NURBS Book, section 6.1), without the second-order term where that would lead to a maximum. No step makes a
    distance larger, so the result is never worse than the start. `spans` (n,) holds each search to one piece.
    """
    best = np.clip(start, low, high)
    values = curve_derivatives(curve, best, 2, spans)
    distance = lengths(values[0] - points)
    active, damping = np.arange(len(points)), np.ones(len(points))
    for _ in range(STEPS):
        if not len(active):
            break
        offset, slope, bend = values[0] - points[active], values[1], values[2]
        pull, plain = (np.einsum("ij,ij->i", a, b) for a, b in ((offset, slope), (slope, slope)))
        full = plain + np.einsum("ij,ij->i", offset, bend)
        step = -pull / np.where(full > 0.1 * plain, full, np.maximum(plain, 1e-300))
        trial = np.clip(best[active] + damping[active] * step, low[active], high[active])
        there = curve_derivatives(curve, trial, 2, None if spans is None else spans[active])
        size = lengths(there[0] - points[active])
        better = size <= distance[active]
        moved = np.abs(trial - best[active]) * np.sqrt(plain)
        best[active[better]], distance[active[better]] = trial[better], size[better]
        damping[active] = np.where(better, 1.0, damping[active] / 4)
        values = np.where(better[None, :, None], there, values)
        # A step that changes the squared distance by less than its rounding cannot be told from a good one.
        settled = ~better & (moved**2 <= ROUNDING * (1 + distance[active]) ** 2)
        going = (moved > 1e-12 * (1 + distance[active])) & (damping[active] > 1e-9) & ~settled
        active, values = active[going], values[:, going]
    return best, distance


_starts: Remembered[tuple[Floats, Floats]] = Remembered(256)
"""Parameters and points of curves that were searched last, by their content."""


def _sampled(curve: NurbsCurve) -> tuple[Floats, Floats]:
    """Return the parameters (n,) and points (n, 3) of a curve from which a search may start."""
    params = turning_params(curve, SAMPLES)
    return params, curve_points(curve, params)


def _dips(curve: NurbsCurve, points: Floats) -> tuple[Ints, Floats]:
    """Return starts for searches: the point (k,) and a parameter (k,) beside every dip of the sampled distance that may win.

    A dip may win when it is no farther than the lowest one by more than the length of its two chords.
    """
    params, samples = _starts.get(curve.key, lambda: _sampled(curve))
    chords = np.concatenate(([0.0], lengths(np.diff(samples, axis=0)), [0.0]))
    reach = chords[:-1] + chords[1:]
    middles = (params[:-1] + params[1:]) / 2
    owners, starts = [], []
    for begin in range(0, len(points), _BLOCK):
        away = scipy.spatial.distance.cdist(points[begin : begin + _BLOCK], samples)
        padded = np.pad(away, ((0, 0), (1, 1)), constant_values=np.inf)
        dip = (away <= padded[:, :-2]) & (away < padded[:, 2:])
        dip &= away <= away.min(axis=1)[:, None] + reach
        cells = np.zeros((len(away), len(middles)), dtype=bool)
        cells |= dip[:, :-1]
        cells |= dip[:, 1:]
        rows, columns = np.nonzero(cells)
        owners.append(rows + begin)
        starts.append(middles[columns])
    return np.concatenate(owners), np.concatenate(starts)


def largest_distance(curve: NurbsCurve, other: NurbsCurve, per_span: int = 16) -> float:
    """Return the largest distance in mm of `per_span` places a span of either curve from the other one."""
    worst = 0.0
    for a, b in ((curve, other), (other, curve)):
        worst = max(worst, float(closest_params(b, curve_points(a, span_params(a, per_span)))[1].max()))
    return worst
