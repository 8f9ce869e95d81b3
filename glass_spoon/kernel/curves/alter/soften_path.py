"""A path whose sharp corners are rounded by arcs or broken by straight pieces, in a plane or in space."""

from __future__ import annotations

from itertools import pairwise
from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, directions, lengths
from glass_spoon.kernel.curves.alter.edit_knots import join_curves, trim_curve
from glass_spoon.kernel.curves.alter.round_corners import SHARP_ANGLE
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import closed_at_kink, find_kinks
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.errors import InvalidInput, KernelError, RadiusTooLarge, place_text

Softening = Literal["rounded", "broken"]


def soften_path(path: NurbsCurve, how: Softening, size: float) -> NurbsCurve:
    """Return the path with an arc of radius `size` mm, or a straight piece that starts `size` mm before, at every corner.

    Corners lie between straight stretches. Raises InvalidInput for a size not above 0, RadiusTooLarge where a stretch is too
    short for both its corners, KernelError at a corner with a bent stretch.
    """
    if size <= 0:
        raise InvalidInput("The size of the corners", "above 0 mm", f"{size:g} mm")
    kinks = find_kinks(path, SHARP_ANGLE)
    closed = path.is_closed(1e-6) and closed_at_kink(path, SHARP_ANGLE)
    if not len(kinks) and not closed:
        return path
    stops = np.concatenate(([path.domain[0]], kinks, [path.domain[1]]))
    runs = [trim_curve(path, float(low), float(high)) for low, high in pairwise(stops)]
    joints = list(pairwise(range(len(runs)))) + ([(len(runs) - 1, 0)] if closed else [])
    cut_start, cut_end = np.zeros(len(runs)), np.zeros(len(runs))
    corners: dict[int, NurbsCurve] = {}
    for before, after in joints:
        reach, corner = _corner(runs[before], runs[after], how, size)
        cut_end[before], cut_start[after], corners[before] = reach, reach, corner
    pieces: list[NurbsCurve] = []
    for k, run in enumerate(runs):
        pieces.append(_shortened(run, float(cut_start[k]), float(cut_end[k]), size))
        if k in corners:
            pieces.append(corners[k])
    return join_curves(pieces)


def _line(run: NurbsCurve, corner: Floats) -> Floats:
    """Return the unit direction (3,) of a straight run; raises KernelError for a bent one."""
    away = run.control_points - run.control_points[0]
    along = directions(away[-1])
    if lengths(away - np.outer(away @ along, along)).max() > 1e-9 * (1 + lengths(away).max()):
        raise KernelError(
            f"The path bends right at its corner at {place_text(corner)}, so this corner cannot be softened here. "
            "Round the corner of the curve itself, or mitre it."
        )
    return along


def _corner(before: NurbsCurve, after: NurbsCurve, how: Softening, size: float) -> tuple[float, NurbsCurve]:
    """Return how much of both runs a softened corner takes, and the piece that takes its place."""
    place = after.control_points[0]
    arriving, leaving = _line(before, place), _line(after, place)
    turn = float(np.arccos(np.clip(arriving @ leaving, -1, 1)))
    if turn > np.radians(179):
        raise KernelError(f"The path turns straight back at {place_text(place)}. Draw it without doubling back.")
    reach = size * np.tan(turn / 2) if how == "rounded" else size
    start, end = place - reach * arriving, place + reach * leaving
    if how == "broken":
        return reach, make_polyline(np.array([start, end]))
    inward = directions(leaving - arriving * (arriving @ leaving))
    return reach, make_arc(start + size * inward, -size * inward, size * arriving, 0.0, turn)


def _shortened(run: NurbsCurve, start: float, end: float, size: float) -> NurbsCurve:
    """Return a run without what its corners take; a bent run has none."""
    if start == 0 and end == 0:
        return run
    ends = run.control_points[[0, -1]]
    length = float(lengths(ends[1] - ends[0]))
    if start + end >= length * (1 - 1e-9):
        raise RadiusTooLarge(size, size * length / (start + end) * (1 - 1e-6), ends[1] if end else ends[0])
    along = (ends[1] - ends[0]) / length
    return make_polyline(np.array([ends[0] + start * along, ends[1] - end * along]))
