"""Move, turn, scale, mirror and flatten curves: affine maps, which a NURBS curve follows exactly with its control points."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.errors import InvalidInput


@dataclass(frozen=True, eq=False)
class Placement:
    """The map x -> matrix x + offset: matrix (3, 3), offset (3,) mm."""

    matrix: Floats
    offset: Floats

    def apply(self, points: Floats) -> Floats:
        """Return points (..., 3) mapped."""
        return points @ self.matrix.T + self.offset

    def then(self, other: Placement) -> Placement:
        """Return the map that does this one first and `other` after."""
        return Placement(other.matrix @ self.matrix, other.matrix @ self.offset + other.offset)


def unit_direction(direction: ArrayLike, name: str = "The direction") -> Floats:
    """Return a direction (3,) scaled to length one; raises InvalidInput when it has none."""
    vector = np.asarray(direction, dtype=np.float64)
    size = float(lengths(vector))
    if not size > 0 or not np.isfinite(size):
        raise InvalidInput(name, "a direction", "a zero vector")
    unit: Floats = vector / size
    return unit


def moving(offset: ArrayLike) -> Placement:
    """Return the map that moves by offset (3,) mm."""
    return Placement(np.eye(3), np.asarray(offset, dtype=np.float64))


def turning(origin: ArrayLike, axis: ArrayLike, angle: float) -> Placement:
    """Return the turn by `angle` radians, right-handed, about the axis (3,) through origin (3,) mm (Rodrigues' formula)."""
    x, y, z = unit_direction(axis, "The axis")
    skew = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    matrix = np.eye(3) + np.sin(angle) * skew + (1 - np.cos(angle)) * (skew @ skew)
    return _about(origin, matrix)


def scaling(origin: ArrayLike, factors: ArrayLike) -> Placement:
    """Return the scaling by factors (3,) along x, y, z about origin (3,) mm; raises InvalidInput for a factor of zero."""
    values = np.asarray(factors, dtype=np.float64)
    if (values == 0).any() or not np.isfinite(values).all():
        raise InvalidInput("A scale factor", "other than 0", "0")
    return _about(origin, np.diag(values))


def mirroring(origin: ArrayLike, normal: ArrayLike) -> Placement:
    """Return the reflection in the plane through origin (3,) mm across normal (3,); its own inverse."""
    n = unit_direction(normal, "The mirror plane's normal")
    return _about(origin, np.eye(3) - 2 * np.outer(n, n))


def flattening(origin: ArrayLike, normal: ArrayLike, along: ArrayLike | None = None) -> Placement:
    """Return the projection along `along` (3,) (the normal when None) onto the plane through origin (3,) across normal (3,).

    Raises InvalidInput when the direction lies in the plane.
    """
    n = unit_direction(normal, "The plane's normal")
    direction = n if along is None else unit_direction(along)
    share = float(n @ direction)
    if abs(share) < 1e-9:
        raise InvalidInput("The direction of projection", "across the plane", "along it")
    return _about(origin, np.eye(3) - np.outer(direction, n) / share)


def _about(origin: ArrayLike, matrix: Floats) -> Placement:
    """Return the map that keeps origin (3,) fixed."""
    center = np.asarray(origin, dtype=np.float64)
    return Placement(matrix, center - matrix @ center)


def place_curve(curve: NurbsCurve, placement: Placement) -> NurbsCurve:
    """Return the curve mapped exactly; the parameters stay."""
    return NurbsCurve(curve.degree, curve.knots, placement.apply(curve.control_points), curve.weights)
