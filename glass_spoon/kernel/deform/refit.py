"""Curves and surfaces under a map of space: exactly where it is affine, else written anew within a tolerance.

What is written anew keeps its parameters and its knots with their multiplicities, so that sharp edges, poles and closed
seams stay what they are, and edges that two surfaces share stay shared; spans are halved until the map is followed.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.alter.place_curve import place_curve
from glass_spoon.kernel.curves.alter.spline_space import SplineSpace
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.deform.space_map import SpaceMap
from glass_spoon.kernel.errors import KernelError, NotFollowed
from glass_spoon.kernel.surfaces.alter.edit_surface import place_surface
from glass_spoon.kernel.surfaces.alter.follow_surface import follow_surface
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import grid_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet, place_set

MOST_POINTS = 60_000
"""Most control points of a curve."""


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


def deform_curve(curve: NurbsCurve, of: SpaceMap, tolerance: float) -> RefitCurve:
    """Return a curve under a map, within `tolerance` mm. Raises NotFollowed where that takes too many points."""
    if of.placement is not None:
        return RefitCurve(0.0, place_curve(curve, of.placement))
    space = SplineSpace.over(curve.knots, curve.degree)
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
    u, v = (SplineSpace.over(knots, degree) for knots, degree in zip(surface.knots, surface.degrees, strict=True))

    def mapped(at_u: Floats, at_v: Floats) -> Floats:
        points = grid_points(surface, at_u, at_v)
        return of.apply(np.ascontiguousarray(points).reshape(-1, 3)).reshape(points.shape)

    found, off = follow_surface(mapped, u, v, tolerance)
    return RefitSurface(off, found)
