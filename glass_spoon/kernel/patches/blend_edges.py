"""A surface that runs from an edge of one surface to an edge of another, or to a curve.

It leaves each edge squarely within the tangent plane there, so that it does not twist; with the same normal curvature
across as the surface where that is asked, which makes it curvature continuous all along (Pegna and Wolter 1992).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from math import comb

import numpy as np

from glass_spoon.kernel.arrays import Floats, cross, directions, lengths
from glass_spoon.kernel.curves.alter.align_sections import align_sections
from glass_spoon.kernel.curves.alter.edit_knots import reverse_curve
from glass_spoon.kernel.curves.evaluate.arc_length import ArcLength, measure_length
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import closed_at_kink, curve_points, curve_tangents, find_kinks
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.patches.fit_rows import DEGREE, Asked, fit_rows
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import (
    evaluate_grid,
    surface_derivatives,
    surface_normals,
)
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, edge_curve

NEAR = 1e-6
"""Share of the size within which the edges are followed."""
KINK = np.radians(1.0)
PLACES = 49
"""Places along an edge at which it is told how the blend meets what is beside it."""
INSIDE = 1e-7
"""Share of a domain by which a corner is looked at from within."""


@dataclass(frozen=True, eq=False)
class Border:
    """What a blend starts from: an edge of a surface, or a curve where the surface is None.

    axis, end: the edge runs along the axis, at the start (0) or the last (-1) of the other. grade: 0 in place, 1 with the
    same tangent planes, 2 with the same curvature too. bulge: how far it runs on straight before it turns.
    """

    curve: NurbsCurve
    surface: NurbsSurface | None = None
    axis: int = 0
    end: int = 0
    grade: int = 1
    bulge: float = 1.0

    @cached_property
    def own(self) -> NurbsCurve:
        """The edge as the surface runs through it."""
        return self.curve if self.surface is None else edge_curve(self.surface, self.axis, self.end)

    def leaving(self, params: Floats, tangents: Floats) -> tuple[Floats, Floats, Floats]:
        """Return for places of the edge of the surface, by their parameters (n,) of it, the unit directions (n, 3) off the
        surface and square to tangents (n, 3), the unit normals (n, 3), and the curvatures (n,) in 1/mm in these directions.
        """
        surface, (u, v) = self._owned, self.params(params)
        values = surface_derivatives(surface, u, v, 1)
        du, dv = values[1, 0], values[0, 1]
        normals = surface_normals(surface, u, v)
        outward = (dv if self.axis == 0 else du) * (1.0 if self.end == -1 else -1.0)
        way = directions(cross(tangents, normals))
        way = way * np.where((way * outward).sum(axis=1) < 0, -1.0, 1.0)[:, None]
        return way, normals, self.bending(params, way)

    @property
    def _owned(self) -> NurbsSurface:
        """The surface, which there is."""
        assert self.surface is not None
        return self.surface

    def params(self, params: Floats) -> tuple[Floats, Floats]:
        """Return the parameters u and v (n,) of the surface at parameters (n,) of its edge."""
        across = np.full(len(params), self._owned.domain(1 - self.axis)[self.end])
        return (params, across) if self.axis == 0 else (across, params)

    def bending(self, params: Floats, ways: Floats) -> Floats:
        """Return the second fundamental form (n,) of the surface for tangent vectors (n, 3) at parameters (n,) of its edge:
        for unit ones the curvature in 1/mm that way, towards the normal.
        """
        surface, (u, v) = self._owned, self.params(params)
        values = surface_derivatives(surface, u, v, 2)
        shares = np.einsum("nac,nc->na", np.linalg.pinv(np.stack((values[1, 0], values[0, 1]), axis=2)), ways)
        second = shares[:, :1] ** 2 * values[2, 0] + 2 * shares[:, :1] * shares[:, 1:] * values[1, 1]
        second = second + shares[:, 1:] ** 2 * values[0, 2]
        return np.asarray((second * surface_normals(surface, u, v)).sum(axis=1))


@dataclass(frozen=True, eq=False)
class Blend:
    """A blend. off: the largest distance in mm of its edges from those it starts from; kinks: the largest angles in radians
    to the surfaces there, NaN where it only meets them in place. folds: whether it runs back on itself somewhere.
    """

    surface: NurbsSurface
    off: float
    kinks: tuple[float, float]
    folds: bool


def surface_borders(surface: NurbsSurface, tolerance: float) -> list[Border]:
    """Return the open edges of a surface: without poles, and without seams that close within `tolerance` mm."""
    found = []
    for axis in (0, 1):
        if surface.is_closed(1 - axis, tolerance):
            continue
        for end in (0, -1):
            if not surface.is_pole(1 - axis, end, tolerance):
                found.append(Border(edge_curve(surface, axis, end), surface, axis, end))
    return found


def nearest_borders(first: list[Border], second: list[Border]) -> tuple[Border, Border]:
    """Return the two borders that lie nearest to each other, by places even along them; of alike ones the first.

    Raises KernelError where all are of one closed surface, or none are left.
    """
    best, found = np.inf, None
    for one in first:
        for other in second:
            alike = one.surface is other.surface and (one.axis, one.end) == (other.axis, other.end)
            if one is other or (one.surface is not None and alike):
                continue
            away = _apart(one.curve, other.curve)
            if away < best * (1 - 1e-9):
                best, found = away, (one, other)
    if found is None:
        raise KernelError("There is no open edge to blend from: what closes on itself has none.")
    return found


def _apart(one: NurbsCurve, other: NurbsCurve) -> float:
    """Return the mean distance in mm between places even along two curves, whichever way they run."""
    places = [
        curve_points(curve, measure_length(curve).to_params(np.linspace(0, 1, 17) * measure_length(curve).length))
        for curve in (one, other)
    ]
    if all(curve.is_closed(1e-6) for curve in (one, other)):
        return float(lengths(places[0][:, None] - places[1][None]).min(axis=1).mean())
    return min(float(lengths(places[0] - places[1][::step]).mean()) for step in (1, -1))


def blend_edges(first: Border, second: Border) -> Blend:
    """Return the surface from one border to another: u along them, v across.

    It is of degree 1, 3 or 5 across, as the grades at both ends ask for. Raises KernelError where one border is closed and
    the other is not, or where both are the same place.
    """
    if first.curve.is_closed(1e-6) != second.curve.is_closed(1e-6):
        raise KernelError("One of the two edges is closed and the other is not. Split the closed one, or take another edge.")
    one, other = align_sections([first.curve, second.curve])
    if not first.curve.is_closed(1e-6):
        other = nearer_way(one, other)
    ends = _Side(replace(first, curve=one)), _Side(replace(second, curve=other))
    apart = lengths(ends[0].points(np.linspace(0, 1, 33)) - ends[1].points(np.linspace(0, 1, 33)))
    size = max(ends[0].arc.length, ends[1].arc.length, float(apart.max()))
    if apart.max() < 1e-9 * size:
        raise KernelError("Both edges lie on one another, so there is nothing between them to blend.")
    count = first.grade + second.grade + 2
    solve = _bezier_of(first.grade, second.grade)

    def at(shares: Floats) -> Floats:
        gap = lengths(ends[1].points(shares) - ends[0].points(shares))
        asked = np.concatenate([ends[0].slopes(shares, gap, 1.0), ends[1].slopes(shares, gap, -1.0)])
        return np.einsum("ab,bsc->asc", solve, asked)

    ring = first.curve.is_closed(1e-6) and not any(closed_at_kink(side.border.curve, KINK) for side in ends)
    corners = np.unique(np.concatenate([side.corners for side in ends]))
    found = fit_rows(Asked(at, np.array([0.0, 1.0]), corners, ring), NEAR * size)
    net = np.moveaxis(found.control, 0, 1)
    knots = np.repeat([0.0, 1.0], count)
    surface = NurbsSurface((DEGREE, count - 1), (found.knots, knots), net, np.ones(net.shape[:2]))
    return Blend(surface, found.off, (_kink(ends[0], surface, 0.0), _kink(ends[1], surface, 1.0)), folds(surface))


def nearer_way(one: NurbsCurve, other: NurbsCurve) -> NurbsCurve:
    """Return an open curve run so that its ends lie nearer to those of another."""
    a, b = (curve.control_points[[0, -1]] for curve in (one, other))
    straight, turned = float(lengths(a - b).sum()), float(lengths(a - b[::-1]).sum())
    return other if straight <= turned else reverse_curve(other)


@dataclass(frozen=True, eq=False)
class _Side:
    """A border as the blend runs along it, by shares of its length."""

    border: Border

    @cached_property
    def arc(self) -> ArcLength:
        """Its length."""
        return measure_length(self.border.curve)

    @cached_property
    def corners(self) -> Floats:
        """Shares (k,) of its length at which it turns sharply."""
        return np.round(self.arc.at_params(find_kinks(self.border.curve, KINK)) / self.arc.length, 9)

    def points(self, shares: Floats) -> Floats:
        """Return the places (n, 3) at shares (n,)."""
        return curve_points(self.border.curve, self.arc.to_params(shares * self.arc.length))

    def contact(self, shares: Floats) -> tuple[Floats, Floats, Floats]:
        """Return what `Border.leaving` does at shares (n,)."""
        params = self.arc.to_params(np.clip(shares, INSIDE, 1 - INSIDE) * self.arc.length)
        places = curve_points(self.border.curve, params)
        own = closest_params(self.border.own, places)[0]
        return self.border.leaving(own, curve_tangents(self.border.curve, params))

    def slopes(self, shares: Floats, gap: Floats, way: float) -> Floats:
        """Return the place and its derivatives across (grade + 1, n, 3), for gaps (n,) in mm to the other side.

        way: 1 where the blend leaves, -1 where it comes in.
        """
        rows = [self.points(shares)]
        if self.border.grade:
            leaving, normals, bends = self.contact(shares)
            slope = leaving * (self.border.bulge * gap)[:, None]
            rows.append(way * slope)
            if self.border.grade > 1:
                rows.append(normals * (bends * (slope * slope).sum(axis=1))[:, None])
        return np.array(rows)


def _bezier_of(first: int, second: int) -> Floats:
    """Return the matrix (n, n) from derivatives at 0, up to the first grade, and at 1, up to the second, to the control
    points of the Bezier curve of least degree that has them.
    """
    degree = first + second + 1
    rows = []
    for grade, end in ((first, 0), (second, 1)):
        for order in range(grade + 1):
            row = np.zeros(degree + 1)
            scale = float(np.prod([degree - k for k in range(order)]))
            for k in range(order + 1):
                row[k if end == 0 else degree - order + k] = scale * comb(order, k) * (-1.0) ** (order - k)
            rows.append(row)
    return np.asarray(np.linalg.inv(np.array(rows)))


def _kink(side: _Side, surface: NurbsSurface, v: float) -> float:
    """Return the largest angle in radians between a blend and what is beside it at one of its edges."""
    if not side.border.grade:
        return np.nan
    shares = (np.arange(PLACES) + 0.5) / PLACES
    normals = side.contact(shares)[1]
    own = surface_normals(surface, shares, np.full(PLACES, v))
    return float(np.arcsin(np.clip(lengths(cross(own, normals)), 0, 1)).max())


def folds(surface: NurbsSurface) -> bool:
    """Say whether the normal turns right round between places beside each other."""
    (u, to_u), (v, to_v) = surface.domain(0), surface.domain(1)
    normals = evaluate_grid(surface, np.linspace(u, to_u, 65), v + np.linspace(0.01, 0.99, 25) * (to_v - v)).normals
    along, across = (normals[1:] * normals[:-1]).sum(axis=2), (normals[:, 1:] * normals[:, :-1]).sum(axis=2)
    return bool(min(along.min(), across.min()) < -0.2)
