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
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.mesh_surface import mesh_surface
from glass_spoon.kernel.meshes.relax_mesh import face_evenness_of, relax_mesh
from glass_spoon.kernel.surfaces.evaluate_surface import surface_points
from tests.zoo import cube_mesh, grid_mesh, sphere, torus


def shaken(mesh: Mesh, amount: float) -> Mesh:
    """Return a grid with its inner vertices moved in the plane."""
    away = np.random.default_rng(1).uniform(-amount, amount, (mesh.point_count, 3)) * [1, 1, 0]
    return mesh.moved(mesh.positions + np.where(mesh.topology.on_boundary[:, None], 0, away))


def test_a_shaken_grid_is_evened_out_and_stays_flat() -> None:
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
    cube = cube_mesh()
    assert np.array_equal(relax_mesh(cube, None).mesh.positions, cube.positions)


def test_held_vertices_stay() -> None:
    mesh = shaken(grid_mesh(6, 6), 0.3)
    held = np.zeros(mesh.point_count, dtype=bool)
    held[[16, 24]] = True
    relaxed = relax_mesh(mesh, None, held=held)
    assert np.array_equal(relaxed.mesh.positions[held], mesh.positions[held])


def test_an_even_mesh_is_given_back_as_it_came() -> None:
    mesh = grid_mesh(5, 5)
    relaxed = relax_mesh(mesh, None)
    assert relaxed.mesh is mesh
    assert relaxed.before == relaxed.after == 1.0


@settings(max_examples=20, deadline=None)
@given(st.floats(0.05, 0.45), st.floats(0.1, 1.0), st.integers(1, 12))
def test_evenness_never_falls(amount: float, strength: float, rounds: int) -> None:
    mesh = shaken(grid_mesh(6, 5), amount)
    assert relax_mesh(mesh, None, strength, rounds).after >= face_evenness_of(mesh)


def test_strength_and_rounds_are_checked() -> None:
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


def _brute(triangles: np.ndarray, place: np.ndarray) -> float:
    points = trimesh.triangles.closest_point(triangles, np.repeat(place[None], len(triangles), axis=0))
    return float(lengths(points - place).min())
