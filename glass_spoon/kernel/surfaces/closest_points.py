"""The closest points of a surface to given points, by damped Newton steps from near parameters."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from scipy.spatial import cKDTree

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.surfaces.evaluate_surface import evaluate_grid, surface_derivatives
from glass_spoon.kernel.surfaces.surface import NurbsSurface

STEPS = 40
"""Most steps of one search; nearly all points settle in three."""


def closest_points(
    surface: NurbsSurface, points: Floats, start: tuple[Floats, Floats] | None = None, tolerance: float = 1e-7
) -> tuple[Floats, Floats, Floats]:
    """Return u (n,), v (n,) and the distance (n,) in mm of the closest surface points to points (n, 3).

    `start` gives near parameters u (n,), v (n,); without it the nearest of a fine grid is taken. Steps end when the foot
    moves by less than `tolerance` mm. The distance is that of the nearest minimum to the start: true unless another sheet
    of the surface passes closer. The NURBS Book, section 6.1 (equations 6.4 to 6.7), steps damped, and without the
    second-order terms where those would lead to a maximum.
    """
    u, v = _nearest_samples(surface, points) if start is None else (start[0].copy(), start[1].copy())
    closed = tuple(surface.is_closed(axis, 1e-9 * max(surface.size, 1.0)) for axis in (0, 1))
    u, v = _into_domain(surface, 0, u, closed[0]), _into_domain(surface, 1, v, closed[1])
    active = np.arange(len(points))
    distance = np.full(len(points), np.inf)
    damping = np.full(len(points), 1e-9)
    step_u, step_v = np.zeros(len(points)), np.zeros(len(points))
    for _ in range(STEPS):
        if not len(active):
            break
        try_u = _into_domain(surface, 0, u[active] + step_u[active], closed[0])
        try_v = _into_domain(surface, 1, v[active] + step_v[active], closed[1])
        values = surface_derivatives(surface, try_u, try_v, 2)
        offset = points[active] - values[0, 0]
        size = lengths(offset)
        better = size <= distance[active]
        gain = distance[active] - size
        taken = active[better]
        u[taken], v[taken], distance[taken] = try_u[better], try_v[better], size[better]
        damping[active] = np.where(better, np.maximum(damping[active] * 0.1, 1e-9), damping[active] * 100 + 1e-3)
        new_u, new_v, moved = _solve_step(surface, (try_u, try_v), values, offset, damping[active], closed)
        step_u[active] = np.where(better, new_u, step_u[active] / 4)
        step_v[active] = np.where(better, new_v, step_v[active] / 4)
        settled = better & ((moved <= tolerance) | ((gain >= 0) & (gain <= 1e-3 * tolerance)))
        active = active[~settled & (damping[active] < 1e6)]
    return u, v, distance


def _solve_step(
    surface: NurbsSurface,
    at: tuple[Floats, Floats],
    values: dict[tuple[int, int], Floats],
    offset: Floats,
    damping: Floats,
    closed: tuple[bool, ...],
) -> tuple[Floats, Floats, Floats]:
    """Return the step in u and v (n,) and the length (n,) in mm that the foot would move.

    A step that leaves an open edge of the domain slides along it.
    """
    along_u, along_v = values[1, 0], values[0, 1]
    a, b, c = (np.einsum("ij,ij->i", x, y) for x, y in ((along_u, along_u), (along_u, along_v), (along_v, along_v)))
    bent = [plain - np.einsum("ij,ij->i", offset, values[key]) for plain, key in ((a, (2, 0)), (b, (1, 1)), (c, (0, 2)))]
    convex = (bent[0] > 1e-6 * a) & (bent[2] > 1e-6 * c) & (bent[0] * bent[2] - bent[1] ** 2 > 1e-6 * a * c)
    a, b, c = (np.where(convex, full, plain) for full, plain in zip(bent, (a, b, c), strict=True))
    right_u, right_v = np.einsum("ij,ij->i", along_u, offset), np.einsum("ij,ij->i", along_v, offset)
    a, c = a * (1 + damping) + 1e-300, c * (1 + damping) + 1e-300
    for axis, right in ((0, right_u), (1, right_v)):
        if not closed[axis]:
            low, high = surface.domain(axis)
            stuck = ((at[axis] <= low) & (right < 0)) | ((at[axis] >= high) & (right > 0))
            right[stuck], b = 0.0, np.where(stuck, 0.0, b)
    det = np.maximum(a * c - b * b, 1e-14 * a * c)
    du, dv = (c * right_u - b * right_v) / det, (a * right_v - b * right_u) / det
    du, dv = _limit(surface, 0, du), _limit(surface, 1, dv)
    return du, dv, lengths(du[:, None] * along_u + dv[:, None] * along_v)


def _limit(surface: NurbsSurface, axis: int, step: Floats) -> Floats:
    """Keep a step within a quarter of the domain."""
    low, high = surface.domain(axis)
    return np.clip(step, -(high - low) / 4, (high - low) / 4)


def _into_domain(surface: NurbsSurface, axis: int, params: Floats, closed: bool) -> Floats:
    """Wrap parameters of a closed axis, clip those of an open one."""
    low, high = surface.domain(axis)
    return low + (params - low) % (high - low) if closed else np.clip(params, low, high)


def _nearest_samples(surface: NurbsSurface, points: Floats, per_span: int = 12) -> tuple[Floats, Floats]:
    """Return the parameters (n,), (n,) of the nearest points of a grid of `per_span` places a knot span."""
    us, vs = (_sample_params(surface, axis, per_span) for axis in (0, 1))
    samples = evaluate_grid(surface, us, vs).points.reshape(-1, 3)
    _, index = cKDTree(samples).query(points)
    return us[index // len(vs)], vs[index % len(vs)]


def nearest_grid(surface: NurbsSurface, count: int) -> tuple[Floats, Floats, Floats]:
    """Return parameters u (n,), v (n,) and places (n, 3) of a grid of about `count` places each way, without poles."""
    per_span = [max(2, count // max(1, len(np.unique(surface.knots[axis])) - 1)) for axis in (0, 1)]
    us, vs = (_sample_params(surface, axis, per_span[axis]) for axis in (0, 1))
    places = evaluate_grid(surface, us, vs).points.reshape(-1, 3)
    return np.repeat(us, len(vs)), np.tile(vs, len(us)), places


def _sample_params(surface: NurbsSurface, axis: int, per_span: int) -> Floats:
    """Return parameters along an axis, without poles: from there a search cannot tell which way to go."""
    spans = [np.linspace(a, b, per_span + 1) for a, b in pairwise(surface.knots[axis]) if b > a]
    params = np.unique(np.concatenate(spans))
    tolerance = 1e-9 * max(surface.size, 1.0)
    first = 1 if surface.is_pole(axis, 0, tolerance) else 0
    last = len(params) - 1 if surface.is_pole(axis, -1, tolerance) else len(params)
    return params[first:last]
