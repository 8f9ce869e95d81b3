"""Faces with boundary loops as STEP has them: to Open CASCADE and back."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from OCP.BRep import BRep_Builder, BRep_Tool
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakeVertex
from OCP.BRepLib import BRepLib
from OCP.BRepTools import BRepTools, BRepTools_WireExplorer
from OCP.Geom2d import Geom2d_TrimmedCurve
from OCP.Geom2dConvert import Geom2dConvert
from OCP.GeomConvert import GeomConvert
from OCP.gp import gp_Pnt
from OCP.TopAbs import TopAbs_FORWARD, TopAbs_REVERSED, TopAbs_WIRE
from OCP.TopExp import TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Face, TopoDS_Wire

from glass_spoon.formats.step_geometry import geom_run, geom_surface, kernel_run, kernel_surface
from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.alter.edit_knots import reverse_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.polygons import signed_area
from glass_spoon.kernel.trims.arrange import part_face
from glass_spoon.kernel.trims.face import Face, FaceSet, Loop, isoline, outline, reverse_face

EDGE_TOLERANCE = 1e-6
"""Tolerance in mm of edges."""


def trimmed_faces(shape: FaceSet) -> list[TopoDS_Face]:
    """Return faces; those that meet themselves along a seam are parted half way round, as no edge may bound a face twice."""
    return [_made(part, shape.tolerance) for face in shape.faces for part in _without_seams(face, shape.tolerance)]


def _without_seams(face: Face, tolerance: float) -> list[Face]:
    """Return the parts of a face of which none reaches both sides of a seam."""
    parts = [face]
    for axis in (0, 1):
        if face.surface.is_closed(axis, tolerance):
            parts = [piece for part in parts for piece in _halved(part, axis, tolerance)]
    return parts


def _halved(face: Face, axis: int, tolerance: float) -> list[Face]:
    """Return the parts of a face on both sides of the middle of an axis, where it reaches both ends of it."""
    reach = np.concatenate(face.outlines)[:, axis]
    low, high = face.surface.domain(axis)
    near = 1e-9 * (high - low)
    if reach.min() > low + near or reach.max() < high - near:
        return [face]
    return list(part_face(face, [isoline(face.surface, axis)], tolerance).faces)


def _made(face: Face, tolerance: float) -> TopoDS_Face:
    """Return a face of its loops."""
    geom = geom_surface(face.surface)
    made = BRepBuilderAPI_MakeFace(geom, EDGE_TOLERANCE)
    wires = [_wire(face, loop, geom, tolerance) for loop in face.loops]
    made = BRepBuilderAPI_MakeFace(geom, wires[0], True)
    for wire in wires[1:]:
        made.Add(wire)
    result = made.Face()
    BRepLib.BuildCurves3d_s(result)
    BRepLib.SameParameter_s(result, EDGE_TOLERANCE, True)
    return result


def _wire(face: Face, loop: tuple[NurbsCurve, ...], geom: Any, tolerance: float) -> TopoDS_Wire:
    """Return a loop as a wire whose edges share their vertices; an edge that is one point in space is degenerate."""
    builder, wire = BRep_Builder(), TopoDS_Wire()
    builder.MakeWire(wire)
    places = [face.edge_points(curve, np.array(curve.domain)) for curve in loop]
    poles = [_is_point(face, curve, tolerance) for curve in loop]
    vertices: list[Any] = []
    for k in range(len(loop)):
        if k and poles[k - 1]:
            vertices.append(vertices[-1])
        else:
            vertices.append(BRepBuilderAPI_MakeVertex(gp_Pnt(*map(float, places[k][0]))).Vertex())
    if poles[-1]:
        vertices[0] = vertices[-1]
    for k, curve in enumerate(loop):
        start, end = vertices[k], vertices[(k + 1) % len(loop)]
        low, high = curve.domain
        run = geom_run(curve)
        if poles[k]:
            end = start
        made = None if poles[k] else BRepBuilderAPI_MakeEdge(run, geom, start, end, low, high)
        if made is not None and made.IsDone():
            builder.Add(wire, made.Edge())
            continue
        # One point in space; or its ends lie a hair beside those of its neighbours, which vertices then cover.
        edge = TopoDS_Edge()
        builder.MakeEdge(edge)
        builder.UpdateEdge(edge, run, geom, TopLoc_Location(), EDGE_TOLERANCE)
        builder.Degenerated(edge, poles[k])
        builder.Add(edge, start.Oriented(TopAbs_FORWARD))
        builder.Add(edge, end.Oriented(TopAbs_REVERSED))
        builder.Range(edge, low, high)
        if not poles[k]:
            gap = float(np.linalg.norm(places[k][1] - places[(k + 1) % len(loop)][0]))
            builder.UpdateVertex(end, max(EDGE_TOLERANCE, 2 * gap))
        builder.Add(wire, edge)
    wire.Closed(True)
    return wire


def bounded_face(face: Any) -> Face | None:
    """Return a face with its boundary, facing as it does; None where its boundary cannot be told.

    face: its surface a B-spline. One of a period starts where the face does.
    """
    plain = TopoDS.Face(face.Oriented(TopAbs_FORWARD))
    surface = GeomConvert.SurfaceToBSplineSurface_s(BRep_Tool.Surface_s(plain)).Copy()
    bounds = BRepTools.UVBounds_s(plain)
    shift = np.zeros(2)
    for axis, periodic in enumerate((surface.IsUPeriodic(), surface.IsVPeriodic())):
        if periodic:
            shift[axis] = _begin_at(surface, axis, bounds[2 * axis])
    surface.Segment(*surface.Bounds())
    own = kernel_surface(surface)
    loops = []
    explorer = TopExp_Explorer(plain, TopAbs_WIRE)
    while explorer.More():
        runs = _runs(TopoDS.Wire(explorer.Current()), plain, shift)
        if not runs:
            return None
        loops.append(_brought(runs, own))
        explorer.Next()
    if not loops:
        return None
    loops.sort(key=lambda loop: -abs(signed_area(outline(loop))))
    if signed_area(outline(loops[0])) < 0:
        return None
    found = Face(own, tuple(loops))
    return reverse_face(found) if face.Orientation() == TopAbs_REVERSED else found


def _begin_at(surface: Any, axis: int, start: float) -> float:
    """Let a period of a surface begin at a parameter; return by how much parameters of curves move with it."""
    low, high = (surface.Bounds()[2 * axis + k] for k in (0, 1))
    period = high - low
    own = low + (start - low) % period
    letter = "UV"[axis]
    if min(own - low, high - own) > 1e-9 * period:
        getattr(surface, f"Insert{letter}Knot")(own, 1, 1e-9 * period, False)
        knots = [getattr(surface, f"{letter}Knot")(k) for k in range(1, getattr(surface, f"Nb{letter}Knots")() + 1)]
        getattr(surface, f"Set{letter}Origin")(int(np.abs(np.array(knots) - own).argmin()) + 1)
    else:
        own = low
    getattr(surface, f"Set{letter}NotPeriodic")()
    return float(own - start)


def _runs(wire: Any, face: Any, shift: Floats) -> list[NurbsCurve]:
    """Return the curves of a wire in the parameters of its face, as it runs; nothing where one is missing."""
    found = []
    explorer = BRepTools_WireExplorer(wire, face)
    while explorer.More():
        edge = explorer.Current()
        first, last = BRep_Tool.Range_s(edge, face)
        curve = BRep_Tool.CurveOnSurface_s(edge, face, first, last)
        if curve is None:
            return []
        run = kernel_run(Geom2dConvert.CurveToBSplineCurve_s(Geom2d_TrimmedCurve(curve, first, last)))
        run = replace(run, control_points=run.control_points + np.append(shift, 0.0))
        found.append(reverse_curve(run) if edge.Orientation() == TopAbs_REVERSED else run)
        explorer.Next()
    return found


def _brought(runs: list[NurbsCurve], surface: NurbsSurface) -> Loop:
    """Return a loop whose curves lie in the domain of a surface and meet end to end."""
    low, high = np.array([surface.domain(axis) for axis in (0, 1)]).T
    near = 1e-7 * (high - low)
    ends = [run.control_points[[0, -1], :2] for run in runs]
    joints = [(ends[k - 1][1] + ends[k][0]) / 2 for k in range(len(runs))]
    for joint in joints:
        for bound in (low, high):
            joint[:] = np.where(np.abs(joint - bound) < near, bound, joint)
    made = []
    for k, run in enumerate(runs):
        points = run.control_points.copy()
        points[0, :2], points[-1, :2] = joints[k], joints[(k + 1) % len(runs)]
        points[:, :2] = np.where(np.abs(points[:, :2] - low) < near, low, points[:, :2])
        points[:, :2] = np.where(np.abs(points[:, :2] - high) < near, high, points[:, :2])
        made.append(replace(run, control_points=points))
    return tuple(made)


def _is_point(face: Face, curve: NurbsCurve, tolerance: float) -> bool:
    """Say whether a boundary curve is one point in space."""
    places: Floats = face.edge_points(curve, np.linspace(*curve.domain, 9))
    return bool(lengths(places - places[0]).max() <= tolerance)
