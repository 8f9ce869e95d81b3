"""Gauges of the smoothed shape: kinks, odd faces on bends, loops too close, outlines and symmetry, by closed forms."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.gauges import smoothed_shape
from glass_spoon.kernel.gauges.face_figures import figures_of
from glass_spoon.kernel.gauges.reading import Limits
from glass_spoon.kernel.mesh_edits.cut_rings import cut_rings
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from tests.zoo import cube_mesh, grid_mesh, sphere, torus

LIMITS = Limits()


def test_flat_mesh_has_no_kinks_and_a_cube_turns_by_the_angle_between_its_diagonals() -> None:
    """None on the flat; on a cube the angle between two diagonals at twelve edges."""
    assert smoothed_shape.read_kinks(smoothed_shape.Smoothed(grid_mesh(4, 4)), LIMITS).value == pytest.approx(0, abs=1e-7)
    reading = smoothed_shape.read_kinks(smoothed_shape.Smoothed(cube_mesh()), LIMITS)
    assert reading.value == pytest.approx(np.arccos(1 / 3))  # normals along neighbouring diagonals
    assert len(reading.offenders) == 12


def test_kinks_halve_with_the_edges() -> None:
    """Twice as many edges turn half as far each."""
    values = [
        smoothed_shape.read_kinks(smoothed_shape.Smoothed(mesh_surface(torus(30, 10), 2 * n, n)), LIMITS).value
        for n in (12, 24)
    ]
    assert values[0] / values[1] == pytest.approx(2, rel=0.1)


def test_an_octahedron_turns_by_a_right_angle_from_corner_to_corner() -> None:
    """Triangles too: by symmetry the limit normals lie along the axes, and every edge leads from one axis to another."""
    corners = np.vstack((np.eye(3), -np.eye(3)))
    faces = [[0, 1, 2], [1, 3, 2], [3, 4, 2], [4, 0, 2], [1, 0, 5], [3, 1, 5], [4, 3, 5], [0, 4, 5]]
    reading = smoothed_shape.read_kinks(smoothed_shape.Smoothed(make_mesh(corners, faces)), LIMITS)
    assert reading.value == pytest.approx(np.pi / 2, abs=1e-7)  # from a cosine near 0
    assert len(reading.offenders) == 12


def test_a_quad_cut_on_a_bend_kinks_and_one_cut_on_the_flat_does_not() -> None:
    """On a tube neighbours turn by a twenty-fourth; where a face is cut in two the smoothed shape turns faster."""
    turn = 2 * np.pi / 24
    tube = [[np.cos(k * turn), np.sin(k * turn), 0.3 * row] for row in range(6) for k in range(24)]
    quads = [
        [24 * row + k, 24 * row + (k + 1) % 24, 24 * row + 24 + (k + 1) % 24, 24 * row + 24 + k]
        for row in range(5)
        for k in range(24)
    ]

    def kinks(cut: bool, points: list[list[float]]) -> float:
        rows = quads[:58] + quads[59:] if cut else quads
        a, b, c, d = quads[58]
        flat = np.concatenate((np.array(rows).ravel(), [a, b, c, a, c, d] if cut else []))
        offsets = np.cumsum([0, *[4] * len(rows), *([3, 3] if cut else [])])
        mesh = make_mesh(points, flat.astype(int), offsets=offsets)
        return smoothed_shape.read_kinks(smoothed_shape.Smoothed(mesh), LIMITS).value

    assert kinks(False, tube) == pytest.approx(turn, abs=1e-7)
    assert kinks(True, tube) > 1.05 * turn
    disc = [[(1 + z) * x, (1 + z) * y, 0.0] for x, y, z in tube]
    assert kinks(True, disc) == pytest.approx(0, abs=1e-7)


def test_creases_are_no_kinks() -> None:
    """Endless creases are meant to be sharp and count for nothing."""
    cube = cube_mesh()
    sharp = Mesh(cube.topology, cube.positions, {}, {"sharpness": np.full(12, np.inf)})
    assert smoothed_shape.read_kinks(smoothed_shape.Smoothed(sharp), LIMITS).value == 0.0


def test_triangles_are_told_on_a_bend_and_not_on_the_flat() -> None:
    """Flat triangles are no fault; on a bend and round poles they are counted."""
    flat = make_mesh([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], [[0, 1, 2], [0, 2, 3]])
    assert smoothed_shape.read_odd_on_bends(figures_of(flat)).value == 0
    bent = make_mesh([[0, 0, 0], [1, 0, 1], [1, 1, 0], [0, 1, 0]], [[0, 1, 2], [0, 2, 3]])
    assert smoothed_shape.read_odd_on_bends(figures_of(bent)).value == 2
    ball = mesh_surface(sphere(20), 24, 12, poles="fan")
    assert smoothed_shape.read_odd_on_bends(figures_of(ball)).value == 48


def test_strips_nearer_than_six_levels_can_tell_are_pointed_at() -> None:
    """Strips of a fiftieth pass, of a hundredth are pointed at."""
    grid = grid_mesh(4, 3)
    for share, found in ((0.1, 0), (1 / 50, 0), (1 / 100, 3)):
        cut = cut_rings(grid, [(0, np.array([share]))]).mesh
        reading = smoothed_shape.read_close_loops(figures_of(cut))
        assert reading.value in (found, 0 if not found else 4), share


def test_outline_of_a_sphere_stands_off_its_chords_by_the_known_height() -> None:
    """Chords of a circle of radius r in n edges: r (1 - cos(pi / n)); faces lie at most as far again inside."""
    mesh = mesh_surface(sphere(20), 48, 24)
    value = smoothed_shape.read_silhouette(mesh, sphere(20), LIMITS).value
    assert 0.8 * 20 * (1 - np.cos(np.pi / 48)) < value < 2.5 * 20 * (1 - np.cos(np.pi / 48))


def test_symmetry_error_is_how_far_one_side_was_moved() -> None:
    """A point moved by 2 mm is read as 2 mm."""
    mesh = mesh_surface(torus(30, 10), 24, 12)
    assert smoothed_shape.read_symmetry(mesh, 0).value < 1e-9
    moved = mesh.positions.copy()
    at = int(np.argmax(moved[:, 2] - 0.001 * moved[:, 0]))
    moved[at, 2] += 2.0
    assert smoothed_shape.read_symmetry(mesh.moved(moved), 0).value == pytest.approx(2.0, rel=0.1)


def test_edges_range_from_the_shortest_to_the_longest() -> None:
    """On an even grid both ends of the range are the same."""
    shortest, longest = smoothed_shape.read_edge_range(figures_of(grid_mesh(3, 2, 2.0)))
    assert (shortest.value, longest.value) == (2.0, 2.0)


def test_nothing_is_read_off_an_empty_mesh() -> None:
    """No face gives no number rather than a wrong one."""
    empty = make_mesh(np.zeros((0, 3)), np.zeros((0, 4)))
    assert np.isnan(smoothed_shape.read_kinks(smoothed_shape.Smoothed(empty), LIMITS).value)
    assert np.isnan(smoothed_shape.read_symmetry(empty, 0).value)


def test_the_thinnest_strip_says_how_much_wider_it_must_be() -> None:
    """Rows of 1, 1 and 0.01: the last must be 1/64 of its neighbour, 1.5625 times as wide."""
    rows = np.array([0.0, 1.0, 2.0, 2.01])
    grid = grid_mesh(3, 3)
    places = grid.positions.copy()
    places[:, 1] = rows[np.rint(places[:, 1] / np.ptp(places[:, 1]) * 3).astype(int)]
    thin = grid.moved(places)
    assert smoothed_shape.widening(thin) == pytest.approx(1 / 64 / 0.01)
    assert smoothed_shape.widening(grid) == 1.0
    assert smoothed_shape.read_close_loops(figures_of(thin)).value == 3
