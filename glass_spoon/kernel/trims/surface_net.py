"""A surface as a net of triangles, fine where it bends, and which cells of two nets come near each other."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints
from glass_spoon.kernel.remembered import Remembered
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface

TURN = np.radians(6.0)
"""A cell turns by about this at most."""

LEAST, MOST, LOOKED = 3, 48, 8
"""Fewest and most cells a knot span each way, and places a span at which its bend is read."""

MOST_CELLS = 400
"""Most cells each way in all."""


@dataclass(frozen=True, eq=False)
class SurfaceNet:
    """Parameters us (m,), vs (n,) of a net, and its points (m, n, 3) in mm, moved by a height along the normals."""

    us: Floats
    vs: Floats
    points: Floats

    @classmethod
    def of(cls, surface: NurbsSurface, height: float = 0.0) -> SurfaceNet:
        """Return the net of a surface."""
        return _nets.get((surface.key, height), lambda: cls._made(surface, height))

    @classmethod
    def _made(cls, surface: NurbsSurface, height: float) -> SurfaceNet:
        us, vs = net_params(surface, 0), net_params(surface, 1)
        grid = evaluate_grid(surface, us, vs)
        return cls(us, vs, grid.points + height * grid.normals if height else grid.points)

    @cached_property
    def levels(self) -> list[tuple[Floats, Floats]]:
        """Boxes of cells, low and high (i, j, 3), the finest first; each next level has one for two by two."""
        corners = [self.points[:-1, :-1], self.points[1:, :-1], self.points[:-1, 1:], self.points[1:, 1:]]
        found = [(np.minimum.reduce(corners), np.maximum.reduce(corners))]
        while max(found[-1][0].shape[:2]) > 1:
            low, high = found[-1]
            found.append((_halved(low, np.minimum), _halved(high, np.maximum)))
        return found


_nets: Remembered[SurfaceNet] = Remembered(64)
"""The nets of the surfaces that were asked last."""


def net_params(surface: NurbsSurface, axis: int) -> Floats:
    """Return the parameters of an axis: each knot span cut as often as it turns."""
    degree, knots = surface.degrees[axis], np.unique(surface.knots[axis])
    inside = np.linspace(0.0, 1.0, LOOKED + 1)
    along = (knots[:-1, None] + np.diff(knots)[:, None] * inside).ravel()
    other = np.unique(surface.knots[1 - axis])
    across = np.unique(np.concatenate((other, (other[:-1] + other[1:]) / 2)))
    grid = evaluate_grid(surface, along, across) if axis == 0 else evaluate_grid(surface, across, along)
    normals = grid.normals if axis == 0 else grid.normals.swapaxes(0, 1)
    slopes = grid.along_u if axis == 0 else grid.along_v.swapaxes(0, 1)
    size = np.linalg.norm(slopes, axis=2, keepdims=True)
    tangents = np.where(size > 1e-9 * max(float(size.max()), 1e-300), slopes / np.maximum(size, 1e-300), 0.0)
    turns = np.zeros(len(knots) - 1)
    for ways in (normals, tangents) if degree > 1 else (normals,):
        steps = np.linalg.norm(np.diff(ways.reshape(len(knots) - 1, LOOKED + 1, -1, 3), axis=1), axis=3)
        turns = np.maximum(turns, steps.sum(axis=1).max(axis=1))
    counts = np.clip(np.ceil(turns / TURN), LEAST, MOST)
    counts = np.maximum(np.floor(counts * min(1.0, MOST_CELLS / counts.sum())), 1).astype(int)
    pieces = [np.linspace(a, b, count, endpoint=False) for a, b, count in zip(knots, knots[1:], counts, strict=False)]
    return np.concatenate((*pieces, knots[-1:]))


def _halved(values: Floats, which: np.ufunc) -> Floats:
    """Return values (i, j, 3) put together two by two."""
    rows = which.reduceat(values, np.arange(0, values.shape[0], 2), axis=0)
    return np.asarray(which.reduceat(rows, np.arange(0, values.shape[1], 2), axis=1))


def near_cells(first: SurfaceNet, second: SurfaceNet) -> Ints:
    """Return the cells (k, 4) of two nets, two numbers each, whose boxes meet: down both trees of boxes at once."""
    pairs = np.zeros((1, 4), dtype=np.int64)
    a, b = len(first.levels) - 1, len(second.levels) - 1
    pairs = _meeting(first, second, a, b, pairs)
    while (a or b) and len(pairs):
        if a >= b:
            a -= 1
            pairs = _children(pairs, first.levels[a][0].shape, 0)
        else:
            b -= 1
            pairs = _children(pairs, second.levels[b][0].shape, 2)
        pairs = _meeting(first, second, a, b, pairs)
    return pairs


def _children(pairs: Ints, shape: tuple[int, ...], start: int) -> Ints:
    """Return pairs with one side's cells put as the four that they hold, where a net has them."""
    steps = np.array([[0, 0], [1, 0], [0, 1], [1, 1]])
    grown = np.repeat(pairs, 4, axis=0)
    grown[:, start : start + 2] = 2 * grown[:, start : start + 2] + np.tile(steps, (len(pairs), 1))
    return np.asarray(grown[(grown[:, start] < shape[0]) & (grown[:, start + 1] < shape[1])])


def _meeting(first: SurfaceNet, second: SurfaceNet, a: int, b: int, pairs: Ints) -> Ints:
    """Return the pairs whose boxes meet."""
    (low, high), (other_low, other_high) = first.levels[a], second.levels[b]
    i, j, k, m = pairs.T
    meet = (low[i, j] <= other_high[k, m]).all(axis=1) & (other_low[k, m] <= high[i, j]).all(axis=1)
    return np.asarray(pairs[meet])
