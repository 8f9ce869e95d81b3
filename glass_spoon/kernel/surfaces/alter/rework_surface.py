"""Work on whole surfaces that changes how they run or how far they reach: swap, move the seam, extend."""

from __future__ import annotations

from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, directions, lengths
from glass_spoon.kernel.curves.evaluate.basis import basis_matrix
from glass_spoon.kernel.curves.evaluate.blossom import blossom_matrix, conversion_matrix
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.surfaces.alter.edit_surface import reverse_surface, split_surface
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_derivatives
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, surface_from_homogeneous

Going = Literal["straight", "bending on"]

SEAM_TOLERANCE = 1e-7
"""Distance in mm by which a knot at an old seam may be taken out."""


def swap_directions(surface: NurbsSurface) -> NurbsSurface:
    """Return the surface with u and v changed over, its sides kept: the old v runs backwards as the new u."""
    knots = surface.knots[1], surface.knots[0]
    swapped = surface_from_homogeneous(surface.degrees[::-1], knots, surface.homogeneous.transpose(1, 0, 2))
    return reverse_surface(swapped, 0)


def move_seam(surface: NurbsSurface, axis: int, share: float) -> NurbsSurface:
    """Return a surface that closes along an axis, started at a share of its domain instead.

    Exact; where the surface was smooth at its old seam the knots there go again, within SEAM_TOLERANCE. Its domain starts
    at the new seam. Raises KernelError for an axis that does not close.
    """
    if not surface.is_closed(axis, 1e-6):
        raise KernelError("The surface does not close this way, so it has no seam to move. Choose the other way.")
    low, high = surface.domain(axis)
    at = low + (share % 1.0) * (high - low)
    breaks = np.unique(surface.knots[axis])
    nearest = float(breaks[np.argmin(np.abs(breaks - at))])
    at = nearest if abs(nearest - at) < 1e-9 * (high - low) else at
    if at in (low, high):
        return surface
    first, second = split_surface(surface, axis, at)
    degree = surface.degrees[axis]
    rest = np.take(first.homogeneous, range(1, first.homogeneous.shape[axis]), axis)
    net = np.concatenate((second.homogeneous, rest), axis)
    knots = np.concatenate((second.knots[axis][:-1], first.knots[axis][degree + 1 :] + (high - low)))
    moved = _with_axis(surface, axis, net, knots)
    for _ in range(degree - 1):
        lighter = without_knot(moved, axis, high, SEAM_TOLERANCE)
        if lighter is None:
            break
        moved = lighter
    return moved


def _with_axis(surface: NurbsSurface, axis: int, net: Floats, knots: Floats) -> NurbsSurface:
    """Return the surface with another net (nu, nv, 4) and other knots along one axis."""
    both = (knots, surface.knots[1]) if axis == 0 else (surface.knots[0], knots)
    return surface_from_homogeneous(surface.degrees, both, net)


def without_knot(surface: NurbsSurface, axis: int, param: float, tolerance: float) -> NurbsSurface | None:
    """Return the surface with one inner knot less, None where that would move control points by more than `tolerance` mm."""
    at = np.flatnonzero(np.abs(surface.knots[axis] - param) <= 1e-12 * (1 + abs(param)))
    knots, degree = np.delete(surface.knots[axis], at[-1]), surface.degrees[axis]
    matrix = conversion_matrix(knots, degree, surface.knots[axis], degree)
    net = np.moveaxis(surface.homogeneous, axis, 0)
    flat = net.reshape(len(net), -1)
    fewer = np.asarray(np.linalg.lstsq(matrix, flat, rcond=None)[0], dtype=np.float64)
    fewer[0], fewer[-1] = flat[0], flat[-1]
    if np.abs(matrix @ fewer - flat).max() > tolerance:
        return None
    lighter = np.moveaxis(fewer.reshape(-1, *net.shape[1:]), 0, axis)
    return _with_axis(surface, axis, lighter, knots) if lighter[..., 3].min() > 0 else None


def extend_surface(surface: NurbsSurface, axis: int, end: Literal[0, -1], length: float, going: Going) -> NurbsSurface:
    """Return the surface with its edge at one end of an axis moved on by `length` mm.

    "straight": along the tangents, every place by just that length (the new edge follows it at the Greville abscissae).
    "bending on": the last span goes on as it is (its blossom beyond the end), by the length on the mean of the edge.
    Raises InvalidInput for a length not above 0, KernelError at a pole or a closed edge.
    """
    if length <= 0:
        raise InvalidInput("The length", "above 0 mm", f"{length:g} mm")
    if surface.is_pole(axis, end, 1e-6):
        raise KernelError("The surface ends in one point there, which has no direction to go on. Choose another edge.")
    if surface.is_closed(axis, 1e-6):
        raise KernelError("The surface closes this way and has no edge there. Choose the other way.")
    if end == 0:
        return reverse_surface(extend_surface(reverse_surface(surface, axis), axis, -1, length, going), axis)
    return _straight_on(surface, axis, length) if going == "straight" else _bending_on(surface, axis, length)


def _straight_on(surface: NurbsSurface, axis: int, length: float) -> NurbsSurface:
    """Extend the end of an axis by straight lines of one length."""
    other = 1 - axis
    degree, knots = surface.degrees[axis], surface.knots[axis]
    across = surface.knots[other]
    q = surface.degrees[other]
    greville = np.array([across[i + 1 : i + q + 1].mean() for i in range(len(across) - q - 1)])
    high = surface.domain(axis)[1]
    at = np.full(len(greville), high)
    u, v = (at, greville) if axis == 0 else (greville, at)
    values = surface_derivatives(surface, u, v, 1)
    tangent = directions(values[(1, 0) if axis == 0 else (0, 1)])
    edge = np.take(surface.homogeneous, -1, axis)
    basis = basis_matrix(across, q, greville)
    weight = basis @ edge[:, 3]
    wanted = (values[0, 0] + length * tangent) * weight[:, None]
    row = np.column_stack((np.linalg.solve(basis, wanted), edge[:, 3]))
    shares = np.linspace(0.0, 1.0, degree + 1)[1:]
    speed = float(lengths(values[(1, 0) if axis == 0 else (0, 1)]).mean()) or 1.0
    more = np.stack([edge + share * (row - edge) for share in shares], axis=0)
    net = np.concatenate((np.moveaxis(surface.homogeneous, axis, 0), more), axis=0)
    ended: Floats = np.concatenate((knots[:-1], np.full(degree + 1, high + length / speed)))
    return _with_axis(surface, axis, np.moveaxis(net, 0, axis), ended)


def _bending_on(surface: NurbsSurface, axis: int, length: float) -> NurbsSurface:
    """Extend the last span of an axis beyond its end, by secant steps on the mean length."""
    high = surface.domain(axis)[1]
    speeds = [
        lengths(surface_derivatives(surface, *_at(axis, high, place), 1)[(1, 0) if axis == 0 else (0, 1)])[0]
        for place in _nine(surface, axis)
    ]
    if np.mean(speeds) < 1e-9:
        raise KernelError("The surface has no direction at that edge. Extend it straight, or rebuild it first.")
    step = length / float(np.mean(speeds))
    longer = _beyond(surface, axis, high + step)
    for _ in range(8):
        reached = _mean_length(longer, axis, high)
        if abs(reached - length) <= 1e-6 * length:
            break
        step *= length / reached
        longer = _beyond(surface, axis, high + step)
    return longer


def _nine(surface: NurbsSurface, axis: int) -> Floats:
    """Return nine parameters across an axis."""
    return np.linspace(*surface.domain(1 - axis), 9)


def _at(axis: int, along: float, across: float) -> tuple[Floats, Floats]:
    """Return u (1,) and v (1,) of a place given along and across an axis."""
    both = np.array([along]), np.array([across])
    return both if axis == 0 else both[::-1]


def _beyond(surface: NurbsSurface, axis: int, end: float) -> NurbsSurface:
    """Return the surface whose last span runs to parameter `end`."""
    degree, knots = surface.degrees[axis], surface.knots[axis]
    longer = knots.copy()
    longer[-degree - 1 :] = end
    count = len(knots) - degree - 1
    sets = longer[np.arange(count)[:, None] + 1 + np.arange(degree)]
    last = int(np.searchsorted(knots, knots[-1], side="left")) - 1
    held = np.searchsorted(knots, knots[np.minimum(np.arange(count) + degree, last)], side="right") - 1
    # Each control point is a blossom value of the span that holds it; the last ones are of the last span, run beyond it.
    matrix = blossom_matrix(knots, degree, sets, np.clip(held, degree, last))
    net = np.moveaxis(np.tensordot(matrix, surface.homogeneous, axes=(1, axis)), 0, axis)
    if net[..., 3].min() <= 0:
        raise KernelError("Bent on so far the surface would run to infinity. Use a shorter length, or extend it straight.")
    return _with_axis(surface, axis, net, longer)


def _mean_length(surface: NurbsSurface, axis: int, start: float) -> float:
    """Return the mean length in mm of isocurves from a parameter of an axis to its end."""
    nodes, weights = np.polynomial.legendre.leggauss(8)
    high = surface.domain(axis)[1]
    along = start + (high - start) * (nodes + 1) / 2
    total = 0.0
    across = _nine(surface, axis)
    for place in across:
        beside = np.full(len(along), place)
        u, v = (along, beside) if axis == 0 else (beside, along)
        values = surface_derivatives(surface, u, v, 1)
        total += float(weights @ lengths(values[(1, 0) if axis == 0 else (0, 1)])) * (high - start) / 2
    return total / len(across)
