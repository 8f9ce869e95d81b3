"""A space curve from two drawings of it: an edge that looks like one curve from the front, another from the side."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, lengths
from glass_spoon.kernel.curves.alter.edit_knots import join_curves
from glass_spoon.kernel.curves.alter.round_corners import SHARP_ANGLE
from glass_spoon.kernel.curves.evaluate.closest_on_curve import span_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives, curve_points, find_kinks
from glass_spoon.kernel.curves.make.fit_function import Fit, fit_places
from glass_spoon.kernel.errors import InvalidInput, KernelError

FINE = 1e-6
"""The share of their size within which drawings are followed where no tolerance is given."""

SAME = 1e-7
"""Share of a run within which places on it are one."""

SAMPLES = 256
"""Places a knot span at which turns in the shared direction are looked for."""


def curve_from_views(first: NurbsCurve, second: NurbsCurve, shared: int, lost: int, tolerance: float | None = None) -> Fit:
    """Return the curve that has the shape of `first`, and whose coordinate `lost` follows `second`.

    Both drawings have the coordinate `shared` (0 x, 1 y, 2 z) in common; `first` lacks the coordinate `lost`, which
    `second` shows. Where the shared coordinate turns back in one drawing it must turn back in the other, at the same
    height. Sharp points of either are sharp points of the curve. Fitted within `tolerance` mm (None: FINE times the size).
    Raises InvalidInput when the drawings do not cover the same range, KernelError when they turn at different heights.
    """
    turns, others = _turns(first, shared), _turns(second, shared)
    heights, other_heights = (curve_points(c, t)[:, shared] for c, t in ((first, turns), (second, others)))
    size = float(np.ptp(heights)) or 1.0
    if len(turns) == len(others):  # the second may be drawn the other way round
        forward, backward = (np.abs(heights - h).max() for h in (other_heights, other_heights[::-1]))
        if backward < forward:
            others, other_heights = others[::-1], other_heights[::-1]
    _check_views(heights, other_heights, size, "xyz"[shared])
    turns, others = _with_kinks(first, turns, second, others, shared)
    within = tolerance or FINE * max(float(np.ptp(curve.control_points, axis=0).max()) for curve in (first, second))

    # Where only the second drawing stands level it is a square root of the height; slowing down there makes it smooth.
    slow = _is_level(second, others, shared) & ~_is_level(first, turns, shared)

    def places(shares: Floats) -> Floats:
        run = np.clip((shares * (len(turns) - 1)).astype(int), 0, len(turns) - 2)
        inside = shares * (len(turns) - 1) - run
        params = turns[run] + (turns[run + 1] - turns[run]) * _warped(inside, slow[run], slow[run + 1])
        points = curve_points(first, params)
        low, high = others[run], others[run + 1]
        points[:, lost] = _follow(second, low, high, points[:, shared], shared, lost)
        return points

    fits = [
        fit_places(lambda shares, k=k: places((k + shares) / (len(turns) - 1)), 16, within)  # type: ignore[misc]
        for k in range(len(turns) - 1)
    ]
    return Fit(join_curves([fit.curve for fit in fits]), max(fit.largest for fit in fits))


def _turns(curve: NurbsCurve, axis: int) -> Floats:
    """Return the parameters (k,) where a coordinate turns back, both ends included, by bisection of its slope."""
    params = span_params(curve, max(8, SAMPLES // (len(curve.breaks) - 1)))
    slope = curve_derivatives(curve, params, 1)[1, :, axis]
    change = np.flatnonzero(slope[:-1] * slope[1:] < 0)
    low, high, sign = params[change], params[change + 1], np.sign(slope[change])
    for _ in range(60):
        middle = (low + high) / 2
        ahead = curve_derivatives(curve, middle, 1)[1, :, axis] * sign > 0
        low, high = np.where(ahead, middle, low), np.where(ahead, high, middle)
    exact = params[1:-1][(slope[1:-1] == 0) & (slope[:-2] * slope[2:] < 0)]
    return np.unique(np.concatenate((curve.domain, (low + high) / 2, exact)))


def _with_kinks(first: NurbsCurve, turns: Floats, second: NurbsCurve, others: Floats, axis: int) -> tuple[Floats, Floats]:
    """Return the stops of both drawings with the sharp points of either, each where the other is at the same height."""
    pairs = list(zip(turns.tolist(), others.tolist(), strict=True))
    found = list(pairs)
    for (t_low, o_low), (t_high, o_high) in pairwise(pairs):
        for curve, low, high, other, other_low, other_high in (
            (first, t_low, t_high, second, o_low, o_high),
            (second, o_low, o_high, first, t_low, t_high),
        ):
            kinks = find_kinks(curve, SHARP_ANGLE)
            room = SAME * abs(high - low)
            inside = kinks[(kinks > min(low, high) + room) & (kinks < max(low, high) - room)]
            height = curve_points(curve, inside)[:, axis] if len(inside) else inside
            there = _params_at(other, np.full(len(inside), other_low), np.full(len(inside), other_high), height, axis)
            both = zip(inside.tolist(), there.tolist(), strict=True)
            found += [pair if curve is first else pair[::-1] for pair in both]
    unique = sorted(found)
    least = SAME * abs(turns[-1] - turns[0])
    kept = [unique[0], *(after for before, after in pairwise(unique) if after[0] - before[0] > least)]
    return np.array([pair[0] for pair in kept]), np.array([pair[1] for pair in kept])


def _is_level(curve: NurbsCurve, params: Floats, axis: int) -> Bools:
    """Mark the parameters (n,) where a coordinate stands still."""
    slope = curve_derivatives(curve, params, 1)[1]
    level: Bools = np.abs(slope[:, axis]) <= 1e-6 * lengths(slope)
    return level


def _warped(inside: Floats, slow_start: Bools, slow_end: Bools) -> Floats:
    """Return shares (n,) of a run, slowed down at its start, its end, or both."""
    warped = np.where(slow_end, 1 - (1 - inside) ** 2, inside)
    warped = np.where(slow_start, inside**2, warped)
    return np.where(slow_start & slow_end, np.sin(inside * np.pi / 2) ** 2, warped)


def _check_views(heights: Floats, others: Floats, size: float, letter: str) -> None:
    """Raise when two drawings cannot be of one edge."""
    if abs(heights.max() - others.max()) > 1e-3 * size or abs(heights.min() - others.min()) > 1e-3 * size:
        raise InvalidInput(
            f"The second drawing's range in {letter}",
            f"{heights.min():.4g} to {heights.max():.4g} mm as in the first",
            f"{others.min():.4g} to {others.max():.4g} mm",
        )
    if len(heights) != len(others) or np.abs(heights - others).max() > 1e-3 * size:
        raise KernelError(
            f"The drawings turn back in {letter} at different places: the first at {_list(heights[1:-1])}, "
            f"the second at {_list(others[1:-1])} mm. Draw the edge so that both turn at the same ones."
        )


def _list(values: Floats) -> str:
    """Write heights."""
    return ", ".join(f"{value:.4g}" for value in values) or "none"


def _follow(curve: NurbsCurve, low: Floats, high: Floats, wanted: Floats, shared: int, lost: int) -> Floats:
    """Return the `lost` coordinate (n,) where the shared one is `wanted` (n,), between params (n,), (n,)."""
    return curve_points(curve, _params_at(curve, low, high, wanted, shared))[:, lost]


def _params_at(curve: NurbsCurve, low: Floats, high: Floats, wanted: Floats, shared: int) -> Floats:
    """Return the parameters (n,) between low (n,) and high (n,) at which a coordinate is `wanted` (n,), by bisection."""
    a, b = low.astype(np.float64), high.astype(np.float64)
    rising = curve_points(curve, b)[:, shared] >= curve_points(curve, a)[:, shared]
    for _ in range(60):
        middle = (a + b) / 2
        below = (curve_points(curve, middle)[:, shared] < wanted) == rising
        a, b = np.where(below, middle, a), np.where(below, b, middle)
    return np.asarray((a + b) / 2)
