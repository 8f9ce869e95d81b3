"""Corners rounded by exact tangent arcs."""

import numpy as np
import pytest

from glass_spoon.kernel.curves.alter.round_corners import round_corners
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_curvature, curve_points, find_kinks
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.errors import InvalidInput, RadiusTooLarge
from tests.zoo import kettle_profile

SQUARE = [[0, 0, 0], [10, 0, 0], [10, 0, 10], [0, 0, 10], [0, 0, 0]]


def test_rounded_square_has_the_known_length():
    """Four sides lose two radii each and gain a circle: 40 - 8 r + 2 pi r, the seam's corner included."""
    rounded = round_corners(make_polyline(SQUARE), 2.0)
    assert measure_length(rounded).length == pytest.approx(40 - 16 + 4 * np.pi, rel=1e-12)
    assert len(find_kinks(rounded, 1e-6)) == 0


def test_right_angle_arc_is_exact():
    """The arc of an L keeps its radius from the centre (r, r) inside the corner."""
    rounded = round_corners(make_polyline([[0, 0, 10], [0, 0, 0], [8, 0, 0]]), 3.0)
    params = np.linspace(*rounded.domain, 400)
    points = curve_points(rounded, params)
    curved = curve_curvature(rounded, params) > 1e-9
    assert np.allclose(np.hypot(points[curved, 0] - 3, points[curved, 2] - 3), 3, atol=1e-12)
    assert curved.any()


def test_arcs_between_curved_branches_touch_them():
    """Between splines the result is smooth and bends with one over the radius on the arcs."""
    rounded = round_corners(kettle_profile(), 4.0)
    assert len(find_kinks(rounded, 1e-6)) == 0
    bend = curve_curvature(rounded, np.linspace(*rounded.domain, 3000))
    assert np.isclose(bend, 0.25, rtol=1e-6).sum() > 20


def test_each_corner_may_have_its_own_radius():
    """Two radii, one for each sharp point."""
    line = make_polyline([[0, 0, 0], [20, 0, 0], [20, 0, 20], [40, 0, 20]])
    length = measure_length(round_corners(line, [2.0, 5.0])).length
    assert length == pytest.approx(60 - 2 * 7 + np.pi / 2 * 7, rel=1e-12)


def test_too_large_a_radius_names_the_largest():
    """On a square of 10 the arcs meet at radius 5."""
    with pytest.raises(RadiusTooLarge) as refusal:
        round_corners(make_polyline(SQUARE), 6.0)
    assert refusal.value.largest == pytest.approx(5.0, rel=1e-6)  # the search ends at 1e-7 of the radius
    assert "5.000 mm" in str(refusal.value)


def test_the_largest_that_is_named_fits():
    """Asking for what the refusal offers succeeds, on curved branches too."""
    with pytest.raises(RadiusTooLarge) as refusal:
        round_corners(kettle_profile(), 500.0)
    assert round_corners(kettle_profile(), refusal.value.largest * (1 - 1e-6)).degree == 3


@pytest.mark.parametrize("radius", [0.0, -1.0, np.nan])
def test_radius_must_be_positive(radius):
    """Zero, negative and NaN are refused with the name of the field."""
    with pytest.raises(InvalidInput, match="radius"):
        round_corners(make_polyline(SQUARE), radius)


def test_a_smooth_curve_has_nothing_to_round():
    """The sentence says so."""
    with pytest.raises(InvalidInput, match="sharp points"):
        round_corners(interpolate_points([[0, 0, 0], [1, 0, 1], [3, 0, 1]]), 0.1)


def test_a_space_curve_is_refused():
    """Rounding needs a plane; the sentence tells by how much the curve leaves it."""
    line = make_polyline([[0, 0, 0], [10, 0, 0], [10, 10, 0], [10, 10, 10]])
    with pytest.raises(InvalidInput, match="flat"):
        round_corners(line, 1.0)
