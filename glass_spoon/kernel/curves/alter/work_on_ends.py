"""Work on the ends of curves: cut a corner off, lengthen, trim to another curve, join, and blend between two ends."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.alter.edit_knots import (
    join_curves,
    rescale_domain,
    reverse_curve,
    split_curve,
    trim_curve,
)
from glass_spoon.kernel.curves.alter.follow_length import chain_curves
from glass_spoon.kernel.curves.alter.round_corners import SHARP_ANGLE, move_seam, sharp_params
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import closed_at_kink, curve_derivatives, curve_points, curve_tangents
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.curves.read.cross_curves import find_crossings
from glass_spoon.kernel.errors import InvalidInput, KernelError, RadiusTooLarge

End = Literal["start", "end"]
JoinWay = Literal["first moves", "second moves", "both meet halfway", "a blend between", "a line between"]

AS_NEAR = 1e-6
"""Share of a distance within which another is as large."""


@dataclass(frozen=True, eq=False)
class EndState:
    """A place (3,) mm, the unit tangent (3,) leaving the curve there, and the curvature vector (3,) in 1/mm."""

    place: Floats
    tangent: Floats
    bend: Floats


def end_state(curve: NurbsCurve, end: End) -> EndState:
    """Return what a blend needs of an end; the tangent points away from the curve."""
    at = np.array([curve.domain[0] if end == "start" else curve.domain[1]])
    values = curve_derivatives(curve, at, 2)[:, 0]
    tangent = curve_tangents(curve, at)[0]
    square = float(values[1] @ values[1])
    bend = np.zeros(3) if not square > 0 else (values[2] - (values[2] @ tangent) * tangent) / square
    return EndState(values[0], tangent if end == "end" else -tangent, bend)


def chamfer_corners(curve: NurbsCurve, setback: ArrayLike, tolerance: float = 1e-6) -> NurbsCurve:
    """Return the curve with straight cuts across its sharp points, `setback` mm along the curve on both sides.

    One value, or one for each sharp point, a sharp seam of a closed curve first; 0 leaves a point as it is. Raises
    InvalidInput for negative values or a smooth curve, RadiusTooLarge with the largest that fits its run.
    """
    values = np.atleast_1d(np.asarray(setback, dtype=np.float64))
    if (values < 0).any() or not (values > 0).any() or not np.isfinite(values).all():
        raise InvalidInput("The chamfer", "above 0 mm", f"{values.min():g} mm")
    if curve.is_closed(tolerance) and closed_at_kink(curve, SHARP_ANGLE):
        curve, values = move_seam(curve), np.roll(values, -1)
    corners = sharp_params(curve)
    if len(values) not in (1, len(corners)) or not len(corners):
        wanted = f"one, or {len(corners)}: one for each sharp point" if len(corners) else "for a curve with sharp points"
        raise InvalidInput("The chamfers", wanted, f"{len(values)}")
    back = np.broadcast_to(values, corners.shape)
    arc = measure_length(curve)
    at = arc.at_params(corners)
    stops = np.concatenate(([0.0], at, [arc.length]))
    _check_setbacks(curve, corners, back, np.diff(stops))
    before, after = arc.to_params(at - back), arc.to_params(at + back)
    starts, ends = np.append(curve.domain[0], after), np.append(before, curve.domain[1])
    pieces: list[NurbsCurve] = []
    for number, (start, end) in enumerate(zip(starts, ends, strict=True)):
        if end - start > 1e-9 * (curve.domain[1] - curve.domain[0]):
            pieces.append(trim_curve(curve, float(start), float(end)))
        if number < len(corners) and back[number] > 0:
            pieces.append(make_polyline(curve_points(curve, np.array([before[number], after[number]]))))
    return chain_curves(pieces)


def _check_setbacks(curve: NurbsCurve, corners: Floats, back: Floats, runs: Floats) -> None:
    """Raise RadiusTooLarge for the first corner whose cut does not leave room on a run beside it."""
    needed = np.append(back, 0.0) + np.append(0.0, back)
    for k in np.flatnonzero(needed > runs * (1 + 1e-12)):
        beside = [c for c in (int(k) - 1, int(k)) if 0 <= c < len(corners)]
        corner = max(beside, key=lambda c: float(back[c]))
        largest = float(back[corner] * runs[k] / needed[k])
        raise RadiusTooLarge(float(back[corner]), largest, curve_points(curve, corners[corner : corner + 1])[0])


def extend_curve(curve: NurbsCurve, end: End, length: float, way: Literal["straight", "round"] = "straight") -> NurbsCurve:
    """Return the curve made longer by `length` mm at one end: straight on, or round with the curvature it ends with.

    Raises InvalidInput for a length not above zero, or a round extension of more than a whole turn.
    """
    if not length > 0:
        raise InvalidInput("The length", "above 0 mm", f"{length:g} mm")
    state = end_state(curve, end)
    curvature = float(lengths(state.bend))
    if way == "straight" or curvature * length < 1e-9:
        piece = make_polyline([state.place, state.place + length * state.tangent])
    else:
        if length * curvature > 2 * np.pi:
            raise InvalidInput("The length", f"at most a whole turn, {2 * np.pi / curvature:.6g} mm", f"{length:g} mm")
        out = -state.bend / curvature**2
        piece = make_arc(state.place - out, out, state.tangent / curvature, 0.0, length * curvature)
    return _attach(curve, piece, end)


def _attach(curve: NurbsCurve, piece: NurbsCurve, end: End) -> NurbsCurve:
    """Return a curve with a piece, which starts at one of its ends and leaves it, set on; the speed runs on."""
    speed = float(lengths(curve_derivatives(curve, np.array([curve.domain[0 if end == "start" else 1]]), 1)[1, 0]))
    ahead = float(lengths(curve_derivatives(piece, np.array([piece.domain[0]]), 1)[1, 0]))
    wide = (piece.domain[1] - piece.domain[0]) * (ahead / speed if speed > 0 else 1.0)
    piece = rescale_domain(piece, 0.0, wide)
    return join_curves([curve, piece]) if end == "end" else join_curves([reverse_curve(piece), curve])


def trim_to(
    curve: NurbsCurve, other: NurbsCurve, keep: Literal["start", "middle", "end"], tolerance: float = 1e-4
) -> NurbsCurve:
    """Return the piece of a curve up to its first crossing with another, between the first and last, or after the last.

    Raises KernelError when they do not meet often enough within `tolerance` mm.
    """
    at = find_crossings(curve, other, tolerance)[0]
    low, high = curve.domain
    at = at[(at > low + 1e-9 * (high - low)) & (at < high - 1e-9 * (high - low))]
    least = 2 if keep == "middle" else 1
    if len(at) < least:
        times = {0: "nowhere", 1: "only once"}[len(at)]
        raise KernelError(f"The two curves meet {times}. Move one across the other, or extend it first.")
    if keep == "start":
        return split_curve(curve, float(at[0]))[0]
    return split_curve(curve, float(at[-1]))[1] if keep == "end" else trim_curve(curve, float(at[0]), float(at[-1]))


def extend_to(
    curve: NurbsCurve, other: NurbsCurve, end: End, way: Literal["straight", "round"] = "straight", tolerance: float = 1e-4
) -> NurbsCurve:
    """Return the curve extended from one end until it meets another.

    Raises KernelError when the extension never meets it within `tolerance` mm.
    """
    state = end_state(curve, end)
    reach = float(lengths(other.control_points - state.place).max()) * 1.5 + 1.0
    curvature = float(lengths(state.bend))
    if way == "round" and curvature > 0:
        reach = min(reach, 2 * np.pi / curvature * (1 - 1e-9))
    longer = extend_curve(curve, end, reach, way)
    piece = split_curve(longer, curve.domain[1])[1] if end == "end" else reverse_curve(_before(longer, curve))
    at = find_crossings(piece, other, tolerance)[0]
    at = at[at > piece.domain[0] + 1e-9 * (piece.domain[1] - piece.domain[0])]
    if not len(at):
        raise KernelError(f"Extended {way} from its {end}, the curve never meets the other one.")
    return _attach(curve, split_curve(piece, float(at[0]))[0] if at[0] < piece.domain[1] else piece, end)


def _before(longer: NurbsCurve, curve: NurbsCurve) -> NurbsCurve:
    """Return what was set on before a curve's start: the joint is the knot as far from the end as its domain is long."""
    joint = longer.domain[1] - (curve.domain[1] - curve.domain[0])
    nearest = longer.breaks[int(np.argmin(np.abs(longer.breaks - joint)))]
    return split_curve(longer, float(nearest))[0]


def blend_ends(
    first: NurbsCurve,
    first_end: End,
    second: NurbsCurve,
    second_end: End,
    continuity: int,
    bulge: tuple[float, float] = (1.0, 1.0),
) -> NurbsCurve:
    """Return the curve between two ends that continues both: place (0), tangent (1) or curvature too (2).

    A Bezier curve of degree 2 continuity + 1. `bulge` (above 0) scales the speed with which it leaves each end, of which
    1 is the distance between them. With curvature the second derivative is the bend times the speed squared (G2, not C2).
    """
    if continuity not in (0, 1, 2):
        raise InvalidInput("The continuity", "0, 1 or 2", str(continuity))
    if not min(bulge) > 0 or not np.isfinite(bulge).all():
        raise InvalidInput("The bulge", "above 0", f"{min(bulge):g}")
    a, b = end_state(first, first_end), end_state(second, second_end)
    gap = float(lengths(b.place - a.place))
    if not gap > 0:
        raise InvalidInput("The two ends", "apart from each other", "at the same place")
    degree = 2 * continuity + 1
    sides = [_leaving(state, gap * size, degree, continuity) for state, size in zip((a, b), bulge, strict=True)]
    control = [a.place, *sides[0], *sides[1][::-1], b.place]
    knots = np.repeat([0.0, 1.0], degree + 1)
    return NurbsCurve(degree, knots, np.array(control), np.ones(degree + 1))


def _leaving(state: EndState, speed: float, degree: int, continuity: int) -> list[Floats]:
    """Return the Bezier points after an end point that give tangent and curvature there."""
    first = state.place + state.tangent * speed / degree
    if continuity == 0:
        return []
    if continuity == 1:
        return [first]
    return [first, 2 * first - state.place + state.bend * speed**2 / (degree * (degree - 1))]


@dataclass(frozen=True)
class Joint:
    """Two curves joined: the curve, which ends met, how far they were apart (mm), and whether other ends are as near."""

    curve: NurbsCurve
    first_end: End
    second_end: End
    gap: float
    is_a_choice: bool


def join_ends(
    first: NurbsCurve,
    second: NurbsCurve,
    way: JoinWay,
    tolerance: float,
    first_end: End | None = None,
    second_end: End | None = None,
) -> Joint:
    """Return one curve of two, at the ends that are said or at their nearest ones; it runs from the first to the second.

    way: what happens when the ends are further apart than `tolerance` (mm). "first moves" or "second moves" takes only that
    curve's end point to the other's; "both meet halfway" moves both; "a blend between" leaves both where they are and adds a
    tangent piece, "a line between" a straight one. Ends within the tolerance meet where the moved end of the other lies. All
    other control points stay.
    """
    at_first, at_second, is_a_choice = _ends_to_join(first, second, first_end, second_end)
    a = first if at_first == "end" else reverse_curve(first)
    b = second if at_second == "start" else reverse_curve(second)
    leaving, arriving = a.control_points[-1], b.control_points[0]
    gap = float(lengths(leaving - arriving))
    if way == "a blend between" and gap > tolerance:
        pieces = [a, blend_ends(a, "end", b, "start", 1), b]
    elif way == "a line between" and gap > tolerance:
        pieces = [a, make_polyline([leaving, arriving]), b]
    else:
        meet = {"first moves": arriving, "second moves": leaving}.get(way, (leaving + arriving) / 2)
        pieces = [_with_end(a, -1, meet), _with_end(b, 0, meet)]
    return Joint(chain_curves(pieces), at_first, at_second, gap, is_a_choice)


def _ends_to_join(
    first: NurbsCurve, second: NurbsCurve, first_end: End | None, second_end: End | None
) -> tuple[End, End, bool]:
    """Return which ends meet, and whether another pair that was allowed is as near."""
    names: tuple[End, End] = ("start", "end")
    pairs = [
        (at_first, at_second)
        for at_first in (names[::-1] if first_end is None else (first_end,))
        for at_second in (names if second_end is None else (second_end,))
    ]
    places = {
        (which, name): curve.control_points[-(name == "end")]
        for which, curve in enumerate((first, second))
        for name in names
    }
    gaps = np.array([float(lengths(places[0, one] - places[1, other])) for one, other in pairs])
    near = np.isclose(gaps, gaps.min(), rtol=AS_NEAR, atol=AS_NEAR * float(gaps.max()))
    return *pairs[int(np.argmax(near))], int(near.sum()) > 1


def _with_end(curve: NurbsCurve, index: int, place: Floats) -> NurbsCurve:
    """Return the curve with its first (0) or last (-1) control point at another place."""
    control = curve.control_points.copy()
    control[index] = place
    return NurbsCurve(curve.degree, curve.knots, control, curve.weights)
