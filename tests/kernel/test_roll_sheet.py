"""Sheets rolled onto cylinders and wrapped on spheres, and the drawings they carry."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.curves.alter.place_curve import moving, turning
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.flat_shapes import make_circle
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.surfaces.alter.project_curve import carry_over
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid, surface_curvature
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.loft import LoftShape, loft_sections
from glass_spoon.kernel.surfaces.make.roll_sheet import roll_frame, roll_sheet, roll_sheets
from tests.zoo import sphere


def sheet(width: float, depth: float) -> NurbsSurface:
    """Return a flat sheet in the plane z = 0 about the origin, its first direction along x."""
    edges = [make_polyline([[-width / 2, y, 0], [width / 2, y, 0]]) for y in (-depth / 2, depth / 2)]
    return loft_sections(edges, LoftShape(degree=1, align=False))


def places(surface: NurbsSurface, count: int = 41) -> np.ndarray:
    return evaluate_grid(surface, *(np.linspace(*surface.domain(axis), count) for axis in (0, 1))).points


def test_a_sheet_all_round_becomes_a_closed_cylinder() -> None:
    """A sheet as long as the circumference closes on the radius and keeps its width."""
    radius = 30.0
    flat = sheet(2 * np.pi * radius, 50)
    rolled = roll_sheet(flat, roll_frame([flat], "cylinder", radius), 1e-4).surface
    grid = places(rolled)
    assert np.abs(np.hypot(grid[..., 0], grid[..., 2] + radius) - radius).max() < 1e-4
    assert rolled.is_closed(0, 1e-6)
    assert np.ptp(grid[..., 1]) == pytest.approx(50)


@settings(max_examples=20)
@given(st.floats(10, 80), st.floats(-3, 3), st.booleans())
def test_rolling_keeps_lengths_areas_and_a_flat_inner_geometry(radius: float, direction: float, inside: bool) -> None:
    """A cylinder is developable: first fundamental form kept, Gaussian curvature zero, one principal curvature 1/R."""
    flat = sheet(40, 24)
    rolled = roll_sheet(flat, roll_frame([flat], "cylinder", radius, direction, inside=inside), 1e-5).surface
    steps = [np.diff(places(one), axis=axis) for one in (flat, rolled) for axis in (0, 1)]
    for before, after in zip(steps[:2], steps[2:], strict=True):
        # Chords are no longer than the arcs, and shorter by no more than a full bend makes them.
        chord, turn = lengths(before), lengths(before) / radius
        assert (lengths(after) <= chord + 1e-4).all()
        assert (lengths(after) >= chord * (1 - turn**2 / 24) - 1e-4).all()
    u, v = (grid.ravel() for grid in np.meshgrid(np.linspace(0.05, 0.95, 9), np.linspace(0.05, 0.95, 9)))
    gaussian, mean = surface_curvature(rolled, u, v)
    assert np.abs(gaussian).max() < 0.02 / radius**2  # second derivatives of a cubic within 1e-5 mm
    assert np.abs(np.abs(mean) - 1 / (2 * radius)).max() < 0.01 / radius


def test_a_disc_wrapped_on_a_sphere_is_its_cap() -> None:
    """A great circle through the middle keeps its length, so the rim has the colatitude r / R."""
    flat = sheet(30, 30)
    frame = roll_frame([flat], "sphere", 20.0)
    turn = np.linspace(0, 2 * np.pi, 60)
    rim = frame.carry(np.column_stack((12 * np.cos(turn), 12 * np.sin(turn), np.zeros(60))))
    centre = np.array([0, 0, -20.0])
    assert np.allclose(lengths(rim - centre), 20)
    assert np.allclose((rim - centre)[:, 2], 20 * np.cos(12 / 20))
    wrapped = roll_sheet(flat, frame, 1e-4).surface
    assert np.abs(lengths(places(wrapped) - centre) - 20).max() < 1e-4


@pytest.mark.parametrize(("body", "least"), [("cylinder", 100 / (2 * np.pi)), ("sphere", np.hypot(50, 10) / np.pi)])
def test_a_radius_on_which_the_sheet_overlaps_is_refused_with_the_least(body: str, least: float) -> None:
    """The refusal names the least radius, and a little more than it is taken."""
    flat = sheet(100, 20)
    with pytest.raises(InvalidInput, match=f"at least {least:.6g} mm"):
        roll_sheet(flat, roll_frame([flat], body, 0.99 * least), 1e-3)  # type: ignore[arg-type]
    roll_sheet(flat, roll_frame([flat], body, 1.001 * least), 1e-3)  # type: ignore[arg-type]


def test_a_bent_sheet_is_refused() -> None:
    """Only a flat sheet has a frame to roll by."""
    with pytest.raises(InvalidInput, match="flat"):
        roll_frame([sphere(10.0)], "cylinder", 100.0)


def test_a_carried_drawing_keeps_its_length_and_lies_on_the_cylinder() -> None:
    """A drawn line keeps its length and lies on the rolled cylinder."""
    radius = 25.0
    flat = sheet(120, 60)
    rolled = roll_sheet(flat, roll_frame([flat], "cylinder", radius, 0.4), 1e-5).surface
    drawing = make_circle((10.0, -5.0), 18.0)
    carried = carry_over(drawing, flat, rolled, 1e-4).curve
    assert measure_length(carried).length == pytest.approx(2 * np.pi * 18, rel=1e-5)
    points = curve_points(carried, np.linspace(*carried.domain, 200))
    axis = np.array([-np.sin(0.4), np.cos(0.4), 0])
    off = points - [0, 0, -radius]
    assert np.abs(lengths(off - np.outer(off @ axis, axis)) - radius).max() < 2e-4


def test_sharp_points_of_a_drawing_stay() -> None:
    """Corners of the drawing are knots of the carried curve at their places."""
    flat = sheet(120, 60)
    rolled = roll_sheet(flat, roll_frame([flat], "cylinder", 40.0), 1e-5).surface
    corners = np.array([[-20, -10, 0], [20, -10, 0], [0, 15, 0], [-20, -10, 0]], dtype=float)
    carried = carry_over(make_polyline(corners), flat, rolled, 1e-3).curve
    wanted = roll_frame([flat], "cylinder", 40.0).carry(corners)
    found = curve_points(carried, carried.breaks)
    assert all(lengths(found - corner).min() < 1e-4 for corner in wanted)


def test_a_drawing_that_stands_over_its_sheet_keeps_its_heights() -> None:
    """A line 8 mm over a sheet becomes an arc 8 mm farther out: half a turn of a radius of 28 in place of one of 20."""
    flat = sheet(20 * np.pi, 40)
    rolled = roll_sheet(flat, roll_frame([flat], "cylinder", 20.0), 1e-4).surface
    hoop = make_polyline([[-10 * np.pi, 5, 8], [10 * np.pi, 5, 8]])
    carried = carry_over(hoop, flat, rolled, 1e-3)
    assert carried.height == pytest.approx(8, abs=1e-9)
    assert measure_length(carried.curve).length == pytest.approx(28 * np.pi, rel=1e-4)
    points = curve_points(carried.curve, np.linspace(*carried.curve.domain, 99))
    assert np.abs(np.hypot(points[:, 0], points[:, 2] + 20) - 28).max() < 2e-3


def test_sheets_of_a_set_roll_about_one_axis_and_still_meet() -> None:
    """Two sheets side by side, and one upright on them, which becomes a wall square to the cylinder."""
    left, right = (sheet(30, 20) for _ in range(2))
    left, right = (
        NurbsSurface(one.degrees, one.knots, one.control_points + np.array([by, 0, 0]), one.weights)
        for one, by in ((left, 0.0), (right, 30.0))
    )
    wall = turning([15.0, 0.0, 0.0], [0.0, 1.0, 0.0], -np.pi / 2).then(moving([0, 0, 15.0]))
    upright = NurbsSurface(
        left.degrees, left.knots, wall.apply(sheet(30, 20).control_points + np.array([15, 0, 0])), left.weights
    )
    frame = roll_frame([left, right, upright], "cylinder", 40.0)
    rolled = [made.surface for made in roll_sheets([left, right, upright], frame, 1e-4)]
    assert np.abs(places(rolled[0])[-1] - places(rolled[1])[0]).max() < 4e-4
    off = places(rolled[2]) - frame.origin + [0, 0, 40.0]
    reach = np.hypot(off[..., 0], off[..., 2])
    assert np.ptp(reach) == pytest.approx(30, abs=1e-3)
    assert np.ptp(np.arctan2(off[..., 0], off[..., 2])) < 1e-4
    with pytest.raises(InvalidInput, match="flat"):
        roll_frame([sphere(10.0), sphere(12.0)], "cylinder", 100.0)


def test_a_drawing_off_its_sheet_is_refused_with_its_place() -> None:
    """A circle wider than the sheet is refused."""
    flat = sheet(100, 40)
    rolled = roll_sheet(flat, roll_frame([flat], "cylinder", 40.0), 1e-3).surface
    with pytest.raises(KernelError, match="leaves the surface"):
        carry_over(make_circle((0, 0), 30.0), flat, rolled, 1e-3)


def test_a_sheet_rolls_alike_wherever_it_lies() -> None:
    """Rolling commutes with moving and turning the sheet."""
    flat = sheet(50, 20)
    move = turning([1.0, 2.0, 3.0], [1.0, 1.0, 0.3], 1.1).then(moving([5.0, -4.0, 9.0]))
    moved = NurbsSurface(flat.degrees, flat.knots, move.apply(flat.control_points), flat.weights)
    here, there = (places(roll_sheet(one, roll_frame([one], "cylinder", 15.0, 0.3), 1e-5).surface) for one in (flat, moved))
    assert np.allclose(there, move.apply(here), atol=1e-9)
