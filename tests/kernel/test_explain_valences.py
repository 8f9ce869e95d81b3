"""Why points have other than four edges."""

from __future__ import annotations

from glass_spoon.kernel.meshing.explain_valences import REASONS, explain_valences, valence_sentence
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from tests.zoo import cube_mesh, sphere, torus


def test_regular_mesh_has_nothing_to_explain() -> None:
    """A torus of quads has no irregular point and needs no sentence."""
    assert explain_valences(mesh_surface(torus(30, 10), 24, 12), 1) == {}
    assert valence_sentence({}) == ""


def test_poles_of_a_sphere_have_points_of_three_edges() -> None:
    """Euler: the valences of a closed mesh of quads over a sphere are short of four by eight in all."""
    found = explain_valences(mesh_surface(sphere(20), 32, 16), 1)
    assert set(found) == {REASONS[2]}
    assert sum((4 - edges) * count for edges, count in found[REASONS[2]].items()) == 8
    assert "round poles" in valence_sentence(found)


def test_corners_of_a_cube_of_six_pieces_are_where_pieces_meet() -> None:
    """Eight points of three edges are explained by the pieces that meet there."""
    import numpy as np

    from glass_spoon.kernel.meshes.mesh import Mesh

    cube = cube_mesh()
    found = explain_valences(Mesh(cube.topology, cube.positions, faces={"piece": np.arange(6.0)}), 6)
    assert found == {REASONS[0]: {3: 8}}
