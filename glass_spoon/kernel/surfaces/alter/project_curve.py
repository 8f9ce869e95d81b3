"""Curves laid onto a surface: along a direction, or to the nearest places."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, Ints, cross, lengths
from glass_spoon.kernel.curves.alter.edit_knots import join_curves
from glass_spoon.kernel.curves.alter.place_curve import unit_direction
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points, find_kinks
from glass_spoon.kernel.curves.make.fit_function import Fit, fit_places
from glass_spoon.kernel.errors import KernelError, place_text
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points, nearest_grid
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_derivatives, surface_points, surface_points_normals
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface

GRID = 96
"""Places each way of the grid from which rays start their search."""

NEAR = 24
"""Places of the grid from which each ray starts."""

STEPS = 30
"""Most Newton steps of a ray."""

OFF_SHEET = 1e-4
"""Share of its size by which a drawing may lie off, or beside, the surface that carries it."""

CHANGES, HALVINGS = 512, 40
"""Places of a curve between which it is looked for where it passes to the next surface, and halvings to find that."""

SAME = 1e-9
"""Share of a distance in mm within which a place lies as near to another surface."""

INSIDE = 1e-9
"""Share of a run by which its ends are taken inside it, where it falls on another surface beyond."""

MISS = 1e-6
"""How far in mm a ray may pass by the surface, as at its very edge."""


Fallen = Callable[[Floats], tuple[Floats, Ints]]
"""Takes points (n, 3), returns where they fall (n, 3), and the numbers (n,) of the surfaces that they fall on."""


def project_nearest(curve: NurbsCurve, surfaces: Sequence[NurbsSurface], tolerance: float) -> Fit:
    """Return the curve of the closest places of surfaces to the places of a curve, within `tolerance` mm.

    Raises KernelError where places beside each other fall on surfaces that do not meet there.
    """

    def onto(points: Floats) -> tuple[Floats, Ints]:
        found = [closest_points(surface, points) for surface in surfaces]
        away = np.array([each for _, _, each in found])
        which = np.argmax(away <= away.min(axis=0) + SAME * (1 + away.min(axis=0)), axis=0)
        places = np.array([surface_points(surface, u, v) for surface, (u, v, _) in zip(surfaces, found, strict=True)])
        return places[which, np.arange(len(points))], which

    return _follow_over(curve, onto, tolerance)


def project_along(curve: NurbsCurve, surfaces: Sequence[NurbsSurface], direction: Floats, tolerance: float) -> Fit:
    """Return the curve where rays from the places of a curve along `direction` (3,) first meet surfaces.

    Rays run both ways without end; of several meeting places the first along the direction counts. Raises KernelError
    when some rays miss, and as `project_nearest` does.
    """
    along = unit_direction(direction)
    grids = [nearest_grid(surface, GRID) for surface in surfaces]

    def onto(points: Floats) -> tuple[Floats, Ints]:
        found = [_all_meetings(surface, points, along, grid) for surface, grid in zip(surfaces, grids, strict=True)]
        at, reach = np.concatenate([one for one, _ in found], axis=1), np.concatenate([one for _, one in found], axis=1)
        first, rows = np.argmin(reach, axis=1), np.arange(len(points))
        missed = int(np.isinf(reach[rows, first]).sum())
        if missed:
            raise KernelError(
                f"{missed} of {len(points)} places of the curve miss the surface. Move or shorten it so that all fall on it."
            )
        return at[rows, first], first // NEAR

    return _follow_over(curve, onto, tolerance)


@dataclass(frozen=True)
class Carried:
    """A curve carried to another surface, how far it is off what it should be (mm), and its largest height over it (mm)."""

    curve: NurbsCurve
    largest: float
    height: float


def carry_over(curve: NurbsCurve, source: NurbsSurface, target: NurbsSurface, tolerance: float) -> Carried:
    """Return a curve on or over one surface as it lies on another at the same shares of both domains, within `tolerance` mm.

    Heights over the source, along its normals, are kept over the target. Raises KernelError where the curve leaves the
    source by its edge: there is no place below it.
    """
    reach = max(tolerance, OFF_SHEET * float(np.ptp(curve.control_points, axis=0).max()))
    highest = 0.0

    def onto(points: Floats) -> Floats:
        nonlocal highest
        u, v, _ = closest_points(source, points)
        feet, normals = surface_points_normals(source, u, v)
        heights = np.einsum("ij,ij->i", points - feet, normals)
        beside = lengths(points - feet - heights[:, None] * normals)
        worst = int(np.argmax(beside))
        if beside[worst] > reach:
            raise KernelError(
                f"The drawing leaves the surface it lies on: at {place_text(points[worst])} it is {beside[worst]:.3g} mm "
                "beside it. Choose the surface it lies on, enlarge that, or project the drawing onto it first."
            )
        shares = [(at - low) / (high - low) for at, (low, high) in zip((u, v), map(source.domain, (0, 1)), strict=True)]
        places = [low + share * (high - low) for share, (low, high) in zip(shares, map(target.domain, (0, 1)), strict=True)]
        if float(np.abs(heights).max()) <= reach:
            return surface_points(target, *places)
        highest = max(highest, float(np.abs(heights).max()))
        on_target, upright = surface_points_normals(target, *places)
        return on_target + heights[:, None] * upright

    fit = _follow(curve, onto, tolerance)
    return Carried(fit.curve, fit.largest, highest)


def _follow_over(curve: NurbsCurve, onto: Fallen, tolerance: float) -> Fit:
    """Fit the image of a curve on surfaces, each run from one of them to the next for itself."""
    arc = measure_length(curve)

    def fallen(totals: Floats) -> tuple[Floats, Ints]:
        return onto(curve_points(curve, arc.to_params(totals)))

    even = np.linspace(0.0, arc.length, CHANGES + 1)
    which = fallen(even)[1]
    low, high = (even[np.flatnonzero(np.diff(which)) + end] for end in (0, 1))
    for _ in range(HALVINGS if len(low) else 0):
        middle = (low + high) / 2
        same = fallen(middle)[1] == fallen(low)[1]
        low, high = np.where(same, middle, low), np.where(same, high, middle)
    if len(low):
        (before, _), (after, _) = fallen(low), fallen(high)
        jumps = lengths(after - before)
        worst = int(jumps.argmax())
        if jumps[worst] > 4 * tolerance:
            raise KernelError(
                f"It jumps by {jumps[worst]:.3g} mm at {place_text(before[worst])}, from one surface to another that does "
                "not meet it there. Project it onto one of them, or along a direction."
            )
    return _follow(curve, lambda points: onto(points)[0], tolerance, (low + high) / 2)


def _follow(curve: NurbsCurve, onto: Callable[[Floats], Floats], tolerance: float, more: Floats | None = None) -> Fit:
    """Fit the image of each smooth run of a curve; more: lengths (k,) in mm at which the image may have a corner."""
    arc = measure_length(curve)
    kinks = find_kinks(curve, np.radians(0.5))
    stops = arc.at_params(np.concatenate(([curve.domain[0]], kinks, [curve.domain[1]])))
    if more is not None and len(more):
        beside = np.abs(more[:, None] - stops).min(axis=1) > 1e-9 * arc.length
        stops = np.sort(np.concatenate((stops, more[beside])))
    fits: list[Fit] = []
    for start, end in pairwise(stops):

        def places(shares: Floats, start: float = start, end: float = end) -> Floats:
            inside = np.clip(shares, INSIDE, 1 - INSIDE) if len(stops) > 2 else shares
            return onto(curve_points(curve, arc.to_params(start + inside * (end - start))))

        fits.append(fit_places(places, 16, tolerance, most=4096))
    return Fit(join_curves([fit.curve for fit in fits]) if len(fits) > 1 else fits[0].curve, max(f.largest for f in fits))


def _all_meetings(
    surface: NurbsSurface, points: Floats, along: Floats, grid: tuple[Floats, Floats, Floats]
) -> tuple[Floats, Floats]:
    """Return where lines through points (n, 3) come to (n, NEAR, 3), and how far along (n, NEAR) mm, infinite for none.

    By Newton steps, all together, from the NEAR places of a grid that pass each most closely: on every sheet.
    """
    us, vs, places = grid
    flat = np.eye(3) - np.outer(along, along)
    _, near = scipy.spatial.cKDTree(places @ flat).query(points @ flat, k=NEAR)
    owner = np.repeat(np.arange(len(points)), NEAR)
    at, hit = run_rays(surface, us[near.ravel()], vs[near.ravel()], points[owner], along)
    reach = np.where(hit, np.einsum("ij,j->i", at - points[owner], along), np.inf)
    return at.reshape(-1, NEAR, 3), reach.reshape(-1, NEAR)


def meet_nearest(surfaces: Sequence[NurbsSurface], points: Floats, direction: Floats) -> Floats:
    """Return where lines through points (n, 3) along `direction` (3,) meet surfaces: of all places the nearest, either way.

    Raises KernelError when some lines miss them all.
    """
    along = unit_direction(direction)
    best, found = np.full(len(points), np.inf), points.copy()
    for surface in surfaces:
        at, reach = _all_meetings(surface, points, along, nearest_grid(surface, GRID))
        away = np.abs(reach)
        first = np.argmin(away, axis=1)
        nearer = away[np.arange(len(points)), first] < best
        best[nearer] = away[nearer, first[nearer]]
        found[nearer] = at[nearer, first[nearer]]
    missed = int(np.isinf(best).sum())
    if missed:
        raise KernelError(
            f"{missed} of {len(points)} points miss the surface that way. Choose another way, or a larger surface."
        )
    return found


def run_rays(surface: NurbsSurface, u: Floats, v: Floats, points: Floats, along: Floats) -> tuple[Floats, Bools]:
    """Return places (n, 3) reached from starts u, v (n,), and whether they lie on the rays of points (n, 3)."""
    domains = surface.domain(0), surface.domain(1)
    across = np.eye(3) - np.outer(along, along)
    u, v = u.copy(), v.copy()
    going = np.arange(len(u))
    for _ in range(STEPS):
        values = surface_derivatives(surface, u[going], v[going], 1)
        gap = (values[0, 0] - points[going]) @ across
        du, dv = values[1, 0] @ across, values[0, 1] @ across
        normal = cross(du, dv) @ along
        safe = np.where(np.abs(normal) > 1e-12, normal, np.inf)
        new_u = np.clip(u[going] - (cross(gap, dv) @ along) / safe, *domains[0])
        new_v = np.clip(v[going] - (cross(du, gap) @ along) / safe, *domains[1])
        moved = np.maximum(np.abs(new_u - u[going]), np.abs(new_v - v[going]))
        u[going], v[going] = new_u, new_v
        going = going[moved >= 1e-14]
        if not len(going):
            break
    places = surface_points(surface, u, v)
    return places, lengths((places - points) @ across) <= MISS
