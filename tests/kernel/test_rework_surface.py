"""Work on whole surfaces: swap, seam, extend, offset, rebuild."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.surfaces.alter.edit_surface import split_surface
from glass_spoon.kernel.surfaces.alter.offset_surface import offset_surface
from glass_spoon.kernel.surfaces.alter.rebuild_surface import rebuild_surface
from glass_spoon.kernel.surfaces.alter.rework_surface import extend_surface, move_seam, swap_directions
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, make_surface
from glass_spoon.kernel.surfaces.evaluate.surface_kinks import is_smooth_ring, surface_kinks
from glass_spoon.kernel.surfaces.make.revolve import revolve_curve
from tests.zoo import ORIGIN, TURN, UP, cone, kettle_profile, random_surface, sphere, torus

seeds = st.integers(0, 10_000)


def grid(surface: NurbsSurface, count: int = 33) -> np.ndarray:
    return evaluate_grid(surface, *(np.linspace(*surface.domain(axis), count) for axis in (0, 1))).points


def checked(surface: NurbsSurface) -> NurbsSurface:
    return make_surface(surface.degrees, surface.knots, surface.control_points, surface.weights)


@settings(max_examples=20)
@given(seeds)
def test_swapped_surface_has_the_same_places_and_sides(seed: int) -> None:
    """Points and normals agree with the directions exchanged."""
    surface = random_surface(np.random.default_rng(seed), (3, 2), (6, 5))
    swapped = checked(swap_directions(surface))
    own = evaluate_grid(surface, *(np.linspace(*surface.domain(axis), 7) for axis in (0, 1)))
    other = evaluate_grid(swapped, *(np.linspace(*swapped.domain(axis), 7) for axis in (0, 1)))
    assert np.allclose(own.points.transpose(1, 0, 2)[::-1], other.points, atol=1e-11)
    assert np.allclose(own.normals.transpose(1, 0, 2)[::-1], other.normals, atol=1e-9)


@settings(max_examples=20)
@given(st.floats(0, 1), st.integers(0, 1))
def test_moved_seam_keeps_the_torus_exactly(share: float, axis: int) -> None:
    """Points stay on the torus, and the seam is smooth wherever it lies."""
    moved = checked(move_seam(torus(30, 8), axis, share))
    places = grid(moved)
    tube = (np.hypot(places[..., 0], places[..., 1]) - 30) ** 2 + places[..., 2] ** 2
    assert np.allclose(tube, 64, atol=1e-9)
    assert moved.is_closed(axis, 1e-9)
    assert is_smooth_ring(moved, axis)


def test_seam_moved_starts_where_it_was_asked_to() -> None:
    """The surface starts at the wanted share; a way without a seam is refused."""
    body = torus(30, 8)
    low, high = body.domain(0)
    wanted = evaluate_grid(body, np.array([low + 0.4 * (high - low)]), np.array([0.0])).points[0, 0]
    moved = move_seam(body, 0, 0.4)
    assert np.allclose(evaluate_grid(moved, np.array([moved.domain(0)[0]]), np.array([0.0])).points[0, 0], wanted)
    with pytest.raises(KernelError, match="no seam"):
        move_seam(sphere(10), 1, 0.3)


def test_straight_extension_makes_a_cylinder_longer() -> None:
    """Heights grow by the length at either end and radii stay."""
    pipe = revolve_curve(make_polyline([[20, 0, 0], [20, 0, 30]]), ORIGIN, UP, TURN)
    for end, low, high in ((-1, 0, 40), (0, -10, 30)):
        longer = checked(extend_surface(pipe, 1, end, 10, "straight"))  # type: ignore[arg-type]
        places = grid(longer)
        assert places[..., 2].min() == pytest.approx(low, abs=1e-12)
        assert places[..., 2].max() == pytest.approx(high, abs=1e-12)
        assert np.allclose(np.hypot(places[..., 0], places[..., 1]), 20)


def test_bending_extension_goes_on_round_a_sphere() -> None:
    """Points beyond the rim stay on the sphere, as far as the arc says."""
    lower, _ = split_surface(sphere(20.0), 1, sum(sphere(20.0).domain(1)) / 2)
    longer = checked(extend_surface(lower, 1, -1, 5.0, "bending on"))
    places = grid(longer)
    assert np.allclose(lengths(places), 20, atol=1e-10)
    assert places[..., 2].max() == pytest.approx(20 * np.sin(5 / 20), rel=1e-4)


@settings(max_examples=20)
@given(seeds, st.integers(0, 1), st.floats(0.1, 20))
def test_straight_extension_keeps_the_surface_and_reaches_the_length(seed: int, axis: int, length: float) -> None:
    """The old part is unchanged, and the new edge lies the length away."""
    surface = random_surface(np.random.default_rng(seed), (3, 3), (6, 6))
    longer = checked(extend_surface(surface, axis, -1, length, "straight"))
    params = [np.linspace(*surface.domain(k), 9) for k in (0, 1)]
    assert np.allclose(evaluate_grid(surface, *params).points, evaluate_grid(longer, *params).points, atol=1e-9)
    ends = surface.domain(axis)[1], longer.domain(axis)[1]
    corners = [np.array([surface.domain(1 - axis)[0]])] * 2
    places = [
        evaluate_grid(longer, *((np.array([end]), corners[0]) if axis == 0 else (corners[0], np.array([end])))).points
        for end in ends
    ]
    assert lengths(places[1] - places[0])[0, 0] == pytest.approx(length, rel=1e-9)


def test_poles_and_closed_ways_have_no_edge_to_extend() -> None:
    """Poles, closed ways and lengths of none are refused in words."""
    with pytest.raises(KernelError, match="one point"):
        extend_surface(sphere(10), 1, -1, 5, "straight")
    with pytest.raises(KernelError, match="closes this way"):
        extend_surface(torus(30, 8), 0, -1, 5, "straight")
    with pytest.raises(KernelError, match="above 0 mm"):
        extend_surface(cone(10, 20), 1, -1, 0, "straight")


@pytest.mark.parametrize("distance", [3.0, -3.0])
def test_offset_torus_is_the_thicker_or_thinner_torus(distance: float) -> None:
    """The tube's radius is the old one plus the distance, within the tolerance."""
    made = offset_surface(torus(30, 8), distance, 1e-3)
    places = grid(made.surface)
    tube = np.hypot(np.hypot(places[..., 0], places[..., 1]) - 30, places[..., 2])
    assert np.allclose(tube, 8 + distance, atol=1e-3)
    assert made.fold is None
    assert made.surface.weights.size < 40 * 40


def test_offset_tells_where_it_folds_and_with_which_radius() -> None:
    """Inside it folds at the tube's radius, outside only past the inner rim's."""
    made = offset_surface(torus(30, 8), -9.0)
    assert made.fold is not None
    assert made.radius == pytest.approx(8, rel=1e-9)
    outer = offset_surface(torus(30, 8), 21.0)
    assert outer.fold is None
    inner_rim = offset_surface(torus(30, 8), 23.0)  # the inside of the ring bends with 30 - 8 mm
    assert inner_rim.radius == pytest.approx(22, rel=1e-6)
    assert inner_rim.fold is not None


@pytest.mark.parametrize(
    ("distance", "corners"),
    [
        (2.0, [[0, -2], [22, -2], [22, 30 + 2 * np.tan(np.pi / 8)], [10 + np.sqrt(2), 40 + np.sqrt(2)]]),
        (-2.0, [[0, 2], [18, 2], [18, 30 - 2 * np.tan(np.pi / 8)], [10 - np.sqrt(2), 40 - np.sqrt(2)]]),
    ],
)
def test_sharp_edges_are_mitred_outside_and_cut_where_runs_cross_inside(distance: float, corners: list) -> None:
    """Runs meet at the mitred corners, or where they cross."""
    pot = revolve_curve(make_polyline([[0, 0, 0], [20, 0, 0], [20, 0, 30], [10, 0, 40]]), ORIGIN, UP, TURN)
    made = offset_surface(pot, distance, 1e-3).surface
    stops = np.concatenate(([made.domain(1)[0]], surface_kinks(made, 1), [made.domain(1)[1]]))
    places = evaluate_grid(made, np.array([0.0]), stops).points[0]
    assert np.allclose(np.column_stack((np.hypot(places[:, 0], places[:, 1]), places[:, 2])), corners, atol=2e-3)


def test_offset_kettle_keeps_its_distance() -> None:
    """Points of the offset are 1.5 mm away from the kettle."""
    body = revolve_curve(kettle_profile(), ORIGIN, UP, TURN)
    made = offset_surface(body, -1.5, 5e-3).surface
    distance = closest_points(body, grid(made, 40).reshape(-1, 3))[2]
    assert np.abs(distance - 1.5).max() < 6e-3


def test_offset_that_leaves_nothing_of_a_run_is_refused() -> None:
    """An offset that swallows a step and one of none are refused."""
    step = revolve_curve(make_polyline([[20, 0, 0], [20, 0, 10], [21, 0, 10], [21, 0, 20]]), ORIGIN, UP, TURN)
    with pytest.raises(KernelError, match="nothing is left"):
        offset_surface(step, 3.0)
    with pytest.raises(KernelError, match="other than 0"):
        offset_surface(step, 0.0)


def test_rebuilt_surface_has_fewer_points_and_keeps_the_tolerance() -> None:
    """A third of the points is enough, and the distance told holds."""
    fine = offset_surface(torus(30, 8), 1.0, 1e-4).surface
    made = rebuild_surface(fine, 0.05)
    assert made.surface.weights.size < fine.weights.size / 3
    assert made.largest <= 0.05
    places = grid(made.surface, 60)
    tube = np.hypot(np.hypot(places[..., 0], places[..., 1]) - 30, places[..., 2])
    assert np.abs(tube - 9).max() <= 0.051


def test_rebuilt_surface_keeps_sharp_edges_and_rims() -> None:
    """Sharp rings and the rim stay where they were, and the seam stays smooth."""
    body = revolve_curve(kettle_profile(), ORIGIN, UP, TURN)
    made = rebuild_surface(body, 0.05).surface
    own, other = (
        evaluate_grid(one, np.array([one.domain(0)[0]]), np.append(surface_kinks(one, 1), one.domain(1)[1])).points[0]
        for one in (body, made)
    )
    assert np.allclose(own, other, atol=1e-9)
    assert is_smooth_ring(made, 0)


def test_rebuild_refuses_what_no_number_of_points_would_do() -> None:
    """A rough surface at a tiny tolerance is refused with the way out."""
    rough = random_surface(np.random.default_rng(0), (1, 1), (150, 4))
    with pytest.raises(KernelError, match="Allow more"):
        rebuild_surface(rough, 1e-9)
