"""Surfaces: evaluation against geomdl, revolving against closed forms, closest points against brute force."""

import numpy as np
import pytest
from geomdl import NURBS

from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.errors import CrossesAxis, InvalidInput
from glass_spoon.kernel.surfaces.alter.edit_surface import (
    elevate_surface,
    isocurve,
    refine_surface,
    reverse_surface,
    split_surface,
)
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import (
    evaluate_grid,
    grid_points,
    surface_curvature,
    surface_derivatives,
    surface_normals,
    surface_points,
)
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, edge_curve, make_surface
from glass_spoon.kernel.surfaces.make.revolve import revolve_curve
from tests.zoo import ORIGIN, TURN, UP, cone, half_circle, kettle_profile, random_surface, sphere, torus

RNG = np.random.default_rng(2)


def as_geomdl(surface):
    peer = NURBS.Surface()
    peer.degree_u, peer.degree_v = surface.degrees
    peer.ctrlpts_size_u, peer.ctrlpts_size_v = surface.weights.shape
    peer.ctrlptsw = surface.homogeneous.reshape(-1, 4).tolist()
    peer.knotvector_u, peer.knotvector_v = (knots.tolist() for knots in surface.knots)
    return peer


@pytest.mark.parametrize("degrees", [(1, 2), (3, 3), (2, 4)])
def test_derivatives_agree_with_geomdl(degrees):
    """All derivatives up to order two are those of geomdl."""
    surface = random_surface(np.random.default_rng(1), degrees, (7, 8))
    u, v = RNG.random((2, 25))
    ours = surface_derivatives(surface, u, v, 2)
    peer = as_geomdl(surface)
    theirs = np.array([peer.derivatives(a, b, 2) for a, b in zip(u, v, strict=True)], dtype=object)
    for (k, m), value in ours.items():
        expected = np.array([np.asarray(row[k][m], dtype=float) for row in theirs])
        assert np.allclose(value, expected, rtol=1e-8, atol=1e-9 * np.abs(expected).max()), (k, m)


def test_grid_agrees_with_scattered_evaluation():
    """The tensor product gives the same points, slopes and normals."""
    surface = random_surface(np.random.default_rng(3), (3, 2), (6, 9))
    us, vs = np.linspace(0, 1, 13), np.linspace(0, 1, 17)
    grid = evaluate_grid(surface, us, vs)
    assert np.allclose(grid_points(surface, us, vs), grid.points, rtol=1e-14, atol=1e-12)
    u, v = (array.ravel() for array in np.meshgrid(us, vs, indexing="ij"))
    values = surface_derivatives(surface, u, v, 1)
    for ours, theirs in ((grid.points, values[0, 0]), (grid.along_u, values[1, 0]), (grid.along_v, values[0, 1])):
        assert np.allclose(ours.reshape(-1, 3), theirs, atol=1e-10)
    assert np.allclose(grid.normals.reshape(-1, 3), surface_normals(surface, u, v), atol=1e-9)


def test_sphere_is_exact():
    """All points lie at the radius, normals are radial, poles included; curvatures are 1/r^2 and 1/r."""
    ball = sphere(5.0)
    grid = evaluate_grid(ball, np.linspace(0, 1, 9), np.linspace(0, 1, 9))
    assert np.allclose(np.linalg.norm(grid.points, axis=2), 5, rtol=1e-14)
    assert np.allclose(grid.normals, grid.points / 5, atol=1e-11)
    gaussian, mean = surface_curvature(ball, RNG.random(20), RNG.random(20) * 0.8 + 0.1)
    assert np.allclose(gaussian, 1 / 25, rtol=1e-9)
    assert np.allclose(np.abs(mean), 1 / 5, rtol=1e-9)


def test_torus_curvature_by_formula():
    """K = cos a / (r (R + r cos a)) (do Carmo, section 3.3, example)."""
    ring = torus(10.0, 3.0)
    u, v = RNG.random(30), RNG.random(30)
    points = surface_points(ring, u, v)
    cosine = (np.hypot(points[:, 0], points[:, 1]) - 10) / 3
    gaussian, _ = surface_curvature(ring, u, v)
    assert np.allclose(gaussian, cosine / (3 * (10 + 3 * cosine)), atol=1e-10)


def test_normals_at_a_cone_tip_are_the_sides():
    """At the tip each u keeps the normal of its own side, by the limit from inside."""
    tip = cone(3.0, 4.0)
    u = np.linspace(0, 0.9, 10)
    at_tip, beside = surface_normals(tip, u, np.zeros(10)), surface_normals(tip, u, np.full(10, 2.5))
    assert np.allclose(at_tip, beside, atol=1e-12)


def test_revolved_points_keep_radius_and_height():
    """Every isocurve round is a circle about the axis at the profile's own height."""
    profile = kettle_profile()
    body = revolve_curve(profile, ORIGIN, UP, TURN)
    params = np.linspace(*profile.domain, 31)
    grid = evaluate_grid(body, np.linspace(0, 1, 17), params)
    expected = curve_points(profile, params)
    assert np.allclose(np.hypot(grid.points[..., 0], grid.points[..., 1]), np.abs(expected[:, 0]), atol=1e-12)
    assert np.allclose(grid.points[..., 2], expected[:, 2], atol=1e-12)


def test_revolve_about_any_axis():
    """Distances from a slanted axis are kept while turning."""
    axis, place = np.array([1.0, 2.0, 2.0]) / 3, np.array([4.0, -1.0, 0.5])
    profile = interpolate_points([[9, 3, 1], [10, 4, 4], [9, 6, 7]])
    part = revolve_curve(profile, place, axis, 1.2)
    grid = evaluate_grid(part, np.linspace(0, 1, 7), np.linspace(*profile.domain, 9))
    offset = grid.points - place
    distance = np.linalg.norm(offset - (offset @ axis)[..., None] * axis, axis=2)
    assert np.allclose(distance, distance[0], rtol=1e-12)


@pytest.mark.parametrize("backwards", [False, True])
def test_revolved_surface_faces_away_from_the_axis(backwards):
    """Whichever way the profile was drawn, normals point outwards."""
    points = [[5, 0, 0], [7, 0, 4], [5, 0, 9]]
    body = revolve_curve(interpolate_points(points[::-1] if backwards else points), ORIGIN, UP, TURN)
    grid = evaluate_grid(body, np.linspace(0, 1, 5), np.linspace(*body.domain(1), 5))
    assert (np.einsum("ijk,ijk->ij", grid.normals[..., :2], grid.points[..., :2]) > 0).all()


def test_profile_that_crosses_the_axis_is_refused_with_the_places():
    """A parabola through x = 0 crosses at its two roots."""
    line = make_polyline([[5, 0, 0], [-5, 0, 10], [5, 0, 20]])
    with pytest.raises(CrossesAxis) as refusal:
        revolve_curve(line, ORIGIN, UP, TURN)
    assert np.allclose(sorted(refusal.value.places[:, 2]), [5, 15], atol=1e-9)


def test_profile_that_touches_the_axis_gives_a_pole():
    """The edge is one point exactly on the axis."""
    body = revolve_curve(kettle_profile(), ORIGIN, UP, TURN)
    assert body.is_pole(1, 0, 0.0)
    assert not body.is_pole(1, -1, 1e-3)
    assert body.is_closed(0, 0.0)


@pytest.mark.parametrize(
    ("axis", "angle", "word"), [([0, 0, 0], 1.0, "axis"), ([0, 0, 1], 0.0, "angle"), ([0, 0, 1], 7.0, "angle")]
)
def test_bad_revolves_are_refused(axis, angle, word):
    """The sentence names the field."""
    with pytest.raises(InvalidInput, match=word):
        revolve_curve(kettle_profile(), ORIGIN, axis, angle)


def test_profile_on_the_axis_is_refused():
    """A line along the axis gives no surface."""
    with pytest.raises(InvalidInput, match="axis"):
        revolve_curve(make_polyline([[0, 0, 0], [0, 0, 5]]), ORIGIN, UP, TURN)


@pytest.mark.parametrize("axis", [0, 1])
def test_edits_keep_the_surface(axis):
    """Refining, elevating and splitting move no point; reversing turns the normals."""
    surface = random_surface(np.random.default_rng(4), (2, 3), (6, 7))
    u, v = RNG.random((2, 40))
    points = surface_points(surface, u, v)
    assert np.allclose(surface_points(refine_surface(surface, axis, [0.3, 0.3]), u, v), points, atol=1e-12)
    assert np.allclose(surface_points(elevate_surface(surface, axis, 5), u, v), points, atol=1e-11)
    for piece, inside in zip(split_surface(surface, axis, 0.5), (np.less, np.greater), strict=True):
        mine = inside((u, v)[axis], 0.5)
        assert np.allclose(surface_points(piece, u[mine], v[mine]), points[mine], atol=1e-12)
    back = reverse_surface(surface, axis)
    turned = (1 - u, v) if axis == 0 else (u, 1 - v)
    assert np.allclose(surface_normals(back, *turned), -surface_normals(surface, u, v), atol=1e-9)


def can(radius: float, height: float) -> NurbsSurface:
    """A cylinder with flat ends, its sharp rims in one surface."""
    outline = make_polyline([[0, 0, 0], [radius, 0, 0], [radius, 0, height], [0, 0, height]])
    return revolve_curve(outline, ORIGIN, UP, TURN)


def test_closest_points_beside_sharp_edges():
    """Feet are found on the nearer side of a rim: distances to a can by closed form, from inside and outside."""
    rng = np.random.default_rng(8)
    points = np.column_stack((rng.uniform(-14, 14, (4000, 2)), rng.uniform(-4, 24, 4000)))
    out = np.hypot(points[:, 0], points[:, 1]) - 10.0
    over = np.abs(points[:, 2] - 10.0) - 10.0
    outside = np.hypot(np.maximum(out, 0), np.maximum(over, 0))
    expected = np.where(np.maximum(out, over) > 0, outside, -np.maximum(out, over))
    assert np.allclose(closest_points(can(10.0, 20.0), points)[2], expected, atol=1e-7)


def test_isocurves_and_edges_lie_on_the_surface():
    """An isocurve has the surface's points; at the end of the domain it is the edge."""
    surface = random_surface(np.random.default_rng(6), (3, 2), (7, 6))
    params = np.linspace(0, 1, 21)
    curve = isocurve(surface, 1, 0.37)
    assert np.allclose(curve_points(curve, params), surface_points(surface, np.full(21, 0.37), params), atol=1e-12)
    edge = edge_curve(surface, 0, -1)
    assert np.allclose(curve_points(edge, params), surface_points(surface, params, np.ones(21)), atol=1e-12)


def test_closest_points_of_a_sphere():
    """The distance is that to the centre less the radius, from inside and outside, without a start."""
    points = RNG.normal(size=(200, 3)) * 4
    expected = np.abs(np.linalg.norm(points, axis=1) - 5)
    assert np.allclose(closest_points(sphere(5.0), points)[2], expected, atol=1e-9)  # the foot moves by less than 1e-7 mm


def test_closest_points_against_brute_force():
    """No point of a fine grid is nearer than what was found."""
    surface = revolve_curve(kettle_profile(), ORIGIN, UP, TURN)
    points = np.column_stack((RNG.uniform(-90, 90, (60, 2)), RNG.uniform(-5, 165, 60)))
    found = closest_points(surface, points)[2]
    grid = evaluate_grid(surface, np.linspace(0, 1, 300), np.linspace(*surface.domain(1), 600)).points.reshape(-1, 3)
    brute = np.array([np.linalg.norm(grid - point, axis=1).min() for point in points])
    assert (found <= brute + 1e-9).all()
    # Pythagoras over half a cell of the grid, and more where the surface bends towards a point, with a radius of 10 mm.
    assert (brute**2 - found**2 < 1.2**2 * (1 + found / 10)).all()


def test_bad_surfaces_are_refused():
    """Knots of the wrong count and nets of the wrong shape."""
    with pytest.raises(InvalidInput, match="knots"):
        make_surface((1, 1), ([0, 0, 1, 1], [0, 1]), np.zeros((2, 2, 3)))
    with pytest.raises(InvalidInput, match="net"):
        make_surface((1, 1), ([0, 0, 1, 1], [0, 0, 1, 1]), np.zeros((2, 2)))


def test_ellipsoid_curvature_by_formula():
    """Gaussian 1 / (abc w)^2 and mean (a^2 + b^2 + c^2 - |x|^2) / (2 (abc)^2 w^1.5), w = x^2/a^4 + y^2/b^4 + z^2/c^4.

    do Carmo, section 3.3, exercises on the ellipsoid.
    """
    axes = np.array([30.0, 20.0, 12.0])
    ball = revolve_curve(half_circle(1.0), ORIGIN, UP, TURN)
    body = NurbsSurface(ball.degrees, ball.knots, ball.control_points * axes, ball.weights)
    u, v = (grid.ravel() for grid in np.meshgrid(np.linspace(0.03, 0.96, 11), np.linspace(0.05, 0.95, 9)))
    u, v = (low + share * (high - low) for share, (low, high) in zip((u, v), map(body.domain, (0, 1)), strict=True))
    places = surface_points(body, u, v)
    w, product = (places**2 / axes**4).sum(axis=1), np.prod(axes)
    gaussian, mean = surface_curvature(body, u, v)
    wanted = ((axes**2).sum() - (places**2).sum(axis=1)) / (2 * product**2 * w**1.5)
    assert np.allclose(gaussian, 1 / (product * w) ** 2, rtol=1e-9)
    assert np.allclose(np.abs(mean), wanted, rtol=1e-9)
