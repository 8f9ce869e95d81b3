"""Curves moved along surfaces: by formula on balls, cylinders, cones and planes; edges, poles and turns are told."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.curves.alter.offset_curve import offset_curve
from glass_spoon.kernel.curves.evaluate.closest_on_curve import largest_distance
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.surfaces.alter.offset_on_surface import offset_on_surface
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.revolve import revolve_curve


def ball(radius: float) -> NurbsSurface:
    """Return a whole ball."""
    return revolve_curve(make_arc([0, 0, 0], [0, 0, -radius], [radius, 0, 0], 0, np.pi), [0, 0, 0], [0, 0, 1], 2 * np.pi)


def turned(low: tuple[float, float], high: tuple[float, float]) -> NurbsSurface:
    """Return a cone or a cylinder between two radii at two heights."""
    line = make_polyline(np.array([(low[0], 0, low[1]), (high[0], 0, high[1])], dtype=float))
    return revolve_curve(line, [0, 0, 0], [0, 0, 1], 2 * np.pi)


def ring(radius: float, height: float) -> NurbsCurve:
    """Return a circle about the upright axis, counter-clockwise from above."""
    return make_arc([0, 0, height], [radius, 0, 0], [0, radius, 0], 0, 2 * np.pi)


def places(curve: NurbsCurve) -> np.ndarray:
    """Return points of a curve."""
    return curve_points(curve, np.linspace(*curve.domain, 301))


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("distance", [12.0, -20.0])
def test_a_circle_of_latitude_becomes_another(size: float, distance: float) -> None:
    """On a ball of 50 by 12 towards the pole: 12/50 rad more latitude everywhere; also across the equator."""
    latitude = 0.3
    made = offset_on_surface(
        ring(50 * size * np.cos(latitude), 50 * size * np.sin(latitude)), ball(50 * size), distance * size, 1e-4 * size
    )
    x, y, z = places(made.curve).T / size
    assert np.arctan2(z, np.hypot(x, y)) == pytest.approx(latitude + distance / 50, abs=5e-6)
    assert not len(made.back) and made.largest <= 1e-4 * size


def test_a_helix_on_a_cylinder_is_offset_as_on_the_unrolled_sheet() -> None:
    """Unrolled it is a straight line: each place lies as far from it as asked."""
    turns = np.linspace(0.5, 3, 161)
    helix = interpolate_points(np.stack((30 * np.cos(turns), 30 * np.sin(turns), 12 * turns), axis=1))
    for distance in (5.0, -7.0):
        x, y, z = places(offset_on_surface(helix, turned((30, -20), (30, 80)), distance, 1e-4).curve).T
        across = (z - 12 * np.unwrap(np.arctan2(y, x))) / np.hypot(1, 12 / 30)
        assert across == pytest.approx(distance, abs=1e-3)


def test_a_circle_on_a_cone_goes_up_its_slant() -> None:
    """By 10 along a cone that gets 3 narrower for 4 up: 8 higher, 6 narrower."""
    x, y, z = places(offset_on_surface(ring(40, 0), turned((49, -12), (10, 40)), 10, 1e-5).curve).T
    assert z == pytest.approx(8, abs=1e-4) and np.hypot(x, y) == pytest.approx(34, abs=1e-4)


def test_on_a_plane_it_is_the_flat_offset() -> None:
    """As offset in its plane, within both tolerances."""
    wave = interpolate_points(np.array([(-40, 0, 0), (-15, 12, 0), (10, -6, 0), (40, 5, 0)], dtype=float))
    corners = np.array([[(-60, -60, 0), (-60, 60, 0)], [(60, -60, 0), (60, 60, 0)]], dtype=float)
    sheet = NurbsSurface((1, 1), (np.array([0, 0, 1.0, 1]), np.array([0, 0, 1.0, 1])), corners, np.ones((2, 2)))
    flat = offset_curve(wave, 4.0, np.array([0, 0, 1.0]), "round", 1e-5)[0]
    assert largest_distance(offset_on_surface(wave, sheet, 4.0, 1e-5).curve, flat) < 1e-3


@pytest.mark.parametrize(
    ("curve", "host", "distance", "words"),
    [
        (ring(40, 0), turned((49, -12), (10, 40)), 80, "leaves the surface by its edge"),
        (ring(3, np.sqrt(50**2 - 9)), ball(50), np.arcsin(3 / 50) * 50, "pole"),
        (ring(20, 30), ball(50), 3, "off the surface: Project it"),
        (
            make_polyline(np.array([(30.0, 0, 0), (30, 0, 10), (30, 0, 5)])),
            turned((30, -20), (30, 80)),
            3,
            "Round them first",
        ),
    ],
)
def test_what_cannot_go_on_is_refused_with_a_way_out(curve, host, distance, words) -> None:
    """Over an edge, onto a pole, from beside the surface, and round sharp points."""
    with pytest.raises(KernelError, match=words):
        offset_on_surface(curve, host, float(distance), 1e-3)


def test_what_turns_back_is_told_with_its_place() -> None:
    """Inside a small circle on a cylinder, moved by more than its radius."""
    turns = np.linspace(0, 1.9 * np.pi, 41)
    at = 4 * np.stack((np.cos(turns), np.sin(turns)), axis=1)
    small = interpolate_points(np.stack((30 * np.cos(at[:, 0] / 30), 30 * np.sin(at[:, 0] / 30), at[:, 1]), axis=1))
    made = offset_on_surface(small, turned((30, -20), (30, 80)), 7.0, 1e-3)
    assert len(made.back) > 100
    assert not len(offset_on_surface(small, turned((30, -20), (30, 80)), 2.0, 1e-3).back)
