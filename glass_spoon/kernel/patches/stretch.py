"""A piece of a curve of a net between two meetings."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives, curve_points, end_tangents

PLACES = 65
"""Places of a stretch at which its normals are told."""


@dataclass(frozen=True, eq=False)
class Stretch:
    """A piece of a curve between two meetings, by its parameters; number: of the curve."""

    number: int
    curve: NurbsCurve
    start: int
    end: int

    @cached_property
    def ways(self) -> Floats:
        """The unit directions (2, 3) in which it leaves its start, and its end backwards."""
        return end_tangents(self.curve) * np.array([[1.0], [-1.0]])

    @cached_property
    def places(self) -> tuple[Floats, Floats]:
        """Parameters (PLACES,) and points (PLACES, 3) along it."""
        params = np.linspace(*self.curve.domain, PLACES)
        return params, curve_points(self.curve, params)

    @cached_property
    def bends(self) -> Floats:
        """The curvature vectors (2, 3) in 1/mm at its start and its end."""
        _, first, second = curve_derivatives(self.curve, np.array(self.curve.domain), 2)
        speed = np.einsum("ij,ij->i", first, first)[:, None]
        along = np.einsum("ij,ij->i", second, first)[:, None]
        scale = np.where(speed > 0, speed, 1.0)
        return np.where(speed > 0, (second - along / scale * first) / scale, 0.0)
