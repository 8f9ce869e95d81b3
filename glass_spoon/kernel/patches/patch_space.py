"""The space in which patches are sought: tensor splines of degree five over even spans of the unit square."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache
from math import comb

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.evaluate.basis import basis_matrix
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface

DEGREE = 5
CHECKS = 97
"""Places of a side at which it is told how far its spline is off."""


@dataclass(frozen=True)
class PatchSpace:
    """Splines of DEGREE over `spans` even spans of 0 to 1, along both axes of a patch."""

    spans: int

    @property
    def count(self) -> int:
        """Control points along an axis."""
        return self.spans + DEGREE

    @cached_property
    def knots(self) -> Floats:
        """The clamped knots (count + 6,)."""
        return np.concatenate((np.zeros(DEGREE), np.linspace(0, 1, self.spans + 1), np.ones(DEGREE)))

    @cached_property
    def samples(self) -> Floats:
        """Shares (2 count,) of an edge at which conditions are asked for."""
        return (np.arange(2 * self.count) + 0.5) / (2 * self.count)

    def matrix(self, shares: Floats, order: int = 0) -> Floats:
        """Return the `order`-th derivatives (n, count) of all splines of an axis at shares (n,)."""
        return basis_matrix(self.knots, DEGREE, shares, order)

    def fit_side(self, places: Floats, shares: Floats) -> tuple[Floats, float]:
        """Return the control points (count, 3) of the spline nearest to places (n, 3) at shares (n,) that keeps both ends,
        and the largest distance.
        """
        matrix = self.matrix(shares)
        ends = places[[0, -1]]
        rest = places - matrix[:, [0, -1]] @ ends
        inner = np.linalg.lstsq(matrix[:, 1:-1], rest, rcond=None)[0]
        control = np.vstack((ends[:1], inner, ends[1:]))
        return control, float(lengths(matrix @ control - places).max())

    def surface(self, control: Floats) -> NurbsSurface:
        """Return the patch of control points (count, count, 3)."""
        return NurbsSurface((DEGREE, DEGREE), (self.knots, self.knots), control, np.ones(control.shape[:2]))


@lru_cache(32)
def roughness(spans: int, order: int) -> Floats:
    """Return the matrix (count², count²) of the integral of all squared derivatives of an order over the unit square."""
    space = PatchSpace(spans)
    nodes, weights = np.polynomial.legendre.leggauss(DEGREE + 1)
    ends = np.linspace(0, 1, spans + 1)
    shares = ((ends[:-1, None] + ends[1:, None]) / 2 + nodes / (2 * spans)).ravel()
    parts = np.tile(weights / (2 * spans), spans)
    values = [space.matrix(shares, k) for k in range(order + 1)]
    grams = [(value * parts[:, None]).T @ value for value in values]
    return np.asarray(sum(comb(order, k) * np.kron(grams[k], grams[order - k]) for k in range(order + 1)))
