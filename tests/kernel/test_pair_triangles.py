"""Pairing triangles to quads: against brute force on small meshes, and identities on large ones."""

from __future__ import annotations

from itertools import combinations

import networkx
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import Delaunay, cKDTree

from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.mesh_edits.pair_triangles import best_matching, pair_triangles, quad_shapes
from glass_spoon.kernel.meshes.mesh import Mesh, check_mesh, make_mesh
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from tests.zoo import cube_mesh, torus


def scattered(seed: int, count: int) -> Mesh:
    """Return the Delaunay triangles of random places in a square."""
    places = np.random.default_rng(seed).random((count, 2))
    return make_mesh(np.column_stack((places, np.zeros(count))), Delaunay(places).simplices)


def cut_in_triangles(mesh: Mesh) -> Mesh:
    """Return a mesh of quads cut along one diagonal each."""
    quads = mesh.topology.face_corners.reshape(-1, 4)
    return make_mesh(mesh.positions, np.stack((quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]), axis=1).reshape(-1, 3))


@settings(max_examples=40)
@given(st.integers(0, 100_000), st.integers(2, 9))
def test_no_other_pairing_has_more_pairs_or_a_greater_weight(seed: int, edges: int) -> None:
    """Brute force over all subsets of the edges of a small graph."""
    rng = np.random.default_rng(seed)
    ends = np.array([rng.choice(7, 2, replace=False) for _ in range(edges)])
    ends = np.unique(np.sort(ends, axis=1), axis=0)
    weights = rng.integers(1, 1000, len(ends)) / 1000
    best = (0, 0.0)
    for size in range(1, 4):
        for chosen in combinations(range(len(ends)), size):
            if len(set(ends[list(chosen)].ravel().tolist())) == 2 * size:
                best = max(best, (size, float(weights[list(chosen)].sum())))
    found = best_matching(ends, weights, rng.random((7, 3)))
    assert len(found) == best[0]
    assert weights[found].sum() == pytest.approx(best[1], abs=1e-5)


def test_pairs_of_scattered_triangles_are_as_many_as_another_library_finds() -> None:
    """networkx's maximum matching has no pair more."""
    mesh = scattered(5, 160)
    graph = networkx.Graph()
    for edge, (a, b) in enumerate(mesh.topology.edge_faces.tolist()):
        if b < 0:
            continue
        start = mesh.topology.edge_corners[edge, 0]
        x, y = mesh.topology.edges.ends[edge]
        others = [int(np.setdiff1d(mesh.topology.face_corners[3 * f : 3 * f + 3], [x, y])[0]) for f in (a, b)]
        first, second = mesh.topology.face_corners[start], mesh.topology.face_corners[mesh.topology.next_corner[start]]
        shape = quad_shapes(mesh.positions[[[others[0], first, others[1], second]]])[0]
        if shape > 0:
            graph.add_edge(a, b, weight=float(shape))
    wanted = networkx.max_weight_matching(graph, maxcardinality=True)
    paired = pair_triangles(mesh)
    assert paired.pairs == len(wanted)


def test_a_cut_torus_becomes_its_quads_again() -> None:
    """All diagonals are found again, and the volume stays."""
    whole = mesh_surface(torus(30, 10), 48, 20)
    paired = pair_triangles(cut_in_triangles(whole))
    assert paired.mesh.topology.is_quads
    assert (paired.pairs, paired.left) == (960, 0)
    assert enclosed_volume(paired.mesh) == pytest.approx(enclosed_volume(cut_in_triangles(whole)), rel=1e-2)


def test_large_meshes_are_paired_patch_by_patch_nearly_as_well() -> None:
    """Over the size that is paired at once: all quads of a cut grid are found again, and no triangle is used twice."""
    whole = mesh_surface(torus(30, 10), 96, 40)
    paired = pair_triangles(cut_in_triangles(whole))
    assert paired.mesh.topology.is_quads
    assert paired.pairs == 3840


def test_area_and_rim_stay() -> None:
    """Pairs and triangles left add up, the rim and the area are untouched."""
    mesh = scattered(2, 900)
    paired = pair_triangles(mesh)
    check_mesh(paired.mesh)
    assert paired.mesh.face_vectors[:, 2].sum() == pytest.approx(mesh.face_vectors[:, 2].sum())
    assert len(paired.mesh.topology.boundary_edges) == len(mesh.topology.boundary_edges)
    assert mesh.face_count == 2 * paired.pairs + paired.left


def test_triangles_over_a_sharp_edge_stay_apart() -> None:
    """Each face of a cube gets its own two triangles."""
    paired = pair_triangles(cut_in_triangles(cube_mesh()), np.radians(30))
    assert paired.mesh.topology.is_quads
    assert np.allclose(np.sort(np.abs(paired.mesh.face_normals).max(axis=1)), 1)


def test_held_edges_stay_edges() -> None:
    """Where every edge is held nothing is paired."""
    mesh = cut_in_triangles(cube_mesh())
    paired = pair_triangles(mesh, held=np.ones(len(mesh.topology.edges.ends), dtype=bool))
    assert paired.pairs == 0
    assert paired.mesh.topology.key == mesh.topology.key


def test_square_is_perfect_and_dented_quad_worthless() -> None:
    """The measure of a pair is one for a square and none for a dart."""
    square = [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]]
    dart = [[0, 0, 0], [1, 0, 0], [0.2, 0.2, 0], [0, 1, 0]]
    assert quad_shapes(np.array([square, dart], dtype=float)).tolist() == pytest.approx([1.0, 0.0])


def test_angle_of_nothing_is_refused() -> None:
    """An angle of none would pair nothing and is refused."""
    with pytest.raises(InvalidInput, match="turn between"):
        pair_triangles(cube_mesh(), 0.0)


@pytest.mark.parametrize("seed", range(4))
def test_a_graph_matched_patch_by_patch_is_matched_as_far_as_a_whole_one(seed: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """As many pairs as networkx finds in the whole graph less a few odd rings, no node twice, and nearly their weight."""
    monkeypatch.setattr("glass_spoon.kernel.mesh_edits.pair_triangles.WHOLE", 60)
    rng = np.random.default_rng(seed)
    places = rng.random((600, 3)) * [1, 1, 0]
    near = cKDTree(places).query(places, k=4)[1][:, 1:]
    ends = np.unique(np.sort(np.column_stack((np.repeat(np.arange(600), 3), near.ravel())), axis=1), axis=0)
    weights = rng.random(len(ends))
    chosen = best_matching(ends, weights, places)
    assert len(np.unique(ends[chosen])) == 2 * len(chosen)
    graph = networkx.Graph()
    graph.add_weighted_edges_from((a, b, w) for (a, b), w in zip(ends.tolist(), weights, strict=True))
    whole = networkx.max_weight_matching(graph, maxcardinality=True)
    assert len(chosen) >= len(whole) - 3
    best = sum(graph.edges[pair]["weight"] for pair in whole)
    assert weights[chosen].sum() > 0.9 * best


def test_a_graph_without_edges_has_no_pairs() -> None:
    """An empty graph gives an empty matching."""
    assert len(best_matching(np.zeros((0, 2), dtype=int), np.zeros(0), np.zeros((5, 3)))) == 0


def test_cut_quads_are_paired_without_a_search(monkeypatch: pytest.MonkeyPatch) -> None:
    """Where the best partner of each triangle has it for its best too, these pairs are the greatest matching."""
    monkeypatch.setattr("glass_spoon.kernel.mesh_edits.pair_triangles.rustworkx.max_weight_matching", None)
    mesh = mesh_surface(torus(300, 100), 160, 80)
    quads = mesh.topology.face_corners.reshape(-1, 4)
    cut = make_mesh(mesh.positions, np.stack((quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]), axis=1).reshape(-1, 3))
    paired = pair_triangles(cut)
    assert paired.left == 0
    assert {frozenset(quad) for quad in paired.mesh.topology.face_corners.reshape(-1, 4).tolist()} == {
        frozenset(quad) for quad in quads.tolist()
    }
