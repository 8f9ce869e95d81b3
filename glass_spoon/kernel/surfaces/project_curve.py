"""Curves laid onto a surface: along a direction, or to the nearest places."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, cross, lengths
from glass_spoon.kernel.curves.arc_length import measure_length
from glass_spoon.kernel.curves.curve import NurbsCurve
from glass_spoon.kernel.curves.edit_knots import join_curves
from glass_spoon.kernel.curves.evaluate_curve import curve_points, find_kinks
from glass_spoon.kernel.curves.fit_function import Fit, fit_places
from glass_spoon.kernel.curves.place_curve import unit_direction
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.surfaces.closest_points import closest_points, nearest_grid
from glass_spoon.kernel.surfaces.evaluate_surface import surface_derivatives, surface_points
from glass_spoon.kernel.surfaces.surface import NurbsSurface

GRID = 96
"""Places each way of the grid from which rays start their search."""

STEPS = 30
"""Most Newton steps of a ray."""

MISS = 1e-6
"""How far in mm a ray may pass by the surface, as at its very edge."""


def project_nearest(curve: NurbsCurve, surface: NurbsSurface, tolerance: float) -> Fit:
    """Return the curve of the closest places of a surface to the places of a curve, within `tolerance` mm."""

    def onto(points: Floats) -> Floats:
        u, v, _ = closest_points(surface, points)
        return surface_points(surface, u, v)

    return _follow(curve, onto, tolerance)


def project_along(curve: NurbsCurve, surface: NurbsSurface, direction: Floats, tolerance: float) -> Fit:
    """Return the curve where rays from the places of a curve along `direction` (3,) first meet a surface.

    Rays run both ways without end; of several meeting places the first along the direction counts. Raises KernelError
    when some rays miss.
    """
    along = unit_direction(direction)
    u, v, places = nearest_grid(surface, GRID)
    return _follow(curve, lambda points: _meet(surface, points, along, (u, v, places)), tolerance)


def _follow(curve: NurbsCurve, onto: object, tolerance: float) -> Fit:
    """Fit the image of each smooth run of a curve."""
    arc = measure_length(curve)
    kinks = find_kinks(curve, np.radians(0.5))
    stops = arc.at_params(np.concatenate(([curve.domain[0]], kinks, [curve.domain[1]])))
    fits = []
    for start, end in pairwise(stops):

        def places(shares: Floats, start: float = start, end: float = end) -> Floats:
            result: Floats = onto(curve_points(curve, arc.to_params(start + shares * (end - start))))  # type: ignore[operator]
            return result

        fits.append(fit_places(places, 16, tolerance, most=4096))
    return Fit(join_curves([fit.curve for fit in fits]) if len(fits) > 1 else fits[0].curve, max(f.largest for f in fits))


def _meet(surface: NurbsSurface, points: Floats, along: Floats, grid: tuple[Floats, Floats, Floats]) -> Floats:
    """Return where rays from points (n, 3) first meet the surface, by Newton steps from near places of a grid."""
    us, vs, places = grid
    flat = np.eye(3) - np.outer(along, along)
    seen = places @ flat
    best = np.full(len(points), np.inf)
    found = np.zeros_like(points)
    for k in range(len(points)):  # each ray starts from its own nearest places, on every sheet of the surface
        off = lengths(seen - points[k] @ flat)
        near = np.argsort(off)[:24]
        at, hit = _ray(surface, us[near], vs[near], points[k], along)
        if not hit.any():
            continue
        reach = (at - points[k]) @ along
        first = int(np.argmin(np.where(hit, reach, np.inf)))
        best[k], found[k] = reach[first], at[first]
    if not np.isfinite(best).all():
        missed = int((~np.isfinite(best)).sum())
        raise KernelError(
            f"{missed} of {len(points)} places of the curve miss the surface. Move or shorten it so that all fall on it."
        )
    return found


def _ray(surface: NurbsSurface, u: Floats, v: Floats, point: Floats, along: Floats) -> tuple[Floats, Bools]:
    """Return places (n, 3) of the surface reached from starts u, v (n,), and whether they lie on the ray (n,)."""
    domains = surface.domain(0), surface.domain(1)
    across = np.eye(3) - np.outer(along, along)
    for _ in range(STEPS):
        values = surface_derivatives(surface, u, v, 1)
        gap = (values[0, 0] - point) @ across
        du, dv = values[1, 0] @ across, values[0, 1] @ across
        normal = cross(du, dv) @ along
        safe = np.where(np.abs(normal) > 1e-12, normal, np.inf)
        step_u = -(cross(gap, dv) @ along) / safe
        step_v = -(cross(du, gap) @ along) / safe
        new_u, new_v = np.clip(u + step_u, *domains[0]), np.clip(v + step_v, *domains[1])
        still = max(float(np.abs(new_u - u).max()), float(np.abs(new_v - v).max()))
        u, v = new_u, new_v
        if still < 1e-14:
            break
    places = surface_points(surface, u, v)
    return places, lengths((places - point) @ across) <= MISS
