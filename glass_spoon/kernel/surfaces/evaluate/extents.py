"""How far curves and surfaces reach: themselves, not their control points, which may stand far off."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from itertools import pairwise, product

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import grid_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface

EACH = 16
"""Places looked at in a knot span."""

ZOOMS, CLOSER = 26, 0.4
"""How often the neighbourhood of the farthest place is looked at, and how much closer each time."""

MOST_STARTS = 6
"""Most places that are as far on the first look and are looked at closer."""

SPREAD = np.linspace(-1, 1, 7)
"""Places at which it is looked at, along each parameter."""

Extent = tuple[Floats, Floats]
"""The lowest and the highest (3,) along three axes, in mm."""


def curve_extent(curve: NurbsCurve, axes: Floats) -> Extent:
    """Return how far a curve reaches along unit axes (3, 3), its rows, from the middle of the space.

    All places that may be the farthest, of all six ways, are looked at together.
    """
    params = _params(curve.knots)
    ways = np.concatenate((-axes, axes))
    values = curve_points(curve, params) @ ways.T
    is_start = values >= values.max(axis=0) - 1e-9 * np.ptp(values, axis=0)
    starts = [(way, place) for way in range(6) for place in np.flatnonzero(is_start[:, way])[:MOST_STARTS].tolist()]
    of, middle = np.array([way for way, _ in starts]), params[[place for _, place in starts]]
    best, reach = values[[place for _, place in starts], of], float(np.diff(params).max())
    rows = np.arange(len(starts))
    for _ in range(ZOOMS):
        own = np.clip(middle[:, None] + reach * SPREAD, params[0], params[-1])
        there = curve_points(curve, own.ravel()).reshape(*own.shape, 3)
        far = np.einsum("mki,mi->mk", there, ways[of])
        at = far.argmax(axis=1)
        better = far[rows, at] > best
        middle = np.where(better, own[rows, at], middle)
        best = np.where(better, far[rows, at], best)
        reach *= CLOSER
    most = np.array([best[of == way].max() for way in range(6)])
    return -most[:3], most[3:]


def surface_extent(surface: NurbsSurface, axes: Floats) -> Extent:
    """Return how far a surface reaches along unit axes (3, 3), its rows, from the middle of the space."""
    grids = [_params(knots) for knots in surface.knots]
    return _extent(lambda own: grid_points(surface, own[0], own[1]), grids, axes)


def widest(extents: list[Extent]) -> Extent:
    """Return how far several things reach together."""
    return np.min([low for low, _ in extents], axis=0), np.max([high for _, high in extents], axis=0)


def curve_trace(curve: NurbsCurve) -> Floats:
    """Return places (n, 3) along a curve, EACH to a span."""
    return curve_points(curve, _params(curve.knots))


def surface_trace(surface: NurbsSurface) -> Floats:
    """Return places (n, 3) all over a surface, EACH by EACH to a patch."""
    us, vs = (_params(knots) for knots in surface.knots)
    return grid_points(surface, us, vs).reshape(-1, 3)


def _params(knots: Floats) -> Floats:
    """Return parameters over all spans, the knots among them."""
    parts = [np.linspace(low, high, EACH, endpoint=False) for low, high in pairwise(np.unique(knots).tolist())]
    return np.append(np.concatenate(parts), knots[-1])


def _extent(evaluate: Callable[[list[Floats]], Floats], grids: list[Floats], axes: Floats) -> Extent:
    """Return the extent of what is evaluated on grids of parameters, way by way."""
    first = evaluate(grids) @ axes.T
    result = np.empty((2, 3))
    for axis, (side, sign) in product(range(3), ((0, -1.0), (1, 1.0))):
        values = sign * first[..., axis]
        # Where a surface comes back to its start, one place has several parameters: each is a start of its own.
        starts = np.argwhere(values >= values.max() - 1e-9 * np.ptp(values))[:MOST_STARTS]
        found = [_farthest(partial(_along, evaluate, sign * axes[axis]), grids, start.tolist()) for start in starts]
        result[side, axis] = sign * max(found)
    return result[0], result[1]


def _along(evaluate: Callable[[list[Floats]], Floats], way: Floats, grids: list[Floats]) -> Floats:
    """Return how far along a way (3,) what is evaluated on grids of parameters lies."""
    return np.asarray(evaluate(grids) @ way)


def _farthest(value: Callable[[list[Floats]], Floats], grids: list[Floats], start: list[int]) -> float:
    """Return the largest value near a place of grids of parameters, looked at closer and closer."""
    middle = [float(part[place]) for part, place in zip(grids, start, strict=True)]
    reach = [float(np.diff(part).max()) for part in grids]
    best = -np.inf
    for _ in range(ZOOMS):
        own = [
            np.clip(place + half * SPREAD, part[0], part[-1]) for part, place, half in zip(grids, middle, reach, strict=True)
        ]
        values = value(own)
        if float(values.max()) > best:
            best = float(values.max())
            at = np.unravel_index(int(values.argmax()), values.shape)
            middle = [float(part[int(place)]) for part, place in zip(own, at, strict=True)]
        reach = [half * CLOSER for half in reach]
    return best
