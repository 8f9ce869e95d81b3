"""Faces: surfaces with boundary loops in their parameters, and sets of them."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats
from glass_spoon.kernel.curves.alter.edit_knots import reverse_curve
from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.surfaces.alter.edit_surface import place_surface, reverse_surface
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import grid_points, surface_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.polygons import crossings, signed_area

PLACES = 65
"""Places of a boundary curve by which it is told what lies inside."""

OWN_TOLERANCE = 1e-5
"""Share of the size of a set within which edges are one."""

Loop = tuple[NurbsCurve, ...]
"""Curves (u, v, 0) on a surface, end to end, that come back to their start."""


@dataclass(frozen=True, eq=False)
class Face:
    """A part of a surface. loops: its boundary, the part on their left seen from outside: the outline first, then holes."""

    surface: NurbsSurface
    loops: tuple[Loop, ...]

    @cached_property
    def is_box(self) -> bool:
        """Say whether it is a rectangle of its parameters."""
        if len(self.loops) > 1:
            return False
        polygon = self.outlines[0]
        return bool(signed_area(polygon) > (1 - 1e-9) * np.ptp(polygon, axis=0).prod())

    @cached_property
    def key(self) -> tuple[str, ...]:
        """Its content."""
        return (self.surface.key, *("|".join(curve.key for curve in loop) for loop in self.loops))

    @cached_property
    def outlines(self) -> tuple[Floats, ...]:
        """Polygons (n, 2) in parameters along the loops."""
        return tuple(outline(loop) for loop in self.loops)

    def holds(self, params: Floats) -> Bools:
        """Say which params (n, 2) lie in the face."""
        return np.asarray(sum(crossings(one, params) for one in self.outlines) % 2 == 1)

    @cached_property
    def inner_place(self) -> Floats:
        """The params (2,) of a place well inside: of many the one farthest from the boundary."""
        low, high = (getattr(self.outlines[0], which)(axis=0) for which in ("min", "max"))
        shares = (np.arange(24) + 0.5) / 24
        grid = np.stack(np.meshgrid(shares, shares, indexing="ij"), axis=-1).reshape(-1, 2) * (high - low) + low
        inside = grid[self.holds(grid)]
        if not len(inside):  # a sliver: the middle between two sides, seen along a line across it
            inside = self._across(low, high)
        rim = np.concatenate(self.outlines)
        away = np.asarray(scipy.spatial.cKDTree(rim / (high - low)).query(inside / (high - low))[0])
        return np.asarray(inside[int(away.argmax())])

    def _across(self, low: Floats, high: Floats) -> Floats:
        """Return middles (n, 2) between sides along lines across the outline."""
        found = []
        for share in np.linspace(0.037, 0.963, 41):
            for axis in (0, 1):
                level = low[axis] + share * (high[axis] - low[axis])
                stops = np.sort(np.concatenate([_meets(one, axis, level) for one in self.outlines]))
                for a, b in zip(stops[::2], stops[1::2], strict=False):
                    place = np.empty(2)
                    place[axis], place[1 - axis] = level, (a + b) / 2
                    found.append(place)
        return np.array(found) if found else self.outlines[0].mean(axis=0)[None]

    @cached_property
    def inner_point(self) -> Floats:
        """A place (3,) in mm well inside."""
        return np.asarray(surface_points(self.surface, *self.inner_place[:, None])[0])

    def edge_points(self, curve: NurbsCurve, params: Floats) -> Floats:
        """Return places (n, 3) in mm along one of its boundary curves."""
        at = curve_points(curve, params)[:, :2]
        bounds = [self.surface.domain(axis) for axis in (0, 1)]
        return surface_points(self.surface, *(np.clip(at[:, axis], *bounds[axis]) for axis in (0, 1)))


@dataclass(frozen=True, eq=False)
class FaceSet:
    """Faces in an order that counts. tolerance: edges within it of each other, in mm, are shared.

    regions: the keys of surfaces that fill a region together, whose faces may be meshed as one.
    """

    faces: tuple[Face, ...]
    tolerance: float
    regions: tuple[tuple[str, ...], ...] = ()

    @cached_property
    def size(self) -> float:
        """Largest extent in mm."""
        return float(np.ptp(self.trace, axis=0).max())

    @cached_property
    def trace(self) -> Floats:
        """Places (n, 3) in mm all over the faces."""
        return np.concatenate([face_trace(face) for face in self.faces])


def face_trace(face: Face) -> Floats:
    """Return places (n, 3) in mm along the boundary and inside."""
    rim = np.concatenate([face.edge_points(curve, np.linspace(*curve.domain, 17)) for loop in face.loops for curve in loop])
    return np.concatenate((rim, inner_places(face)))


def inner_places(face: Face) -> Floats:
    """Return places (n, 3) in mm all over the inside of a face."""
    shares = (np.arange(24) + 0.4871) / 24  # beside where boundaries usually run, so that none decides by a rounding
    us, vs = (low + shares * (high - low) for low, high in map(face.surface.domain, (0, 1)))
    grid = np.stack(np.meshgrid(us, vs, indexing="ij"), axis=-1).reshape(-1, 2)
    inside = face.holds(grid)
    return grid_points(face.surface, us, vs).reshape(-1, 3)[inside]


def whole_face(surface: NurbsSurface) -> Face:
    """Return all of a surface as a face."""
    (u, up), (v, top) = surface.domain(0), surface.domain(1)
    corners = np.array([[u, v, 0], [up, v, 0], [up, top, 0], [u, top, 0], [u, v, 0]])
    return Face(surface, (tuple(make_polyline(corners[k : k + 2]) for k in range(4)),))


def isoline(surface: NurbsSurface, axis: int, share: float = 0.5) -> NurbsCurve:
    """Return the line (u, v, 0) across a surface at a share of an axis."""
    low, high = surface.domain(axis)
    ends = np.zeros((2, 3))
    ends[:, axis] = low + share * (high - low)
    ends[:, 1 - axis] = surface.domain(1 - axis)
    return make_polyline(ends)


def make_face_set(
    faces: list[Face] | tuple[Face, ...], tolerance: float | None = None, regions: tuple[tuple[str, ...], ...] = ()
) -> FaceSet:
    """Return faces as a set, with a tolerance that suits their size unless one is given."""
    if tolerance is not None:
        return FaceSet(tuple(faces), tolerance, regions)
    size = FaceSet(tuple(faces), 0.0).size
    return FaceSet(tuple(faces), OWN_TOLERANCE * size)


def place_face(face: Face, placement: Placement) -> Face:
    """Return a face moved, turned, stretched or mirrored: its loops stay where they are on the surface."""
    placed = place_surface(face.surface, placement)
    mirrored = np.linalg.det(placement.matrix) < 0  # the surface is run backwards round then
    return Face(placed, _backwards_round(face) if mirrored else face.loops)


def reverse_face(face: Face) -> Face:
    """Return a face with its sides changed over."""
    return Face(reverse_surface(face.surface, 0), _backwards_round(face))


def _backwards_round(face: Face) -> tuple[Loop, ...]:
    """Return the loops of a face whose surface is run backwards round."""
    low, high = face.surface.domain(0)

    def turned(curve: NurbsCurve) -> NurbsCurve:
        points = curve.control_points.copy()
        points[:, 0] = low + high - points[:, 0]
        return reverse_curve(replace(curve, control_points=points))

    return tuple(tuple(turned(curve) for curve in reversed(loop)) for loop in face.loops)


def outline(loop: Loop) -> Floats:
    """Return the polygon (n, 2) of a loop."""
    return np.concatenate([curve_points(curve, curve_params(curve))[:-1, :2] for curve in loop])


def curve_params(curve: NurbsCurve) -> Floats:
    """Return parameters of a curve by which it is drawn as a polygon: two ends where it is straight."""
    if curve.degree == 1 and len(curve.control_points) == 2:
        return np.array(curve.domain)
    return np.linspace(*curve.domain, PLACES)


def _meets(polygon: Floats, axis: int, level: float) -> Floats:
    """Return where (k,) along the other axis a line at a level crosses a polygon."""
    a, b = polygon, np.roll(polygon, -1, axis=0)
    over = (a[:, axis] > level) != (b[:, axis] > level)
    share = (level - a[over, axis]) / (b[over, axis] - a[over, axis])
    return np.asarray(a[over, 1 - axis] + share * (b[over, 1 - axis] - a[over, 1 - axis]))
