"""Where curves of a net meet each other and themselves, remembered by their content."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import directions, lengths
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.read.cross_curves import find_crossings, self_crossings
from glass_spoon.kernel.remembered import Remembered

Meetings = tuple[list[tuple[float, float]], tuple[list[float], list[float]]]

_pairs: Remembered[Meetings] = Remembered(20_000)
"""Where two curves meet, by their content: a moved point changes those of its own curve alone."""

_loops: Remembered[list[float]] = Remembered(1_000)
"""Where a curve meets itself."""


def curve_meetings(one: NurbsCurve, other: NurbsCurve, tolerance: float) -> Meetings:
    """Return the parameters of both where they cross, those of the other at ends of the first, and the other way round."""

    def find() -> Meetings:
        low, high = (np.array([pick(curve.control_points, axis=0) for curve in (one, other)]) for pick in (np.min, np.max))
        if (low[0] > high[1] + tolerance).any() or (low[1] > high[0] + tolerance).any():
            return [], ([], [])
        crossings = [(float(s), float(t)) for s, t in zip(*find_crossings(one, other, tolerance), strict=True)]
        return crossings, (_at_ends(one, other, tolerance), _at_ends(other, one, tolerance))

    return _pairs.get((one.key, other.key, tolerance), find)


def _at_ends(one: NurbsCurve, other: NurbsCurve, tolerance: float) -> list[float]:
    """Return the parameters of the other curve at which ends of the first lie on it."""
    ends, net = one.control_points[[0, -1]], other.control_points
    near = ((ends >= net.min(axis=0) - tolerance) & (ends <= net.max(axis=0) + tolerance)).all(axis=1)
    if not near.any():
        return []
    at, away = closest_params(other, ends[near])
    return [float(param) for param, off in zip(at, away, strict=True) if off <= tolerance]


def _turns_little(curve: NurbsCurve) -> bool:
    """Say whether a curve turns by less than half a turn on the whole, as its net does: it cannot meet itself then."""
    ways = np.diff(curve.control_points, axis=0)
    sizes = lengths(ways)
    ways = ways[sizes > 1e-12 * sizes.max()] if len(sizes) and sizes.max() > 0 else ways[:0]
    cosines = np.einsum("ij,ij->i", directions(ways[1:]), directions(ways[:-1]))
    return bool(np.arccos(np.clip(cosines, -1.0, 1.0)).sum() < np.pi * 0.99)


def own_crossings(curve: NurbsCurve, tolerance: float) -> list[float]:
    """Return the parameters at which a curve meets itself."""
    if _turns_little(curve):
        return []
    return _loops.get(
        (curve.key, tolerance),
        lambda: [float(param) for pair in zip(*self_crossings(curve, tolerance), strict=True) for param in pair],
    )
