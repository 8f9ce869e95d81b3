"""Curves written with other points: fewer, even, pulled by control points; knots taken out again."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import BSpline

from glass_spoon.kernel.curves.alter.edit_knots import elevate_degree, insert_knots
from glass_spoon.kernel.curves.alter.refit_curve import (
    even_points,
    points_pulling,
    points_straight,
    points_through,
    refit_curve,
    remove_knot,
)
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params, largest_distance
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve, make_curve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points, find_kinks
from glass_spoon.kernel.curves.make.flat_shapes import make_circle, make_rectangle
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.curves.make.pulled_curve import pulled_curve
from glass_spoon.kernel.errors import InvalidInput, KernelError
from tests.zoo import kettle_profile, random_curve


@settings(max_examples=30)
@given(st.integers(0, 10_000), st.integers(1, 7), st.integers(0, 6))
def test_an_open_pulled_curve_is_scipys_clamped_uniform_spline(seed: int, degree: int, more: int) -> None:
    """SciPy's spline over the same clamped uniform knots has the same values."""
    points = np.random.default_rng(seed).normal(size=(degree + 1 + more, 3))
    curve = pulled_curve(points, degree)
    t = np.linspace(*curve.domain, 33)
    assert curve_points(curve, t) == pytest.approx(BSpline(curve.knots, points, degree)(t), abs=1e-12)
    assert np.ptp(np.diff(curve.breaks)) < 1e-12


@settings(max_examples=30)
@given(st.integers(0, 10_000), st.integers(2, 5))
def test_a_closed_pulled_curve_is_scipys_periodic_spline(seed: int, degree: int) -> None:
    """SciPy's spline over wrapped points has the same values."""
    points = np.random.default_rng(seed).normal(size=(8, 3))
    curve = pulled_curve(points, degree, closed=True)
    wrapped = BSpline(np.arange(-degree, 8 + degree + 1.0), np.vstack((points, points[:degree])), degree)
    t = np.linspace(0, 8, 65)
    assert curve_points(curve, t) == pytest.approx(wrapped(t), abs=1e-12)


def test_a_heavier_weight_pulls_the_curve_nearer() -> None:
    """The distance to the pulling point falls as its weight rises."""
    points = [[0, 0, 0], [5, 10, 0], [10, 0, 0]]
    away = [closest_params(pulled_curve(points, 2, [1, w, 1]), np.array([[5.0, 10, 0]]))[1][0] for w in (0.5, 1, 4)]
    assert away[0] > away[1] > away[2]


def test_a_sharp_control_point_is_run_into() -> None:
    """The curve passes a sharp point with its one kink."""
    points = np.array([[0, 0, 0], [3, 6, 0], [8, 6, 0], [12, 0, 0], [15, 5, 0], [20, 0, 0.0]])
    curve = pulled_curve(points, 3, sharp=[0, 0, 0, 1, 0, 0])
    assert len(find_kinks(curve, 0.01)) == 1
    assert closest_params(curve, points[3:4])[1][0] < 1e-12


@pytest.mark.parametrize(("degree", "weights"), [(0, None), (8, None), (3, [1, 1, 0, 1])])
def test_what_pulls_no_curve_is_refused(degree: int, weights: list[float] | None) -> None:
    """Degrees out of range and a weight of none are refused."""
    with pytest.raises(InvalidInput):
        pulled_curve([[0, 0, 0], [1, 1, 0], [2, 0, 0], [3, 1, 0]], degree, weights)


@pytest.mark.parametrize("tolerance", [0.5, 0.05, 0.005])
def test_refitting_keeps_the_tolerance_and_tells_the_largest_distance(tolerance: float) -> None:
    """The fit has fewer points, and its told distance is the one measured."""
    rng = np.random.default_rng(4)
    crowded = interpolate_points(
        curve_points(kettle_profile(), np.sort(np.append(rng.random(90), [0, 1])) * kettle_profile().domain[1])
    )
    fit = refit_curve(crowded, tolerance)
    assert len(fit.curve.control_points) < len(crowded.control_points)
    slow = largest_distance(crowded, fit.curve, 40)
    assert slow <= tolerance * 1.05  # measured in other places than the fit was
    assert fit.largest == pytest.approx(slow, rel=0.2)


def test_refitting_a_cubic_of_many_knots_finds_the_few_it_needs() -> None:
    """A cubic hidden behind 49 knots is found again with six points."""
    plain = make_curve(3, [0, 0, 0, 0, 1, 1, 1, 1], [[0, 0, 0], [10, 30, 0], [40, 30, 0], [60, 0, 0]])
    crowded = insert_knots(plain, np.linspace(0.02, 0.98, 49))
    assert len(refit_curve(crowded, 0.001).curve.control_points) <= 6


def test_refitting_keeps_sharp_points() -> None:
    """Kinks stay where they were."""
    fit = refit_curve(kettle_profile(), 0.05)
    old, new = (curve_points(c, find_kinks(c, 0.01)) for c in (kettle_profile(), fit.curve))
    assert new == pytest.approx(old, abs=1e-9)


def test_a_tolerance_of_nothing_is_refused() -> None:
    """A tolerance of nothing is refused."""
    with pytest.raises(InvalidInput):
        refit_curve(kettle_profile(), 0)


def test_too_many_points_are_refused_rather_than_made() -> None:
    """A chord that would need endless points is refused with the way out."""
    with pytest.raises(KernelError, match="Allow more"):
        points_straight(make_circle([0, 0], 1000), 1e-5)


def test_points_through_draw_the_curve_again() -> None:
    """Six to sixteen points through a circle draw it within the tolerance."""
    circle = make_circle([0, 0], 50)
    points = points_through(circle, 0.05)
    again = interpolate_points(points.places, points.sharp, closed=points.closed)
    assert largest_distance(circle, again) <= 0.051  # measured in other places than the fit was
    assert 6 <= len(points.places) <= 16


def test_points_through_a_profile_keep_its_corners_sharp() -> None:
    """The two corners stay sharp, and the curve stays within the tolerance."""
    points = points_through(kettle_profile(), 0.1)
    assert points.sharp.sum() == 2
    start, end = points.tangents or (None, None)
    again = interpolate_points(points.places, points.sharp, start_tangent=start, end_tangent=end)
    assert largest_distance(kettle_profile(), again) <= 0.11


def test_straight_points_stay_within_the_chord() -> None:
    """As many chords as the sagitta asks for, at most two more."""
    circle = make_circle([0, 0], 50)
    points = points_straight(circle, 0.1)
    # The sagitta of a chord over the angle a is r (1 - cos(a / 2)); so many chords are needed at least.
    least = np.ceil(np.pi / np.arccos(1 - 0.1 / 50))
    assert least <= len(points.places) - 1 <= least + 2
    assert largest_distance(circle, make_polyline(points.places)) <= 0.1


def test_pulling_points_come_within_the_tolerance() -> None:
    """The spline pulled by the points keeps the tolerance."""
    points = points_pulling(kettle_profile(), 3, 0.05)
    assert largest_distance(kettle_profile(), pulled_curve(points.places, 3, sharp=points.sharp)) <= 0.055


def test_even_points_share_the_length_and_meet_corners() -> None:
    """Steps are equal and corners are met; too few points are refused."""
    rectangle = make_rectangle(40, 20)
    points = even_points(rectangle, 24)
    assert len(points.places) == 25
    assert points.sharp.sum() == 4
    steps = np.linalg.norm(np.diff(points.places, axis=0), axis=1)
    assert steps == pytest.approx(np.full(24, 5.0), rel=1e-9)
    with pytest.raises(InvalidInput, match="5 or more"):
        even_points(rectangle, 3)


def test_even_points_of_a_curve_are_evenly_far_along_it() -> None:
    """Arc lengths at the points are equally apart."""
    curve = interpolate_points([[0, 0, 0], [10, 30, 0], [40, 30, 5], [60, 0, 0]])
    points = even_points(curve, 12)
    arc = measure_length(curve)
    along = arc.at_params(closest_params(curve, points.places)[0])
    assert along == pytest.approx(np.linspace(0, arc.length, 13), rel=1e-7, abs=1e-7)


@settings(max_examples=40)
@given(st.integers(0, 10_000), st.integers(2, 5), st.floats(0.06, 0.94))
def test_removing_an_inserted_knot_gives_the_curve_back(seed: int, degree: int, param: float) -> None:
    """A knot put in comes out without a change of control points."""
    curve = random_curve(np.random.default_rng(seed), degree, degree + 4)
    back = remove_knot(insert_knots(curve, [param]), param, 1e-6)
    assert back is not None
    assert back.control_points == pytest.approx(curve.control_points, abs=1e-6)
    assert back.knots.tolist() == curve.knots.tolist()


def test_a_knot_that_shapes_the_curve_is_not_removed() -> None:
    """A knot that shapes the curve stays, and one at an end is refused."""
    curve = random_curve(np.random.default_rng(3), 3, 7)
    assert remove_knot(curve, float(curve.breaks[1]), 1e-3) is None
    with pytest.raises(InvalidInput):
        remove_knot(curve, 0.0, 1)


def test_a_loose_tolerance_lets_a_knot_go_and_is_kept() -> None:
    """The change by removing keeps the tolerance that was given."""
    rng = np.random.default_rng(8)
    plain = random_curve(rng, 3, 6, rational=False)
    param = (plain.breaks[1] + plain.breaks[2]) / 2
    full = insert_knots(plain, [param])
    nudged = NurbsCurve(3, full.knots, full.control_points + rng.normal(size=full.control_points.shape) * 1e-3, full.weights)
    shorter = remove_knot(nudged, float(param), 0.01)
    assert shorter is not None
    t = np.linspace(0, 1, 301)
    assert np.linalg.norm(curve_points(shorter, t) - curve_points(nudged, t), axis=1).max() <= 0.01  # equation 5.30


def test_knot_insertion_moves_control_points_by_the_ratios_of_the_book() -> None:
    # The NURBS Book, equations 5.11 and 5.15 (example 5.1's knots, from memory): Q_i = a_i P_i + (1 - a_i) P_{i-1}.
    """Control points after insertion follow the equation's shares."""
    knots = np.array([0, 0, 0, 0, 1, 2, 3, 4, 5, 5, 5, 5.0])
    control = np.random.default_rng(0).normal(size=(8, 3))
    after = insert_knots(NurbsCurve(3, knots, control, np.ones(8)), [2.5]).control_points
    shares = {3: 5 / 6, 4: 1 / 2, 5: 1 / 6}
    for i, share in shares.items():
        assert after[i] == pytest.approx(share * control[i] + (1 - share) * control[i - 1], abs=1e-14)
    assert after[:3] == pytest.approx(control[:3])
    assert after[6:] == pytest.approx(control[5:])


def test_raising_a_bezier_follows_equation_5_36_of_the_book() -> None:
    """Raised control points are the mixed ones of the equation."""
    control = np.random.default_rng(0).normal(size=(4, 3))
    raised = elevate_degree(NurbsCurve(3, np.repeat([0.0, 1.0], 4), control, np.ones(4)), 4).control_points
    for i in range(1, 4):
        assert raised[i] == pytest.approx((1 - i / 4) * control[i] + i / 4 * control[i - 1], abs=1e-14)
