"""SVG drawings out, read back by the reader and by svgelements."""

from __future__ import annotations

import io

import numpy as np
import pytest
import svgelements
from hypothesis import given, settings
from hypothesis import strategies as st

from glass_spoon.formats.named_curve import NamedCurve
from glass_spoon.formats.svg_drawing import write_svg
from glass_spoon.formats.svg_paths import read_svg
from glass_spoon.kernel.curves.alter.place_curve import Placement, place_curve
from glass_spoon.kernel.curves.evaluate.closest_on_curve import largest_distance
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.make.flat_shapes import make_circle, make_conic, make_elliptic_arc, make_rectangle, make_star
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from tests.zoo import kettle_profile, random_curve

RIGHT, UP = np.array([1.0, 0, 0]), np.array([0.0, 1, 0])


def back(curve: NurbsCurve, right: np.ndarray = RIGHT, up: np.ndarray = UP) -> NurbsCurve:
    """Return the curve read back from its drawing, in view coordinates."""
    return read_svg(write_svg([NamedCurve("a", curve)], right, up))[0].curve


@pytest.mark.parametrize(
    "curve",
    [
        make_polyline([[0, 0, 0], [10, 5, 0], [20, 0, 0]]),
        make_circle([3, 4], 12),
        make_rectangle(30, 20, [1, 2, 3, 4]),
        make_star(5, 30, 18, 2, 3),
        make_elliptic_arc([0, 0], 9, 4, 0.4, 0, 2),
        make_conic([0, 0], [5, 8], [12, 0], 0.7),
    ],
)
def test_round_trips_keep_the_shape_to_a_millionth_of_a_millimetre(curve: NurbsCurve) -> None:
    """Lines, arcs and splines drawn as paths come back within a millionth."""
    assert largest_distance(curve, back(curve)) < 1e-6


@settings(max_examples=20)
@given(st.integers(0, 10_000), st.integers(1, 5), st.booleans())
def test_random_plane_curves_come_back(seed: int, degree: int, rational: bool) -> None:
    """Rational splines of any degree are drawn within the tolerance."""
    curve = random_curve(np.random.default_rng(seed), degree, degree + 4, rational)
    flat = place_curve(curve, Placement(np.diag([1.0, 1.0, 0.0]), np.zeros(3)))
    assert largest_distance(flat, back(flat)) < 1e-6


def test_a_profile_on_the_front_plane_is_drawn_upright() -> None:
    """What is up in the front view is up in the drawing and comes back there."""
    again = back(kettle_profile(), RIGHT, np.array([0.0, 0, 1]))
    front = place_curve(kettle_profile(), Placement(np.array([[1.0, 0, 0], [0, 0, 1], [0, 0, 0]]), np.zeros(3)))
    assert largest_distance(front, again) < 1e-6


def test_cubics_are_written_as_they_are() -> None:
    """A cubic needs no refit: its own control points stand in the path."""
    cubic = NurbsCurve(3, np.repeat([0.0, 1.0], 4), np.array([[0, 0, 0], [1, 5, 0], [7, 5, 0], [9, 1, 0.0]]), np.ones(4))
    text = write_svg([NamedCurve("a", cubic)], RIGHT, UP).decode()
    assert "M0,0C1,-5 7,-5 9,-1" in text


def test_another_reader_finds_the_true_size_in_millimetres() -> None:
    """svgelements reads the same box in millimetres, and the name as its id."""
    data = write_svg([NamedCurve("rim & lid", make_circle([0, 0], 50))], RIGHT, UP)
    drawing = svgelements.SVG.parse(io.BytesIO(data), ppi=25.4)
    box = next(e for e in drawing.elements() if isinstance(e, svgelements.Path)).bbox()
    assert (box[2] - box[0], box[3] - box[1]) == pytest.approx((100, 100), rel=1e-6)
    assert next(e for e in drawing.elements() if isinstance(e, svgelements.Path)).id == "rim & lid"
