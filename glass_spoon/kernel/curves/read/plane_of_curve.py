"""The plane in which a planar curve lies."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.errors import InvalidInput

TOWARDS = np.array([0.3, -0.5, 1.0])
"""Of the two sides of a plane the one that counts: above, in front, to the right."""


@dataclass(frozen=True, eq=False)
class Plane:
    """An origin (3,) mm and two unit axes at right angles, rows of `axes` (2, 3)."""

    origin: Floats
    axes: Floats

    def flatten(self, vectors: Floats) -> Floats:
        """Return the plane coordinates (n, 2) of vectors (n, 3), without the origin."""
        return vectors @ self.axes.T

    def lift(self, flat: Floats) -> Floats:
        """Return points (n, 3) of plane coordinates (n, 2)."""
        return self.origin + flat @ self.axes


def find_plane(curve: NurbsCurve, tolerance: float) -> Plane:
    """Return the plane of a curve by the singular vectors of its control points.

    Raises InvalidInput when a control point lies more than `tolerance` mm off the plane.
    """
    origin = curve.control_points.mean(axis=0)
    _, _, rows = np.linalg.svd(curve.control_points - origin, full_matrices=True)
    off = np.abs((curve.control_points - origin) @ rows[2]).max()
    if off > tolerance:
        raise InvalidInput("The curve", "flat", f"{off:.3g} mm out of its plane")
    return Plane(origin, rows[:2])
