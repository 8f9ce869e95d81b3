"""Marks carried to finer levels, against the same rule asked of the finer mesh."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.meshes.marked import Mark, element_middles
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.kernel.subdivision.catmull_clark import split_plain
from glass_spoon.kernel.subdivision.refine_mark import refine_mark
from tests.zoo import cube_mesh, grid_mesh, torus


@pytest.mark.parametrize("kind", ["face", "edge", "point"])
@pytest.mark.parametrize("levels", [0, 1, 2])
def test_a_marked_half_of_a_grid_stays_that_half(kind: str, levels: int) -> None:
    """Plain splits move nothing: what lies left of the middle of a flat grid lies there at every level."""
    grid = grid_mesh(6, 4)
    left = element_middles(grid, kind)[:, 0] < 3
    mark = refine_mark(Mark(kind, np.flatnonzero(left), grid.topology), levels)
    fine = split_plain(grid, levels)
    middles = element_middles(fine, kind)
    assert mark.topology.key == fine.topology.key
    if kind == "point":  # points stay themselves: those that are new lie between
        assert np.array_equal(fine.positions[mark.indices], grid.positions[left])
    elif kind == "edge":  # edges inside of faces are new
        own = np.zeros(len(middles), dtype=bool)
        own[mark.indices] = True
        assert (middles[own, 0] < 3).all()
        assert own.sum() == left.sum() * 2**levels
    else:
        assert np.array_equal(mark.mask, middles[:, 0] < 3)


def total_length(mesh: Mesh, edges: np.ndarray) -> float:
    """Return the length in mm of some edges."""
    ends = mesh.positions[mesh.topology.edges.ends[edges]]
    return float(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1).sum())


def test_marked_edges_keep_their_length_and_marked_faces_their_area() -> None:
    """Under plain splits of a ring and of a cube."""
    rng = np.random.default_rng(2)
    for mesh in (mesh_surface(torus(30, 10), 12, 8), cube_mesh(3.0)):
        edges = np.flatnonzero(rng.random(len(mesh.topology.edges.ends)) < 0.3)
        faces = np.flatnonzero(rng.random(mesh.face_count) < 0.4)
        for levels in (1, 3):
            fine = split_plain(mesh, levels)
            finer = refine_mark(Mark("edge", edges, mesh.topology), levels)
            assert total_length(fine, finer.indices) == pytest.approx(total_length(mesh, edges), rel=1e-12)
            chosen = refine_mark(Mark("face", faces, mesh.topology), levels)
            assert len(chosen) == len(faces) * 4**levels
            assert set(np.unique(fine.topology.face_of_corner[chosen.mask[fine.topology.face_of_corner]])) == set(
                chosen.indices
            )
