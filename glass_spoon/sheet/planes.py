"""Drawing planes and axes of the sheet: third-angle views of one space, Z up, in mm."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.place_curve import Placement

PLANE_AXES: dict[str, tuple[tuple[float, float, float], tuple[float, float, float]]] = {
    "front": ((1.0, 0.0, 0.0), (0.0, 0.0, 1.0)),
    "side": ((0.0, 1.0, 0.0), (0.0, 0.0, 1.0)),
    "plan": ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0)),
}
"""The right and up directions of each plane: front looks along +y, side (from the right) along -x, plan along -z."""

AXES: dict[str, tuple[float, float, float]] = {
    "upright axis": (0.0, 0.0, 1.0),
    "left-right axis": (1.0, 0.0, 0.0),
    "front-back axis": (0.0, 1.0, 0.0),
}
"""Axes through the origin by name."""


def plane_normal(plane: str) -> Floats:
    """Return the unit vector (3,) towards the viewer of a plane."""
    right, up = PLANE_AXES[plane]
    return np.cross(right, up)


def lift(plane: str, right: Floats, up: Floats, out: Floats | float = 0.0) -> Floats:
    """Return points (n, 3) of plane coordinates right (n,), up (n,) and out towards the viewer, in mm."""
    axes = np.array(PLANE_AXES[plane])
    return np.column_stack((right, up)) @ axes + np.multiply.outer(np.asarray(out, dtype=np.float64), plane_normal(plane))


def plane_placement(plane: str, right: float = 0.0, up: float = 0.0, out: float = 0.0, turn: float = 0.0) -> Placement:
    """Return the map that lays a shape of the xy plane on a drawing plane, turned by `turn` radians, moved by mm."""
    x, y = (np.array(axis) for axis in PLANE_AXES[plane])
    matrix = np.column_stack((np.cos(turn) * x + np.sin(turn) * y, np.cos(turn) * y - np.sin(turn) * x, np.cross(x, y)))
    return Placement(matrix, lift(plane, np.array([right]), np.array([up]), np.array([out]))[0])
