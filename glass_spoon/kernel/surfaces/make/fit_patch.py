"""A surface that follows a function of two parameters as closely as asked."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.make.fit_function import CHECKS
from glass_spoon.kernel.errors import NotFollowed
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import grid_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface

MOST_POINTS = 100_000
"""Most control points that a fitted surface may take: what needs more is not smooth."""

GridPlaces = Callable[[Floats, Floats], Floats]
"""Takes shares u (m,) and v (n,) of the way, returns points (m, n, 3) in mm."""


@dataclass(frozen=True, eq=False)
class FittedSurface:
    """A fitted surface, and the largest distance in mm found between it and what it was fitted to."""

    surface: NurbsSurface
    largest: float


def fit_patch(
    places: GridPlaces,
    tolerance: float,
    counts: tuple[int, int] = (4, 4),
    most: int = 4096,
    rings: tuple[bool, bool] = (False, False),
) -> FittedSurface:
    """Return the bicubic surface over 0 to 1 through even shares, within `tolerance` mm of a smooth function in between.

    The axis along which it is farther off takes twice as many shares until it is near enough. rings: which axes come back
    to their start smoothly. Raises NotFollowed when an axis would need more than `most`, or both more than MOST_POINTS.
    """
    steps = list(counts)
    while max(steps) <= most and steps[0] * steps[1] <= MOST_POINTS:
        surface = through_grid(places(*(np.linspace(0, 1, step + 1) for step in steps)), rings)
        nodes = [np.linspace(0, 1, step + 1) for step in steps]
        between = [(ends[:-1, None] + np.diff(ends)[:, None] * CHECKS).ravel() for ends in nodes]
        # At the nodes of the other axis only the error along this one shows.
        off = [_off(surface, places, between[0], nodes[1]), _off(surface, places, nodes[0], between[1])]
        if sum(off) <= tolerance:
            inside = _off(surface, places, between[0], between[1])
            if inside <= tolerance:
                return FittedSurface(surface, max(*off, inside))
        for axis in (0, 1):
            if off[axis] > tolerance / 2 or off[axis] == max(off):
                steps[axis] *= 2
    raise NotFollowed("The surface", tolerance)


def _off(surface: NurbsSurface, places: GridPlaces, u: Floats, v: Floats) -> float:
    """Return the largest distance in mm of the surface from the function at u (m,) by v (n,)."""
    return float(lengths(grid_points(surface, u, v) - places(u, v)).max())


def through_grid(points: Floats, rings: tuple[bool, bool] = (False, False)) -> NurbsSurface:
    """Return the surface over 0 to 1 through points (m, n, 3) at even shares: cubic, lower where they are few.

    rings: which axes come back to their start smoothly.
    """
    degrees = tuple(min(3, size - 1) for size in points.shape[:2])
    u, v = (np.linspace(0, 1, size) for size in points.shape[:2])
    along_u = _through(u, points, degrees[0], ring=rings[0])
    along_v = _through(v, np.moveaxis(np.asarray(along_u.c), 1, 0), degrees[1], ring=rings[1])
    net = np.moveaxis(np.asarray(along_v.c), 0, 1)
    return NurbsSurface((degrees[0], degrees[1]), (along_u.t, along_v.t), net, np.ones(net.shape[:2]))


def _through(shares: Floats, rows: Floats, degree: int, *, ring: bool) -> scipy.interpolate.BSpline:
    """Return the spline through rows (n, ...); of a ring with the slope of the periodic cubic at both ends."""
    if not ring or degree < 3:
        return scipy.interpolate.make_interp_spline(shares, rows, k=degree)
    rows = np.concatenate((rows[:-1], rows[:1]))
    slope = scipy.interpolate.CubicSpline(shares, rows, bc_type="periodic")(shares[0], 1)
    return scipy.interpolate.make_interp_spline(shares, rows, k=3, bc_type=([(1, slope)], [(1, slope)]))  # type: ignore[arg-type]
