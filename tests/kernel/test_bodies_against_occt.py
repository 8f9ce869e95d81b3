"""Areas and volumes of whole bodies beside those that Open CASCADE builds from the same curves by its own algorithms."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
import pytest
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakeWire
from OCP.BRepGProp import BRepGProp
from OCP.BRepOffsetAPI import BRepOffsetAPI_MakePipe, BRepOffsetAPI_ThruSections
from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism, BRepPrimAPI_MakeRevol
from OCP.gp import gp_Ax1, gp_Dir, gp_Pnt, gp_Vec
from OCP.GProp import GProp_GProps

from glass_spoon.kernel.arrays import cross, lengths
from glass_spoon.kernel.curves.alter.place_curve import moving, place_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.make.flat_shapes import make_circle, make_elliptic_arc, make_rectangle
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.meshing.mesh_set import mesh_set
from glass_spoon.kernel.meshing.set_counts import Wish
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_derivatives
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.loft import LoftShape, loft_sections
from glass_spoon.kernel.surfaces.make.plate import make_plate
from glass_spoon.kernel.surfaces.make.plate_shape import PlateShape
from glass_spoon.kernel.surfaces.make.revolve import revolve_curve
from glass_spoon.kernel.surfaces.make.sweep import SweepShape, sweep_profile
from tests.kernel.test_against_occt import as_occt
from tests.zoo import ORIGIN, TURN, UP, kettle_profile

NODES, WEIGHTS = np.polynomial.legendre.leggauss(8)


def moments(surface: NurbsSurface) -> tuple[float, float]:
    """Return the area in mm² and the flux of x / 3 in mm³ by Gauss quadrature over each pair of knot spans."""
    params, weights = [], []
    for axis in (0, 1):
        ends = np.unique(surface.knots[axis])
        half = np.diff(ends)[:, None] / 2
        params.append((ends[:-1, None] + half * (1 + NODES)).ravel())
        weights.append((half * WEIGHTS).ravel())
    u, v = (grid.ravel() for grid in np.meshgrid(*params, indexing="ij"))
    values = surface_derivatives(surface, u, v, 1)
    normals = cross(values[1, 0], values[0, 1])
    weight = np.outer(*weights).ravel()
    return float(weight @ lengths(normals)), float(weight @ np.einsum("ij,ij->i", values[0, 0], normals)) / 3


def wire(curve: NurbsCurve) -> Any:
    """Return a curve as a wire of the other kernel, one edge a knot span: its integrals go wrong across knots."""
    made = BRepBuilderAPI_MakeWire()
    for low, high in pairwise(curve.breaks):
        made.Add(BRepBuilderAPI_MakeEdge(as_occt(curve), float(low), float(high)).Edge())
    return made.Wire()


def area_of(shape: Any) -> float:
    found = GProp_GProps()
    BRepGProp.SurfaceProperties_s(shape, found, 1e-9)
    return float(found.Mass())


def volume_of(shape: Any) -> float:
    found = GProp_GProps()
    BRepGProp.VolumeProperties_s(shape, found, 1e-9)
    return abs(float(found.Mass()))


@pytest.mark.parametrize("angle", [1.0, 4.0, TURN])
def test_revolved_area(angle: float) -> None:
    """The area of the revolved kettle is theirs for parts of a turn and the whole."""
    axis = gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1))
    theirs = BRepPrimAPI_MakeRevol(wire(kettle_profile()), axis, angle).Shape()
    assert moments(revolve_curve(kettle_profile(), ORIGIN, UP, angle))[0] == pytest.approx(area_of(theirs), rel=1e-7)


def test_volume_of_a_plate_with_holes() -> None:
    """Block less pegs: volume and area of the plate are those of their solids."""
    outline, holes = (
        make_rectangle(80, 50, 8.0),
        [make_circle((-15, 4), 9), make_elliptic_arc((18, -3), 12, 7, 0.3, 0, TURN)],
    )
    block, *pegs = (
        BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(wire(loop)).Face(), gp_Vec(0, 0, 12)).Shape()
        for loop in (outline, *holes)
    )
    volume = volume_of(block) - sum(volume_of(peg) for peg in pegs)
    made = make_plate(outline, holes, PlateShape(0.0, 12.0))
    assert enclosed_volume(mesh_set(made, Wish(chord=0.002))) == pytest.approx(volume, rel=1e-4)  # the chords of the mesh
    # A hole takes both ends of its peg from the block's, and gives its side.
    area = area_of(block) + sum(area_of(peg) - 4 * volume_of(peg) / 12 for peg in pegs)
    sides = sum(moments(surface)[0] for surface in made.surfaces)
    assert sides + 2 * volume / 12 == pytest.approx(area, rel=1e-7)


def test_straight_loft_between_unlike_sections() -> None:
    """A ruled surface between a circle and an ellipse, each at its own parameters' ends."""
    low, high = make_circle((0, 0), 30), place_curve(make_elliptic_arc((4, 2), 22, 12, 0.0, 0, TURN), moving([0, 0, 45]))
    builder = BRepOffsetAPI_ThruSections(False, True)
    builder.CheckCompatibility(False)
    for section in (low, high):
        builder.AddWire(wire(section))
    builder.Build()
    ours = loft_sections([low, high], LoftShape(degree=1, align=False))
    assert moments(ours)[0] == pytest.approx(area_of(builder.Shape()), rel=1e-6)


def test_pipe_along_a_space_curve() -> None:
    """Area and volume of a pipe, ends closed flat; by Pappus 2πr and πr² times the length where it does not fold."""
    path = interpolate_points([[0, 0, 0], [40, 10, 0], [70, -20, 30], [120, 0, 40]], start_tangent=[1, 0, 0])
    ring = make_circle((0, 0), 4)
    around = place_ring(ring, path)
    theirs = BRepOffsetAPI_MakePipe(wire(path), BRepBuilderAPI_MakeFace(wire(around)).Face()).Shape()
    made = sweep_profile(ring, path, SweepShape(ends=("flat", "flat")), 1e-4).surface
    area, volume = moments(made)
    assert area == pytest.approx(area_of(theirs), rel=1e-4)
    assert abs(volume) == pytest.approx(volume_of(theirs), rel=1e-4)


def place_ring(ring: NurbsCurve, path: NurbsCurve) -> NurbsCurve:
    """Return a ring of the xy plane about the start of a path that leaves along x."""
    net = ring.control_points[:, [2, 0, 1]] + path.control_points[0]
    return NurbsCurve(ring.degree, ring.knots, net, ring.weights)
