"""Edges bevelled: volumes by formula (common mensuration), corners of quads on a ball, bands as wide as asked."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from glass_spoon.kernel.detail.bevel import Profile, bevel, widths_for_radius
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.gauges.face_figures import figures_of
from glass_spoon.kernel.meshes.marked import mark_sharper
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.meshes.origin import check_origin
from glass_spoon.kernel.meshing.six_sides import SixSides, mesh_six_sides
from tests.kernel.test_detail import no_edges
from tests.kernel.test_origin import bearing
from tests.mesh_checker import check_result
from tests.solid_bodies import ball, box, rod, scaled, volume
from tests.zoo import cube_mesh, grid_mesh


def sharp(mesh: Mesh, angle: float = 60.0) -> np.ndarray:
    return mark_sharper(mesh, np.radians(angle)).edges()


def wide(mesh: Mesh, width: float) -> np.ndarray:
    return np.full(len(mesh.topology.edges.ends), width)


def rounded_box(side: float, radius: float) -> float:
    inner = side - 2 * radius
    return inner**3 + 6 * inner**2 * radius + 12 * inner * np.pi * radius**2 / 4 + 4 / 3 * np.pi * radius**3


@pytest.mark.parametrize("size", [0.1, 10.0, 1000.0])
@pytest.mark.parametrize("count", [1, 6])
@pytest.mark.parametrize("steps", [2, 3, 4, 8, 16])
def test_a_box_bevelled_is_the_rounded_box(steps: int, count: int, size: float) -> None:
    """Its volume to the chord error of the steps; all points of corners on their balls; all quads for even counts."""
    body = box((size / 2,) * 3, (count,) * 3)
    radius = size * 0.12
    edges = sharp(body)
    done = bevel(body, edges, wide(body, radius), steps)
    check_result(done.mesh, closed=True)
    check_origin(done)
    assert volume(done.mesh) == pytest.approx(rounded_box(size, radius), rel=0.1 / steps**2)
    assert done.mesh.topology.is_quads == (steps % 2 == 0)
    assert done.odd == 8 * (steps % 2)
    corner = done.origin.faces_in("corner")
    points = np.unique(done.mesh.topology.face_corners[corner[done.mesh.topology.face_of_corner]])
    away = np.abs(done.mesh.positions[points]) - (size / 2 - radius)
    assert np.allclose(np.linalg.norm(away, axis=1), radius, rtol=1e-6)
    assert np.allclose(
        np.sort(np.abs(done.mesh.positions), axis=0), np.sort(np.abs(done.mesh.positions[:, [1, 2, 0]]), axis=0)
    )


def test_a_chamfer_of_one_step_is_exact() -> None:
    """10 mm by 2: 216 + 6 × 72 + 12 × 12 + 8 × 4/3 mm³; a triangle at each corner."""
    done = bevel(cube_mesh(10.0), np.ones(12, dtype=bool), wide(cube_mesh(10.0), 2.0), 1)
    check_result(done.mesh, closed=True)
    assert volume(done.mesh) == pytest.approx(216 + 432 + 144 + 32 / 3, rel=1e-12)
    assert done.odd == 8


def test_a_given_radius_makes_a_wider_band_on_a_sharper_edge() -> None:
    """r tan(φ/2) of the angle φ between the normals: at 90° as wide as the radius, at 45° 0.4142 of it."""
    body = rod(10, 40, 2, 4)  # eight sides
    edges = sharp(body, 40)
    widths = widths_for_radius(body, edges, 2.0)
    ends = body.positions[body.topology.edges.ends]
    upright = edges & (np.abs(ends[:, 0, 2] - ends[:, 1, 2]) > 1)
    assert np.allclose(widths[upright], 2 * np.tan(np.pi / 8))
    assert np.allclose(widths[edges & ~upright], 2.0)
    with pytest.raises(KernelError, match="lie flat"):
        widths_for_radius(body, np.ones(len(edges), dtype=bool), 1.0)


def test_the_rims_of_the_band_lie_at_the_width() -> None:
    """On both sides, on a straight edge and over its corners."""
    body = box((10, 10, 10), (5, 5, 5))
    ends = body.positions[body.topology.edges.ends]
    top = sharp(body) & np.isclose(ends[:, :, 2], 10).all(axis=1)
    done = bevel(body, top, wide(body, 1.5), 4)
    check_result(done.mesh, closed=True)
    assert done.mesh.topology.is_quads
    rim = np.flatnonzero(done.origin.edge_roles == done.origin.roles.index("rim"))
    places = done.mesh.positions[np.unique(done.mesh.topology.edges.ends[rim])]
    level = np.isclose(places[:, 2], 10)
    assert np.allclose(np.abs(places[level][:, :2]).max(axis=1), 8.5)
    assert np.allclose(places[~level][:, 2], 8.5)


def test_one_edge_of_a_cube_is_rounded_and_cut_off_at_its_ends() -> None:
    """Volume less by (4 - π) r² / 4 a mm, to the chords; the two faces at the ends take the profile in."""
    cube = cube_mesh(10.0)
    edges = np.zeros(12, dtype=bool)
    edges[0] = True
    for steps in (1, 2, 3, 12):
        done = bevel(cube, edges, wide(cube, 2.0), steps)
        check_result(done.mesh, closed=True)
        assert done.odd == 2
        taken = 20 if steps == 1 else 10 * (4 - np.pi)
        assert volume(done.mesh) == pytest.approx(1000 - taken, abs=14 / steps**2 if steps > 1 else 1e-9)
    with pytest.raises(KernelError, match="runs out at both ends"):
        body = ball(10, 4)
        lone = no_edges(body)
        lone[np.flatnonzero((body.topology.valences[body.topology.edges.ends] == 4).all(axis=1))[0]] = True
        bevel(body, lone, wide(body, 1.0), 2)


@pytest.mark.parametrize("steps", [1, 2, 3, 4])
def test_a_row_inside_a_face_runs_out_to_points(steps: int) -> None:
    """Flat it stays flat; what is no quad is at the two ends, and has no straight corner; nothing folds."""
    grid = grid_mesh(10, 6, 5.0)
    ends = grid.positions[grid.topology.edges.ends]
    row = np.isclose(ends[:, :, 1], 15).all(axis=1) & (ends[:, :, 0].min(axis=1) > 9) & (ends[:, :, 0].max(axis=1) < 41)
    done = bevel(grid, row, wide(grid, 1.0), steps)
    check_result(done.mesh, closed=False)
    assert (done.mesh.topology.face_sides != 4).sum() == done.odd == 2 * steps
    assert np.degrees(figures_of(done.mesh).largest_corners.max()) < 170
    assert (done.mesh.face_vectors[:, 2] > 0).all()
    assert np.linalg.norm(done.mesh.face_vectors, axis=1).sum() == pytest.approx(50 * 30)


def test_hollow_takes_as_much_more_than_flat_as_round_takes_less() -> None:
    """Along a straight edge: the profiles mirror each other in the chord."""
    body = box((10, 10, 10), (4, 4, 4))
    ends = body.positions[body.topology.edges.ends]
    rim = sharp(body) & np.isclose(ends[:, :, 2], 10).all(axis=1) & np.isclose(ends[:, :, 0], 10).all(axis=1)
    found = {profile: volume(bevel(body, rim, wide(body, 2.0), 6, profile).mesh) for profile in ("round", "flat", "hollow")}
    assert found["round"] - found["flat"] == pytest.approx(found["flat"] - found["hollow"])
    assert found["flat"] == pytest.approx(8000 - 2 * 20)


def test_too_wide_a_band_says_which_fits() -> None:
    """Half of the side, at any size."""
    for size in (0.1, 10.0):
        cube = cube_mesh(size)
        done = bevel(cube, np.ones(12, dtype=bool), wide(cube, 0.6 * size), 2)
        assert done.fits == pytest.approx(5 / 6)
        assert len(done.folded) == 6


def test_round_bodies_and_concave_edges() -> None:
    """The rims of a rod; and the inner corner of an L, which fills: (4 - π) r² / 4 a mm more."""
    body = scaled(rod(10, 40, 4, 8), 0.3)
    done = bevel(body, sharp(body), wide(body, 0.3), 4)
    check_result(done.mesh, closed=True)
    assert done.mesh.topology.is_quads
    assert volume(done.mesh) < volume(body)
    sheet = grid_mesh(8, 6, 5.0)
    bent = sheet.moved(
        np.column_stack(
            (np.minimum(sheet.positions[:, 0], 20), sheet.positions[:, 1], np.maximum(sheet.positions[:, 0] - 20, 0))
        )
    )
    ends = bent.positions[bent.topology.edges.ends]
    fold = np.isclose(ends[:, :, 0], 20).all(axis=1) & np.isclose(ends[:, :, 2], 0).all(axis=1)
    done = bevel(bent, fold, wide(bent, 3.0), 8)
    check_result(done.mesh, closed=False)
    points = done.mesh.positions
    near = (points[:, 0] > 17.01) & (points[:, 2] < 2.99)
    assert np.allclose(np.hypot(points[near][:, 0] - 17, points[near][:, 2] - 3), 3, rtol=1e-9)


def test_values_are_carried() -> None:
    """Faces keep their number, bands have one of a face beside them."""
    grid = bearing(grid_mesh(8, 6, 5.0))
    ends = grid.positions[grid.topology.edges.ends]
    row = np.isclose(ends[:, :, 1], 15).all(axis=1)
    done = bevel(grid, row, wide(grid, 1.0), 2)
    check_origin(done)
    kept = done.origin.faces_in("kept")
    assert np.array_equal(done.mesh.faces["number"][kept], done.origin.faces[kept] + 1.0)
    assert np.array_equal(done.mesh.faces["number"], grid.faces["number"][done.origin.faces])


@pytest.mark.parametrize("steps", [1, 2, 3])
def test_a_crease_goes_on_over_a_band_that_crosses_it(steps: int) -> None:
    """A loop across a box is bevelled: the box's own edges stay sharp over the band, and nothing else becomes so."""
    body = box((10, 10, 10), (4, 4, 4))
    edges = sharp(body)
    assert edges.sum() == 12 * 4
    body = replace(body, edges={"sharpness": np.where(edges, 2.5, 0.0)})
    loop = np.isclose(body.positions[body.topology.edges.ends][:, :, 0], 5).all(axis=1)
    done = bevel(body, loop, np.where(loop, 1.0, 0.0), steps, "round")
    after = done.mesh.edges["sharpness"]
    length = np.linalg.norm(np.diff(done.mesh.positions[done.mesh.topology.edges.ends], axis=1)[:, 0], axis=1)
    assert length[after > 0].sum() == pytest.approx(12 * 20)
    assert set(after[after > 0].tolist()) == {2.5}


def step_block(size: float) -> Mesh:
    """Return a block of 4 by 4 by 2 cells of 5 mm with a notch of 2 by 4 by 1 cut out of its top."""
    filled = np.ones((4, 4, 2), dtype=bool)
    filled[2:, :, 1] = False
    numbers: dict[tuple[int, int, int], int] = {}
    faces = []
    for cell in np.argwhere(filled):
        for axis in range(3):
            for side in (0, 1):
                beyond = cell.copy()
                beyond[axis] += 1 if side else -1
                if ((beyond >= 0) & (beyond < filled.shape)).all() and filled[tuple(beyond)]:
                    continue
                i, j = (axis + 1) % 3, (axis + 2) % 3
                corners = []
                for u, v in ((0, 0), (1, 0), (1, 1), (0, 1)):
                    place = cell.copy()
                    place[axis] += side
                    place[i] += u
                    place[j] += v
                    corners.append(numbers.setdefault(tuple(place.tolist()), len(numbers)))
                faces.append(corners if side else corners[::-1])
    return make_mesh(5.0 * size * np.array(list(numbers), dtype=float), faces)


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("steps", [2, 3, 4])
@pytest.mark.parametrize("profile", ["round", "flat", "hollow"])
def test_corners_of_inner_and_outer_edges_stay_within_the_body(size: float, steps: int, profile: Profile) -> None:
    """Where an inner edge runs out between outer ones the profiles run along their edges too: nothing stands out."""
    block = step_block(size)
    done = bevel(block, sharp(block), wide(block, 1.0 * size), steps, profile)
    check_result(done.mesh, closed=True)
    over = [block.positions.min(axis=0) - done.mesh.positions.min(axis=0)]
    over.append(done.mesh.positions.max(axis=0) - block.positions.max(axis=0))
    assert np.max(over) <= 1e-9 * size


def test_edges_of_unlike_widths_stay_within_the_body() -> None:
    """A box with a width of its own for each edge: its profiles at the corners are no wider than their edges."""
    cube = cube_mesh(10.0)
    widths = np.linspace(0.5, 2.5, len(cube.topology.edges.ends))
    done = bevel(cube, np.ones(len(widths), dtype=bool), widths, 4)
    check_result(done.mesh, closed=True)
    assert np.abs(done.mesh.positions).max() <= 5.0 + 1e-9


@pytest.mark.parametrize("profile", ["round", "flat", "hollow"])
@pytest.mark.parametrize("steps", [1, 2, 3, 4])
def test_a_band_that_runs_out_on_both_ends_folds_nothing(steps: int, profile: Profile) -> None:
    """Two edges in the middle of a box's edge: no face has a corner of 180° or more, and the skin stays closed."""
    box = mesh_six_sides(SixSides((20.0, 20.0, 20.0), 0.0, (4, 4, 4), 1, 1)).mesh
    middles = box.positions[box.topology.edges.ends].mean(axis=1)
    chosen = (np.abs(middles - np.array([0.0, -20.0, middles[:, 2].max()])) <= np.array([6.0, 1e-9, 1e-9])).all(axis=1)
    assert chosen.sum() == 2
    made = bevel(box, chosen, wide(box, 4.0), steps, profile).mesh
    assert not len(made.topology.boundary_edges)
    assert np.degrees(figures_of(made).largest_corners.max()) < 179
