r"""Bends that even edges would step over: small roundings between longer runs. Each gets its two ends and a middle.

    ----------+--.         the bend starts and ends at knots; whatever lies between bends is divided evenly,
                   \  +      by largest remainder
                    |
                    +

One that is much smaller than an edge gets its two ends alone, the smallest a point in its middle, as a sharp corner has.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_tangents

LEAST_TURN = float(np.radians(30))
"""A bend turns by at least so much in all; less is flat to the eye."""

LONGEST = 2.0
"""Lengths of an edge; a longer bend is divided evenly like the rest."""

MIDDLE, ENDS = 0.5, 0.15
"""Lengths of an edge from which a bend gets a middle, and from which it gets two ends."""

SUDDEN = 0.5
"""Share of a rounding's bend that what lies beside it may have."""

EVEN = 1e-9
"""Part of an edge within which two whole numbers are as near."""

INSIDE = np.linspace(0.02, 0.98, 7)
"""Shares of a span at which its direction is read."""

SKEW = np.array([1.0, 0.377, 0.739])
"""Direction in which places are told apart where two runs have the same claim to an edge: either side of an edge finds the
same one."""


def find_tight_bends(curve: NurbsCurve, ends: Floats, edge: float) -> Floats:
    """Return the bends of a curve that edges of `edge` mm would step over, (k, 4): from, to, their edges, their size.

    All in mm along the curve. ends: (spans + 1,) lengths at its knots. A bend is a run of spans with a radius below `edge`
    that stands between others.
    """
    sizes = np.diff(ends)
    if len(sizes) < 2 or not np.isfinite(edge):
        return np.zeros((0, 4))
    breaks = curve.breaks
    inside = breaks[:-1, None] + np.diff(breaks)[:, None] * INSIDE
    tangents = curve_tangents(curve, inside.ravel()).reshape(*inside.shape, 3)
    cosines = np.clip((tangents[:, 1:] * tangents[:, :-1]).sum(axis=2), -1, 1)
    turns = np.arccos(cosines).sum(axis=1) / float(np.ptp(INSIDE))
    tight = (turns * edge > sizes) & (sizes > 0)
    if not tight.any() or tight.all():
        return np.zeros((0, 4))
    bends = np.divide(turns, sizes, out=np.zeros_like(turns), where=sizes > 0)
    found = [
        _with_edges(float(ends[first]), float(ends[last]), edge)
        for first, last in _runs(tight)
        if turns[first:last].sum() >= LEAST_TURN
        and ends[last] - ends[first] <= LONGEST * edge
        and _stands_out(bends, first, last)
    ]
    return np.array(found).reshape(-1, 4)


def _with_edges(start: float, end: float, edge: float) -> tuple[float, float, float, float]:
    """Return a bend with as many edges as suit its size; one of none is a point."""
    size = end - start
    if size < ENDS * edge:
        return (start + end) / 2, (start + end) / 2, 0, size
    return start, end, 2 if size >= MIDDLE * edge else 1, size


def _stands_out(bends: Floats, first: int, last: int) -> bool:
    """Say whether the bend (in 1/mm) starts and ends at once, as that of a rounding does, rather than little by little."""
    before = bends[first - 1] / bends[first] if first else 0.0
    after = bends[last] / bends[last - 1] if last < len(bends) else 0.0
    return bool(max(before, after) <= SUDDEN)


def _runs(flags: Bools) -> list[tuple[int, int]]:
    """Return from and to of each run of flags that are set."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], flags.astype(int), [0]))))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))


def count_with_bends(total: float, bends: Floats, edge: float) -> int:
    """Return the number of edges of about `edge` mm along `total` mm with bends: an edge at least for each run between."""
    stops, own = _runs_of(total, bends)
    return int(np.where(own > 0, own, np.maximum(nearest_counts(np.diff(stops) / edge), 1)).sum())


def nearest_counts(wished: Floats) -> Floats:
    """Return the whole numbers nearest to some: of two as near the larger, whatever the last digits are."""
    return np.floor(wished + 0.5 + EVEN)


def least_with_bends(total: float, bends: Floats) -> int:
    """Return the fewest edges that give each bend its own."""
    return int(np.maximum(_runs_of(total, bends)[1], 1).sum())


def steps_with_bends(total: float, bends: Floats, count: int, places: Callable[[Floats], Floats]) -> Floats:
    """Return the shares (count + 1,) of a length in mm at which edges end, each bend with its own; even ones where `count`
    does not reach. places: gives the places (n, 3) at shares (n,) of the length.
    """
    if not len(bends) or count < least_with_bends(total, bends):
        return np.linspace(0.0, 1.0, count + 1)
    stops, own = _runs_of(total, bends)
    free = own == 0
    sizes = np.where(free, np.diff(stops), 0.0)
    ideal = sizes / sizes.sum() * (count - int(own.sum()))
    shares = np.where(free, np.maximum(np.floor(ideal), 1), own).astype(np.int64)
    middles = places((stops[:-1] + stops[1:]) / (2 * total))
    claim = 1e-6 * (middles @ SKEW) / max(total, 1e-300)
    while (rest := count - int(shares.sum())) != 0:
        step = 1 if rest > 0 else -1
        worth = np.where(free & ((shares > 1) | (step > 0)), np.round((ideal - shares) * step, 9) + claim, -np.inf)
        shares[int(np.argmax(worth))] += step
    parts = [np.linspace(a, b, n, endpoint=False) for a, b, n in zip(stops[:-1], stops[1:], shares.tolist(), strict=True)]
    return np.append(np.concatenate(parts) / total, 1.0)


def _runs_of(total: float, bends: Floats) -> tuple[Floats, Ints]:
    """Return the lengths at which runs end, and how many edges each run has as a bend, 0 for any number."""
    stops = np.unique(np.concatenate(([0.0], bends[:, :2].ravel(), [total])))
    middles = (stops[:-1] + stops[1:]) / 2
    inside = (middles[:, None] > bends[:, 0]) & (middles[:, None] < bends[:, 1])
    return stops, (inside * bends[:, 2]).sum(axis=1).astype(np.int64)
