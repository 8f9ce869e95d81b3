"""Walls of sheets held against solids: areas times thickness, radii, and planes that stay exactly as far apart."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from glass_spoon.kernel.curves.alter.place_curve import scaling
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.mesh_edits.thicken import Rim, Wall, thicken
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.meshes.origin import check_origin
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.kernel.meshing.six_sides import SixSides, mesh_six_sides
from glass_spoon.kernel.repeat.place_mesh import place_mesh
from glass_spoon.kernel.subdivision.catmull_clark import split_plain, subdivide
from tests.mesh_checker import check_result, open_sides
from tests.zoo import cube_mesh, grid_mesh, slit_mesh, torus

SIZES = [0.01, 1.0, 100.0]


def wall(mesh: Mesh, outside: float, inside: float, rim: Rim = "flat", loops: int = 0, **more: bool) -> Wall:
    return Wall(np.full(mesh.point_count, outside), np.full(mesh.point_count, inside), rim, loops, **more)


def sized(mesh: Mesh, size: float) -> Mesh:
    return place_mesh(mesh, scaling(np.zeros(3), [size] * 3))


def folded_sheet(angle: float, steps: int = 4) -> Mesh:
    """Return a sheet of 1 by 2 whose right half is turned up by an angle about the middle line."""
    mesh = grid_mesh(2 * steps, steps, 1 / steps)
    x, y, _ = mesh.positions.T
    over = np.maximum(x - 1, 0)
    places = np.column_stack((np.minimum(x, 1) + over * np.cos(angle), y, over * np.sin(angle)))
    return make_mesh(places, mesh.topology.face_corners.reshape(-1, 4))


@pytest.mark.parametrize("size", SIZES)
@pytest.mark.parametrize(("outside", "inside"), [(3, 0), (0, 3), (1, 2)])
@pytest.mark.parametrize("loops", [0, 1, 3])
def test_a_flat_sheet_becomes_a_plate(outside: float, inside: float, loops: int, size: float) -> None:
    """200 by 100 by 3 mm: 60,000 mm3, closed, all quads, with as many loops in the rim as asked for."""
    mesh = sized(grid_mesh(20, 10, 10.0), size)
    done = thicken(mesh, wall(mesh, outside * size, inside * size, loops=loops))
    check_origin(done)
    check_result(done.mesh, closed=True)
    assert enclosed_volume(done.mesh) == pytest.approx(60_000 * size**3)
    assert done.mesh.face_count == 2 * 200 + 60 * (loops + 1)
    assert [int(done.origin.faces_in(role).sum()) for role in ("outer", "inner", "rim")] == [200, 200, 60 * (loops + 1)]


@pytest.mark.parametrize("angle", [20, 45, 90, 120, -60])
def test_both_legs_of_a_folded_sheet_stay_as_thick_as_asked(angle: float) -> None:
    """The offset planes meet at the fold: every inner point is exactly 0.2 below the plane of its leg."""
    mesh = folded_sheet(np.radians(angle))
    done = thicken(replace(mesh, edges={"sharpness": np.where(_on_fold(mesh), np.inf, 0.0)}), wall(mesh, 0.0, 0.2))
    inner = done.mesh.positions[mesh.point_count : 2 * mesh.point_count]
    legs = mesh.face_centers[:, 0] < 1 - 1e-9 if abs(angle) < 90 else np.arange(mesh.face_count) % 8 < 4
    for face, vertices in enumerate(mesh.topology.face_corners.reshape(-1, 4)):
        normal = mesh.face_normals[face]
        assert (mesh.positions[vertices] - inner[vertices]) @ normal == pytest.approx(0.2)
    assert legs.any()
    check_result(done.mesh, closed=True)


def _on_fold(mesh: Mesh) -> np.ndarray:
    ends = mesh.topology.edges.ends
    return (ends % 9 == 4).all(axis=1)


@pytest.mark.parametrize("size", SIZES)
def test_a_box_without_its_lid_is_a_tray_of_even_walls(size: float) -> None:
    """Also without creases that are marked: corners of three planes. 40 x 30 x 20 outside, 3 mm walls."""
    box = mesh_six_sides(SixSides((20, 15, 10), 0.0, (4, 3, 2), 1, 1))
    lid = box.mesh.faces["piece"] == box.names.index("top")
    faces = box.mesh.topology.face_corners.reshape(-1, 4)[~lid]
    used, faces = np.unique(faces, return_inverse=True)
    mesh = sized(make_mesh(box.mesh.positions[used], faces.reshape(-1, 4)), size)
    done = thicken(mesh, wall(mesh, 0.0, 3 * size))
    check_result(done.mesh, closed=True)
    assert enclosed_volume(done.mesh) == pytest.approx((40 * 30 * 20 - 34 * 24 * 17) * size**3)


@pytest.mark.parametrize("outside", [True, False])
def test_a_closed_body_gets_a_second_skin(outside: bool) -> None:
    """A ball r 50 with a wall of 3: the other skin lies at 53, or 47, exactly; two islands, both closed."""
    ball = mesh_six_sides(SixSides((0, 0, 0), 50.0, (1, 1, 1), 1, 12)).mesh
    done = thicken(ball, wall(ball, 3.0 * outside, 3.0 * (not outside)))
    radii = np.linalg.norm(done.mesh.positions, axis=1)
    assert sorted(set(np.round(radii, 9))) == ([50.0, 53.0] if outside else [47.0, 50.0])
    assert open_sides(done.mesh) == 0
    assert done.mesh.topology.components.max() == 1
    normals = np.einsum("ij,ij->i", done.mesh.points["normal"], done.mesh.vertex_normals)
    assert (normals > 0.9).all()


def test_a_wall_on_a_coarse_ring_is_even_between_faces_too() -> None:
    """A tube of eight sides that knows no surface: planes 1 apart, as a prism's are, not points 1 apart."""
    angle = np.arange(8) * np.pi / 4
    rings = [np.column_stack((5 * np.cos(angle), 5 * np.sin(angle), np.full(8, float(z)))) for z in (0, 4)]
    number = np.arange(16).reshape(2, 8)
    faces = np.stack((number[0], np.roll(number[0], -1), np.roll(number[1], -1), number[1]), axis=1)
    mesh = make_mesh(np.concatenate(rings), faces)
    done = thicken(mesh, wall(mesh, 1.0, 0.0))
    apothem = 5 * np.cos(np.pi / 8)
    area = 8 * np.tan(np.pi / 8) * ((apothem + 1) ** 2 - apothem**2)
    assert enclosed_volume(done.mesh) == pytest.approx(4 * area)


def test_a_rounded_rim_is_half_a_round() -> None:
    """Points of the rim stand half a wall from its middle; the volume grows by half discs swept along the sides."""
    mesh = grid_mesh(20, 10, 5.0)
    done = thicken(mesh, wall(mesh, 0.0, 2.0, "rounded", 12))
    check_result(done.mesh, closed=True)
    on_side = (mesh.positions[:, 0] == 100) & (mesh.positions[:, 1] > 0) & (mesh.positions[:, 1] < 50)
    rim = done.mesh.positions[2 * mesh.point_count :]
    side = rim[(rim[:, 0] > 100) & (rim[:, 1] > 4) & (rim[:, 1] < 46)]
    assert len(side) == 23 * on_side.sum()
    assert np.hypot(side[:, 0] - 100, side[:, 2] + 1) == pytest.approx(1.0)
    straight = 100 * 50 * 2 + 2 * (90 + 40) * np.pi / 2
    assert straight < enclosed_volume(done.mesh) < straight + 4 * 10 * np.pi / 2 + 4 * np.pi


def test_an_edge_band_has_no_second_skin() -> None:
    """The sheet stays, its rim turns in by the wall; the end of the band is open."""
    mesh = grid_mesh(4, 3)
    done = thicken(mesh, wall(mesh, 0.0, 0.5, loops=1, band=True))
    check_origin(done)
    assert done.mesh.face_count == 12 + 2 * 14
    assert open_sides(done.mesh) == 14
    assert done.mesh.positions[:, 2].min() == pytest.approx(-0.5)


def test_open_walls_are_two_skins() -> None:
    """Nothing between them."""
    mesh = grid_mesh(4, 3)
    done = thicken(mesh, wall(mesh, 0.25, 0.25, "open"))
    check_origin(done)
    assert (done.mesh.face_count, open_sides(done.mesh)) == (24, 28)


@pytest.mark.parametrize("thickness", [3.0, 3.9, 4.1, 6.0])
def test_a_wall_thicker_than_the_bend_is_told_with_what_fits(thickness: float) -> None:
    """The tube of a torus has a radius of 4: inside, 3.9 fits and 4.1 does not, and what fits is 4."""
    mesh = mesh_surface(torus(20, 4), 60, 24)
    done = thicken(mesh, wall(mesh, 0.0, thickness))
    assert (len(done.folded) > 0) == (thickness > 4)
    assert done.fits * thickness == pytest.approx(min(thickness, 4.0), rel=1e-9)


def test_a_wall_made_thinner_folds_nothing() -> None:
    """Where it would fold it is thinner, elsewhere as asked, and no step between."""
    x = np.linspace(-30, 30, 61)
    places = np.array([[a, b, 8 * np.exp(-((a / 4) ** 2))] for b in range(5) for a in x])
    number = np.arange(5 * 61).reshape(5, 61)
    faces = np.stack((number[:-1, :-1], number[:-1, 1:], number[1:, 1:], number[1:, :-1]), -1).reshape(-1, 4)
    mesh = make_mesh(places, faces)
    assert len(thicken(mesh, wall(mesh, 0.0, 3.0)).folded)
    done = thicken(mesh, wall(mesh, 0.0, 3.0, evened=True))
    assert not len(done.folded)
    assert 0 < done.thinned < mesh.point_count
    inner = done.mesh.positions[mesh.point_count : 2 * mesh.point_count]
    assert np.linalg.norm(inner - places, axis=1)[[0, 60]] == pytest.approx(3.0)


def test_divided_before_or_smoothed_after_the_flats_stay_as_thick() -> None:
    """A tray between a plain division and a rounded smoothing: its floor keeps 0.3 to the rounding of the last digits."""
    cube = cube_mesh(8.0)
    mesh = split_plain(make_mesh(cube.positions, cube.topology.face_corners.reshape(-1, 4)[:5]), 3)
    fine = subdivide(thicken(mesh, wall(mesh, 0.0, 0.3, loops=1)).mesh, 2)
    floor = fine.positions[(np.abs(fine.positions[:, 0]) < 1.5) & (np.abs(fine.positions[:, 1]) < 1.5)]
    low = floor[floor[:, 2] < 0][:, 2]
    assert sorted(set(np.round(low, 9))) == [-4.0, -3.7]


def test_values_follow_to_both_skins_and_the_rim() -> None:
    """Points, corners and faces bear what they bore; edges of both skins too; the rim takes the faces beside it."""
    flat = grid_mesh(3, 2)
    mesh = Mesh(
        flat.topology,
        flat.positions,
        {"place": flat.positions},
        {"number": np.arange(1.0, len(flat.topology.edges.ends) + 1)},
        {"uv": flat.positions[flat.topology.face_corners][:, :2]},
        {"number": np.arange(1.0, 7.0)},
    )
    done = thicken(mesh, wall(mesh, 0.0, 0.5, loops=1)).mesh
    assert done.points["place"][:, :2] == pytest.approx(done.positions[:, :2])
    assert done.corners["uv"] == pytest.approx(done.positions[done.topology.face_corners][:, :2])
    assert done.faces["number"][:12].tolist() == [*range(1, 7), *range(1, 7)]
    assert sorted(done.edges["number"][done.edges["number"] > 0]) == sorted([*mesh.edges["number"]] * 2)


def test_what_cannot_have_a_wall_is_refused_with_what_to_do() -> None:
    """Edges of three faces, neighbours that face apart, rims that meet in a point, no thickness."""
    fin = make_mesh(
        [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [2, 0, 0], [2, 1, 0], [1, 0, 1], [1, 1, 1]],
        [[0, 1, 2, 3], [1, 4, 5, 2], [1, 2, 7, 6]],
    )
    with pytest.raises(KernelError, match="three or more faces"):
        thicken(fin, wall(fin, 1, 0))
    apart = make_mesh(grid_mesh(2, 1).positions, [[0, 1, 4, 3], [1, 4, 5, 2]])
    with pytest.raises(KernelError, match="face different ways"):
        thicken(apart, wall(apart, 1, 0))
    touch = make_mesh(
        [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [2, 1, 0], [2, 2, 0], [1, 2, 0]], [[0, 1, 2, 3], [2, 4, 5, 6]]
    )
    with pytest.raises(KernelError, match="meet in a point"):
        thicken(touch, wall(touch, 1, 0))
    slit = slit_mesh(0.1)
    with pytest.raises(InvalidInput, match="above it somewhere"):
        thicken(slit, wall(slit, 0, 0))
    assert open_sides(thicken(slit, wall(slit, 0.1, 0)).mesh) == 0
