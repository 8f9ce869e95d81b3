"""Rewrite a surface without changing its shape (knots, degree, halves, direction), and take isocurves.

Every routine works along one axis through the matrix that the same change of a curve is.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.kernel.curves.evaluate.basis import basis_matrix
from glass_spoon.kernel.curves.evaluate.blossom import conversion_matrix, raised_knots
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve, from_homogeneous
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, surface_from_homogeneous


def _with_axis(surface: NurbsSurface, axis: int, net: Floats, knots: Floats, degree: int) -> NurbsSurface:
    """Return the surface with another net (nu, nv, 4), and other knots and degree along one axis."""
    degrees, all_knots = list(surface.degrees), list(surface.knots)
    degrees[axis], all_knots[axis] = degree, knots
    return surface_from_homogeneous((degrees[0], degrees[1]), (all_knots[0], all_knots[1]), net)


def _convert(surface: NurbsSurface, axis: int, knots: Floats, degree: int) -> NurbsSurface:
    """Rewrite one axis over finer knots or a higher degree."""
    matrix = conversion_matrix(surface.knots[axis], surface.degrees[axis], knots, degree)
    net = np.moveaxis(np.tensordot(matrix, surface.homogeneous, axes=(1, axis)), 0, axis)
    return _with_axis(surface, axis, net, knots, degree)


def refine_surface(surface: NurbsSurface, axis: int, params: ArrayLike) -> NurbsSurface:
    """Return the same surface with knots added along an axis (The NURBS Book, sections 5.2 and 5.3).

    Raises InvalidInput when a parameter is outside the open domain or a multiplicity would pass the degree.
    """
    added = np.sort(np.asarray(params, dtype=np.float64).ravel())
    low, high = surface.domain(axis)
    if len(added) and not ((added > low) & (added < high)).all():
        raise InvalidInput("A new knot", f"between {low:g} and {high:g}", "outside")
    knots = np.sort(np.concatenate((surface.knots[axis], added)))
    degree = surface.degrees[axis]
    if len(added) and np.unique(knots, return_counts=True)[1][1:-1].max() > degree:
        raise InvalidInput("A new knot", f"repeated at most {degree} times", "repeated more often")
    return _convert(surface, axis, knots, degree)


def elevate_surface(surface: NurbsSurface, axis: int, degree: int) -> NurbsSurface:
    """Return the same surface with a higher degree along an axis (The NURBS Book, section 5.5)."""
    own = surface.degrees[axis]
    if degree < own:
        raise InvalidInput("The new degree", f"{own} or more", str(degree))
    if degree == own:
        return surface
    return _convert(surface, axis, raised_knots(surface.knots[axis], own, degree - own), degree)


def split_surface(surface: NurbsSurface, axis: int, param: float) -> tuple[NurbsSurface, NurbsSurface]:
    """Return the two pieces before and after an inner parameter of an axis; each keeps its parameters."""
    degree = surface.degrees[axis]
    missing = degree - int(np.count_nonzero(surface.knots[axis] == param))
    full = refine_surface(surface, axis, np.full(missing, param))
    knots = full.knots[axis]
    first = int(np.searchsorted(knots, param, side="left"))
    left, right = np.split(full.homogeneous, [first], axis=axis)
    shared = np.take(full.homogeneous, [first - 1], axis=axis)
    return (
        _with_axis(surface, axis, left, np.append(knots[: first + degree], param), degree),
        _with_axis(surface, axis, np.concatenate((shared, right), axis), np.insert(knots[first:], 0, param), degree),
    )


def reverse_surface(surface: NurbsSurface, axis: int) -> NurbsSurface:
    """Return the surface run backwards along an axis, which turns its normals; its own inverse."""
    low, high = surface.domain(axis)
    net = np.flip(surface.homogeneous, axis)
    return _with_axis(surface, axis, net, low + high - surface.knots[axis][::-1], surface.degrees[axis])


def place_surface(surface: NurbsSurface, placement: Placement) -> NurbsSurface:
    """Return the surface moved, turned or stretched; one that is mirrored is run backwards round, so it faces as before."""
    points = placement.apply(surface.control_points.reshape(-1, 3)).reshape(surface.control_points.shape)
    placed = NurbsSurface(surface.degrees, surface.knots, points, surface.weights)
    return reverse_surface(placed, 0) if np.linalg.det(placement.matrix) < 0 else placed


def isocurve(surface: NurbsSurface, axis: int, param: float) -> NurbsCurve:
    """Return the exact curve that runs along `axis` where the other axis has the value `param`."""
    return isocurves(surface, axis, np.array([param]))[0]


def middle_isocurves(surfaces: Sequence[NurbsSurface], axis: int) -> list[NurbsCurve]:
    """Return of each surface the exact curve that runs along `axis` midway across; knots that recur are worked out once."""
    rows: dict[tuple[int, bytes], Floats] = {}
    curves = []
    for surface in surfaces:
        degree, knots = surface.degrees[1 - axis], surface.knots[1 - axis]
        key = degree, knots.tobytes()
        if key not in rows:
            rows[key] = basis_matrix(knots, degree, np.array([sum(surface.domain(1 - axis)) / 2]))[0]
        net = np.tensordot(rows[key], surface.homogeneous, axes=(0, 1 - axis))
        curves.append(from_homogeneous(surface.degrees[axis], surface.knots[axis], net))
    return curves


def isocurves(surface: NurbsSurface, axis: int, params: Floats) -> list[NurbsCurve]:
    """Return the exact curves that run along `axis` where the other axis has the values `params` (n,)."""
    other = 1 - axis
    rows = basis_matrix(surface.knots[other], surface.degrees[other], params)
    nets = np.tensordot(rows, surface.homogeneous, axes=(1, other))
    return [from_homogeneous(surface.degrees[axis], surface.knots[axis], net) for net in nets]
