"""Lofts and sweeps built and meshed at one chord tolerance, beside a general-purpose kernel (OCP) in the same run."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeWire
from OCP.BRepLib import BRepLib
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.BRepOffsetAPI import BRepOffsetAPI_MakePipeShell, BRepOffsetAPI_ThruSections
from OCP.Geom import Geom_CylindricalSurface
from OCP.Geom2d import Geom2d_Line
from OCP.gp import gp_Ax3, gp_Dir, gp_Dir2d, gp_Pnt, gp_Pnt2d
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopExp import TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS

from bench.measure import median_seconds
from glass_spoon.kernel.curves.alter.place_curve import Placement, place_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.gauges.deviation import face_deviations
from glass_spoon.kernel.gauges.read_gauges import read_gauges
from glass_spoon.kernel.gauges.reading import Limits
from glass_spoon.kernel.meshing.divide_length import count_for_chord, make_guide
from glass_spoon.kernel.meshing.mesh_set import mesh_set
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.kernel.meshing.set_counts import Wish
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.loft import LoftShape, loft_sections
from glass_spoon.kernel.surfaces.make.ridge import RidgeShape, make_ridge
from glass_spoon.kernel.surfaces.make.sweep import SweepShape, sweep_profile
from glass_spoon.kernel.thread_sizes import MetricThread, read_designation
from tests.kernel.test_against_occt import as_occt
from tests.kernel.test_ridge import thread_profile

CHORD = 0.1


def sections() -> list[NurbsCurve]:
    """Return 8 closed sections of 40 points."""
    angle = np.linspace(0, 2 * np.pi, 40, endpoint=False)
    result = []
    for k in range(8):
        radius = (60 + 12 * np.sin(k)) * (1 + 0.12 * np.cos(3 * angle))
        flat = np.column_stack((radius * np.cos(angle), radius * np.sin(angle), np.full(40, 45.0 * k)))
        result.append(interpolate_points(flat, closed=True))
    return result


def profile() -> NurbsCurve:
    """Return a closed profile of 16 points in the xy plane."""
    angle = np.linspace(0, 2 * np.pi, 16, endpoint=False)
    radius = 6 * (1 + 0.2 * np.cos(2 * angle))
    return interpolate_points(np.column_stack((radius * np.cos(angle), radius * np.sin(angle), 0 * angle)), closed=True)


def path() -> NurbsCurve:
    """Return an open path of 100 points."""
    t = np.linspace(0, 6 * np.pi, 100)
    return interpolate_points(np.column_stack((80 * np.cos(t), 80 * np.sin(t), 12 * t)))


def meshed(surface: NurbsSurface) -> Any:
    """Mesh a surface at the chord tolerance."""
    guides = make_guide(surface, 0), make_guide(surface, 1)
    return mesh_surface(surface, max(3, count_for_chord(guides[0], CHORD)), count_for_chord(guides[1], CHORD))


def wire(curve: NurbsCurve) -> Any:
    return BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(as_occt(curve)).Edge()).Wire()


def peer_loft(curves: list[NurbsCurve]) -> Any:
    builder = BRepOffsetAPI_ThruSections(False, False, 1e-6)
    for curve in curves:
        builder.AddWire(wire(curve))
    builder.Build()
    return builder.Shape()


def peer_sweep(section: NurbsCurve, along: NurbsCurve) -> Any:
    from glass_spoon.kernel.curves.make.helix import carry_frame

    points, axis, second = carry_frame(along).at(np.array([along.domain[0]]))
    matrix = np.column_stack((axis[0], second[0], np.cross(axis[0], second[0])))
    builder = BRepOffsetAPI_MakePipeShell(wire(along))
    builder.SetMode(False)
    builder.SetTolerance(1e-2, 1e-2, 1e-2)
    builder.Add(wire(place_curve(section, Placement(matrix, points[0]))))
    builder.Build()
    return builder.Shape()


def peer_mesh(shape: Any) -> Any:
    BRepMesh_IncrementalMesh(shape, CHORD, False, 0.5, False).Perform()
    return shape


def peer_distance(shape: Any, surface: NurbsSurface) -> tuple[int, float]:
    """Return the triangles of a meshed shape, and the largest distance in mm of their middles from a surface."""
    middles = []
    faces = TopExp_Explorer(shape, TopAbs_ShapeEnum.TopAbs_FACE)
    while faces.More():
        mesh = BRep_Tool.Triangulation_s(TopoDS.Face(faces.Current()), TopLoc_Location())
        nodes = np.array([[node.X(), node.Y(), node.Z()] for node in map(mesh.Node, range(1, mesh.NbNodes() + 1))])
        corners = [mesh.Triangle(k).Get() for k in range(1, mesh.NbTriangles() + 1)]
        middles.append(nodes[np.array(corners) - 1].mean(axis=1))
        faces.Next()
    places = np.concatenate(middles)
    return len(places), float(closest_points(surface, places)[2].max())


def compare(ours: Callable[[], Any], theirs: Callable[[], Any]) -> dict[str, float]:
    """Return medians in ms, how many times faster ours is, and how far both meshes are off."""
    mine, other = median_seconds(ours, 5), median_seconds(theirs, 5)
    mesh, surface = ours()
    triangles, distance = peer_distance(theirs(), surface)
    return {
        "ours_ms": mine * 1000,
        "peer_ms": other * 1000,
        "times_faster": other / mine,
        "faces": mesh.face_count,
        "peer_triangles": triangles,
        "peer_largest_distance_mm": distance,
        "largest_distance_mm": next(r.value for r in read_gauges(mesh, surface, Limits()) if r.code == "off_surface"),
    }


def peer_thread(thread: MetricThread, turns: float) -> Any:
    """Return the ridge of a thread as a pipe along a helix; its core is a cylinder of two more faces."""
    core = thread.minor_diameter / 2
    cylinder = Geom_CylindricalSurface(gp_Ax3(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1)), core)
    line = Geom2d_Line(gp_Pnt2d(0, 0), gp_Dir2d(2 * np.pi, thread.pitch))
    length = turns * float(np.hypot(2 * np.pi, thread.pitch))
    edge = BRepBuilderAPI_MakeEdge(line, cylinder, 0.0, length).Edge()
    BRepLib.BuildCurves3d_s(edge)
    builder = BRepOffsetAPI_MakePipeShell(BRepBuilderAPI_MakeWire(edge).Wire())
    builder.SetMode(gp_Dir(0, 0, 1))
    builder.SetTolerance(1e-3, 1e-3, 1e-3)
    crest = (thread.foot - thread.crest) / 2
    corners = [[0, 0], [crest, thread.depth], [crest + thread.crest, thread.depth], [thread.foot, 0]]
    builder.Add(wire(make_polyline(np.array([[core + out, 0.0, along] for along, out in corners]))))
    builder.Build()
    return builder.Shape()


def compare_thread() -> dict[str, float]:
    """Return medians in ms of a thread of ten turns with its core, built and meshed, beside the bare ridge of the peer."""
    thread = read_designation("M24")
    core = thread.minor_diameter / 2
    shape = RidgeShape((core, core), 38.0, thread.pitch, 2.0, 10.0)
    profile_of_thread = thread_profile(thread)

    def our_build() -> Any:
        return make_ridge(profile_of_thread, shape)

    def ours() -> Any:
        return mesh_set(our_build(), Wish(chord=CHORD))

    def theirs() -> Any:
        return peer_mesh(peer_thread(thread, 10.0))

    mine, other = median_seconds(ours, 5), median_seconds(theirs, 5)
    made = our_build()
    mesh = mesh_set(made, Wish(chord=CHORD))
    return {
        "ours_ms": mine * 1000,
        "build_alone_ms": median_seconds(our_build, 5) * 1000,
        "peer_ms": other * 1000,
        "times_faster": other / mine,
        "faces": mesh.face_count,
        "largest_distance_mm": float(face_deviations(mesh, made)[1].max()),
        "peer_triangles": peer_triangles(theirs()),
    }


def peer_triangles(shape: Any) -> int:
    """Return the triangles of a meshed shape."""
    total, faces = 0, TopExp_Explorer(shape, TopAbs_ShapeEnum.TopAbs_FACE)
    while faces.More():
        total += BRep_Tool.Triangulation_s(TopoDS.Face(faces.Current()), TopLoc_Location()).NbTriangles()
        faces.Next()
    return total


def run() -> dict[str, dict[str, float]]:
    curves, section, along = sections(), profile(), path()

    def our_loft() -> Any:
        surface = loft_sections(curves, LoftShape())
        return meshed(surface), surface

    def our_sweep() -> Any:
        surface = sweep_profile(section, along, SweepShape(), 1e-2).surface
        return meshed(surface), surface

    return {
        "loft": compare(our_loft, lambda: peer_mesh(peer_loft(curves))),
        "sweep": compare(our_sweep, lambda: peer_mesh(peer_sweep(section, along))),
        "thread": compare_thread(),
    }
