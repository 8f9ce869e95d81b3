"""Work on marked faces, edges and points: counts and volumes by formula, closed stays closed, values carried.

Where no source is named a formula is common mensuration.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glass_spoon.kernel.detail.bridge import Bridging, bridge
from glass_spoon.kernel.detail.dissolve import dissolve, dissolve_idle
from glass_spoon.kernel.detail.fill import fill_rims
from glass_spoon.kernel.detail.inset import inset
from glass_spoon.kernel.detail.lay_loops import lay_across
from glass_spoon.kernel.detail.lift import Region, lift
from glass_spoon.kernel.detail.pull_out import pull_along, pull_out, pull_to_plane, pull_way
from glass_spoon.kernel.detail.shift import distances, fading, frame_of, shift
from glass_spoon.kernel.detail.true_up import flatten_points, loops_of, round_points, space_points, straighten_points
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.mesh_edits.clean_mesh import reverse_faces
from glass_spoon.kernel.mesh_edits.cut_rings import cut_rings
from glass_spoon.kernel.mesh_edits.gather_meshes import gather_meshes
from glass_spoon.kernel.mesh_edits.keep_and_merge import keep_faces
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.meshes.origin import Reworked, check_origin
from tests.kernel.test_origin import bearing
from tests.mesh_checker import check_result
from tests.solid_bodies import ball, box, euler, ring, rod, scaled, volume
from tests.zoo import cube_mesh, grid_mesh

SIZES = (0.1, 10.0, 1000.0)


def none(mesh: Mesh) -> np.ndarray:
    return np.zeros(mesh.face_count, dtype=bool)


def no_edges(mesh: Mesh) -> np.ndarray:
    return np.zeros(len(mesh.topology.edges.ends), dtype=bool)


def rims(mesh: Mesh) -> np.ndarray:
    return mesh.topology.edge_face_counts == 1


def areas(mesh: Mesh, faces: np.ndarray) -> np.ndarray:
    return np.linalg.norm(mesh.face_vectors[faces], axis=1)


@pytest.mark.parametrize("size", SIZES)
def test_a_cube_inset_and_pulled_out_on_every_side(size: float) -> None:
    """A fifth of the size inset leaves 36 of 100; pulled out by half of it: 180 of 1,000 more a side; 6, 30 and 54 faces."""
    cube = cube_mesh(size)
    inner = inset(cube, np.ones(6, dtype=bool), size / 5, each=True)
    check_result(inner.mesh, closed=True)
    tops = inner.origin.faces_in("top")
    assert np.allclose(areas(inner.mesh, tops), 0.36 * size**2)
    assert volume(inner.mesh) == pytest.approx(size**3)
    out = pull_out(inner.mesh, tops, size / 2, each=True)
    check_result(out.mesh, closed=True)
    check_origin(out)
    assert (inner.mesh.face_count, out.mesh.face_count) == (30, 54)
    assert volume(out.mesh) == pytest.approx(size**3 * (1 + 6 * 0.18))


@pytest.mark.parametrize("rows", [1, 2, 5])
def test_three_by_three_faces_of_a_grid_go_up_together(rows: int) -> None:
    """+ 4,500 mm³ over 30 by 30, twelve quads a row; each by itself the walls between stand too."""
    block = box((35, 35, 20), (7, 7, 4))
    chosen = (block.face_normals[:, 2] > 0.9) & (np.abs(block.face_centers[:, :2]).max(axis=1) < 16)
    together, each = pull_out(block, chosen, 5.0, rows=rows), pull_out(block, chosen, 5.0, each=True, rows=rows)
    for done, sides in ((together, 12), (each, 36)):
        check_result(done.mesh, closed=True)
        assert volume(done.mesh) - volume(block) == pytest.approx(4500)
        assert done.mesh.face_count - block.face_count == rows * sides
        assert int(done.origin.faces_in("side").sum()) == rows * sides
        assert int(done.origin.faces_in("top").sum()) == 9
    way = pull_way(block, chosen, np.array([0, 0, 5.0]), rows=rows)
    assert np.allclose(way.mesh.positions, together.mesh.positions)
    level = pull_to_plane(block, chosen, np.array([0, 0, 1.0]), (np.array([0, 0, 25.0]), np.array([0, 0, 1.0])), rows=rows)
    assert np.allclose(level.mesh.positions, together.mesh.positions)


def test_faces_that_touch_in_a_point_are_parted_there() -> None:
    """Two faces of a grid over a corner: eight walls, no edge of more than two faces."""
    grid = grid_mesh(6, 6, 10.0)
    chosen = none(grid)
    chosen[[0, 7]] = True
    done = pull_out(grid, chosen, 4.0)
    check_result(done.mesh, closed=False)
    assert done.mesh.face_count - grid.face_count == 8
    assert done.mesh.topology.edge_face_counts.max() == 2


def test_over_a_crease_both_sides_keep_the_distance() -> None:
    """Two sides of a cube pulled out by 2: offset planes, so the edge goes by 2 √2."""
    cube = box((10, 10, 10), (4, 4, 4))
    chosen = (cube.face_normals[:, 2] > 0.9) | (cube.face_normals[:, 0] > 0.9)
    done = pull_out(cube, chosen, 2.0)
    check_result(done.mesh, closed=True)
    tops = done.mesh.positions[np.unique(done.mesh.topology.face_corners.reshape(-1, 4)[done.origin.faces_in("top")])]
    assert tops[:, 2].max() == pytest.approx(12)
    assert tops[:, 0].max() == pytest.approx(12)
    assert volume(done.mesh) == pytest.approx(22 * 22 * 20)


def test_along_a_quarter_circle_the_bulk_is_area_by_way() -> None:
    """A square of 4 by 4 carried round a quarter of r 20 (Pappus), to the chords of 32 rows."""
    block = box((6, 6, 4), (3, 3, 2))
    chosen = (block.face_normals[:, 2] > 0.9) & (np.abs(block.face_centers[:, :2]).max(axis=1) < 1)
    turn = np.linspace(0, np.pi / 2, 33)
    places = np.column_stack((20 - 20 * np.cos(turn), 0 * turn, 4 + 20 * np.sin(turn)))
    along = np.column_stack((np.sin(turn), 0 * turn, np.cos(turn)))
    beside = np.tile([0.0, 1.0, 0.0], (33, 1))
    frames = np.stack((along, beside, np.cross(along, beside)), axis=2)
    done = pull_along(block, chosen, frames, places, np.ones(33))
    check_result(done.mesh, closed=True)
    assert volume(done.mesh) - volume(block) == pytest.approx(16 * np.pi * 10, rel=2e-3)
    taper = pull_along(block, chosen, frames, places, np.linspace(1, 0.5, 33))
    assert areas(taper.mesh, taper.origin.faces_in("top")).sum() == pytest.approx(4.0)


def test_the_band_of_an_inset_is_as_wide_at_corners_of_any_angle() -> None:
    """A regular polygon of 3 to 9 corners: every side runs the distance inside; the apothem shrinks by it."""
    for count in range(3, 10):
        turn = np.arange(count) * 2 * np.pi / count
        places = np.column_stack((10 * np.cos(turn), 10 * np.sin(turn), 0 * turn))
        face = make_mesh(places, np.arange(count), offsets=np.array([0, count]))
        done = inset(face, np.ones(1, dtype=bool), 2.0)
        inner = done.mesh.positions[
            done.mesh.topology.face_corners[done.origin.faces_in("top")[done.mesh.topology.face_of_corner]]
        ]
        apothem = 10 * np.cos(np.pi / count)
        assert np.allclose(np.hypot(inner[:, 0], inner[:, 1]), (apothem - 2) / np.cos(np.pi / count))


def test_an_inset_too_wide_says_which_fits() -> None:
    """Three faces of 10 across fold at 15; half of 30 fits."""
    grid = grid_mesh(7, 7, 10.0)
    chosen = np.abs(grid.face_centers[:, :2] - 35).max(axis=1) < 16
    done = inset(grid, chosen, 30.0)
    assert done.fits == pytest.approx(0.5)
    assert set(done.folded) == set(np.flatnonzero(chosen))
    assert not len(inset(grid, chosen, 14.0).folded)


@pytest.mark.parametrize("loops", [1, 3])
def test_outwards_the_band_is_taken_from_the_faces_beside(loops: int) -> None:
    """A square of 30 gets a frame of 34² - 30², over the edge of a cube too; the faces themselves stay, or are raised."""
    grid = bearing(grid_mesh(7, 7, 10.0))
    chosen = np.abs(grid.face_centers[:, :2] - 35).max(axis=1) < 16
    done = inset(grid, chosen, -2.0, loops=loops)
    check_result(done.mesh, closed=False)
    check_origin(done)
    assert (done.mesh.face_vectors[:, 2] > 0).all()
    assert areas(done.mesh, done.origin.faces_in("top")).sum() == pytest.approx(900)
    assert areas(done.mesh, done.origin.faces_in("side")).sum() == pytest.approx(34 * 34 - 900)
    assert len(inset(grid, chosen, -12.0).folded)
    kept = done.origin.faces_in("kept")[done.mesh.topology.face_of_corner]
    assert np.allclose(done.mesh.corners["place"][kept], done.mesh.positions[done.mesh.topology.face_corners][kept])
    block = box((10, 10, 10), (4, 4, 4))
    top = block.face_normals[:, 2] > 0.9
    over = inset(block, top, -2.0, 1.0, loops=loops)
    check_result(over.mesh, closed=True)
    assert volume(over.mesh) == pytest.approx(8000 + 400)
    side = over.mesh.positions[np.abs(over.mesh.positions[:, 0]) > 9.9]
    assert np.isclose(side[:, 2], 8).any()
    with pytest.raises(KernelError, match="Nothing is beside"):
        inset(block, np.ones(block.face_count, dtype=bool), -1.0)


def test_inset_faces_keep_the_values_of_their_places() -> None:
    """What lives on corners is mixed: their own place, carried, is where they are now."""
    grid = bearing(grid_mesh(5, 4, 10.0))
    for each in (False, True):
        done = inset(grid, np.ones(20, dtype=bool), 2.0, each=each, loops=2)
        tops = done.origin.faces_in("top")[done.mesh.topology.face_of_corner]
        here = done.mesh.positions[done.mesh.topology.face_corners]
        assert np.allclose(done.mesh.corners["place"][tops], here[tops])
        numbers = done.mesh.faces["number"]
        assert sorted(numbers[done.origin.faces_in("top")]) == list(range(1, 21))


def test_two_cans_bridged_make_a_tube() -> None:
    """Lids taken out, rims of 16 and 12 bridged: genus one, closed, the volume between."""
    inner = rod(10, 40, 3, 8)
    whole = gather_meshes([rod(20, 40, 4, 12), reverse_faces(inner, np.arange(inner.face_count)).mesh])
    lids = np.abs(whole.face_normals[:, 2]) > 0.9
    done = bridge(whole, no_edges(whole), lids, Bridging(2))
    check_result(done.mesh, closed=True)
    check_origin(done)
    assert (done.pairs, done.changed, euler(done.mesh)) == (2, 2, 0)
    outer = 16 / 2 * np.sin(2 * np.pi / 16) * 400 - 12 / 2 * np.sin(2 * np.pi / 12) * 100
    assert volume(done.mesh) == pytest.approx(40 * outer, rel=1e-3)


def test_a_round_bridge_gives_back_half_a_ring() -> None:
    """Half a torus bridged in a bend: within 0.3 % of its radius of the other half (Hermite's cubic near a half circle)."""
    whole = ring(20, 5, 48, 16)
    half = keep_faces(whole, np.flatnonzero(whole.face_centers[:, 1] > 0)).mesh
    apart = np.argwhere(np.isclose(half.positions[:, 1], 0))
    assert len(apart) == 32
    # Each rim is bridged to the other: of two rims there is only one pair.
    done = bridge(half, rims(half), none(half), Bridging(24, 1.0))
    check_result(done.mesh, closed=True)
    places = done.mesh.positions[half.point_count :]
    off = np.hypot(np.hypot(places[:, 0], places[:, 1]) - 20, places[:, 2]) - 5
    assert np.abs(off).max() < 0.003 * 20 * 25
    assert euler(done.mesh) == 0


@pytest.mark.parametrize("turned", [0, 3])
def test_a_straight_bridge_of_two_like_rims_is_a_prism(turned: int) -> None:
    """Turned by edges it is twisted, and still closed."""
    tube = keep_faces(rod(10, 60, 4, 6), np.flatnonzero(np.abs(rod(10, 60, 4, 6).face_normals[:, 2]) < 0.5)).mesh
    ends = keep_faces(tube, np.flatnonzero(np.abs(tube.face_centers[:, 2]) > 16)).mesh
    inner = rims(ends) & (np.abs(ends.positions[ends.topology.edges.ends][:, :, 2]).max(axis=1) < 21)
    done = bridge(ends, inner, none(ends), Bridging(3, None, turned))
    check_result(done.mesh, closed=False)
    assert done.mesh.face_count == ends.face_count + 3 * 16
    if not turned:
        radii = np.hypot(done.mesh.positions[:, 0], done.mesh.positions[:, 1])
        assert np.allclose(radii, 10)


def test_rims_that_cannot_be_bridged_say_why() -> None:
    """One rim alone and edges inside a mesh are refused in words."""
    tube = rod(10, 60, 4, 6)
    with pytest.raises(KernelError, match="the marks hold 1"):
        bridge(tube, no_edges(tube), tube.face_normals[:, 2] > 0.9, Bridging())
    with pytest.raises(KernelError, match="faces on both sides"):
        bridge(tube, ~rims(tube), none(tube), Bridging())


@pytest.mark.parametrize("count", range(4, 41))
def test_any_rim_of_4_to_40_edges_is_filled(count: int) -> None:
    """All quads for even counts, else one triangle; closed, nothing folded; wavy rims too."""
    turn = np.arange(count) / count * 2 * np.pi
    low = np.column_stack((10 * (1 + 0.3 * np.cos(3 * turn)) * np.cos(turn), 10 * np.sin(turn), 0 * turn))
    at, ahead = np.arange(count), (np.arange(count) + 1) % count
    tube = make_mesh(
        np.concatenate((low, low + np.array([0, 0, 5.0]))), np.column_stack((at, ahead, count + ahead, count + at))
    )
    for smooth in (False, True):
        done = fill_rims(tube, rims(tube), none(tube), smooth=smooth)
        check_result(done.mesh, closed=True)
        check_origin(done)
        assert done.mesh.topology.is_quads == (count % 2 == 0)
        assert done.rims == 2
        assert done.odd == 2 * (count % 2)
    flat = fill_rims(tube, rims(tube), none(tube), smooth=False)
    vectors = flat.mesh.face_vectors[flat.origin.faces_in("cap")]
    assert (np.abs(vectors[:, 2]) > 0).all()


@pytest.mark.parametrize("height", [0.95, 0.85, 0.8])
def test_a_hole_in_a_ball_is_filled_within_a_hundredth(height: float) -> None:
    """Smooth with what is about it: at most 1 % of the radius off, at any size."""
    for radius in (0.3, 30.0):
        body = ball(radius, 16)
        done = fill_rims(body, no_edges(body), body.face_normals[:, 2] > height, smooth=True)
        assert done.mesh.topology.is_quads
        assert np.abs(np.linalg.norm(done.mesh.positions, axis=1) - radius).max() < 0.01 * radius


def test_a_fill_beside_a_wall_that_goes_down_stays_flat_enough() -> None:
    """Points stacked over each other have no height over the plane: then the skin bends least by itself."""
    body = box((20, 20, 20), (5, 5, 5))
    gone = (body.face_normals[:, 2] > 0.9) & (np.abs(body.face_centers[:, :2]).max(axis=1) < 9)
    done = fill_rims(body, no_edges(body), gone, smooth=True)
    check_result(done.mesh, closed=True)
    assert np.allclose(done.mesh.positions[:, 2].max(), 20, atol=2.5)


def test_loops_laid_in_and_taken_out_leave_the_mesh_as_it_was() -> None:
    """Cutting loops and dissolving them restores places and count."""
    body = ring(30, 8, 24, 12)
    chosen = no_edges(body)
    chosen[0] = True
    cut = cut_rings(body, lay_across(body.topology, chosen, 3, None))
    assert cut.mesh.face_count > body.face_count
    loops = no_edges(cut.mesh)
    loops[cut.loops] = True
    back = dissolve(cut.mesh, loops)
    check_result(back.mesh, closed=True)
    check_origin(back)
    assert back.mesh.topology.is_quads
    assert back.off < 1e-9
    assert back.mesh.face_count == body.face_count
    assert {tuple(np.round(place, 9)) for place in back.mesh.positions} == {tuple(np.round(p, 9)) for p in body.positions}


@pytest.mark.parametrize("tolerance", [0.01, 0.05, 0.2])
def test_idle_loops_go_within_the_tolerance(tolerance: float) -> None:
    """No point of the old mesh is farther from the new one (libigl's nearest place); quads stay; a box keeps six."""
    body = ring(30, 8, 128, 96)
    done = dissolve_idle(body, tolerance)
    check_result(done.mesh, closed=True)
    assert done.mesh.topology.is_quads
    assert NearestOnMesh(done.mesh).ask(body.positions)[2].max() <= tolerance
    assert done.mesh.face_count < {0.01: 1.001, 0.05: 0.6, 0.2: 0.25}[tolerance] * body.face_count
    plain = dissolve_idle(box((20, 20, 20), (8, 8, 8)), tolerance)
    assert plain.mesh.face_count == 6
    assert plain.off < 1e-9


def test_a_rim_and_a_crease_keep_their_loops() -> None:
    """A flat sheet becomes one face, or two where a loop is held."""
    sheet = grid_mesh(8, 6, 5.0)
    assert dissolve_idle(sheet, 0.1).mesh.face_count == 1
    held = np.isclose(sheet.positions[sheet.topology.edges.ends][:, :, 0], 20).all(axis=1)
    assert dissolve_idle(sheet, 0.1, held).mesh.face_count == 2


def test_a_loop_becomes_a_true_circle() -> None:
    """Radius spread under 1e-9 of itself, evenly divided; given or best; half way goes half way."""
    body = scaled(rod(10, 40, 4, 6), 1.7)
    loop = np.isclose(body.positions[body.topology.edges.ends][:, :, 2], body.positions[:, 2].max()).all(axis=1)
    loop &= np.hypot(*body.positions[body.topology.edges.ends][:, :, :2].transpose(2, 0, 1)).min(axis=1) > 16.9
    bent = body.moved(body.positions * [1.3, 1, 1] + np.sin(body.positions[:, ::-1]))
    for radius in (0.0, 12.0):
        made = round_points(bent, loop, 1.0, radius)
        points = np.unique(body.topology.edges.ends[loop])
        middle = made.places[points].mean(axis=0)
        away = np.linalg.norm(made.places[points] - middle, axis=1)
        assert np.ptp(away) < 1e-9
        assert radius in (0, pytest.approx(away.mean()))
        assert made.radius == pytest.approx(away.mean())
        sides = np.linalg.norm(np.diff(made.places[body.topology.edges.ends[loop]], axis=1), axis=2)
        assert np.ptp(sides) < 1e-9
    half = round_points(bent, loop, 0.5)
    full = round_points(bent, loop, 1.0)
    assert np.allclose(half.places, (bent.positions + full.places) / 2)


def test_points_are_flattened_straightened_and_spaced() -> None:
    """Flat to 1e-12; a row straight, its shares of the way kept; evenly apart to 1e-9 on a line."""
    sheet = grid_mesh(10, 6, 5.0)
    rough = sheet.moved(sheet.positions + 0.7 * np.sin(3 * sheet.positions[:, ::-1]))
    flat = flatten_points(rough, np.ones(rough.point_count, dtype=bool), 1.0)
    middle = flat.places.mean(axis=0)
    assert np.linalg.svd(flat.places - middle)[1][-1] < 1e-11
    row = np.isclose(sheet.positions[sheet.topology.edges.ends][:, :, 1], 15).all(axis=1)
    (points,) = loops_of(rough, row, closed=False)
    line = straighten_points(rough, row, 1.0).places[points]
    assert np.abs(np.cross(line - line[0], line[-1] - line[0])).max() < 1e-9
    even = space_points(rough.moved(straighten_points(rough, row, 1.0).places), row, 1.0).places[points]
    assert np.ptp(np.linalg.norm(np.diff(even, axis=0), axis=1)) < 1e-9
    with pytest.raises(KernelError, match="branch"):
        straighten_points(rough, np.ones(len(row), dtype=bool), 1.0)


def test_a_shift_fades_over_its_reach() -> None:
    """All of it where marked, half at the middle of an even law, nothing beyond; along the mesh it goes round a fold."""
    sheet = grid_mesh(20, 20, 1.0)
    marked = np.linalg.norm(sheet.positions - [10, 10, 0], axis=1) < 0.5
    weights = fading(distances(sheet, marked, 4.0, along=False), 4.0, lambda share: 1 - share)
    places = shift(sheet, weights, lambda points: points + np.array([0, 0, 8.0]))
    away = np.linalg.norm(sheet.positions - [10, 10, 0], axis=1)
    assert np.allclose(places[:, 2], 8 * np.clip(1 - away / 4, 0, 1))
    along = distances(sheet, marked, 4.0, along=True)
    assert (along[np.isfinite(along)] >= away[np.isfinite(along)] - 1e-12).all()
    assert np.isinf(along[away > 4]).all()
    frame = frame_of(sheet, marked)
    assert np.allclose(np.abs(frame.axes[2]), [0, 0, 1])
    assert np.allclose(frame.origin, [10, 10, 0])


WORKS: dict[str, Callable[[Mesh, np.ndarray], Reworked]] = {
    "pull out": lambda mesh, faces: pull_out(mesh, faces, 0.4, rows=2),
    "pull each": lambda mesh, faces: pull_out(mesh, faces, 0.4, each=True),
    "inset": lambda mesh, faces: inset(mesh, faces, 0.2),
    "inset each": lambda mesh, faces: inset(mesh, faces, 0.2, each=True, loops=2),
    "fill": lambda mesh, faces: fill_rims(mesh, no_edges(mesh), faces, smooth=False),
    "bridge": lambda mesh, faces: bridge(mesh, no_edges(mesh), faces, Bridging(2)),
    "lift": lambda mesh, faces: lift(
        mesh, Region.of(mesh, faces), [Region.of(mesh, faces).part.positions + np.array([0, 0, 1.0])]
    ),
}


@pytest.mark.parametrize("name", WORKS)
def test_every_value_is_carried_from_where_it_belongs(name: str) -> None:
    """Kept faces bear their own values, new ones those of a face they came from; edges that stay keep their number."""
    grid = bearing(grid_mesh(8, 6, 2.0))
    faces = none(grid)
    faces[[9, 10, 17, 18]] = True
    if name == "bridge":
        faces[[13, 14, 21, 22]] = True
    done = WORKS[name](grid, faces)
    check_origin(done)
    mesh, origin = done.mesh, done.origin
    kept = origin.faces_in("kept")
    assert np.array_equal(mesh.faces["number"][kept], origin.faces[kept] + 1.0)
    assert np.array_equal(mesh.faces["number"], grid.faces["number"][origin.faces])
    corners = kept[mesh.topology.face_of_corner]
    here = mesh.positions[mesh.topology.face_corners]
    assert np.allclose(mesh.corners["place"][corners][:, :2], here[corners][:, :2])
    assert np.allclose(mesh.points["place"][~np.isnan(mesh.points["place"]).any(axis=1)], mesh.points["place"])
    numbers = mesh.edges["number"]
    same = np.flatnonzero(numbers > 0)
    ends = mesh.points["place"][mesh.topology.edges.ends[same]]
    old = grid.positions[grid.topology.edges.ends[numbers[same].astype(int) - 1]]
    assert np.allclose(np.sort(ends, axis=1), np.sort(old, axis=1))


@settings(max_examples=40, deadline=None)
@given(st.data())
def test_chains_of_work_on_any_faces_stay_closed(data: st.DataObject) -> None:
    """Five in a row on random faces of random bodies: closed stays closed and whole, or a sentence."""
    mesh = data.draw(st.sampled_from([ball(30, 5), box((10, 14, 8), (3, 4, 5)), ring(30, 8, 12, 8), rod(8, 40, 2, 5)]))
    for _ in range(5):
        name = data.draw(st.sampled_from(sorted(WORKS)))
        picked = data.draw(st.sets(st.integers(0, mesh.face_count - 1), min_size=1, max_size=8))
        faces = none(mesh)
        faces[sorted(picked)] = True
        try:
            done = WORKS[name](mesh, faces)
        except KernelError as error:
            assert str(error).endswith(".")
            continue
        check_origin(done)
        check_result(done.mesh, closed=True, areas=False)
        assert done.mesh.topology.edge_face_counts.max() == 2
        mesh = done.mesh


@pytest.mark.parametrize(("density", "chord"), [(12, 0.16), (24, 0.04), (48, 0.01)])
@pytest.mark.parametrize("distance", [1.0, 4.0])
def test_what_is_inset_on_a_round_body_stays_on_it(density: int, chord: float, distance: float) -> None:
    """A cap of a ball inset by 1 and by 4 mm: every point within the chord error of the ball, none bulging off it."""
    body = ball(30, density)
    made = inset(body, body.face_centers[:, 2] > 15, distance)
    radius = np.linalg.norm(made.mesh.positions, axis=1)
    assert radius.max() < 30 + 1e-9
    assert radius.min() > 30 - chord
    raised = inset(body, body.face_centers[:, 2] > 15, distance, 2.0)
    top = np.linalg.norm(raised.mesh.positions, axis=1)[raised.mesh.positions[:, 2] > 30]
    assert top.max() == pytest.approx(32, abs=0.05)
