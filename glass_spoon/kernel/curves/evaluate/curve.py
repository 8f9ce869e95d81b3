"""The NURBS curve as a value."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike

from glass_spoon.kernel.arrays import Floats, checked_points, frozen, lengths
from glass_spoon.kernel.errors import InvalidInput


@dataclass(frozen=True, eq=False)
class NurbsCurve:
    """A rational B-spline curve with clamped knots; trusted constructor, see `make_curve` for the checked one.

    degree: 1 or more. knots: (control points + degree + 1,), not falling. control_points: (n, 3) mm, unweighted.
    weights: (n,), positive. A sharp point is a knot of multiplicity `degree`.
    """

    degree: int
    knots: Floats
    control_points: Floats
    weights: Floats

    def __post_init__(self) -> None:
        """Make the arrays read-only."""
        for name in ("knots", "control_points", "weights"):
            object.__setattr__(self, name, frozen(getattr(self, name)))

    @property
    def domain(self) -> tuple[float, float]:
        """First and last parameter."""
        return float(self.knots[self.degree]), float(self.knots[-self.degree - 1])

    @cached_property
    def homogeneous(self) -> Floats:
        """Control points (n, 4) as (w x, w y, w z, w)."""
        return frozen(np.column_stack((self.control_points * self.weights[:, None], self.weights)))

    @cached_property
    def key(self) -> str:
        """Hash of the content: two curves of one key are the same, whichever objects they are."""
        digest = hashlib.blake2b(str(self.degree).encode(), digest_size=16)
        for part in (self.knots, self.control_points, self.weights):
            digest.update(np.ascontiguousarray(part).tobytes())
        return digest.hexdigest()

    @property
    def net(self) -> Floats:
        """What the basis functions weigh: the control points (n, 3) of a plain curve, else the homogeneous ones (n, 4)."""
        return self.control_points if self.is_plain else self.homogeneous

    @cached_property
    def is_rational(self) -> bool:
        """True when the weights differ."""
        return bool(np.ptp(self.weights) > 1e-14 * self.weights.max())

    @cached_property
    def is_plain(self) -> bool:
        """True when every weight is exactly one: points are then sums of the control points alone."""
        return bool((self.weights == 1.0).all())

    @cached_property
    def breaks(self) -> Floats:
        """Distinct knots of the domain, ends included."""
        return frozen(np.unique(self.knots[self.degree : len(self.knots) - self.degree]))

    def is_closed(self, tolerance: float) -> bool:
        """Say whether both ends lie within `tolerance` mm of each other."""
        return bool(lengths(self.control_points[-1] - self.control_points[0]) <= tolerance)


def make_curve(degree: int, knots: ArrayLike, control_points: ArrayLike, weights: ArrayLike | None = None) -> NurbsCurve:
    """Return a curve from checked parts (shapes and units as in NurbsCurve).

    Raises InvalidInput for a degree below one, too few points, falling or unclamped knots, weights not positive.
    """
    if degree < 1:
        raise InvalidInput("The degree", "1 or more", str(degree))
    points = checked_points(control_points, "Control points", degree + 1)
    values = np.asarray(knots, dtype=np.float64)
    if values.shape != (len(points) + degree + 1,):
        raise InvalidInput("The knots", f"{len(points) + degree + 1} numbers", f"{values.size}")
    _check_knots(values, degree)
    mass = np.ones(len(points)) if weights is None else np.asarray(weights, dtype=np.float64)
    if mass.shape != (len(points),) or not (mass > 0).all() or not np.isfinite(mass).all():
        raise InvalidInput("The weights", f"{len(points)} positive numbers", f"{mass.size} others")
    return NurbsCurve(degree, values, points, mass)


def _check_knots(knots: Floats, degree: int) -> None:
    """Raise InvalidInput unless knots are finite, not falling, clamped, with inner multiplicity up to the degree."""
    if not np.isfinite(knots).all() or (np.diff(knots) < 0).any():
        raise InvalidInput("The knots", "finite numbers that never fall", "otherwise")
    first, last = knots[: degree + 1], knots[-degree - 1 :]
    if np.ptp(first) > 0 or np.ptp(last) > 0 or first[0] >= last[0]:
        raise InvalidInput("The knots", f"clamped: {degree + 1} equal knots at each end", "not clamped")
    inner = knots[degree + 1 : -degree - 1]
    if len(inner) and np.unique(inner, return_counts=True)[1].max() > degree:
        raise InvalidInput("The knots", f"repeated at most {degree} times inside", "repeated more often")


def from_homogeneous(degree: int, knots: Floats, homogeneous: Floats) -> NurbsCurve:
    """Return the curve of homogeneous control points (n, 4)."""
    weights = homogeneous[:, 3]
    return NurbsCurve(degree, knots, homogeneous[:, :3] / weights[:, None], weights)
