"""Sections written anew as cubics without a jump of speed, so that what is blended between unlike ones is smooth.

Where an arc meets a straight its speed jumps, and so does the slope of its weights. Two sections that jump otherwise at the
same parameter give a surface with a crease there, though each section is smooth. As cubic Hermite pieces over its own length
a section has one speed everywhere, and no weights.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, lengths
from glass_spoon.kernel.curves.evaluate.arc_length import ArcLength, measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points, curve_tangents, one_sided_tangents

ROUNDS = 12
"""How often pieces are halved at most."""

INSIDE = np.array([0.25, 0.5, 0.75])
"""Shares of a piece at which it is held against the section."""


def write_smooth(
    sections: list[NurbsCurve], stops: list[Floats], bends: list[Floats], breaks: Floats, tolerance: float
) -> list[NurbsCurve]:
    """Return the sections over 0 to 1 as cubics over shared knots, within `tolerance` mm.

    stops: of each section the parameters (k,) of its ends and of the corners that it shares with the others; the share of
    the whole that lies between them is the mean share of the lengths. bends: of each section parameters (b,) that lie over
    each other too, but smoothly. breaks (m,): more shares at which knots are wanted, where the bend of some section jumps.
    Between stops the speed does not jump.
    """
    ways = [_Way.of(section, own, bend) for section, own, bend in zip(sections, stops, bends, strict=True)]
    shared = np.mean([way.totals / way.totals[-1] for way in ways], axis=0)
    middles = np.mean([way.middles / way.totals[-1] for way in ways], axis=0)
    shared[0], shared[-1] = 0.0, 1.0
    ways = [replace(way, shared=shared, middle_shares=middles) for way in ways]
    at = _apart(shared, breaks)
    for _ in range(ROUNDS):
        pieces = [_hermite(way, at) for way in ways]
        off = np.max([_off(way, at, net) for way, net in zip(ways, pieces, strict=True)], axis=0)
        wide = off > tolerance
        if not wide.any():
            break
        at = np.sort(np.concatenate((at, ((at[:-1] + at[1:]) / 2)[wide])))
    corners = np.isin(at[1:-1], shared)
    return [_joined(net, at, corners) for net in pieces]


def _apart(shared: Floats, breaks: Floats) -> Floats:
    """Return all places of two lists, those that nearly coincide once, those of the first exactly."""
    own = breaks[np.abs(breaks[:, None] - shared).min(axis=1) > SAME] if len(breaks) else breaks
    own = np.sort(own)
    own = own[np.concatenate(([True], np.diff(own) > SAME))] if len(own) else own
    return np.sort(np.concatenate((shared, own)))


SAME = 1e-6
"""Shares nearer than this are one."""


@dataclass(frozen=True, eq=False)
class _Way:
    """A section, and how its length goes with the share of all: through its stops and, smoothly, its middles.

    params, totals: of its stops. middles: lengths of its bends. shared, middle_shares: the shares of all at these.
    """

    arc: ArcLength
    params: Floats
    totals: Floats
    middles: Floats
    shared: Floats
    middle_shares: Floats

    @classmethod
    def of(cls, section: NurbsCurve, stops: Floats, bends: Floats) -> _Way:
        """Measure a section."""
        arc = measure_length(section, 1e-10)
        none = np.zeros(0)
        return cls(arc, stops, arc.at_params(stops), arc.at_params(bends) if len(bends) else none, none, none)

    def lengths(self, shares: Floats) -> tuple[Floats, Floats]:
        """Return the length (n,) in mm at shares (n,), and how fast it grows just before and just after each (2, n)."""
        if not len(self.middles):
            place = np.interp(shares, self.shared, self.totals)
            slopes = np.diff(self.totals) / np.diff(self.shared)
            before = np.clip(np.searchsorted(self.shared, shares, side="left") - 1, 0, len(slopes) - 1)
            after = np.clip(np.searchsorted(self.shared, shares, side="right") - 1, 0, len(slopes) - 1)
            return place, np.stack((slopes[before], slopes[after]))
        ring = len(self.shared) == 2 and self.arc.curve.is_closed(1e-9 * self.arc.length)
        place, rates = np.empty_like(shares), np.empty((2, len(shares)))
        for k, (low, high) in enumerate(pairwise(self.shared)):
            own = (self.middle_shares > low) & (self.middle_shares < high)
            s = np.concatenate(([low], self.middle_shares[own], [high]))
            way = np.concatenate((self.totals[k : k + 1], self.middles[own], self.totals[k + 1 : k + 2]))
            if ring:  # on past the seam at both ends, so that the speed does not jump there either
                s, way = s[1:-1], way[1:-1]
                s = np.concatenate((s - 1, s, s + 1))
                way = np.concatenate((way - self.totals[-1], way, way + self.totals[-1]))
            curve = scipy.interpolate.PchipInterpolator(s, way)
            inside = (shares >= low) & (shares <= high)
            place[inside] = curve(shares[inside])
            rate = curve(shares[inside], 1)
            rates[0, inside] = np.where((shares[inside] == low) & (k > 0), rates[0, inside], rate)
            rates[1, inside] = rate
        return place, rates


def _hermite(way: _Way, at: Floats) -> Floats:
    """Return cubic Bezier pieces (m, 4, 3) between shares `at` (m + 1,), each with the slopes at its own ends."""
    arc = way.arc
    length, rates = way.lengths(at)
    params = arc.to_params(length)
    at_stop = np.isin(at, way.shared)
    params[at_stop] = way.params
    places = curve_points(arc.curve, params)
    if arc.curve.is_closed(1e-9 * arc.length):
        places[-1] = places[0]
    before, after = one_sided_tangents(arc.curve, params[1:-1])
    before = np.where(at_stop[1:-1, None], before, after)
    ends = curve_tangents(arc.curve, params[[0, -1]])
    leaving, arriving = np.vstack((ends[:1], after)), np.vstack((before, ends[1:]))
    step = np.diff(at) / 3
    out, back = (step * rates[1, :-1])[:, None], (step * rates[0, 1:])[:, None]
    return np.stack((places[:-1], places[:-1] + out * leaving, places[1:] - back * arriving, places[1:]), axis=1)


def _off(way: _Way, at: Floats, net: Floats) -> Floats:
    """Return how far (m,) mm pieces lie from the section at some places inside each."""
    shares = (at[:-1, None] + np.diff(at)[:, None] * INSIDE).ravel()
    true = curve_points(way.arc.curve, way.arc.to_params(way.lengths(shares)[0])).reshape(len(net), len(INSIDE), 3)
    t = INSIDE
    weights = np.stack(((1 - t) ** 3, 3 * t * (1 - t) ** 2, 3 * t**2 * (1 - t), t**3), axis=1)
    return np.asarray(lengths(np.einsum("qk,mkd->mqd", weights, net) - true).max(axis=1))


def _joined(net: Floats, at: Floats, corners: Bools) -> NurbsCurve:
    """Return one cubic of Bezier pieces (m, 4, 3): knots twice where slopes run on, three times at corners (m - 1,)."""
    control = [net[0, :1]]
    for piece, is_corner in zip(net, [*corners.tolist(), True], strict=True):
        control.append(piece[1:3])
        if is_corner:
            control.append(piece[3:])
    repeats = np.where(corners, 3, 2)
    knots = np.concatenate((np.zeros(4), np.repeat(at[1:-1], repeats), np.ones(4)))
    points = np.concatenate(control)
    return NurbsCurve(3, knots, points, np.ones(len(points)))
