"""Faces that run through others, held against libigl's exact test of two triangles (Guigue and Devillers, 2003)."""

from __future__ import annotations

import igl
import numpy as np
import pytest

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.gauges.crossings import crossing_faces, crossing_others
from glass_spoon.kernel.mesh_edits.gather_meshes import gather_meshes
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.shading import cut_triangles
from glass_spoon.kernel.meshes.topology import make_topology

BOX = [[0, 3, 2, 1], [4, 5, 6, 7], [0, 1, 5, 4], [1, 2, 6, 5], [2, 3, 7, 6], [3, 0, 4, 7]]


def box(low: tuple[float, float, float], high: tuple[float, float, float]) -> Mesh:
    (a, b, c), (d, e, f) = low, high
    return Mesh(
        make_topology(8, BOX), [[a, b, c], [d, b, c], [d, e, c], [a, e, c], [a, b, f], [d, b, f], [d, e, f], [a, e, f]]
    )


def ring(around: int, across: int, large: float, small: float) -> Mesh:
    u, v = np.meshgrid(np.arange(around) * 2 * np.pi / around, np.arange(across) * 2 * np.pi / across, indexing="ij")
    out = large + small * np.cos(v)
    i, j = np.meshgrid(np.arange(around), np.arange(across), indexing="ij")
    ahead, beside = (i + 1) % around, (j + 1) % across
    faces = np.stack((i * across + j, ahead * across + j, ahead * across + beside, i * across + beside), axis=-1)
    points = np.stack((out * np.cos(u), out * np.sin(u), small * np.sin(v)), axis=-1)
    return Mesh(make_topology(around * across, faces.reshape(-1, 4)), points.reshape(-1, 3))


def moved(mesh: Mesh, by: np.ndarray, turn: np.ndarray | None = None, times: float = 1.0) -> Mesh:
    points = mesh.positions if turn is None else mesh.positions @ turn.T
    return Mesh(mesh.topology, (points + by) * times)


def exact(mesh: Mesh, other: Mesh) -> set[int]:
    """Return the faces of `mesh` that libigl finds crossing those of the other, by more than a point."""
    mine, theirs = (one.positions[cut_triangles(one, one.topology.face_corners)] for one in (mesh, other))
    found = set()
    for number, p in enumerate(mine):
        near = ((theirs.min(axis=1) <= p.max(axis=0)) & (theirs.max(axis=1) >= p.min(axis=0))).all(axis=1)
        for q in theirs[near]:
            hit, in_plane, first, last = igl.tri_tri_intersection_test_3d(*(corner[None].copy() for corner in (*p, *q)))
            if hit and not in_plane and lengths(np.ravel(first) - np.ravel(last)) > 0.02:
                found.add(number // 2)
    return found


@pytest.mark.parametrize("times", [0.001, 1.0, 1000.0])
@pytest.mark.parametrize("seed", range(4))
def test_rings_through_rings_cross_where_an_exact_test_says(seed: int, times: float) -> None:
    """Linked rings in random places, in two meshes and in one, at any size."""
    rng = np.random.default_rng(seed)
    turn = np.linalg.qr(rng.normal(size=(3, 3)))[0]
    mesh, other = ring(24, 14, 30, 10), moved(ring(20, 12, 25, 6), rng.normal(size=3) * 12, turn)
    wanted = exact(mesh, other)
    assert len(wanted) > 5
    first, second = moved(mesh, np.zeros(3), times=times), moved(other, np.zeros(3), times=times)
    found = set(crossing_others(first, [second]).tolist())
    assert len(found ^ wanted) <= 1  # what reaches through by about a hair may be told or not
    both = gather_meshes([first, second])
    assert set(crossing_faces(both).tolist()) >= found
    assert set(crossing_faces(both).tolist()) == found | {f + mesh.face_count for f in crossing_others(second, [first])}


@pytest.mark.parametrize("seed", range(4))
def test_long_thin_faces_cross_where_an_exact_test_says(seed: int) -> None:
    """Rings of faces twenty times as long as they are wide, askew through each other: boxes along the faces part no pair
    that crosses.
    """
    rng = np.random.default_rng(seed)
    turn = np.linalg.qr(rng.normal(size=(3, 3)))[0]
    mesh, other = ring(300, 6, 30, 10), moved(ring(10, 80, 25, 6), rng.normal(size=3) * 12, turn)
    wanted = exact(mesh, other)
    assert len(wanted) > 20
    assert len(set(crossing_others(mesh, [other]).tolist()) ^ wanted) <= 2  # what reaches through by a hair, as above


@pytest.mark.parametrize("mesh", [ring(40, 20, 30, 10), ring(80, 8, 30, 2), box((0, 0, 0), (10, 20, 30))])
def test_bodies_that_do_not_meet_themselves_do_not_cross(mesh: Mesh) -> None:
    """No pair of faces is reported on rings and boxes."""
    assert not len(crossing_faces(mesh))


def test_bodies_that_touch_do_not_cross() -> None:
    """A box on a box, a box beside it, and a rib that stands on a wall."""
    lower = box((0, 0, 0), (10, 10, 10))
    assert not len(crossing_others(lower, [box((0, 0, 10), (10, 10, 20)), box((10, 2, 0), (20, 8, 10))]))
    rib = Mesh(make_topology(4, [[0, 1, 2, 3]]), [[5, 2, 10], [5, 8, 10], [5, 8, 20], [5, 2, 20]])
    assert not len(crossing_others(lower, [rib]))
    assert not len(crossing_others(rib, [lower]))


def test_boxes_let_into_each_other_cross_also_where_their_sides_lie_in_one_plane() -> None:
    """Half way into each other along x: no edge pierces a face, four sides lie in one plane with the other's."""
    first, second = box((0, 0, 0), (2, 2, 2)), box((1, 0, 0), (3, 2, 2))
    assert len(crossing_others(first, [second])) == 4
    assert len(crossing_others(first, [box((0.5, 0.5, 1), (1.5, 1.5, 4))])) == 1
    assert len(crossing_others(box((0.5, 0.5, 1), (1.5, 1.5, 4)), [first])) == 4
    assert not len(crossing_others(first, [box((0.5, 0.5, 0.5), (1.5, 1.5, 1.5))]))  # inside, it crosses no face


def test_small_faces_are_found_in_large_ones_and_the_other_way_round() -> None:
    """A thin rod of many small faces through one large face: only those are told, on both sides."""
    wall = Mesh(make_topology(4, [[0, 1, 2, 3]]), [[-500, -500, 0.3], [500, -500, 0.3], [500, 500, 0.3], [-500, 500, 0.3]])
    heights, angles = np.meshgrid(np.arange(-5.0, 6.0), np.arange(8) * np.pi / 4, indexing="ij")
    points = np.stack((0.2 * np.cos(angles), 0.2 * np.sin(angles), heights), axis=-1).reshape(-1, 3)
    i, j = np.meshgrid(np.arange(10), np.arange(8), indexing="ij")
    faces = np.stack((8 * i + j, 8 * i + (j + 1) % 8, 8 * (i + 1) + (j + 1) % 8, 8 * (i + 1) + j), axis=-1).reshape(-1, 4)
    rod = Mesh(make_topology(len(points), faces), points)
    assert crossing_others(wall, [rod]).tolist() == [0]
    assert crossing_others(rod, [wall]).tolist() == list(range(40, 48))
    assert len(crossing_faces(gather_meshes([wall, rod]))) == 9


def test_faces_of_many_sides_and_triangles_are_neighbours_as_quads_are() -> None:
    """A drum with lids of 600 sides, and a ring of triangles, do not cross themselves; a rod through a lid does."""
    angles = np.arange(600) * 2 * np.pi / 600
    rim = np.stack((50 * np.cos(angles), 50 * np.sin(angles), 0 * angles), axis=-1)
    ahead, around = np.roll(np.arange(600), -1), np.arange(600)
    sides = np.stack((around, ahead, 600 + ahead, 600 + around), axis=-1).ravel()
    corners = np.concatenate((sides, around[::-1], 600 + around))
    offsets = np.cumsum([0, *([4] * 600), 600, 600])
    drum = Mesh(make_topology(1200, corners, offsets=offsets), np.concatenate((rim, rim + np.array([0, 0, 20]))))
    assert not len(crossing_faces(drum))
    quads = ring(40, 20, 30, 10)
    triangles = quads.topology.face_corners.reshape(-1, 4)[:, [0, 1, 2, 0, 2, 3]].reshape(-1, 3)
    assert not len(crossing_faces(Mesh(make_topology(quads.point_count, triangles), quads.positions)))
    rod = box((10, 10, 10), (14, 14, 40))
    assert crossing_others(drum, [rod]).tolist() == [601]
    assert len(crossing_faces(gather_meshes([drum, rod]))) == 5


def cells(low: tuple[float, float, float], counts: tuple[int, int, int]) -> Mesh:
    """Return a box of faces of 1 mm, from a place with whole coordinates on."""
    faces, numbers = [], {}
    for axis in range(3):
        i, j = (axis + 1) % 3, (axis + 2) % 3
        for side in (0, counts[axis]):
            for a in range(counts[i]):
                for b in range(counts[j]):
                    corners = []
                    for u, v in ((0, 0), (1, 0), (1, 1), (0, 1)):
                        place = [0, 0, 0]
                        place[axis], place[i], place[j] = side, a + u, b + v
                        corners.append(numbers.setdefault(tuple(place), len(numbers)))
                    faces.append(corners if side else corners[::-1])
    return Mesh(make_topology(len(numbers), faces), np.array(list(numbers), dtype=float) + low)


@pytest.mark.parametrize("times", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("turned", [False, True])
@pytest.mark.parametrize(
    ("low", "crosses"),
    [
        ((2, 2, 3), True),
        ((2, 2, 2.5), True),
        ((2.5, 2.5, 3), True),
        ((6, 2, 1), True),
        ((2, 2, 4), False),
        ((8, 2, 0), False),
        ((8, 2, 1), False),
        ((8, 8, 4), False),
        ((8, 8, 2), False),
    ],
)
def test_boxes_moved_by_whole_faces(low: tuple[float, float, float], crosses: bool, turned: bool, times: float) -> None:
    """Where edges lie on edges no face reaches through another, and yet the boxes share space, or only touch."""
    turn = np.linalg.qr(np.random.default_rng(5).normal(size=(3, 3)))[0] if turned else np.eye(3)
    first, second = (moved(one, np.zeros(3), turn, times) for one in (cells((0, 0, 0), (8, 8, 4)), cells(low, (3, 3, 3))))
    found = [len(crossing_faces(gather_meshes([first, second]))), len(crossing_others(first, [second]))]
    assert (min(found) > 0, max(found) > 0) == (crosses, crosses)
