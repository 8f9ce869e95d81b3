"""How much the mean curvature of patches varies, and what a step to less of it asks for (Moreton and Séquin 1992)."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, cross, lengths
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
        weights = self.weights[..., which]
        bend = np.einsum("kxym,kxyp->mxyp", weights, _by_order(self.spans)[..., own], optimize=False)
        normals = self.normals[:, :, which].transpose(2, 0, 1, 3)
        rows = (bend[..., None] * normals[:, :, :, None, :]).reshape(*bend.shape[:3], -1)
        whole = self.means[:, :, which].transpose(2, 0, 1)
        found, rest = [], []
        for axis in (0, 1):
            first, second = _neighbours(axis + 1)
            step = self.steps(axis)[..., which].transpose(2, 0, 1)
            found.append(((rows[second] - rows[first]) * step[..., None]).reshape(len(rows), -1, rows.shape[3]))
            rest.append(((whole[second] - whole[first]) * step).reshape(len(rows), -1))
        return np.concatenate(found, axis=1), np.concatenate(rest, axis=1)


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
