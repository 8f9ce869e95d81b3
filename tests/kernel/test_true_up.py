"""Loops made ellipses and laid on curves, faces made flat: against the formula, at any size."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.curves.alter.place_curve import moving, place_curve
from glass_spoon.kernel.curves.make.flat_shapes import make_circle
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.detail.true_up import curve_rows, flatten_faces, oval_points
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshes.mesh import Mesh
from tests.solid_bodies import rod
from tests.zoo import cube_mesh, grid_mesh

SIZES = [0.01, 1.0, 100.0]


def warped(size: float) -> Mesh:
    """Return a grid of which every point is out of the plane by up to a tenth of an edge."""
    grid = grid_mesh(6, 5, size)
    out = np.random.default_rng(4).uniform(-0.1, 0.1, grid.point_count) * size
    return grid.moved(grid.positions + np.column_stack((0 * out, 0 * out, out)))


def off_plane(mesh: Mesh) -> float:
    """Return how far a corner is off the best plane of its face at most."""
    corners = mesh.positions[mesh.topology.face_corners.reshape(-1, 4)]
    corners = corners - corners.mean(axis=1, keepdims=True)
    return float(np.linalg.svd(corners, compute_uv=False)[:, 2].max())


@pytest.mark.parametrize("size", SIZES)
def test_faces_become_flat_each_in_its_own_plane(size: float) -> None:
    """No corner is off the plane of its face by more than a billionth, and points went no farther than they were out."""
    mesh = warped(size)
    assert off_plane(mesh) > 0.05 * size
    done = flatten_faces(mesh, np.ones(mesh.face_count, dtype=bool), 1.0)
    assert off_plane(mesh.moved(done.places)) < 1e-7 * size
    assert done.farthest < 0.3 * size
    assert done.parts == mesh.face_count


def test_flat_faces_stay_and_half_a_strength_goes_half_way() -> None:
    """A cube stays as it is; half the strength moves each point half as far."""
    cube = cube_mesh()
    assert flatten_faces(cube, np.ones(6, dtype=bool), 1.0).farthest == 0
    mesh = warped(1.0)
    every = np.ones(mesh.face_count, dtype=bool)
    half, whole = (flatten_faces(mesh, every, strength) for strength in (0.5, 1.0))
    assert half.farthest == pytest.approx(whole.farthest / 2)


@pytest.mark.parametrize("size", SIZES)
def test_a_loop_becomes_the_ellipse_that_it_is_near(size: float) -> None:
    """A loop of points on an ellipse, shaken, lies on the ellipse again within the shaking; on it, it stays on it."""
    tube = rod(10 * size, 60 * size, 6, 4)
    places = tube.positions * np.array([1.6, 0.7, 1.0])
    level = np.unique(np.round(places[:, 2] / size, 6))[2] * size
    outer = np.hypot(*tube.positions[:, :2].T) > 9.9 * size
    rim = np.isclose(places[:, 2], level, atol=1e-6 * size) & outer
    mesh = tube.moved(places)
    edges = rim[mesh.topology.edges.ends].all(axis=1)
    done = oval_points(mesh, edges, 1.0)
    own = done.places[rim] / size
    assert (own[:, 0] / 16) ** 2 + (own[:, 1] / 7) ** 2 == pytest.approx(np.ones(rim.sum()), abs=1e-6)
    assert done.parts == 1
    steps = np.linalg.norm(np.diff(own[np.argsort(np.arctan2(own[:, 1] / 7, own[:, 0] / 16))], axis=0), axis=1)
    assert steps.max() / steps.min() < 1.2


def test_a_loop_too_short_for_an_ellipse_is_refused() -> None:
    """Four points make no ellipse of their own."""
    cube = cube_mesh()
    top = cube.positions[:, 2] > 0
    with pytest.raises(KernelError, match="five points"):
        oval_points(cube, top[cube.topology.edges.ends].all(axis=1), 1.0)


@pytest.mark.parametrize("size", SIZES)
def test_rows_are_laid_evenly_on_a_curve(size: float) -> None:
    """A loop on a circle, evenly; an open row on a line from end to end, whichever way that was drawn."""
    tube = rod(10 * size, 60 * size, 4, 6)
    top = np.isclose(tube.positions[:, 2], tube.positions[:, 2].max())
    rim = top & np.isclose(np.hypot(*tube.positions[:, :2].T), 10 * size)
    circle = place_curve(make_circle((0, 0), 14 * size), moving([0, 0, 33 * size]))
    laid = curve_rows(tube, rim[tube.topology.edges.ends].all(axis=1), circle, 1.0)
    own = laid.places[rim] / size
    assert np.hypot(own[:, 0], own[:, 1]) == pytest.approx(np.full(len(own), 14))
    assert np.ptp(np.diff(np.sort(np.arctan2(own[:, 1], own[:, 0])))) < 1e-6
    grid = grid_mesh(4, 3, size)
    row = np.isclose(grid.positions[:, 1], 0)
    for ends in ([[0, -1, 0], [8, -1, 0]], [[8, -1, 0], [0, -1, 0]]):
        line = make_polyline(np.array(ends) * size)
        places = curve_rows(grid, row[grid.topology.edges.ends].all(axis=1), line, 1.0).places[row] / size
        assert places[np.argsort(grid.positions[row, 0]), 0] == pytest.approx([0, 2, 4, 6, 8])
