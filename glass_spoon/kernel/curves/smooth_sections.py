"""Sections written anew as cubics without a jump of speed, so that what is blended between unlike ones is smooth.

Where an arc meets a straight its speed jumps, and so does the slope of its weights. Two sections that jump otherwise at the
same parameter give a surface with a crease there, though each section is smooth. As cubic Hermite pieces over its own length
a section has one speed everywhere, and no weights.
"""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, lengths
from glass_spoon.kernel.curves.arc_length import ArcLength, measure_length
from glass_spoon.kernel.curves.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate_curve import curve_points, curve_tangents, one_sided_tangents

ROUNDS = 12
"""How often pieces are halved at most."""

INSIDE = np.array([0.25, 0.5, 0.75])
"""Shares of a piece at which it is held against the section."""


def write_smooth(sections: list[NurbsCurve], stops: list[Floats], breaks: Floats, tolerance: float) -> list[NurbsCurve]:
    """Return the sections over 0 to 1 as cubics over shared knots, within `tolerance` mm.

    stops: of each section the parameters (k,) of its ends and of the corners that it shares with the others; the share of
    the whole that lies between them is the mean share of the lengths. breaks (m,): more shares at which knots are wanted,
    where the bend of some section jumps. Between stops the parameter is the length, so the speed does not jump.
    """
    arcs = [measure_length(section, 1e-10) for section in sections]
    totals = [arc.at_params(own) for arc, own in zip(arcs, stops, strict=True)]
    shared = np.mean([total / total[-1] for total in totals], axis=0)
    shared[0], shared[-1] = 0.0, 1.0
    at = _apart(shared, breaks)
    for _ in range(ROUNDS):
        pieces = [_hermite(arc, own, total, shared, at) for arc, own, total in zip(arcs, stops, totals, strict=True)]
        off = np.max([_off(arc, own, shared, at, net) for arc, own, net in zip(arcs, totals, pieces, strict=True)], axis=0)
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


def _to_length(shares: Floats, totals: Floats, shared: Floats) -> Floats:
    """Return the lengths (n,) in mm of a section at shares (n,) of all."""
    return np.interp(shares, shared, totals)


def _hermite(arc: ArcLength, stops: Floats, totals: Floats, shared: Floats, at: Floats) -> Floats:
    """Return cubic Bezier pieces (m, 4, 3) between shares `at` (m + 1,), each with the slopes at its own ends."""
    params = arc.to_params(_to_length(at, totals, shared))
    params[np.isin(at, shared)] = stops
    places = curve_points(arc.curve, params)
    if arc.curve.is_closed(1e-9 * arc.length):
        places[-1] = places[0]
    before, after = one_sided_tangents(arc.curve, params[1:-1])
    before = np.where(np.isin(at[1:-1], shared)[:, None], before, after)
    ends = curve_tangents(arc.curve, params[[0, -1]])
    leaving, arriving = np.vstack((ends[:1], after)), np.vstack((before, ends[1:]))
    run = (np.diff(_to_length(at, totals, shared)) / 3)[:, None]
    return np.stack((places[:-1], places[:-1] + run * leaving, places[1:] - run * arriving, places[1:]), axis=1)


def _off(arc: ArcLength, totals: Floats, shared: Floats, at: Floats, net: Floats) -> Floats:
    """Return how far (m,) mm pieces lie from the section at some places inside each."""
    shares = (at[:-1, None] + np.diff(at)[:, None] * INSIDE).ravel()
    true = curve_points(arc.curve, arc.to_params(_to_length(shares, totals, shared))).reshape(len(net), len(INSIDE), 3)
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
