"""Plane shapes against their closed forms."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.closest_on_curve import span_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_curvature, curve_points, find_kinks
from glass_spoon.kernel.curves.make.flat_shapes import (
    arc_by_bulge,
    bulge_from_tangent,
    bulge_through,
    make_circle,
    make_conic,
    make_elliptic_arc,
    make_polygon,
    make_rectangle,
    make_slot,
    make_star,
    polyline_with_bulges,
    sharp_star_radii,
)
from glass_spoon.kernel.errors import InvalidInput, RadiusTooLarge


def area_of(curve: NurbsCurve, places: int = 64) -> float:
    """Return the enclosed area by Gauss quadrature of x dy over every span."""
    from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives

    nodes, weights = np.polynomial.legendre.leggauss(places)
    low, high = curve.breaks[:-1, None], curve.breaks[1:, None]
    values = curve_derivatives(curve, (low + (high - low) * (nodes + 1) / 2).ravel(), 1)
    mass = ((high - low) / 2 * weights).ravel()
    return float(((values[0, :, 0] * values[1, :, 1]) * mass).sum())


def test_a_circle_is_exact_everywhere() -> None:
    """Radius and area hold to the last digits."""
    circle = make_circle([3, -2], 7.5)
    points = curve_points(circle, np.linspace(0, 1, 101))
    assert np.abs(np.hypot(points[:, 0] - 3, points[:, 1] + 2) - 7.5).max() < 1e-13
    assert area_of(circle) == pytest.approx(np.pi * 7.5**2, rel=1e-13)


def test_an_ellipse_satisfies_its_equation_and_has_its_area() -> None:
    """Every point fulfils the equation of the turned ellipse, and the area is pi a b."""
    ellipse = make_elliptic_arc([1, 2], 5, 3, np.radians(30), 0, 2 * np.pi)
    points = curve_points(ellipse, np.linspace(0, 1, 101))[:, :2] - [1, 2]
    turned = points @ np.array([[np.cos(np.pi / 6), -np.sin(np.pi / 6)], [np.sin(np.pi / 6), np.cos(np.pi / 6)]])
    assert np.abs((turned[:, 0] / 5) ** 2 + (turned[:, 1] / 3) ** 2 - 1).max() < 1e-13
    assert area_of(ellipse) == pytest.approx(np.pi * 15, rel=1e-13)


@given(st.floats(-3, 3).filter(lambda b: abs(b) > 1e-3))
def test_a_bulge_gives_the_arc_of_its_angle(bulge: float) -> None:
    # DXF reference, polyline group code 42: the bulge is the tangent of a quarter of the included angle.
    """Curvature and length follow from the angle, and the sign tells the side."""
    arc = arc_by_bulge([0, 0], [10, 0], bulge)
    angle = 4 * np.arctan(abs(bulge))
    radius = 5 / np.sin(angle / 2)
    assert curve_curvature(arc, np.array([0.3]))[0] == pytest.approx(1 / radius, rel=1e-9)
    assert measure_length(arc).length == pytest.approx(radius * angle, rel=1e-9)
    assert np.sign(curve_points(arc, np.array([0.5]))[0, 1]) == -np.sign(bulge)


@given(st.floats(0.1, 6.1), st.floats(0.1, 0.9))
def test_an_arc_through_three_points_passes_the_middle_one(sweep: float, share: float) -> None:
    """The tangent of a quarter of the sweep, with its sign when run backwards."""
    at = np.array([0.0, share * sweep, sweep])
    start, middle, end = np.column_stack((np.cos(at), np.sin(at)))
    assert bulge_through(start, middle, end) == pytest.approx(np.tan(sweep / 4), rel=1e-6)
    assert bulge_through(end, middle, start) == pytest.approx(-np.tan(sweep / 4), rel=1e-6)


def test_three_points_on_a_line_give_a_line_or_are_refused() -> None:
    """The bulge of three points in order is none, out of order an error."""
    assert bulge_through([0, 0], [1, 0], [3, 0]) == 0
    with pytest.raises(InvalidInput):
        bulge_through([0, 0], [5, 0], [3, 0])


def test_a_tangent_arc_leaves_along_its_tangent() -> None:
    # A quarter circle of radius 10 leaves (0, 0) upwards and reaches (10, 10): it turns to the right.
    """The turn to the right of a quarter circle has the bulge of an eighth."""
    assert bulge_from_tangent([0, 0], [0, 1], [10, 10]) == pytest.approx(-np.tan(np.pi / 8), rel=1e-12)


def test_a_rectangle_with_four_radii_has_its_area() -> None:
    """Each corner takes (1 - pi / 4) r², and no kink is left."""
    radii = np.array([1, 2, 3, 4])
    rectangle = make_rectangle(30, 20, radii)
    assert area_of(rectangle) == pytest.approx(600 - (1 - np.pi / 4) * (radii**2).sum(), rel=1e-12)
    assert not len(find_kinks(rectangle, np.radians(0.1)))
    assert rectangle.is_closed(0)


def test_a_rectangle_starts_its_radii_at_the_right_top_corner() -> None:
    """The first radius is the right top one; the left bottom corner stays sharp."""
    points = curve_points(
        make_rectangle(30, 20, [5, 0, 0, 0]), np.linspace(0, 1, 2001) * make_rectangle(30, 20, [5, 0, 0, 0]).domain[1]
    )
    assert np.hypot(*(points[:, :2] - [15, 10]).T).min() == pytest.approx(5 * (np.sqrt(2) - 1), abs=1e-3)  # sampled
    assert np.hypot(*(points[:, :2] - [-15, 10]).T).min() < 0.05  # sampled: this corner is sharp


def test_corner_radii_that_overlap_are_refused_with_the_largest_that_fits() -> None:
    """The error names the largest radius, half of the shorter side."""
    with pytest.raises(RadiusTooLarge) as caught:
        make_rectangle(30, 20, 12)
    assert caught.value.largest == pytest.approx(10)


@pytest.mark.parametrize("sides", [3, 4, 6, 17])
def test_a_polygon_has_the_area_of_its_circles(sides: int) -> None:
    """Regular polygons by their circle through the corners or through the sides."""
    assert area_of(make_polygon(sides, 10)) == pytest.approx(sides / 2 * 100 * np.sin(2 * np.pi / sides), rel=1e-12)
    assert area_of(make_polygon(sides, 10, "sides")) == pytest.approx(sides * 100 * np.tan(np.pi / sides), rel=1e-12)


def test_a_sharp_star_has_the_area_of_its_triangles() -> None:
    """Ten triangles between the two radii give the area."""
    assert area_of(make_star(5, 10, 4)) == pytest.approx(5 * 10 * 4 * np.sin(np.pi / 5), rel=1e-12)


def test_a_rounded_star_has_both_radii_and_no_sharp_point() -> None:
    """Curvatures are those of straight sides and the two roundings alone."""
    star = make_star(7, 40, 25, 2, 3)
    assert not len(find_kinks(star, np.radians(0.1)))
    bends = np.unique(np.round(curve_curvature(star, (span_params(star, 2)[:-1] + span_params(star, 2)[1:]) / 2), 6))
    assert bends == pytest.approx([0, 1 / 3, 1 / 2], abs=1e-6)


def test_a_star_whose_tips_divide_a_ring_gives_whole_steps() -> None:
    # Common practice, no source: a star joined into a ring of quads needs a number of ring points that its tips divide.
    """Sharp points of the tips fall on every fourth of 48 places."""
    from glass_spoon.kernel.curves.alter.refit_curve import even_points

    star = make_star(6, 40, 25)
    assert np.unique(np.diff(np.flatnonzero(even_points(star, 48).sharp))).tolist() == [4]


def test_a_slot_has_its_area_and_tangent_ends() -> None:
    """A straight run and two half circles, without a kink."""
    slot = make_slot(30, 8)
    assert area_of(slot) == pytest.approx(30 * 8 + np.pi * 16, rel=1e-12)
    assert not len(find_kinks(slot, np.radians(0.01)))


@pytest.mark.parametrize(("rho", "kind"), [(0.3, "ellipse"), (0.5, "parabola"), (0.7, "hyperbola")])
def test_a_conic_passes_its_shoulder_and_is_of_its_kind(rho: float, kind: str) -> None:
    """The form of the fitted conic is that of its rho, and the shoulder lies on it."""
    conic = make_conic([0, 0], [5, 8], [12, 0], rho)
    middle = curve_points(conic, np.array([0.5]))[0]
    assert middle[:2] == pytest.approx(np.array([6, 0]) + rho * (np.array([5, 8]) - [6, 0]), rel=1e-12)
    # Five points decide a conic a x^2 + b xy + c y^2 + ...; the sign of b^2 - 4 a c names it.
    x, y, _ = curve_points(conic, np.linspace(0, 1, 5)).T
    rows = np.column_stack((x * x, x * y, y * y, x, y, np.ones(5)))
    a, b, c = np.linalg.svd(rows)[2][-1][:3]
    form = (b * b - 4 * a * c) / (a * a + b * b + c * c)
    assert {"ellipse": form < -1e-6, "parabola": abs(form) < 1e-9, "hyperbola": form > 1e-6}[kind]


def test_quarter_circle_is_the_conic_with_the_weight_of_45_degrees() -> None:
    """The weight of 45° makes the conic a circle to the last digits."""
    weight = np.cos(np.pi / 4)
    conic = make_conic([10, 0], [10, 10], [0, 10], weight / (1 + weight))
    points = curve_points(conic, np.linspace(0, 1, 33))
    assert np.abs(np.hypot(points[:, 0], points[:, 1]) - 10).max() < 1e-13


def test_a_polyline_with_bulges_mixes_lines_and_arcs() -> None:
    """A line and a quarter arc in one curve have their lengths added."""
    curve = polyline_with_bulges([[0, 0], [10, 0], [10, 10]], [0, np.tan(np.pi / 8), 0], closed=False)
    assert measure_length(curve).length == pytest.approx(10 + 10 / np.sqrt(2) * np.pi / 2, rel=1e-12)


@pytest.mark.parametrize(
    ("tips", "outer", "inner", "tip", "root"),
    [
        (8, 60, 45, 2, 2),
        (5, 30, 12, 1, 0),
        (5, 30, 12, 0, 3),
        (6, 30, 27.5, 3, 1),
        (3, 10, 6, 1, 1),
        (12, 0.3, 0.2, 0.01, 0.01),
    ],
)
def test_a_rounded_star_reaches_what_it_is_asked_to(tips: int, outer: float, inner: float, tip: float, root: float) -> None:
    """Its tips touch the outer circle and its roots the inner one; roots stand out where it is nearly a polygon."""
    curve = make_star(tips, *sharp_star_radii(tips, outer, inner, tip, root), tip, root)
    away = lengths(curve_points(curve, np.linspace(*curve.domain, 400_001)))
    assert away.max() == pytest.approx(outer, rel=1e-5)
    at_root = np.pi / 2 + np.pi / tips
    points = curve_points(curve, np.linspace(*curve.domain, 400_001))
    near = np.abs(np.angle(np.exp(1j * (np.arctan2(points[:, 1], points[:, 0]) - at_root)))) < 2e-4
    assert away[near].min() == pytest.approx(inner, rel=1e-5)


def test_a_star_with_no_room_for_its_roundings_says_so() -> None:
    """The error says which roundings do not fit between the radii."""
    with pytest.raises(InvalidInput, match="wide enough for roundings of 20 and 0 mm"):
        sharp_star_radii(40, 30, 29, 20, 0)
