"""A lattice of points round a body that is moved, and space with it.

Sederberg and Parry: Free-form deformation of solid geometric models (SIGGRAPH 1986): Bernstein polynomials over all
points, or uniform cubic B-splines where a point should reach no further than its neighbours.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import accumulate
from math import comb

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.kernel.curves.evaluate.basis import basis_matrix

LOCAL = 3
"""The degree of a lattice whose points reach their neighbours alone, lower where there are few."""
SAME = 1e-12
"""Share of the farthest move by which moves may miss those of an affine map."""
BLOCK = 16_384
"""Points worked on at a time."""


@dataclass(frozen=True, eq=False)
class Lattice:
    """Points (l, m, n) even over a box from low to high (3,) in mm, and how far each goes, moves (l, m, n, 3) in mm.

    smooth: every point reaches all, with the degree that there are points for; else its neighbours alone. What
    lies outside the box goes as the place of its border that is nearest.
    """

    low: Floats
    high: Floats
    moves: Floats
    smooth: bool = True

    @property
    def placement(self) -> Placement | None:
        """The affine map that the moves are; None for one that bends straight lines."""
        flat, moves = self.places.reshape(-1, 3), self.moves.reshape(-1, 3)
        if not moves.any():
            return Placement(np.eye(3), np.zeros(3))
        middle = flat.mean(axis=0)
        rows = np.column_stack((flat - middle, np.ones(len(flat))))
        found = np.linalg.lstsq(rows, moves, rcond=None)[0]
        if np.abs(rows @ found - moves).max() > SAME * np.abs(moves).max():
            return None
        matrix = np.eye(3) + found[:3].T
        return Placement(matrix, found[3] - found[:3].T @ middle) if np.linalg.det(matrix) > 0 else None

    @property
    def places(self) -> Floats:
        """Where the points (l, m, n, 3) of the lattice are, unmoved: at the splines' own abscissae, so that moves of a map
        that is affine give that map.
        """
        ways = [self._greville(count) for count in self.moves.shape[:3]]
        grid = np.stack(np.meshgrid(*ways, indexing="ij"), axis=3)
        return self.low + grid * (self.high - self.low)

    def _knots(self, count: int) -> tuple[int, Floats]:
        """Return the degree and the knots of the splines of an axis with so many points."""
        degree = count - 1 if self.smooth else min(LOCAL, count - 1)
        inner = np.linspace(0, 1, count - degree + 1)[1:-1]
        return degree, np.concatenate((np.zeros(degree + 1), inner, np.ones(degree + 1)))

    def _greville(self, count: int) -> Floats:
        """Return the abscissae (count,) of the points of an axis."""
        degree, knots = self._knots(count)
        return np.array([knots[k + 1 : k + degree + 1].mean() for k in range(count)])

    def apply(self, points: Floats) -> Floats:
        """Return where points (n, 3) go."""
        size = np.maximum(self.high - self.low, 1e-300)
        shares = (points - self.low) / size
        inside = np.clip(shares, 0.0, 1.0)
        result, flat = points.copy(), self.moves.reshape(len(self.moves), -1)
        for start in range(0, len(points), BLOCK):
            part = slice(start, start + BLOCK)
            across, beside, up = (self._splines(inside[part, axis], axis) for axis in range(3))
            net = (across @ flat).reshape(len(across), *self.moves.shape[1:])
            net = (beside[:, None] @ net.reshape(*net.shape[:2], -1)).reshape(len(up), *self.moves.shape[2:])
            result[part] += (up[:, None] @ net)[:, 0]
        return result

    def _splines(self, shares: Floats, axis: int) -> Floats:
        """Return the splines (n, count) of an axis at shares (n,) of the box: of one span they are Bernstein's."""
        degree, knots = self._knots(count := self.moves.shape[axis])
        if degree + 1 < count:
            return basis_matrix(knots, degree, shares)
        ones, rest = np.ones(len(shares)), 1 - shares
        ups = list(accumulate([shares] * degree, np.multiply, initial=ones))
        downs = list(accumulate([rest] * degree, np.multiply, initial=ones))
        return np.stack([comb(degree, k) * ups[k] * downs[degree - k] for k in range(count)], axis=1)
