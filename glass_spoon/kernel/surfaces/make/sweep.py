"""Sweep a profile along a path."""

from __future__ import annotations

from dataclasses import dataclass, field
from itertools import pairwise
from typing import Literal

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, cross, directions, lengths
from glass_spoon.kernel.curves.alter.align_sections import align_sections, make_smooth
from glass_spoon.kernel.curves.alter.edit_knots import reverse_curve
from glass_spoon.kernel.curves.alter.round_corners import SHARP_ANGLE
from glass_spoon.kernel.curves.evaluate.arc_length import ArcLength, measure_length
from glass_spoon.kernel.curves.evaluate.closest_on_curve import span_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve, from_homogeneous
from glass_spoon.kernel.curves.evaluate.evaluate_curve import (
    closed_at_kink,
    curve_derivatives,
    curve_points,
    curve_tangents,
    find_kinks,
)
from glass_spoon.kernel.curves.make.fit_function import CHECKS
from glass_spoon.kernel.curves.make.helix import CarriedFrame, carry_frame
from glass_spoon.kernel.errors import InvalidInput, KernelError, NotFollowed
from glass_spoon.kernel.law import EVENLY, NOTHING, ONE, Law
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.section_runs import EndShape, SectionRun, end_run, join_runs, middle_of

Facing = Literal["least twist", "upright", "rail"]

STEEPEST = float(np.radians(150))
"""A corner that turns by more cannot be mitred."""

MOST_STATIONS = 20_000
"""Most sections of one smooth run."""

FINE = 1e-5
"""The share of their size within which profiles that are blended are written anew."""

LOOKED_AT = 1536
"""Places along a path at which it is looked for bends that are too tight."""

STEP = 0.4
"""Turn in radians between the sections first tried."""

SHORTEST = 1e-7
"""Least share of a run between two sections."""

SLOPE_SHARE = 8
"""Part of a step by which the places stand apart that tell the slope at an end."""

ONE_SIDED = np.array([48.0, -36.0, 16.0, -3.0])
"""Weights of the one-sided difference of fourth order at one to four steps; -25 at the place itself, all over 12 steps."""


@dataclass(frozen=True, eq=False)
class SweepShape:
    """How a profile travels.

    facing: the frame is carried with least twist, its second axis kept as upright as the path allows, or its first axis
    kept towards a second rail. scale: factor on the profile; twist: radians about the path; both by the share of the path's
    length. ends: shape of the (start, end) of an open path. rail: the second rail, run through at equal shares of its
    length; reaching: the profile grows and shrinks with the distance to it. others: more profiles, spread evenly over the
    way after the first; blend: how far the profile has come from the first (0) to the last (1).
    """

    facing: Facing = "least twist"
    scale: Law = ONE
    twist: Law = NOTHING
    ends: tuple[EndShape, EndShape] = ("open", "open")
    rail: NurbsCurve | None = None
    reaching: bool = False
    others: tuple[NurbsCurve, ...] = ()
    blend: Law = EVENLY


@dataclass(frozen=True, eq=False)
class Swept:
    """A swept surface, the largest deviation found in mm, and the place (3,) where the profile outgrows a bend, or None."""

    surface: NurbsSurface
    largest: float
    tight: Floats | None


@dataclass(frozen=True, eq=False)
class _Frames:
    """Frames along a path by length: functions of lengths (n,) in mm to points and two unit axes, each (n, 3)."""

    arc: ArcLength
    carried: CarriedFrame
    closed: bool
    facing: Facing
    untwist: float
    rail: ArcLength | None = None
    _bounds: dict[tuple[float, float], tuple[float, float]] = field(default_factory=dict)

    def at(
        self, totals: Floats, inside: tuple[float, float], params: Floats | None = None
    ) -> tuple[Floats, Floats, Floats, Floats]:
        """Return points, tangents, first and second axes (n, 3) at lengths within one smooth run `inside`.

        `params` (n,) spares the search where the parameters are known. Tangents are taken from inside the run.
        """
        curve = self.arc.curve
        params = self.arc.to_params(totals) if params is None else params
        points = curve_points(curve, params)
        params = np.clip(params, *self._inner(inside))
        tangent = curve_tangents(curve, params)
        if self.facing == "upright":
            side = _level_side(tangent)
        elif self.rail is not None:
            side = self._towards_rail(points, tangent, totals)
        else:
            side = self.carried.at(params)[1]
            side = _turned(side, cross(tangent, side), self.untwist * totals / self.arc.length)
        return points, tangent, side, cross(tangent, side)

    def _inner(self, inside: tuple[float, float]) -> tuple[float, float]:
        """Return the first and the last parameter just inside a run of lengths."""
        if inside not in self._bounds:
            first, last = self.arc.curve.domain
            shift = 1e-9 * (last - first)
            low, high = self.arc.to_params(np.array(inside))
            self._bounds[inside] = (float(low) + shift, float(high) - shift)
        return self._bounds[inside]

    def to_rail(self, totals: Floats) -> Floats:
        """Return the places (n, 3) of the second rail at equal shares of its length."""
        if self.rail is None:
            raise InvalidInput("The second rail", "a curve", "none")
        return curve_points(self.rail.curve, self.rail.to_params(totals / self.arc.length * self.rail.length))

    def _towards_rail(self, points: Floats, tangent: Floats, totals: Floats) -> Floats:
        """Return the unit axes (n, 3) across the path towards the rail."""
        away = self.to_rail(totals) - points
        across = away - np.einsum("ij,ij->i", away, tangent)[:, None] * tangent
        if lengths(across).min() < 1e-9 * (1 + self.arc.length):
            raise KernelError("The second rail meets the path, or lies straight ahead of it. Draw it beside the path.")
        return directions(across)


def sweep_profile(profile: NurbsCurve, path: NurbsCurve, shape: SweepShape, tolerance: float = 1e-3) -> Swept:
    """Return the surface of a profile carried along a path, within `tolerance` mm of the exact one.

    The profile lies in the xy plane, its origin on the path, its x along the frame's first axis. u runs round the
    profile, counter-clockwise where it is closed, v along the path. Corners of the path are mitred. Frames: double
    reflection (Wang, Juttler, Zheng, Liu, ACM TOG 27, 2008); along a closed path what turn is left over is spread
    evenly, so that it closes.
    Raises InvalidInput for a scale that is not above zero or a path of no length, KernelError for a corner too steep.
    """
    sections = _sections(profile, shape)
    profile = sections[0]
    arc = measure_length(path)
    if arc.length <= 1e-9:
        raise InvalidInput("The path", "longer than nothing", "a point")
    if min(shape.scale.values) <= 0:
        raise InvalidInput("The scale", "above 0", f"{min(shape.scale.values):g}")
    frames = _frames(arc, closed=path.is_closed(1e-6), shape=shape)
    if frames.closed:
        _check_meeting(shape)
    stops = arc.at_params(np.concatenate(([path.domain[0]], find_kinks(path, SHARP_ANGLE), [path.domain[1]])))
    runs, largest = [], 0.0
    for start, end in pairwise(stops):
        run, off = _run(sections, shape, frames, (float(start), float(end)), tolerance)
        runs.append(run)
        largest = max(largest, off)
    _mitre(runs, frames, stops)
    if not frames.closed:
        runs = _with_ends(profile, runs, frames, shape)
    return Swept(join_runs(profile, runs), largest, _tight_place(profile, shape, frames, stops))


def _sections(profile: NurbsCurve, shape: SweepShape) -> list[NurbsCurve]:
    """Return the profiles over one set of knots, closed ones run counter-clockwise and aligned by least twist."""
    every = [profile, *shape.others]
    every = [reverse_curve(one) if one.is_closed(1e-6) and _area(one) < 0 else one for one in every]
    size = max(float(np.ptp(one.control_points, axis=0).max()) for one in every)
    return every if len(every) == 1 else make_smooth(align_sections(every), FINE * size)


def _check_meeting(shape: SweepShape) -> None:
    """Raise InvalidInput for laws that do not bring the profile back to itself round a closed path."""
    if shape.others:
        raise InvalidInput("The profiles", "one, on a closed path", f"{1 + len(shape.others)}")
    if shape.scale.start != shape.scale.end:
        raise InvalidInput(
            "The scale", "the same at both ends of a closed path", f"{shape.scale.end / shape.scale.start:g} times"
        )
    turns = (shape.twist.end - shape.twist.start) / (2 * np.pi)
    if abs(turns - round(turns)) > 1e-9:
        raise InvalidInput("The twist", "whole turns round a closed path", f"{360 * turns:g}°")


def _area(profile: NurbsCurve) -> float:
    """Return the signed area in mm^2 of a closed profile, of its places: only the sign counts here."""
    x, y, _ = curve_points(profile, span_params(profile, 16)).T
    return float(x[:-1] @ y[1:] - y[:-1] @ x[1:]) / 2


def _frames(arc: ArcLength, *, closed: bool, shape: SweepShape) -> _Frames:
    """Carry the first axis along the path; a closed one is told how far it has to be turned back."""
    carried = carry_frame(arc.curve)
    untwist = 0.0
    if shape.facing == "rail":
        if shape.rail is None:
            raise InvalidInput("The second rail", "a curve", "none")
        return _Frames(arc, carried, closed, "rail", untwist, measure_length(_run_alike(shape.rail, arc.curve)))
    if closed and shape.facing == "least twist":
        first, last = curve_tangents(arc.curve, np.array(arc.curve.domain))
        untwist = _turn_between(_bent_over(carried.axis[-1], last, first), carried.axis[0], first)
    return _Frames(arc, carried, closed, shape.facing, untwist)


def _run_alike(rail: NurbsCurve, path: NurbsCurve) -> NurbsCurve:
    """Return a rail that starts at the end nearer to the start of the path."""
    ends, start = curve_points(rail, np.array(rail.domain)), path.control_points[0]
    return reverse_curve(rail) if lengths(ends[1] - start) < lengths(ends[0] - start) else rail


def _bent_over(axis: Floats, tangent: Floats, towards: Floats) -> Floats:
    """Return an axis (3,) across a tangent turned the shortest way with it to another tangent."""
    lean = 1 + float(tangent @ towards)
    return axis if lean < 1e-12 else axis - (axis @ towards) / lean * (tangent + towards)


def _turn_between(axis: Floats, wanted: Floats, about: Floats) -> float:
    """Return the angle in radians by which an axis (3,) has to be turned about a direction to the wanted one."""
    return float(np.arctan2(np.cross(axis, wanted) @ about, axis @ wanted))


def _level_side(tangent: Floats) -> Floats:
    """Return the unit axes (n, 3) that lie level across tangents (n, 3); where these are upright, the nearest before."""
    side = np.cross([0.0, 0.0, 1.0], tangent)
    flat = lengths(side) < 1e-6
    if flat.all():
        return np.broadcast_to([1.0, 0.0, 0.0], tangent.shape).copy()
    good = np.flatnonzero(~flat)
    nearest = good[np.clip(np.searchsorted(good, np.arange(len(tangent)), side="right") - 1, 0, None)]
    return directions(side[nearest])


def _turned(first: Floats, second: Floats, angle: Floats) -> Floats:
    """Return first axes (n, 3) turned towards the second ones by angles (n,)."""
    return np.cos(angle)[:, None] * first + np.sin(angle)[:, None] * second


def _rows(
    sections: list[NurbsCurve], shape: SweepShape, frames: _Frames, totals: Floats, inside: tuple[float, float]
) -> Floats:
    """Return the profile's control points placed at lengths (n,), homogeneous (profile, n, 4)."""
    points, _, first, second = frames.at(totals, inside)
    shares = totals / frames.arc.length
    twist = shape.twist.at(shares)
    x_axis, y_axis = _turned(first, second, twist), _turned(second, -first, twist)
    size = shape.scale.at(shares)
    if frames.rail is not None and shape.reaching:
        ends = frames.at(np.zeros(1), (0.0, frames.arc.length))[0], frames.to_rail(np.zeros(1))
        size = size * lengths(frames.to_rail(totals) - points) / lengths(ends[1] - ends[0])
    flat, mass = _blended(sections, shape, shares)
    place = points + flat[..., 0, None] * (x_axis * size[:, None]) + flat[..., 1, None] * (y_axis * size[:, None])
    return np.concatenate((place * mass[..., None], mass[..., None]), axis=2)


def _blended(sections: list[NurbsCurve], shape: SweepShape, shares: Floats) -> tuple[Floats, Floats]:
    """Return control points (profile, n, 3) and weights (profile, n) of the profile at shares (n,) of the way."""
    if len(sections) == 1:
        count = len(shares)
        return np.repeat(sections[0].control_points[:, None], count, axis=1), np.repeat(
            sections[0].weights[:, None], count, axis=1
        )
    nets = np.array([section.homogeneous for section in sections])
    at = np.clip(shape.blend.at(shares), 0.0, 1.0) * (len(sections) - 1)
    if len(sections) == 2:
        mixed = nets[0][:, None] * (1 - at)[:, None] + nets[1][:, None] * at[:, None]
    else:
        mixed = np.moveaxis(scipy.interpolate.PchipInterpolator(np.arange(len(sections)), nets)(at), 0, 1)
    return mixed[..., :3] / mixed[..., 3:], mixed[..., 3]


def _run(
    sections: list[NurbsCurve], shape: SweepShape, frames: _Frames, inside: tuple[float, float], tolerance: float
) -> tuple[SectionRun, float]:
    """Fit the control points along one smooth run; every one follows a cubic through as many sections as are needed."""
    whole = inside[1] - inside[0] >= frames.arc.length * (1 - 1e-9)
    closed = frames.closed and whole and not closed_at_kink(frames.arc.curve, SHARP_ANGLE)
    still = shape.scale.is_constant and shape.twist.is_constant and len(sections) == 1 and frames.rail is None
    if _is_straight(frames, inside) and still:
        stations = np.array(inside)
        return SectionRun(_rows(sections, shape, frames, stations, inside), 1, np.repeat(stations, 2)), 0.0
    stations = np.linspace(*inside, _first_count(shape, frames, inside) + 1)
    whole_length = inside[1] - inside[0]
    while len(stations) <= MOST_STATIONS:
        rows, slopes = _rows_and_slopes(sections, shape, frames, stations, inside)
        if closed:
            rows[:, -1], slopes[:] = rows[:, 0], slopes.mean(axis=0)
        ends = ([(1, slopes[0])], [(1, slopes[1])])
        spline = scipy.interpolate.make_interp_spline(stations, np.moveaxis(rows, 1, 0), k=3, bc_type=ends)  # type: ignore[arg-type]  # the stubs know no lists of derivatives
        between = (stations[:-1, None] + np.diff(stations)[:, None] * CHECKS).ravel()
        there = np.moveaxis(spline(between), 0, 1)
        true = _rows(sections, shape, frames, between, inside)
        apart = there[..., :3] / there[..., 3:] - true[..., :3] / true[..., 3:]
        off = lengths(apart.reshape(-1, 3)).reshape(len(rows), -1, len(CHECKS)).max(axis=(0, 2))
        if off.max() <= tolerance:
            return SectionRun(np.moveaxis(np.asarray(spline.c), 0, 1), 3, np.asarray(spline.t)), float(off.max())
        stations = _finer(stations, off, tolerance)
        if np.diff(stations).min() < SHORTEST * whole_length:
            break  # the frames jump here: no curve follows them
    raise NotFollowed("The path", tolerance)


def _rows_and_slopes(
    sections: list[NurbsCurve], shape: SweepShape, frames: _Frames, stations: Floats, inside: tuple[float, float]
) -> tuple[Floats, Floats]:
    """Return rows (profile, n, 4) at stations (n,), and their slopes (2, profile, 4) at both ends.

    Slopes by the one-sided difference of fourth order over an eighth of a step.
    """
    steps = np.diff(stations)[[0, -1]] / SLOPE_SHARE
    first = stations[0] + steps[0] * np.arange(1, 5)
    last = stations[-1] - steps[1] * np.arange(1, 5)
    rows = _rows(sections, shape, frames, np.concatenate((stations, first, last)), inside)
    rows, beside = rows[:, : len(stations)], rows[:, len(stations) :]
    start, end = (
        (-25 * rows[:, at] + np.einsum("ijk,j->ik", beside[:, near], ONE_SIDED)) / (12 * step)
        for at, near, step in ((0, slice(0, 4), steps[0]), (-1, slice(4, 8), -steps[1]))
    )
    return rows, np.stack((start, end))


def _finer(stations: Floats, off: Floats, tolerance: float) -> Floats:
    """Return stations with the spans that are `off` (n,) mm by more than the tolerance cut in up to four parts.

    The error of a cubic falls with the fourth power of its spans.
    """
    parts = np.where(off > tolerance, np.clip(np.ceil(1.1 * (off / tolerance) ** 0.25), 2, 4), 1).astype(np.int64)
    firsts = np.repeat(np.cumsum(parts) - parts, parts)
    share = (np.arange(parts.sum()) - firsts) / np.repeat(parts, parts)
    return np.append(np.repeat(stations[:-1], parts) + share * np.repeat(np.diff(stations), parts), stations[-1])


def _first_count(shape: SweepShape, frames: _Frames, inside: tuple[float, float]) -> int:
    """Return how many sections to begin with: one for every STEP the path and the profile turn."""
    curve, carried = frames.arc.curve, frames.carried.params
    low, high = frames.arc.to_params(np.array(inside))
    tangents = curve_tangents(curve, carried[(carried > low) & (carried < high)])
    turn = float(np.arccos(np.clip(np.einsum("ij,ij->i", tangents[:-1], tangents[1:]), -1, 1)).sum())
    twisted = float(np.abs(np.diff(shape.twist.values)).sum())
    return int(np.clip((turn + twisted) / STEP, 8, MOST_STATIONS // 4))


def _is_straight(frames: _Frames, inside: tuple[float, float]) -> bool:
    """Say whether the path is straight between two lengths."""
    points = frames.at(np.linspace(*inside, 17), inside)[0]
    chord = points[-1] - points[0]
    if lengths(chord) < 0.5 * (inside[1] - inside[0]):
        return False  # it comes back: a ring has no chord to be measured against
    return bool(lengths(cross(points - points[0], np.broadcast_to(directions(chord), points.shape))).max() < 1e-9)


def _mitre(runs: list[SectionRun], frames: _Frames, stops: Floats) -> None:
    """Bring both sides of every corner of the path onto the plane halfway between them, moved along their directions."""
    total = len(runs)
    pairs = [(k, k + 1, float(stops[k + 1])) for k in range(total - 1)]
    if frames.closed and (total > 1 or closed_at_kink(frames.arc.curve, SHARP_ANGLE)):
        pairs.append((total - 1, 0, float(stops[-1])))
    for before, after, at in pairs:
        corner = frames.at(np.array([at]), (float(stops[before]), at))
        start = float(stops[after])
        arriving = corner[1][0]
        leaving = frames.at(np.array([start]), (start, float(stops[after + 1])))[1][0]
        if arriving @ leaving < np.cos(STEEPEST):
            raise KernelError("The path turns back too steeply at a corner to be mitred. Round its corners first.")
        normal = directions(arriving + leaving)
        point = corner[0][0]
        _shear(runs, before, -1, arriving, normal, point)
        _shear(runs, after, 0, leaving, normal, point)
        shared = (runs[before].net[:, -1] + runs[after].net[:, 0]) / 2
        for k, end in ((before, -1), (after, 0)):
            runs[k].net[:, end] = shared


def _shear(runs: list[SectionRun], k: int, end: int, along: Floats, normal: Floats, point: Floats) -> None:
    """Move the end row of a run along a direction (3,) onto the plane through a point (3,)."""
    net = runs[k].net.copy()
    points = net[:, end, :3] / net[:, end, 3:]
    away = (point - points) @ normal / (along @ normal)
    net[:, end, :3] = (points + away[:, None] * along) * net[:, end, 3:]
    runs[k] = SectionRun(net, runs[k].degree, runs[k].knots)


def _with_ends(profile: NurbsCurve, runs: list[SectionRun], frames: _Frames, shape: SweepShape) -> list[SectionRun]:
    """Close the ends as asked."""
    closing = []
    flat = middle_of(profile)
    path = frames.arc.curve
    tangents = curve_tangents(path, np.array(path.domain))
    for end, kind in zip((0, -1), shape.ends, strict=True):
        section = from_homogeneous(profile.degree, profile.knots, runs[end].net[:, end])
        # Of one profile the middle goes where its frame takes it; profiles that are blended are looked at.
        middle = None if shape.others else _carried_middle(profile, section, flat)
        closing.append(end_run(section, tangents[end] if end else -tangents[end], kind, at_start=end == 0, middle=middle))
    return [run for run in (closing[0], *runs, closing[1]) if run is not None]


def _carried_middle(profile: NurbsCurve, section: NurbsCurve, flat: Floats) -> Floats:
    """Return where the middle (3,) of a profile lies on one of its sections: both differ by an affine map of the plane."""
    ones = np.ones((len(profile.control_points), 1))
    source = np.hstack((profile.control_points[:, :2], ones))
    matrix = np.linalg.lstsq(source, section.control_points, rcond=None)[0]
    return np.asarray(np.array([flat[0], flat[1], 1.0]) @ matrix)


def _tight_place(profile: NurbsCurve, shape: SweepShape, frames: _Frames, stops: Floats) -> Floats | None:
    """Return the place (3,) of the path where the profile reaches past the centre of the bend, None where it never does."""
    path = frames.arc.curve
    params = span_params(path, int(np.clip(LOOKED_AT // (len(path.breaks) - 1), 2, 24)))
    totals = np.interp(params, frames.arc.params, frames.arc.totals)  # laws vary little within a cell
    values = curve_derivatives(path, params, 2)
    square = np.einsum("ij,ij->i", values[1], values[1])
    along = np.einsum("ij,ij->i", values[1], values[2]) / square
    bend = (values[2] - along[:, None] * values[1]) / square[:, None]
    outline = curve_points(profile, span_params(profile, 8))
    worst, place = 1.0 + 1e-9, None
    for start, end in pairwise(stops):
        mine = np.flatnonzero((totals >= start) & (totals <= end))
        _, _, first, second = frames.at(totals[mine], (float(start), float(end)), params[mine])
        shares = totals[mine] / frames.arc.length
        twist = shape.twist.at(shares)
        size = shape.scale.at(shares)
        x_bend = np.einsum("ij,ij->i", _turned(first, second, twist), bend[mine]) * size
        y_bend = np.einsum("ij,ij->i", _turned(second, -first, twist), bend[mine]) * size
        reach = (np.outer(x_bend, outline[:, 0]) + np.outer(y_bend, outline[:, 1])).max(axis=1)
        if len(reach) and reach.max() > worst:
            worst, place = float(reach.max()), values[0][mine[int(np.argmax(reach))]]
    return place
