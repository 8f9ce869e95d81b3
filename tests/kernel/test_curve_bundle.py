"""Many curves asked at once give what each gives by itself."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.curves.alter.edit_knots import cut_curve
from glass_spoon.kernel.curves.evaluate.basis import find_spans
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.curve_bundle import CurveBundle
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives
from glass_spoon.kernel.curves.evaluate.pace import keep_paces
from glass_spoon.kernel.curves.make.flat_shapes import make_circle
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.curves.read.cross_curves import find_all_crossings, find_crossings


def some_curves() -> list:
    """A rational circle, a cubic through points, a polyline and a piece of a circle: degrees 1 to 3."""
    wave = interpolate_points(np.array([[k, np.sin(k), 0.3 * k] for k in range(9)], dtype=float))
    return [
        make_circle([0, 0], 5),
        wave,
        make_polyline([[0, 0, 0], [4, 1, 0], [5, 6, 0]]),
        cut_curve(make_circle([1, 0], 3), [0.6])[0],
    ]


@pytest.mark.parametrize("order", [0, 1, 2, 4])
def test_curves_of_any_kind_are_evaluated_together(order: int) -> None:
    """Points and derivatives, above the degree too, to the last bits of each curve's own; in any order of asking."""
    curves, rng = some_curves(), np.random.default_rng(3)
    bundle = CurveBundle(curves)
    params = [rng.uniform(*one.domain, 7 + k) for k, one in enumerate(curves)]
    for own, curve, found in zip(params, curves, bundle.of_each(params, order), strict=True):
        assert np.allclose(found, curve_derivatives(curve, own, order), rtol=1e-13, atol=1e-13)
    which = rng.integers(0, len(curves), 40)
    mixed = np.array([rng.uniform(*curves[k].domain) for k in which])
    found = bundle.derivatives(which, mixed, order)
    for k, param, value in zip(which, mixed, found.transpose(1, 0, 2), strict=True):
        assert np.allclose(value, curve_derivatives(curves[k], np.array([param]), order)[:, 0], rtol=1e-13, atol=1e-13)


def test_a_side_of_a_knot_is_chosen_by_its_span() -> None:
    """A polyline has two directions at its corner."""
    line = some_curves()[2]
    corner = line.knots[2:3]
    bundle, spans = CurveBundle([line]), find_spans(line.knots, 1, corner)
    before, after = (bundle.derivatives(np.zeros(1, dtype=int), corner, 1, spans - side)[1, 0] for side in (1, 0))
    assert abs(before[0] / before[1] - 4) < 1e-12 and abs(after[1] / after[0] - 5) < 1e-12


def test_no_curves_and_no_places_are_nothing() -> None:
    """Empty in, empty out, of the right shape."""
    assert CurveBundle([]).derivatives(np.zeros(0, dtype=int), np.zeros(0), 1).shape == (2, 0, 3)
    assert CurveBundle(some_curves()).points(np.zeros(0, dtype=int), np.zeros(0)).shape == (0, 3)
    assert keep_paces([]) == []


def test_paces_of_circles_are_their_angles() -> None:
    """Of many circles at once: half the length is half a turn, whatever the radius; lengths by 2 pi r."""
    circles = [make_circle([0, 0], radius) for radius in (0.01, 1.0, 300.0)]
    for radius, circle, pace in zip((0.01, 1.0, 300.0), circles, keep_paces(circles), strict=True):
        assert pace.length == pytest.approx(2 * np.pi * radius, rel=1e-12)
        at = pace.at(np.array([0.0, 0.5, 1.0]) * pace.length)
        half = curve_derivatives(circle, at, 0)[0]
        assert np.allclose(half[0], -half[1], atol=1e-7 * radius) and np.allclose(half[0], half[2], atol=1e-12 * radius)


def test_a_span_of_no_width_does_not_disturb_a_pace() -> None:
    """As a cut leaves beside a knot: half the length is where it is without it."""
    knots = np.array([0.0, 0.0, 0.5, np.nextafter(0.5, 1), 1.0, 1.0])
    line = NurbsCurve(1, knots, np.array([[0.0, 0, 0], [2, 0, 0], [2, 0, 0], [4, 0, 0]]), np.ones(4))
    (pace,) = keep_paces([line])
    assert pace.length == pytest.approx(4) and pace.at(np.array([1.0, 2.0, 3.0])) == pytest.approx([0.25, 0.5, 0.75])


def test_all_crossings_are_those_of_each_pair() -> None:
    """The same parameters, in the same order, none for curves that do not meet."""
    curves = [*some_curves(), make_polyline([[-9, 0.5, 0], [9, 0.5, 0]]), make_polyline([[0, 0, 50], [1, 0, 50]])]
    pairs = [(a, b) for a in range(len(curves)) for b in range(a + 1, len(curves))]
    found = find_all_crossings(curves, pairs, 1e-6)
    assert sum(len(s) for s, _ in found) >= 6
    for (a, b), (s, t) in zip(pairs, found, strict=True):
        one, other = find_crossings(curves[a], curves[b], 1e-6)
        assert np.allclose(s, one, atol=1e-12) and np.allclose(t, other, atol=1e-12)
        gap = curve_derivatives(curves[a], s, 0)[0] - curve_derivatives(curves[b], t, 0)[0]
        assert np.abs(gap).max(initial=0.0) < 1e-6
