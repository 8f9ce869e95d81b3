"""The space in which patches are sought: tensor splines of degree five over even spans of the unit square."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache
from math import comb

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from glass_spoon.kernel.arrays import Floats, cross, lengths
from glass_spoon.kernel.curves.evaluate.basis import basis_matrix
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface

DEGREE = 5
CHECKS = 97
"""Places of a side at which it is told how far its spline is off."""
LOOKED_AT = (np.arange(24) + 0.5) / 24
"""Shares of an edge at which it is looked how patches meet there."""
FLAT = 1e-12
"""Square of the sine below which two directions are one."""


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

    @cached_property
    def asked(self) -> Floats:
        """Those shares, and LOOKED_AT after them."""
        return np.concatenate((self.samples, LOOKED_AT))

    @property
    def looked_over(self) -> Floats:
        """The splines (25, count²) of a patch at an even grid."""
        return _looked_over(self.spans)

    def matrix(self, shares: Floats, order: int = 0) -> Floats:
        """Return the `order`-th derivatives (n, count) of all splines of an axis at shares (n,)."""
        return basis_matrix(self.knots, DEGREE, shares, order)

    def fit_edges(self, places: Floats) -> tuple[Floats, Floats]:
        """Return the control points (m, count, 3) of the splines nearest to places (m, n, 3) at n even shares of edges,
        that keep both ends, and the largest distances (m,).
        """
        matrix, inverse = _fitting(self.spans, places.shape[1])
        rest = places - matrix[:, [0, -1]] @ places[:, [0, -1]]
        control = np.concatenate((places[:, :1], inverse @ rest, places[:, -1:]), axis=1)
        return control, lengths(matrix @ control - places).max(axis=1)

    def finer(self, nets: Floats) -> Floats:
        """Return control points (m, count, count, 3) of this space for patches (m, n, n, 3) of another."""
        along = _finer(self.spans, nets.shape[1] - DEGREE)
        return np.asarray(np.einsum("ik,jl,mklc->mijc", along, along, nets, optimize=True))

    def edge_normals(self, nets: Floats) -> Floats:
        """Return the unit normals (m, 4, 24, 3) of patches of control points (m, count, count, 3) at LOOKED_AT along their
        sides: v = 0, u = 1, v = 1, u = 0, as their parameters run. Rows of NaN where they have none.

        A clamped spline leaves its edge along the legs to the second row of its net (The NURBS Book, equation 3.24).
        """
        rows = np.stack((nets[:, :, 0], nets[:, -1], nets[:, :, -1], nets[:, 0]), axis=1)
        beside = np.stack((nets[:, :, 1], nets[:, -2], nets[:, :, -2], nets[:, 1]), axis=1)
        points, slopes = _looked(self.spans)
        along, into = slopes @ rows, points @ (beside - rows)
        normals = cross(along, into)
        normals[:, 2:] = -normals[:, 2:]
        size = lengths(normals)
        still = np.sqrt(FLAT) * lengths(along) * np.maximum(lengths(into).max(axis=2, keepdims=True), FLAT)
        return np.divide(normals, size[..., None], out=np.full_like(normals, np.nan), where=(size > still)[..., None])

    def surface(self, control: Floats) -> NurbsSurface:
        """Return the patch of control points (count, count, 3)."""
        return NurbsSurface((DEGREE, DEGREE), (self.knots, self.knots), control, np.ones(control.shape[:2]))


@lru_cache(32)
def _fitting(spans: int, count: int) -> tuple[Floats, Floats]:
    """Return the splines at even shares, and what gives the inner control points that are nearest in the least squares."""
    matrix = PatchSpace(spans).matrix(np.linspace(0, 1, count))
    return matrix, np.asarray(np.linalg.pinv(matrix[:, 1:-1]), dtype=np.float64)


@lru_cache(32)
def _finer(spans: int, before: int) -> Floats:
    """Return what gives control points of splines over some spans from those over others (The NURBS Book, equation 9.6)."""
    space = PatchSpace(spans)
    means = sliding_window_view(space.knots[1:-1], DEGREE).mean(axis=1)
    return np.asarray(np.linalg.solve(space.matrix(means), PatchSpace(before).matrix(means)))


@lru_cache(32)
def _looked(spans: int) -> tuple[Floats, Floats]:
    """Return the splines and their slopes (24, count) at LOOKED_AT."""
    return PatchSpace(spans).matrix(LOOKED_AT), PatchSpace(spans).matrix(LOOKED_AT, 1)


@lru_cache(32)
def _looked_over(spans: int) -> Floats:
    """Return the splines (25, count²) of a patch at an even grid, from edge to edge."""
    along = PatchSpace(spans).matrix(np.linspace(0, 1, 5))
    return np.asarray(np.kron(along, along))


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
