"""Sweeps along paths, their frames and ends, and the laws that drive them."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.curves.alter.place_curve import place_curve, turning
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.flat_shapes import make_circle, make_elliptic_arc, make_rectangle
from glass_spoon.kernel.curves.make.helix import HelixShape, carry_frame, make_helix
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.curves.read.read_curve import least_radius
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.law import Law
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid, surface_curvature, surface_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.sweep import SweepShape, Swept, sweep_profile

CIRCLE = make_circle((0, 0), 5)
CAPPED = SweepShape(ends=("flat", "flat"))


def ring(radius: float):
    """Return a circle in plan as a path."""
    return make_circle((0, 0), radius)


def volume(surface: NurbsSurface, around: int, along: int) -> float:
    """Return the volume in the limit of fine meshes: their error falls with the square of the step (Richardson)."""
    coarse, fine = (enclosed_volume(mesh_surface(surface, k * around, k * along)) for k in (1, 2))
    return (4 * fine - coarse) / 3


def is_closed(mesh: Mesh) -> bool:
    return not len(mesh.topology.boundary_edges)


def test_a_circle_round_a_ring_is_a_torus() -> None:
    """Pappus: the volume is the area times the way of its centre; the principal curvatures are the torus's."""
    swept = sweep_profile(CIRCLE, ring(40), SweepShape(), 1e-5)
    assert volume(swept.surface, 64, 192) == pytest.approx(np.pi * 25 * 2 * np.pi * 40, rel=1e-6)
    grid = np.linspace(0.02, 0.98, 9)
    u, v = (
        np.interp(part.ravel(), [0, 1], swept.surface.domain(axis))
        for axis, part in enumerate(np.meshgrid(grid, grid, indexing="ij"))
    )
    points = surface_points(swept.surface, u, v)
    across = np.hypot(points[:, 0], points[:, 1]) - 40
    assert np.hypot(across, points[:, 2]) == pytest.approx(np.full(81, 5.0), abs=2e-5)
    gaussian = surface_curvature(swept.surface, u, v)[0]
    # Do Carmo, Differential Geometry of Curves and Surfaces, section 3-3: cos / (r (R + r cos)).
    assert np.abs(gaussian) == pytest.approx(np.abs(across / 5 / (5 * (40 + across))), abs=2e-5)


def test_a_closed_space_path_closes_without_a_jump() -> None:
    """Along a path that leaves its plane the carried frame comes back turned; the turn is spread evenly."""
    angle = np.linspace(0, 2 * np.pi, 24, endpoint=False)
    path = interpolate_points(
        np.column_stack((40 * np.cos(angle), 30 * np.sin(angle), 12 * np.sin(2 * angle + 0.4))), closed=True
    )
    swept = sweep_profile(make_rectangle(8, 4), path, SweepShape(), 1e-3)
    assert swept.surface.is_closed(1, 1e-6)
    mesh = mesh_surface(swept.surface, 24, 200)
    assert is_closed(mesh)
    assert (np.diff(mesh.topology.face_offsets) == 4).all()
    assert enclosed_volume(mesh) > 0


@pytest.mark.parametrize(("ends", "extra"), [(("flat", "flat"), 0.0), (("domed", "domed"), 4 / 3 * np.pi * 125)])
def test_a_straight_cord_is_a_cylinder_and_its_domes_are_half_spheres(ends, extra: float) -> None:
    """Volume of the cylinder, with a half sphere at each domed end."""
    swept = sweep_profile(CIRCLE, make_polyline([[0, 0, 0], [0, 0, 60]]), SweepShape(ends=ends))
    assert volume(swept.surface, 64, 64) == pytest.approx(np.pi * 25 * 60 + extra, rel=1e-5)
    assert is_closed(mesh_surface(swept.surface, 32, 40))


def test_mitred_corners_keep_the_volume_of_profile_times_path() -> None:
    """A mitre cuts as much off the outside as the inside lacks, so the volume is the area times the length."""
    path = make_polyline([[0, 0, 0], [80, 0, 0], [80, 60, 0], [80, 60, 50]])
    swept = sweep_profile(make_rectangle(10, 6), path, CAPPED)
    assert volume(swept.surface, 32, 60) == pytest.approx(60 * (80 + 60 + 50), rel=1e-6)


def test_a_closed_frame_of_four_rails_is_mitred_all_round() -> None:
    """Four mitred corners close, and the volume is area by length."""
    path = make_polyline([[0, 0, 0], [80, 0, 0], [80, 60, 0], [0, 60, 0], [0, 0, 0]])
    swept = sweep_profile(make_rectangle(6, 6), path, SweepShape(facing="upright"))
    assert is_closed(mesh_surface(swept.surface, 16, 40))
    assert abs(enclosed_volume(mesh_surface(swept.surface, 16, 40))) == pytest.approx(36 * 280, rel=1e-9)


@settings(max_examples=15)
@given(st.floats(0.3, 1.0), st.floats(0.3, 1.0))
def test_a_scaled_straight_sweep_is_a_cone_s_frustum(start: float, end: float) -> None:
    """The frustum's formula for random scales at both ends."""
    shape = SweepShape(scale=Law(start, end), ends=("flat", "flat"))
    swept = sweep_profile(CIRCLE, make_polyline([[0, 0, 0], [0, 0, 50]]), shape, 1e-6)
    wanted = np.pi * 25 * 50 / 3 * (start * start + start * end + end * end)
    assert volume(swept.surface, 48, 60) == pytest.approx(wanted, rel=1e-5)


def test_twist_turns_the_profile_by_the_law() -> None:
    """A quarter turn at the end turns the profile by it."""
    shape = SweepShape(twist=Law(0, np.pi / 2))
    swept = sweep_profile(make_rectangle(20, 4), make_polyline([[0, 0, 0], [0, 0, 60]]), shape, 1e-4)
    low, high = swept.surface.domain(1)
    ends = [surface_points(swept.surface, np.array([swept.surface.domain(0)[0]]), np.array([v]))[0] for v in (low, high)]
    turned = place_curve(make_polyline([ends[0], [0, 0, 0]]), turning([0, 0, 0], [0, 0, 1], np.pi / 2)).control_points[0]
    assert ends[1] == pytest.approx(turned + np.array([0, 0, 60]), abs=1e-6)


def test_the_carried_frame_of_a_helix_turns_back_by_its_torsion() -> None:
    """A rotation-minimising frame turns against the Frenet frame by the integral of the torsion: c / (r^2 + c^2) a mm."""
    helix = make_helix(HelixShape((20, 20), 3, 15)).curve
    frame = carry_frame(helix, steps=24)
    rise = 15 / (2 * np.pi)
    params = np.array(helix.domain)
    points, axis, second = frame.at(params)
    normal = -points * [1, 1, 0] / 20
    turn = [np.arctan2(n @ b, n @ a) for n, a, b in zip(normal, axis, second, strict=True)]
    torsion = rise / (400 + rise**2) * 3 * 2 * np.pi * np.hypot(20, rise)
    assert (turn[1] - turn[0] - torsion + np.pi) % (2 * np.pi) - np.pi == pytest.approx(0, abs=1e-4)


def test_a_profile_too_wide_for_a_bend_is_named_with_its_place() -> None:
    """Just wider than the bend's radius it is named at its place, just narrower not."""
    bend = interpolate_points([[0, 0, 0], [30, 0, 0], [36, 6, 0], [36, 40, 0]])
    radius, at = least_radius(bend)
    wide, narrow = (sweep_profile(make_circle((0, 0), radius * share), bend, SweepShape()).tight for share in (1.02, 0.98))
    assert wide is not None
    assert lengths(wide - curve_points(bend, np.array([at]))[0]) < 2
    assert narrow is None


def test_the_deviation_that_is_told_is_not_passed_elsewhere() -> None:
    """Against a far finer sweep the told deviation holds."""
    helix = make_helix(HelixShape((20, 20), 4, 12)).curve
    loose, tight = (sweep_profile(CIRCLE, helix, SweepShape(), tolerance) for tolerance in (1e-2, 1e-6))
    assert loose.largest <= 1e-2
    assert deviation(loose, tight) < 1.2e-2


def deviation(one: Swept, other: Swept) -> float:
    """Return the largest distance between equal parameters of two sweeps."""
    u = np.linspace(*one.surface.domain(0), 13)
    v = np.linspace(*one.surface.domain(1), 301)
    uu, vv = (part.ravel() for part in np.meshgrid(u, v))
    return float(lengths(surface_points(one.surface, uu, vv) - surface_points(other.surface, uu, vv)).max())


@pytest.mark.parametrize(
    ("path", "shape", "word"),
    [
        (make_polyline([[0, 0, 0], [10, 0, 0]]), SweepShape(scale=Law(1, 0)), "above 0"),
        (make_polyline([[0, 0, 0], [50, 0, 0], [0, 1, 0]]), SweepShape(), "too steeply"),
    ],
)
def test_what_cannot_be_swept_is_told(path, shape, word: str) -> None:
    """Paths and shapes that fail are refused in words."""
    with pytest.raises(KernelError, match=word):
        sweep_profile(CIRCLE, path, shape)


@pytest.mark.parametrize("way", ["evenly", "eased", "eased in", "eased out"])
@pytest.mark.parametrize("bias", [0.3, 0.5, 0.8])
def test_a_law_runs_from_end_to_end_without_turning_back(way, bias: float) -> None:
    """Each way rises from start to end, and the bias is the half-way share."""
    values = Law(2, 5, way, bias).at(np.linspace(0, 1, 101))
    assert (values[0], values[-1]) == (2, 5)
    assert all(b >= a for a, b in pairwise(values))
    if way in ("evenly", "eased"):
        assert Law(2, 5, way, bias).at(np.array([bias]))[0] == pytest.approx(3.5)


def test_a_constant_law_is_constant_and_a_bias_at_an_end_is_refused() -> None:
    """A law of equal ends is constant, and a bias of none is refused."""
    assert Law(3.0, 3.0).is_constant
    with pytest.raises(InvalidInput, match="bias"):
        Law(0, 1, "evenly", 0)


def test_a_drop_shaped_path_is_mitred_at_its_only_corner() -> None:
    """The one corner of a closed path is mitred, and the volume is area by length."""
    drop = interpolate_points([[0, 0, 0], [50, 25, 0], [80, 0, 0], [50, -25, 0], [0, 0, 0]])
    mesh = mesh_surface(sweep_profile(make_rectangle(4, 4), drop, SweepShape(), 1e-4).surface, 16, 200)
    assert is_closed(mesh)
    assert enclosed_volume(mesh) == pytest.approx(16 * measure_length(drop).length, rel=1e-3)


def test_a_closed_polygon_in_space_closes_corner_to_corner() -> None:
    """The frame comes back turned; spread along the way, the turn lets the last corner meet the first."""
    path = make_polyline([[0, 0, 0], [80, 0, 10], [80, 60, 40], [0, 60, -10], [0, 0, 0]])
    mesh = mesh_surface(sweep_profile(make_rectangle(6, 3), path, SweepShape(), 1e-4).surface, 16, 160)
    assert is_closed(mesh)
    assert enclosed_volume(mesh) == pytest.approx(18 * measure_length(path).length, rel=5e-3)


@pytest.mark.parametrize(
    ("shape", "word"), [(SweepShape(scale=Law(1, 2)), "same at both ends"), (SweepShape(twist=Law(0, 1)), "whole turns")]
)
def test_laws_that_do_not_come_back_round_a_closed_path_are_told(shape, word: str) -> None:
    """Scale and twist have to come back, but by whole turns."""
    with pytest.raises(InvalidInput, match=word):
        sweep_profile(make_rectangle(6, 3), ring(40), shape)
    whole = sweep_profile(make_rectangle(6, 3), ring(40), SweepShape(twist=Law(0, 2 * np.pi)), 1e-3)
    assert is_closed(mesh_surface(whole.surface, 16, 200))


def test_profiles_follow_each_other_along_the_path() -> None:
    """Widths half-way are the mean of both profiles'."""
    path = make_polyline([[0, 0, 0], [0, 0, 100]])
    round_one, flat = make_circle((0, 0), 10), make_elliptic_arc((0, 0), 20, 5, 0, 0, 2 * np.pi)
    swept = sweep_profile(round_one, path, SweepShape(others=(flat,)), 1e-3).surface
    places = evaluate_grid(swept, np.linspace(*swept.domain(0), 65), np.array([0.0, 50.0, 100.0])).points
    spans = np.sort(np.ptp(places, axis=0)[:, :2], axis=1)
    assert np.allclose(spans, [[20, 20], [15, 30], [10, 40]], atol=2e-3)


def test_blend_law_keeps_the_first_profile_as_long_as_it_says() -> None:
    """Up to the given share the profile stays the first."""
    path = make_polyline([[0, 0, 0], [0, 0, 100]])
    shape = SweepShape(others=(make_circle((0, 0), 20),), blend=Law(0.0, 1.0, between=((0.5, 0.0),)))
    swept = sweep_profile(make_circle((0, 0), 10), path, shape, 1e-3).surface
    places = evaluate_grid(swept, np.array([0.2]), np.linspace(0, 100, 11)).points[0]
    radius = np.hypot(places[:, 0], places[:, 1])
    assert np.allclose(radius[:6], 10, atol=1e-2)
    assert radius[-1] == pytest.approx(20)


def test_second_rail_turns_the_profile_and_may_stretch_it() -> None:
    """The profile follows the rail, and its width only where it may."""
    path = make_polyline([[0, 0, 0], [0, 0, 90]])
    rail = make_polyline([[10, 0, 0], [0, 30, 90]])
    line = make_polyline([[0, 0, 0], [10, 0, 0]])
    swept = sweep_profile(line, path, SweepShape("rail", rail=rail, reaching=True), 1e-3).surface
    ends = evaluate_grid(swept, np.array(swept.domain(0)), np.linspace(0, 90, 7)).points
    wanted = np.column_stack((np.linspace(10, 0, 7), np.linspace(0, 30, 7), np.linspace(0, 90, 7)))
    assert np.allclose(ends[1], wanted, atol=1e-3)
    kept = sweep_profile(line, path, SweepShape("rail", rail=rail), 1e-3).surface
    ends = evaluate_grid(kept, np.array(kept.domain(0)), np.linspace(0, 90, 7)).points
    assert np.allclose(lengths(ends[1] - ends[0]), 10, atol=1e-3)


def test_rail_on_the_path_is_refused() -> None:
    """A rail on the path gives no direction, as does none at all."""
    path = make_polyline([[0, 0, 0], [0, 0, 90]])
    with pytest.raises(KernelError, match="second rail"):
        sweep_profile(make_circle((0, 0), 5), path, SweepShape("rail", rail=path), 1e-3)
    with pytest.raises(KernelError, match="second rail"):
        sweep_profile(make_circle((0, 0), 5), path, SweepShape("rail"), 1e-3)


def test_a_sweep_is_made_finer_only_where_its_path_needs_it() -> None:
    """A straight run into a tight bend: most of the knots lie on the bend, a quarter of the way."""
    corner = np.linspace(0, np.pi / 2, 9)
    bend = np.column_stack((100 + 12 * np.sin(corner), 12 - 12 * np.cos(corner), 0 * corner))
    path = interpolate_points(np.vstack(([[0, 0, 0], [40, 0, 0], [80, 0, 0]], bend)))
    swept = sweep_profile(make_circle((0, 0), 2), path, SweepShape(), 1e-4)
    along = np.unique(swept.surface.knots[1])
    start = measure_length(path).length * 0.7
    assert swept.largest <= 1e-4
    assert (along > start).sum() > 0.6 * len(along)
