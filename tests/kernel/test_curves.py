"""Curves: evaluation, editing, arc length, lines and arcs."""

from itertools import pairwise

import numpy as np
import pytest
from geomdl import NURBS, operations
from scipy.special import ellipe

from glass_spoon.kernel.curves.alter.edit_knots import (
    bezier_pieces,
    cut_curve,
    elevate_degree,
    insert_knots,
    join_curves,
    reverse_curve,
    split_curve,
    trim_curve,
)
from glass_spoon.kernel.curves.evaluate import evaluate_curve
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve, make_curve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import (
    curve_curvature,
    curve_derivatives,
    curve_points,
    curve_tangents,
    find_kinks,
)
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.errors import InvalidInput
from tests.zoo import TURN, random_curve

PARAMS = np.linspace(0, 1, 41)


def as_geomdl(curve):
    peer = NURBS.Curve()
    peer.degree = curve.degree
    peer.ctrlptsw = curve.homogeneous.tolist()
    peer.knotvector = curve.knots.tolist()
    return peer


@pytest.mark.parametrize("degree", [1, 2, 3, 5])
def test_derivatives_agree_with_geomdl(degree):
    """Points and derivatives up to the third are those of geomdl."""
    curve = random_curve(np.random.default_rng(degree), degree, degree + 6)
    order = min(degree, 3)
    ours = curve_derivatives(curve, PARAMS[:-1], order)
    theirs = np.array([as_geomdl(curve).derivatives(float(t), order) for t in PARAMS[:-1]]).transpose(1, 0, 2)
    for k in range(order + 1):
        assert np.allclose(ours[k], theirs[k], rtol=1e-9, atol=1e-10 * np.abs(theirs[k]).max())


def test_circle_is_exact():
    """Every point of the arc lies at the radius, and its curvature is one over it."""
    circle = make_arc([1, 2, 3], [5, 0, 0], [0, 5, 0], 0.3, 0.3 + TURN)
    points = curve_points(circle, PARAMS)
    assert np.allclose(np.linalg.norm(points - [1, 2, 3], axis=1), 5, rtol=1e-14)
    assert np.allclose(curve_curvature(circle, PARAMS), 0.2, rtol=1e-11)
    assert circle.is_closed(0.0)


def test_arc_starts_and_ends_at_its_angles():
    """A third of a turn runs from angle to angle."""
    arc = make_arc([0, 0, 0], [2, 0, 0], [0, 2, 0], 0.5, 0.5 + TURN / 3)
    ends = curve_points(arc, np.array([0.0, 1.0]))
    angles = np.array([0.5, 0.5 + TURN / 3])
    assert np.allclose(ends[:, :2], 2 * np.column_stack((np.cos(angles), np.sin(angles))), atol=1e-14)


@pytest.mark.parametrize("degree", [2, 3, 4])
def test_knot_insertion_keeps_the_curve(degree):
    """Inserting knots, repeats included, moves no point."""
    curve = random_curve(np.random.default_rng(7), degree, degree + 5)
    finer = insert_knots(curve, [0.31, 0.31, 0.6])
    assert np.allclose(curve_points(finer, PARAMS), curve_points(curve, PARAMS), atol=1e-12)
    assert len(finer.control_points) == len(curve.control_points) + 3


def test_knot_insertion_agrees_with_geomdl():
    """The new control points are those of geomdl's insertion (A5.1)."""
    curve = random_curve(np.random.default_rng(3), 3, 7)
    peer = operations.insert_knot(as_geomdl(curve), [0.42], [2])
    ours = insert_knots(curve, [0.42, 0.42])
    assert np.allclose(ours.homogeneous, np.array(peer.ctrlptsw), atol=1e-11)


def test_degree_elevation_keeps_the_curve():
    """Degree 2 to 5 moves no point, and knots keep their continuity."""
    curve = random_curve(np.random.default_rng(5), 2, 7)
    raised = elevate_degree(curve, 5)
    assert np.allclose(curve_points(raised, PARAMS), curve_points(curve, PARAMS), atol=1e-11)
    assert raised.degree == 5


def test_elevation_of_a_line_is_known():
    """A line raised to degree 2 gets its middle as control point (The NURBS Book, equation 5.36)."""
    line = make_curve(1, [0, 0, 1, 1], [[0, 0, 0], [4, 2, 0]])
    assert np.allclose(elevate_degree(line, 2).control_points, [[0, 0, 0], [2, 1, 0], [4, 2, 0]])


def test_split_pieces_make_the_curve():
    """Both pieces lie on the curve and meet."""
    curve = random_curve(np.random.default_rng(11), 3, 9)
    left, right = split_curve(curve, 0.4)
    assert np.allclose(curve_points(left, PARAMS * 0.4), curve_points(curve, PARAMS * 0.4), atol=1e-12)
    after = 0.4 + PARAMS * 0.6
    assert np.allclose(curve_points(right, after), curve_points(curve, after), atol=1e-12)


@pytest.mark.parametrize("cuts", [[0.4], [0.2, 0.25, 0.9], [1 / 3, 0.5]])
def test_pieces_of_a_cut_curve_make_it(cuts):
    """Cut anywhere, at its knots too, the pieces keep their parameters and lie on the curve."""
    curve = random_curve(np.random.default_rng(12), 3, 8)
    knot = float(curve.knots[5])
    for places in (cuts, sorted({*cuts, knot})):
        pieces = cut_curve(curve, places)
        assert [piece.domain for piece in pieces] == list(pairwise([0.0, *places, 1.0]))
        for piece in pieces:
            at = piece.domain[0] + PARAMS * np.ptp(piece.domain)
            assert np.allclose(curve_points(piece, at), curve_points(curve, at), atol=1e-12)


def test_reverse_is_its_own_inverse():
    """Twice reversed is the same; once runs backwards."""
    curve = random_curve(np.random.default_rng(13), 3, 8)
    back = reverse_curve(curve)
    assert np.allclose(curve_points(back, PARAMS), curve_points(curve, 1 - PARAMS), atol=1e-12)
    assert np.allclose(reverse_curve(back).knots, curve.knots)


def test_joined_pieces_keep_their_shapes():
    """A line and an arc joined pass through both, with a knot of full multiplicity between."""
    line = make_polyline([[-3, 1, 0], [0, 1, 0]])
    arc = make_arc([0, 0, 0], [0, 1, 0], [1, 0, 0], 0, np.pi / 2)
    joined = join_curves([line, arc])
    assert joined.degree == 2
    assert np.allclose(curve_points(joined, np.array([0.0, 3.0, 4.0])), [[-3, 1, 0], [0, 1, 0], [1, 0, 0]], atol=1e-14)
    assert np.count_nonzero(joined.knots == 3.0) == 2


def test_kinks_are_the_corners_only():
    """A line running smoothly into an arc has no kink; an L has one."""
    smooth = join_curves([make_polyline([[-3, 1, 0], [0, 1, 0]]), make_arc([0, 0, 0], [0, 1, 0], [1, 0, 0], 0, np.pi / 2)])
    assert len(find_kinks(smooth, 0.01)) == 0
    assert np.allclose(find_kinks(make_polyline([[0, 0, 0], [2, 0, 0], [2, 3, 0]]), 0.01), [2.0])


def test_tangent_where_the_derivative_vanishes():
    """A doubled end control point still gives the direction."""
    curve = make_curve(3, [0, 0, 0, 0, 1, 1, 1, 1], [[0, 0, 0], [0, 0, 0], [1, 2, 0], [1, 2, 0]])
    expected = np.array([1, 2, 0]) / np.sqrt(5)
    assert np.allclose(curve_tangents(curve, np.array([0.0, 1.0])), [expected, expected], atol=1e-12)


def test_bezier_pieces_cover_the_curve():
    """Ends of the pieces are the points at the breaks."""
    curve = random_curve(np.random.default_rng(17), 3, 9)
    pieces = bezier_pieces(curve)
    ends = np.vstack((pieces[:, 0], pieces[-1:, -1]))
    assert np.allclose(ends[:, :3] / ends[:, 3:], curve_points(curve, curve.breaks), atol=1e-12)


def test_length_of_a_circle_and_an_ellipse():
    """2 pi r, and the complete elliptic integral."""
    assert measure_length(make_arc([0, 0, 0], [3, 0, 0], [0, 3, 0], 0, TURN)).length == pytest.approx(3 * TURN, rel=1e-12)
    ellipse = make_arc([0, 0, 0], [5, 0, 0], [0, 2, 0], 0, TURN)
    assert measure_length(ellipse).length == pytest.approx(4 * 5 * ellipe(1 - 4 / 25), rel=1e-11)


def test_arc_length_inverse():
    """to_params undoes at_params, kinks and uneven speed included."""
    curve = random_curve(np.random.default_rng(19), 3, 12)
    arc = measure_length(curve)
    params = np.linspace(0, 1, 200)
    assert np.allclose(arc.to_params(arc.at_params(params)), params, atol=1e-9)  # the speed nearly vanishes in places


def test_even_lengths_on_a_circle_are_even_angles():
    """Equal lengths of an exact circle are equal angles."""
    circle = make_arc([0, 0, 0], [2, 0, 0], [0, 2, 0], 0, TURN)
    arc = measure_length(circle)
    points = curve_points(circle, arc.to_params(np.linspace(0, arc.length, 13)))
    angles = np.linspace(0, TURN, 13)
    assert np.allclose(points[:, :2], 2 * np.column_stack((np.cos(angles), np.sin(angles))), atol=1e-11)


def test_trim_keeps_parameters():
    """A trimmed piece has the same points at the same parameters."""
    curve = random_curve(np.random.default_rng(23), 3, 9)
    piece = trim_curve(curve, 0.2, 0.7)
    inner = np.linspace(0.2, 0.7, 11)
    assert np.allclose(curve_points(piece, inner), curve_points(curve, inner), atol=1e-12)


@pytest.mark.parametrize(
    ("degree", "knots", "points", "word"),
    [
        (0, [0, 1], [[0, 0, 0]], "degree"),
        (1, [0, 0, 1, 1], [[0, 0, 0], [np.nan, 0, 0]], "finite"),
        (1, [0, 0, 1], [[0, 0, 0], [1, 0, 0]], "knots"),
        (1, [0, 0, 0.5, 0.4, 1, 1], [[0, 0, 0]] * 4, "never fall"),
        (2, [0, 0, 0.2, 1, 1, 1], [[0, 0, 0]] * 3, "clamped"),
    ],
)
def test_bad_curves_are_refused(degree, knots, points, word):
    """The sentence says what was wanted."""
    with pytest.raises(InvalidInput, match=word):
        make_curve(degree, knots, points)


@pytest.mark.parametrize("rational", [True, False])
def test_legs_of_the_net_are_the_tangents_on_both_sides_of_a_full_knot(rational):
    """As the derivatives of the pieces say (The NURBS Book, equation 4.11)."""
    rng = np.random.default_rng(11)
    for degree in (1, 2, 3, 5):
        knots = np.concatenate((np.zeros(degree + 1), np.full(degree, 0.3), np.full(degree, 0.6), np.ones(degree + 1)))
        count = len(knots) - degree - 1
        weights = rng.uniform(0.3, 3.0, count) if rational else np.ones(count)
        curve = NurbsCurve(degree, knots, rng.normal(size=(count, 3)) * 20, weights)
        found = evaluate_curve.tangent_sides(curve, np.array([0.3, 0.6]))
        for own, other in zip(found, evaluate_curve.one_sided_tangents(curve, np.array([0.3, 0.6])), strict=True):
            assert np.allclose(own, other, atol=1e-12)


def test_a_plain_curve_has_the_points_of_the_rational_formula():
    """Weights of one are left out of the arithmetic, not of the result."""
    rng = np.random.default_rng(5)
    knots = np.concatenate((np.zeros(4), [0.2, 0.5, 0.5, 0.8], np.ones(4)))
    curve = NurbsCurve(3, knots, rng.normal(size=(8, 3)) * 50, np.ones(8))
    heavy = NurbsCurve(3, knots, curve.control_points, np.full(8, 2.0))
    params = np.linspace(0, 1, 101)
    own, other = (evaluate_curve.curve_derivatives(one, params, 3) for one in (curve, heavy))
    assert np.allclose(own, other, rtol=1e-12, atol=1e-9)
