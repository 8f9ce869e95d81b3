"""Space drawn towards a curve, or pushed away from it, within a reach: a styling line, a ridge, a groove."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points

Fading = Literal["softly", "evenly", "sharply"]

_POWERS: Mapping[str, tuple[float, float]] = {"softly": (2.0, 2.0), "evenly": (1.0, 1.0), "sharply": (1.0, 3.0)}
"""Of each fading, p and q in (1 - share^p)^q. With a strength of 1 at most none of them folds: the distance from the curve,
d (1 - s (1 - (d/r)^p)^q), grows with d.
"""


@dataclass(frozen=True, eq=False)
class Pinch:
    """Takes points within `reach` mm of a curve towards it: at the curve by `strength` of the way, -1 to 1, fading
    to nothing at the reach; below zero away from it.
    """

    curve: NurbsCurve
    strength: float
    reach: float
    fading: Fading = "softly"

    @property
    def placement(self) -> Placement | None:
        """None: it bends straight lines."""
        return None

    def apply(self, points: Floats) -> Floats:
        """Return where points (n, 3) go."""
        result = np.array(points, dtype=np.float64)
        low, high = (which(self.curve.control_points, axis=0) for which in (np.min, np.max))
        near = np.flatnonzero(((points >= low - self.reach) & (points <= high + self.reach)).all(axis=1))
        if not len(near):
            return result
        params, away = closest_params(self.curve, points[near])
        within = away < self.reach
        near, share = near[within], away[within] / self.reach
        feet = curve_points(self.curve, params[within])
        inner, outer = _POWERS[self.fading]
        weight = self.strength * (1 - share**inner) ** outer
        result[near] += weight[:, None] * (feet - result[near])
        return result
