"""Drawing planes and axes of the sheet: third-angle views of one space, Z up, in mm."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats

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


def lift(plane: str, right: Floats, up: Floats) -> Floats:
    """Return points (n, 3) of plane coordinates right (n,) and up (n,) in mm."""
    axes = np.array(PLANE_AXES[plane])
    return np.column_stack((right, up)) @ axes
