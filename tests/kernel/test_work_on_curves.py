"""Placing, trimming, joining, blending and offsetting curves."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from glass_spoon.kernel.curves.alter.edit_knots import join_curves
from glass_spoon.kernel.curves.alter.offset_curve import offset_curve
from glass_spoon.kernel.curves.alter.place_curve import (
    flattening,
    mirroring,
    moving,
    place_curve,
    scaling,
    turning,
)
from glass_spoon.kernel.curves.alter.work_on_ends import (
    blend_ends,
    chamfer_corners,
    extend_curve,
    extend_to,
    join_ends,
    trim_to,
)
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params, span_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points, find_kinks
from glass_spoon.kernel.curves.make.flat_shapes import make_circle, make_rectangle, make_star
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.curves.read.cross_curves import find_crossings, self_crossings
from glass_spoon.kernel.curves.read.read_curve import JoinTolerances, read_join
from glass_spoon.kernel.errors import InvalidInput, KernelError, RadiusTooLarge
from tests.zoo import kettle_profile, random_curve

UP = [0.0, 0.0, 1.0]
FRONT = [0.0, -1.0, 0.0]


def polygon_of(curve: NurbsCurve, per_span: int = 400) -> shapely.Polygon:
    """Return a closed curve as shapely's polygon of many points."""
    return shapely.Polygon(curve_points(curve, span_params(curve, per_span))[:, :2])


@given(st.integers(0, 10_000), st.floats(-6, 6))
def test_placing_moves_points_and_not_parameters(seed: int, angle: float) -> None:
    """Moved, turned and scaled points are those of the placed curve, with its length."""
    rng = np.random.default_rng(seed)
    curve = random_curve(rng, 3, 8)
    placement = turning([1, 2, 3], rng.normal(size=3), angle).then(moving([4, 5, 6])).then(scaling([0, 0, 0], [2, 2, 2]))
    params = np.linspace(0, 1, 17)
    assert (
        np.abs(curve_points(place_curve(curve, placement), params) - placement.apply(curve_points(curve, params))).max()
        < 1e-9
    )
    assert measure_length(place_curve(curve, placement)).length == pytest.approx(2 * measure_length(curve).length, rel=1e-9)


def test_a_quarter_turn_about_the_upright_axis_takes_x_to_y() -> None:
    """The upright axis turns x into y."""
    assert turning([0, 0, 0], UP, np.pi / 2).apply(np.array([1.0, 0, 0])) == pytest.approx([0, 1, 0], abs=1e-15)


def test_mirroring_twice_gives_the_curve_back() -> None:
    """A mirror is its own inverse."""
    mirror = mirroring([3, 0, 0], [1, 1, 0])
    points = np.random.default_rng(1).normal(size=(20, 3))
    assert mirror.apply(mirror.apply(points)) == pytest.approx(points, abs=1e-14)


def test_flattening_along_a_slanted_direction_lands_on_the_plane() -> None:
    """The slanted ray meets the plane; one along it is refused."""
    flat = flattening([0, 0, 5], UP, [1, 0, 1]).apply(np.array([[2.0, 3, 9]]))
    assert flat[0] == pytest.approx([-2, 3, 5])
    with pytest.raises(InvalidInput, match="across the plane"):
        flattening([0, 0, 0], UP, [1, 0, 0])


@settings(max_examples=40)
@given(st.integers(0, 10_000))
def test_the_closest_place_is_as_near_as_any_of_many_samples(seed: int) -> None:
    """No sample of three thousand a span is nearer."""
    rng = np.random.default_rng(seed)
    curve, points = random_curve(rng, 1 + seed % 3, 9), rng.normal(size=(12, 3)) * 12
    dense = curve_points(curve, span_params(curve, 3000))
    slow = np.sqrt(((dense[None] - points[:, None]) ** 2).sum(axis=2)).min(axis=1)
    found = closest_params(curve, points)
    assert (found[1] <= slow + 1e-9).all()
    assert found[1] == pytest.approx(slow, abs=2e-2)  # samples come no nearer
    assert np.linalg.norm(curve_points(curve, found[0]) - points, axis=1) == pytest.approx(found[1], abs=1e-12)


@pytest.mark.parametrize(("seed", "degree", "rational"), [(183, 3, False), (225, 2, True)])
def test_places_of_a_curve_with_a_near_cusp_are_found_on_it(seed: int, degree: int, rational: bool) -> None:
    # Such a turn hides between two evenly spread samples.
    """Two recorded curves with a near cusp are found all along."""
    curve = random_curve(np.random.default_rng(seed), degree, degree + 4, rational)
    curve = place_curve(curve, flattening([0, 0, 0], UP, UP))
    assert closest_params(curve, curve_points(curve, np.linspace(0, 1, 400)))[1].max() < 1e-9


def test_two_circles_cross_where_the_formula_says() -> None:
    """Two circles of 5 mm, 6 mm apart, cross at 3, ±4."""
    s, t = find_crossings(make_circle([0, 0], 5), make_circle([6, 0], 5))
    places = curve_points(make_circle([0, 0], 5), s)
    assert sorted(places[:, 1].tolist()) == pytest.approx([-4, 4], abs=1e-9)
    assert places[:, 0] == pytest.approx([3, 3], abs=1e-9)
    assert len(t) == 2


def test_circles_apart_do_not_cross() -> None:
    """Circles apart give no crossing."""
    assert not len(find_crossings(make_circle([0, 0], 5), make_circle([11, 0], 5))[0])


def test_a_figure_of_eight_crosses_itself_once() -> None:
    """One crossing, at one place by both parameters."""
    eight = interpolate_points(
        [[0, 0, 0], [10, 8, 0], [20, 0, 0], [10, -8, 0], [0, 0.5, 0], [-10, 8, 0], [-20, 0, 0], [-10, -8, 0]], closed=True
    )
    s, t = self_crossings(eight)
    assert len(s) == 1
    assert curve_points(eight, s) == pytest.approx(curve_points(eight, t), abs=1e-6)


def test_a_closed_curve_does_not_cross_itself_at_its_seam() -> None:
    """Start and end of a closed curve are no crossing."""
    assert not len(self_crossings(make_circle([0, 0], 5))[0])


def test_trimming_keeps_the_piece_asked_for() -> None:
    """Start, middle and end of a line cut by a circle."""
    line = make_polyline([[-10, 0, 0], [10, 0, 0]])
    circle = make_circle([0, 0], 4)
    for keep, ends in (("start", (-10, -4)), ("middle", (-4, 4)), ("end", (4, 10))):
        piece = trim_to(line, circle, keep)  # type: ignore[arg-type]
        assert piece.control_points[[0, -1], 0] == pytest.approx(ends, abs=1e-9)


def test_trimming_to_a_curve_that_is_not_met_says_so() -> None:
    """Curves that do not meet are refused in words."""
    with pytest.raises(KernelError, match="meet nowhere"):
        trim_to(make_polyline([[0, 9, 0], [10, 9, 0]]), make_circle([0, 0], 4), "start")


def test_a_straight_extension_is_as_long_as_asked_and_smooth() -> None:
    """Length grows by the amount and no kink appears."""
    curve = interpolate_points([[0, 0, 0], [10, 5, 0], [20, 0, 0]])
    for end in ("start", "end"):
        longer = extend_curve(curve, end, 7.5)  # type: ignore[arg-type]
        assert measure_length(longer).length == pytest.approx(measure_length(curve).length + 7.5, rel=1e-9)
        assert not len(find_kinks(longer, 1e-6))


def test_a_round_extension_of_a_quarter_circle_stays_on_it() -> None:
    """A round end goes on along the same circle."""
    quarter = make_arc([0, 0, 0], [10, 0, 0], [0, 10, 0], 0, np.pi / 2)
    longer = extend_curve(quarter, "end", 10 * np.pi / 2, "round")
    points = curve_points(longer, np.linspace(*longer.domain, 51))
    assert np.hypot(points[:, 0], points[:, 1]) == pytest.approx(np.full(51, 10), abs=1e-9)
    assert points[-1] == pytest.approx([-10, 0, 0], abs=1e-9)


def test_extending_to_a_curve_ends_on_it() -> None:
    """Straight and round ends reach the wall without a kink; none to meet is told."""
    wall = make_polyline([[30, -50, 0], [30, 50, 0]])
    for way in ("straight", "round"):
        curve = make_arc([0, 0, 0], [0, -25, 0], [25, 0, 0], 0, 0.5)
        if way == "round":
            wall = make_polyline([[20, -50, 0], [20, 50, 0]])
        longer = extend_to(curve, wall, "end", way)  # type: ignore[arg-type]
        assert longer.control_points[-1, 0] == pytest.approx(wall.control_points[0, 0], abs=1e-6)
        assert not len(find_kinks(longer, 1e-6))
    with pytest.raises(KernelError, match="never meets"):
        extend_to(make_polyline([[0, 0, 0], [1, 0, 0]]), make_circle([-50, 0], 3), "end")


def test_extending_the_start_leaves_the_end_alone() -> None:
    """Only the asked end moves."""
    curve = interpolate_points([[0, 0, 0], [10, 5, 0], [20, 0, 0]])
    longer = extend_to(curve, make_polyline([[-9, -50, 0], [-9, 50, 0]]), "start")
    assert longer.control_points[0, 0] == pytest.approx(-9, abs=1e-6)
    assert longer.control_points[-1] == pytest.approx([20, 0, 0])


@settings(max_examples=40)
@given(st.integers(0, 10_000), st.sampled_from([0, 1, 2]), st.floats(0.2, 2), st.floats(0.2, 2))
def test_a_blend_meets_both_ends_as_smoothly_as_asked(seed: int, grade: int, a: float, b: float) -> None:
    """The join is read as at least the grade asked for."""
    rng = np.random.default_rng(seed)
    first, second = random_curve(rng, 3, 7), random_curve(rng, 4, 8)
    blend = blend_ends(first, "end", second, "start", grade, (a, b))
    tolerances = JoinTolerances(1e-9, 1e-7, 1e-6)
    for report in (
        read_join(first, "end", blend, "start", tolerances),
        read_join(blend, "end", second, "start", tolerances),
    ):
        assert int(report.grade[1]) >= grade


def test_the_join_report_tells_the_grades_apart() -> None:
    """G0, G1, G2 and apart are each told for a joint made so."""
    line, tolerances = make_polyline([[-10, 0, 0], [0, 0, 0]]), JoinTolerances()
    arc = make_arc([0, 5, 0], [0, -5, 0], [5, 0, 0], 0, 1)
    tangent = read_join(line, "end", arc, "start", tolerances)
    assert (tangent.grade, tangent.jump) == ("G1", pytest.approx(0.2))
    assert read_join(line, "end", make_polyline([[0, 0, 0], [0, 9, 0]]), "start", tolerances).angle == pytest.approx(
        np.pi / 2
    )
    assert read_join(line, "end", make_polyline([[0, 0, 0], [9, 0, 0]]), "start", tolerances).grade == "G2"
    assert read_join(line, "end", make_polyline([[0.5, 0, 0], [9, 0, 0]]), "start", tolerances).grade == ""


@pytest.mark.parametrize(
    ("way", "meets"), [("first moves", [0, 2, 0]), ("second moves", [0, 0, 0]), ("both meet halfway", [0, 1, 0])]
)
def test_joining_moves_only_the_end_that_may_move(way: str, meets: list[float]) -> None:
    """Control points of the other end are untouched, and they meet as asked."""
    first = interpolate_points([[-20, 0, 0], [-10, 3, 0], [0, 0, 0]])
    second = interpolate_points([[0, 2, 0], [10, 3, 0], [20, 2, 0]])
    joined = join_ends(first, second, way, 1e-3).curve  # type: ignore[arg-type]
    for point in np.vstack((first.control_points[:-1], second.control_points[1:])):
        assert np.abs(joined.control_points - point).max(axis=1).min() < 1e-12
    assert np.abs(joined.control_points - meets).max(axis=1).min() < 1e-12


def test_joining_with_a_blend_moves_neither_curve() -> None:
    """A blend is smooth, and both outer ends stay."""
    first, second = make_polyline([[-20, 0, 0], [0, 0, 0]]), make_polyline([[30, 9, 0], [10, 9, 0]])
    joined = join_ends(first, second, "a blend between", 1e-3).curve
    assert not len(find_kinks(joined, 1e-6))
    assert joined.control_points[[0, -1]].tolist() == [[-20, 0, 0], [30, 9, 0]]


def test_two_arcs_about_one_middle_are_joined_as_said_and_a_choice_is_told() -> None:
    """Both ends of the arcs are 10 mm apart: a straight line closes the half ring, whose length a formula gives."""
    outer, inner = (make_arc([0, 0, 0], [radius, 0, 0], [0, radius, 0], 0, np.pi) for radius in (30, 20))
    free = join_ends(outer, inner, "a line between", 1e-3)
    assert (free.is_a_choice, free.gap) == (True, pytest.approx(10))
    said = join_ends(outer, inner, "a line between", 1e-3, "start", "start")
    assert not said.is_a_choice
    assert said.curve.control_points[[0, -1]] == pytest.approx(np.array([[-30, 0, 0], [-20, 0, 0]]), abs=1e-9)
    assert measure_length(said.curve).length == pytest.approx(50 * np.pi + 10)
    assert said.curve.weights is not None  # the arcs stay exact


def test_a_chamfer_cuts_each_corner_by_its_setback() -> None:
    """Area falls by a triangle a corner; single corners can be cut alone."""
    square = make_rectangle(20, 20)
    cut = chamfer_corners(square, 3)
    assert polygon_of(cut, 1).area == pytest.approx(400 - 4 * 3 * 3 / 2, rel=1e-12)
    one = chamfer_corners(square, [3, 0, 0, 0])
    assert polygon_of(one, 1).area == pytest.approx(400 - 4.5, rel=1e-12)
    assert np.abs(one.control_points - [7, 10, 0]).max(axis=1).min() < 1e-9


def test_a_chamfer_that_does_not_fit_names_the_largest_that_does() -> None:
    """The refusal names half of the shorter side."""
    with pytest.raises(RadiusTooLarge) as caught:
        chamfer_corners(make_rectangle(20, 10), 6)
    assert caught.value.largest == pytest.approx(5)


def test_a_chamfer_keeps_a_curved_profile_elsewhere() -> None:
    """Both corners are cut, and the rest stays near."""
    cut = chamfer_corners(kettle_profile(), 4)
    assert len(find_kinks(cut, 0.01)) == 4
    assert closest_params(kettle_profile(), curve_points(cut, np.linspace(*cut.domain, 301)))[1].max() < 4


def test_the_offset_of_a_circle_is_exactly_a_circle() -> None:
    """Inside and outside radii are exact."""
    for distance in (2.0, -3.0):
        points = curve_points(offset_curve(make_circle([0, 0], 10), distance, UP)[0], np.linspace(0, 1, 41))
        assert np.hypot(points[:, 0], points[:, 1]) == pytest.approx(np.full(41, 10 - distance), abs=1e-12)


@pytest.mark.parametrize("corner", ["round", "sharp"])
@pytest.mark.parametrize("distance", [-4.0, 2.5])
def test_offset_areas_agree_with_shapely(corner: str, distance: float) -> None:
    """Shapely's buffers of cornered shapes have the same area."""
    for shape in (make_rectangle(40, 20), make_star(5, 30, 18), make_rectangle(40, 20, 5), make_star(6, 30, 20, 2, 2)):
        ours = offset_curve(shape, distance, UP, corner)  # type: ignore[arg-type]
        style = (
            {"join_style": "round", "quad_segs": 600} if corner == "round" else {"join_style": "mitre", "mitre_limit": 3.8}
        )
        theirs = polygon_of(shape).buffer(-distance, **style)
        assert sum(polygon_of(piece).area for piece in ours) == pytest.approx(theirs.area, rel=3e-5)  # arcs as chords there


@settings(max_examples=15)
@given(st.integers(0, 10_000), st.floats(0.5, 6))
def test_offsets_of_random_closed_curves_agree_with_shapely(seed: int, distance: float) -> None:
    """Shapely's buffers of random closed curves have the same area."""
    rng = np.random.default_rng(seed)
    radii = 20 + 10 * rng.random(7)
    ring = np.linspace(0, 2 * np.pi, 7, endpoint=False)
    points = np.column_stack((radii * np.cos(ring), radii * np.sin(ring), np.zeros(7)))
    shape = interpolate_points(points, closed=True)
    ours = offset_curve(shape, distance, UP)
    theirs = polygon_of(shape).buffer(-distance, quad_segs=300)
    assert sum(polygon_of(piece, 60).area for piece in ours) == pytest.approx(theirs.area, rel=1e-4)  # chords on both sides


def test_an_offset_that_falls_apart_gives_both_parts() -> None:
    """A waist narrower than the offset gives two curves."""
    dumbbell = interpolate_points(
        [[-30, 12, 0], [-42, 0, 0], [-30, -12, 0], [0, -2, 0], [30, -12, 0], [42, 0, 0], [30, 12, 0], [0, 2, 0]], closed=True
    )
    parts = offset_curve(dumbbell, 3.0, UP)
    assert len(parts) == 2
    assert polygon_of(dumbbell).buffer(-3).geom_type == "MultiPolygon"


def test_an_open_offset_keeps_its_distance_all_along() -> None:
    """All along the profile the distance is kept."""
    offset = offset_curve(kettle_profile(), 1.5, FRONT, tolerance=1e-5)[0]
    distance = closest_params(kettle_profile(), curve_points(offset, np.linspace(*offset.domain, 501)[1:-1]))[1]
    assert distance.min() > 1.5 - 2e-3  # the slack of the cleaning
    assert distance.max() < 1.5 + 1e-4


def test_an_offset_larger_than_the_shape_leaves_nothing() -> None:
    """An offset beyond the radius says that nothing is left."""
    with pytest.raises(KernelError, match="nothing"):
        offset_curve(make_circle([0, 0], 10), 11, UP)


def test_an_offset_of_a_space_curve_is_refused() -> None:
    """A curve out of its plane has no offset side."""
    with pytest.raises(InvalidInput, match="flat"):
        offset_curve(interpolate_points([[0, 0, 0], [5, 5, 5], [9, 0, 2]]), 1, UP)


def test_joined_pieces_run_on() -> None:
    """Two lines end to end become one of both lengths."""
    pieces = [make_polyline([[0, 0, 0], [5, 0, 0]]), make_polyline([[5, 0, 0], [5, 5, 0]])]
    assert measure_length(join_curves(pieces)).length == pytest.approx(10)
