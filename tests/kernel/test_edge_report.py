"""How surfaces meet along shared edges."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.curves.alter.place_curve import moving, place_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.surfaces.alter.edit_surface import reverse_surface, split_surface
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.loft import LoftShape, loft_sections
from glass_spoon.kernel.surfaces.sets.edge_report import EdgeLimits, EdgeReading, read_edges
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from tests.zoo import sphere, torus

LIMITS = EdgeLimits()


def pulled(curve: NurbsCurve) -> NurbsSurface:
    """Return a curve of the front plane pulled 20 mm back."""
    return loft_sections([curve, place_curve(curve, moving([0, 20, 0]))], LoftShape(degree=1, align=False))


def between(first: NurbsSurface, second: NurbsSurface, tolerance: float = 0.1) -> EdgeReading:
    """Return the only reading between two surfaces."""
    found = [
        one for one in read_edges(SurfaceSet((first, second), tolerance)) if one.edge.first.piece != one.edge.second.piece
    ]
    assert len(found) == 1
    return found[0]


WALL = make_polyline([[0, 0, 0], [10, 0, 0]])


@pytest.mark.parametrize("degrees", [1.0, 30.0, 90.0])
def test_two_plates_meet_at_their_angle(degrees: float) -> None:
    """The largest angle along the edge is the one the plates were turned by."""
    turn = np.radians(degrees)
    other = make_polyline([[10, 0, 0], [10 + 8 * np.cos(turn), 0, 8 * np.sin(turn)]])
    reading = between(pulled(WALL), pulled(other))
    assert reading.largest_angle == pytest.approx(turn, rel=1e-6)
    assert reading.verdict(LIMITS) == "G0"


def test_line_into_arc_is_smooth_and_its_bend_jumps_by_the_arc() -> None:
    """Tangents agree; the jump is one over the arc's radius, so the verdict is G1."""
    arc = make_arc([10, 0, 5], [0, 0, -5], [5, 0, 0], 0, np.pi / 2)
    reading = between(pulled(WALL), pulled(arc))
    assert reading.largest_angle < 1e-4
    assert reading.largest_jump == pytest.approx(1 / 5, rel=1e-4)
    assert reading.verdict(LIMITS) == "G1"


def test_parts_of_one_surface_meet_with_even_bend() -> None:
    """A torus cut in two is G2 along the cut, with the formula's curvature."""
    whole = torus(30, 8)
    low, high = whole.domain(0)
    first, second = split_surface(whole, 0, low + 0.37 * (high - low))
    readings = read_edges(SurfaceSet((first, second)))
    assert {one.verdict(LIMITS) for one in readings} == {"G2"}
    across = [one for one in readings if one.edge.first.piece != one.edge.second.piece]
    # Round the ring the normal curvature is that of the parallel, cos(a) / (R + r cos(a)).
    bend = np.abs(across[0].curvatures[0])
    assert bend.max() == pytest.approx(1 / 22, rel=1e-3)
    assert bend.min() < 1e-2


def test_sides_that_face_against_each_other_are_told_and_still_compared() -> None:
    """Reversed sides are told apart from the angle, which is still G2."""
    first, second = split_surface(sphere(20.0), 0, 0.4)
    found = read_edges(SurfaceSet((first, reverse_surface(second, 0))))
    across = [one for one in found if one.edge.first.piece != one.edge.second.piece]
    assert across
    assert not any(one.facing for one in across)
    assert {one.verdict(LIMITS) for one in across} == {"G2"}


def test_gap_is_measured_and_told_as_apart() -> None:
    """A gap of 0.05 mm is apart until the limit allows it."""
    shifted = make_polyline([[10, 0, 0.05], [20, 0, 0.05]])
    reading = between(pulled(WALL), pulled(shifted))
    assert reading.largest_gap == pytest.approx(0.05)
    assert reading.verdict(LIMITS) == "apart"
    assert reading.verdict(EdgeLimits(gap=0.06)) == "G2"


def test_smooth_spline_through_a_cut_bends_evenly() -> None:
    """A spline surface split at a parameter is G2 at the split."""
    curve = interpolate_points([[0, 0, 0], [10, 0, 4], [25, 0, -3], [40, 0, 5]])
    surface = pulled(curve)
    low, high = surface.domain(0)
    first, second = split_surface(surface, 0, low + 0.45 * (high - low))
    assert between(first, second).verdict(LIMITS) == "G2"
