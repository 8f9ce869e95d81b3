"""Placements of bodies held against plain sums, turns and brute force; copies written out against those placed singly."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from glass_spoon.kernel.curves.alter.place_curve import Placement, mirroring, moving, scaling, turning
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.gauges.read_bodies import crossing_copies, read_bodies, read_bodies_beside
from glass_spoon.kernel.gauges.read_gauges import read_gauges
from glass_spoon.kernel.gauges.reading import Limits
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.kernel.repeat.along_curve import even_params, follow_frames, frames_along, stand_in_frames, varied
from glass_spoon.kernel.repeat.joints import join_copies
from glass_spoon.kernel.repeat.place_mesh import place_mesh
from glass_spoon.kernel.repeat.placements import (
    Placements,
    as_placements,
    boxes_of,
    fill_length,
    grid_places,
    moved_by,
    near_copies,
    ring_places,
    steps_between,
)
from glass_spoon.kernel.repeat.repeat_mesh import repeat_mesh
from tests.mesh_checker import check_result, open_sides
from tests.zoo import cube_mesh, grid_mesh, sphere, torus

Z = np.array([0.0, 0.0, 1.0])


def random_places(seed: int, count: int, reach: float = 30.0) -> Placements:
    """Return turns and moves at random, some mirrored."""
    rng = np.random.default_rng(seed)
    turns = Rotation.random(count, random_state=seed).as_matrix()
    turns[::3] = turns[::3] @ np.diag([-1.0, 1.0, 1.0])
    return Placements(turns, rng.normal(size=(count, 3)) * reach)


def test_a_grid_is_a_row_of_rows_of_rows() -> None:
    """The first way counts fastest; each copy stands where its three numbers say."""
    places = grid_places([[2, 0, 0], [0, 3, 0], [1, 0, 5]], [4, 3, 2])
    wanted = [[2 * i + k, 3 * j, 5 * k] for k in range(2) for j in range(3) for i in range(4)]
    assert places.offsets == pytest.approx(np.array(wanted, dtype=float))
    assert places.is_rigid


@pytest.mark.parametrize(
    ("length", "step", "count"), [(100, 20, 6), (100, 19, 6), (100, 30, 4), (100, 41, 3), (10, 50, 2), (0, 5, 1)]
)
def test_a_step_that_fills_a_length_is_the_nearest_even_one(length: float, step: float, count: int) -> None:
    """Of all counts the one whose step is nearest to the wish by its ratio, both ends taken."""
    assert fill_length(length, step) == count
    if length:
        ratios = {n: max(length / (n - 1) / step, step / (length / (n - 1))) for n in range(2, 60)}
        assert ratios[count] == pytest.approx(min(ratios.values()))


def test_a_step_of_nothing_fills_nothing() -> None:
    """Said in words."""
    with pytest.raises(InvalidInput, match="above 0 mm"):
        fill_length(10, 0)


@pytest.mark.parametrize("rise", [0.0, 12.0])
def test_a_ring_turns_and_rises_evenly(rise: float) -> None:
    """All round the last step leads back; a ring that rises has a last one, above the first when it goes all round."""
    places = ring_places([1, 2, 3], [0, 0, 2], 5, 2 * np.pi, first=0.3, rise=rise)
    step = 2 * np.pi / (5 if rise == 0 else 4)
    for number, place in enumerate(places):
        wanted = turning([1, 2, 3], Z, 0.3 + step * number)
        assert place.matrix == pytest.approx(wanted.matrix)
        assert place.offset == pytest.approx(wanted.offset + rise * number / 4 * Z)


def test_places_within_places_are_maps_after_maps() -> None:
    """A ring of a row, and all of it moved: every point goes where one map after the other takes it."""
    row, ring = moved_by([[0, 0, 0], [3, 0, 0]]), ring_places([0, 9, 0], Z, 3, np.pi)
    both = row.within(ring).under(turning([1, 1, 1], [1, 0, 0], 0.4))
    points = np.random.default_rng(0).normal(size=(4, 3))
    wanted = [turning([1, 1, 1], [1, 0, 0], 0.4).apply(outer.apply(inner.apply(points))) for outer in ring for inner in row]
    assert both.apply(points) == pytest.approx(np.array(wanted))


@pytest.mark.parametrize("seed", range(3))
def test_moves_turns_and_sizes_make_the_maps_again(seed: int) -> None:
    """Quaternions by another library give the matrices back, mirrored and scaled ones too; a skewed map has none."""
    places = random_places(seed, 12)
    sized = Placements(places.matrices * np.linspace(0.2, 3, 12)[:, None, None], places.offsets)
    moves, turns, sizes = sized.parted()
    again = Rotation.from_quat(turns).as_matrix() * sizes[:, None, :]
    assert again == pytest.approx(sized.matrices)
    assert moves == pytest.approx(sized.offsets)
    assert sized.is_similar
    assert not sized.is_rigid
    skewed = as_placements([Placement(np.array([[1.0, 0.5, 0], [0, 1, 0], [0, 0, 1]]), np.zeros(3))])
    assert skewed.parted() is None
    assert not skewed.is_similar


@pytest.mark.parametrize("seed", range(4))
def test_near_copies_are_those_whose_boxes_meet(seed: int) -> None:
    """Against all pairs tried; boxes hold every point of their copy."""
    places, points = random_places(seed, 40), np.random.default_rng(seed).normal(size=(20, 3)) * 6
    low, high = boxes_of(places, points)
    every = places.apply(points)
    assert (every >= low[:, None] - 1e-9).all()
    assert (every <= high[:, None] + 1e-9).all()
    meet = {(a, b) for a in range(40) for b in range(a + 1, 40) if ((low[a] <= high[b]) & (low[b] <= high[a])).all()}
    assert {*zip(*(side.tolist() for side in near_copies(places, points)), strict=True)} == meet
    assert meet


def test_all_neighbours_of_a_ring_are_one_step_apart() -> None:
    """Two different ways in a ring all round (to the next, and back over the end), and each leads from one to the other."""
    places = ring_places([40, 0, 0], Z, 12, 2 * np.pi)
    first, second = np.arange(12), (np.arange(12) + 1) % 12
    steps = steps_between(places, first, second, 10.0)
    assert len(steps.moves) == 1
    points = np.random.default_rng(1).normal(size=(5, 3))
    for a, b in zip(first, second, strict=True):
        assert places[a].apply(steps.moves[0].apply(points)) == pytest.approx(places[b].apply(points))


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_copies_written_out_are_the_copies_placed_one_by_one(size: float) -> None:
    """Turned, scaled and mirrored: points, normals, uv and the way faces look are those that `place_mesh` gives."""
    mesh = place_mesh(mesh_surface(torus(6, 2), 12, 8), scaling(np.zeros(3), [size] * 3))
    places = Placements(random_places(3, 7).matrices * 1.5, random_places(3, 7).offsets * size)
    whole = repeat_mesh(mesh, places)
    check_result(whole, closed=True)
    for number, place in enumerate(places):
        own, alone = slice(number * mesh.point_count, (number + 1) * mesh.point_count), place_mesh(mesh, place)
        assert whole.positions[own] == pytest.approx(alone.positions, rel=1e-12, abs=1e-9 * size)
        assert whole.points["normal"][own] == pytest.approx(alone.points["normal"])
        faces = whole.topology.face_corners.reshape(-1, 4)[number * mesh.face_count : (number + 1) * mesh.face_count]
        assert {frozenset(face) for face in (faces - number * mesh.point_count).tolist()} == {
            frozenset(face) for face in alone.topology.face_corners.reshape(-1, 4).tolist()
        }
    assert enclosed_volume(whole) == pytest.approx(7 * 1.5**3 * enclosed_volume(mesh))
    assert (np.einsum("ij,ij->i", whole.points["normal"], whole.vertex_normals) > 0.5).all()


def test_frames_follow_a_curve() -> None:
    """On an arc in the front plane up is the arc's normal, along its tangent; upright they keep up; and all are turns."""
    arc = make_arc(np.zeros(3), [0, 0, 50], [50, 0, 0], -1.0, 1.0)
    params = even_params(arc, 9)
    points, frames = frames_along(arc, params, "turned with it")
    assert np.linalg.norm(np.diff(points, axis=0), axis=1) == pytest.approx(2 * 50 * np.sin(2.0 / 8 / 2))
    assert frames[:, :, 2] == pytest.approx(points / 50)
    assert np.linalg.det(frames) == pytest.approx(np.ones(9))
    _, upright = frames_along(arc, params, "upright along it")
    assert upright[:, :, 2] == pytest.approx(np.tile(Z, (9, 1)))
    assert upright[:, :, 0] == pytest.approx(np.tile([1.0, 0, 0], (9, 1)))
    ball = sphere(50.0)
    _, square = frames_along(arc, params, "square to a surface", ball)
    assert square[:, :, 2] == pytest.approx(points / 50, abs=1e-6)
    laid = stand_in_frames(points, frames)
    assert laid.apply(np.zeros((1, 3)))[:, 0] == pytest.approx(points)
    gone = follow_frames(points, frames)
    assert gone[0].matrix == pytest.approx(np.eye(3))
    assert gone.apply(points[:1])[:, 0] == pytest.approx(points)


def test_places_along_a_closed_curve_have_no_last_one_and_gaps_stay_free() -> None:
    """A circle's places are one step apart all round; an open curve's ends are taken, less the gaps."""
    circle = make_arc(np.zeros(3), [10, 0, 0], [0, 10, 0], 0, 2 * np.pi)
    assert len(even_params(circle, None, 2 * np.pi * 10 / 16)) == 16
    line = make_polyline([[0, 0, 0], [100, 0, 0]])
    x = frames_along(line, even_params(line, 5, gaps=(10, 30)), "kept upright")[0][:, 0]
    assert x == pytest.approx([10, 25, 40, 55, 70])
    with pytest.raises(InvalidInput, match="less than 100 mm together"):
        even_params(line, 5, gaps=(60, 40))


def test_on_an_upright_stretch_a_copy_heads_as_the_nearest_that_is_not() -> None:
    """Level along x, upright, level along y: the lower half of the mast looks along x, the upper along y, at any number."""
    path = make_polyline([[0, 0, 0], [100, 0, 0], [100, 0, 100], [100, 100, 100]])
    for count in (16, 100_000):
        points, frames = frames_along(path, even_params(path, count), "upright along it")
        upper = points[:, 2] > 50
        assert frames[:, :, 2] == pytest.approx(np.tile(Z, (count, 1)))
        assert np.abs(frames[~upper, :, 0] - [1.0, 0, 0]).max() < 1e-9
        assert np.abs(frames[upper, :, 0] - [0, 1.0, 0]).max() < 1e-9


def test_more_places_than_may_be_are_refused_before_they_are_made() -> None:
    """A billionth of a step would be 10 to the 11 places."""
    line = make_polyline([[0, 0, 0], [100, 0, 0]])
    with pytest.raises(InvalidInput, match="1 to 100,000"):
        even_params(line, None, 1e-9, most=100_000)


def test_laws_scale_turn_and_shift_each_copy_about_its_own_foot() -> None:
    """At the origin of each: twice as large, a quarter turn about its up, 3 mm along it."""
    path = interpolate_points([[0, 0, 0], [30, 10, 5], [60, 0, 20]])
    points, frames = frames_along(path, even_params(path, 4), "turned with it")
    laid = stand_in_frames(points, frames)
    changed = varied(laid, np.full(4, 2.0), np.full(4, np.pi / 2), np.full(4, 3.0))
    moved = changed.apply(np.array([[1.0, 0, 0], [0, 0, 0], [0, 0, 1]]))
    assert moved[:, 1] == pytest.approx(points + 3 * frames[:, :, 2])
    assert moved[:, 0] - moved[:, 1] == pytest.approx(2 * frames[:, :, 1])
    assert moved[:, 2] - moved[:, 1] == pytest.approx(2 * frames[:, :, 2])


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_tiles_joined_are_one_sheet(size: float) -> None:
    """22 by 12 tiles: 264 times the faces, and only the outer rim open."""
    tile = grid_mesh(4, 2, 5 * size)
    whole = repeat_mesh(tile, grid_places(np.diag([20.0, 10.0, 0.0]) * size, [22, 12, 1]))
    joined = join_copies(whole, 264, 1e-3 * size)
    check_result(joined.mesh, closed=False)
    assert joined.mesh.face_count == 264 * 8
    assert open_sides(joined.mesh) == 2 * (22 * 4 + 12 * 2)
    assert joined.mesh.point_count == (22 * 4 + 1) * (12 * 2 + 1)
    assert not len(joined.missed)


@pytest.mark.parametrize("count", range(1, 41))
def test_a_cell_with_matching_ends_is_one_skin_whatever_the_count(count: int) -> None:
    """A band of a tube: the joints close, two rims stay, and the skin has no hole."""
    angle = np.arange(12) * np.pi / 6
    rings = [np.column_stack((np.full(12, x), np.cos(angle) * r, np.sin(angle) * r)) for x, r in ((0, 5), (2, 6), (4, 5))]
    number = np.arange(36).reshape(3, 12)
    faces = np.stack((number[:-1], number[1:], np.roll(number, -1, 1)[1:], np.roll(number, -1, 1)[:-1]), -1).reshape(-1, 4)
    cell = repeat_mesh(grid_mesh(1, 1), moved_by([[0, 0, 0]]))
    cell = type(cell)(type(cell.topology)(36, np.arange(25) * 4, faces.ravel()), np.concatenate(rings))
    joined = join_copies(repeat_mesh(cell, moved_by(np.arange(count)[:, None] * [4.0, 0, 0])), count, 1e-6).mesh
    check_result(joined, closed=False)
    assert joined.face_count == 24 * count
    assert open_sides(joined) == 24
    assert joined.point_count == 12 * (2 * count + 1)


def test_joined_all_round_a_ring_falls_on_itself() -> None:
    """Twelve sectors of a drum: closed all round, and turned by 30 degrees each point has one where it was."""
    sector = grid_mesh(3, 2, 1.0)
    angle, radius = sector.positions[:, 0] * np.pi / 18, 20 + sector.positions[:, 1]
    sector = type(sector)(sector.topology, np.column_stack((radius * np.cos(angle), radius * np.sin(angle), 0 * angle)))
    joined = join_copies(repeat_mesh(sector, ring_places(np.zeros(3), Z, 12, 2 * np.pi)), 12, 1e-6).mesh
    assert open_sides(joined) == 2 * 36
    turned = turning(np.zeros(3), Z, np.pi / 6).apply(joined.positions)
    away = np.linalg.norm(turned[:, None] - joined.positions[None], axis=2).min(axis=1)
    assert away.max() < 1e-9


def test_rims_that_nearly_meet_are_told_with_their_distance() -> None:
    """0.3 mm apart with edges of 5: six points of the ends stay apart; joined within 0.3 mm they become three."""
    whole = repeat_mesh(grid_mesh(4, 2, 5.0), moved_by([[0, 0, 0], [20.3, 0, 0]]))
    apart = join_copies(whole, 2, 0.01)
    assert (len(apart.missed), apart.merged) == (6, 0)
    assert apart.gap == pytest.approx(0.3)
    near = join_copies(whole, 2, 0.31)
    assert (near.merged, len(near.missed)) == (3, 0)
    with pytest.raises(InvalidInput, match="zero or more"):
        join_copies(whole, 2, -1.0)


@pytest.mark.parametrize("seed", range(3))
def test_gauges_of_bodies_are_those_of_the_copies_written_out(seed: int) -> None:
    """Counts, sums, lengths and crossings of copies that run through each other, some scaled, against one mesh of all."""
    body = mesh_surface(torus(8, 3), 18, 10)
    places = random_places(seed, 9, 9.0)
    sizes = np.linspace(0.7, 1.4, 9)
    places = Placements(places.matrices * sizes[:, None, None], places.offsets)
    whole = {reading.code: reading.value for reading in read_gauges(repeat_mesh(body, places), None, Limits())}
    apart = {reading.code: reading.value for reading in read_bodies(body, None, places, Limits())}
    assert whole["crossings"] > 0
    assert abs(apart["crossings"] - whole["crossings"]) <= 1  # what reaches through by a hair may be told or not
    for code in ("face_budget", "area", "volume", "folded", "open_edges", "shortest_edge", "longest_edge"):
        assert apart[code] == pytest.approx(whole[code], rel=1e-9), code
    for code in ("smallest_corner", "largest_corner", "four_sided", "warpage"):
        assert apart[code] == pytest.approx(whole[code], rel=1e-6, abs=1e-9), code


def test_bodies_beside_others_are_looked_at_copy_by_copy() -> None:
    """Three cubes in a row and a fourth body that runs through the last: only its faces are told, from both sides."""
    cube = cube_mesh(2.0)
    row = moved_by([[0, 0, 0], [5, 0, 0], [10, 0, 0]])
    rod = place_mesh(cube_mesh(1.0), moving([10.9, 0.2, 0.1]))
    assert read_bodies_beside(cube, row, [(rod, None)]).value == 1
    assert read_bodies_beside(rod, None, [(cube, row)]).value == 4
    assert crossing_copies(cube, row)[1] == 0
    assert crossing_copies(cube, moved_by([[0, 0, 0], [1, 0.5, 0.5]]))[1] > 0


def test_a_mirror_among_the_places_faces_outwards() -> None:
    """A cube and its image: twice the volume, not none."""
    both = repeat_mesh(cube_mesh(2.0), as_placements([moving(np.zeros(3)), mirroring([3, 0, 0], [1, 0, 0])]))
    check_result(both, closed=True)
    assert enclosed_volume(both) == pytest.approx(16)
