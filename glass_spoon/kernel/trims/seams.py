"""Runs over seams of surfaces that close, and over lines where surfaces are only once smooth."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.edit_knots import trim_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface

CLOSED = 1e-9
"""Share of its size within which a surface closes."""

SHORT = 1e-9
"""Share of a domain below which a stretch is none."""

BEYOND = 1e-6
"""Share of a period by which a run may go over a seam and be within it: runs are found to less than that."""

SEAM_PLACES, HALVINGS = 400, 50
"""Places of a run between which it is looked for seams, and halvings to one."""


def rough_knots(knots: Floats, degree: int) -> Floats:
    """Return the inner knots at which a spline is only once smooth."""
    values, times = np.unique(knots, return_counts=True)
    return np.asarray(values[1:-1][times[1:-1] >= max(degree - 1, 1)])


def bounds_of(surface: NurbsSurface, axis: int) -> tuple[float, float]:
    """Return the parameters of an axis within which it is asked: any where it closes, as they go round."""
    closed = surface.is_closed(axis, CLOSED * surface.size)
    return (-np.inf, np.inf) if closed else surface.domain(axis)


def wrapped(params: Floats, surface: NurbsSurface) -> Floats:
    """Return params (n, 2) within the domain of a surface: taken round where an axis closes, else to its ends."""
    found = params.copy()
    for axis in (0, 1):
        low, high = surface.domain(axis)
        outside = (found[:, axis] < low) | (found[:, axis] > high)
        if not outside.any():
            continue
        if surface.is_closed(axis, CLOSED * surface.size):
            found[outside, axis] = low + np.mod(found[outside, axis] - low, high - low)
        else:
            found[outside, axis] = np.clip(found[outside, axis], low, high)
    return found


def within_domain(run: NurbsCurve, surface: NurbsSurface) -> list[NurbsCurve]:
    """Return the stretches of a run (u, v, 0) between seams of a surface, each moved into its domain; parameters stay."""
    pieces = [run]
    for axis in (0, 1):
        if surface.is_closed(axis, CLOSED * surface.size):
            pieces = [part for piece in pieces for part in _between_seams(piece, axis, surface)]
    return pieces


def _between_seams(run: NurbsCurve, axis: int, surface: NurbsSurface) -> list[NurbsCurve]:
    """Return the stretches of a run within whole periods of an axis, moved into the first."""
    (low, high), sizes = surface.domain(axis), np.array([np.ptp(surface.domain(k)) for k in (0, 1)])
    period, values = high - low, run.control_points[:, axis]
    near = BEYOND * period
    if values.min() >= low - near and values.max() <= high + near:
        return [run]
    stops = [float(run.domain[0]), float(run.domain[1])]
    params = np.linspace(*run.domain, SEAM_PLACES)
    turns = np.floor((curve_points(run, params)[:, axis] - low) / period)
    for k in np.flatnonzero(np.diff(turns)).tolist():
        wanted = low + period * max(turns[k], turns[k + 1])
        a, b = params[k], params[k + 1]
        under = curve_points(run, np.array([a]))[0, axis] < wanted
        for _ in range(HALVINGS):
            middle = (a + b) / 2
            a, b = (middle, b) if (curve_points(run, np.array([middle]))[0, axis] < wanted) == under else (a, middle)
        stops.append(float(a + b) / 2)
    stops = sorted(stops)
    parts = [trim_curve(run, a, b) for a, b in pairwise(stops) if b - a > SHORT]
    moved = []
    for part in parts:
        if len(parts) > 1 and (np.ptp(part.control_points, axis=0)[:2] < BEYOND * sizes).all():
            continue
        middle = curve_points(part, np.array([sum(part.domain) / 2]))[0, axis]
        points = part.control_points.copy()
        points[:, axis] -= period * np.floor((middle - low) / period)
        moved.append(replace(part, control_points=points))
    return moved
