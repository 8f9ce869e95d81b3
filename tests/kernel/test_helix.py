"""Helices and spirals against their formulas."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import quad

from glass_spoon.kernel.curves.alter.refit_curve import even_points
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import (
    curve_curvature,
    curve_derivatives,
    curve_points,
    curve_tangents,
)
from glass_spoon.kernel.curves.make.helix import (
    HelixShape,
    carry_frame,
    helix_around,
    make_helix,
    make_spiral,
    pitch_for_height,
)
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.errors import InvalidInput


def torsion(curve: NurbsCurve, params: np.ndarray) -> np.ndarray:
    """Return det(C', C'', C''') / |C' x C''|^2 (do Carmo, section 1-5)."""
    d = curve_derivatives(curve, params, 3)
    normal = np.cross(d[1], d[2])
    return np.einsum("ij,ij->i", normal, d[3]) / np.einsum("ij,ij->i", normal, normal)


@settings(max_examples=25)
@given(st.floats(1, 60), st.floats(0.5, 40), st.floats(0.2, 6), st.sampled_from([1, -1]))
def test_length_curvature_and_torsion_follow_the_formulas(radius: float, pitch: float, turns: float, hand: int) -> None:
    """Length, curvature and torsion over random radii, pitches, turns and both hands."""
    curve = make_helix(HelixShape((radius, radius), turns, pitch, hand)).curve
    rise = pitch / (2 * np.pi)
    square = radius**2 + rise**2
    assert measure_length(curve).length == pytest.approx(2 * np.pi * turns * np.sqrt(square), rel=1e-6)  # fitted to 1e-6 mm
    params = np.linspace(*curve.domain, 41)[1:-1] + 1e-4
    assert np.abs(curve_curvature(curve, params) * square / radius - 1).max() < 2e-3  # second derivatives of a fit
    assert np.abs(torsion(curve, params) * square / (rise * hand) - 1).max() < 0.1  # third derivatives of a fit


def test_every_place_lies_on_the_cylinder_within_the_tolerance() -> None:
    """Places between those of the fit keep the tolerance, and the end lies at its height."""
    fit = make_helix(HelixShape((25, 25), 5, 8), tolerance=1e-6)
    points = curve_points(fit.curve, np.linspace(*fit.curve.domain, 4001))
    assert np.abs(np.hypot(points[:, 0], points[:, 1]) - 25).max() < 1.5e-6  # looked at in other places than the fit was
    assert fit.largest <= 1e-6
    assert points[-1] == pytest.approx([25, 0, 40], abs=1e-9)


def test_hand_and_start_angle_turn_the_right_way() -> None:
    """A left-handed quarter turn from 90° goes from y to x and rises."""
    left = curve_points(make_helix(HelixShape((10, 10), 0.25, 4, -1, np.pi / 2)).curve, np.array([0.0, np.pi / 2]))
    assert left[0] == pytest.approx([0, 10, 0], abs=1e-9)
    assert left[1] == pytest.approx([10, 0, 1], abs=1e-9)


def test_eased_ends_lie_level_and_take_half_a_pitch_a_turn() -> None:
    """The eased turns lose half a pitch each, ends lie level, and it rises all the way."""
    shape = HelixShape((20, 20), 6, 10, ease=(1, 1.5))
    curve = make_helix(shape).curve
    points = curve_points(curve, np.array(curve.domain))
    assert points[1, 2] == pytest.approx(10 * (6 - 1.25), abs=1e-9)
    assert np.abs(curve_tangents(curve, np.array(curve.domain))[:, 2]).max() < 1e-6
    assert pitch_for_height(shape.height, 6, (1, 1.5)) == pytest.approx(10)
    heights = curve_points(curve, np.linspace(*curve.domain, 2001))[:, 2]
    assert (np.diff(heights) > -1e-9).all()


def test_ends_that_run_out_start_on_the_core() -> None:
    """Both ends lie on the core's radius and the middle on the ridge's."""
    curve = make_helix(HelixShape((12, 12), 4, 2, run_out=(0.5, 0.75), core=10)).curve
    ends = curve_points(curve, np.array(curve.domain))
    assert np.hypot(ends[:, 0], ends[:, 1]) == pytest.approx([10, 10], abs=1e-9)
    middle = curve_points(curve, np.array([2 * 2 * np.pi]))
    assert np.hypot(middle[:, 0], middle[:, 1]) == pytest.approx([12], abs=1e-6)


def test_a_thread_takes_sixty_steps_a_turn() -> None:
    # Common practice, no source: some 60 segments a turn, so two turns are 120 + 1 points.
    """Two turns at sixty steps give 121 evenly spaced places."""
    points = even_points(make_helix(HelixShape((4, 4), 2, 1.25)).curve, 120).places
    assert len(points) == 121
    steps = np.linalg.norm(np.diff(points, axis=0), axis=1)
    assert np.ptp(steps) < 1e-6


def test_a_spiral_has_the_length_of_archimedes_formula() -> None:
    """The arc length of r = a t by its closed form; the spiral is flat."""
    curve = make_spiral(0, 30, 3).curve
    a, end = 30 / (6 * np.pi), 6 * np.pi
    exact = a / 2 * (end * np.sqrt(1 + end**2) + np.arcsinh(end))
    assert measure_length(curve).length == pytest.approx(exact, rel=1e-7)  # fitted to 1e-6 mm
    assert np.ptp(curve.control_points[:, 2]) == 0


def test_a_helix_around_a_line_is_the_plain_helix() -> None:
    """Around a straight line it has the plain helix's radius and length."""
    fit = helix_around(make_polyline([[0, 0, 0], [0, 0, 20]]), (5, 5), 2)
    points = curve_points(fit.curve, np.linspace(*fit.curve.domain, 301))
    assert np.abs(np.hypot(points[:, 0], points[:, 1]) - 5).max() < 2e-4
    assert measure_length(fit.curve).length == pytest.approx(np.hypot(20, 2 * 2 * np.pi * 5), rel=1e-6)


def test_a_helix_around_a_ring_keeps_its_distance() -> None:
    """Around a circle every point keeps its distance to the circle."""
    ring = make_arc([0, 0, 0], [50, 0, 0], [0, 50, 0], 0, 2 * np.pi)
    points = curve_points(helix_around(ring, (6, 6), 12).curve, np.linspace(0, 1, 997))
    from_ring = np.hypot(np.hypot(points[:, 0], points[:, 1]) - 50, points[:, 2])
    assert np.abs(from_ring - 6).max() < 3e-4


def test_a_carried_frame_stays_square_and_does_not_twist_in_a_plane() -> None:
    """Axis and side stay square to the path, and the axis stays square to the plane."""
    ring = make_arc([0, 0, 0], [50, 0, 0], [0, 0, 50], 0, np.pi)
    frame = carry_frame(ring, np.array([0.0, 1.0, 0.0]))
    _, axis, side = frame.at(np.linspace(0, 1, 57))
    assert np.abs(axis - [0, 1, 0]).max() < 1e-12
    assert np.abs(np.einsum("ij,ij->i", axis, side)).max() < 1e-12


@pytest.mark.parametrize(
    "shape",
    [HelixShape((5, 5), 0, 1), HelixShape((-1, 5), 2, 1), HelixShape((5, 5), 2, 1, ease=(1.5, 1)), HelixShape((0, 0), 2, 1)],
)
def test_what_is_no_helix_is_refused(shape: HelixShape) -> None:
    """Shapes without turns, pitch or radius are refused."""
    with pytest.raises(InvalidInput):
        make_helix(shape)


def test_a_helix_around_a_sharp_path_is_refused() -> None:
    """A path with a corner is refused by its sharp points."""
    with pytest.raises(InvalidInput, match="sharp points"):
        helix_around(make_polyline([[0, 0, 0], [10, 0, 0], [10, 10, 0]]), (2, 2), 3)


def test_a_frame_carried_along_a_twisted_cubic_turns_back_by_its_torsion() -> None:
    """Exact: the angle to the Frenet frame is the integral of the torsion, for (t, t^2, t^3) of 3 / (9 t^4 + 9 t^2 + 1)."""
    curve = NurbsCurve(3, np.repeat([0.0, 1.0], 4), np.array([[0, 0, 0], [1, 0, 0], [2, 1, 0], [3, 3, 3]]) / 3, np.ones(4))
    params = np.array([1e-9, 1 - 1e-9])
    d = curve_derivatives(curve, params, 2)
    binormal = np.cross(d[1], d[2])
    normal = np.cross(binormal, d[1])
    _, axis, second = carry_frame(curve).at(params)
    turn = np.arctan2(np.einsum("ij,ij->i", normal, second), np.einsum("ij,ij->i", normal, axis))
    exact = quad(lambda t: 3 / (9 * t**4 + 9 * t**2 + 1) * np.sqrt(1 + 4 * t**2 + 9 * t**4), 0, 1)[0]
    assert turn[1] - turn[0] == pytest.approx(exact, abs=1e-6)  # fourth order in the steps of the carried frame
