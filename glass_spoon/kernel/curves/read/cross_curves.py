"""Where curves meet: crossings of two curves, and of one with itself."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints, directions, lengths
from glass_spoon.kernel.curves.evaluate.closest_on_curve import span_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.curve_bundle import CurveBundle
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
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
    return find_all_crossings([curve, other], [(0, 1)], tolerance)[0]


def find_all_crossings(
    curves: Sequence[NurbsCurve], pairs: Sequence[tuple[int, int]], tolerance: float = 1e-6
) -> list[tuple[Floats, Floats]]:
    """Return for pairs of curves, by their numbers, what `find_crossings` gives for each: all are followed at once."""
    chords = [_chords_of(curve) for curve in curves]
    owners, s, t = [], [], []
    for number, (a, b) in enumerate(pairs):
        first, second = _near_pairs(chords[a], chords[b], tolerance)
        owners.append(np.full(len(first), number))
        s.append(chords[a].middles[first])
        t.append(chords[b].middles[second])
    if not owners:
        return []
    bundle, ends = CurveBundle(curves), np.array(pairs, dtype=np.int64)
    owner, at, there = _meet(bundle, ends, np.concatenate(owners), np.concatenate(s), np.concatenate(t), tolerance)
    places = bundle.points(ends[owner, 0], at)
    bounds = np.searchsorted(owner, np.arange(len(pairs) + 1))
    found = []
    for (a, b), low, high in zip(pairs, bounds[:-1], bounds[1:], strict=True):
        own = slice(low, high)
        domains = curves[a].domain, curves[b].domain
        keep = _distinct(domains, places[own], at[own], there[own], max(tolerance, 1e-9) * 10)
        found.append((at[own][keep], there[own][keep]))
    return found


def self_crossings(curve: NurbsCurve, tolerance: float = 1e-6) -> tuple[Floats, Floats]:
    """Return pairs of parameters (k,), (k,), the smaller first, where a curve meets itself; the closed seam is none.

    Between the two it turns by half a turn at least: chords between which it turns by much less are not followed.
    """
    chords = _chords_of(curve)
    first, second = _overlapping(chords, chords, 0.0)
    apart = (second > first + 1) & (chords.turned[second] - chords.turned[first] > LEAST_TURN)
    begin, end = chords.middles[first[apart]], chords.middles[second[apart]]
    bundle = CurveBundle([curve])
    _, s, t = _meet(bundle, np.zeros((1, 2), dtype=np.int64), np.zeros(len(begin), dtype=np.int64), begin, end, tolerance)
    places = bundle.points(np.zeros(len(s), dtype=np.int64), s)
    kept = _distinct((curve.domain, curve.domain), places, s, t, max(tolerance, 1e-9) * 10)
    s, t = s[kept], t[kept]
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


def _chords_of(curve: NurbsCurve) -> _Chords:
    return _chords.get(curve.key, lambda: _Chords(curve))


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
    near = one.tree.sparse_distance_matrix(other.tree, reach, np.inf, output_type="ndarray")
    first, second = near["i"].astype(np.int64), near["j"].astype(np.int64)
    apart = np.maximum(one.low[first] - other.high[second], other.low[second] - one.high[first])
    meet = (apart <= 2 * more).all(axis=1)
    first, second = first[meet], second[meet]
    order = np.argsort(first * len(other.middles) + second)
    return first[order], second[order]


def _meet(
    bundle: CurveBundle, pairs: Ints, owner: Ints, s: Floats, t: Floats, tolerance: float
) -> tuple[Ints, Floats, Floats]:
    """Follow parameters (n,) of pairs of curves, by their owners (n,), to where the two meet; return those that do, in order
    of their owners and of s.
    """
    s, t, ends = s.copy(), t.copy(), pairs[owner]
    low, high = bundle.domains[ends].transpose(2, 1, 0)
    going = np.arange(len(s))
    for _ in range(STEPS):
        if not len(going):
            break
        now_s, now_t = s[going], t[going]
        both = bundle.derivatives(ends[going].T.ravel(), np.concatenate((now_s, now_t)), 1)
        (here, there), (along, across) = both.reshape(2, 2, -1, 3)
        gap = there - here
        aa, bb, ab = (np.einsum("ij,ij->i", x, y) for x, y in ((along, along), (across, across), (along, across)))
        ga, gb = np.einsum("ij,ij->i", gap, along), np.einsum("ij,ij->i", gap, across)
        det = np.maximum(aa * bb - ab * ab, 1e-12 * aa * bb + 1e-300)
        s[going] = np.clip(now_s + (ga * bb - gb * ab) / det, low[0, going], high[0, going])
        t[going] = np.clip(now_t + (ga * ab - gb * aa) / det, low[1, going], high[1, going])
        still = np.abs(s[going] - now_s) * np.sqrt(aa) + np.abs(t[going] - now_t) * np.sqrt(bb)
        going = going[still > 1e-13]
    here, there = bundle.points(ends.T.ravel(), np.concatenate((s, t))).reshape(2, -1, 3)
    near = lengths(here - there) <= tolerance
    owner, s, t = owner[near], s[near], t[near]
    order = np.lexsort((t, s, owner))
    return owner[order], s[order], t[order]


def _distinct(
    domains: tuple[tuple[float, float], tuple[float, float]], places: Floats, s: Floats, t: Floats, near: float
) -> list[int]:
    """Return the numbers of pairs, in order of s, but those that lie within `near` mm of an earlier one."""
    keep: list[int] = []
    one, other = (high - low for low, high in domains)
    # In their order along the first curve only those from here on can be beside one.
    since = np.searchsorted(s, s - 1e-4 * one).tolist()
    for k in range(len(s)):
        near_by = keep[bisect_left(keep, since[k]) :]
        if near_by:
            beside = np.abs(t[near_by] - t[k]) <= 1e-4 * other
            if (beside & (lengths(places[near_by] - places[k]) <= near)).any():
                continue
        keep.append(k)
    return keep
