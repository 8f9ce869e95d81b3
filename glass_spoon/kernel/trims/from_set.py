"""Surfaces and sets of them as faces: parted at their sharp edges, flat caps as pieces of planes."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise, product

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.edit_knots import reverse_curve
from glass_spoon.kernel.curves.alter.place_curve import Placement, place_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.surfaces.alter.edit_surface import split_surface
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points_normals
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, edge_curve, make_surface
from glass_spoon.kernel.surfaces.evaluate.surface_kinks import surface_kinks
from glass_spoon.kernel.surfaces.make.polygons import signed_area
from glass_spoon.kernel.surfaces.sets.regions import rim_edges
from glass_spoon.kernel.surfaces.sets.surface_set import (
    EdgeName,
    FlatCap,
    SurfaceSet,
    edge_loops,
    nested_loops,
    plane_axes,
)
from glass_spoon.kernel.trims.face import Face, FaceSet, Loop, face_trace, make_face_set, outline
from glass_spoon.kernel.trims.flat_parts import FLAT, Part, flat_parts, plane_of

ABOUT = 0.05
"""Share of its size by which a plane reaches beyond what it carries."""


def faces_of_surface(surface: NurbsSurface) -> list[Face]:
    """Return a surface as faces, one for each part between its sharp edges; flat stretches as pieces of planes."""
    stops = [[surface.domain(axis)[0], *surface_kinks(surface, axis).tolist(), surface.domain(axis)[1]] for axis in (0, 1)]
    flat = {part: one for one in flat_parts(surface, _pieces(surface, stops)) for part in one.parts}
    faces = []
    for (i, (u, up)), (j, (v, top)) in product(enumerate(pairwise(stops[0])), enumerate(pairwise(stops[1]))):
        if (one := flat.get((i, j))) is not None:
            if (i, j) == one.parts[0]:
                faces.append(_plane_face(one.plane, one.loops))
            continue
        corners = np.array([[u, v, 0], [up, v, 0], [up, top, 0], [u, top, 0], [u, v, 0]])
        faces.append(Face(surface, (tuple(make_polyline(corners[k : k + 2]) for k in range(4)),)))
    return faces


def surfaces_under(shape: FaceSet) -> list[NurbsSurface]:
    """Return the whole surfaces that faces are parts of, each once; no plane that stands for a part of another."""
    every = {face.surface.key: face.surface for face in shape.faces}

    def stands_for_another(key: str) -> bool:
        surface = every[key]
        if surface.control_points.shape[:2] != (2, 2) or np.ptp(surface.weights) > 0:
            return False
        places = np.concatenate([face_trace(face) for face in shape.faces if face.surface.key == key])
        return any(
            float(closest_points(other, places)[2].max()) <= shape.tolerance
            for name, other in every.items()
            if name != key and other.control_points.shape[:2] != (2, 2)
        )

    return [surface for key, surface in every.items() if not stands_for_another(key)]


def _pieces(surface: NurbsSurface, stops: list[list[float]]) -> dict[Part, NurbsSurface]:
    """Return the pieces of a surface between stops of both axes."""
    rows = list(_cut_at(surface, 0, stops[0][1:-1]))
    return {(i, j): piece for i, row in enumerate(rows) for j, piece in enumerate(_cut_at(row, 1, stops[1][1:-1]))}


def _cut_at(surface: NurbsSurface, axis: int, stops: list[float]) -> Iterator[NurbsSurface]:
    """Yield the parts of a surface between inner parameters of an axis."""
    for stop in stops:
        first, surface = split_surface(surface, axis, stop)
        yield first
    yield surface


def faces_of_set(shape: SurfaceSet) -> FaceSet:
    """Return a set of surfaces, with its caps, as faces; a region of several in one plane as one piece of that plane."""
    flat = {region[0]: (region, plane) for region in shape.regions if (plane := _plane_of(shape, region)) is not None}
    within = {number for region, _ in flat.values() for number in region}
    faces = list[Face]()
    for number, surface in enumerate(shape.surfaces):
        if number in flat:
            region, plane = flat[number]
            faces.append(_cap_face(shape, plane, edge_loops(shape, rim_edges(shape, region))))
        elif number not in within:
            faces += faces_of_surface(surface)
    for number, cap in enumerate(shape.caps):
        loops = edge_loops(shape, shape.rims[number])
        parts = nested_loops(shape, [[name for name, _ in loop] for loop in loops], cap.normal)
        for part in parts:
            own = [loop for loop in loops if loop[0][0] in part]
            faces.append(_cap_face(shape, cap, own))
    size = make_face_set(faces).tolerance
    bent = [region for region in shape.regions if len(region) > 1 and region[0] not in flat]
    regions = tuple(tuple(shape.surfaces[number].key for number in region) for region in bent)
    return make_face_set(faces, max(size, min(shape.reach, 10 * size)), regions)


def _plane_of(shape: SurfaceSet, region: tuple[int, ...]) -> FlatCap | None:
    """Return the plane in which several surfaces lie that fill a region; None for one alone, or where they lie in none."""
    if len(region) < 2:
        return None
    pieces = [shape.surfaces[number] for number in region]
    points = np.concatenate([piece.control_points.reshape(-1, 3) for piece in pieces])
    size, middle = float(np.ptp(points, axis=0).max()), points.mean(axis=0)
    plane = plane_of(points, FLAT * size)
    facing = [
        surface_points_normals(piece, *(np.array([np.mean(piece.domain(k))]) for k in (0, 1)))[1][0] for piece in pieces
    ]
    if plane is None or len(set(np.sign(np.array(facing) @ plane).tolist())) > 1:
        return None
    loops = edge_loops(shape, rim := rim_edges(shape, region))
    whole = sum(map(len, loops)) == len(rim)
    return FlatCap(middle, plane * np.sign(facing[0])) if whole else None


def _cap_face(shape: SurfaceSet, cap: FlatCap, loops: list[list[tuple[EdgeName, bool]]]) -> Face:
    """Return the piece of a plane inside loops of edges."""
    runs = []
    for loop in loops:
        curves = [(edge_curve(shape.surfaces[name.piece], name.axis, name.end), forward) for name, forward in loop]
        runs.append([curve if forward else reverse_curve(curve) for curve, forward in curves])
    return _plane_face(cap, runs)


def _plane_face(cap: FlatCap, loops: list[list[NurbsCurve]]) -> Face:
    """Return the piece of a plane inside loops of curves in mm."""
    axes = plane_axes(cap.normal)
    onto = Placement(np.vstack((axes, np.zeros(3))), np.append(-axes @ cap.origin, 0.0))
    flat: list[Loop] = [tuple(place_curve(curve, onto) for curve in loop) for loop in loops]
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
