"""One surface through crossing curves, between two edges, and through scattered points."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from glass_spoon.kernel.curves.alter.edit_knots import reverse_curve
from glass_spoon.kernel.curves.alter.place_curve import moving, place_curve, scaling, turning
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.flat_shapes import make_circle
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.patches.blend_edges import Blend, Border, blend_edges, nearest_borders, surface_borders
from glass_spoon.kernel.patches.fit_cloud import fit_cloud
from glass_spoon.kernel.patches.gordon import gordon_surface
from glass_spoon.kernel.surfaces.alter.edit_surface import isocurves, split_surface
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid, surface_curvature
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.fit_patch import through_grid
from glass_spoon.kernel.surfaces.make.revolve import revolve_curve

SHARES = np.linspace(0, 1, 41)


@pytest.fixture
def rng() -> np.random.Generator:
    """Return numbers that are the same every time."""
    return np.random.default_rng(3)


def bumpy(rng: np.random.Generator) -> NurbsSurface:
    """Return a bicubic surface of 100 by 60 mm through random heights."""
    x, y = np.meshgrid(np.linspace(0, 100, 6), np.linspace(0, 60, 5), indexing="ij")
    return through_grid(np.stack((x, y, rng.normal(0, 5, x.shape)), axis=2))


def turned_body(profile: NurbsCurve) -> NurbsSurface:
    """Return a profile revolved about the upright axis."""
    return revolve_curve(profile, (0, 0, 0), (0, 0, 1), 2 * np.pi)


def grid_points(surface: NurbsSurface) -> np.ndarray:
    """Return points (41, 41, 3) of a surface."""
    us, vs = (np.linspace(*surface.domain(axis), 41) for axis in (0, 1))
    return evaluate_grid(surface, us, vs).points


def largest_miss(surface: NurbsSurface, curves: list[NurbsCurve]) -> float:
    """Return how far places of curves lie from a surface at most."""
    places = np.concatenate([curve_points(one, np.linspace(*one.domain, 60)) for one in curves])
    return float(closest_points(surface, places)[2].max())


@pytest.mark.parametrize("factor", [0.01, 1.0, 100.0])
def test_a_surface_is_given_back_by_its_own_curves_in_any_order_and_way(rng, factor):
    """The Gordon surface of isocurves at the places that a cubic goes through is that surface (The NURBS Book, 10.5)."""
    surface = bumpy(rng)
    curves = isocurves(surface, 0, np.linspace(0, 1, 5)) + isocurves(surface, 1, np.linspace(0, 1, 6))
    curves = [reverse_curve(one) if rng.random() < 0.5 else one for one in curves]
    grown = [place_curve(curves[k], scaling((0, 0, 0), (factor,) * 3)) for k in rng.permutation(len(curves))]
    made = gordon_surface(grown, 0.01 * factor)
    assert sorted(made.counts) == [5, 6]
    assert made.off <= 1e-9 * factor
    # the search for closest points is itself right to 1e-7 mm
    assert closest_points(surface, grid_points(made.surface).reshape(-1, 3) / factor)[2].max() <= 2e-7


def test_four_edges_give_the_patch_of_coons():
    """Between four curves lies the bilinear blend of both pairs less that of the corners (Coons 1967)."""
    low = interpolate_points(np.array([(0, 0, 0), (30, 0, 10), (60, 0, -5), (100, 0, 0.0)]))
    high = interpolate_points(np.array([(0, 50, 0), (50, 55, 20), (100, 60, 0.0)]))
    left, right = make_polyline([(0, 0, 0), (0, 50, 0)]), make_polyline([(100, 0, 0), (110, 30, 5), (100, 60, 0)])
    made = gordon_surface([low, right, high, left], 0.01)
    assert made.off <= 1e-9
    runs = [curve_points(one, np.linspace(*one.domain, 41)) for one in (low, high, left, right)]
    u, v = SHARES[:, None, None], SHARES[None, :, None]
    corners = (1 - u) * (1 - v) * runs[0][0] + u * (1 - v) * runs[0][-1] + (1 - u) * v * runs[1][0] + u * v * runs[1][-1]
    wanted = (1 - v) * runs[0][:, None] + v * runs[1][:, None] + (1 - u) * runs[2][None] + u * runs[3][None] - corners
    assert np.abs(grid_points(made.surface) - wanted).max() <= 1e-9


def test_crossings_at_unlike_parameters_are_brought_to_the_same_ones(rng):
    """Curves that cross anyhow, miss by 0.1 mm and run on past each other: the surface lies within a thousandth of them."""

    def on_field(places: np.ndarray, lift: float = 0.0) -> NurbsCurve:
        x, y = places.T
        return interpolate_points(np.column_stack((x, y, 10 * np.sin(x / 30) * np.cos(y / 25) + lift)))

    t = np.linspace(0, 1, 41)
    over = [on_field(np.column_stack((200 * t**1.3, y + 8 * np.sin(3 * t + y)))) for y in (0, 30, 70, 120)]
    up = [on_field(np.column_stack((x + 10 * np.sin(2 * t + x) * t, -20 + 160 * t)), 0.1) for x in (15, 50, 90, 140, 180)]
    made = gordon_surface(over + up, 0.2)
    assert made.counts == (4, 5)
    assert made.gap == pytest.approx(0.1, rel=0.05)
    assert made.over > 20
    assert made.off <= 0.06


def test_rings_and_ribs_close_smoothly():
    """Circles crossed by meridians: the seam is closed and smooth; rings of a torus both ways close both ways."""
    rings = [place_curve(make_circle((0, 0), r), moving((0, 0, z))) for r, z in ((30, 0), (45, 30), (40, 70), (20, 90))]
    profile = np.array([(30, 0), (45, 30), (40, 70), (20, 90)])
    ribs = [
        interpolate_points(np.column_stack((profile[:, 0] * np.cos(a), profile[:, 0] * np.sin(a), profile[:, 1])))
        for a in 0.3 + np.arange(5) * 2 * np.pi / 5
    ]
    made = gordon_surface([*ribs, *rings], 0.01)
    assert made.surface.is_closed(1, 1e-6)
    assert largest_miss(made.surface, rings + ribs) < 1e-4
    circles = [
        place_curve(make_circle((0, 0), 40 + 12 * np.cos(a)), moving((0, 0, 12 * np.sin(a))))
        for a in np.arange(4) * np.pi / 2
    ]
    cross_section = place_curve(
        place_curve(make_circle((0, 0), 12), turning((0, 0, 0), (1, 0, 0), np.pi / 2)), moving((40, 0, 0))
    )
    tube = [place_curve(cross_section, turning((0, 0, 0), (0, 0, 1), a)) for a in np.arange(6) * np.pi / 3]
    torus = gordon_surface(circles + tube, 0.01).surface
    assert torus.is_closed(0, 1e-6) and torus.is_closed(1, 1e-6)
    points = grid_points(torus)
    assert np.hypot(np.hypot(points[..., 0], points[..., 1]) - 40, points[..., 2]) == pytest.approx(12, abs=0.15)
    normals = evaluate_grid(torus, *(np.array([1e-9, 1 - 1e-9]),) * 2).normals.reshape(-1, 3)
    assert normals == pytest.approx(np.broadcast_to(normals[0], normals.shape), abs=1e-3)


@pytest.mark.parametrize(
    ("curves", "words"),
    [
        ([(0, 0, 9, 0), (0, 9, 9, 9), (0, 0, 0, 9)], "Two curves each way are needed"),
        ([(0, 0, 9, 0), (0, 9, 9, 9), (0, 0, 0, 9), (9, 1, 9, 9)], "do not meet"),
        ([(0, 0, 9, 0), (0, 9, 9, 9), (0, 0, 0, 9), (90, 0, 90, 9)], "Curve 4 meets none"),
        ([(0, 0, 9, 0), (0, 9, 9, 9), (0, 0, 0, 9), (9, 0, 9, 9), (0, 0, 9, 9)], "cannot be told apart"),
        ([(0, 0, 9, 0), (0, 9, 9, 9), (0, 5, 9, 5), (1, 0, 1, 9), (2, 0, 0.5, 9)], "cannot be told apart"),
    ],
)
def test_curves_that_do_not_all_cross_once_are_told_by_number(curves, words):
    """The refusal names the curves and what to do."""
    with pytest.raises(KernelError, match=words):
        gordon_surface([make_polyline([(a, b, 0), (c, d, 0)]) for a, b, c, d in curves], 0.01)


def blended(first: NurbsSurface, second: NurbsSurface, grades: tuple[int, int]) -> Blend:
    """Return the blend between the nearest edges of two surfaces."""
    one, other = nearest_borders(surface_borders(first, 1e-6), surface_borders(second, 1e-6))
    return blend_edges(replace(one, grade=grades[0]), replace(other, grade=grades[1]))


@pytest.mark.parametrize("grades", [(0, 0), (1, 0), (1, 1), (2, 1), (2, 2)])
@pytest.mark.parametrize("factor", [0.01, 1.0, 100.0])
def test_a_gap_in_a_cylinder_is_closed_by_the_cylinder(grades, factor):
    """Whatever each side asks for, the blend between two rims of a tube is the tube."""
    tube = turned_body(make_polyline([(30 * factor, 0, 0), (30 * factor, 0, 100 * factor)]))
    low, high = tube.domain(1)
    made = blended(
        split_surface(tube, 1, low + 0.3 * (high - low))[0], split_surface(tube, 1, low + 0.6 * (high - low))[1], grades
    )
    points = grid_points(made.surface) / factor
    assert np.hypot(points[..., 0], points[..., 1]) == pytest.approx(30, abs=1e-4)
    assert (points[..., 2].min(), points[..., 2].max()) == pytest.approx((30, 60), abs=1e-4)
    assert not made.folds
    assert all(np.isnan(kink) or kink < 1e-4 for kink in made.kinks)


def test_a_blend_has_the_curvature_of_what_it_goes_on_from():
    """The band cut out of a ball is closed within a thousandth of it; at its edges the Gauss curvature is the ball's."""
    caps = [turned_body(make_arc((0, 0, 0), (50, 0, 0), (0, 0, 50), *span)) for span in ((-1.3, -0.35), (0.35, 1.3))]
    smooth, curved = (blended(*caps, (grade, grade)) for grade in (1, 2))
    off = [float(np.abs(np.linalg.norm(grid_points(one.surface), axis=2) - 50).max()) for one in (smooth, curved)]
    assert off[1] < off[0] < 0.15
    gauss, mean = surface_curvature(curved.surface, np.linspace(0.05, 0.95, 9), np.zeros(9))
    assert gauss == pytest.approx(1 / 2500, rel=2e-3)
    assert np.abs(mean) == pytest.approx(1 / 50, rel=2e-3)


def test_a_blend_runs_to_a_curve_and_refuses_what_has_no_between():
    """A curve is met in place; a closed edge and an open one, an edge and itself, and a body without edges are refused."""
    tube = turned_body(make_polyline([(30, 0, 0), (30, 0, 40)]))
    rim = nearest_borders(surface_borders(tube, 1e-6), [Border(place_curve(make_circle((0, 0), 12), moving((0, 0, 70))))])
    made = blend_edges(rim[0], replace(rim[1], grade=0))
    assert np.isnan(made.kinks[1]) and made.kinks[0] < 1e-4
    assert grid_points(made.surface)[..., 2].max() == pytest.approx(70, abs=1e-6)
    with pytest.raises(KernelError, match="closed and the other is not"):
        blend_edges(rim[0], Border(make_polyline([(0, 0, 70), (9, 0, 70)]), grade=0))
    with pytest.raises(KernelError, match="lie on one another"):
        blend_edges(rim[0], replace(rim[0], grade=0))
    ball = turned_body(make_arc((0, 0, 0), (50, 0, 0), (0, 0, 50), -np.pi / 2, np.pi / 2))
    assert surface_borders(ball, 1e-6) == []
    with pytest.raises(KernelError, match="no open edge"):
        nearest_borders([], surface_borders(tube, 1e-6))


@pytest.mark.parametrize("factor", [0.01, 1.0, 100.0])
def test_a_height_field_is_followed_within_the_tolerance(rng, factor):
    """4,000 scattered places of a field: every one within 0.01 mm, and so is the field between them."""
    x, y = rng.random((2, 4000)) * [[200], [120]]
    field = np.column_stack((x, y, 10 * np.sin(x / 30) * np.cos(y / 25)))
    made = fit_cloud(field * factor, 0.01 * factor)
    assert made.off <= 0.01 * factor
    points = grid_points(made.surface)[3:-3, 3:-3].reshape(-1, 3) / factor
    assert points[:, 2] == pytest.approx(10 * np.sin(points[:, 0] / 30) * np.cos(points[:, 1] / 25), abs=0.02)


def test_points_of_a_ball_give_its_radius_and_noise_is_smoothed(rng):
    """A cap of 50 mm is found to a thousandth; of points that scatter by 0.2 mm the mean is told."""
    a, b = rng.random((2, 3000)) * [[2.0], [1.0]] - [[1.0], [0.5]]
    cap = 50 * np.column_stack((np.sin(a) * np.cos(b), np.sin(b), np.cos(a) * np.cos(b)))
    made = fit_cloud(cap, 0.01)
    assert made.off <= 0.01
    inner = grid_points(made.surface)[8:-8, 8:-8]
    assert np.linalg.norm(inner, axis=2) == pytest.approx(50, abs=0.02)
    x, y = rng.random((2, 3000)) * 100
    noisy = fit_cloud(np.column_stack((x, y, rng.normal(0, 0.2, 3000))), 0.05)
    assert noisy.middling == pytest.approx(0.2, rel=0.1)
    assert np.abs(grid_points(noisy.surface)[..., 2]).max() < 0.8


def test_too_few_points_and_points_in_a_line_are_refused():
    """Three points, and any number on a straight."""
    with pytest.raises(KernelError, match="Four points"):
        fit_cloud(np.eye(3), 0.1)
    with pytest.raises(KernelError, match="in a line"):
        fit_cloud(np.linspace(0, 1, 20)[:, None] * [3.0, 4.0, 5.0], 0.1)
    corners = np.array([(0, 0, 0), (10, 0, 0), (10, 10, 0), (0, 10, 5.0)])
    assert fit_cloud(corners, 0.01).off < 1e-4
