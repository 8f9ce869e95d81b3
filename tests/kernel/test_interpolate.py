"""Curves through points."""

import numpy as np
import pytest
from scipy.interpolate import CubicSpline

from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives, curve_points, curve_tangents, find_kinks
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.errors import InvalidInput

POINTS = np.array([[0, 0, 0], [3, 0, 1], [5, 0, 4], [4, 0, 8], [6, 0, 11]], dtype=float)


def chord_params(points):
    return np.concatenate(([0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))))


def test_natural_curve_is_scipys():
    """Without sharp points it is SciPy's natural cubic spline over chord lengths."""
    curve = interpolate_points(POINTS)
    params = np.linspace(*curve.domain, 57)
    peer = CubicSpline(chord_params(POINTS), POINTS, bc_type="natural")
    assert np.allclose(curve_points(curve, params), peer(params), atol=1e-12)


def test_centripetal_params():
    """Roots of the chords decide the parameters (equation 9.6), and the curve passes through every point."""
    curve = interpolate_points(POINTS, spacing="centripetal")
    roots = np.sqrt(np.linalg.norm(np.diff(POINTS, axis=0), axis=1))
    params = np.concatenate(([0], np.cumsum(roots))) * curve.domain[1] / roots.sum()
    assert np.allclose(curve_points(curve, params), POINTS, atol=1e-12)


def test_sharp_points_are_knots_of_full_multiplicity():
    """The curve passes through the sharp point with a kink, and the runs on both sides are natural splines."""
    curve = interpolate_points(POINTS, [0, 0, 1, 0, 0])
    at = chord_params(POINTS)[2]
    assert np.count_nonzero(np.isclose(curve.knots, at)) == 3
    assert np.allclose(find_kinks(curve, 0.01), [at])
    first = CubicSpline(chord_params(POINTS[:3]), POINTS[:3], bc_type="natural")
    params = np.linspace(0, at, 20)
    assert np.allclose(curve_points(curve, params), first(params), atol=1e-12)


def test_closed_curve_is_smooth_at_its_seam():
    """First and second derivatives agree where the curve closes."""
    curve = interpolate_points(POINTS, closed=True)
    values = curve_derivatives(curve, np.array(curve.domain), 2)
    assert curve.is_closed(0.0)
    assert np.allclose(values[1, 0], values[1, 1], atol=1e-12)
    assert np.allclose(values[2, 0], values[2, 1], atol=1e-11)


def test_closed_curve_with_a_sharp_point_starts_there():
    """The seam lies on the first sharp point."""
    curve = interpolate_points(POINTS, [0, 0, 1, 0, 0], closed=True)
    assert np.allclose(curve.control_points[0], POINTS[2])
    assert np.allclose(curve.control_points[-1], POINTS[2])


def test_clamped_ends_follow_their_tangents():
    """The end tangents are the directions given, whatever their length."""
    curve = interpolate_points(POINTS, start_tangent=[0, 0, 7], end_tangent=[2, 0, 0])
    assert np.allclose(curve_tangents(curve, np.array(curve.domain)), [[0, 0, 1], [1, 0, 0]], atol=1e-12)


def test_two_points_give_a_line():
    """The middle lies halfway."""
    curve = interpolate_points(POINTS[:2])
    assert np.allclose(curve_points(curve, np.array([curve.domain[1] / 2])), POINTS[:2].mean(axis=0))


@pytest.mark.parametrize(
    ("points", "closed", "word"),
    [
        ([[0, 0, 0]], False, "at least 2"),
        ([[0, 0, 0], [1, 0, 0]], True, "at least 3"),
        ([[0, 0, 0], [1, 0, 0], [1, 0, 0]], False, "Point 3"),
        ([[0, 0, 0], [np.inf, 0, 0]], False, "finite"),
    ],
)
def test_bad_points_are_refused(points, closed, word):
    """The sentence names the point or the number wanted."""
    with pytest.raises(InvalidInput, match=word):
        interpolate_points(points, closed=closed)
