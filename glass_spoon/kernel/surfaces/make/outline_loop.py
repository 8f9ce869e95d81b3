"""Closed outlines in a plane as loops of smooth runs, and how each run is offset beside its neighbours."""

from __future__ import annotations

from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.alter.edit_knots import reverse_curve, trim_curve
from glass_spoon.kernel.curves.alter.round_corners import SHARP_ANGLE
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import (
    closed_at_kink,
    curve_derivatives,
    curve_points,
    curve_tangents,
    find_kinks,
)
from glass_spoon.kernel.surfaces.make.plate_shape import CornerKind


@dataclass(frozen=True, eq=False)
class OutlineLoop:
    """A closed outline, material on its left, as smooth runs; turns: radians by which it turns left before each.

    A smooth loop is one run, and its turn 0.
    """

    runs: list[NurbsCurve]
    turns: Floats


def make_loop(curve: NurbsCurve, *, inner: bool) -> OutlineLoop:
    """Return the loop of a closed curve in the xy plane."""
    if (signed_area(curve) < 0) != inner:
        curve = reverse_curve(curve)
    kinks = find_kinks(curve, SHARP_ANGLE)
    at_seam = closed_at_kink(curve, SHARP_ANGLE)
    if not at_seam and not len(kinks):
        return OutlineLoop([curve], np.zeros(1))
    stops = np.concatenate(([curve.domain[0]], kinks, [curve.domain[1]]))
    runs = [trim_curve(curve, float(low), float(high)) for low, high in pairwise(stops)]
    turns = [_turn(before, after) for before, after in zip([runs[-1], *runs[:-1]], runs, strict=True)]
    if not at_seam:
        turns[0] = 0.0
    return OutlineLoop(runs, np.array(turns))


def signed_area(curve: NurbsCurve) -> float:
    """Return the signed area in mm^2, near enough for its sign."""
    points = curve_points(curve, np.linspace(*curve.domain, 257))
    return float(points[:-1, 0] @ points[1:, 1] - points[:-1, 1] @ points[1:, 0]) / 2


def _turn(before: NurbsCurve, after: NurbsCurve) -> float:
    """Return by how much the direction turns to the left from the end of one run to the start of the next."""
    a = curve_tangents(before, np.array([before.domain[1]]))[0]
    b = curve_tangents(after, np.array([after.domain[0]]))[0]
    return float(np.arctan2(a[0] * b[1] - a[1] * b[0], a @ b))


def is_straight(run: NurbsCurve) -> bool:
    """Say whether a run is a straight line."""
    away = run.control_points - run.control_points[0]
    chord = away[-1]
    if lengths(chord) <= 1e-9 * lengths(away).max():
        return False
    off = np.abs(away[:, 0] * chord[1] - away[:, 1] * chord[0])
    return bool(off.max() <= 1e-9 * float(chord @ chord))


@dataclass(frozen=True, eq=False)
class RunOffset:
    """How a run is offset: where it is cut at either end. neighbours: the runs before and after; turns: to them.

    A straight run between straight ones is cut, or goes on, to the mitre; a bent one is cut where the offsets cross, which
    is kept in `found` by offset and end.
    """

    run: NurbsCurve
    before: NurbsCurve | None
    after: NurbsCurve | None
    turns: tuple[float, float]
    corners: CornerKind
    found: dict[tuple[float, bool], float] = field(default_factory=dict)

    def points(self, shares: Floats, offset: float) -> Floats:
        """Return places (n, 3) of the offset at shares (n,) of what is left of the run."""
        low, high = self.run.domain
        first = self.cut(offset, at_end=False)
        last = self.cut(offset, at_end=True)
        return offset_points(self.run, low + (first + (last - first) * shares) * (high - low), offset)

    def cut(self, offset: float, *, at_end: bool) -> float:
        """Return the share of the run at which it starts or ends, beyond 0 to 1 where it goes on."""
        neighbour, turn = (self.after, self.turns[1]) if at_end else (self.before, self.turns[0])
        plain = 1.0 if at_end else 0.0
        if neighbour is None or turn == 0.0 or offset == 0.0:
            return plain
        both_straight = is_straight(self.run) and is_straight(neighbour)
        closes = turn * offset > 0
        if not closes and not (both_straight and self.corners == "mitred"):
            return plain
        if both_straight:
            size = float(lengths(self.run.control_points[-1] - self.run.control_points[0]))
            step = offset * np.tan(turn / 2) / size
            return plain - step if at_end else plain + step
        key = (offset, at_end)
        if key not in self.found:
            self.found[key] = _crossing(self.run, neighbour, offset, at_end=at_end)
        return self.found[key]


def offset_points(run: NurbsCurve, params: Floats, offset: float) -> Floats:
    """Return places (n, 3) `offset` mm to the left of a plane run; a straight one also beyond its ends."""
    low, high = run.domain
    inside = np.clip(params, low, high)
    values = curve_derivatives(run, inside, 1)
    tangent = values[1] / lengths(values[1])[:, None]
    left = np.column_stack((-tangent[:, 1], tangent[:, 0], np.zeros(len(params))))
    return np.asarray(values[0] + (params - inside)[:, None] * values[1] + offset * left)


def _crossing(run: NurbsCurve, neighbour: NurbsCurve, offset: float, *, at_end: bool) -> float:
    """Return the share of a run at which its offset crosses its neighbour's, by Newton's method from the corner."""
    (low, high), (low_next, high_next) = run.domain, neighbour.domain
    s, t = (high, low_next) if at_end else (low, high_next)
    for _ in range(60):
        here, there = offset_points(run, np.array([s]), offset)[0], offset_points(neighbour, np.array([t]), offset)[0]
        step = 1e-6 * (high - low), 1e-6 * (high_next - low_next)
        ds = step[0] if s + step[0] <= high else -step[0]
        dt = step[1] if t + step[1] <= high_next else -step[1]
        along = (offset_points(run, np.array([s + ds]), offset)[0] - here) / ds
        other = (offset_points(neighbour, np.array([t + dt]), offset)[0] - there) / dt
        matrix = np.array([[along[0], -other[0]], [along[1], -other[1]]])
        if abs(np.linalg.det(matrix)) < 1e-12:
            break
        move = np.linalg.solve(matrix, (there - here)[:2])
        s = float(np.clip(s + np.clip(move[0], -0.2 * (high - low), 0.2 * (high - low)), low, high))
        t = float(
            np.clip(t + np.clip(move[1], -0.2 * (high_next - low_next), 0.2 * (high_next - low_next)), low_next, high_next)
        )
        if abs(move[0]) < 1e-13 * (high - low):
            break
    return (s - low) / (high - low)


def run_offsets(loop: OutlineLoop, corners: CornerKind) -> list[RunOffset]:
    """Return how the runs of a loop are offset."""
    count = len(loop.runs)
    if count == 1 and loop.turns[0] == 0.0:
        return [RunOffset(loop.runs[0], None, None, (0.0, 0.0), corners)]
    return [
        RunOffset(
            run,
            loop.runs[k - 1],
            loop.runs[(k + 1) % count],
            (float(loop.turns[k]), float(loop.turns[(k + 1) % count])),
            corners,
        )
        for k, run in enumerate(loop.runs)
    ]


def opens_at(loop: OutlineLoop, k: int, offset: float, corners: CornerKind) -> bool:
    """Say whether the corner before a run opens to an arc at an offset."""
    turn = float(loop.turns[k])
    if turn == 0.0 or turn * offset >= 0:
        return False
    return corners == "rounded" or not (is_straight(loop.runs[k]) and is_straight(loop.runs[k - 1]))
