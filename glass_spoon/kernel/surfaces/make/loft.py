"""Loft a surface through sections."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Literal

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, directions, lengths
from glass_spoon.kernel.curves.alter.align_sections import align_sections, make_compatible, make_smooth
from glass_spoon.kernel.curves.alter.edit_knots import reverse_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.read.plane_of_curve import find_plane
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.follow_rails import follow_rails
from glass_spoon.kernel.surfaces.make.section_runs import EndShape, SectionRun, end_run, join_runs, middle_of

Spacing = Literal["chordal", "centripetal", "uniform"]
Place = tuple[float, float, float]
Leaving = Literal["free", "square", "place", "level"]


NOSE = float(np.pi / 2)
"""Slope across at the tip of a nose over its width: that of an ellipse run through evenly by angle."""

FINE = 1e-5
"""The share of the size of the sections within which they are written anew."""

FLAT = 1e-3
"""A section counts as flat when it stays within this share of its size of a plane."""


@dataclass(frozen=True)
class LoftShape:
    """How a loft runs from section to section.

    degree: along, 1 to 3; two sections are joined straight unless the loft leaves one squarely.
    closed: on from the last section to the first.
    leaving: at the (start, end) free, square to the plane of the section there, or towards a place. places: those places
    (3,) in mm. tension: how strongly it leaves. ends: shapes of the (start, end), of closed sections; noses: how far in mm
    the surface runs on, rounded, to a tip beyond the (start, end), 0 for not. align: sections are run through so that they
    twist least. rails: up to two curves through all sections that the surface follows.
    """

    degree: int = 3
    spacing: Spacing = "chordal"
    closed: bool = False
    leaving: tuple[Leaving, Leaving] = ("free", "free")
    tension: float = 1.0
    ends: tuple[EndShape, EndShape] = ("open", "open")
    align: bool = True
    places: tuple[Place, Place] = ((0.0, 0.0, 0.0), (0.0, 0.0, 0.0))
    noses: tuple[float, float] = (0.0, 0.0)
    rails: tuple[NurbsCurve, ...] = ()


def loft_sections(sections: list[NurbsCurve], shape: LoftShape, tolerance: float | None = None) -> NurbsSurface:
    """Return the surface through all sections: u along them, v from one to the next (skinning, The NURBS Book, 10.3).

    The surface holds every section exactly, or within `tolerance` mm (FINE times their size when None) where their knots
    would pile up (`make_compatible`) or unlike sections are blended smoothly (`make_smooth`). Between them it is the spline
    of `shape.degree` through their control points, with parameters by the mean chord (equation 10.8). Closed sections give
    a surface that faces outwards.
    Raises InvalidInput for fewer than two sections (three when closed) or a degree out of range, KernelError when two
    sections are the same or their weights cannot be blended.
    """
    least = 3 if shape.closed else 2
    if len(sections) < least:
        raise InvalidInput("The sections", f"{least} or more", str(len(sections)))
    if not 1 <= shape.degree <= 3:
        raise InvalidInput("The degree", "1 to 3", str(shape.degree))
    if shape.closed and shape.ends != ("open", "open"):
        raise InvalidInput("The ends", "open where the loft closes on itself", "closed")
    within = tolerance or FINE * max(float(np.ptp(section.control_points, axis=0).max()) for section in sections)
    own = align_sections(sections) if shape.align else sections
    rows = make_compatible(own, within) if _is_ruled(own, shape) else make_smooth(own, within)
    if rows[0].is_closed(1e-6) and _runs_inward(rows, closed=shape.closed):
        rows = [reverse_curve(row) for row in rows]
    rows, shape = _with_noses(rows, shape)
    run = _through(rows, shape)
    if shape.rails:
        run = follow_rails(rows[0], run, _stations(rows, shape), list(shape.rails), within)
    runs = [run]
    if shape.ends != ("open", "open"):
        runs = _with_ends(rows, runs, shape)
    return join_runs(rows[0], runs)


def _is_ruled(sections: list[NurbsCurve], shape: LoftShape) -> bool:
    """Say whether straight lines join the sections: then even unlike ones have no crease between them."""
    free = shape.leaving == ("free", "free") and not any(shape.noses) and not shape.rails
    return shape.degree == 1 or (len(sections) == 2 and free)


def _with_noses(rows: list[NurbsCurve], shape: LoftShape) -> tuple[list[NurbsCurve], LoftShape]:
    """Return the sections with a tip beyond an end that runs out in a nose; the loft goes through it level across."""
    if not any(shape.noses):
        return rows, shape
    if shape.rails:
        raise InvalidInput("The ends", "without a nose where the loft follows rails", "with one")
    if shape.closed or not rows[0].is_closed(1e-6):
        raise InvalidInput("The sections", "closed, of a loft that is open along, to run out in a nose", "others")
    ends, leaving, places = list(shape.ends), list(shape.leaving), list(shape.places)
    more = list(rows)
    for end, at, neighbour in ((0, 0, 1), (1, -1, -2)):
        if not shape.noses[end]:
            continue
        middle = middle_of(rows[at])
        tip = middle + shape.noses[end] * directions(middle - middle_of(rows[neighbour]))
        point = NurbsCurve(
            rows[at].degree, rows[at].knots, np.broadcast_to(tip, rows[at].control_points.shape), rows[at].weights
        )
        more = [point, *more] if end == 0 else [*more, point]
        ends[end], leaving[end], places[end] = "open", "level", tuple(tip)
    return more, replace(shape, ends=tuple(ends), leaving=tuple(leaving), places=tuple(places), noses=(0.0, 0.0))  # type: ignore[arg-type]


def _stations(rows: list[NurbsCurve], shape: LoftShape) -> Floats:
    """Return the parameters (sections,) at which the loft goes through its sections."""
    nets = np.array([row.homogeneous for row in rows])
    return _params(np.concatenate((nets, nets[:1])) if shape.closed else nets, shape.spacing)


def _runs_inward(rows: list[NurbsCurve], *, closed: bool) -> bool:
    """Say whether normals (round x along) point inwards: by the signed volume between the control nets."""
    nets = [row.control_points for row in rows]
    if closed:
        nets.append(nets[0])
    total = 0.0
    middle = np.mean([net.mean(axis=0) for net in nets], axis=0)
    for before, after in pairwise(nets):
        a, b = before[:-1] - middle, before[1:] - middle
        c, d = after[1:] - middle, after[:-1] - middle
        total += float(np.einsum("ij,ij->", a, np.cross(b, c)) + np.einsum("ij,ij->", a, np.cross(c, d)))
    if closed or total == 0.0:
        return total < 0
    for net, sign in ((nets[0], -1.0), (nets[-1], 1.0)):
        moved = net - middle
        center = moved.mean(axis=0)
        total += sign * float(
            np.einsum("ij,ij->", np.broadcast_to(center, moved[:-1].shape), np.cross(moved[:-1], moved[1:]))
        )
    return total < 0


def _through(rows: list[NurbsCurve], shape: LoftShape) -> SectionRun:
    """Return the run through all rows."""
    nets = np.array([row.homogeneous for row in rows])
    if shape.closed:
        nets = np.concatenate((nets, nets[:1]))
    params = _params(nets, shape.spacing)
    bends = len(nets) > 2 or any(way != "free" for way in shape.leaving)
    degree = 3 if shape.degree == 3 and bends else min(shape.degree, len(nets) - 1)
    if degree == 3 and shape.closed:
        spline = _periodic(params, nets)
    elif degree == 3:
        ends = tuple(_end_condition(rows, nets, params, end, shape) for end in (0, -1))
        spline = scipy.interpolate.make_interp_spline(params, nets, k=3, bc_type=ends)  # type: ignore[arg-type]  # the stubs know no lists of derivatives
    else:
        spline = scipy.interpolate.make_interp_spline(params, nets, k=degree)
    net = np.moveaxis(np.asarray(spline.c), 0, 1)
    if net[..., 3].min() <= 0:
        raise KernelError("The weights of the sections differ too much to be blended. Refit the sections first.")
    return SectionRun(net, degree, np.asarray(spline.t))


def _periodic(params: Floats, nets: Floats) -> scipy.interpolate.BSpline:
    """Return the closed cubic through rows as a spline with clamped knots."""
    pieces = scipy.interpolate.CubicSpline(params, nets, bc_type="periodic")
    slope = pieces(params[0], 1)
    return scipy.interpolate.make_interp_spline(params, nets, k=3, bc_type=([(1, slope)], [(1, slope)]))  # type: ignore[arg-type]


def _params(nets: Floats, spacing: Spacing) -> Floats:
    """Return parameters (sections,): totals of the mean step of the control points, in mm (equation 10.8)."""
    points = nets[..., :3] / nets[..., 3:]
    steps = lengths(np.diff(points, axis=0)).mean(axis=1)
    if steps.min() <= 1e-9:
        at = int(np.argmin(steps)) + 1
        raise KernelError(f"Sections {at} and {at + 1} are the same. Take one of them out or move it.")
    power = {"chordal": 1.0, "centripetal": 0.5, "uniform": 0.0}[spacing]
    shares = steps**power
    return np.concatenate(([0.0], np.cumsum(shares))) * (steps.sum() / shares.sum())


def _end_condition(
    rows: list[NurbsCurve], nets: Floats, params: Floats, end: int, shape: LoftShape
) -> list[tuple[int, Floats]]:
    """Return SciPy's end condition: no bend, or a slope square to the section's plane."""
    if shape.leaving[end] == "free":
        return [(2, np.zeros(nets.shape[1:]))]
    neighbour = 1 if end == 0 else -2
    span = abs(float(params[neighbour] - params[end]))
    if shape.leaving[end] == "place":
        return [(1, _towards(nets[end], np.array(shape.places[end]), span, shape.tension, end))]
    if shape.leaving[end] == "level":
        return [(1, _level_tip(nets, end, neighbour, span, shape.tension))]
    plane = find_plane(rows[end], FLAT * float(np.ptp(rows[end].control_points, axis=0).max() + 1))
    normal = np.cross(*plane.axes)
    along = middle_of(rows[neighbour]) - middle_of(rows[end])
    outward = normal * (1 if normal @ along > 0 else -1)
    direction = outward if end == 0 else -outward
    gap = float(lengths(along)) / abs(float(params[neighbour] - params[end]))
    slope = np.zeros(nets.shape[1:])
    slope[:, :3] = direction * gap * shape.tension * nets[end, :, 3:]
    return [(1, slope)]


def _towards(row: Floats, place: Floats, span: float, tension: float, end: int) -> Floats:
    """Return slopes (round, 4) that leave a section towards a place, or arrive at it as if they came from there."""
    away = place - row[:, :3] / row[:, 3:]
    if float(lengths(away).min()) < 1e-9:
        raise KernelError("The place to leave towards lies on the section. Choose one beside it.")
    slope = np.zeros_like(row)
    slope[:, :3] = (1 if end == 0 else -1) * away * tension / span * row[:, 3:]
    return slope


def _level_tip(nets: Floats, end: int, neighbour: int, span: float, tension: float) -> Floats:
    """Return slopes (round, 4) at a tip that point across the way to the section beside it: a nose without a point."""
    tip, beside = (nets[k][:, :3] / nets[k][:, 3:] for k in (end, neighbour))
    along = directions(beside[:-1].mean(axis=0) - tip[0])  # of a closed section the last control point is the first
    across = beside - tip
    across -= np.outer(across @ along, along)
    slope = np.zeros_like(nets[end])
    slope[:, :3] = (1 if end == 0 else -1) * across * NOSE * tension / span * nets[end][:, 3:]
    return slope


def _with_ends(rows: list[NurbsCurve], runs: list[SectionRun], shape: LoftShape) -> list[SectionRun]:
    """Close the ends of closed sections as asked."""
    if not rows[0].is_closed(1e-6):
        raise InvalidInput("The sections", "closed, to have closed ends", "open")
    outward = directions(middle_of(rows[-1]) - middle_of(rows[-2])), directions(middle_of(rows[0]) - middle_of(rows[1]))
    first = end_run(rows[0], outward[1], shape.ends[0], at_start=True)
    last = end_run(rows[-1], outward[0], shape.ends[1], at_start=False)
    return [run for run in (first, *runs, last) if run is not None]
