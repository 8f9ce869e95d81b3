"""A surface through points that lie scattered on a sheet, within a tolerance.

Cubic splines of least squares over a rectangle, held calm by a little of the thin plate's energy; the parameters of the
points follow the surface from round to round (Hoschek 1988), and the spans are halved where it is still too far off.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, directions, lengths
from glass_spoon.kernel.curves.evaluate.basis import basis_matrix, sparse_basis
from glass_spoon.kernel.curves.read.plane_of_curve import TOWARDS
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface

DEGREE = 3
SPANS = (1, 2, 4, 8, 16, 32, 64)
"""Spans along the longer side that are tried."""
CALM = 1e-13
"""How much the energy weighs beside the points."""
WORTH = 0.75
"""More spans are kept where they bring the farthest point below this share of its distance: what scatters stays smooth."""
ROUNDS = 3
"""How often the parameters follow the surface before more spans are tried."""
MOST_POINTS = 500_000
FLAT = 1e-6
"""Points within this share of their extent of a line span no surface."""


@dataclass(frozen=True, eq=False)
class FittedCloud:
    """A surface through points. off: the largest distance of a point from it in mm; middling: the root mean square one.

    spans: along both ways.
    """

    surface: NurbsSurface
    off: float
    middling: float
    spans: tuple[int, int]


def fit_cloud(points: Floats, tolerance: float, progress: Callable[[float], None] = lambda _: None) -> FittedCloud:
    """Return a surface within `tolerance` mm of points (n, 3) in mm, or as near as the finest spans come.

    It lies over the least rectangle about them in their mean plane, with fewer control points than points: with more it
    would follow their scatter. Raises KernelError for points too few or in a line.
    """
    if len(points) < 4:
        raise KernelError(f"Four points are needed at least, but there are {len(points)}. Take more of them.")
    if len(points) > MOST_POINTS:
        raise KernelError(f"{len(points):,} points are too many to fit; up to {MOST_POINTS:,} are taken. Mark some of them.")
    axes, low, size = _rectangle(points)
    scale = float(size[:2].max())
    u, v = (((points @ axes[k] - low[k]) / size[k]) for k in (0, 1))
    best: FittedCloud | None = None
    for number, most in enumerate(SPANS):
        spans = tuple(max(1, round(most * float(size[k]) / scale)) for k in (0, 1))
        if (spans[0] + DEGREE) * (spans[1] + DEGREE) > 0.75 * len(points) and best is not None:
            break
        for _ in range(ROUNDS):
            net, knots = _least(points, u, v, (spans[0], spans[1]), CALM, size)
            u, v, away = _nearer(net, knots, u, v, points)
            if float(away.max()) <= tolerance:
                break
        surface = NurbsSurface((DEGREE, DEGREE), knots, net, np.ones(net.shape[:2]))
        found = FittedCloud(surface, float(away.max()), float(np.sqrt((away**2).mean())), (spans[0], spans[1]))
        if best is None or found.off < WORTH * best.off or found.off <= tolerance:
            best = found
        progress((number + 1) / len(SPANS))
        if best.off <= tolerance:
            break
    assert best is not None
    return best


def _rectangle(points: Floats) -> tuple[Floats, Floats, Floats]:
    """Return axes (3, 3) of the least rectangle about points in their mean plane, its low corner along them, and its sizes.

    The third axis is the normal of the plane.
    """
    middle = points - points.mean(axis=0)
    _, spread, rows = np.linalg.svd(middle.T @ middle)
    if spread[1] <= FLAT**2 * spread[0]:
        raise KernelError("The points lie in a line, so they span no surface. Take some beside it.")
    normal = rows[2] if rows[2] @ TOWARDS >= 0 else -rows[2]
    right = np.eye(3)[int(np.argmin(np.abs(normal)))]
    right = directions(right - (right @ normal) * normal)
    up = np.cross(normal, right)
    angles = np.linspace(0, np.pi / 2, 91)[:-1]
    flat = np.stack((points @ right, points @ up), axis=1)
    turned = [
        np.stack((np.cos(a) * flat[:, 0] + np.sin(a) * flat[:, 1], np.cos(a) * flat[:, 1] - np.sin(a) * flat[:, 0]))
        for a in angles
    ]
    areas = np.array([float(np.prod(np.ptp(one, axis=1))) for one in turned])
    best = angles[int(np.flatnonzero(areas <= areas.min() * (1 + 1e-6))[0])]
    u = np.cos(best) * right + np.sin(best) * up
    axes = np.stack((u, np.cross(normal, u), normal))
    along = points @ axes.T
    return axes, along.min(axis=0), np.maximum(np.ptp(along, axis=0), 1e-12)


def _knots(spans: int) -> Floats:
    return np.concatenate((np.zeros(DEGREE), np.linspace(0, 1, spans + 1), np.ones(DEGREE)))


def _least(
    points: Floats, u: Floats, v: Floats, spans: tuple[int, int], calm: float, size: Floats
) -> tuple[Floats, tuple[Floats, Floats]]:
    """Return the control points (m, n, 3) of the least squares through points at u, v (k,), and the knots."""
    knots = _knots(spans[0]), _knots(spans[1])
    rows_u, rows_v = (sparse_basis(own, DEGREE, at) for own, at in zip(knots, (u, v), strict=True))
    counts = spans[0] + DEGREE, spans[1] + DEGREE
    matrix = _rows_of_products(rows_u, rows_v)
    grams_u, grams_v = _grams(spans[0]), _grams(spans[1])
    ratio = float(size[0] / size[1])
    energy = (
        scipy.sparse.kron(grams_u[2], grams_v[0]) / ratio**2
        + 2 * scipy.sparse.kron(grams_u[1], grams_v[1])
        + scipy.sparse.kron(grams_u[0], grams_v[2]) * ratio**2
    )
    system = (matrix.T @ matrix) / len(points) + calm * energy
    right = matrix.T @ points / len(points)
    net = scipy.sparse.linalg.spsolve(scipy.sparse.csc_array(system), right)
    return np.asarray(net).reshape(*counts, 3), knots


def _rows_of_products(first: scipy.sparse.csr_array, second: scipy.sparse.csr_array) -> scipy.sparse.csr_array:
    """Return the products of all entries of two matrices row by row (the Khatri-Rao product), each with as many a row."""
    count, per = first.shape[0], DEGREE + 1
    a, b = (one.data.reshape(count, per) for one in (first, second))
    at_a, at_b = (one.indices.reshape(count, per) for one in (first, second))
    data = (a[:, :, None] * b[:, None, :]).reshape(-1)
    columns = (at_a[:, :, None] * second.shape[1] + at_b[:, None, :]).reshape(-1)
    offsets = np.arange(count + 1) * per * per
    return scipy.sparse.csr_array((data, columns, offsets), shape=(count, first.shape[1] * second.shape[1]))


def _grams(spans: int) -> list[scipy.sparse.csr_array]:
    """Return the matrices of the integrals of products of the splines, of their slopes and of their second derivatives."""
    knots = _knots(spans)
    nodes, weights = np.polynomial.legendre.leggauss(DEGREE + 1)
    edges = np.linspace(0, 1, spans + 1)
    at = ((edges[:-1, None] + edges[1:, None]) / 2 + nodes / (2 * spans)).ravel()
    share = np.tile(weights / (2 * spans), spans)
    found = []
    for order in range(3):
        values = basis_matrix(knots, DEGREE, at, order)
        found.append(scipy.sparse.csr_array((values * share[:, None]).T @ values))
    return found


def _nearer(
    net: Floats, knots: tuple[Floats, Floats], u: Floats, v: Floats, points: Floats
) -> tuple[Floats, Floats, Floats]:
    """Return parameters (n,), (n,) nearer to points (n, 3), and the distances in mm: two steps of Gauss and Newton."""
    flat = net.reshape(-1, 3)
    for turn in range(3):
        parts = [[sparse_basis(own, DEGREE, at, order) for order in (0, 1)] for own, at in zip(knots, (u, v), strict=True)]
        here = _rows_of_products(parts[0][0], parts[1][0]) @ flat
        if turn == 2:
            break
        du = _rows_of_products(parts[0][1], parts[1][0]) @ flat
        dv = _rows_of_products(parts[0][0], parts[1][1]) @ flat
        gap = points - here
        e, f, g = (du * du).sum(axis=1), (du * dv).sum(axis=1), (dv * dv).sum(axis=1)
        a, b = (gap * du).sum(axis=1), (gap * dv).sum(axis=1)
        whole = np.maximum(e * g - f * f, 1e-12 * e * g + 1e-300)
        # What would step over the border keeps its place there: the surface is to come to it, not it to the surface.
        u, v = _inside(u, (g * a - f * b) / whole), _inside(v, (e * b - f * a) / whole)
    return u, v, lengths(points - here)


def _inside(shares: Floats, steps: Floats) -> Floats:
    """Return shares (n,) after steps, those as they were that would leave 0 to 1."""
    moved = shares + steps
    return np.where((moved >= 0) & (moved <= 1), moved, shares)
