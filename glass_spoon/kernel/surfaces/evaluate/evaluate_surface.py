"""Points, derivatives and normals of surfaces, on grids and at scattered parameters."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats, cross, directions, lengths
from glass_spoon.kernel.curves.evaluate.basis import basis_matrix
from glass_spoon.kernel.curves.evaluate.sums_at_places import surface_rows
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface

_BLOCK = 8192
"""Points of a grid worked on at a time: the intermediate arrays stay in the processor's cache."""


DEGENERATE = 1e-9
"""A derivative shorter than this, relative to the size of the surface, counts as zero."""

STEP_INSIDE = 1e-6
"""Fraction of the domain by which a normal is looked up further inside, where its own place gives none."""


@dataclass(frozen=True, eq=False)
class SurfaceGrid:
    """Values on a grid of parameters, each (m, n, 3): points in mm, derivatives along u and v, unit normals."""

    points: Floats
    along_u: Floats
    along_v: Floats
    normals: Floats


def evaluate_grid(surface: NurbsSurface, us: Floats, vs: Floats) -> SurfaceGrid:
    """Evaluate points, first derivatives and unit normals at every us (m,) by vs (n,).

    Tensor products of basis matrices and the control net, in blocks of rows. Memory is laid out by coordinate, so each
    (m, n, 3) result is a view; normals at poles and other degenerate places are the limit from inside the surface.
    """
    shape = (3, len(us), len(vs))
    out = [np.empty(shape) for _ in range(4)]
    for part, parts in _blocks(surface, us, vs):
        _fill_block(parts, [array[:, part] for array in out], rational=surface.is_rational)
    grid = SurfaceGrid(*(np.moveaxis(array, 0, 2) for array in out))
    _mend_normals(surface, us, vs, grid.along_u, grid.along_v, grid.normals)
    return grid


def grid_points(surface: NurbsSurface, us: Floats, vs: Floats) -> Floats:
    """Return the points (m, n, 3) in mm at every us (m,) by vs (n,), as `evaluate_grid` does."""
    net = np.ascontiguousarray(np.moveaxis(surface.homogeneous if surface.is_rational else surface.control_points, 2, 0))
    value_u, value_v = (basis_matrix(surface.knots[k], surface.degrees[k], own) for k, own in enumerate((us, vs)))
    found = (value_u @ net) @ value_v.T
    return np.moveaxis(found[:3] / found[3] if surface.is_rational else found, 0, 2)


def evaluate_rows(surface: NurbsSurface, us: Floats, vs: Floats) -> tuple[Floats, Floats]:
    """Return points and unit normals, each (n * m, 3), at every us (m,) by vs (n,), u running fastest: rings of a mesh.

    The same values as `evaluate_grid`, without keeping the derivatives.
    """
    points, normals = (np.empty((len(vs), len(us), 3)) for _ in range(2))
    for part, (value, slope_v, slope_u) in _blocks(_swapped(surface), vs, us):
        block = [np.empty(value[:3].shape) for _ in range(4)]
        _fill_block((value, slope_u, slope_v), block, rational=surface.is_rational)
        points[part], normals[part] = block[0].transpose(1, 2, 0), block[3].transpose(1, 2, 0)
    lost = np.flatnonzero(~np.isfinite(normals[..., 0]).ravel())
    flat = normals.reshape(-1, 3)
    if len(lost):
        flat[lost] = surface_normals(surface, us[lost % len(us)], vs[lost // len(us)])
    return points.reshape(-1, 3), flat


def _swapped(surface: NurbsSurface) -> NurbsSurface:
    """Return the surface with u and v changed over, so that blocks run along rings."""
    (p, q), (knots_u, knots_v) = surface.degrees, surface.knots
    return NurbsSurface((q, p), (knots_v, knots_u), surface.control_points.transpose(1, 0, 2), surface.weights.T)


def _blocks(surface: NurbsSurface, us: Floats, vs: Floats) -> Iterator[tuple[slice, tuple[Floats, Floats, Floats]]]:
    """Yield blocks of rows with their homogeneous values and derivatives along u and v, each (4, rows, n)."""
    net = np.ascontiguousarray(np.moveaxis(surface.homogeneous, 2, 0))
    rows = (basis_matrix(surface.knots[0], surface.degrees[0], us, k) for k in (0, 1))
    value_u, slope_u = rows
    value_v, slope_v = (basis_matrix(surface.knots[1], surface.degrees[1], vs, k).T.copy() for k in (0, 1))
    step = max(1, _BLOCK // max(1, len(vs)))
    for start in range(0, len(us), step):
        part = slice(start, start + step)
        across = value_u[part] @ net
        yield part, (across @ value_v, slope_u[part] @ net @ value_v, across @ slope_v)


def _fill_block(parts: tuple[Floats, Floats, Floats], out: list[Floats], *, rational: bool) -> None:
    """Write points, derivatives and normals (3, rows, n) of one block from its homogeneous values (4, rows, n)."""
    value, slope_u, slope_v = parts
    point, along_u, along_v, normal = out
    if rational:
        inverse = np.reciprocal(value[3])
        np.multiply(value[:3], inverse, out=point)
        for slope, along in ((slope_u, along_u), (slope_v, along_v)):
            scratch = point * slope[3]
            np.subtract(slope[:3], scratch, out=scratch)
            np.multiply(scratch, inverse, out=along)
    else:
        point[...], along_u[...], along_v[...] = value[:3], slope_u[:3], slope_v[:3]
    a, b = along_u, along_v
    product = np.empty_like(a[0])
    for k, (i, j) in enumerate(((1, 2), (2, 0), (0, 1))):
        np.multiply(a[i], b[j], out=normal[k])
        np.multiply(a[j], b[i], out=product)
        normal[k] -= product
    np.multiply(normal[0], normal[0], out=product)
    product += normal[1] * normal[1]
    product += normal[2] * normal[2]
    with np.errstate(divide="ignore", invalid="ignore"):
        np.reciprocal(np.sqrt(product, out=product), out=product)
        normal *= product


def _mend_normals(surface: NurbsSurface, us: Floats, vs: Floats, along_u: Floats, along_v: Floats, normals: Floats) -> None:
    """Replace the normals of degenerate places by limits; only edges of the domain are looked at."""
    least = 1e-12 * max(surface.size, 1e-300)
    for axis, params in ((0, us), (1, vs)):
        along = along_v if axis == 0 else along_u
        for index in {0, len(params) - 1}:
            if params[index] not in surface.domain(axis):
                continue
            line = (index, slice(None)) if axis == 0 else (slice(None), index)
            flat = np.flatnonzero(~(lengths(np.ascontiguousarray(along[line])) > least))
            if len(flat):
                u = us[flat] if axis == 1 else np.full(len(flat), params[index])
                v = vs[flat] if axis == 0 else np.full(len(flat), params[index])
                normals[line][flat] = surface_normals(surface, u, v)


def surface_derivatives(surface: NurbsSurface, u: Floats, v: Floats, order: int) -> dict[tuple[int, int], Floats]:
    """Return the derivatives {(k, l): (n, 3)} of total order up to `order` (0, 1 or 2) at parameters u (n,), v (n,).

    The NURBS Book, equation 4.20 (algorithm A4.4).
    """
    net = surface.homogeneous if surface.is_rational else surface.control_points
    values = surface_rows(net, *surface.knots, surface.degrees, u, v, order)
    return dict(zip(((k, total - k) for total in range(order + 1) for k in range(total, -1, -1)), values, strict=True))


def surface_points(surface: NurbsSurface, u: Floats, v: Floats) -> Floats:
    """Return points (n, 3) in mm at u (n,), v (n,)."""
    return surface_derivatives(surface, u, v, 0)[0, 0]


def surface_normals(surface: NurbsSurface, u: Floats, v: Floats) -> Floats:
    """Return unit normals (n, 3) along S_u x S_v.

    Where one derivative vanishes (a pole) its own change into the surface takes its place, by de l'Hopital's rule; where
    both tangents are parallel the normal is that of a point 1e-6 of the domain further inside.
    """
    return _normals_from(surface, u, v, surface_derivatives(surface, u, v, 1))


def surface_points_normals(surface: NurbsSurface, u: Floats, v: Floats) -> tuple[Floats, Floats]:
    """Return points (n, 3) in mm and unit normals (n, 3) as `surface_normals`, by one evaluation."""
    values = surface_derivatives(surface, u, v, 1)
    return values[0, 0], _normals_from(surface, u, v, values)


def _normals_from(surface: NurbsSurface, u: Floats, v: Floats, values: dict[tuple[int, int], Floats]) -> Floats:
    """Return unit normals (n, 3) from first derivatives, limits where those vanish."""
    normal = cross(values[1, 0], values[0, 1])
    lost = lengths(normal) <= DEGENERATE * max(surface.size, 1e-300) * (lengths(values[1, 0]) + lengths(values[0, 1]))
    if lost.any():
        normal[lost] = _limit_normals(surface, u[lost], v[lost])
    return directions(normal)


def _limit_normals(surface: NurbsSurface, u: Floats, v: Floats) -> Floats:
    """Return normals (n, 3), not scaled, where S_u x S_v vanishes."""
    values = surface_derivatives(surface, u, v, 2)
    inward = [np.where(p >= sum(surface.domain(axis)) / 2, -1.0, 1.0)[:, None] for axis, p in ((0, u), (1, v))]
    flat_u, flat_v = (lengths(values[key]) <= DEGENERATE * surface.size for key in ((1, 0), (0, 1)))
    a = np.where(flat_u[:, None], values[1, 1] * inward[1], values[1, 0])
    b = np.where(flat_v[:, None], values[1, 1] * inward[0], values[0, 1])
    normal = cross(a, b)
    lost = lengths(normal) <= DEGENERATE * (lengths(a) * lengths(b) + 1e-300)
    if lost.any():
        moved = [
            p[lost] + inward[axis][lost, 0] * STEP_INSIDE * np.diff(surface.domain(axis)) for axis, p in ((0, u), (1, v))
        ]
        near = surface_derivatives(surface, moved[0], moved[1], 1)
        normal[lost] = cross(near[1, 0], near[0, 1])
    return normal


def surface_curvature(surface: NurbsSurface, u: Floats, v: Floats) -> tuple[Floats, Floats]:
    """Return Gaussian (1/mm^2) and mean (1/mm) curvature, each (n,), by the first and second fundamental forms.

    Positive mean curvature bends towards the normal. Not defined at poles, where NaN comes back.
    do Carmo: Differential Geometry of Curves and Surfaces, section 3.3.
    """
    values = surface_derivatives(surface, u, v, 2)
    normal = surface_normals(surface, u, v)
    dot = "ij,ij->i"
    big_e, big_f, big_g = (
        np.einsum(dot, values[a], values[b]) for a, b in (((1, 0), (1, 0)), ((1, 0), (0, 1)), ((0, 1), (0, 1)))
    )
    e, f, g = (np.einsum(dot, values[key], normal) for key in ((2, 0), (1, 1), (0, 2)))
    with np.errstate(divide="ignore", invalid="ignore"):
        area = big_e * big_g - big_f**2
        gaussian = (e * g - f**2) / area
        mean = (e * big_g - 2 * f * big_f + g * big_e) / (2 * area)
    return gaussian, mean
