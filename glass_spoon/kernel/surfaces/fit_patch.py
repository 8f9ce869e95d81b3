"""A surface that follows a function of two parameters as closely as asked."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from scipy.interpolate import make_interp_spline

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.fit_function import CHECKS
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.surfaces.evaluate_surface import evaluate_grid
from glass_spoon.kernel.surfaces.surface import NurbsSurface

GridPlaces = Callable[[Floats, Floats], Floats]
"""Takes shares u (m,) and v (n,) of the way, returns points (m, n, 3) in mm."""


def fit_patch(places: GridPlaces, tolerance: float, counts: tuple[int, int] = (4, 4), most: int = 4096) -> NurbsSurface:
    """Return the bicubic surface over 0 to 1 through even shares, within `tolerance` mm of a smooth function in between.

    The axis along which it is farther off takes twice as many shares until it is near enough. Raises KernelError when an
    axis would need more than `most`.
    """
    steps = list(counts)
    while max(steps) <= most:
        surface = through_grid(places(*(np.linspace(0, 1, step + 1) for step in steps)))
        off = []
        for axis in (0, 1):
            shares = [np.linspace(0, 1, 2 * step + 1) for step in steps]
            ends = np.linspace(0, 1, steps[axis] + 1)
            shares[axis] = (ends[:-1, None] + np.diff(ends)[:, None] * CHECKS).ravel()
            there = evaluate_grid(surface, shares[0], shares[1]).points
            off.append(float(lengths(there - places(shares[0], shares[1])).max()))
        if max(off) <= tolerance:
            return surface
        worse = [axis for axis in (0, 1) if off[axis] > max(off) / 2]
        for axis in worse:
            steps[axis] *= 2
    raise KernelError(f"The surface could not be followed within {tolerance:.3g} mm. Allow a larger tolerance.")


def through_grid(points: Floats) -> NurbsSurface:
    """Return the surface over 0 to 1 through points (m, n, 3) at even shares: cubic, lower where they are few."""
    degrees = tuple(min(3, size - 1) for size in points.shape[:2])
    u, v = (np.linspace(0, 1, size) for size in points.shape[:2])
    along_u = make_interp_spline(u, points, k=degrees[0])
    along_v = make_interp_spline(v, np.moveaxis(along_u.c, 1, 0), k=degrees[1])
    net = np.moveaxis(np.asarray(along_v.c), 0, 1)
    return NurbsSurface((degrees[0], degrees[1]), (along_u.t, along_v.t), net, np.ones(net.shape[:2]))
