"""Pinching: distances from the curve by formula, nothing beyond the reach, no fold at any strength, at any size."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.curves.make.flat_shapes import make_circle
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.deform.pinch import Pinch
from glass_spoon.kernel.deform.space_map import how_stretched

FADINGS = {"softly": lambda t: (1 - t**2) ** 2, "evenly": lambda t: 1 - t, "sharply": lambda t: (1 - t) ** 3}


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("fading", list(FADINGS))
@pytest.mark.parametrize("strength", [1.0, 0.4, -0.7])
def test_points_go_by_the_formula(strength: float, fading: str, size: float) -> None:
    """Beside a straight line: the distance becomes d (1 - s w(d/r)); nothing goes along it, or beyond the reach."""
    line = make_polyline(np.array([[-50.0, 0, 0], [50.0, 0, 0]]) * size)
    rng = np.random.default_rng(2)
    points = rng.uniform(-15, 15, (400, 3)) * size
    moved = Pinch(line, strength, 10 * size, fading).apply(points)
    away = np.hypot(points[:, 1], points[:, 2])
    share = np.minimum(away / (10 * size), 1)
    wanted = away * (1 - strength * FADINGS[fading](share))
    assert np.hypot(moved[:, 1], moved[:, 2]) == pytest.approx(wanted, abs=1e-9 * size)
    assert moved[:, 0] == pytest.approx(points[:, 0], abs=1e-9 * size)
    assert np.array_equal(moved[away >= 10 * size], points[away >= 10 * size])


@pytest.mark.parametrize("fading", list(FADINGS))
@pytest.mark.parametrize("strength", [0.95, -0.95])
def test_no_strength_folds(strength: float, fading: str) -> None:
    """About a circle as well, inside its middle and out."""
    rng = np.random.default_rng(3)
    points = rng.uniform(-40, 40, (3000, 3)) * [1, 1, 0.3]
    points = points[np.hypot(points[:, 0], points[:, 1]) > 1]
    assert how_stretched(Pinch(make_circle([0, 0], 25.0), strength, 12.0, fading), points).folded == 0


def test_the_curve_itself_stays() -> None:
    """Points of the curve go nowhere, those at its ends as about a ball."""
    line = make_polyline(np.array([[0.0, 0, 0], [30.0, 0, 0]]))
    pinch = Pinch(line, 1.0, 10.0, "evenly")
    on = np.array([[0.0, 0, 0], [12.0, 0, 0], [30.0, 0, 0]])
    assert np.allclose(pinch.apply(on), on)
    assert pinch.apply(np.array([[-5.0, 0, 0]])) == pytest.approx(np.array([[-2.5, 0, 0]]))
    assert np.array_equal(pinch.apply(np.array([[500.0, 0, 0]])), [[500.0, 0, 0]])
