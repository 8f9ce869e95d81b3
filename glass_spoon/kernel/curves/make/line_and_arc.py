"""Exact lines, poly-lines and circular arcs."""

from __future__ import annotations

from math import ceil, cos, pi

import numpy as np
from numpy.typing import ArrayLike

from glass_spoon.kernel.arrays import checked_points, lengths
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.errors import InvalidInput


def make_polyline(points: ArrayLike) -> NurbsCurve:
    """Return the curve of degree 1 through points (n, 3) mm; its parameter is the length.

    Raises InvalidInput when two neighbours coincide.
    """
    array = checked_points(points, "Points", 2)
    steps = lengths(np.diff(array, axis=0))
    if (steps <= 0).any():
        at = int(np.argmin(steps))
        raise InvalidInput(f"Point {at + 2}", "apart from the one before it", "at the same place")
    totals = np.concatenate(([0.0], np.cumsum(steps)))
    knots = np.concatenate(([0.0], totals, totals[-1:]))
    return NurbsCurve(1, knots, array, np.ones(len(array)))


def make_arc(center: ArrayLike, x_axis: ArrayLike, y_axis: ArrayLike, start: float, end: float) -> NurbsCurve:
    """Return the exact elliptic arc center + x cos(a) + y sin(a) for a from start to end (radians), degree 2.

    x_axis and y_axis (3,) carry the radii in mm; for equal lengths at right angles the arc is circular. The sweep is cut
    into equal pieces of at most a quarter turn (The NURBS Book, algorithm A7.1).
    Raises InvalidInput when the sweep is zero or over a whole turn.
    """
    sweep = end - start
    if not 0 < abs(sweep) <= 2 * pi + 1e-12:
        raise InvalidInput("The arc's angle", "above 0 and at most 360°", f"{np.degrees(sweep):g}°")
    unit, weights, knots = unit_arc(sweep)
    angles = start + unit
    ring = np.column_stack((np.cos(angles), np.sin(angles))) / weights[:, None]
    axes = np.array([x_axis, y_axis], dtype=np.float64)
    control = np.asarray(center, dtype=np.float64) + ring @ axes
    if abs(abs(sweep) - 2 * pi) < 1e-12:
        control[-1] = control[0]
    return NurbsCurve(2, knots, control, weights)


def unit_arc(sweep: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return angles (n,), weights (n,) and knots of the unit arc over `sweep` radians, in pieces up to a quarter turn.

    Control point i lies at angle i and radius 1 / weights[i]; the knots run from 0 to 1.
    """
    pieces = max(1, ceil(abs(sweep) / (pi / 2) - 1e-9))
    count = 2 * pieces + 1
    angles = np.linspace(0.0, sweep, count)
    weights = np.where(np.arange(count) % 2, cos(abs(sweep) / pieces / 2), 1.0)
    inner = np.repeat(np.arange(1, pieces) / pieces, 2)
    return angles, weights, np.concatenate((np.zeros(3), inner, np.ones(3)))
