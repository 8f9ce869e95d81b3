"""Lofts through sections, and sections made to run alike."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from scipy.interpolate import CubicSpline

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.curves.alter.align_sections import align_sections, make_compatible
from glass_spoon.kernel.curves.alter.edit_knots import insert_knots, join_curves, reverse_curve
from glass_spoon.kernel.curves.alter.place_curve import moving, place_curve, scaling, turning
from glass_spoon.kernel.curves.alter.round_corners import SHARP_ANGLE
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params, largest_distance, span_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives, curve_points, find_kinks
from glass_spoon.kernel.curves.make.flat_shapes import make_circle, make_rectangle
from glass_spoon.kernel.curves.make.interpolate import from_polynomials, interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.kernel.surfaces.alter.edit_surface import isocurve
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid, surface_derivatives
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.loft import LoftShape, loft_sections
from tests.kernel.test_sweep import is_closed, volume

UP = [0.0, 0.0, 1.0]


def lifted(curve: NurbsCurve, height: float, factor: float = 1.0, turn: float = 0.0) -> NurbsCurve:
    """Return a section in plan scaled, turned and lifted."""
    return place_curve(
        curve, scaling([0, 0, 0], [factor] * 3).then(turning([0, 0, 0], UP, turn)).then(moving([0, 0, height]))
    )


def hull_station(beam: float, depth: float, x: float) -> NurbsCurve:
    """Return an open section with a chine: keel, chine, sheer."""
    points = [[x, 0, -depth], [x, beam * 0.5, -depth * 0.8], [x, beam * 0.8, -depth * 0.5], [x, beam, 0]]
    return interpolate_points(points, sharp=[False, False, True, False])


def test_a_loft_of_two_circles_is_a_cone_s_frustum() -> None:
    """The volume of a straight loft between two circles by the frustum's formula."""
    surface = loft_sections([lifted(make_circle((0, 0), 30), 0), lifted(make_circle((0, 0), 20), 50)], LoftShape())
    closed = loft_sections(
        [lifted(make_circle((0, 0), 30), 0), lifted(make_circle((0, 0), 20), 50)], LoftShape(ends=("flat", "flat"))
    )
    assert surface.degrees == (2, 1)
    assert volume(closed, 64, 48) == pytest.approx(np.pi * 50 / 3 * (900 + 600 + 400), rel=1e-5)


def test_a_dome_on_a_loft_of_equal_circles_is_a_half_sphere() -> None:
    """A domed end adds two thirds of pi r³ and the mesh stays all quads."""
    sections = [lifted(make_circle((0, 0), 10), height) for height in (0, 20, 40)]
    surface = loft_sections(sections, LoftShape(ends=("flat", "domed")))
    assert volume(surface, 64, 64) == pytest.approx(np.pi * 100 * 40 + 2 / 3 * np.pi * 1000, rel=1e-4)
    mesh = mesh_surface(surface, 32, 40)
    assert is_closed(mesh)
    assert (np.diff(mesh.topology.face_offsets) == 4).all()


def test_every_section_lies_on_the_loft() -> None:
    """Each section of a hull is met by an isocurve of the loft within 1e-6."""
    sections = [hull_station(beam, depth, x) for beam, depth, x in ((200, 100, 0), (600, 300, 900), (560, 260, 2200))]
    surface = loft_sections(sections, LoftShape())
    for section in sections:
        distance = [
            closest_params(isocurve(surface, 0, v), curve_points(section, span_params(section, 8)))[1].max()
            for v in np.unique(np.append(surface.knots[1], np.linspace(*surface.domain(1), 3)))
        ]
        assert min(distance) < 1e-6


def test_a_chine_stays_an_edge_all_along() -> None:
    """Corners of the sections lie above each other, so the mesh has an edge line along the chine."""
    sections = [hull_station(beam, depth, x) for beam, depth, x in ((200, 100, 0), (600, 300, 900), (560, 260, 2200))]
    surface = loft_sections(sections, LoftShape())
    for v in np.linspace(*surface.domain(1), 7):
        assert len(find_kinks(isocurve(surface, 0, float(v)), np.radians(2))) == 1
    mesh = mesh_surface(surface, 12, 20)
    assert np.isinf(mesh.edges["sharpness"]).sum() == 20


@settings(max_examples=25)
@given(st.integers(0, 5000), st.floats(0, 6.28), st.booleans())
@example(138, 0.0, True)  # the best start lay a rounding beside a knot
def test_sections_started_elsewhere_or_turned_round_loft_without_twist(seed: int, start: float, turned: bool) -> None:
    """Isocurves stay short whatever the start and the direction of the upper ring."""
    rng = np.random.default_rng(seed)
    lower = lifted(make_circle((0, 0), 30), 0)
    upper = lifted(make_circle((0, 0), float(rng.uniform(15, 40)), start), 60)
    surface = loft_sections([lower, reverse_curve(upper) if turned else upper], LoftShape())
    lines = surface.control_points
    # A line up a cone's frustum is no longer than its side; a twisted one would be.
    ends = lengths(surface.control_points[0, -1] - surface.control_points[0, 0])
    assert ends < 60 + 30
    mesh = mesh_surface(loft_sections([lower, upper], LoftShape(ends=("flat", "flat"))), 32, 30)
    assert enclosed_volume(mesh) > 0
    assert lines.shape[2] == 3


def test_squares_turned_a_little_join_corner_to_corner() -> None:
    """The shortest of the joins leads from corner to nearest corner."""
    lower, upper = lifted(make_rectangle(20, 20), 0), lifted(make_rectangle(20, 20), 30, turn=np.radians(20) + np.pi / 2)
    surface = loft_sections([lower, upper], LoftShape())
    corners = surface.control_points[:, -1, :2]
    assert lengths(corners - surface.control_points[:, 0, :2]).max() == pytest.approx(
        2 * np.sqrt(200) * np.sin(np.radians(10)), rel=1e-9
    )


def test_compatible_sections_are_the_same_curves() -> None:
    """Compatible curves share knots and keep their shapes."""
    first = interpolate_points([[0, 0, 0], [10, 5, 0], [30, 0, 0]])
    second = make_polyline([[0, 0, 10], [12, 8, 10], [30, 0, 10]])
    third = make_circle((0, 0), 12)
    for curve, same in zip((first, third), make_compatible([first, third]), strict=True):
        assert largest_distance(curve, same) < 1e-9
    alike = make_compatible([first, second])
    assert np.array_equal(alike[0].knots, alike[1].knots)
    assert largest_distance(alike[1], second) < 1e-9


def test_knots_that_differ_by_rounding_are_not_piled_up() -> None:
    """Knots 1e-10 apart are taken as one."""
    first = insert_knots(interpolate_points([[0, 0, 0], [10, 5, 0], [30, 0, 0]]), [3.0, 9.0])
    second = NurbsCurve(first.degree, first.knots.copy(), first.control_points + np.array([0, 0, 9]), first.weights)
    inner = second.knots.copy()
    inner[4:-4] += 1e-10
    alike = make_compatible([first, NurbsCurve(second.degree, inner, second.control_points, second.weights)])
    assert len(alike[0].knots) == len(first.knots)


def test_leaving_square_gives_a_tangent_across_the_first_section() -> None:
    """Across the first section the surface goes straight up."""
    sections = [lifted(make_circle((0, 0), r), h) for r, h in ((20, 0), (35, 30), (15, 70))]
    surface = loft_sections(sections, LoftShape(leaving=("square", "free")))
    u = np.linspace(*surface.domain(0), 9)
    along = surface_derivatives(surface, u, np.full(9, surface.domain(1)[0]), 1)[0, 1]
    assert along[:, :2] == pytest.approx(np.zeros((9, 2)), abs=1e-9)
    assert (along[:, 2] > 0).all()


def test_a_loft_closed_on_itself_is_smooth_at_its_seam() -> None:
    """Both derivatives agree at the place where it closes."""
    sections = [
        place_curve(
            place_curve(make_circle((0, 0), 5 + k % 2), turning([0, 0, 0], [1, 0, 0], np.pi / 2).then(moving([40, 0, 0]))),
            turning([0, 0, 0], UP, k * np.pi / 4),
        )
        for k in range(8)
    ]
    surface = loft_sections(sections, LoftShape(closed=True))
    assert surface.is_closed(1, 1e-9)
    mesh = mesh_surface(surface, 16, 64)
    assert is_closed(mesh)
    assert enclosed_volume(mesh) > 0
    low, high = surface.domain(1)
    seam = isocurve(surface, 1, 0.1)
    ends = curve_derivatives(seam, np.array([low, high]), 2)
    assert ends[:, 0] == pytest.approx(ends[:, 1], abs=1e-8)


@pytest.mark.parametrize(
    ("sections", "shape", "word"),
    [
        ([make_circle((0, 0), 3)], LoftShape(), "2 or more"),
        ([make_circle((0, 0), 3), make_polyline([[0, 0, 5], [9, 0, 5]])], LoftShape(), "all closed or all open"),
        ([make_circle((0, 0), 3), make_circle((0, 0), 3)], LoftShape(), "are the same"),
        (
            [make_polyline([[0, 0, 0], [9, 0, 0]]), make_polyline([[0, 0, 5], [9, 0, 5]])],
            LoftShape(ends=("flat", "open")),
            "closed",
        ),
        ([make_circle((0, 0), 3), lifted(make_circle((0, 0), 3), 4)], LoftShape(closed=True), "3 or more"),
        ([make_circle((0, 0), 3), lifted(make_circle((0, 0), 3), 4)], LoftShape(degree=4), "1 to 3"),
    ],
)
def test_what_cannot_be_lofted_is_told(sections, shape, word: str) -> None:
    """Too few sections, kinds mixed and impossible leaves are refused in words."""
    with pytest.raises(KernelError, match=word):
        loft_sections(sections, shape)


def test_open_sections_are_turned_to_run_alike() -> None:
    """The second section is turned to start where the first does."""
    first = make_polyline([[0, 0, 0], [100, 0, 0]])
    second = make_polyline([[100, 0, 50], [0, 0, 50]])
    assert align_sections([first, second])[1].control_points[0] == pytest.approx([0, 0, 50])


def wide(surface: NurbsSurface, count: int = 9) -> tuple[np.ndarray, np.ndarray]:
    """Return the largest and the smallest x of rows round at even values of v."""
    places = evaluate_grid(surface, np.linspace(*surface.domain(0), 129), np.linspace(*surface.domain(1), count)).points
    return places[..., 0].max(axis=0), places[..., 0].min(axis=0)


def test_two_rails_carry_the_sections_between_them() -> None:
    """Widths along the height are those of the rails."""
    right = interpolate_points([[20, 0, 0], [30, 0, 30], [20, 0, 60]])
    left = interpolate_points([[-20, 0, 0], [-25, 0, 30], [-20, 0, 60]])
    rings = [lifted(make_circle((0, 0), 20), 0), lifted(make_circle((0, 0), 20), 60)]
    high, low = wide(loft_sections(rings, LoftShape(rails=(right, left))))
    assert high[4] == pytest.approx(30, abs=2e-3)
    assert low[4] == pytest.approx(-25, abs=2e-3)
    assert high[[0, -1]] == pytest.approx([20, 20], abs=2e-3)


def test_one_rail_shifts_the_sections() -> None:
    """One rail moves the sections and keeps their width."""
    rail = interpolate_points([[20, 0, 0], [30, 0, 30], [20, 0, 60]])
    rings = [lifted(make_circle((0, 0), 20), 0), lifted(make_circle((0, 0), 20), 60)]
    high, low = wide(loft_sections(rings, LoftShape(rails=(rail,))))
    assert high[4] == pytest.approx(30, abs=2e-3)
    assert low[4] == pytest.approx(-10, abs=2e-3)


def test_rails_that_miss_a_section_are_told_with_the_distance() -> None:
    """The error names the section and the distance in millimetres."""
    rail = interpolate_points([[20, 0, 0], [30, 0, 30], [35, 0, 60]])
    rings = [lifted(make_circle((0, 0), 20), 0), lifted(make_circle((0, 0), 20), 60)]
    with pytest.raises(KernelError, match=r"misses section 2 by 14\.9 mm"):
        loft_sections(rings, LoftShape(rails=(rail,)))


def test_nose_closes_with_one_tip_and_no_point() -> None:
    """The tip is one point, round there, and the mesh is of quads."""
    rings = [lifted(make_circle((0, 0), 20), z) for z in (-60, -30, 0)]
    surface = loft_sections(rings, LoftShape(noses=(0.0, 25.0)))
    assert surface.is_pole(1, -1, 1e-9)
    tip = evaluate_grid(surface, np.array([0.1, 0.35]), np.array([surface.domain(1)[1]]))
    assert np.allclose(tip.points, [0, 0, 25], atol=1e-9)
    assert np.allclose(np.abs(tip.along_v[:, 0, 2]), 0, atol=1e-9)  # it arrives level: the tip is round
    mesh = mesh_surface(surface, 32, 24)
    assert mesh.topology.is_quads


def test_loft_leaves_towards_a_place() -> None:
    """Across the rim the surface heads for the given place."""
    rings = [lifted(make_circle((0, 0), 20), 0), lifted(make_circle((0, 0), 20), 60)]
    surface = loft_sections(rings, LoftShape(leaving=("place", "free"), places=((0, 0, 40), (0, 0, 0))))
    grid = evaluate_grid(surface, np.linspace(*surface.domain(0), 9), np.array([0.0]))
    wanted = np.array([0, 0, 40]) - grid.points[:, 0]
    along = grid.along_v[:, 0]
    assert np.allclose(np.cross(wanted, along), 0, atol=1e-6 * lengths(wanted).max() * lengths(along).max())


def many_spans(count: int, radius: float, height: float) -> NurbsCurve:
    """Return a closed cubic through `count` places of a wavy ring, whose knots lie unlike those of other counts."""
    turn = np.linspace(0, 2 * np.pi, count + 1) + 0.3 * np.sin(np.linspace(0, 2 * np.pi, count + 1))
    reach = radius * (1 + 0.05 * np.cos(3 * turn))
    places = np.column_stack((reach * np.cos(turn), reach * np.sin(turn), np.full(count + 1, height)))
    places[-1] = places[0]
    spline = CubicSpline(np.linspace(0, 1, count + 1) ** 1.1, places, bc_type="periodic")
    return from_polynomials(spline)


def test_sections_whose_knots_would_pile_up_are_written_anew_within_the_tolerance() -> None:
    """Rings of 23, 29 and 31 spans: fewer knots than all of theirs together, over one set, each section in its place."""
    sections = [many_spans(23, 40, 0), many_spans(29, 50, 30), many_spans(31, 45, 60)]
    exact = make_compatible(sections)
    anew = make_compatible(sections, tolerance=0.05)
    assert len({curve.knots.tobytes() for curve in anew}) == 1
    assert len(anew[0].control_points) < len(exact[0].control_points)
    shares = np.linspace(0, 1, 400)
    for before, after in zip(sections, anew, strict=True):
        there = curve_points(before, np.linspace(*before.domain, 4000))
        away = np.linalg.norm(curve_points(after, shares)[:, None] - there, axis=2).min(axis=1)
        assert away.max() < 0.05 + 0.05  # the sample of the section is a tenth of a millimetre apart


def test_corners_stay_corners_when_sections_are_written_anew() -> None:
    """Half rings closed by a straight line, with different knots: two corners each, at the same parameters."""

    def half(count: int, radius: float, height: float) -> NurbsCurve:
        turn = np.pi * np.linspace(0, 1, count + 1) ** (1 + 0.01 * count)
        places = np.column_stack((radius * np.cos(turn), radius * np.sin(turn), np.full(count + 1, height)))
        bow = from_polynomials(CubicSpline(np.linspace(0, 1, count + 1), places))
        return join_curves([bow, make_polyline([places[-1], places[0]])])

    sections = [half(17, 40, 0), half(23, 50, 30), half(29, 45, 60)]
    anew = make_compatible(sections, tolerance=0.05)
    kinks = [find_kinks(curve, SHARP_ANGLE) for curve in anew]
    assert all(len(found) == len(kinks[0]) >= 1 for found in kinks)
    assert max(np.abs(found - kinks[0]).max() for found in kinks) < 1e-9
