"""Curves and surfaces under a map of space: exactly where it is affine, else written anew within a tolerance.

What is written anew keeps its parameters and its knots with their multiplicities, so that sharp edges, poles and closed
seams stay what they are, and edges that two surfaces share stay shared; spans are halved until the map is followed.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.alter.place_curve import place_curve
from glass_spoon.kernel.curves.evaluate.basis import basis_matrix
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.deform.space_map import SpaceMap
from glass_spoon.kernel.errors import KernelError, NotFollowed
from glass_spoon.kernel.surfaces.alter.edit_surface import place_surface
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet, place_set

DEGREE = 3
"""The least degree of what is written anew."""
MOST_POINTS = 60_000
"""Most control points of a surface, or of a curve."""
CHECKS = np.array([0.25, 0.5, 0.75])
"""Shares of a span at which it is held against the map."""
SHARE = 0.3
"""Spans in which it is farther off than this share of the tolerance are halved."""
NARROWEST = 1e-6
"""Spans of less than this share of the whole are not halved."""


@dataclass(frozen=True, eq=False)
class Refit:
    """What a map made of something, and the largest distance in mm from where the map takes it."""

    off: float


@dataclass(frozen=True, eq=False)
class RefitCurve(Refit):
    """A curve under a map."""

    curve: NurbsCurve


@dataclass(frozen=True, eq=False)
class RefitSet(Refit):
    """A set of surfaces under a map."""

    shape: SurfaceSet


@dataclass(frozen=True)
class _Space:
    """Splines of an axis: their degree, their knots, and the parameters at which they are sought and checked."""

    degree: int
    knots: Floats

    @classmethod
    def over(cls, knots: Floats, degree: int) -> _Space:
        """Return the splines over the spans of others, as smooth as those are, of DEGREE at least."""
        own = max(degree, DEGREE)
        values, counts = np.unique(knots[degree + 1 : -degree - 1], return_counts=True)
        inner = np.repeat(values, np.minimum(counts + own - degree, own))
        return cls(own, np.concatenate((np.full(own + 1, knots[0]), inner, np.full(own + 1, knots[-1]))))

    def halved(self, off: Floats, tolerance: float) -> _Space:
        """Return the splines with those spans halved in which something is off (spans,) by more than a share of mm."""
        edges = np.unique(self.knots)
        wide = np.diff(edges) > NARROWEST * (edges[-1] - edges[0])
        middles = ((edges[:-1] + edges[1:]) / 2)[(off > tolerance * SHARE) & wide]
        return _Space(self.degree, np.sort(np.concatenate((self.knots, middles))))

    def by_span(self, off: Floats) -> Floats:
        """Return the largest (spans,) of what is off at the parameters in between (n,)."""
        return off.reshape(-1, len(CHECKS)).max(axis=1)

    @property
    def places(self) -> Floats:
        """The abscissae (n,) of the control points: at knots of full multiplicity one of them lies on the knot."""
        found = np.stack([self.knots[k + 1 : len(self.knots) - self.degree + k] for k in range(self.degree)]).mean(axis=0)
        return np.clip(found, self.knots[0], self.knots[-1])

    @property
    def between(self) -> Floats:
        """Parameters inside all spans."""
        edges = np.unique(self.knots)
        return (edges[:-1, None] + np.diff(edges)[:, None] * CHECKS).ravel()

    def solve(self, values: Floats) -> Floats:
        """Return control points (n, ...) of the splines through values (n, ...) at the places."""
        matrix = basis_matrix(self.knots, self.degree, self.places)
        found = np.linalg.solve(matrix, values.reshape(len(values), -1))
        return np.asarray(found.reshape(values.shape))


def deform_curve(curve: NurbsCurve, of: SpaceMap, tolerance: float) -> RefitCurve:
    """Return a curve under a map, within `tolerance` mm. Raises NotFollowed where that takes too many points."""
    if of.placement is not None:
        return RefitCurve(0.0, place_curve(curve, of.placement))
    space = _Space.over(curve.knots, curve.degree)
    while len(space.places) <= MOST_POINTS:
        control = space.solve(of.apply(curve_points(curve, space.places)))
        found = NurbsCurve(space.degree, space.knots, control, np.ones(len(control)))
        at = space.between
        off = lengths(curve_points(found, at) - of.apply(curve_points(curve, at)))
        finer = space.halved(space.by_span(off), tolerance)
        if off.max() <= tolerance:
            return RefitCurve(float(off.max()), found)
        if len(finer.knots) == len(space.knots):
            break
        space = finer
    raise NotFollowed("The curve", tolerance)


def deform_set(shape: SurfaceSet, of: SpaceMap, tolerance: float) -> RefitSet:
    """Return a set under a map, every surface within `tolerance` mm; edges that were shared stay so.

    Raises NotFollowed where that takes too many points, and KernelError for flat caps, which would not stay flat.
    """
    if of.placement is not None:
        return RefitSet(0.0, place_set(shape, of.placement))
    if shape.caps:
        raise KernelError("Its flat ends would not stay flat. Make a mesh of it, and shape the mesh.")
    made = [deform_surface(surface, of, tolerance) for surface in shape.surfaces]
    off = max(one.off for one in made)
    surfaces = tuple(one.surface for one in made)
    return RefitSet(off, replace(shape, surfaces=surfaces, tolerance=shape.tolerance + 2 * off, pattern=()))


@dataclass(frozen=True, eq=False)
class RefitSurface(Refit):
    """A surface under a map."""

    surface: NurbsSurface


def deform_surface(surface: NurbsSurface, of: SpaceMap, tolerance: float) -> RefitSurface:
    """Return a surface under a map, within `tolerance` mm; spans in which it is farther off are halved."""
    if of.placement is not None:
        return RefitSurface(0.0, place_surface(surface, of.placement))
    u, v = (_Space.over(knots, degree) for knots, degree in zip(surface.knots, surface.degrees, strict=True))
    while len(u.places) * len(v.places) <= MOST_POINTS:
        net = u.solve(_mapped(surface, of, u.places, v.places))
        net = np.moveaxis(v.solve(np.moveaxis(net, 1, 0)), 0, 1)
        found = NurbsSurface((u.degree, v.degree), (u.knots, v.knots), net, np.ones(net.shape[:2]))
        along_u = _off(surface, found, of, u.between, v.places).max(axis=1)
        along_v = _off(surface, found, of, u.places, v.between).max(axis=0)
        off = max(float(along_u.max()), float(along_v.max()))
        if off <= tolerance:
            inside = _off(surface, found, of, u.between, v.between)
            off = max(off, float(inside.max()))
            if off <= tolerance:
                return RefitSurface(off, found)
            along_u, along_v = inside.max(axis=1), inside.max(axis=0)
        finer = u.halved(u.by_span(along_u), tolerance), v.halved(v.by_span(along_v), tolerance)
        if len(finer[0].knots) == len(u.knots) and len(finer[1].knots) == len(v.knots):
            break
        u, v = finer
    raise NotFollowed("The surface", tolerance)


def _mapped(surface: NurbsSurface, of: SpaceMap, u: Floats, v: Floats) -> Floats:
    """Return where a map takes the surface at u (m,) by v (n,), (m, n, 3)."""
    points = evaluate_grid(surface, u, v).points
    return of.apply(np.ascontiguousarray(points).reshape(-1, 3)).reshape(points.shape)


def _off(surface: NurbsSurface, found: NurbsSurface, of: SpaceMap, u: Floats, v: Floats) -> Floats:
    """Return the distances (m, n) in mm of what was found from where a map takes a surface, at u (m,) by v (n,)."""
    return lengths(evaluate_grid(found, u, v).points - _mapped(surface, of, u, v))
