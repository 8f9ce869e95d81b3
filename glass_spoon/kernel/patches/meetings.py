"""Where curves of a net meet each other and themselves, remembered by their content."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations

import numpy as np

from glass_spoon.kernel.arrays import Floats, directions, lengths
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.read.cross_curves import find_all_crossings, self_crossings
from glass_spoon.kernel.remembered import Remembered

Meetings = tuple[list[tuple[float, float]], tuple[list[float], list[float]]]

_pairs: Remembered[Meetings] = Remembered(20_000)
"""Where two curves meet, by their content: a moved point changes those of its own curve alone."""

_loops: Remembered[list[float]] = Remembered(1_000)
"""Where a curve meets itself."""


def curve_meetings(curves: Sequence[NurbsCurve], tolerance: float) -> dict[tuple[int, int], Meetings]:
    """Return for each two curves, by their numbers, the parameters of both where they cross, those of the second at ends of
    the first, and the other way round.
    """
    pairs = list(combinations(range(len(curves)), 2))
    keys = [(curves[a].key, curves[b].key, tolerance) for a, b in pairs]
    found = _pairs.get_all(keys, lambda missing: _find(curves, [pairs[k] for k in missing], tolerance))
    return dict(zip(pairs, found, strict=True))


def _find(curves: Sequence[NurbsCurve], pairs: list[tuple[int, int]], tolerance: float) -> list[Meetings]:
    """Return what `curve_meetings` does, for some pairs."""
    lows, highs = (np.array([pick(curve.control_points, axis=0) for curve in curves]) for pick in (np.min, np.max))
    first, second = np.array(pairs).T
    apart = np.maximum(lows[first] - highs[second], lows[second] - highs[first]).max(axis=1) > tolerance
    near = [pair for pair, far in zip(pairs, apart.tolist(), strict=True) if not far]
    crossings = dict(zip(near, find_all_crossings(curves, near, tolerance), strict=True))
    ends = _at_ends(curves, near, tolerance)
    nothing: Meetings = ([], ([], []))
    return [
        (list(zip(*(own.tolist() for own in crossings[a, b]), strict=True)), (ends[a, b], ends[b, a]))
        if (a, b) in crossings
        else nothing
        for a, b in pairs
    ]


def _at_ends(
    curves: Sequence[NurbsCurve], pairs: list[tuple[int, int]], tolerance: float
) -> dict[tuple[int, int], list[float]]:
    """Return for pairs, both ways round, the parameters of the second curve at which ends of the first lie on it."""
    found: dict[tuple[int, int], list[float]] = {}
    beside: dict[int, list[tuple[int, Floats]]] = {}
    for one, other in [*pairs, *(pair[::-1] for pair in pairs)]:
        ends, net = curves[one].control_points[[0, -1]], curves[other].control_points
        near = ((ends >= net.min(axis=0) - tolerance) & (ends <= net.max(axis=0) + tolerance)).all(axis=1)
        found[one, other] = []
        if near.any():
            beside.setdefault(other, []).append((one, ends[near]))
    for other, asked in beside.items():
        params, away = closest_params(curves[other], np.concatenate([places for _, places in asked]))
        owners = np.repeat([one for one, _ in asked], [len(places) for _, places in asked])
        for one, param, off in zip(owners.tolist(), params.tolist(), away.tolist(), strict=True):
            if off <= tolerance:
                found[one, other].append(param)
    return found


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
