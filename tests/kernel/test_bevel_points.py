"""Points bevelled: volumes by formula and by quadrature (common mensuration), true circles, quads for any cut."""

from __future__ import annotations

from dataclasses import replace
from itertools import product

import numpy as np
import pytest

from glass_spoon.kernel.detail.bevel_points import bevel_points
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.gauges.crossings import crossing_faces
from glass_spoon.kernel.meshes.marked import mark_corners
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import check_origin
from tests.kernel.test_origin import bearing, mixed_faces
from tests.mesh_checker import check_result
from tests.solid_bodies import ball, box, volume
from tests.zoo import cube_mesh, grid_mesh, moebius_strip, touching_in_a_point


def at(mesh: Mesh, *points: int) -> np.ndarray:
    """Return the mask of some points."""
    chosen = np.zeros(mesh.point_count, dtype=bool)
    chosen[list(points)] = True
    return chosen


def corners_of(mesh: Mesh) -> np.ndarray:
    return mark_corners(mesh, np.radians(30)).points()


def round_corner() -> float:
    """Return the part of a unit corner outside the ball of radius √2 about the opposite corner, by the midpoint rule."""
    u = (np.arange(2000) + 0.5) / 2000
    height = np.sqrt(np.maximum(2 - u[:, None] ** 2 - u**2, 0))
    return 1 - float(np.minimum(height, 1).mean())


@pytest.mark.parametrize("size", [0.1, 10.0, 1000.0])
@pytest.mark.parametrize("count", [1, 4])
def test_a_box_loses_its_corners_by_formula(count: int, size: float) -> None:
    """Cut flat, each corner takes w³/6: at any size, in a plain box and a divided one; all quads for even steps."""
    body = box((size / 2,) * 3, (count,) * 3)
    width = 0.2 * size
    for steps in (1, 2, 3, 4, 6):
        done = bevel_points(body, corners_of(body), width, steps, "flat")
        check_result(done.mesh, closed=True)
        check_origin(done)
        assert volume(done.mesh) == pytest.approx(size**3 - 8 * width**3 / 6)
        assert done.mesh.topology.is_quads == (steps % 2 == 0)
        assert (done.odd > 0) == bool(steps % 2)
        assert not len(done.folded)


def test_round_corners_lie_on_the_ball_through_their_rims() -> None:
    """A cube's corner rounded by w = 1 takes what a ball of radius √2 leaves of it, by quadrature, as the steps grow."""
    body = cube_mesh(4.0)
    taken = [(64 - volume(bevel_points(body, corners_of(body), 1.0, steps).mesh)) / 8 for steps in (4, 8, 16)]
    off = np.abs(np.array(taken) - round_corner())
    assert (off[1:] < 0.35 * off[:-1]).all(), "the error falls with the square of the steps"
    assert off[-1] < 0.01 * round_corner()


@pytest.mark.parametrize("steps", [2, 4])
def test_any_corners_of_a_face_leave_quads(steps: int) -> None:
    """All sixteen ways to cut the corners of the faces of a cube: closed, all quads, no fold, no face through another."""
    body = cube_mesh(10.0)
    for some in product((False, True), repeat=8):
        chosen = np.array(some)
        if not chosen.any():
            continue
        done = bevel_points(body, chosen, 2.0, steps, "flat")
        mesh = done.mesh
        check_result(mesh, closed=True)
        assert mesh.topology.is_quads
        assert volume(mesh) == pytest.approx(1000 - chosen.sum() * 8 / 6)
        assert mesh.point_count - len(mesh.topology.edges.ends) + mesh.face_count == 2
        assert not len(crossing_faces(mesh))


@pytest.mark.parametrize("steps", [2, 4, 8])
def test_hollow_on_a_flat_is_a_true_circle(steps: int) -> None:
    """The rim lies at the width all round; values on points and corners stay what they are on the flat."""
    grid = bearing(grid_mesh(6, 5, 10.0))
    inner = int(np.flatnonzero(np.isclose(grid.positions, [30, 20, 0]).all(axis=1))[0])
    done = bevel_points(grid, at(grid, inner), 4.0, steps, "hollow")
    check_result(done.mesh)
    check_origin(done)
    rim = np.unique(done.mesh.topology.edges.ends[done.origin.edges_in("rim", len(done.mesh.topology.edges.ends))])
    assert len(rim) == 4 * steps
    away = done.mesh.positions[rim] - [30, 20, 0]
    assert np.allclose(np.linalg.norm(away, axis=1), 4.0, rtol=0, atol=1e-12)
    turns = np.sort(np.arctan2(away[:, 1], away[:, 0]))
    assert np.allclose(np.diff(turns), 2 * np.pi / len(rim)), "evenly spaced"
    corners = done.mesh.topology.face_corners
    assert np.allclose(done.mesh.points["place"], done.mesh.positions, atol=1e-9)
    assert np.allclose(done.mesh.corners["place"], done.mesh.positions[corners], atol=1e-9)
    assert np.allclose(done.mesh.corners["uv"], done.mesh.positions[corners][:, :2] / 7, atol=1e-9)
    kept = done.origin.faces_in("kept")
    assert np.array_equal(done.mesh.faces["number"][kept], done.origin.faces[kept] + 1.0)


def test_where_a_texture_jumps_each_face_keeps_its_own() -> None:
    """At a point on a seam no value is mixed of both sides: patches take those of the faces about it."""
    grid = grid_mesh(4, 4, 10.0)
    corners = grid.topology.face_corners
    right = grid.face_centers[grid.topology.face_of_corner, 0] > 20
    uv = grid.positions[corners][:, :2] + np.where(right, 1000.0, 0.0)[:, None]
    seamed = replace(grid, corners={"uv": uv})
    middle = int(np.flatnonzero(np.isclose(grid.positions, [20, 20, 0]).all(axis=1))[0])
    done = bevel_points(seamed, at(grid, middle), 3.0, 2, "hollow")
    values = done.mesh.corners["uv"][:, 0]
    assert ((values < 45) | (values > 995)).all(), "nothing between the two sides"


@pytest.mark.parametrize(("profile", "taken"), [("flat", 8.0), ("round", 16 - 4 * np.pi), ("hollow", 4 * np.pi)])
def test_the_corner_of_a_sheet_is_cut_or_rounded(profile: str, taken: float) -> None:
    """Nothing stands in the place of a point at an open rim: w²/2, (1 - π/4) w² or π w²/4 is taken off a corner by w = 4."""
    sheet = grid_mesh(3, 3, 10.0)
    done = bevel_points(sheet, corners_of(sheet), 4.0, 32, profile)
    check_result(done.mesh)
    assert done.opened == 4
    assert 900 - np.linalg.norm(done.mesh.face_vectors, axis=1).sum() == pytest.approx(4 * taken, rel=2e-3)
    assert done.mesh.point_count - len(done.mesh.topology.edges.ends) + done.mesh.face_count == 1


def test_a_point_on_the_middle_of_a_rim_leaves_a_notch() -> None:
    """Half a circle is taken out of the side of a sheet."""
    sheet = grid_mesh(4, 2, 10.0)
    side = int(np.flatnonzero(np.isclose(sheet.positions, [20, 0, 0]).all(axis=1))[0])
    done = bevel_points(sheet, at(sheet, side), 5.0, 16, "hollow")
    check_result(done.mesh)
    assert 800 - np.linalg.norm(done.mesh.face_vectors, axis=1).sum() == pytest.approx(np.pi * 25 / 2, rel=2e-3)


def test_neighbours_and_all_points_at_once() -> None:
    """All points of a ball of squares: closed, of the ball's genus, and faces other than quads hold up too."""
    body = ball(30.0, 4)
    shortest = float(np.linalg.norm(np.diff(body.positions[body.topology.edges.ends], axis=1), axis=2).min())
    done = bevel_points(body, np.ones(body.point_count, dtype=bool), 0.3 * shortest, 2)
    check_result(done.mesh, closed=True)
    assert done.mesh.topology.is_quads
    assert done.mesh.point_count - len(done.mesh.topology.edges.ends) + done.mesh.face_count == 2
    mixed = mixed_faces()
    done = bevel_points(mixed, np.ones(mixed.point_count, dtype=bool), 0.2, 2)
    check_result(done.mesh)
    assert done.odd, "faces of other than four sides stay such"


def test_what_is_too_wide_tells_what_fits() -> None:
    """Two cut corners on an edge of 10 need less than 5 each."""
    body = cube_mesh(10.0)
    done = bevel_points(body, np.ones(8, dtype=bool), 8.0, 2)
    assert done.fits == pytest.approx(5 / 8)
    assert len(done.folded) == 6
    assert not len(bevel_points(body, np.ones(8, dtype=bool), 4.99, 2).folded)


def test_what_cannot_be_cut_says_so() -> None:
    """Two skins that hang together in a point alone; a width of nothing; no steps."""
    touching = touching_in_a_point()
    shared = np.flatnonzero(np.bincount(touching.topology.face_corners) == 6)
    with pytest.raises(KernelError, match="hang together by nothing else"):
        bevel_points(touching, at(touching, *shared), 0.1)
    with pytest.raises(InvalidInput, match="width"):
        bevel_points(cube_mesh(), at(cube_mesh(), 0), 0.0)
    with pytest.raises(InvalidInput, match="steps"):
        bevel_points(cube_mesh(), at(cube_mesh(), 0), 0.1, 0)


def test_corners_are_found_by_what_meets_there() -> None:
    """A box has eight and a sheet four, whatever the density; a ball and a Möbius strip have none."""
    assert mark_corners(box((5, 5, 5), (4, 3, 2)), np.radians(30)).points().sum() == 8
    assert mark_corners(grid_mesh(5, 4), np.radians(30)).points().sum() == 4
    assert not mark_corners(ball(10, 6), np.radians(60)).points().any()
    assert not mark_corners(moebius_strip(40), np.radians(60)).points().any()
    assert mark_corners(grid_mesh(5, 4), np.radians(91)).points().sum() == 0, "a right angle is no sharper than that"
