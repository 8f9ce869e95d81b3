"""Patches: sixty regions of a net over a height field, beside Open CASCADE's filling of the same boundaries.

It meets them in place alone, and tangent to strips along our normals, which is what ours do.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeFace
from OCP.BRepFill import BRepFill_Filling
from OCP.GeomAbs import GeomAbs_C0, GeomAbs_G1
from OCP.GeomFill import GeomFill
from OCP.TopAbs import TopAbs_EDGE
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS

from bench.measure import median_seconds
from glass_spoon.kernel.arrays import Floats, cross, directions
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.patches import fill_net as net
from glass_spoon.kernel.patches.net_graph import NetGraph, read_net
from glass_spoon.kernel.remembered import forget_all
from tests.kernel.test_against_occt import as_occt

ACROSS, ALONG = 11, 7
"""Curves each way: ten by six regions."""


def height(x: Any, y: Any) -> Any:
    """Return a field of 20 mm over 200 by 120 mm."""
    return 10 * np.sin(np.asarray(x) / 30) * np.cos(np.asarray(y) / 25)


def cage() -> list[NurbsCurve]:
    """Return the curves."""
    x, y = np.linspace(0, 200, 41), np.linspace(0, 120, 31)
    up = [np.stack((0 * y + at, y, height(at, y)), axis=1) for at in np.linspace(0, 200, ACROSS)]
    over = [np.stack((x, 0 * x + at, height(x, at)), axis=1) for at in np.linspace(0, 120, ALONG)]
    return [interpolate_points(row) for row in up + over]


def strips(graph: NetGraph) -> list[tuple[Any, Any]]:
    """Return for each stretch an edge and a face of Open CASCADE's along it, square to our normals."""
    found = []
    for number, one in enumerate(graph.stretches):
        params, places = one.places
        side = directions(cross(graph.along[number], curve_derivatives(one.curve, params, 1)[1]))
        surface = GeomFill.Surface_s(as_occt(one.curve), as_occt(interpolate_points((places + 5 * side)[::8])))
        face = BRepBuilderAPI_MakeFace(surface, 1e-6).Face()
        found.append((_edge_at(face, places[[0, 32, 64]]), face))
    return found


def _edge_at(face: Any, places: Floats) -> Any:
    """Return the edge of a face that has places (3, 3) at its ends and its middle."""
    explorer, away = TopExp_Explorer(face, TopAbs_EDGE), []
    while explorer.More():
        edge = TopoDS.Edge(explorer.Current())
        curve = BRep_Tool.Curve_s(edge, 0.0, 1.0)
        ends = np.linspace(curve.FirstParameter(), curve.LastParameter(), 3)
        own = np.array([[place.X(), place.Y(), place.Z()] for place in map(curve.Value, ends.tolist())])
        away.append((float(min(np.abs(own - places).max(), np.abs(own[::-1] - places).max())), edge))
        explorer.Next()
    return min(away, key=lambda pair: pair[0])[1]


def run() -> dict[str, Any]:
    """Return seconds and the ratio."""
    curves = cage()

    def ours() -> None:
        forget_all()
        net.fill_net(curves, 0.01)

    graph = read_net(curves, 0.01)

    def peer() -> None:
        for region in graph.regions:
            filling = BRepFill_Filling()
            for number, _ in region:
                edge = BRepBuilderAPI_MakeEdge(as_occt(graph.stretches[number].curve)).Edge()
                filling.Add(edge, GeomAbs_C0)
            filling.Build()

    beside = strips(graph)

    def tangent() -> None:
        for region in graph.regions:
            filling = BRepFill_Filling()
            for number, _ in region:
                filling.Add(*beside[number], GeomAbs_G1)
            filling.Build()

    own, other, smooth = median_seconds(ours, 3), median_seconds(peer, 3), median_seconds(tangent, 3)
    y = np.linspace(0, 120, 31)
    bump = 2 * np.sin(np.pi * np.clip((y - 60) / 20, 0, 1)) ** 2
    moved = list(curves)
    moved[3] = interpolate_points(np.stack((0 * y + 60, y, height(60, y) + bump), axis=1))

    def one_point() -> None:
        net.fill_net(curves, 0.01)
        net.fill_net(moved, 0.01)

    return {
        "sixty regions, joined smoothly": own,
        "Open CASCADE's filling of each, meeting in place": other,
        "times as fast": other / own,
        "Open CASCADE's filling of each, tangent to strips": smooth,
        "times as fast as that": smooth / own,
        "one point moved": median_seconds(one_point, 1),
    }
