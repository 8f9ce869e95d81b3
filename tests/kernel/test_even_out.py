"""Fairing and symmetry: against trimesh's filter step for step, volumes kept, planes and mirrors exact."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from glass_spoon.kernel.arrays import owned
from glass_spoon.kernel.deform.fair import PASSED, fair_mesh
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.mesh_edits.restore_symmetry import restore_symmetry
from glass_spoon.kernel.meshes.mesh import Mesh
from tests.solid_bodies import ball, box
from tests.zoo import empty_mesh, grid_mesh

SIDE, MIDDLE = np.array([1.0, 0.0, 0.0]), np.zeros(3)


def bumpy(mesh: Mesh, size: float, seed: int = 1) -> Mesh:
    """Return a mesh with its points put about at random by a share of its size."""
    rng = np.random.default_rng(seed)
    return mesh.moved(owned(mesh.positions + rng.normal(size=mesh.positions.shape) * size))


@pytest.mark.parametrize("rounds", [1, 7])
def test_a_round_is_that_of_another_library(rounds: int) -> None:
    """On the rim-less mesh of edges of a ball, trimesh's Taubin filter with the same two factors gives the same points."""
    rough = bumpy(ball(30.0, 5), 0.4)
    inward = 0.5
    outward = 1 / (PASSED - 1 / inward)
    ends = rough.topology.edges.ends
    peer = trimesh.Trimesh(rough.positions, np.zeros((0, 3), dtype=int), process=False)
    graph = np.zeros((rough.point_count,) * 2)
    graph[ends[:, 0], ends[:, 1]] = graph[ends[:, 1], ends[:, 0]] = 1
    middles = graph / graph.sum(axis=1, keepdims=True)
    trimesh.smoothing.filter_taubin(
        peer, lamb=inward, nu=-outward, iterations=2 * rounds, laplacian_operator=trimesh.util.np.asmatrix(middles).A
    )
    ours = fair_mesh(rough, rounds, keeps_volume=False).places
    assert np.allclose(ours, peer.vertices, atol=1e-9)
    kept = fair_mesh(rough, rounds).places
    assert np.abs(ours - kept).max() < 0.2 * np.abs(kept - rough.positions).max(), "the volume takes very little"


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_bumps_go_and_the_volume_stays(size: float) -> None:
    """A ball with noise of a hundredth of its radius: less than half the noise after ten rounds, the volume to 1e-12."""
    rough = bumpy(ball(30.0 * size, 10), 0.4 * size)
    done = fair_mesh(rough, 10)
    away = np.linalg.norm(done.places, axis=1)
    before = np.linalg.norm(rough.positions, axis=1)
    assert away.std() < 0.5 * before.std()
    assert enclosed_volume(rough.moved(owned(done.places))) == pytest.approx(enclosed_volume(rough), rel=1e-12)
    assert abs(done.volume) < 1e-12


def test_what_is_even_already_stays() -> None:
    """The points of an even grid, its rim and its corners, whatever the rounds; a rim with a dent is faired as a line."""
    grid = grid_mesh(6, 5, 2.0)
    held = np.zeros(grid.point_count, dtype=bool)
    corners = np.flatnonzero(np.isin(grid.positions[:, 0], (0, 12)) & np.isin(grid.positions[:, 1], (0, 10)))
    held[corners] = True
    assert np.allclose(fair_mesh(grid, 20, held=held).places, grid.positions, atol=1e-12)
    dented = grid.positions.copy()
    side = np.flatnonzero(np.isclose(dented, [6, 0, 0]).all(axis=1))[0]
    dented[side, 1] = -1.0
    done = fair_mesh(grid.moved(owned(dented)), 30, held=held)
    assert -0.6 < done.places[side, 1] < 0
    assert np.isnan(done.volume)


def test_only_what_may_goes() -> None:
    """Held points and those without weight stay; a weight of half goes less far."""
    rough = bumpy(ball(30.0, 6), 0.5)
    held = rough.positions[:, 2] > 0
    done = fair_mesh(rough, 5, held=held)
    assert np.array_equal(done.places[held], rough.positions[held])
    weights = np.where(rough.positions[:, 0] > 0, 1.0, 0.0)
    assert np.array_equal(fair_mesh(rough, 5, weights=weights).places[weights == 0], rough.positions[weights == 0])
    with pytest.raises(InvalidInput, match="strength"):
        fair_mesh(rough, 5, 0.0)


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("leading", ["both", "near", "far"])
def test_a_body_that_went_out_of_shape_is_symmetric_again(leading: str, size: float) -> None:
    """Every point has its image to rounding; points in the plane lie in it; the side that leads stays."""
    rough = bumpy(box((20 * size, 14 * size, 9 * size), (6, 5, 4)), 0.3 * size)
    done = restore_symmetry(rough, MIDDLE, SIDE, leading)
    assert not len(done.alone)
    assert done.pairs == (rough.point_count - (np.abs(rough.positions[:, 0]) < 2 * size).sum()) // 2
    images = done.places * [-1, 1, 1]
    away = np.abs(images[:, None] - done.places[None]).max(axis=2).min(axis=1)
    assert away.max() < 1e-12 * size
    assert 0 < done.off < 4 * size
    if leading != "both":
        leads = rough.positions[:, 0] * (-1 if leading == "near" else 1) > 2 * size
        assert np.array_equal(done.places[leads], rough.positions[leads])


def test_points_far_from_their_image_pair_by_their_neighbours() -> None:
    """A dent deeper than the faces are wide: its point pairs with the one that lies among the images of its neighbours."""
    body = box((20, 14, 9), (10, 7, 5))
    places = body.positions.copy()
    top = np.flatnonzero(np.isclose(places, [8, 2, 9]).all(axis=1))[0]
    across = np.flatnonzero(np.isclose(places, [-8, 2, 9]).all(axis=1))[0]
    places[top] += [1.0, 0.5, 11.0]
    dented = body.moved(owned(places))
    done = restore_symmetry(dented, MIDDLE, SIDE, "far")
    assert not len(done.alone)
    assert done.places[across] == pytest.approx(dented.positions[top] * [-1, 1, 1])
    assert done.off == pytest.approx(np.linalg.norm([1.0, 0.5, 11.0]))
    narrow = restore_symmetry(dented, MIDDLE, SIDE, "far", within=2.0)
    assert sorted(narrow.alone.tolist()) == sorted([top, across])


def test_what_has_no_pair_stays_and_is_named() -> None:
    """A box beside the plane has none; one that is symmetric stays as it is; nothing is nothing."""
    aside = box((5, 5, 5), (2, 2, 2), (30, 0, 0))
    done = restore_symmetry(aside, MIDDLE, SIDE)
    assert len(done.alone) == aside.point_count
    assert np.array_equal(done.places, aside.positions)
    even = box((5, 5, 5), (2, 2, 2))
    assert np.array_equal(restore_symmetry(even, MIDDLE, SIDE).places, even.positions)
    assert restore_symmetry(empty_mesh(), MIDDLE, SIDE).pairs == 0
