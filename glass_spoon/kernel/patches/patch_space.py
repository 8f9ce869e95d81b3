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


@lru_cache(128)
def inward(spans: int, side: int, order: int, *, up: bool) -> Floats:
    """Return the derivatives (samples, count²) of an order into a patch at one of its sides: v = 0, u = 1, v = 1, u = 0.

    up: whether the samples along the side run as its parameter does.
    """
    space = PatchSpace(spans)
    shares = space.samples if up else 1 - space.samples
    along = space.matrix(shares)
    end = np.array([0.0 if side in (0, 3) else 1.0])
    sign = 1.0 if side in (0, 3) or order == 2 else -1.0
    into = sign * space.matrix(end, order)[0]
    rows = "si,j->sij" if side in (0, 2) else "sj,i->sij"
    return np.asarray(np.einsum(rows, along, into).reshape(len(shares), -1))


@lru_cache(16)
def grid_derivatives(spans: int) -> dict[tuple[int, int], Floats]:
    """Return the derivatives (count + 1, count + 1, count²) of all splines of a patch by their orders (u, v), up to second
    ones, at the middles of an even grid.
    """
    space = PatchSpace(spans)
    across = space.count + 1
    shares = (np.arange(across) + 0.5) / across
    along = [space.matrix(shares, order) for order in range(3)]
    return {
        (u, v): np.einsum("xi,yj->xyij", along[u], along[v]).reshape(across, across, -1)
        for u, v in ((1, 0), (0, 1), (2, 0), (1, 1), (0, 2))
    }
