"""A surface with fewer control points, within a tolerance of the one it stands for."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.evaluate.arc_length import ArcLength, measure_length
from glass_spoon.kernel.curves.evaluate.basis import basis_matrix
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.surfaces.alter.edit_surface import isocurves
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import grid_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.evaluate.surface_kinks import is_smooth_ring, surface_kinks

PLACES = 240
"""Places along an axis that a fit is held against, several in every span."""

MOST_SPANS = 200

SWING = 0.5
"""Share of the size of a surface by which control points may lie outside of it."""


@dataclass(frozen=True, eq=False)
class Rebuilt:
    """A rebuilt surface and the largest distance in mm found between it and the original at equal parameters."""

    surface: NurbsSurface
    largest: float


def rebuild_surface(surface: NurbsSurface, tolerance: float) -> Rebuilt:
    """Return the bicubic surface with about the fewest control points within `tolerance` mm, edges and sharp edges kept.

    Along each axis the knots lie where the isocurves bend; their number is the least (by halving) whose least-squares fit
    keeps half the tolerance. Raises KernelError when that takes more than MOST_SPANS.
    """
    axes = [_sample_axis(surface, axis) for axis in (0, 1)]
    grid = grid_points(surface, axes[0].params, axes[1].params)
    net, knots = grid, []
    for axis in (0, 1):
        rows = np.moveaxis(net, axis, 0)
        own, control = _fit_axis(axes[axis], rows, tolerance / 2.2)
        knots.append(own)
        net = np.moveaxis(control, 0, axis)
    rebuilt = NurbsSurface((3, 3), (knots[0], knots[1]), net, np.ones(net.shape[:2]))
    there = grid_points(rebuilt, axes[0].totals, axes[1].totals)
    return Rebuilt(rebuilt, float(lengths(there - grid).max()))


@dataclass(frozen=True, eq=False)
class _Axis:
    """Places along an axis: parameters (n,), how far along the longest isocurve they lie (n,) in mm, and the stops so too.

    ring: whether the axis comes back to its start smoothly.
    """

    params: Floats
    totals: Floats
    stops: Floats
    ring: bool


def _sample_axis(surface: NurbsSurface, axis: int) -> _Axis:
    """Return places along an axis, several in every span; the new surface runs by length there, as evenly as it can."""
    breaks = np.unique(surface.knots[axis])
    count = max(2, -(-PLACES // (len(breaks) - 1)))
    inside = (breaks[:-1, None] + np.diff(breaks)[:, None] * np.arange(count) / count).ravel()
    params = np.append(inside, breaks[-1])
    arc = longest_isocurve(surface, axis)
    kinks = surface_kinks(surface, axis)
    stops = np.concatenate(([0.0], arc.at_params(kinks), [arc.length]))
    ring = is_smooth_ring(surface, axis) and not len(kinks)
    return _Axis(params, arc.at_params(params), stops, ring)


def longest_isocurve(surface: NurbsSurface, axis: int) -> ArcLength:
    """Return the arc length of the longest isocurve along an axis, of those at the knots across."""
    rows = isocurves(surface, axis, np.unique(surface.knots[1 - axis]))
    return measure_length(max(rows, key=lambda row: float(lengths(np.diff(row.control_points, axis=0)).sum())), 1e-9)


def _fit_axis(axis: _Axis, rows: Floats, tolerance: float) -> tuple[Floats, Floats]:
    """Return knots and control points (k, m, 3) along an axis that follow rows (n, m, 3) at its places."""
    stops = axis.stops
    nets: list[Floats] = []
    knots = [np.full(4, stops[0])]
    for start, end in pairwise(stops):
        near = 1e-9 * stops[-1]
        inside = (axis.totals >= start - near) & (axis.totals <= end + near)
        own, net = _fewest(np.clip(axis.totals[inside], start, end), rows[inside], tolerance, ring=axis.ring)
        nets.append(net if not nets else net[1:])
        knots.append(own[4:-4])
        knots.append(np.full(3 if end < stops[-1] else 4, end))
    return np.concatenate(knots), np.concatenate(nets)


def _fewest(params: Floats, rows: Floats, tolerance: float, *, ring: bool) -> tuple[Floats, Floats]:
    """Return the least-squares spline of one smooth run with about the fewest spans that keep the tolerance."""
    most = min(MOST_SPANS, (len(params) - 1) // 2)
    bending = _bending(params, rows)

    def attempt(spans: int) -> tuple[Floats, Floats, float]:
        inner = np.interp(np.linspace(0, 1, spans + 1)[1:-1], bending, params)
        knots = np.concatenate((np.full(4, params[0]), inner, np.full(4, params[-1])))
        control = _held_ends(params, rows, knots, ring=ring)
        off = lengths(np.tensordot(basis_matrix(knots, 3, params), control, axes=(1, 0)) - rows).max()
        return knots, control, np.inf if _swings_out(control, rows) else float(off)

    low, high = 0, 1
    found = attempt(high)
    while found[2] > tolerance:
        if high >= most:
            raise KernelError(f"{most} spans do not follow the surface within {tolerance * 2.2:.3g} mm. Allow more.")
        low, high = high, min(2 * high, most)
        found = attempt(high)
    while high - low > 1:
        middle = (low + high) // 2
        tried = attempt(middle)
        if tried[2] <= tolerance:
            high, found = middle, tried
        else:
            low = middle
    return found[0], found[1]


def _swings_out(control: Floats, rows: Floats) -> bool:
    """Say whether control points lie farther outside the places that they follow than these reach: too few hold them."""
    low, high = rows.min(axis=(0, 1)), rows.max(axis=(0, 1))
    room = SWING * float((high - low).max())
    return bool(((control < low - room) | (control > high + room)).any())


def _held_ends(params: Floats, rows: Floats, knots: Floats, *, ring: bool) -> Floats:
    """Return least-squares control points (k, m, 3) that keep the first and last row, and how a ring closes."""
    basis = basis_matrix(knots, 3, params)
    flat = rows.reshape(len(rows), -1)
    count = basis.shape[1]
    free = np.zeros((count, count - 2))
    free[1:-1] = np.eye(count - 2)
    held = np.zeros((count, flat.shape[1]))
    held[0], held[-1] = flat[0], flat[-1]
    if ring and count > 4:
        # The last step is the first one over: slopes agree, weighed by the widths of the first and the last span.
        first, last = knots[4] - knots[0], knots[-1] - knots[-5]
        free = free[:, :-1]
        free[-2, 0] = -last / first
        held[-2] = flat[-1] + last / first * flat[0]
    reduced = basis @ free
    right = flat - basis @ held
    try:
        solved = np.linalg.solve(reduced.T @ reduced, reduced.T @ right)
    except np.linalg.LinAlgError:  # a span without places of its own
        solved = np.linalg.lstsq(reduced, right, rcond=None)[0]
    return (free @ solved + held).reshape(count, *rows.shape[1:])


def _bending(params: Floats, rows: Floats) -> Floats:
    """Return the share (n,) of the bending of all rows up to each parameter."""
    slope = np.gradient(np.gradient(rows, params, axis=0), params, axis=0)
    density = np.sqrt(lengths(slope)).mean(axis=1)
    density = density + 0.15 * density.mean() + 1e-12
    steps = (density[:-1] + density[1:]) / 2 * np.diff(params)
    total: Floats = np.concatenate(([0.0], np.cumsum(steps)))
    return total / total[-1]
