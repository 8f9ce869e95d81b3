"""What a map of space is, and the axes in which it is told."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import ArrayLike

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.place_curve import Placement

STEP = 1e-5
"""Share of the size of what is mapped by which it is moved to see how a map stretches it."""


class SpaceMap(Protocol):
    """A map of space. `placement`: the same map as an affine one where it is, else None."""

    @property
    def placement(self) -> Placement | None:
        """The affine map that it is, None for one that bends straight lines."""

    def apply(self, points: Floats) -> Floats:
        """Return where points (n, 3) in mm go, (n, 3) in mm."""


@dataclass(frozen=True, eq=False)
class Axes:
    """An origin (3,) in mm and unit axes (3, 3) as rows: across, beside, and along what is shaped, right-handed."""

    origin: Floats
    rows: Floats

    @classmethod
    def along(cls, origin: ArrayLike, way: ArrayLike, across: ArrayLike) -> Axes:
        """Return the axes along a way (3,), the first of them as near to `across` (3,) as can be square to it."""
        third = np.asarray(way, dtype=np.float64) / np.linalg.norm(way)
        first = np.asarray(across, dtype=np.float64)
        first = first - (first @ third) * third
        first = first / np.linalg.norm(first)
        return cls(np.asarray(origin, dtype=np.float64), np.stack((first, np.cross(third, first), third)))

    def inside(self, points: Floats) -> Floats:
        """Return points (n, 3) in these axes."""
        return (points - self.origin) @ self.rows.T

    def outside(self, points: Floats) -> Floats:
        """Return points (n, 3) of these axes in space."""
        return points @ self.rows + self.origin

    def affine(self, matrix: Floats, offset: Floats) -> Placement:
        """Return the map that does in these axes what a matrix (3, 3) and an offset (3,) do."""
        whole = self.rows.T @ matrix @ self.rows
        return Placement(whole, self.origin - whole @ self.origin + offset @ self.rows)


@dataclass(frozen=True)
class Stretched:
    """How a map stretches what lies at some places: least and largest, as factors; folded: how many places turn over.

    place: where it is stretched or pressed most, in mm.
    """

    least: float
    largest: float
    folded: int
    place: tuple[float, float, float]


def jacobians(of: SpaceMap, points: Floats, size: float) -> Floats:
    """Return the derivatives (n, 3, 3) of a map at points (n, 3), by central differences; rows are where it goes."""
    step = STEP * max(size, 1e-12)
    columns = [(of.apply(points + step * way) - of.apply(points - step * way)) / (2 * step) for way in np.eye(3)]
    return np.stack(columns, axis=2)


def how_stretched(of: SpaceMap, points: Floats) -> Stretched:
    """Return how a map stretches the space at points (n, 3) in mm."""
    found = jacobians(of, points, float(np.ptp(points, axis=0).max()))
    values = np.linalg.svd(found, compute_uv=False)
    worst = int(np.argmax(np.maximum(values[:, 0], 1 / np.maximum(values[:, 2], 1e-12))))
    x, y, z = points[worst].tolist()
    return Stretched(float(values[:, 2].min()), float(values[:, 0].max()), int((np.linalg.det(found) <= 0).sum()), (x, y, z))


@dataclass(frozen=True, eq=False)
class Faded:
    """A map that is done in part: moves weigh as much as a function says at each point, from 0 to 1."""

    whole: SpaceMap
    weights: Floats

    @property
    def placement(self) -> Placement | None:
        """None: parts of it stay."""
        return None

    def apply(self, points: Floats) -> Floats:
        """Return where the points (n, 3) whose weights (n,) these are go."""
        return points + self.weights[:, None] * (self.whole.apply(points) - points)
