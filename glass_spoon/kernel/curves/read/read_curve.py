"""What a curve is worth: its box, its curvature, its least radius, how two ends meet, and points that crowd."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, directions, lengths
from glass_spoon.kernel.curves.alter.work_on_ends import End, end_state
from glass_spoon.kernel.curves.evaluate.closest_on_curve import span_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_curvature, curve_derivatives, curve_points

SAMPLES = 48
"""Places a knot span between which extremes are looked for."""

ROUNDS = 45
"""Golden-section steps; each leaves 0.618 of the bracket, so these reach the rounding error."""

GOLDEN = (np.sqrt(5) - 1) / 2


def curve_box(curve: NurbsCurve) -> tuple[Floats, Floats]:
    """Return the lowest and the highest coordinates, (3,) and (3,) mm, of the curve itself, not of its control points."""
    low, high = np.empty(3), np.empty(3)
    for axis in range(3):
        high[axis] = _largest(curve, lambda t, axis=axis: curve_points(curve, t)[:, axis])[1]  # type: ignore[misc]
        low[axis] = -_largest(curve, lambda t, axis=axis: -curve_points(curve, t)[:, axis])[1]  # type: ignore[misc]
    return low, high


def least_radius(curve: NurbsCurve) -> tuple[float, float]:
    """Return the smallest radius of curvature in mm and its parameter; infinite for a straight curve.

    Sharp points have no radius and are passed over: each knot span is looked at from inside.
    """
    param, bend = _largest(curve, lambda t: curve_curvature(curve, t))
    return (1 / bend if bend > 1e-12 else float("inf")), param


def _largest(curve: NurbsCurve, function: object) -> tuple[float, float]:
    """Return the parameter and the value of the largest of a function of parameters (n,), by golden section in brackets."""
    params = span_params(curve, SAMPLES)
    inside = 1e-9 * (curve.domain[1] - curve.domain[0])
    values = function(np.clip(params, curve.domain[0] + inside, curve.domain[1] - inside))  # type: ignore[operator]
    best = np.argsort(-values)[:6]
    low, high = params[np.maximum(best - 1, 0)], params[np.minimum(best + 1, len(params) - 1)]
    for _ in range(ROUNDS):
        a, b = high - GOLDEN * (high - low), low + GOLDEN * (high - low)
        left = function(a) > function(b)  # type: ignore[operator]
        low, high = np.where(left, low, a), np.where(left, b, high)
    middle = np.concatenate(((low + high) / 2, params[best]))
    found = function(middle)  # type: ignore[operator]
    at = int(np.argmax(found))
    return float(middle[at]), float(found[at])


def curvature_comb(curve: NurbsCurve, per_span: int) -> tuple[Floats, Floats]:
    """Return places (n, 3) mm and curvature vectors (n, 3) 1/mm, pointing away from the centre of curvature."""
    params = span_params(curve, per_span)
    values = curve_derivatives(curve, params, 2)
    square = np.einsum("ij,ij->i", values[1], values[1])
    tangent = directions(values[1])
    across = values[2] - np.einsum("ij,ij->i", values[2], tangent)[:, None] * tangent
    return values[0], -np.divide(across, square[:, None], out=np.zeros_like(across), where=square[:, None] > 1e-20)


@dataclass(frozen=True)
class JoinTolerances:
    """Up to where ends count as joined: a gap in mm, an angle in radians, and a curvature jump as a share of the larger."""

    gap: float = 1e-3
    angle: float = float(np.radians(0.1))
    curvature: float = 0.02


@dataclass(frozen=True)
class JoinReport:
    """How two ends meet: gap in mm, angle in radians between the runs, curvature jump in 1/mm, grade "" or G0 to G2."""

    gap: float
    angle: float
    jump: float
    grade: str


def read_join(
    first: NurbsCurve, first_end: End, second: NurbsCurve, second_end: End, tolerances: JoinTolerances
) -> JoinReport:
    """Report how two ends meet, by stated tolerances; curvatures are compared as vectors, so a change of side shows."""
    a, b = end_state(first, first_end), end_state(second, second_end)
    gap = float(lengths(a.place - b.place))
    angle = float(np.arctan2(np.linalg.norm(np.cross(a.tangent, -b.tangent)), -(a.tangent @ b.tangent)))
    jump = float(lengths(a.bend - b.bend))
    larger = max(float(lengths(a.bend)), float(lengths(b.bend)))
    if gap > tolerances.gap:
        grade = ""
    elif angle > tolerances.angle:
        grade = "G0"
    else:
        grade = "G2" if jump <= tolerances.curvature * larger + 1e-12 else "G1"
    return JoinReport(gap, angle, jump, grade)


def crowded_points(points: Floats, share: float = 0.02) -> Ints:
    """Return the points (k,) of (n, 3) whose distance to the next is below `share` of the median distance."""
    steps = lengths(np.diff(points, axis=0))
    if not len(steps):
        return np.zeros(0, dtype=np.int64)
    found: Ints = np.flatnonzero(steps < share * np.median(steps))
    return found
