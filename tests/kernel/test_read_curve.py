"""What is read off curves, and curves from two views."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.flat_shapes import make_circle, make_elliptic_arc
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.curves.make.two_views import curve_from_views
from glass_spoon.kernel.curves.read.read_curve import crowded_points, curvature_comb, curve_box, least_radius
from glass_spoon.kernel.errors import InvalidInput, KernelError
from tests.zoo import random_curve


@pytest.mark.parametrize("seed", range(6))
def test_the_box_touches_the_curve_and_holds_every_sample(seed: int) -> None:
    """No sample of 40,000 lies outside, and each side is touched."""
    curve = random_curve(np.random.default_rng(seed), 4, 9)
    low, high = curve_box(curve)
    dense = curve_points(curve, np.linspace(0, 1, 40_001))
    assert (dense.min(axis=0) >= low - 1e-9).all()
    assert dense.min(axis=0) == pytest.approx(low, abs=1e-5)  # samples come no nearer
    assert dense.max(axis=0) == pytest.approx(high, abs=1e-5)


def test_the_box_of_a_tilted_ellipse_follows_its_formula() -> None:
    """Half widths are the roots of squared parts of both axes."""
    low, high = curve_box(make_elliptic_arc([0, 0], 5, 3, np.radians(30), 0, 2 * np.pi))
    half = np.sqrt((5 * np.cos(np.pi / 6)) ** 2 + (3 * np.sin(np.pi / 6)) ** 2)
    assert (low[0], high[0]) == (pytest.approx(-half, rel=1e-9), pytest.approx(half, rel=1e-9))


def test_the_least_radius_of_an_ellipse_is_at_the_end_of_its_long_axis() -> None:
    """The radius is b² / a, found to nine digits at its place."""
    ellipse = make_elliptic_arc([0, 0], 5, 3, 0, -0.7, 2)
    radius, param = least_radius(ellipse)
    assert radius == pytest.approx(9 / 5, rel=1e-9)
    assert curve_points(ellipse, np.array([param]))[0] == pytest.approx([5, 0, 0], abs=1e-5)


def test_a_straight_curve_has_no_least_radius() -> None:
    """A straight curve answers with infinity."""
    assert least_radius(make_polyline([[0, 0, 0], [5, 5, 0]]))[0] == float("inf")


def test_the_comb_of_a_circle_points_outwards_with_one_over_the_radius() -> None:
    """Teeth of a circle of 8 mm are 1/8 long and point outwards."""
    places, teeth = curvature_comb(make_circle([0, 0], 8), 5)
    assert teeth == pytest.approx(places / 64, abs=1e-12)


def test_points_much_nearer_than_the_rest_are_named() -> None:
    """Only the point beside another is named, and one alone never."""
    assert crowded_points(np.array([[0, 0, 0], [10, 0, 0], [20, 0, 0], [20.05, 0, 0], [30, 0, 0]])).tolist() == [2]
    assert not len(crowded_points(np.zeros((1, 3))))


def test_two_quarter_circles_give_the_edge_where_two_cylinders_meet() -> None:
    # Front: x^2 + z^2 = 40^2 (a cylinder along y). Side: y^2 + z^2 = 40^2 (a cylinder along x). Their edge has x = y.
    """Every point of the edge lies on both cylinders."""
    front = make_arc([0, 0, 0], [40, 0, 0], [0, 0, 40], 0, np.pi / 2)
    side = make_arc([0, 0, 0], [0, 40, 0], [0, 0, 40], 0, np.pi / 2)
    points = curve_points(curve_from_views(front, side, 2, 1).curve, np.linspace(0, 1, 301))
    assert np.abs(points[:, 0] ** 2 + points[:, 2] ** 2 - 1600).max() < 0.02  # 1e-4 mm off the cylinder, times 2 r
    assert np.abs(points[:, 1] ** 2 + points[:, 2] ** 2 - 1600).max() < 0.02


def test_unequal_cylinders_meet_in_the_analytic_curve() -> None:
    # Front: the thin cylinder x^2 + z^2 = 15^2. Side: z over y of the thick one, y^2 + z^2 = 25^2, for the same heights.
    """The edge follows the formula of two unequal cylinders."""
    front = make_arc([0, 0, 0], [0, 0, -15], [15, 0, 0], 0, np.pi)
    reach = np.arcsin(15 / 25)
    side = make_arc([0, 0, 0], [0, 25, 0], [0, 0, 25], -reach, reach)
    points = curve_points(curve_from_views(front, side, 2, 1).curve, np.linspace(0, 1, 501))
    assert points[:, 1] == pytest.approx(np.sqrt(625 - points[:, 2] ** 2), abs=3e-4)
    assert np.abs(np.hypot(points[:, 0], points[:, 2]) - 15).max() < 2e-4


def test_views_that_turn_back_at_the_same_heights_are_followed_round() -> None:
    """Turning points are followed in order; views of other ranges are refused."""
    front = interpolate_points([[0, 0, 0], [10, 0, 20], [20, 0, 5], [30, 0, 25]])
    heights = front.control_points
    side = interpolate_points(np.column_stack((np.zeros(4), [0, 5, 12, 30], [0, 20, 5, 25])))
    assert len(heights)
    with pytest.raises(KernelError, match="turn back in z"):
        curve_from_views(front, interpolate_points([[0, 0, 0], [0, 30, 25]]), 2, 1)
    with pytest.raises(InvalidInput, match="range in z"):
        curve_from_views(front, make_polyline([[0, 0, 0], [0, 5, 90]]), 2, 1)
    assert len(side.control_points)


def test_the_second_view_may_be_drawn_the_other_way_round() -> None:
    """The direction of the side view does not change the curve."""
    front = make_polyline([[0, 0, 0], [10, 0, 30]])
    side = make_polyline([[0, 6, 30], [0, 0, 0]])
    ends = curve_points(curve_from_views(front, side, 2, 1).curve, np.array([0.0, 1.0]))
    assert ends == pytest.approx(np.array([[0, 0, 0], [10, 6, 30]]), abs=1e-6)
