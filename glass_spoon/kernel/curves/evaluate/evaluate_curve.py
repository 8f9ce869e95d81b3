"""Points, derivatives, tangents and curvature of curves at many parameters."""

from __future__ import annotations

from math import comb

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, cross, directions, lengths
from glass_spoon.kernel.curves.evaluate.basis import find_spans
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.sums_at_places import curve_rows

_FOUND = np.zeros(0, dtype=np.int64)
"""No spans: they are found."""

STANDSTILL = 1e-10
"""A first derivative shorter than this, relative to the size of the curve, counts as zero."""


def curve_derivatives(curve: NurbsCurve, params: Floats, order: int, spans: Ints | None = None) -> Floats:
    """Return derivatives 0 to `order` at params (n,): shape (order + 1, n, 3), in mm per parameter unit to the order.

    `spans` chooses the polynomial piece for one-sided values at knots.
    The NURBS Book, equation 4.8 (algorithm A4.2).
    """
    return curve_rows(curve.net, curve.knots, curve.degree, params, _FOUND if spans is None else spans, order)


def rational_derivatives(weighted: Floats) -> Floats:
    """Divide homogeneous derivatives (4, order + 1, n) to derivatives of the point (order + 1, n, 3) (equation 4.8)."""
    weight = weighted[3]
    result = np.empty((weighted.shape[1], 3, weighted.shape[2]))
    for k in range(len(result)):
        total = weighted[:3, k].copy()
        for i in range(1, k + 1):
            total -= comb(k, i) * weight[i] * result[k - i]
        result[k] = total / weight[0]
    return np.ascontiguousarray(result.transpose(0, 2, 1))


def curve_points(curve: NurbsCurve, params: Floats) -> Floats:
    """Return points (n, 3) in mm at params (n,)."""
    return curve_derivatives(curve, params, 0)[0]


def curve_tangents(curve: NurbsCurve, params: Floats, spans: Ints | None = None) -> Floats:
    """Return unit tangents (n, 3) at params (n,).

    Where the first derivative vanishes the first higher one that does not gives the direction; its sign is that of the
    side on which the piece lies.
    """
    spans = find_spans(curve.knots, curve.degree, params) if spans is None else spans
    result = curve_derivatives(curve, params, 1, spans)[1]
    flat = np.flatnonzero(lengths(result) <= STANDSTILL * (np.abs(curve.control_points).max() + 1.0))
    if len(flat):
        result[flat] = _higher_tangents(curve, params[flat], spans[flat])
    return directions(result)


def _higher_tangents(curve: NurbsCurve, params: Floats, spans: Ints) -> Floats:
    """Return the first derivative (n, 3) of order two or more that does not vanish, turned to the curve's own run."""
    values = curve_derivatives(curve, params, max(curve.degree, 2), spans)
    result = np.zeros((len(params), 3))
    at_end = params >= curve.knots[spans + 1]
    for k in range(2, len(values)):
        flat = lengths(result) <= STANDSTILL * (np.abs(curve.control_points).max() + 1.0)
        side = np.where(at_end[flat] & (k % 2 == 0), -1.0, 1.0)
        result[flat] = values[k][flat] * side[:, None]
    return result


def curve_curvature(curve: NurbsCurve, params: Floats) -> Floats:
    """Return the curvature (n,) in 1/mm: |C' x C''| / |C'|^3; zero where the first derivative vanishes."""
    values = curve_derivatives(curve, params, 2)
    speed = lengths(values[1])
    bend = lengths(cross(values[1], values[2]))
    return np.divide(bend, speed**3, out=np.zeros_like(speed), where=speed > 0)


def one_sided_tangents(curve: NurbsCurve, params: Floats) -> tuple[Floats, Floats]:
    """Return unit tangents (n, 3) just before and just after inner params (n,)."""
    after = find_spans(curve.knots, curve.degree, params)
    before = np.searchsorted(curve.knots, params, side="left").astype(np.int64) - 1
    before = np.maximum(before, curve.degree)
    return curve_tangents(curve, params, before), curve_tangents(curve, params, after)


def find_kinks(curve: NurbsCurve, angle: float) -> Floats:
    """Return the inner parameters (k,) where the tangent turns by more than `angle` radians at once: the sharp points."""
    p = curve.degree
    inner = curve.knots[p + 1 : len(curve.knots) - p - 1]
    repeated = inner[p - 1 :] == inner[: max(0, len(inner) - p + 1)]
    if not repeated.any():
        return np.zeros(0)
    params = np.unique(inner[p - 1 :][repeated])
    before, after = tangent_sides(curve, params)
    turn = np.arctan2(lengths(cross(before, after)), np.einsum("ij,ij->i", before, after))
    return params[turn > angle]


def tangent_sides(curve: NurbsCurve, params: Floats) -> tuple[Floats, Floats]:
    """Return unit tangents (n, 3) before and after inner knots (n,) of full multiplicity.

    The curve runs through a control point there, along the legs of its net (The NURBS Book, equation 4.11, for the Bezier
    pieces on either side); where a leg has no length, or the knot is repeated once more, derivatives are asked.
    """
    p, points = curve.degree, curve.control_points
    first = np.searchsorted(curve.knots, params, side="left")
    at = first - 1
    before, after = points[at] - points[at - 1], points[np.minimum(at + 1, len(points) - 1)] - points[at]
    still = STANDSTILL * float(np.ptp(points, axis=0).max())
    odd = (lengths(before) <= still) | (lengths(after) <= still)
    odd |= np.searchsorted(curve.knots, params, side="right") - first != p
    before, after = directions(before), directions(after)
    if odd.any():
        before[odd], after[odd] = one_sided_tangents(curve, params[odd])
    return before, after


def end_tangents(curve: NurbsCurve) -> Floats:
    """Return the unit tangents (2, 3) at the start and the end: along the legs of the net there, if they have any length."""
    points = curve.control_points
    legs = np.stack((points[1] - points[0], points[-1] - points[-2]))
    if lengths(legs).min() > STANDSTILL * float(np.ptp(points, axis=0).max()):
        return directions(legs)
    low, high = (np.array([end]) for end in curve.domain)
    return np.concatenate((one_sided_tangents(curve, low)[1], one_sided_tangents(curve, high)[0]))


def closed_at_kink(curve: NurbsCurve, angle: float) -> bool:
    """Say whether the tangent turns by more than `angle` radians from the last parameter to the first."""
    ends = curve_tangents(curve, np.array(curve.domain))
    return bool(np.arccos(np.clip(ends[0] @ ends[1], -1.0, 1.0)) > angle)
