"""Where an item is and how it stands: an origin and three axes of its own, which go with it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats, directions
from glass_spoon.kernel.curves.alter.place_curve import Placement


@dataclass(frozen=True, eq=False)
class Frame:
    """An origin (3,) in mm, and unit axes (3, 3), the rows of which point right, back and up."""

    origin: Floats
    axes: Floats

    def placed(self, placement: Placement) -> Frame:
        """Return the frame placed: its axes stay square and right-handed, the upright one as it is taken along."""
        up = directions(placement.matrix @ self.axes[2])
        right = placement.matrix @ self.axes[0]
        right = directions(right - (right @ up) * up)
        return Frame(placement.apply(self.origin), np.stack((right, np.cross(up, right), up)))

    def onto(self, other: Frame) -> Placement:
        """Return the rigid map that takes this frame to another."""
        matrix = other.axes.T @ self.axes
        return Placement(matrix, other.origin - matrix @ self.origin)


def upright_frame(origin: Floats, up: Floats) -> Frame:
    """Return a frame at a place (3,) that stands along a way (3,), turned about it as little as can be."""
    top = directions(up)
    right = np.array([1.0, 0.0, 0.0]) - top[0] * top
    if float(np.linalg.norm(right)) < 1e-6:
        right = np.array([0.0, 1.0, 0.0]) - top[1] * top
    right = directions(right)
    return Frame(np.asarray(origin, dtype=np.float64), np.stack((right, np.cross(top, right), top)))
