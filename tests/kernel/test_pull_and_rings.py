"""Control points moved by hand, rings, climbing turns, softened paths, laws as curves."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.curves.alter.soften_path import soften_path
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.closest_on_curve import largest_distance
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points, find_kinks
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.errors import InvalidInput, KernelError, RadiusTooLarge
from glass_spoon.kernel.law import Law
from glass_spoon.kernel.surfaces.alter.pull_net import NetMove, pull_net
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid
from glass_spoon.kernel.surfaces.make.climb import climb_curve
from glass_spoon.kernel.surfaces.make.revolve import revolve_curve
from glass_spoon.kernel.surfaces.make.rings import Ring, even_rings, ring_curve
from tests.zoo import ORIGIN, TURN, UP, random_surface, torus


def test_one_control_point_moves_alone() -> None:
    """A move of one place changes no other control point."""
    surface = random_surface(np.random.default_rng(1), (3, 3), (6, 7))
    moved = pull_net(surface, [NetMove(2, 3, (1.0, 2.0, 3.0))])
    change = moved.control_points - surface.control_points
    assert np.allclose(change[2, 3], [1, 2, 3])
    change[2, 3] = 0
    assert not change.any()


def test_neighbours_follow_less_and_less_and_rows_move_whole() -> None:
    """The spread falls off over two neighbours; a row goes as one."""
    surface = random_surface(np.random.default_rng(1), (3, 3), (7, 7))
    spread = pull_net(surface, [NetMove(3, 3, (0.0, 0.0, 1.0))], spread=2).control_points - surface.control_points
    row = spread[3, :, 2]
    assert row[3] == pytest.approx(1)
    assert np.all(np.diff(row[3:6]) < 0)
    assert row[6] == 0
    whole = pull_net(surface, [NetMove(3, 3, (0.0, 0.0, 1.0))], reach="rows round").control_points - surface.control_points
    assert np.allclose(whole[:, 3, 2], 1)
    assert not whole[:, 2].any()


def test_closed_net_stays_closed_when_its_seam_is_pulled() -> None:
    """First and last of a closed net are one place and move together."""
    for at in (0, 8):
        moved = pull_net(torus(30, 8), [NetMove(at, 0, (0.0, 0.0, 4.0))], spread=1)
        assert moved.is_closed(0, 1e-12)
        assert moved.is_closed(1, 1e-12)


def test_control_points_that_are_not_there_are_refused() -> None:
    """The error names the numbers that there are."""
    with pytest.raises(InvalidInput, match="round 1 to 9"):
        pull_net(torus(30, 8), [NetMove(9, 0, (1.0, 0.0, 0.0))])


def test_round_ring_is_exact_and_oval_ring_has_its_widths() -> None:
    """A ring without corners is an exact ellipse from the right, at its height."""
    places = curve_points(ring_curve(Ring(5, 60, 40)), np.linspace(0, 1, 101) * ring_curve(Ring(5, 60, 40)).domain[1])
    assert np.allclose((places[:, 0] / 30) ** 2 + (places[:, 1] / 20) ** 2, 1)
    assert np.allclose(places[:, 2], 5)
    assert np.allclose(places[0], [30, 0, 5])


def test_ring_with_corners_starts_at_the_right_and_turns_left() -> None:
    """A rounded rectangle runs left about, with its length by formula."""
    ring = ring_curve(Ring(0, 60, 40, 8))
    places = curve_points(ring, np.linspace(*ring.domain, 400))
    assert np.allclose(places[0], [30, 0, 0])
    assert places[5, 1] > 0
    assert np.ptp(places[:, 0]) == pytest.approx(60)
    assert np.ptp(places[:, 1]) == pytest.approx(40)
    assert measure_length(ring).length == pytest.approx(2 * (44 + 24) + 2 * np.pi * 8)


@pytest.mark.parametrize("ring", [Ring(0, 0, 10), Ring(0, 10, 10, -1)])
def test_rings_that_are_none_are_refused(ring: Ring) -> None:
    """No width and a negative corner are refused."""
    with pytest.raises(InvalidInput):
        ring_curve(ring)


def test_even_rings_are_smooth_within_the_tolerance_and_alike() -> None:
    """Rings of different kinds share knots and keep the tolerance."""
    rings = [Ring(0, 60, 60), Ring(20, 60, 40, 12)]
    fits = even_rings(rings, 0.05)
    assert np.array_equal(fits[0].knots, fits[1].knots)
    for ring, fit in zip(rings, fits, strict=True):
        assert largest_distance(fit, ring_curve(ring)) < 0.05
        assert not len(find_kinks(fit, 1e-3))


def test_climbing_turn_without_rise_is_the_revolve() -> None:
    """Without a rise it has the radii of a revolved surface."""
    profile = make_polyline([[10, 0, 0], [16, 0, 8]])
    climbing, level = (
        climb_curve(profile, ORIGIN, UP, TURN / 2, 0.0, 1e-6).surface,
        revolve_curve(profile, ORIGIN, UP, TURN / 2),
    )
    own, other = (
        evaluate_grid(each, *(np.linspace(*each.domain(axis), 9) for axis in (0, 1))).points for each in (climbing, level)
    )
    assert np.allclose(np.hypot(own[..., 0], own[..., 1]), np.hypot(other[..., 0], other[..., 1]), atol=1e-5)


@settings(max_examples=15)
@given(st.floats(0.1, 30), st.floats(-40, 40))
def test_every_point_of_a_climbing_turn_lies_on_its_helix(angle: float, rise: float) -> None:
    """Points of every turn fulfil the equation of the helix."""
    surface = climb_curve(make_polyline([[10, 0, 0], [16, 0, 8]]), ORIGIN, UP, angle, rise, 1e-4).surface
    turns = np.linspace(0, angle, 40)
    places = evaluate_grid(surface, turns, np.array([0.0])).points[:, 0]
    wanted = np.column_stack((10 * np.cos(turns), 10 * np.sin(turns), rise * turns / TURN))
    assert lengths(places - wanted).max() < 2e-4


def test_rounded_corners_of_a_path_in_space_are_arcs() -> None:
    """Rounded corners take the length of arcs, broken ones that of chords."""
    path = make_polyline([[0, 0, 0], [40, 0, 0], [40, 30, 0], [40, 30, 50]])
    soft = soften_path(path, "rounded", 8)
    assert not len(find_kinks(soft, np.radians(0.5)))
    assert measure_length(soft).length == pytest.approx(120 - 4 * 8 + np.pi * 8)
    broken = soften_path(path, "broken", 8)
    assert len(find_kinks(broken, np.radians(0.5))) == 4
    assert measure_length(broken).length == pytest.approx(120 - 4 * 8 + 2 * 8 * np.sqrt(2))


def test_closed_path_is_softened_at_its_seam_too() -> None:
    """The corner where a closed path starts is rounded as the others."""
    square = make_polyline([[0, 0, 0], [40, 0, 0], [40, 40, 0], [0, 40, 0], [0, 0, 0]])
    soft = soften_path(square, "rounded", 5)
    assert soft.is_closed(1e-9)
    assert measure_length(soft).length == pytest.approx(160 - 8 * 5 + 2 * np.pi * 5)


def test_corners_that_do_not_fit_are_refused_with_the_largest() -> None:
    """The refusal names a largest radius that can be had."""
    path = make_polyline([[0, 0, 0], [10, 0, 0], [10, 10, 0], [20, 10, 0]])
    with pytest.raises(RadiusTooLarge) as caught:
        soften_path(path, "rounded", 6)
    assert caught.value.largest == pytest.approx(5, rel=1e-4)
    soften_path(path, "rounded", 4.99)
    bent = interpolate_points([[0, 0, 0], [10, 4, 0], [20, 0, 0], [30, 9, 0]], [0, 0, 1, 0])
    with pytest.raises(KernelError, match="bends right at its corner"):
        soften_path(bent, "rounded", 1)


def test_law_through_places_is_the_monotone_cubic() -> None:
    """Its values are those of SciPy's monotone interpolation, without overshoot."""
    law = Law(1.0, 0.5, between=((0.3, 1.4), (0.7, 1.4)))
    shares = np.linspace(0, 1, 101)
    values = law.at(shares)
    assert np.allclose(values, PchipInterpolator([0, 0.3, 0.7, 1], [1, 1.4, 1.4, 0.5])(shares))
    assert values.max() <= 1.4
    assert not law.is_constant
    assert Law(2.0, 2.0, between=((0.5, 2.0),)).is_constant


@pytest.mark.parametrize("between", [((0.7, 1.0), (0.3, 1.0)), ((0.0, 1.0),), ((1.0, 1.0),)])
def test_places_of_a_law_out_of_order_are_refused(between: tuple) -> None:
    """Places of a law have to rise and lie inside."""
    with pytest.raises(InvalidInput, match="in order"):
        Law(1.0, 1.0, between=between)


def test_corners_that_do_not_fit_a_ring_are_as_round_as_it_allows() -> None:
    """Corners wider than the ring are shrunk to a circle."""
    curve = ring_curve(Ring(0, 10, 10, 7))
    assert measure_length(curve).length == pytest.approx(np.pi * 10, rel=0.02)
    assert np.ptp(curve_points(curve, np.linspace(*curve.domain, 400)), axis=0)[:2] == pytest.approx([10, 10], rel=1e-4)
