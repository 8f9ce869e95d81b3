"""Round the sharp points of a planar curve by exact tangent arcs.

At a corner between the branches A (before) and B (after), an arc of radius r touches both where
    A(s) + r n_A(s) = B(t) + r n_B(t)                                             (the centre)
with the unit normals n on the inner side. For r = 0 the answer is the corner itself; it is followed from there with
growing r by Newton steps, so the arc found is the one that belongs to the corner.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from glass_spoon.kernel.arrays import Bools, Floats, lengths
from glass_spoon.kernel.curves.alter.edit_knots import join_curves, rescale_domain, split_curve, trim_curve
from glass_spoon.kernel.curves.alter.follow_length import chain_curves
from glass_spoon.kernel.curves.evaluate.basis import find_spans
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import (
    closed_at_kink,
    curve_derivatives,
    curve_points,
    find_kinks,
    one_sided_tangents,
)
from glass_spoon.kernel.curves.make.line_and_arc import make_arc
from glass_spoon.kernel.curves.read.plane_of_curve import Plane, find_plane
from glass_spoon.kernel.errors import InvalidInput, RadiusTooLarge

SHARP_ANGLE = np.radians(0.5)
"""A tangent that turns by more than this at once makes a sharp point (radians)."""

LEAST_RADIUS = 1e-5
"""Smallest radius in mm: a smaller arc is lost in the rounding of its neighbours."""

_LEAST_STEP = 1e-7
"""Fraction of the radius at which the search for the largest that fits ends."""

_NEWTON_STEPS = 14
"""Newton steps of one solve; they start near the answer, so more would not settle either."""


@dataclass(frozen=True, eq=False)
class _Corners:
    """The corners to round: params (k,), the free range of each side (k,), turn sign (k,), radii (k,) mm."""

    params: Floats
    low: Floats
    high: Floats
    side: Floats
    radii: Floats


def round_corners(curve: NurbsCurve, radius: ArrayLike, tolerance: float = 1e-6) -> NurbsCurve:
    """Return the curve with its sharp points rounded by arcs of `radius` mm: one value, or one for each sharp point.

    A radius of 0 leaves its point sharp; a sharp seam of a closed curve counts first, and the curve then gets a new seam in
    the middle of its first smooth run. `tolerance` (mm) says how flat and how closed the curve must be. Raises InvalidInput
    for a negative radius, no radius above 0, no sharp point or a curve that is not flat; RadiusTooLarge, with the largest
    that fits, otherwise.
    """
    values = np.atleast_1d(np.asarray(radius, dtype=np.float64))
    if (values < 0).any() or not (values > 0).any() or not np.isfinite(values).all():
        raise InvalidInput("The radius", "above 0 mm", f"{values.min():g} mm")
    if ((values > 0) & (values < LEAST_RADIUS)).any():
        raise InvalidInput("The radius", f"0, or {LEAST_RADIUS:g} mm or more", f"{values[values > 0].min():g} mm")
    plane = find_plane(curve, tolerance)
    if curve.is_closed(tolerance) and closed_at_kink(curve, SHARP_ANGLE):
        curve, values = move_seam(curve), np.roll(values, -1)
    params = sharp_params(curve)
    if not len(params):
        raise InvalidInput("The curve", "one with sharp points", "smooth everywhere")
    if len(values) not in (1, len(params)):
        raise InvalidInput("The radii", f"one, or {len(params)}: one for each sharp point", f"{len(values)}")
    corners = _find_corners(curve, plane, params, np.broadcast_to(values, params.shape))
    touch = _follow_radius(curve, plane, corners)
    return _assemble(curve, plane, corners, *touch)


def round_at_most(curve: NurbsCurve, radius: ArrayLike, tolerance: float = 1e-6) -> tuple[NurbsCurve, Floats]:
    """Return the curve rounded by radii that are taken smaller where they do not fit, and the radii (k,) that were taken.

    A corner that does not fit gets the largest that does, with the others as they are, until all fit.
    Raises what `round_corners` raises for other reasons.
    """
    seam = curve.is_closed(tolerance) and closed_at_kink(curve, SHARP_ANGLE)
    start = move_seam(curve) if seam else curve
    places = curve_points(start, sharp_params(start))
    values = np.broadcast_to(np.atleast_1d(np.asarray(radius, dtype=np.float64)), (len(places),)).copy()
    if seam and len(values):
        values = np.roll(values, -1)
    for _ in range(MOST_TRIES * max(1, len(places))):
        try:
            return round_corners(start, values, tolerance), np.roll(values, 1) if seam else values
        except RadiusTooLarge as error:
            at = int(np.argmin(lengths(places - error.place)))
            values[at] = min(error.largest * (1 - SMALLER), values[at] * (1 - SMALLER))
    return round_corners(start, values, tolerance), np.roll(values, 1) if seam else values


MOST_TRIES = 8
"""How often each corner's radius is taken smaller at most, on the mean."""

SMALLER = 1e-3
"""Share by which a radius stays below the largest that fits, so that a little is left of the sides beside it."""


def sharp_params(curve: NurbsCurve) -> Floats:
    """Return the parameters (k,) of the sharp points inside the domain, in the order that radii are counted."""
    return find_kinks(curve, SHARP_ANGLE)


def move_seam(curve: NurbsCurve) -> NurbsCurve:
    """Return the closed curve started in the middle of its first smooth run."""
    stops = np.append(find_kinks(curve, SHARP_ANGLE), curve.domain[1])
    first, second = split_curve(curve, (curve.domain[0] + float(stops[0])) / 2)
    return join_curves([second, first])


def _find_corners(curve: NurbsCurve, plane: Plane, params: Floats, radii: Floats) -> _Corners:
    """Gather the corners: which way they turn, and how far each side may give way."""
    stops = np.concatenate(([curve.domain[0]], params, [curve.domain[1]]))
    before, after = (plane.flatten(tangent) for tangent in one_sided_tangents(curve, params))
    side = np.sign(before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0])
    rounded = radii > 0
    side = np.where(side == 0, 1.0, side)[rounded]
    return _Corners(params[rounded], stops[:-2][rounded], stops[2:][rounded], side, radii[rounded])


def _follow_radius(curve: NurbsCurve, plane: Plane, corners: _Corners) -> tuple[Floats, Floats]:
    """Return the touching parameters (k,) before and after each corner, growing the radius from zero."""
    touch = (corners.params.copy(), corners.params.copy())
    fraction, step = 0.0, 0.25
    while fraction < 1.0:
        target = min(1.0, fraction + step)
        trial = _solve(curve, plane, corners, target, touch)
        bad = _misfits(corners, *trial)
        if not bad.any():
            fraction, touch, step = target, trial, step * 2
            continue
        step /= 2
        if step < _LEAST_STEP:
            _refuse(curve, plane, corners, int(np.argmax(bad)), fraction, touch)
    return touch


def _refuse(
    curve: NurbsCurve, plane: Plane, corners: _Corners, at: int, fraction: float, touch: tuple[Floats, Floats]
) -> None:
    """Raise RadiusTooLarge; the largest is the round number just above the one found, where that still fits."""
    radius = float(corners.radii[at])
    rounded = float(f"{fraction * radius:.4g}") / radius
    fits = rounded > 0 and not _misfits(corners, *_solve(curve, plane, corners, rounded, touch)).any()
    place = curve_points(curve, corners.params[at : at + 1])[0]
    raise RadiusTooLarge(radius, radius * (rounded if fits else fraction), place)


def _misfits(corners: _Corners, s: Floats, t: Floats) -> Bools:
    """Mark the corners (k,) whose arc did not come out, leaves its branches or overlaps the next arc."""
    with np.errstate(invalid="ignore"):
        span = corners.high - corners.low
        bad = ~((s >= corners.low - 1e-12 * span) & (s < corners.params))
        bad |= ~((t <= corners.high + 1e-12 * span) & (t > corners.params))
        overlap = t[:-1] > s[1:] + 1e-12 * span[1:]
    bad[:-1] |= overlap
    return bad


def _solve(
    curve: NurbsCurve, plane: Plane, corners: _Corners, fraction: float, start: tuple[Floats, Floats]
) -> tuple[Floats, Floats]:
    """Solve for the touching parameters (k,), (k,) at a fraction of the radii; NaN where Newton does not settle."""
    with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
        return _newton(curve, plane, corners, fraction, start)


def _newton(
    curve: NurbsCurve, plane: Plane, corners: _Corners, fraction: float, start: tuple[Floats, Floats]
) -> tuple[Floats, Floats]:
    """Do the steps of `_solve`; a corner that is lost carries NaN on."""
    offset = corners.side * corners.radii * fraction
    s, t = start[0].copy(), start[1].copy()
    scale = np.abs(curve.control_points).max() + 1.0
    for _ in range(_NEWTON_STEPS):
        (place_a, step_a), (place_b, step_b) = _offset_branches(curve, plane, (s, t), offset)
        gap = place_a - place_b
        det = -step_a[:, 0] * step_b[:, 1] + step_a[:, 1] * step_b[:, 0]
        s = np.clip(s - (-gap[:, 0] * step_b[:, 1] + gap[:, 1] * step_b[:, 0]) / det, curve.domain[0], None)
        t = np.clip(t - (step_a[:, 0] * gap[:, 1] - step_a[:, 1] * gap[:, 0]) / det, None, curve.domain[1])
        apart = np.hypot(gap[:, 0], gap[:, 1])
        settled = apart <= 1e-13 * scale
        if settled.all() or np.isnan(s).any():
            break
    # The arc must lie inside the bend: where the offset turns back on itself it touches from the wrong side.
    lost = (_forward(curve, plane, (s, t), (step_a, step_b)) <= 0).any(axis=0) | (apart > 1e-10 * scale)
    return np.where(lost, np.nan, s), np.where(lost, np.nan, t)


def _both_sides(curve: NurbsCurve, params: tuple[Floats, Floats], order: int) -> Floats:
    """Return derivatives 0 to `order` (order + 1, 2k, 3): of the branches before (k,), then of those after (k,).

    Both sides are evaluated at once: few places cost little more than one.
    """
    joined = np.concatenate(params)
    count = len(params[0])
    spans = find_spans(curve.knots, curve.degree, joined)
    left = np.searchsorted(curve.knots, params[0], side="left").astype(np.int64) - 1
    spans[:count] = np.minimum(np.maximum(left, curve.degree), spans[:count])
    return curve_derivatives(curve, joined, order, spans)


def _offset_branches(
    curve: NurbsCurve, plane: Plane, params: tuple[Floats, Floats], offset: Floats
) -> tuple[tuple[Floats, Floats], tuple[Floats, Floats]]:
    """Return the offset point C + d n (k, 2) and its derivative C' (1 - d kappa) (k, 2), before and after each corner."""
    places, steps = _offsets(plane, _both_sides(curve, params, 2), np.concatenate((offset, offset)))
    count = len(offset)
    return (places[:count], steps[:count]), (places[count:], steps[count:])


def _offsets(plane: Plane, values: Floats, offset: Floats) -> tuple[Floats, Floats]:
    """Return offset points and their derivatives from derivatives 0 to 2 (3, k, 3)."""
    first, second = plane.flatten(values[1]), plane.flatten(values[2])
    speed = np.hypot(first[:, 0], first[:, 1])
    normal = np.column_stack((-first[:, 1], first[:, 0])) / speed[:, None]
    bend = (first[:, 0] * second[:, 1] - first[:, 1] * second[:, 0]) / speed**3
    place = plane.flatten(values[0] - plane.origin) + offset[:, None] * normal
    return place, first * (1 - offset * bend)[:, None]


def _forward(curve: NurbsCurve, plane: Plane, params: tuple[Floats, Floats], steps: tuple[Floats, Floats]) -> Floats:
    """Return the sign (2, k) of the offset's run against the branch's own, before and after each corner."""
    s, t = (np.where(np.isnan(side), curve.domain[0], side) for side in params)
    first = plane.flatten(_both_sides(curve, (s, t), 1)[1])
    return np.einsum("ij,ij->i", first, np.concatenate(steps)).reshape(2, -1)


def _assemble(curve: NurbsCurve, plane: Plane, corners: _Corners, s: Floats, t: Floats) -> NurbsCurve:
    """Return the trimmed branches and the arcs as one curve."""
    starts, ends = np.append(curve.domain[0], t), np.append(s, curve.domain[1])
    least = 1e-9 * (curve.domain[1] - curve.domain[0])
    values = _both_sides(curve, (s, t), 1)
    pieces: list[NurbsCurve] = []
    for number, (start, end) in enumerate(zip(starts, ends, strict=True)):
        if end - start > least:
            pieces.append(trim_curve(curve, float(start), float(end)))
        if number < len(s):
            pieces.append(_arc_at(plane, corners, number, values[:, [number, len(s) + number]]))
    return chain_curves(pieces)


def _arc_at(plane: Plane, corners: _Corners, number: int, values: Floats) -> NurbsCurve:
    """Return the tangent arc of one corner, its domain in the speed of the branch before it.

    `values` (2, 2, 3): place and first derivative, at its start on the branch before and at its end on the one after.
    """
    radius, side = float(corners.radii[number]), float(corners.side[number])
    first, last = plane.flatten(values[1])
    speed = float(np.hypot(*first))
    normal = np.array([-first[1], first[0]]) / speed * side
    center = plane.flatten(values[0, :1] - plane.origin)[0] + radius * normal
    turn = np.arctan2(first[0] * last[1] - first[1] * last[0], first @ last)
    arc = make_arc(plane.lift(center), -radius * normal @ plane.axes, radius * first / speed @ plane.axes, 0, abs(turn))
    return rescale_domain(arc, 0.0, radius * abs(float(turn)) / speed)
