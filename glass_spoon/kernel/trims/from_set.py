"""Surfaces and sets of them as faces: parted at their sharp edges, flat caps as pieces of planes."""

from __future__ import annotations

from itertools import pairwise, product

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.edit_knots import reverse_curve
from glass_spoon.kernel.curves.alter.place_curve import Placement, place_curve
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, edge_curve, make_surface
from glass_spoon.kernel.surfaces.evaluate.surface_kinks import surface_kinks
from glass_spoon.kernel.surfaces.sets.surface_set import (
    EdgeName,
    FlatCap,
    SurfaceSet,
    edge_loops,
    nested_loops,
    plane_axes,
)
from glass_spoon.kernel.trims.face import Face, FaceSet, Loop, make_face_set, outline, signed_area

ABOUT = 0.05
"""Share of its size by which a plane reaches beyond what it carries."""


def faces_of_surface(surface: NurbsSurface) -> list[Face]:
    """Return a surface as faces, one for each part between its sharp edges."""
    stops = [[surface.domain(axis)[0], *surface_kinks(surface, axis).tolist(), surface.domain(axis)[1]] for axis in (0, 1)]
    faces = []
    for (u, up), (v, top) in product(pairwise(stops[0]), pairwise(stops[1])):
        corners = np.array([[u, v, 0], [up, v, 0], [up, top, 0], [u, top, 0], [u, v, 0]])
        faces.append(Face(surface, (tuple(make_polyline(corners[k : k + 2]) for k in range(4)),)))
    return faces


def faces_of_set(shape: SurfaceSet) -> FaceSet:
    """Return a set of surfaces, with its caps, as faces."""
    faces = [face for surface in shape.surfaces for face in faces_of_surface(surface)]
    for number, cap in enumerate(shape.caps):
        loops = edge_loops(shape, shape.rims[number])
        parts = nested_loops(shape, [[name for name, _ in loop] for loop in loops], cap.normal)
        for part in parts:
            own = [loop for loop in loops if loop[0][0] in part]
            faces.append(_cap_face(shape, cap, own))
    size = make_face_set(faces).tolerance
    return make_face_set(faces, max(size, min(shape.reach, 10 * size)))


def _cap_face(shape: SurfaceSet, cap: FlatCap, loops: list[list[tuple[EdgeName, bool]]]) -> Face:
    """Return the piece of a plane inside loops of edges."""
    axes = plane_axes(cap.normal)
    onto = Placement(np.vstack((axes, np.zeros(3))), np.append(-axes @ cap.origin, 0.0))
    flat: list[Loop] = []
    for loop in loops:
        runs = []
        for name, forward in loop:
            curve = place_curve(edge_curve(shape.surfaces[name.piece], name.axis, name.end), onto)
            runs.append(curve if forward else reverse_curve(curve))
        flat.append(tuple(runs))
    order = sorted(flat, key=lambda loop: -abs(signed_area(outline(loop))))
    turned = [loop if (signed_area(outline(loop)) > 0) == (k == 0) else _backwards(loop) for k, loop in enumerate(order)]
    return Face(_plane(cap, axes, outline(turned[0])), tuple(turned))


def _backwards(loop: Loop) -> Loop:
    """Return a loop run the other way."""
    return tuple(reverse_curve(curve) for curve in reversed(loop))


def _plane(cap: FlatCap, axes: Floats, polygon: Floats) -> NurbsSurface:
    """Return the plane of a cap about a polygon (n, 2); its parameters are mm along both axes."""
    low, high = polygon.min(axis=0), polygon.max(axis=0)
    reach = ABOUT * float((high - low).max())
    (a, b), (c, d) = low - reach, high + reach
    knots = np.array([a, a, c, c]), np.array([b, b, d, d])
    corners = np.array([[[a, b], [a, d]], [[c, b], [c, d]]])
    return make_surface((1, 1), knots, cap.origin + corners @ axes)
