"""Openings along curves: all quads, corners within bounds, rims on their curves, far faces untouched; areas by formula."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.spatial import cKDTree

from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.mesh_edits.open_along import Opened, open_along
from glass_spoon.kernel.mesh_edits.thicken import Wall, thicken
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.meshes.origin import check_origin
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.kernel.meshing.six_sides import SixSides, mesh_six_sides
from tests.mesh_checker import check_result, faces_of, open_sides
from tests.zoo import grid_mesh, sphere

SKIN = grid_mesh(40, 30, 2.5)


def circle(x: float, y: float, radius: float, count: int = 400) -> np.ndarray:
    turn = np.arange(count) * 2 * np.pi / count
    return np.column_stack((x + radius * np.cos(turn), y + radius * np.sin(turn), 0 * turn))


def slot(x: float, y: float, length: float, radius: float, angle: float) -> np.ndarray:
    turn = np.linspace(-np.pi / 2, np.pi / 2, 120)
    ends = [np.column_stack((side * (length / 2 + radius * np.cos(turn)), side * radius * np.sin(turn))) for side in (1, -1)]
    corners = np.concatenate(ends)
    places = [
        start + (end - start) * np.arange(count := max(1, int(np.linalg.norm(end - start) / 0.3)))[:, None] / count
        for start, end in zip(corners, np.roll(corners, -1, axis=0), strict=True)
    ]
    c, s = np.cos(angle), np.sin(angle)
    flat = np.concatenate(places) @ np.array([[c, s], [-s, c]])
    return np.column_stack((flat[:, 0] + x, flat[:, 1] + y, np.zeros(len(flat))))


def corner_angles(mesh: Mesh, faces: np.ndarray) -> np.ndarray:
    """Return all corners of some quads in degrees."""
    quads = mesh.positions[mesh.topology.face_corners.reshape(-1, 4)[faces]]
    found = []
    for k in range(4):
        a, b = quads[:, (k + 1) % 4] - quads[:, k], quads[:, k - 1] - quads[:, k]
        cosine = np.einsum("ij,ij->i", a, b) / np.linalg.norm(a, axis=1) / np.linalg.norm(b, axis=1)
        found.append(np.degrees(np.arccos(np.clip(cosine, -1, 1))))
    return np.concatenate(found)


def about(done: Opened) -> np.ndarray:
    """Mark the faces of the band and those that touch them."""
    mesh, band = done.mesh, done.origin.faces_in("band")
    near = np.zeros(mesh.point_count, dtype=bool)
    near[mesh.topology.face_corners.reshape(-1, 4)[band]] = True
    return near[mesh.topology.face_corners.reshape(-1, 4)].any(axis=1)


@pytest.mark.parametrize("seed", range(24))
def test_any_round_hole_or_slot_is_opened_with_square_corners(seed: int) -> None:
    """At random places, sizes and turns: closed quads, 98 % of the corners within 45 to 135 degrees, one rim more."""
    rng = np.random.default_rng(seed)
    radius, x, y = rng.uniform(2.2, 22), rng.uniform(30, 70), rng.uniform(28, 47)
    shape = circle(x, y, radius) if seed % 2 else slot(x, y, rng.uniform(3, 25), min(radius, 9), rng.uniform(0, np.pi))
    done = open_along(SKIN, [shape])
    check_origin(done)
    check_result(done.mesh, closed=False)
    angles = corner_angles(done.mesh, about(done))
    assert ((angles >= 45) & (angles <= 135)).mean() >= 0.98
    assert (angles.min() > 40, angles.max() < 145) == (True, True)
    euler = done.mesh.point_count - len(done.mesh.topology.edges.ends) + done.mesh.face_count
    assert euler == 0  # a disc has 1, a hole takes 1


@pytest.mark.parametrize("radius", [2.0, 5.0, 12.0, 24.0])
def test_the_rim_lies_on_the_curve_and_takes_its_area(radius: float) -> None:
    """Rim points on it to the last digits; the area taken is that of their polygon; edges off it by their bulge."""
    done = open_along(SKIN, [circle(50, 37, radius, 4000)])
    rim = done.mesh.positions[
        np.unique(done.mesh.topology.edges.ends[done.origin.edge_roles == done.origin.roles.index("rim")])
    ]
    assert np.hypot(*(rim[:, :2] - [50, 37]).T) == pytest.approx(radius, rel=1e-6)
    count = len(rim)
    area = np.linalg.norm(done.mesh.face_vectors, axis=1).sum()
    assert 100 * 75 - area == pytest.approx(np.pi * radius**2, rel=8 / count**2 + 1e-4)
    assert done.off == pytest.approx(radius * (1 - np.cos(np.pi / count)), rel=0.6)


def test_a_small_round_hole_in_a_grid_has_four_odd_points() -> None:
    """Where the block that was taken out had its corners; each of five edges."""
    done = open_along(SKIN, [circle(50, 37.5, 5)])
    assert len(done.odd) == 4
    assert (done.mesh.topology.valences[done.odd] == 5).all()


def test_faces_farther_than_three_edges_are_what_they_were() -> None:
    """To the last bit, in their order, with their values."""
    skin = Mesh(SKIN.topology, SKIN.positions, faces={"number": np.arange(1.0, SKIN.face_count + 1)})
    done = open_along(skin, [circle(40, 30, 8), circle(70, 50, 6)])
    away = np.minimum(
        np.hypot(*(SKIN.face_centers[:, :2] - [40, 30]).T) - 8, np.hypot(*(SKIN.face_centers[:, :2] - [70, 50]).T) - 6
    )
    far = set((np.flatnonzero(away > 4.5 * 2.5) + 1).tolist())
    kept = 0
    for number, face in zip(done.mesh.faces["number"].astype(int).tolist(), faces_of(done.mesh), strict=True):
        if number in far:
            old = SKIN.positions[SKIN.topology.face_corners.reshape(-1, 4)[number - 1]]
            assert (done.mesh.positions[face] == old).all()
            kept += 1
    assert kept == len(far) > 500


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_windows_in_a_ball_lie_on_the_ball(size: float) -> None:
    """Three round windows about the axes: every point at the radius, normals with it, and a wall closes it."""
    host = sphere(40.0 * size)
    mesh = mesh_surface(host, 64, 32)
    turn = np.arange(400) * 2 * np.pi / 400
    ring = np.column_stack((np.full(400, np.sqrt(40**2 - 12**2)), 12 * np.cos(turn), 12 * np.sin(turn))) * size
    done = open_along(mesh, [ring, ring[:, [1, 0, 2]], -ring], host)
    check_result(done.mesh, closed=False)
    assert np.linalg.norm(done.mesh.positions, axis=1) == pytest.approx(40 * size, rel=1e-6)
    assert done.mesh.points["normal"] * 40 * size == pytest.approx(done.mesh.positions, abs=1e-4 * size)
    euler = done.mesh.point_count - len(done.mesh.topology.edges.ends) + done.mesh.face_count
    assert euler == 2 - 3
    shell = thicken(done.mesh, Wall(np.zeros(done.mesh.point_count), np.full(done.mesh.point_count, 2.0 * size))).mesh
    check_result(shell, closed=True)
    whole = 4 / 3 * np.pi * (40**3 - 38**3)
    cap = 2 * np.pi * 40 * (40 - np.sqrt(40**2 - 12**2)) * 2
    assert enclosed_volume(shell) == pytest.approx((whole - 3 * cap) * size**3, rel=0.01)


def test_ten_holes_in_a_row_are_ten_rims() -> None:
    """Each by itself; where two come too near to each other that is said."""
    holes = [circle(12 + 15 * k, y, 4) for k in range(6) for y in (20, 52)]
    done = open_along(SKIN, holes)
    check_result(done.mesh, closed=False)
    assert open_sides(done.mesh) - 140 == sum(1 for role in done.origin.edge_roles if done.origin.roles[role] == "rim")
    with pytest.raises(KernelError, match=r"Outline 2 .*(rim|fit|parts|opened)"):
        open_along(SKIN, [circle(40, 37, 8), circle(54, 37, 7)])


def test_what_cannot_be_opened_is_refused_with_what_to_do() -> None:
    """Off the mesh, over its rim, round a whole body, over everything."""
    with pytest.raises(KernelError, match="off the mesh"):
        open_along(SKIN, [circle(50, 37, 8) + np.array([0, 0, 5])])
    with pytest.raises(KernelError, match="too near to the rim"):
        open_along(SKIN, [circle(6, 37, 5)])
    ball = mesh_six_sides(SixSides((0, 0, 0), 20.0, (1, 1, 1), 1, 12)).mesh
    with pytest.raises(KernelError, match="too far round"):
        open_along(ball, [circle(0, 0, 20)])
    box = mesh_six_sides(SixSides((20, 20, 20), 0.0, (10, 10, 10), 1, 1)).mesh
    with pytest.raises(KernelError, match="over a crease"):
        open_along(box, [circle(0, 16, 6) + np.array([0, 0, 20])])
    assert open_sides(open_along(box, [circle(0, 0, 9) + np.array([0, 0, 20])]).mesh) > 12


def test_equal_holes_of_an_even_skin_get_equal_meshes() -> None:
    """Four in a square map on themselves when mirrored and turned; ten in a ring about a polar sheet when turned by 36°."""
    square = open_along(grid_mesh(40, 40, 1.0), [circle(x, y, 4.3) for x in (11, 29) for y in (11, 29)]).mesh
    places = square.positions - [20, 20, 0]
    tree = cKDTree(places)
    for turn in (np.diag([-1, 1, 1]), np.diag([1, -1, 1]), np.array([[0, -1, 0], [1, 0, 0], [0, 0, 1]])):
        assert tree.query(places @ turn.T)[0].max() < 1e-9
    around = np.arange(120) * 2 * np.pi / 120
    out = np.linspace(20, 60, 21)
    points = np.stack((np.outer(out, np.cos(around)), np.outer(out, np.sin(around)), np.zeros((21, 120))), axis=-1)
    table = np.arange(21 * 120).reshape(21, 120)
    ahead = np.roll(table, -1, axis=1)
    quads = np.stack((table[:-1], table[1:], ahead[1:], ahead[:-1]), axis=-1).reshape(-1, 4)
    turn, middles = np.pi / 5, 0.013 + np.arange(10) * np.pi / 5
    holes = [circle(40 * np.cos(at), 40 * np.sin(at), 6.0) for at in middles]
    ring = open_along(make_mesh(points.reshape(-1, 3), quads), holes).mesh
    check_result(ring, closed=False)
    c, s = np.cos(turn), np.sin(turn)
    found = cKDTree(ring.positions).query(ring.positions @ np.array([[c, s, 0], [-s, c, 0], [0, 0, 1]]))[0]
    assert found.max() < 1e-9


def test_holes_at_once_are_as_if_one_after_another() -> None:
    """In either order, and some too near to be opened together: the same counts, each rim on its circle."""
    outlines = [circle(20, 20, 5), circle(34, 20, 5), circle(70, 50, 6), circle(20, 50, 4)]
    found = [open_along(SKIN, own) for own in (outlines, outlines[::-1])]
    for done in found:
        check_result(done.mesh, closed=False)
        check_origin(done)
        assert done.rims == 4
    assert abs(found[0].mesh.face_count - found[1].mesh.face_count) < 20
