"""Parameters over length from a table, held against exact lengths and a formula; forms that are least where they should."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve, make_curve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points, curve_tangents, end_tangents
from glass_spoon.kernel.curves.evaluate.pace import keep_pace
from glass_spoon.kernel.curves.make.flat_shapes import make_rectangle
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_arc
from glass_spoon.kernel.patches.least_form import LeastForms


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_a_table_is_near_to_exact_lengths(size: float) -> None:
    """Through uneven points, from both ends alike."""
    turns = np.linspace(0, 3, 9) ** 1.5
    curve = interpolate_points(size * np.stack((np.cos(turns), np.sin(turns), 0.3 * turns), axis=1))
    pace, arc, shares = keep_pace(curve), measure_length(curve), np.linspace(0, 1, 41)
    assert pace.length == pytest.approx(arc.length, rel=1e-9)
    low, high = curve.domain
    exact = arc.to_params(shares * arc.length)
    assert pace.at(shares * pace.length) == pytest.approx(exact, abs=2e-6 * (high - low))
    back = pace.reversed().at((1 - shares) * pace.length)
    assert low + high - back == pytest.approx(pace.at(shares * pace.length), abs=1e-12)


def test_an_arc_is_run_evenly() -> None:
    """Shares of an arc's length are shares of its angle, which its parameter is not."""
    arc = make_arc([0, 0, 0], [30, 0, 0], [0, 30, 0], 0, 1.4)
    pace = keep_pace(arc)
    places = curve_points(arc, pace.at(np.linspace(0, pace.length, 15)))
    assert pace.length == pytest.approx(42, rel=1e-10)
    assert np.arctan2(places[:, 1], places[:, 0]) == pytest.approx(np.linspace(0, 1.4, 15), abs=1e-7)


def test_speed_that_jumps_at_a_corner_is_no_fault() -> None:
    """A rounded rectangle runs at other speeds along its sides and its corners."""
    curve = make_rectangle(80, 52, 8)
    pace, arc, shares = keep_pace(curve), measure_length(curve), np.linspace(0, 1, 97)
    assert pace.length == pytest.approx(arc.length, rel=1e-9)
    away = curve_points(curve, pace.at(shares * pace.length)) - curve_points(curve, arc.to_params(shares * arc.length))
    assert np.abs(away).max() < 1e-5


def standing_still() -> NurbsCurve:
    """Return a cubic that starts with no speed."""
    return make_curve(3, [0, 0, 0, 0, 1, 1, 1, 1], [[0, 0, 0], [0, 0, 0], [10, 0, 0], [10, 20, 0]])


def test_a_curve_that_stands_still_is_followed_exactly() -> None:
    """A table of speeds says nothing where there is none."""
    curve = standing_still()
    pace, arc, shares = keep_pace(curve), measure_length(curve), np.linspace(0, 1, 9)
    assert pace.at(shares * pace.length) == pytest.approx(arc.to_params(shares * arc.length), abs=1e-9)


@pytest.mark.parametrize("curve", [standing_still(), make_arc([0, 0, 0], [3, 0, 0], [0, 3, 0], 0, 2)])
def test_ends_run_along_the_net_or_along_what_does_not_vanish(curve: NurbsCurve) -> None:
    """The same directions as the tangents at both ends."""
    assert end_tangents(curve) == pytest.approx(curve_tangents(curve, np.array(curve.domain)), abs=1e-12)


def test_a_form_is_least_where_its_rows_meet_their_aims() -> None:
    """Held against the least squares of NumPy; the value there is what is left."""
    random = np.random.default_rng(3)
    rows, aims, where = random.normal(size=(9, 3)), random.normal(size=9), np.array([0, 2, 3])
    form = LeastForms.empty(2, 4)
    form.ask(np.stack((rows, 2 * rows)), np.stack((aims, 2 * aims)), where)
    form.ask(np.full((2, 1, 1), 2.0), np.full((2, 1), 5.0), np.array([1]))
    found, left = np.linalg.lstsq(rows, aims, rcond=None)[:2]
    for least in form.least():
        assert least[where] == pytest.approx(found) and least[1] == pytest.approx(2.5)
    assert form.values(form.least()) == pytest.approx([left[0], 4 * left[0]])


def test_a_form_with_nothing_to_say_of_an_unknown_leaves_it_at_none() -> None:
    """A system that is not positive is solved as well as it can be."""
    form = LeastForms.empty(1, 2)
    form.ask(np.ones((1, 1, 1)), np.array([[4.0]]), np.array([0]))
    assert form.least()[0] == pytest.approx([4, 0])
