"""Welding, cleaning and merging: counts before and after, against brute force and trimesh."""

from __future__ import annotations

from dataclasses import replace

import igl
import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.mesh_edits.clean_mesh import (
    clean_mesh,
    disagreeing_faces,
    part_non_manifold,
    reverse_faces,
    turn_alike,
)
from glass_spoon.kernel.mesh_edits.gather_meshes import gather_meshes
from glass_spoon.kernel.mesh_edits.keep_and_merge import drop_stray_points, keep_faces, merge_points
from glass_spoon.kernel.mesh_edits.open_edges import find_gaps, put_points_in
from glass_spoon.kernel.mesh_edits.weld import plan_weld, safe_distances, weld
from glass_spoon.kernel.meshes.mesh import Mesh, check_mesh, make_mesh
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from tests.zoo import cube_mesh, grid_mesh, slit_mesh, torus


def exploded(mesh: Mesh, gap: float = 0.0) -> Mesh:
    """Return a mesh whose faces share no vertex, every corner moved by up to `gap` mm."""
    rng = np.random.default_rng(3)
    points = mesh.positions[mesh.topology.face_corners]
    away = rng.normal(size=points.shape)
    points = points + gap * away / np.linalg.norm(away, axis=1)[:, None] * rng.random((len(points), 1))
    return make_mesh(points, np.arange(len(points)), offsets=mesh.topology.face_offsets)


def two_cubes_at_an_edge() -> Mesh:
    """Return two cubes that share one edge, which has four faces."""
    first = cube_mesh(2.0)
    shifted = first.positions + np.array([2.0, 2.0, 0.0])
    both = make_mesh(
        np.vstack((first.positions, shifted)),
        np.concatenate((first.topology.face_corners.reshape(-1, 4), first.topology.face_corners.reshape(-1, 4) + 8)),
    )
    return weld(both, 1e-6).mesh


def test_exploded_cube_is_welded_to_eight_vertices_and_closes() -> None:
    """Twenty-four loose corners become eight points, closed."""
    welded = weld(exploded(cube_mesh(2.0)), 1e-6).mesh
    assert welded.point_count == 8
    assert enclosed_volume(welded) == pytest.approx(8.0)


def test_weld_tells_what_it_would_do_before_it_does_it() -> None:
    """The plan's numbers are those of the weld done."""
    mesh = exploded(grid_mesh(4, 3), 1e-5)
    plan = plan_weld(mesh, 1e-3)
    assert plan.merged == 48 - 20
    assert plan.features == plan.faces == 0
    assert weld(mesh, 1e-3).mesh.point_count == mesh.point_count - plan.merged


def test_safe_range_lies_between_the_gaps_and_the_edges() -> None:
    """The least distance is above the gaps and the largest below the edges."""
    low, high = safe_distances(exploded(grid_mesh(4, 3), 1e-5))
    assert 0 < low <= 4e-5  # two corners are each up to 1e-5 off
    assert 1 - 4e-5 <= high <= 1 + 1e-9


def test_mesh_without_doubled_vertices_has_no_least_safe_distance() -> None:
    """Nothing to weld gives a range from zero to an edge."""
    assert safe_distances(grid_mesh(4, 3)) == (0.0, pytest.approx(1.0))


def test_a_distance_above_the_edges_is_told_to_collapse() -> None:
    """The plan says that all faces would collapse."""
    plan = plan_weld(exploded(grid_mesh(4, 3)), 1.1)
    assert plan.collapses
    assert plan.faces == 12


def test_welding_only_open_edges_leaves_close_inner_vertices() -> None:
    """Only rim points are joined when only open edges are asked for."""
    fine = grid_mesh(3, 3, 1e-3)
    assert weld(fine, 2e-3, "open").of_point[[5, 6]].tolist() != [-1, -1]
    assert plan_weld(fine, 5e-4, "open").merged == 0


def test_distance_below_zero_is_refused() -> None:
    """A negative distance is refused."""
    with pytest.raises(InvalidInput, match="weld distance"):
        plan_weld(cube_mesh(), -1.0)


@settings(max_examples=40)
@given(st.integers(0, 10_000), st.floats(0.01, 0.6))
def test_welded_groups_are_those_of_a_flood_by_distance(seed: int, distance: float) -> None:
    """Brute force: vertices joined by chains of pairs within the distance."""
    rng = np.random.default_rng(seed)
    mesh = make_mesh(rng.random((18, 3)), rng.permutation(18).reshape(6, 3))
    near = np.linalg.norm(mesh.positions[:, None] - mesh.positions[None], axis=2) <= distance
    reach = near.copy()
    for _ in range(18):
        reach = (reach.astype(int) @ near.astype(int)) > 0
    assert np.array_equal(plan_weld(mesh, distance).labels, reach.argmax(axis=1))


@settings(max_examples=30)
@given(st.integers(0, 10_000), st.floats(0.01, 0.9))
def test_a_welded_mesh_is_a_valid_mesh_without_double_corners(seed: int, distance: float) -> None:
    """Random polygons welded at random distances pass the mesh check."""
    rng = np.random.default_rng(seed)
    mesh = make_mesh(rng.random((20, 3)), np.array([rng.choice(20, 4, replace=False) for _ in range(12)]))
    result = weld(mesh, distance)
    check_mesh(result.mesh)
    assert len(result.faces) == result.mesh.face_count


def test_merging_carries_sharpness_uv_and_face_values() -> None:
    """Sharpness, UVs and face values stay with what kept them."""
    mesh = grid_mesh(2, 1)
    edges = np.zeros(len(mesh.topology.edges.ends))
    edges[mesh.topology.edges.of_corner[0]] = 2.5  # the lower side of the first face
    rich = Mesh(
        mesh.topology,
        mesh.positions,
        {},
        {"sharpness": edges},
        {"uv": np.arange(16.0).reshape(8, 2)},
        {"piece": np.array([4.0, 7.0])},
    )
    labels = np.arange(6)
    labels[5] = 2  # the right end collapses to an edge: a triangle is left
    merged = merge_points(rich, labels)
    check_mesh(merged.mesh)
    assert merged.mesh.topology.face_sides.tolist() == [4, 3]
    assert merged.mesh.faces["piece"].tolist() == [4.0, 7.0]
    assert merged.mesh.edges["sharpness"].max() == 2.5
    assert (merged.mesh.edges["sharpness"] > 0).sum() == 1
    assert merged.mesh.corners["uv"][:4].tolist() == rich.corners["uv"][:4].tolist()


def test_keeping_faces_drops_the_vertices_of_the_others() -> None:
    """Points that no face uses go, and a shared one stays."""
    kept = keep_faces(grid_mesh(3, 3), np.array([0, 4]))
    assert kept.mesh.face_count == 2
    assert kept.mesh.point_count == 7  # both share the vertex between them
    assert drop_stray_points(make_mesh(np.eye(3).repeat(2, axis=0)[:5], [[0, 2, 4]])).mesh.point_count == 3


def test_doubled_faces_and_stray_vertices_go() -> None:
    """A doubled face and a stray point are counted and removed."""
    grid = grid_mesh(2, 2)
    corners = grid.topology.face_corners.reshape(-1, 4)
    doubled = make_mesh(np.vstack((grid.positions, [[9, 9, 9]])), np.vstack((corners, corners[1, [2, 1, 0, 3]][None])))
    cleaned = clean_mesh(doubled)
    assert (cleaned.doubled_faces, cleaned.stray_points, cleaned.mesh.face_count) == (1, 1, 4)


def test_an_edge_of_four_faces_is_parted_into_two_bodies() -> None:
    """Two cubes at one edge become two watertight bodies, by trimesh."""
    joined = two_cubes_at_an_edge()
    assert joined.topology.edge_face_counts.max() == 4
    parted = part_non_manifold(joined).mesh
    assert parted.topology.edge_face_counts.max() == 2
    assert parted.point_count == 16
    faces = parted.topology.face_corners.reshape(-1, 4)
    bodies = trimesh.Trimesh(parted.positions, np.vstack((faces[:, :3], faces[:, [0, 2, 3]])), process=False)
    assert bodies.is_watertight
    assert bodies.body_count == 2


def test_two_fans_at_one_vertex_are_parted() -> None:
    """A point that two fans share is doubled."""
    bow = make_mesh([[0, 0, 0], [1, 1, 0], [1, -1, 0], [-1, 1, 0], [-1, -1, 0]], [[0, 2, 1], [0, 3, 4]])
    assert part_non_manifold(bow).mesh.point_count == 6


def test_a_manifold_is_left_as_it_is() -> None:
    """A sound torus passes untouched, with all counts zero."""
    mesh = mesh_surface(torus(30, 10), 24, 12)
    cleaned = clean_mesh(mesh)
    assert cleaned.mesh.topology.key == mesh.topology.key
    assert (cleaned.doubled_faces, cleaned.stray_points, cleaned.parted_points, cleaned.turned_faces) == (0, 0, 0, 0)


@settings(max_examples=30)
@given(st.lists(st.integers(0, 287), max_size=60, unique=True))
def test_turned_over_faces_are_turned_back(chosen: list[int]) -> None:
    """Exactly the reversed faces are found, and the volume comes back."""
    mesh = mesh_surface(torus(30, 10), 24, 12)
    mixed = reverse_faces(mesh, np.array(chosen, dtype=np.int64)).mesh
    assert np.flatnonzero(disagreeing_faces(mixed.topology)).tolist() == sorted(chosen)
    assert enclosed_volume(turn_alike(mixed).mesh) == pytest.approx(enclosed_volume(mesh))


def test_reversing_all_faces_turns_the_normals_over_and_is_its_own_inverse() -> None:
    """Normals turn over, the volume changes its sign, and twice is none."""
    mesh = mesh_surface(torus(30, 10), 24, 12)
    every = np.arange(mesh.face_count)
    over = reverse_faces(mesh, every).mesh
    assert np.allclose(over.points["normal"], -mesh.points["normal"])
    assert enclosed_volume(over) == pytest.approx(-enclosed_volume(mesh))
    assert reverse_faces(over, every).mesh.topology.key == mesh.topology.key


def test_a_band_twisted_once_cannot_be_made_to_agree_and_is_left() -> None:
    """No face is turned where no turning helps."""
    turn = np.linspace(0, 2 * np.pi, 13)[:-1]
    line = np.column_stack((np.cos(turn), np.sin(turn), 0 * turn)) * 10
    side = np.column_stack((np.cos(turn) * np.cos(turn / 2), np.sin(turn) * np.cos(turn / 2), np.sin(turn / 2)))
    points = np.vstack((line - side, line + side))
    here, there = np.arange(12), (np.arange(12) + 1) % 12
    faces = np.column_stack((here, there, there + 12, here + 12))
    faces[-1] = [11, 12, 0, 23]
    band = make_mesh(points, faces)
    assert band.topology.same_direction.sum() == 1
    assert not disagreeing_faces(band.topology).any()


def test_a_small_gap_is_found_with_its_width() -> None:
    """The edges along the slit, and nothing of the rim around both."""
    mesh = slit_mesh(0.05)
    gaps = find_gaps(mesh, 1e-4)
    assert np.allclose(gaps.widths, [0.05])
    ends = mesh.positions[mesh.topology.edges.ends[gaps.edges]]
    assert len(gaps.edges) == 6
    assert (np.abs(ends[:, :, 1] - 1.025) < 0.03).all()


def test_wide_slits_thin_strips_and_closed_meshes_have_no_gaps() -> None:
    """A thin strip has its own face between its rims; a slit half as wide as its edges may be meant."""
    assert len(find_gaps(slit_mesh(1.0), 1e-4).widths) == 0
    strip = make_mesh([[x, y, 0.0] for y in (0, 0.1) for x in range(4)], [[k, k + 1, k + 5, k + 4] for k in range(3)])
    assert len(find_gaps(strip, 1e-4).widths) == 0
    assert len(find_gaps(cube_mesh(), 1e-4).widths) == 0


def test_two_gaps_apart_are_two() -> None:
    """Two slits of different width are found as two gaps."""
    first, second = slit_mesh(0.05), slit_mesh(0.1)
    moved = replace(second, positions=second.positions + np.array([50.0, 0, 0]))
    widths = find_gaps(gather_meshes([first, moved]), 1e-4).widths
    assert np.allclose(np.sort(widths), [0.05, 0.1])


def test_vertices_on_open_edges_of_others_are_put_in_and_welded() -> None:
    """A slit of no width whose upper side knows fewer vertices: without them it stays open, with them it closes."""
    mesh = slit_mesh(0.0)
    assert len(find_gaps(mesh, 1e-4).widths) == 1
    left = weld(mesh, 1e-6, "open").mesh
    closed = weld(mesh, 1e-6, "edges")
    check_mesh(closed.mesh)
    assert len(left.topology.boundary_edges) == 10 + 6
    assert len(closed.mesh.topology.boundary_edges) == 10
    assert closed.put_in == 2
    assert closed.mesh.topology.face_sides.tolist() == [5, 5, 4, 4, 4, 4]
    assert set(map(tuple, closed.mesh.positions[closed.places].tolist())) == {(x, 1.0, 0.0) for x in range(5)}


def test_uv_and_sharpness_are_laid_along_a_cut_edge() -> None:
    """A third along the edge: a third of the way from the uv at one end to that at the other."""
    mesh = make_mesh([[0, 0, 0], [3, 0, 0], [3, 1, 0], [0, 1, 0]], [[0, 1, 2, 3]])
    other = gather_meshes([mesh, make_mesh([[1, 0, 0], [1.2, -1, 0], [0.8, -1, 0]], [[0, 2, 1]])])
    sharpness = np.arange(len(other.topology.edges.ends), dtype=float)
    uv = other.positions[other.topology.face_corners][:, :2] * 2
    put = put_points_in(replace(other, corners={"uv": uv}, edges={"sharpness": sharpness}), 1e-6)
    assert put.mesh.topology.face_sides.tolist() == [5, 3]
    assert np.allclose(put.mesh.corners["uv"], put.mesh.positions[put.mesh.topology.face_corners][:, :2] * 2)
    bottom = np.flatnonzero((other.positions[other.topology.edges.ends][:, :, 1] == 0).all(axis=1))
    parts = np.flatnonzero((put.mesh.positions[put.mesh.topology.edges.ends][:, :, 1] == 0).all(axis=1))
    assert put.mesh.edges["sharpness"][parts].tolist() == [sharpness[bottom[0]]] * 2


@given(st.integers(0, 10_000), st.floats(0.0, 0.4))
@settings(max_examples=60)
def test_any_mesh_with_points_put_in_is_valid_and_keeps_its_area(seed: int, distance: float) -> None:
    """Points put in without distance change no area; at any distance every face keeps different corners."""
    rng = np.random.default_rng(seed)
    mesh = make_mesh(
        rng.integers(0, 4, (14, 3)).astype(float), np.array([rng.choice(14, 3, replace=False) for _ in range(9)])
    )
    put = put_points_in(mesh, distance)
    check_mesh(put.mesh)
    assert put.mesh.topology.face_sides.sum() == 27 + len(put.vertices)


def test_what_was_cleaned_is_pointed_at() -> None:
    """The face left of a double, those at a vertex that was parted, and those turned over."""
    cube = cube_mesh()
    corners = cube.topology.face_corners.reshape(-1, 4)
    doubled = make_mesh(cube.positions, np.vstack((corners, corners[2][::-1])))
    assert clean_mesh(doubled).touched.tolist() == [2]
    turned = make_mesh(cube.positions, np.vstack((corners[:5], corners[5][::-1])))
    done = clean_mesh(turned)
    assert (done.turned_faces, done.touched.tolist()) == (1, [5])
    tips = make_mesh(
        [[0, 0, 0], [1, 0, 0], [0, 1, 0], [-1, 0, 0], [0, -1, 0], [5, 5, 5], [6, 5, 5], [5, 6, 5]],
        [[0, 1, 2], [0, 3, 4], [5, 6, 7]],
    )
    assert clean_mesh(tips).touched.tolist() == [0, 1]


@given(st.integers(0, 10_000))
@settings(max_examples=40)
def test_what_was_cleaned_is_a_manifold_for_another_library(seed: int) -> None:
    """libigl's own tests of edges and vertices, on triangles strewn over few points."""
    rng = np.random.default_rng(seed)
    mesh = make_mesh(rng.random((9, 3)), np.array([rng.choice(9, 3, replace=False) for _ in range(14)]))
    faces = clean_mesh(mesh).mesh.topology.face_corners.reshape(-1, 3).astype(np.int64)
    assert igl.is_edge_manifold(faces)[0]
    assert igl.is_vertex_manifold(faces).all()
