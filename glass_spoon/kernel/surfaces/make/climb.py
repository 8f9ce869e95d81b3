"""A curve turned about an axis while it climbs along it: ramps, horns, screw surfaces."""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import ArrayLike

from glass_spoon.kernel.arrays import Floats, cross, directions, lengths
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.make.fit_function import CHECKS, more_spans
from glass_spoon.kernel.errors import InvalidInput, NotFollowed
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.fit_patch import FittedSurface

MOST_ANGLE = 200 * 2 * np.pi
MOST_SPANS = 20_000
FIRST_SPANS = 6
"""Spans of a radian of turn that are tried first."""


def climb_curve(
    profile: NurbsCurve, origin: ArrayLike, axis: ArrayLike, angle: float, rise: float, tolerance: float = 1e-3
) -> FittedSurface:
    """Return the surface of a profile turned by `angle` radians while it climbs `rise` mm a turn, within `tolerance` mm.

    u runs round, along helices, v along the profile. Every control point follows its own helix (a cubic, its end slopes
    exact), so the profile is exact at every angle. Raises InvalidInput for a zero axis or an angle out of range.
    """
    place, unit = np.asarray(origin, dtype=np.float64), directions(np.asarray(axis, dtype=np.float64))
    if not lengths(unit) > 0:
        raise InvalidInput("The axis", "a direction", "a zero vector")
    if not 0 < abs(angle) <= MOST_ANGLE:
        raise InvalidInput("The angle", "above 0° and at most 200 turns", f"{np.degrees(angle):g}°")
    away = profile.control_points - place
    foot = place + (away @ unit)[:, None] * unit
    x_axis = profile.control_points - foot
    y_axis = cross(np.broadcast_to(unit, x_axis.shape), x_axis)
    up = unit * rise / (2 * np.pi) * np.sign(angle)
    count = max(4, round(FIRST_SPANS * abs(angle)))
    while count <= MOST_SPANS:
        turns = np.linspace(0.0, angle, count + 1)
        if angle < 0:
            turns = turns[::-1]
        values, slopes = _helices(foot, x_axis, y_axis, up, turns)
        spline = scipy.interpolate.make_interp_spline(turns, values, k=3, bc_type=([(1, slopes[0])], [(1, slopes[-1])]))  # type: ignore[arg-type]
        between = (turns[:-1, None] + np.diff(turns)[:, None] * CHECKS).ravel()
        off = float(lengths(spline(between) - _helices(foot, x_axis, y_axis, up, between)[0]).max())
        if off <= tolerance:
            weights = np.broadcast_to(profile.weights, (len(spline.c), len(profile.weights)))
            knots = np.asarray(spline.t), profile.knots
            return FittedSurface(NurbsSurface((3, profile.degree), knots, np.asarray(spline.c), weights), off)
        count = more_spans(count, off, tolerance)
    raise NotFollowed("The surface", tolerance)


def _helices(foot: Floats, x_axis: Floats, y_axis: Floats, up: Floats, turns: Floats) -> tuple[Floats, Floats]:
    """Return where control points lie at angles (n,), and how they move: each (n, points, 3)."""
    c, s = np.cos(turns)[:, None, None], np.sin(turns)[:, None, None]
    values = foot + c * x_axis + s * y_axis + turns[:, None, None] * up
    return values, c * y_axis - s * x_axis + up
