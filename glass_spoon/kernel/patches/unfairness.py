"""How much the mean curvature of patches varies, and what a step to less of it asks for (Moreton and Séquin 1992)."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, cross, lengths
from glass_spoon.kernel.compiled import compiled
from glass_spoon.kernel.patches.patch_space import PatchSpace, grid_derivatives

FLAT, POINT = 1e-12, 1e-18
"""Least area, and its square, of parameters that patches are taken to cover: regions are of size 1."""


@dataclass(frozen=True, eq=False)
class Curving:
    """How patches of control points nets (m, count², 3) are curved at the places (across, across) of an even grid.

    normals: unit ones (across, across, m, 3). weights: (3, across, across, m) of the second derivatives uu, uv and vv that
    make the mean curvature, twice, in 1/mm. area, stretches: (across, across, m), (2, across, across, m) the metric's root,
    and its first and last entry.
    """

    spans: int
    seconds: Floats
    normals: Floats
    weights: Floats
    area: Floats
    stretches: Floats

    @classmethod
    def of(cls, spans: int, nets: Floats) -> Curving:
        """Read patches of control points (m, count², 3)."""
        across = PatchSpace(spans).count + 1
        columns = nets.transpose(1, 0, 2).reshape(nets.shape[1], -1)
        found = (_stacked(spans) @ columns).reshape(5, across, across, len(nets), 3)
        du, dv, seconds = found[0], found[1], found[2:]
        normals = cross(du, dv)
        area = np.maximum(lengths(normals), FLAT)
        e, f, g = _dot(du, du), _dot(du, dv), _dot(dv, dv)
        weights = np.stack((g, -2 * f, e)) / np.maximum(e * g - f * f, POINT)
        return cls(spans, seconds, normals / area[..., None], weights, area, np.stack((e, g)))

    @cached_property
    def means(self) -> Floats:
        """Twice the mean curvatures (across, across, m)."""
        return np.asarray(np.einsum("kxym,kxymi,xymi->xym", self.weights, self.seconds, self.normals, optimize=False))

    def steps(self, axis: int) -> Floats:
        """Return how much a difference of curvature between neighbours along an axis weighs."""
        first, second = _neighbours(axis)
        area, stretch = self.area, self.stretches[axis]
        return np.asarray(np.sqrt((area[first] + area[second]) / (stretch[first] + stretch[second])))

    @property
    def variations(self) -> Floats:
        """The sums (m,) of the squares of all weighed differences."""
        total = np.zeros(self.means.shape[2])
        for axis in (0, 1):
            first, second = _neighbours(axis)
            total += (((self.means[second] - self.means[first]) * self.steps(axis)) ** 2).sum(axis=(0, 1))
        return total

    def rows(self, which: slice, own: Ints) -> tuple[Floats, Floats]:
        """Return rows (m, k, 3 own) that say how the weighed differences of some patches change with their control points
        own, their metric and their normals held as they are; and those differences (m, k) as they are.
        """
        steps = [self.steps(axis)[..., which] for axis in (0, 1)]
        bends = _by_order(self.spans)[..., own]
        normals = self.normals[:, :, which]
        return difference_rows(self.weights[..., which], bends, normals, self.means[..., which], *steps)


@compiled
def difference_rows(
    weights: Floats,
    bends: Floats,
    normals: Floats,
    means: Floats,
    along: Floats,
    across: Floats,
) -> tuple[Floats, Floats]:
    """Return the rows (m, k, 3 p) and the differences (m, k) of `Curving.rows`, first those along u, then those along v.

    weights: (3, x, y, m); bends: (3, x, y, p) of p splines; normals: (x, y, m, 3); means: (x, y, m); along, across: (x - 1,
    y, m), (x, y - 1, m) how much differences weigh.
    """
    _, wide, high, patches = weights.shape
    free = bends.shape[3]
    count = (wide - 1) * high + wide * (high - 1)
    rows, rest, bend = np.empty((patches, count, 3 * free)), np.empty((patches, count)), np.empty((wide, high, free))
    for m in range(patches):
        for x in range(wide):
            for y in range(high):
                first, mixed, last = weights[0, x, y, m], weights[1, x, y, m], weights[2, x, y, m]
                for p in range(free):
                    bend[x, y, p] = first * bends[0, x, y, p] + mixed * bends[1, x, y, p] + last * bends[2, x, y, p]
        k = 0
        for axis in range(2):
            for x in range(wide - (axis == 0)):
                for y in range(high - (axis == 1)):
                    ahead_x, ahead_y = x + (axis == 0), y + (axis == 1)
                    step = along[x, y, m] if axis == 0 else across[x, y, m]
                    rest[m, k] = (means[ahead_x, ahead_y, m] - means[x, y, m]) * step
                    for c in range(3):
                        here, there = step * normals[x, y, m, c], step * normals[ahead_x, ahead_y, m, c]
                        for p in range(free):
                            rows[m, k, 3 * p + c] = there * bend[ahead_x, ahead_y, p] - here * bend[x, y, p]
                    k += 1
    return rows, rest


def openness(spans: int, nets: Floats, places: int) -> Floats:
    """Return the least areas (m,) of patches of control points (m, count², 3) to an area of parameters, against their own
    mean; below 0 where one folds. It is read at so many places along each axis.
    """
    du, dv = (_seen(spans, places) @ nets.transpose(1, 0, 2).reshape(nets.shape[1], -1)).reshape(2, -1, len(nets), 3)
    areas = cross(du, dv)
    middles = areas.mean(axis=0)
    return np.asarray((_dot(areas, middles) / _dot(middles, middles)).min(axis=0))


def _neighbours(axis: int) -> tuple[tuple[slice, ...], tuple[slice, ...]]:
    """Return the first and the second of all neighbours along an axis of a grid."""
    before = (slice(None),) * axis
    return (*before, slice(None, -1)), (*before, slice(1, None))


def _dot(a: Floats, b: Floats) -> Floats:
    return np.asarray(np.einsum("...i,...i->...", a, b))


@lru_cache(16)
def _stacked(spans: int) -> Floats:
    """Return the first and second derivatives (5 across², count²) of all splines of a patch on the grid."""
    by = grid_derivatives(spans)
    return np.concatenate([by[key].reshape(-1, by[key].shape[2]) for key in ((1, 0), (0, 1), (2, 0), (1, 1), (0, 2))])


@lru_cache(16)
def _by_order(spans: int) -> Floats:
    """Return the second derivatives (3, across, across, count²) uu, uv and vv of all splines of a patch on the grid."""
    by = grid_derivatives(spans)
    return np.stack([by[key] for key in ((2, 0), (1, 1), (0, 2))])


@lru_cache(16)
def _seen(spans: int, places: int) -> Floats:
    """Return the first derivatives (2 places², count²) of all splines of a patch where it is read whether it folds."""
    space, shares = PatchSpace(spans), np.linspace(0, 1, places)
    along, slopes = space.matrix(shares), space.matrix(shares, 1)
    pairs = ((slopes, along), (along, slopes))
    return np.concatenate([np.einsum("xi,yj->xyij", a, b).reshape(places**2, -1) for a, b in pairs])
