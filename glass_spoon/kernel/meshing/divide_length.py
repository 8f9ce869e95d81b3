"""Where the lines of a mesh cross a surface: parameters along one axis, and the counts that a wish asks for."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, lengths, owned
from glass_spoon.kernel.curves.evaluate.arc_length import ArcLength, measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import closed_at_kink, curve_points, curve_tangents
from glass_spoon.kernel.curves.read.bend_spacing import divide_by_bend, run_weights
from glass_spoon.kernel.curves.read.tight_bends import nearest_counts
from glass_spoon.kernel.errors import CountImpossible
from glass_spoon.kernel.remembered import Remembered
from glass_spoon.kernel.surfaces.alter.edit_surface import isocurves
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.evaluate.surface_kinks import find_creases

Spacing = Literal["evenly", "by parameter"]

KINK_ANGLE = np.radians(0.5)
"""A tangent turning by more than this at once is a sharp point, which gets a mesh edge (radians)."""


TURN_PLACES = 65
"""Places of a run at which its direction is read."""

SHAPE_DIGITS = 12
"""Curves that agree to this many digits, but for place and size, share their divisions."""

SOLID_SHARE = 1e-9
"""Isocurves shorter than this share of the longest are poles."""


@dataclass(frozen=True, eq=False)
class Guide:
    """The isocurve that decides the spacing along one axis: its arc length, and the stops where an edge must lie.

    stops: (k + 1,) parameters, both ends included. sizes: (k,) mm, the length of each smooth run. shape: names the curve but
    for its place and size, so that what does not depend on those is worked out once.
    """

    curve: NurbsCurve
    arc: ArcLength
    stops: Floats
    sizes: Floats
    shape: bytes


def make_guide(surface: NurbsSurface, axis: int) -> Guide:
    """Return the guide of an axis: the longest isocurve at the knots across, with the sharp points of it and of
    the first, the middle and the last one (sharp points run along whole isocurves).
    """
    curve, across = _guiding_rows(surface, axis)
    kinks = find_creases(surface, axis, across, KINK_ANGLE)
    shape = _shape_of(curve) + kinks.tobytes()
    scale = _scale_of(curve)
    params, totals = _tables.get(shape, lambda: _measure(curve, scale))
    arc = ArcLength(curve, params, totals * scale)
    stops = np.concatenate(([curve.domain[0]], kinks, [curve.domain[1]]))
    return Guide(curve, arc, stops, np.diff(arc.at_params(stops)), shape)


def find_stops(surface: NurbsSurface, axis: int) -> Floats:
    """Return the inner parameters (k,) at which the guide of an axis stops, without measuring it."""
    return find_creases(surface, axis, _guiding_rows(surface, axis)[1], KINK_ANGLE)


def _guiding_rows(surface: NurbsSurface, axis: int) -> tuple[NurbsCurve, Floats]:
    """Return the longest isocurve, by its net, and the parameters (k,) across of those whose sharp points are stops."""
    low, high = surface.domain(1 - axis)
    across = np.unique(np.concatenate((surface.knots[1 - axis], [(low + high) / 2])))
    rows = isocurves(surface, axis, across)
    net = np.array([lengths(np.diff(row.control_points, axis=0)).sum() for row in rows])
    solid = np.flatnonzero(net > SOLID_SHARE * net.max())
    longest = int(np.argmax(net))
    return rows[longest], across[sorted({longest, int(solid[0]), int(solid[len(solid) // 2]), int(solid[-1])})]


def _measure(curve: NurbsCurve, scale: float) -> tuple[Floats, Floats]:
    """Return the arc-length table of a curve, its totals over `scale` mm."""
    arc = measure_length(curve)
    return arc.params, arc.totals / scale


def _scale_of(curve: NurbsCurve) -> float:
    """Return the largest distance in mm of a control point from the first one, 1 where all coincide."""
    return float(np.abs(curve.control_points - curve.control_points[0]).max()) or 1.0


def _shape_of(curve: NurbsCurve) -> bytes:
    """Return the content of a curve moved to the origin and scaled to size one, to twelve digits."""
    control = (curve.control_points - curve.control_points[0]) / _scale_of(curve)
    parts = (curve.knots, curve.weights, np.round(control, SHAPE_DIGITS) + 0.0)
    return b"".join(part.tobytes() for part in parts)


_tables: Remembered[tuple[Floats, Floats]] = Remembered(256)
_divisions: Remembered[Floats] = Remembered(64)


def has_sharp_seam(guide: Guide, tolerance: float) -> bool:
    """Say whether a closed guide has a sharp point at its seam (`tolerance` in mm)."""
    return guide.curve.is_closed(tolerance) and closed_at_kink(guide.curve, KINK_ANGLE)


def share_count(sizes: Floats, count: int) -> Ints:
    """Share `count` edges among runs of given lengths (k,): at least one each, the rest by largest remainder.

    Raises CountImpossible when there are more runs than edges.
    """
    if count < len(sizes):
        raise CountImpossible(
            f"{count} along is too few: the profile has {len(sizes)} runs between sharp points, and each needs an edge.",
            (len(sizes),),
        )
    ideal = sizes / sizes.sum() * count
    shares = np.maximum(np.floor(ideal), 1).astype(np.int64)
    while (rest := count - int(shares.sum())) != 0:
        step = 1 if rest > 0 else -1
        worth = np.where((shares > 1) | (step > 0), (ideal - shares) * step, -np.inf)
        shares[np.argsort(-worth)[: min(abs(rest), int(np.isfinite(worth).sum()))]] += step
    return shares


def run_sizes(guide: Guide, bend: float) -> Floats:
    """Return the lengths (k,) in mm of the runs of a guide, those that bend weighed more where `bend` is above zero."""
    if not bend:
        return guide.sizes
    turns = []
    for low, high in pairwise(guide.stops.tolist()):
        inside = np.linspace(low, high, TURN_PLACES + 2)[1:-1]
        tangents = curve_tangents(guide.curve, inside)
        turns.append(float(np.arccos(np.clip((tangents[1:] * tangents[:-1]).sum(axis=1), -1, 1)).sum()))
    return run_weights(guide.sizes, np.array(turns), bend)


def divide_guide(guide: Guide, shares: Ints, spaced: Spacing, bend: float = 0.0) -> Floats:
    """Return the parameters (sum of shares + 1,) of the mesh lines: stops are met exactly.

    bend: how much denser the lines lie where the guide bends, 0 for even (see `bend_shares`).
    """
    key = (guide.shape, shares.tobytes(), spaced, bend)
    return _divisions.get(key, lambda: owned(_divide(guide, shares, spaced, bend)))


def _divide(guide: Guide, shares: Ints, spaced: Spacing, bend: float) -> Floats:
    """Work out the parameters of `divide_guide`."""
    if spaced == "by parameter":
        runs = [
            np.linspace(a, b, n, endpoint=False) for a, b, n in zip(guide.stops[:-1], guide.stops[1:], shares, strict=True)
        ]
        return np.append(np.concatenate(runs), guide.stops[-1])
    totals = guide.arc.at_params(guide.stops)
    ends = totals.tolist()
    spans = list(zip(ends[:-1], ends[1:], shares.tolist(), strict=True))
    wanted = [
        divide_by_bend(guide.arc, a, b, n, bend)[:-1] if bend else np.linspace(a, b, n, endpoint=False) for a, b, n in spans
    ]
    params = guide.arc.to_params(np.append(np.concatenate(wanted), totals[-1]))
    params[np.concatenate(([0], np.cumsum(shares)))] = guide.stops
    return params


def count_for_edge_length(guide: Guide, length: float) -> int:
    """Return the number of edges of about `length` mm along a guide, at least one for each run."""
    return int(np.maximum(nearest_counts(guide.sizes / length), 1).sum())


def count_for_chord(guide: Guide, tolerance: float, limit: int = 4096) -> int:
    """Return the least number of even edges that stay within `tolerance` mm of a guide, up to `limit`.

    Doubling, then bisection, on the sag of the chords measured at 15 places of each.
    """
    low = high = len(guide.sizes)
    while high < limit and _sag(guide, high) > tolerance:
        low, high = high, high * 2
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if _sag(guide, middle) <= tolerance else (middle, high)
    return min(high, limit)


def _sag(guide: Guide, count: int) -> float:
    """Return the largest distance in mm of the curve from its chords at `count` even edges."""
    params = divide_guide(guide, share_count(guide.sizes, count), "evenly")
    within = np.linspace(0, 1, 17)[1:-1]
    inner = params[:-1, None] + np.diff(params)[:, None] * within
    ends = curve_points(guide.curve, params)
    points = curve_points(guide.curve, inner.ravel()).reshape(*inner.shape, 3)
    chord = np.diff(ends, axis=0)[:, None]
    offset = points - ends[:-1, None]
    along = (offset * chord).sum(axis=2) / np.maximum((chord**2).sum(axis=2), 1e-300)
    return float(lengths(offset - np.clip(along, 0, 1)[..., None] * chord).max())
