"""Where curves meet: crossings of two curves, and of one with itself."""

from __future__ import annotations

from bisect import bisect_left

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints, directions, lengths
from glass_spoon.kernel.curves.evaluate.closest_on_curve import span_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives, curve_points
from glass_spoon.kernel.remembered import Remembered

SEGMENTS, MOST_SEGMENTS = 32, 6000
"""Chords a knot span, and in all, with which meeting places are looked for; a span has four at least."""

NARROW = 0.05
"""Share of the longest chord below which a distance finds no more than the chords alone."""

LEAST_TURN = np.pi / 2
"""Radians by which chords turn, at least, between two that may meet."""

STEPS = 40
"""Most Newton steps from a pair of chords to the meeting place."""


def find_crossings(curve: NurbsCurve, other: NurbsCurve, tolerance: float = 1e-6) -> tuple[Floats, Floats]:
    """Return the parameters (k,) on both curves where they come within `tolerance` mm of each other, along the first.

    Chords of both are paired where their boxes, grown by the sag of the chords, overlap; from each pair Newton steps on
    the distance lead to the meeting place. Of places nearer together than the tolerance one is kept.
    """
    one, two = (_chords.get(each.key, lambda each=each: _Chords(each)) for each in (curve, other))  # type: ignore[misc]
    first, second = _near_pairs(one, two, tolerance)
    s, t = one.middles[first], two.middles[second]
    return _meet(curve, other, s, t, tolerance)


def self_crossings(curve: NurbsCurve, tolerance: float = 1e-6) -> tuple[Floats, Floats]:
    """Return pairs of parameters (k,), (k,), the smaller first, where a curve meets itself; the closed seam is none.

    Between the two it turns by half a turn at least: chords between which it turns by much less are not followed.
    """
    chords = _chords.get(curve.key, lambda: _Chords(curve))
    first, second = _overlapping(chords, chords, 0.0)
    apart = (second > first + 1) & (chords.turned[second] - chords.turned[first] > LEAST_TURN)
    s, t = _meet(curve, curve, chords.middles[first[apart]], chords.middles[second[apart]], tolerance)
    low, high = curve.domain
    near = 1e-7 * (high - low)
    seam = (s - low < near) & (high - t < near)
    keep = (t - s > near * 10) & ~seam
    return s[keep], t[keep]


class _Chords:
    """The chords of a curve: their ends (m + 1, 3), lengths (m,), boxes (m, 3), and the parameters (m,) at their middles.

    turned (m,): radians by which they turn from the first on.
    """

    def __init__(self, curve: NurbsCurve) -> None:
        params = span_params(curve, max(4, min(SEGMENTS, MOST_SEGMENTS // (len(curve.breaks) - 1))))
        self.points = curve_points(curve, params)
        self.middles = (params[:-1] + params[1:]) / 2
        ways = np.diff(self.points, axis=0)
        self.sizes = lengths(ways)
        cosines = np.einsum("ij,ij->i", directions(ways[1:]), directions(ways[:-1]))
        self.turned = np.concatenate(([0.0], np.cumsum(np.arccos(np.clip(cosines, -1.0, 1.0)))))
        grow = self.sizes[:, None] / 4
        self.low = np.minimum(self.points[:-1], self.points[1:]) - grow
        self.high = np.maximum(self.points[:-1], self.points[1:]) + grow
        self.tree = scipy.spatial.cKDTree((self.low + self.high) / 2)
        self.reach = float((self.high - self.low).max()) / 2


_chords: Remembered[_Chords] = Remembered(256)
"""The chords of the curves looked at last, by their content."""


def _near_pairs(one: _Chords, other: _Chords, apart: float) -> tuple[Ints, Ints]:
    """Return the numbers of chords of two curves whose boxes, grown by a quarter chord, overlap.

    Where curves may lie `apart` mm from each other and still meet, also the chords that are nearest to each other there.
    """
    close = _overlapping(one, other, 0.0)
    if apart < NARROW * max(float(one.sizes.max()), float(other.sizes.max())):
        return close
    first, second = _overlapping(one, other, apart / 2)
    if not len(first):
        return close
    a, b = one.points, other.points
    gaps = lengths((a[first] + a[first + 1] - b[second] - b[second + 1]) / 2)
    nearest = np.full(len(a) + 1, np.inf)
    np.minimum.at(nearest, first + 1, gaps)
    least = (gaps == nearest[first + 1]) & (gaps <= nearest[first]) & (gaps <= nearest[np.minimum(first + 2, len(a))])
    return np.concatenate((close[0], first[least])), np.concatenate((close[1], second[least]))


def _overlapping(one: _Chords, other: _Chords, more: float) -> tuple[Ints, Ints]:
    """Return the numbers of chords whose boxes, each grown by some mm more, overlap."""
    reach = max(one.reach + other.reach + 2 * more, 1e-300) * (1 + 1e-9)
    near = one.tree.sparse_distance_matrix(other.tree, reach, np.inf, output_type="coo_matrix")
    first, second = near.row.astype(np.int64), near.col.astype(np.int64)
    apart = np.maximum(one.low[first] - other.high[second], other.low[second] - one.high[first])
    meet = (apart <= 2 * more).all(axis=1)
    order = np.lexsort((second[meet], first[meet]))
    return first[meet][order], second[meet][order]


def _meet(curve: NurbsCurve, other: NurbsCurve, s: Floats, t: Floats, tolerance: float) -> tuple[Floats, Floats]:
    """Follow pairs of parameters to where the curves meet; return those that do, each once, in order of s."""
    s, t = s.copy(), t.copy()
    going = np.arange(len(s))
    for _ in range(STEPS):
        if not len(going):
            break
        now_s, now_t = s[going], t[going]
        a, b = curve_derivatives(curve, now_s, 1), curve_derivatives(other, now_t, 1)
        gap = b[0] - a[0]
        aa, bb, ab = (np.einsum("ij,ij->i", x, y) for x, y in ((a[1], a[1]), (b[1], b[1]), (a[1], b[1])))
        ga, gb = np.einsum("ij,ij->i", gap, a[1]), np.einsum("ij,ij->i", gap, b[1])
        det = np.maximum(aa * bb - ab * ab, 1e-12 * aa * bb + 1e-300)
        s[going] = np.clip(now_s + (ga * bb - gb * ab) / det, *curve.domain)
        t[going] = np.clip(now_t + (ga * ab - gb * aa) / det, *other.domain)
        still = np.abs(s[going] - now_s) * np.sqrt(aa) + np.abs(t[going] - now_t) * np.sqrt(bb)
        going = going[still > 1e-13]
    size = lengths(curve_points(curve, s) - curve_points(other, t))
    s, t = s[size <= tolerance], t[size <= tolerance]
    order = np.lexsort((t, s))
    s, t = s[order], t[order]
    return _distinct(curve, other, s, t, max(tolerance, 1e-9) * 10)


def _distinct(curve: NurbsCurve, other: NurbsCurve, s: Floats, t: Floats, near: float) -> tuple[Floats, Floats]:
    """Drop pairs whose place and run both lie within `near` mm of an earlier pair's."""
    keep: list[int] = []
    places, others = curve_points(curve, s), other.domain[1] - other.domain[0]
    # In their order along the first curve only those from here on can be beside one.
    since = np.searchsorted(s, s - 1e-4 * (curve.domain[1] - curve.domain[0])).tolist()
    for k in range(len(s)):
        near_by = keep[bisect_left(keep, since[k]) :]
        beside = np.abs(t[near_by] - t[k]) <= 1e-4 * others
        if not (beside & (lengths(places[near_by] - places[k]) <= near)).any():
            keep.append(k)
    return s[keep], t[keep]
