"""A surface written as splines so that it follows what it is told, within a tolerance."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.alter.spline_space import SplineSpace
from glass_spoon.kernel.errors import NotFollowed
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import grid_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface

MOST_POINTS = 60_000
"""Most control points of a surface."""

PlacesAt = Callable[[Floats, Floats], Floats]
"""Returns the places (m, n, 3) in mm at parameters u (m,) by v (n,)."""


def follow_surface(at: PlacesAt, u: SplineSpace, v: SplineSpace, tolerance: float) -> tuple[NurbsSurface, float]:
    """Return the surface of splines u by v that follows `at` within `tolerance` mm, and how far in mm it is off.

    Spans in which it is farther off are halved. Raises NotFollowed where that takes too many points.
    """

    def off_at(found: NurbsSurface, at_u: Floats, at_v: Floats) -> Floats:
        return lengths(grid_points(found, at_u, at_v) - at(at_u, at_v))

    while len(u.places) * len(v.places) <= MOST_POINTS:
        net = u.solve(at(u.places, v.places))
        net = np.moveaxis(v.solve(np.moveaxis(net, 1, 0)), 0, 1)
        found = NurbsSurface((u.degree, v.degree), (u.knots, v.knots), net, np.ones(net.shape[:2]))
        along_u = off_at(found, u.between, v.places).max(axis=1)
        along_v = off_at(found, u.places, v.between).max(axis=0)
        off = max(float(along_u.max()), float(along_v.max()))
        if off <= tolerance:
            inside = off_at(found, u.between, v.between)
            off = max(off, float(inside.max()))
            if off <= tolerance:
                return found, off
            along_u, along_v = inside.max(axis=1), inside.max(axis=0)
        finer = u.halved(u.by_span(along_u), tolerance), v.halved(v.by_span(along_v), tolerance)
        if len(finer[0].knots) == len(u.knots) and len(finer[1].knots) == len(v.knots):
            break
        u, v = finer
    raise NotFollowed("The surface", tolerance)
