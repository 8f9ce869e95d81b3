"""The tensor-product NURBS surface as a value."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike

from glass_spoon.kernel.arrays import Floats, frozen, lengths
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve, from_homogeneous, make_curve
from glass_spoon.kernel.errors import InvalidInput

POINTED = 0.05
"""Share of a surface's width below which an edge may be a point."""


@dataclass(frozen=True, eq=False)
class NurbsSurface:
    """A rational surface; trusted constructor, see `make_surface`. Axis 0 is u, axis 1 is v.

    degrees: (u, v). knots: one clamped vector an axis. control_points: (nu, nv, 3) mm, unweighted. weights: (nu, nv).
    """

    degrees: tuple[int, int]
    knots: tuple[Floats, Floats]
    control_points: Floats
    weights: Floats

    def __post_init__(self) -> None:
        """Make the arrays read-only."""
        object.__setattr__(self, "knots", (frozen(self.knots[0]), frozen(self.knots[1])))
        object.__setattr__(self, "control_points", frozen(self.control_points))
        object.__setattr__(self, "weights", frozen(self.weights))

    def domain(self, axis: int) -> tuple[float, float]:
        """First and last parameter of an axis."""
        degree, knots = self.degrees[axis], self.knots[axis]
        return float(knots[degree]), float(knots[-degree - 1])

    @cached_property
    def homogeneous(self) -> Floats:
        """Control points (nu, nv, 4) as (w x, w y, w z, w)."""
        return frozen(np.concatenate((self.control_points * self.weights[..., None], self.weights[..., None]), axis=2))

    @cached_property
    def key(self) -> str:
        """Hash of the content: two surfaces of one key are the same, whichever objects they are."""
        digest = hashlib.blake2b(str(self.degrees).encode(), digest_size=16)
        for part in (*self.knots, self.control_points, self.weights):
            digest.update(np.ascontiguousarray(part).tobytes())
        return digest.hexdigest()

    @cached_property
    def is_rational(self) -> bool:
        """True when the weights differ."""
        return bool(np.ptp(self.weights) > 1e-14 * self.weights.max())

    @cached_property
    def size(self) -> float:
        """Largest extent of the control net in mm."""
        return float(np.ptp(self.control_points.reshape(-1, 3), axis=0).max())

    def is_closed(self, axis: int, tolerance: float) -> bool:
        """Say whether the two edges across an axis coincide within `tolerance` mm."""
        first, last = np.take(self.control_points, 0, axis), np.take(self.control_points, -1, axis)
        return bool(lengths(first - last).max() <= tolerance)

    def is_pole(self, axis: int, end: int, tolerance: float) -> bool:
        """Say whether the first (end = 0) or the last (end = -1) edge across an axis is one point within `tolerance` mm.

        It is small beside what the surface is wide, too: a strip that is narrow all along has no pole.
        """
        rows = np.moveaxis(self.control_points, axis, 0)
        spreads = lengths(rows - rows[:, :1]).max(axis=1)
        return bool(spreads[end] <= min(tolerance, POINTED * spreads.max()))


def make_surface(
    degrees: tuple[int, int],
    knots: tuple[ArrayLike, ArrayLike],
    control_points: ArrayLike,
    weights: ArrayLike | None = None,
) -> NurbsSurface:
    """Return a surface from checked parts (shapes and units as in NurbsSurface).

    Raises InvalidInput as `make_curve` does, for either axis.
    """
    points = np.asarray(control_points, dtype=np.float64)
    if points.ndim != 3 or points.shape[2] != 3:
        raise InvalidInput("The control points", "a net of x, y, z", f"an array of shape {points.shape}")
    mass = np.ones(points.shape[:2]) if weights is None else np.asarray(weights, dtype=np.float64)
    if mass.shape != points.shape[:2]:
        raise InvalidInput("The weights", f"a net of {points.shape[:2]}", f"{mass.shape}")
    for row, row_mass in zip(points, mass, strict=True):
        make_curve(degrees[1], knots[1], row, row_mass)
    make_curve(degrees[0], knots[0], points[:, 0], mass[:, 0])
    clean = (np.asarray(knots[0], dtype=np.float64), np.asarray(knots[1], dtype=np.float64))
    return NurbsSurface(degrees, clean, points, mass)


def surface_from_homogeneous(degrees: tuple[int, int], knots: tuple[Floats, Floats], homogeneous: Floats) -> NurbsSurface:
    """Return the surface of homogeneous control points (nu, nv, 4)."""
    weights = homogeneous[..., 3]
    return NurbsSurface(degrees, knots, homogeneous[..., :3] / weights[..., None], weights)


def edge_curve(surface: NurbsSurface, axis: int, end: int) -> NurbsCurve:
    """Return the edge curve that runs along `axis`, at the start (end = 0) or the last (end = -1) of the other axis."""
    return from_homogeneous(surface.degrees[axis], surface.knots[axis], np.take(surface.homogeneous, end, axis=1 - axis))
