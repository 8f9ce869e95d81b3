"""Limit positions and normals, and creases turned into support loops."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.mesh_edits.cut_rings import cut_rings, ring_labels
from glass_spoon.kernel.meshes.marked import mark_loop, mark_sharper
from glass_spoon.kernel.meshes.mesh import Mesh, check_mesh, make_mesh
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.kernel.subdivision.catmull_clark import subdivide
from glass_spoon.kernel.subdivision.limit_surface import kink_angles, limit_surface, to_limit
from glass_spoon.kernel.subdivision.support_loops import creases_to_loops, loops_to_creases
from tests.zoo import cube_mesh, grid_mesh, torus


def creased(mesh: Mesh, sharpness: float, angle: float = 30.0) -> Mesh:
    """Return a mesh with sharpness on all edges that turn by more than `angle` degrees."""
    values = np.zeros(len(mesh.topology.edges.ends))
    values[mark_sharper(mesh, np.radians(angle)).indices] = sharpness
    return Mesh(mesh.topology, mesh.positions, {}, {"sharpness": values}, dict(mesh.corners), dict(mesh.faces))


def test_limit_is_where_many_steps_lead() -> None:
    """The slow way: the same vertices after six steps of subdivision, which come nearer by a quarter in each."""
    for mesh in (cube_mesh(), mesh_surface(torus(30, 10), 12, 6)):
        limit = limit_surface(mesh).positions
        fine = subdivide(mesh, 5)
        assert lengths(limit - fine.positions[: mesh.point_count]).max() < 2e-3 * np.ptp(mesh.positions)
        assert lengths(limit_surface(fine).positions[: mesh.point_count] - limit).max() < 1e-12 * 100


@pytest.mark.parametrize(
    "mesh", [mesh_surface(torus(30, 10), 6, 5), cube_mesh(2.0), grid_mesh(4, 3)], ids=["torus", "cube", "grid"]
)
def test_limit_at_semi_sharp_creases_is_that_after_all_their_steps(mesh: Mesh) -> None:
    """The slow way: the whole mesh refined until no crease is semi-sharp, then the masks; sharp ones among them stay."""
    rng = np.random.default_rng(4)
    sharpness = rng.uniform(0, 3.6, len(mesh.topology.edges.ends)) * (rng.random(len(mesh.topology.edges.ends)) < 0.6)
    sharpness[[0, len(sharpness) // 2]] = np.inf
    creased_mesh = Mesh(mesh.topology, mesh.positions, {}, {"sharpness": sharpness})
    fine = subdivide(creased_mesh, 4)
    assert set(np.unique(fine.edges["sharpness"])) <= {0.0, np.inf}
    limit, slow = limit_surface(creased_mesh), limit_surface(fine)
    assert np.abs(limit.positions - slow.positions[: mesh.point_count]).max() < 1e-12 * np.ptp(mesh.positions)
    assert (
        np.abs(limit.normals - slow.normals[: mesh.point_count])[~_at_sharp(creased_mesh)].max() < 1e-9
    )  # from small rings


def _at_sharp(mesh: Mesh) -> np.ndarray:
    """Mark vertices on lines that stay sharp, where normals are means of faces and not those of one level more."""
    sharp = np.isinf(mesh.edges["sharpness"]) | (mesh.topology.edge_face_counts == 1)
    marked = np.zeros(mesh.point_count, dtype=bool)
    marked[mesh.topology.edges.ends[sharp].ravel()] = True
    return marked


def test_limit_normals_are_those_of_the_finest_faces() -> None:
    """After five subdivisions the vertex normals agree with the limit's."""
    mesh = mesh_surface(torus(30, 10), 12, 8)
    limit = limit_surface(mesh)
    fine = subdivide(mesh, 5)
    facing = np.einsum("ij,ij->i", limit.normals, fine.vertex_normals[: mesh.point_count])
    assert facing.min() > 1 - 1e-4


def test_limit_normals_of_a_cube_point_along_its_diagonals() -> None:
    """Every corner of a cube is alike to its three axes (valence 3)."""
    limit = limit_surface(cube_mesh())
    assert np.allclose(limit.normals, cube_mesh().positions / np.sqrt(3), atol=1e-12)


def test_flat_grid_stays_flat_with_its_rim_on_its_line() -> None:
    """Flat stays flat, and the rim stays on its straight lines and corners."""
    grid = grid_mesh(6, 5)
    limit = to_limit(grid, 1)
    assert np.abs(limit.positions[:, 2]).max() == 0
    assert limit.positions.min(axis=0).tolist() == [0, 0, 0]
    assert limit.positions.max(axis=0).tolist() == [6, 5, 0]
    assert np.allclose(limit.points["normal"], [0, 0, 1])


def test_kink_angle_of_a_regular_tube_is_the_angle_between_its_sides() -> None:
    """The turn between neighbouring limit tangents is a sixteenth of the round."""
    turn = np.linspace(0, 2 * np.pi, 17)[:-1]
    rings = [np.column_stack((np.cos(turn), np.sin(turn), np.full(16, z))) for z in range(4)]
    here, there = np.arange(16), (np.arange(16) + 1) % 16
    faces = np.concatenate([np.column_stack((here, there, there + 16, here + 16)) + 16 * k for k in range(3)])
    tube = make_mesh(np.concatenate(rings), faces)
    edges, angles = kink_angles(tube, limit_surface(tube))
    inner = (tube.topology.edges.ends[edges] >= 16).all(axis=1) & (tube.topology.edges.ends[edges] < 48).all(axis=1)
    assert angles[inner].max() == pytest.approx(2 * np.pi / 16, abs=1e-9)


def test_limit_needs_quads() -> None:
    """Triangles are refused for a limit surface."""
    with pytest.raises(InvalidInput, match="quads"):
        limit_surface(make_mesh(np.eye(3), [[0, 1, 2]]))


def test_facing_sides_of_quads_are_one_ring() -> None:
    """A 3 by 2 grid has three rings of one way and two of the other."""
    ring, _ = ring_labels(grid_mesh(3, 2).topology)
    assert (
        np.unique(ring, return_counts=True)[1].tolist().count(3) + np.unique(ring, return_counts=True)[1].tolist().count(4)
        == 5
    )


def test_cut_rings_keep_the_shape_and_stay_quads() -> None:
    """Cuts at shares leave quads on the same places; no cut gives the same mesh."""
    mesh = mesh_surface(torus(30, 10), 16, 8)
    done = cut_rings(mesh, [(0, np.array([0.25])), (5, np.array([0.1, 0.8]))])
    cut, loops = done.mesh, done.loops
    check_mesh(cut)
    assert cut.topology.is_quads
    assert cut.face_count > mesh.face_count
    assert (cut.topology.edge_face_counts == 2).all()
    assert enclosed_volume(cut) == pytest.approx(enclosed_volume(mesh), rel=2e-2)
    assert len(loops) > 0
    nothing = cut_rings(mesh, [])
    again, none = nothing.mesh, nothing.loops
    assert again is mesh
    assert len(none) == 0


def test_cut_near_an_end_lies_as_far_from_it_on_every_edge_of_the_ring() -> None:
    """A loop at a fifth lies at 0.2 all along."""
    grid = grid_mesh(4, 3)
    edge = int(np.flatnonzero((grid.topology.edges.ends == (0, 1)).all(axis=1))[0])
    cut = cut_rings(grid, [(edge, np.array([0.2]))]).mesh
    assert sorted(set(np.round(cut.positions[:, 0], 9).tolist())) == [0, 0.2, 1, 2, 3, 4]
    assert cut.face_count == 15


def test_support_loops_match_the_crease_they_stand_for() -> None:
    """A cube creased by two: with loops the smoothed shapes agree five times better than without."""
    cube = subdivide(Mesh(cube_mesh().topology, cube_mesh().positions), 0)
    soft = creased(cube, 2.0)
    supported = creases_to_loops(soft, 0.05)
    assert supported.mesh.topology.is_quads
    assert supported.mesh.face_count == 6 * 9
    assert "sharpness" not in supported.mesh.edges
    plain = lengths(to_limit(cube, 3).positions - to_limit(soft, 3).positions).max()
    assert supported.deviation < 0.2 * plain


def test_loops_of_creases_that_stay_sharp_lie_at_the_distance_asked_for() -> None:
    """Loops beside endless creases lie the given distance from the edge."""
    supported = creases_to_loops(creased(cube_mesh(2.0), np.inf), 0.1)
    levels = np.unique(np.round(np.abs(supported.mesh.positions), 9))
    assert levels.tolist() == pytest.approx([0.9, 1.0])


def test_crease_to_loops_and_back_gives_the_cage_again() -> None:
    """Supported and turned back, the flange has its faces and sharpness again."""
    turn = np.linspace(0, 2 * np.pi, 13)[:-1]
    rings = [
        np.column_stack((r * np.cos(turn), r * np.sin(turn), np.full(12, z)))
        for r, z in ((5, 0), (5, 4), (5, 8), (9, 8), (13, 8))
    ]
    here, there = np.arange(12), (np.arange(12) + 1) % 12
    faces = np.concatenate([np.column_stack((here, there, there + 12, here + 12)) + 12 * k for k in range(4)])
    flange = make_mesh(np.concatenate(rings), faces)
    soft = creased(flange, 1.5, 60)
    supported = creases_to_loops(soft, 0.2)
    assert supported.mesh.face_count == flange.face_count + 24
    crease = mark_loop(supported.mesh, np.array([5.0, 0.0, 8.0]))
    crease = mark_loop(supported.mesh, supported.mesh.positions[[24, 25]].mean(axis=0))
    back = loops_to_creases(supported.mesh, crease.indices).mesh
    assert back.face_count == flange.face_count
    assert back.edges["sharpness"].max() == pytest.approx(1.5, abs=1e-6)
    assert (back.edges["sharpness"] > 0).sum() == 12


def test_mesh_without_creases_has_no_loops_to_make() -> None:
    """No crease and no distance are refused in words."""
    with pytest.raises(InvalidInput, match="creases"):
        creases_to_loops(cube_mesh(), 0.1)
    with pytest.raises(InvalidInput, match="distance"):
        creases_to_loops(creased(cube_mesh(), 1.0), 0.0)


@pytest.mark.parametrize("valence", [3, 4, 5, 6, 9])
def test_a_dart_lies_where_many_steps_lead(valence: int) -> None:
    """A fan of quads on a bowl, one spoke sharp: the vertex after more and more steps, and the mean of its finest faces."""
    turn = 2 * np.pi * np.arange(2 * valence) / (2 * valence)
    reach = np.where(np.arange(2 * valence) % 2, 1.3, 1.0)
    ring = np.column_stack((reach * np.cos(turn), reach * np.sin(turn), 0.3 * reach**2 + 0.2 * np.cos(turn)))
    faces = [[0, 1 + 2 * k, 2 + 2 * k, 1 + (2 * k + 2) % (2 * valence)] for k in range(valence)]
    fan = make_mesh(np.vstack(([0, 0, 0], ring)), np.array(faces))
    sharpness = np.where((fan.topology.edges.ends == [0, 1]).all(axis=1), np.inf, 0.0)
    fan = Mesh(fan.topology, fan.positions, {}, {"sharpness": sharpness})
    limit = limit_surface(fan)
    apart = [lengths(subdivide(fan, level).positions[:1] - limit.positions[:1])[0] for level in (3, 6)]
    assert apart[1] < 0.25 * apart[0]  # about half in each step: along the crease a dart is dragged by what is left of it
    later = limit_surface(subdivide(fan, 3))
    assert np.allclose(later.positions[0], limit.positions[0], atol=1e-12)
    assert np.allclose(later.normals[0], limit.normals[0], atol=1e-9)  # from a ring an eighth as wide
    finest = subdivide(fan, 6)
    assert finest.vertex_normals[0] @ limit.normals[0] > 1 - 1e-3
