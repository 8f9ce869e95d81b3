"""Marks: loops, rings, rules and what is done with them, on meshes small enough to count by hand."""

from __future__ import annotations

import networkx
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glass_spoon.kernel.arrays import owned
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.mesh_edits.gather_meshes import gather_meshes
from glass_spoon.kernel.meshes import marked
from glass_spoon.kernel.meshes.marked import Mark, as_kind, grow, make_mark, mark_path, meet
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from tests.solid_bodies import ball
from tests.zoo import cube_mesh, grid_mesh, torus

GRID = grid_mesh(6, 4)
RING = mesh_surface(torus(30, 10), 24, 12)


def test_loop_runs_once_round_a_torus_either_way() -> None:
    """A torus is crossed by loops of 24 one way and 12 the other."""
    outer = marked.mark_loop(RING, np.array([40.0, 0.5, 0.0]))
    assert len(outer) == 24
    assert len(marked.mark_loop(RING, np.array([39.5, 0.0, 2.6]))) == 12


def test_ring_holds_the_edges_that_face_each_other() -> None:
    """Edges of a ring face each other, and the strip is the faces between."""
    ring = marked.mark_ring(GRID, np.array([2.5, 2.0, 0.0]))
    middles = GRID.positions[GRID.topology.edges.ends[ring.indices]].mean(axis=1)
    assert middles.tolist() == [[2.5, y, 0.0] for y in range(5)]
    strip = marked.mark_strip(GRID, np.array([2.5, 2.0, 0.0]))
    assert GRID.face_centers[strip.indices, 0].tolist() == [2.5] * 4


def test_rings_of_a_torus_close() -> None:
    """The ring of a torus has as many edges as the tube."""
    assert len(marked.mark_ring(RING, np.array([40.0, 0.5, 0.0]))) == 12


def test_rim_of_a_grid_is_its_outline() -> None:
    """The rim of a grid is its outline; a torus has none."""
    assert len(marked.mark_rim(GRID)) == 2 * (6 + 4)
    assert len(marked.mark_rim(RING)) == 0


def test_all_twelve_edges_of_a_cube_are_sharper_than_60_degrees_and_none_than_100() -> None:
    """An angle limit under 90° takes all edges of a cube, one over it none."""
    assert len(marked.mark_sharper(cube_mesh(), np.radians(60))) == 12
    assert len(marked.mark_sharper(cube_mesh(), np.radians(100))) == 0


def test_faces_are_marked_by_the_way_they_face_and_where_they_lie() -> None:
    """Direction, box and band by face centres; no direction is refused."""
    up = marked.mark_facing(cube_mesh(), np.array([0, 0, 5.0]), np.radians(10))
    assert cube_mesh().face_centers[up.indices].tolist() == [[0, 0, 1]]
    box = marked.mark_box(GRID, np.array([-1, -1, -1.0]), np.array([2, 2, 1.0]))
    assert len(box) == 4
    band = marked.mark_box(RING, np.array([-np.inf, -np.inf, 2]), np.array([np.inf, np.inf, 20]))
    assert (RING.face_centers[band.indices, 2] >= 2).all()
    with pytest.raises(InvalidInput, match="direction"):
        marked.mark_facing(cube_mesh(), np.zeros(3), 1.0)


def test_single_picks_find_the_nearest_of_their_kind() -> None:
    """The nearest point and face of each place, whatever its distance."""
    places = np.array([[0.1, 0.1, 0], [5.9, 3.8, 1]])
    assert GRID.positions[marked.mark_nearest(GRID, places, "point").indices].tolist() == [[0, 0, 0], [6, 4, 0]]
    assert len(marked.mark_nearest(GRID, places, "face")) == 2


def test_growing_a_face_by_one_takes_its_eight_neighbours_and_shrinking_gives_it_back() -> None:
    """Growing adds neighbours over corners and shrinking undoes it; points and edges grow too."""
    tall = grid_mesh(6, 6)
    middle = marked.mark_nearest(tall, np.array([[2.5, 2.5, 0]]), "face")
    grown = grow(middle, 1)
    assert len(grown) == 9
    assert np.array_equal(grow(grown, -1).indices, middle.indices)
    point = marked.mark_nearest(GRID, np.array([[3.0, 2.0, 0]]), "point")
    assert len(grow(point, 1)) == 5
    edge = marked.mark_nearest(GRID, np.array([[2.5, 2.0, 0]]), "edge")
    assert len(grow(edge, 1)) == 7


@settings(max_examples=40)
@given(st.sampled_from(["point", "edge", "face"]), st.data())
def test_marks_meet_as_sets_do(kind: str, data: st.DataObject) -> None:
    """Union, difference and intersection are those of Python's sets."""
    size = {"point": 35, "edge": 58, "face": 24}[kind]
    first, second = (set(data.draw(st.lists(st.integers(0, size - 1), max_size=12))) for _ in range(2))
    a, b = (make_mark(kind, GRID, np.array(sorted(own), dtype=np.int64)) for own in (first, second))  # type: ignore[arg-type]  # a kind
    assert set(meet(a, b, "with").indices.tolist()) == first | second
    assert set(meet(a, b, "without").indices.tolist()) == first - second
    assert set(meet(a, b, "within").indices.tolist()) == first & second


def test_marks_are_read_as_other_kinds() -> None:
    """A face has four points and edges; points of a whole face give it back."""
    face = make_mark("face", GRID, np.array([0]))
    assert len(as_kind(face, "point")) == len(as_kind(face, "edge")) == 4
    assert len(as_kind(as_kind(face, "point"), "face")) == 1
    inner = marked.mark_nearest(GRID, np.array([[2.5, 2.0, 0]]), "edge")
    assert len(as_kind(inner, "face")) == 2
    assert as_kind(Mark("point", np.array([0, 1]), GRID.topology), "edge").indices.size == 1


def test_edges_between_vertices_that_are_apart_are_refused() -> None:
    """Two points without an edge between them cannot be marked as an edge."""
    with pytest.raises(InvalidInput, match="joined"):
        marked.edges_between(GRID.topology, np.array([0]), np.array([20]))


def test_creases_and_borders_are_found() -> None:
    """A plain grid has no crease and no border of pieces."""
    assert len(marked.mark_creases(GRID)) == 0
    assert len(marked.mark_borders(GRID)) == 0


def test_a_path_is_the_shortest_way_over_edges_through_its_places() -> None:
    """On a grid the sum of the steps right and up; on a ball no longer than networkx finds; apart pieces are left out."""
    mesh = grid_mesh(10, 8, 1.0)
    found = mark_path(mesh, np.array([[0, 0, 0], [4, 3, 0], [4, 8, 0.0]]))
    assert len(found) == 7 + 5
    ends = mesh.topology.edges.ends[found.indices]
    assert set(np.unique(ends, return_counts=True)[1].tolist()) <= {1, 2}
    body = ball(20, 8)
    size = np.linalg.norm(np.diff(body.positions[body.topology.edges.ends], axis=1)[:, 0], axis=1)
    graph = networkx.Graph()
    graph.add_weighted_edges_from(
        (int(a), int(b), float(way)) for (a, b), way in zip(body.topology.edges.ends, size, strict=True)
    )
    first, last = body.positions[3], body.positions[-5]
    known = networkx.shortest_path_length(graph, 3, body.point_count - 5, "weight")
    assert size[mark_path(body, np.array([first, last])).indices].sum() == pytest.approx(known, rel=1e-9)
    two = gather_meshes([mesh, mesh.moved(mesh.positions + np.array([50.0, 0, 0]))])
    assert len(mark_path(two, np.array([[0, 0, 0], [52, 0, 0.0]]))) == 0
    assert len(mark_path(mesh, np.array([[0, 0, 0.0]]))) == 0


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_the_rims_at_the_ends_are_found(size: float) -> None:
    """A tube has one at its foot and one at its mouth; two tubes of one height have two at each; a box has none."""
    tube = tube_mesh(size)
    low, high = (marked.mark_end_rims(tube, top=top) for top in (False, True))
    assert (len(low), len(high)) == (12, 12)
    assert np.allclose(tube.positions[tube.topology.edges.ends[low.indices].ravel(), 2], 0)
    assert np.allclose(tube.positions[tube.topology.edges.ends[high.indices].ravel(), 2], 3 * size)
    both = gather_meshes([tube, tube.moved(owned(tube.positions + np.array([9 * size, 0, 0])))])
    assert len(marked.mark_end_rims(both, top=True)) == 24
    assert not len(marked.mark_end_rims(cube_mesh(size), top=True))


def tube_mesh(size: float) -> Mesh:
    """Return a tube of twelve by three quads, open at both ends."""
    turns = np.arange(12) * np.pi / 6
    places = np.array([[np.cos(turn), np.sin(turn), z] for z in range(4) for turn in turns]) * size
    quads = [
        [r * 12 + k, r * 12 + (k + 1) % 12, (r + 1) * 12 + (k + 1) % 12, (r + 1) * 12 + k]
        for r in range(3)
        for k in range(12)
    ]
    return make_mesh(places, np.array(quads))
