"""A surface changed near one of its edges, so that it meets the edge of another surface, or a curve.

What is added to it is a polynomial of degree five across, with the wanted value, slope and second derivative at the edge and
none of the three where the change ends: all beyond stays as it was. Along a common edge with common tangent planes it is
enough for a common curvature that one curvature across agrees (Pegna and Wolter, Geometrical criteria to guarantee curvature
continuity of blend surfaces, 1992).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from glass_spoon.kernel.arrays import Floats, cross, lengths
from glass_spoon.kernel.curves.alter.align_sections import align_sections
from glass_spoon.kernel.curves.alter.spline_space import SplineSpace
from glass_spoon.kernel.curves.evaluate.arc_length import ArcLength, measure_length
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points, curve_tangents, find_kinks
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.patches.blend_edges import INSIDE, KINK, PLACES, Border, folds, nearer_way
from glass_spoon.kernel.surfaces.alter.follow_surface import follow_surface
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import grid_points, surface_derivatives, surface_normals
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, edge_curve

ACROSS = 5
"""Degree of what is added across: three things are held at both ends of it."""

NEAR = 1e-6
"""Share of the size within which what is asked is followed."""

LEAST = 0.2
"""How much of its slope goes away from the other surface at least: less would fold."""

SHRUNK = 0.02
"""An edge of which a piece shrinks to less than this share of itself runs past the end of what it is laid on."""

SAMPLES = 257
"""Places along an edge at which it is looked for what runs past an end, or comes from the wrong side."""


@dataclass(frozen=True, eq=False)
class Matched:
    """A surface that was matched. moved: how far in mm any of it went; off: how far in mm its edge is off what it meets;
    kink: the largest angle in radians between the two, NaN where they only meet in place; bend: the largest difference of
    their curvatures across in 1/mm, NaN where it was not asked for. folds: whether it runs back on itself somewhere.
    """

    surface: NurbsSurface
    moved: float
    off: float
    kink: float
    bend: float
    folds: bool


def match_edge(border: Border, onto: Border, share: float, *, nearest: bool = False) -> Matched:
    """Return the surface of a border, brought with that edge onto another border or curve, which stays.

    onto.grade: 0 in place, 1 with the same tangent planes, 2 with the same curvature too. share (0 to 1): how much of it
    across is changed. nearest: each place of the edge goes to the nearest of the other; else both run from end to end alike.
    Raises KernelError, with what to do, where one edge is closed and the other is not, where the edge runs past the end of
    the other, where its ends are points, or where it comes from the wrong side.
    """
    change = _Change(border, _Other.of(border, onto, nearest=nearest), share)
    surface = change.surface
    change.check()
    across, along = change.spaces()
    size = float(np.ptp(np.vstack((surface.control_points.reshape(-1, 3), onto.curve.control_points)), axis=0).max())
    spaces = (along, across) if border.axis == 0 else (across, along)
    made, _ = follow_surface(change.at, *spaces, NEAR * size)
    return change.told(made)


@dataclass(frozen=True, eq=False)
class _Other:
    """What is met. onto: as it was asked; curve: its edge, run as the border does; edge: the border; nearest: see there."""

    onto: Border
    curve: NurbsCurve
    edge: NurbsCurve
    nearest: bool

    @classmethod
    def of(cls, border: Border, onto: Border, *, nearest: bool) -> _Other:
        """Lay the other edge beside the border."""
        edge = border.own
        closed = edge.is_closed(1e-6)
        if closed != onto.curve.is_closed(1e-6) and not nearest:
            raise KernelError(
                "One of the two edges is closed and the other is not. Match where it is nearest, or split the closed one."
            )
        if nearest:
            return cls(onto, onto.curve, edge, nearest)
        curve = align_sections([edge, onto.curve])[1] if closed else nearer_way(edge, onto.curve)
        return cls(onto, curve, edge, nearest)

    @cached_property
    def arcs(self) -> tuple[ArcLength, ArcLength]:
        """The lengths of the border and of the other."""
        return measure_length(self.edge), measure_length(self.curve)

    def params(self, at: Floats) -> Floats:
        """Return the parameters (n,) of the curve that belong to parameters (n,) of the border."""
        if self.nearest:
            return closest_params(self.curve, curve_points(self.edge, at))[0]
        mine, theirs = self.arcs
        return theirs.to_params(mine.at_params(at) / mine.length * theirs.length)

    def corners(self) -> Floats:
        """Return the parameters (k,) of the border at which what it meets turns sharply."""
        kinks = find_kinks(self.curve, KINK)
        if self.nearest:
            return closest_params(self.edge, curve_points(self.curve, kinks))[0] if len(kinks) else kinks
        mine, theirs = self.arcs
        return mine.to_params(theirs.at_params(kinks) / theirs.length * mine.length)

    def inside(self, params: Floats) -> Floats:
        """Return parameters (n,) of the curve moved off its very ends."""
        low, high = self.curve.domain
        return np.clip(params, low + INSIDE * (high - low), high - INSIDE * (high - low))

    def contact(self, params: Floats) -> tuple[Floats, Floats, Floats]:
        """Return for parameters (n,) of the curve those (n,) of the other surface's edge, and there the unit ways (n, 3) off
        it, square to the edge, and the unit normals (n, 3).
        """
        params = self.inside(params)
        own = closest_params(self.onto.own, curve_points(self.curve, params))[0]
        way, normals, _ = self.onto.leaving(own, curve_tangents(self.curve, params))
        return own, way, normals


@dataclass(frozen=True, eq=False)
class _Change:
    """What is added to a surface: at parameters across and along, seen from the border inwards."""

    border: Border
    other: _Other
    share: float

    @property
    def surface(self) -> NurbsSurface:
        """The surface that is changed."""
        assert self.border.surface is not None
        return self.border.surface

    @property
    def domain(self) -> tuple[float, float]:
        """The parameters across, from the border to the far edge."""
        low, high = self.surface.domain(1 - self.border.axis)
        return (low, high) if self.border.end == 0 else (high, low)

    def spaces(self) -> tuple[SplineSpace, SplineSpace]:
        """Return the splines across, with a knot where the change ends, and along, with those at corners of what is met."""
        axis = self.border.axis
        start, stop = self.domain
        found = [SplineSpace.over(self.surface.knots[k], self.surface.degrees[k], ACROSS) for k in (1 - axis, axis)]
        ends = np.array([start + self.share * (stop - start)])
        return found[0].with_knots(ends, 2), found[1].with_knots(self.other.corners(), 0)

    def edge(self, along: Floats) -> tuple[Floats, Floats, Floats]:
        """Return the places (n, 3) of the border at parameters (n,), and the first two derivatives inwards per its share."""
        start, stop = self.domain
        values = surface_derivatives(self.surface, *self.border.params(along), 2)
        one, two = ((0, 1), (0, 2)) if self.border.axis == 0 else ((1, 0), (2, 0))
        per = (stop - start) * self.share
        return values[0, 0], values[one] * per, values[two] * per**2

    def wanted(self, along: Floats) -> tuple[Floats, Floats, Floats]:
        """Return what is added at the border (n, 3): to its places, to its slopes and to its second derivatives."""
        place, slope, second = self.edge(along)
        params = self.other.params(along)
        gap = curve_points(self.other.curve, params) - place
        none = np.zeros_like(place)
        if not self.other.onto.grade:
            return gap, none, none
        own, way, normals = self.other.contact(params)
        turned = self._leaving(slope, way, normals)
        if self.other.onto.grade == 1:
            return gap, turned - slope, none
        bent = self.other.onto.bending(own, turned) - _dot(second, normals)
        return gap, turned - slope, normals * bent[:, None]

    @staticmethod
    def _leaving(slope: Floats, way: Floats, normals: Floats) -> Floats:
        """Return slopes (n, 3) laid into the planes of the other surface, as long as they were."""
        size = lengths(slope)[:, None]
        flat = slope - _dot(slope, normals)[:, None] * normals
        out = _dot(flat, way)[:, None]
        flat = flat + np.maximum(LEAST * size - out, 0) * way
        return np.asarray(flat * size / np.maximum(lengths(flat)[:, None], 1e-300))

    def added(self, across: Floats, along: Floats) -> Floats:
        """Return what is added (m, n, 3) at parameters across (m,) by along (n,)."""
        start, stop = self.domain
        t = np.clip((across - start) / (stop - start) / self.share, 0.0, 1.0)[:, None, None]
        rest = (1 - t) ** 3
        gap, slope, second = self.wanted(along)
        shapes = (rest * (1 + 3 * t + 6 * t * t), rest * t * (1 + 3 * t), rest * t * t / 2)
        return np.asarray(shapes[0] * gap + shapes[1] * slope + shapes[2] * second)

    def at(self, u: Floats, v: Floats) -> Floats:
        """Return the places (m, n, 3) of the changed surface at u (m,) by v (n,)."""
        points = grid_points(self.surface, u, v)
        if self.border.axis == 0:
            return np.asarray(points + np.moveaxis(self.added(v, u), 0, 1))
        return np.asarray(points + self.added(u, v))

    def _along(self, count: int) -> Floats:
        """Return parameters (count,) along the border, its ends left out."""
        low, high = self.surface.domain(self.border.axis)
        return low + (np.arange(count) + 0.5) / count * (high - low)

    def check(self) -> None:
        """Raise KernelError for an edge that cannot be laid there."""
        axis, size = self.border.axis, self.surface.size
        for end in (0, -1):
            if self.surface.is_pole(axis, end, 1e-9 * size):
                raise KernelError(
                    "The surface closes in a point at an end of that edge. Cut it off by Cut surface, or match another edge."
                )
        along = np.linspace(*self.surface.domain(axis), SAMPLES)
        before = lengths(np.diff(curve_points(self.other.edge, along), axis=0))
        after = lengths(np.diff(curve_points(self.other.curve, self.other.params(along)), axis=0))
        if (after < SHRUNK * before).any():
            raise KernelError(
                "The edge runs past the end of what it is to meet. Match it end to end, or lengthen the other surface first."
            )
        if self.other.onto.grade:
            _, way, _ = self.other.contact(self.other.params(along))
            slope = self.edge(along)[1]
            if float(np.median(_dot(slope, way) / np.maximum(lengths(slope), 1e-300))) < 0:
                raise KernelError(
                    "The surface lies over the one that it is to go on from, and would fold at the edge. "
                    "Match the edge on its other side, or match it in place."
                )

    def told(self, made: NurbsSurface) -> Matched:
        """Return the changed surface with how it meets the other, measured on it."""
        axis, grade = self.border.axis, self.other.onto.grade
        along = self._along(PLACES)
        params = self.other.inside(self.other.params(along))
        edge = edge_curve(made, axis, self.border.end)
        off = lengths(curve_points(edge, along) - curve_points(self.other.curve, params))
        kink = bend = np.nan
        if grade:
            own, way, normals = self.other.contact(params)
            mine = Border(edge, made, axis, self.border.end)
            kink = float(np.arcsin(np.clip(lengths(cross(surface_normals(made, *mine.params(along)), normals)), 0, 1)).max())
            if grade > 1:
                sides = np.sign(_dot(surface_normals(made, *mine.params(along)), normals))
                bend = float(np.abs(mine.bending(along, way) * sides - self.other.onto.bending(own, way)).max())
        start, stop = self.domain
        moved = lengths(self.added(np.linspace(start, stop, 33), along)).max()
        return Matched(made, float(moved), float(off.max()), kink, bend, folds(made))


def _dot(first: Floats, second: Floats) -> Floats:
    """Return the products (n,) of vectors (n, 3)."""
    return np.asarray((first * second).sum(axis=1))
