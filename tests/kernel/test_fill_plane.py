"""Flat outlines filled with quads."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshes.mesh import Mesh, check_mesh, make_mesh
from glass_spoon.kernel.meshing.fill_plane import fill_plane
from glass_spoon.kernel.meshing.plane_fill import PlaneFill
from glass_spoon.kernel.meshing.triangulate_plane import contains


def circle(radius: float, count: int, x: float = 0, y: float = 0, back: bool = False) -> np.ndarray:
    angle = np.arange(count) * 2 * np.pi / count
    points = np.column_stack((x + radius * np.cos(angle), y + radius * np.sin(angle)))
    return points[::-1] if back else points


def divided(corners: list, step: float) -> np.ndarray:
    """Return a polygon divided into steps, an even number on each side."""
    parts = []
    for a, b in zip(np.array(corners, float), np.roll(np.array(corners, float), -1, axis=0), strict=True):
        count = max(2, 2 * round(float(np.hypot(*(b - a))) / step / 2))
        parts.append(a + (b - a) * np.linspace(0, 1, count, endpoint=False)[:, None])
    return np.concatenate(parts)


ELL = divided([[0, 0], [60, 0], [60, 20], [20, 20], [20, 50], [0, 50]], 3)
STAR = divided([[(30 if k % 2 else 12) * f(k * np.pi / 5) for f in (np.cos, np.sin)] for k in range(10)], 2.5)


def checked(loops: list[np.ndarray]) -> Mesh:
    """Return the fill as a mesh: its rim is the one given, its area the outline's, no face turned over."""
    fill = fill_plane(loops)
    mesh = make_mesh(np.column_stack((fill.points, np.zeros(len(fill.points)))), fill.faces)
    check_mesh(mesh)
    assert np.array_equal(fill.points[: sum(map(len, loops))], np.concatenate(loops))
    areas = mesh.face_vectors[:, 2]
    assert areas.min() > 0
    ahead = [np.roll(loop, -1, axis=0) for loop in loops]
    wanted = sum(float((a[:, 0] * b[:, 1] - b[:, 0] * a[:, 1]).sum()) / 2 for a, b in zip(loops, ahead, strict=True))
    assert areas.sum() == pytest.approx(wanted, rel=1e-12)
    uses = np.bincount(mesh.topology.edges.of_corner)
    assert (uses == 1).sum() == sum(map(len, loops))
    assert uses.max() == 2
    return mesh


def worst_corner(mesh: Mesh) -> float:
    """Return the smallest corner in degrees, or what the largest misses of 180."""
    corners = mesh.positions[mesh.topology.face_corners].reshape(-1, 4, 3)[..., :2]
    ahead, back = np.roll(corners, -1, axis=1) - corners, np.roll(corners, 1, axis=1) - corners
    angle = np.degrees(np.arctan2(ahead[..., 0] * back[..., 1] - ahead[..., 1] * back[..., 0], (ahead * back).sum(axis=2)))
    return float(np.minimum(angle, 180 - angle).min())


def holed_disc(count: int, hole: int, middle: int = 0) -> list[np.ndarray]:
    """A disc of radius 50 with a ring of holes, and one in the middle."""
    ring = [circle(6, hole, 0, 0) for _ in range(count)]
    for k, one in enumerate(ring):
        turn = 2 * np.pi * k / count
        way = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
        ring[k] = ((one + np.array([35.0, 0.0])) @ way.T)[::-1]
    return [circle(50, 8 * count), *ring, *([circle(12, middle, back=True)] if middle else [])]


PLATE = divided([[0, 0], [100, 0], [100, 60], [0, 60]], 4)


@pytest.mark.parametrize(
    ("loops", "least"),
    [
        ([circle(20, 32)], 45),
        ([divided([[0, 0], [20, 0], [20, 10], [0, 10]], 1)], 89.9),
        ([ELL], 45),
        ([STAR], 37),
        ([circle(20, 32), circle(8, 32, 3, back=True)], 60),
        ([circle(20, 32), circle(8, 16, back=True)], 45),
        ([divided([[0, 0], [80, 0], [80, 40], [0, 40]], 2), *(circle(6, 16, x, 20, True) for x in (15, 40, 65))], 45),
        ([circle(30, 60), circle(4, 40, 25, 0, True)], 12),
        ([circle(50, 48), circle(10, 16, 15, 5, True)], 45),
        (holed_disc(10, 12), 45),
        (holed_disc(10, 12, 20), 45),
        ([PLATE, circle(12, 20, 61, 33, True)], 45),
        ([PLATE, *(circle(5, 12, x, y, True) for x in (12, 88) for y in (10, 50))], 44.9),
        ([PLATE, divided([[30, 24], [30, 36], [70, 36], [70, 24]], 4)], 44.9),
    ],
    ids=[
        *("disc", "grid", "ell", "star", "ring", "uneven ring", "three holes", "hole near the rim"),
        *("hole aside", "ten holes", "eleven holes", "plate with a hole", "plate with four", "slot"),
    ],
)
def test_outlines_are_filled_within_their_rim(loops: list[np.ndarray], least: float) -> None:
    """All quads within the outline, with the worst corner above what is asked."""
    assert worst_corner(checked(loops)) > least


def test_grid_has_as_many_faces_as_its_sides_ask_for() -> None:
    """A rectangle of 20 by 10 edges becomes 200 faces."""
    mesh = checked([divided([[0, 0], [20, 0], [20, 10], [0, 10]], 1)])
    assert mesh.face_count == 200


@pytest.mark.parametrize("count", [64, 304, 512])
def test_a_round_end_is_as_even_inside_as_at_its_rim(count: int) -> None:
    """Its faces are nearly squares of one size, however many there are: a fine rim gives no coarse middle."""
    mesh = checked([circle(12, count)])
    areas = lengths(mesh.face_vectors)
    assert worst_corner(mesh) > 40
    assert mesh.face_count > count**2 / 12
    assert areas.max() / areas.min() < 15


@pytest.mark.parametrize("loop", [circle(5, 7), circle(5, 2)])
def test_odd_and_tiny_rims_are_refused(loop: np.ndarray) -> None:
    """Rims of seven or two edges are refused for their count."""
    with pytest.raises(KernelError, match="even count"):
        fill_plane([loop])


def test_a_narrow_rim_of_four_edges_is_filled_and_a_hole_of_four_is_refused() -> None:
    """A slender diamond is filled; a hole too coarse says to use shorter edges."""
    assert checked([np.array([[8.0, 0.0], [0.0, 70.0], [-8.0, 0.0], [0.0, -70.0]])]).face_count >= 1
    for loops in ([circle(20, 24), circle(4, 4, back=True)], [np.array([[0, 0], [10, 0], [3, 3], [0, 10.0]])]):
        with pytest.raises(KernelError, match="Use shorter edges"):
            fill_plane(loops)


def test_inside_is_told_by_the_even_odd_rule() -> None:
    """A place in the ring, in its hole and outside it."""
    rim = np.concatenate((circle(10, 20), circle(4, 20, back=True)))
    edges = np.concatenate([first + np.column_stack((np.arange(20), np.roll(np.arange(20), -1))) for first in (0, 20)])
    assert contains(rim, edges, np.array([[0.0, 0.0], [7.0, 0.0], [12.0, 0.0]])).tolist() == [False, True, False]


@settings(max_examples=40)
@given(st.integers(0, 10_000), st.integers(3, 10))
def test_any_star_shaped_polygon_is_filled(seed: int, count: int) -> None:
    """Random outlines are filled without a fold, or told to be too narrow."""
    rng = np.random.default_rng(seed)
    angle = (np.arange(count) + rng.uniform(0.1, 0.9, count)) * 2 * np.pi / count
    radius = rng.uniform(8, 25, count)
    corners = np.column_stack((radius * np.cos(angle), radius * np.sin(angle)))
    step = float(rng.uniform(1.5, 5))
    try:
        checked([divided(corners.tolist(), step)])
    except KernelError as error:
        assert "too narrow" in str(error)


def turned_onto_itself(fill: PlaneFill, way: np.ndarray, middle: np.ndarray) -> float:
    """How far the image of a vertex lies from the nearest; faces must fall on faces."""
    images = (fill.points - middle) @ way.T + middle
    away, found = cKDTree(fill.points).query(images)
    faces = {frozenset(face) for face in fill.faces.tolist()}
    assert {frozenset(face) for face in found[fill.faces].tolist()} == faces
    return float(away.max())


@pytest.mark.parametrize(("loops", "order"), [(holed_disc(10, 12, 20), 10), (holed_disc(10, 12), 5), (holed_disc(3, 12), 3)])
def test_a_symmetric_plate_falls_on_itself_when_turned(loops: list[np.ndarray], order: int) -> None:
    """By 36° with a hole in the middle; without one by 72°, as ten corners do not fit into a point."""
    angle = 2 * np.pi / order
    way = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    fill = fill_plane(loops)
    assert turned_onto_itself(fill, way, np.zeros(2)) < 1e-7
    assert worst_corner(checked(loops)) > 41


def test_a_mirrored_plate_falls_on_itself_when_mirrored() -> None:
    """A plate with a hole off its middle has one mirror, one with four holes two; an edge of the fill runs on each."""
    one = [PLATE, circle(9, 20, 40, 30, True)]
    four = [PLATE, *(circle(5, 12, x, y, True) for x in (12, 88) for y in (10, 50))]
    for loops, mirrors in ((one, [[1, -1]]), (four, [[1, -1], [-1, 1]])):
        fill = fill_plane(loops)
        for mirror in mirrors:
            assert turned_onto_itself(fill, np.diag(mirror), np.array([50.0, 30.0])) < 1e-7


def test_rims_are_followed_by_a_row() -> None:
    """Every vertex of a round hole, and of straight sides, has one edge inwards; corners of the plate have one face."""
    fill = fill_plane([PLATE, circle(12, 20, 61, 33, True)])
    uses = np.bincount(fill.faces.ravel())
    corners = [k for k, place in enumerate(PLATE) if place[0] in (0, 100) and place[1] in (0, 60)]
    assert (uses[corners] == 1).all()
    rim = np.setdiff1d(np.arange(len(PLATE) + 20), corners)
    assert (uses[rim] == 2).all()


def test_size_and_place_change_nothing() -> None:
    """At 0.01 and 100 times the size, and elsewhere, the same faces come."""
    loops = [PLATE, circle(12, 20, 61, 33, True)]
    faces = fill_plane(loops).faces
    for size in (0.01, 100.0):
        assert np.array_equal(fill_plane([loop * size + [3 * size, -7 * size] for loop in loops]).faces, faces)
