"""Relaxing: evenness rises, vertices stay on the surface, features stay."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.mesh_edits.relax_mesh import face_evenness_of, relax_mesh
from glass_spoon.kernel.mesh_edits.shape_guard import ShapeGuard
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh, nearest_in_triangles
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from tests.zoo import cube_mesh, grid_mesh, sphere, torus


def shaken(mesh: Mesh, amount: float) -> Mesh:
    """Return a grid with its inner vertices moved in the plane."""
    away = np.random.default_rng(1).uniform(-amount, amount, (mesh.point_count, 3)) * [1, 1, 0]
    return mesh.moved(mesh.positions + np.where(mesh.topology.on_boundary[:, None], 0, away))


def test_a_shaken_grid_is_evened_out_and_stays_flat() -> None:
    """The measure rises over 0.995 and no point leaves the plane."""
    relaxed = relax_mesh(shaken(grid_mesh(8, 8), 0.3), None, rounds=60)
    assert relaxed.after > 0.995 > relaxed.before
    assert np.abs(relaxed.mesh.positions[:, 2]).max() < 1e-12
    assert relaxed.after == pytest.approx(face_evenness_of(relaxed.mesh))


def test_vertices_of_a_torus_stay_on_it_and_uv_follows() -> None:
    """The distance of a place from a torus is known: off = | hypot(hypot(x, y) - R, z) - r |."""
    surface = torus(30, 10)
    even = mesh_surface(surface, 40, 20)
    low, high = np.array([surface.domain(axis) for axis in (0, 1)]).T
    away = np.random.default_rng(2).uniform(-0.008, 0.008, (even.point_count, 2))[even.topology.face_corners]
    uv = even.corners["uv"] + away
    places = surface_points(surface, *(low + uv % 1.0 * (high - low)).T)
    uneven = even.positions.copy()
    uneven[even.topology.face_corners] = places
    relaxed = relax_mesh(replace(even, positions=uneven, corners={"uv": uv}), surface, rounds=30)
    x, y, z = relaxed.mesh.positions.T
    assert np.abs(np.hypot(np.hypot(x, y) - 30, z) - 10).max() < 1e-6
    assert relaxed.after > relaxed.before + 0.01
    assert lengths(relaxed.mesh.positions - uneven).max() > 0.01
    params = low + (relaxed.mesh.corners["uv"] % 1.0) * (high - low)
    there = surface_points(surface, *params.T)
    assert lengths(there - relaxed.mesh.positions[relaxed.mesh.topology.face_corners]).max() < 1e-5


def test_corners_and_creases_of_a_cube_stay() -> None:
    """Points with sharp edges on three sides have nowhere to go."""
    cube = cube_mesh()
    assert np.array_equal(relax_mesh(cube, None).mesh.positions, cube.positions)


def test_held_vertices_stay() -> None:
    """Places of held points are the same numbers afterwards."""
    mesh = shaken(grid_mesh(6, 6), 0.3)
    held = np.zeros(mesh.point_count, dtype=bool)
    held[[16, 24]] = True
    relaxed = relax_mesh(mesh, None, held=held)
    assert np.array_equal(relaxed.mesh.positions[held], mesh.positions[held])


def test_an_even_mesh_is_given_back_as_it_came() -> None:
    """Nothing to gain gives the same object back."""
    mesh = grid_mesh(5, 5)
    relaxed = relax_mesh(mesh, None)
    assert relaxed.mesh is mesh
    assert relaxed.before == relaxed.after == 1.0


@settings(max_examples=20)
@given(st.floats(0.05, 0.45), st.floats(0.1, 1.0), st.integers(1, 12))
def test_evenness_never_falls(amount: float, strength: float, rounds: int) -> None:
    """For any strength and rounds the result is no worse."""
    mesh = shaken(grid_mesh(6, 5), amount)
    assert relax_mesh(mesh, None, strength, rounds).after >= face_evenness_of(mesh)


def lens() -> tuple[Mesh, NurbsSurface]:
    """A flat ellipsoid, 40 by 40 by 4 mm, meshed denser at its rim, and its surface."""
    ball = sphere(20)
    surface = replace(ball, control_points=ball.control_points * [1.0, 1.0, 0.1])
    return mesh_surface(surface, 32, 24, bend=3.0), surface


@pytest.mark.parametrize("on_surface", [True, False])
def test_a_thin_rim_is_not_lost(on_surface: bool) -> None:
    """Vertices could slide off it and stay on the surface; measured by trimesh, no place of the old mesh is left behind."""
    mesh, surface = lens()
    assert relax_mesh(mesh, surface, rounds=40).off > 0.15  # nothing forbidden
    relaxed = relax_mesh(mesh, surface if on_surface else None, rounds=40, most_off=0.1)
    assert relaxed.after > relaxed.before
    assert np.allclose(np.ptp(relaxed.mesh.positions, axis=0), np.ptp(mesh.positions, axis=0), atol=0.4)
    fans = NearestOnMesh(mesh).triangles[0]
    old, new = (trimesh.Trimesh(own.positions, fans, process=False) for own in (mesh, relaxed.mesh))
    own = face_distances(mesh, surface) if on_surface else 0.0
    for ask, places in ((old, new), (new, old)):
        away = max(_brute(ask.triangles, place) for place in places.vertices)
        assert away <= max(0.1, own) + 1e-9
    assert relaxed.off <= max(0.1, own) + 1e-9


def face_distances(mesh: Mesh, surface: NurbsSurface) -> float:
    """The farthest in mm that the middle of a face lies off the surface."""
    return float(closest_points(surface, mesh.face_centers)[2].max())


def test_what_strayed_is_found_on_both_sides() -> None:
    """A vertex pushed in, and one that hardly moved."""
    mesh = cube_mesh(10.0)
    guard = ShapeGuard(mesh, np.full(6, 0.5))
    still = guard.strayed(mesh.positions)
    assert (still.vertices.any(), still.farthest) == (False, 0.0)
    pushed = mesh.positions * np.where(np.arange(8) == 3, 0.5, 1.0)[:, None]
    found = guard.strayed(pushed)
    assert found.vertices[3]
    assert found.farthest > 0.5
    near = mesh.positions * np.where(np.arange(8) == 3, 0.99, 1.0)[:, None]
    assert not guard.strayed(near).vertices.any()
    assert 0 < guard.strayed(near).farthest <= 10 * 0.01 * np.sqrt(3)


def test_strength_and_rounds_are_checked() -> None:
    """Strengths and rounds of none are refused."""
    with pytest.raises(InvalidInput, match="strength"):
        relax_mesh(cube_mesh(), None, strength=0)
    with pytest.raises(InvalidInput, match="rounds"):
        relax_mesh(cube_mesh(), None, rounds=0)


def test_nearest_places_are_those_of_another_library() -> None:
    """trimesh's closest points on the same triangles."""
    mesh = mesh_surface(sphere(20), 24, 12, poles="fan")
    nearest = NearestOnMesh(mesh)
    places = np.random.default_rng(7).normal(size=(300, 3)) * 18
    found, faces, away = nearest.ask(places)
    other = trimesh.Trimesh(mesh.positions, nearest.triangles[0], process=False)
    distances = np.array([_brute(other.triangles, place) for place in places])
    assert np.allclose(away, distances, atol=1e-9)
    assert np.allclose(lengths(found - places), away)
    assert faces.max() < mesh.face_count


def test_nearest_places_in_triangles_are_those_of_another_library() -> None:
    """Inside, beside each side and beyond each corner, slivers among them: trimesh's closest points, one by one."""
    rng = np.random.default_rng(9)
    triangles = rng.normal(size=(400, 3, 3))
    triangles[::5, 2] = triangles[::5, 0] + (triangles[::5, 1] - triangles[::5, 0]) * 0.4 + 1e-4 * rng.normal(size=(80, 3))
    places = rng.normal(size=(400, 3)) * 2
    ours = nearest_in_triangles(places, triangles)
    theirs = trimesh.triangles.closest_point(triangles, places)
    assert np.allclose(lengths(ours - places), lengths(theirs - places), rtol=1e-7)


def test_faces_without_area_do_not_hide_their_neighbours() -> None:
    """A sliver that is a line still has its nearest places; no answer is lost."""
    points = [[0, 0, 0], [1, 0, 0], [2, 0, 0], [0, 5, 0], [5, 5, 5], [6, 5, 5], [5, 6, 5]]
    mesh = make_mesh(points, [[0, 1, 2], [0, 2, 3], [4, 5, 6]])
    found, faces, away = NearestOnMesh(mesh).ask(np.array([[1.5, -1, 0], [5.2, 5.2, 7.0], [0.2, 0.3, 1.0]]))
    assert np.allclose(found, [[1.5, 0, 0], [5.2, 5.2, 5.0], [0.2, 0.3, 0.0]])
    assert np.allclose(away, [1, 2, 1])
    assert faces[1:].tolist() == [2, 1]
    assert all(len(part) == 0 for part in NearestOnMesh(mesh).ask(np.zeros((0, 3))))


def _brute(triangles: np.ndarray, place: np.ndarray) -> float:
    points = trimesh.triangles.closest_point(triangles, np.repeat(place[None], len(triangles), axis=0))
    return float(lengths(points - place).min())
