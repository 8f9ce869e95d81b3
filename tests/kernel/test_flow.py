"""Rows slid, edges turned and drawn together, faces parted, rims drawn on: at any size, with every value carried."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import networkx as nx
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glass_spoon.kernel.arrays import Bools
from glass_spoon.kernel.curves.alter.place_curve import moving, place_curve
from glass_spoon.kernel.curves.make.flat_shapes import make_circle
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.detail.bevel import bevel
from glass_spoon.kernel.detail.collapse import collapse
from glass_spoon.kernel.detail.connect import connect_edges, connect_points
from glass_spoon.kernel.detail.lay_loops import lay_beside
from glass_spoon.kernel.detail.rails import slide
from glass_spoon.kernel.detail.skirt import onto_curve, onward, rim_of, skirt
from glass_spoon.kernel.detail.turn_edges import turn_edges
from glass_spoon.kernel.detail.turn_strip import turn_strips
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.mesh_edits.keep_and_merge import keep_faces
from glass_spoon.kernel.meshes import marked
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.meshes.origin import Reworked, check_origin
from tests.mesh_checker import check_result
from tests.solid_bodies import ball, box, euler, ring, rod, scaled, volume
from tests.zoo import cube_mesh, grid_mesh, touching_in_a_point

SIZES = [0.01, 1.0, 100.0]


def valued(mesh: Mesh) -> Mesh:
    """Return a mesh with a value of its own on every face, edge and corner."""
    topology = mesh.topology
    return replace(
        mesh,
        faces={"piece": np.arange(mesh.face_count, dtype=np.int32)},
        edges={"sharpness": np.arange(1.0, len(topology.edges.ends) + 1)},
        corners={"uv": np.random.default_rng(1).random((len(topology.face_corners), 2))},
    )


def line_at(mesh: Mesh, axis: int, value: float) -> Bools:
    """Mark the edges whose ends both lie at a value of a coordinate."""
    ends = mesh.positions[mesh.topology.edges.ends][:, :, axis]
    return np.asarray(np.isclose(ends, value, atol=1e-9 * float(np.ptp(mesh.positions))).all(axis=1))


def traced(done: Reworked, before: Mesh) -> None:
    """Hold that each face's value is that of its old one, and each edge that was there keeps its own."""
    check_origin(done)
    assert np.array_equal(done.mesh.faces["piece"], before.faces["piece"][done.origin.faces])
    new, old = done.origin.edges.T
    assert (done.mesh.edges["sharpness"][new] >= before.edges["sharpness"][old] - 1e-12).all()


@pytest.mark.parametrize("size", SIZES)
def test_a_row_slides_by_a_share_and_by_a_distance(size: float) -> None:
    """The row of a grid lies at its share of the way, or at its distance, and every other point where it was."""
    grid = grid_mesh(4, 3, 2.0 * size)
    row = line_at(grid, 0, 4 * size)
    for done, wanted in (
        (slide(grid, row, share=0.25), 0.5),
        (slide(grid, row, share=-0.25), 0.5),
        (slide(grid, row, distance=0.7 * size), 0.7),
    ):
        moved = done.mesh.positions - grid.positions
        assert (np.abs(moved).max(axis=1) > 0).sum() == 4
        assert np.abs(moved[:, 0]).max() == pytest.approx(wanted * size)
        assert not moved[:, 1:].any()
    left, right = (slide(grid, row, share=share).mesh.positions[:, 0].sum() for share in (0.5, -0.5))
    assert left + right == pytest.approx(2 * grid.positions[:, 0].sum())


def test_a_loop_of_a_tube_slides_whole_and_stays_level() -> None:
    """A closed loop goes up as one; past the next loop it is refused with the room that there is."""
    tube = rod(10, 60, 4, 6)
    levels = np.unique(np.round(tube.positions[np.abs(np.hypot(*tube.positions[:, :2].T) - 10) < 1e-6, 2], 9))
    loop = line_at(tube, 2, levels[2])
    done = slide(tube, loop, distance=3.0)
    check_result(done.mesh, closed=True)
    heights = done.mesh.positions[done.points, 2]
    assert np.ptp(heights) < 1e-9
    assert abs(heights[0] - levels[2]) == pytest.approx(3.0)
    with pytest.raises(KernelError, match="shortest way there is 10 mm"):
        slide(tube, loop, distance=11.0)


def test_a_rim_slides_to_its_own_side_alone() -> None:
    """Beyond an open rim there is nothing to slide on."""
    grid = grid_mesh(4, 3)
    rim = line_at(grid, 0, 0)
    found = []
    for share in (0.5, -0.5):
        try:
            found.append(slide(grid, rim, share=share).farthest)
        except KernelError as error:
            assert "other side" in str(error)
    assert found == [pytest.approx(0.5)]


@pytest.mark.parametrize("size", SIZES)
def test_a_strip_collapses_to_a_row_and_the_grid_stays_whole(size: float) -> None:
    """Each edge across the strip becomes a point in its middle: a column of faces less, all quads, area as before."""
    grid = valued(grid_mesh(5, 4, size))
    strip = marked.mark_ring(grid, np.array([2.5 * size, 2.0 * size, 0]))
    across = np.zeros(len(grid.topology.edges.ends), dtype=bool)
    across[strip.indices] = True
    done = collapse(grid, across)
    traced(done, grid)
    check_result(done.mesh, closed=False)
    assert (done.pieces, done.gone, done.odd) == (5, 4, 0)
    assert np.linalg.norm(done.mesh.face_vectors, axis=1).sum() == pytest.approx(20 * size**2)


def test_an_edge_collapses_to_two_triangles_and_a_face_to_a_point() -> None:
    """One edge of a closed box makes four quads triangles by two; Euler's number stays."""
    body = valued(box((10, 10, 10), (4, 4, 4)))
    edge = np.zeros(len(body.topology.edges.ends), dtype=bool)
    edge[marked.mark_nearest(body, np.array([[0.0, 2.5, 10.0]]), "edge").indices] = True
    done = collapse(body, edge)
    assert (done.pieces, done.gone, done.odd) == (1, 0, 2)
    assert euler(done.mesh) == 2
    face = marked.mark_nearest(body, np.array([[2.5, 2.5, 10.0]]), "face")
    drawn = collapse(body, face.edges())
    check_result(drawn.mesh, closed=True)
    assert (drawn.pieces, drawn.gone, drawn.odd) == (1, 1, 4)
    assert volume(drawn.mesh) == pytest.approx(volume(body), rel=1e-9)


def test_a_body_that_touches_another_in_a_point_can_still_be_worked_on() -> None:
    """An edge away from where two cubes touch collapses, and they touch as before."""
    both = touching_in_a_point()
    edge = np.zeros(len(both.topology.edges.ends), dtype=bool)
    edge[marked.mark_nearest(both, both.positions[:1] - 5.0, "edge").indices] = True
    done = collapse(both, edge)
    assert done.pieces == 1
    assert done.mesh.point_count == both.point_count - 1


def test_what_collapses_to_nothing_or_onto_itself_is_refused() -> None:
    """All edges of a cube leave nothing; a loop round a thin tube would pinch it."""
    cube = cube_mesh()
    with pytest.raises(KernelError, match="Nothing would be left"):
        collapse(cube, np.ones(12, dtype=bool))
    with pytest.raises(KernelError, match="hold no edges"):
        collapse(cube, np.zeros(12, dtype=bool))


@pytest.mark.parametrize("size", SIZES)
def test_an_edge_turned_three_times_is_back(size: float) -> None:
    """Six corners have three pairs that face each other; turned on and back is as it was."""
    grid = valued(grid_mesh(4, 4, size))
    chosen = np.zeros(len(grid.topology.edges.ends), dtype=bool)
    chosen[marked.mark_nearest(grid, np.array([[2.0, 1.5, 0]]) * size, "edge").indices] = True
    faces = [grid]
    for _ in range(3):
        done = turn_edges(faces[-1], chosen)
        traced(done, faces[-1])
        check_result(done.mesh, closed=False, areas=False)
        assert done.mesh.topology.is_quads
        chosen = done.edges_in("turned")
        assert chosen.sum() == 1
        faces.append(valued(done.mesh))

    def rings(mesh: Mesh) -> set[tuple[int, ...]]:
        quads = mesh.topology.face_corners.reshape(-1, 4).tolist()
        return {tuple(q[q.index(min(q)) :] + q[: q.index(min(q))]) for q in quads}

    assert rings(faces[3]) == rings(grid) != rings(faces[1])
    assert rings(turn_edges(faces[1], turn_edges(grid, _one(grid)).edges_in("turned"), back=True).mesh) == rings(grid)


def _one(mesh: Mesh) -> Bools:
    """Mark the edge in the middle of a grid of four by four."""
    chosen = np.zeros(len(mesh.topology.edges.ends), dtype=bool)
    chosen[marked.mark_nearest(mesh, np.array([[2.0, 1.5, 0]]) * np.ptp(mesh.positions[:, 0]) / 4, "edge").indices] = True
    return chosen


def test_edges_that_cannot_turn_say_why() -> None:
    """A rim, two edges of one face, and a quad beside a triangle are refused in words."""
    grid = grid_mesh(4, 4)
    for chosen, words in (
        (line_at(grid, 0, 0), "on a rim"),
        (line_at(grid, 0, 1) | line_at(grid, 0, 2), "in common"),
        (np.zeros(len(grid.topology.edges.ends), dtype=bool), "hold no edges"),
    ):
        with pytest.raises(KernelError, match=words):
            turn_edges(grid, chosen)


@pytest.mark.parametrize("size", SIZES)
def test_points_across_faces_are_joined(size: float) -> None:
    """A diagonal row of points parts each quad between in two triangles, and the area stays."""
    grid = valued(grid_mesh(4, 4, size))
    diagonal = np.isclose(grid.positions[:, 0], grid.positions[:, 1])
    done = connect_points(grid, diagonal)
    traced(done, grid)
    check_result(done.mesh, closed=False)
    assert (done.parted, done.odd, done.mesh.face_count) == (4, 8, 20)
    graph = nx.Graph([tuple(pair) for pair in done.mesh.topology.edges.ends.tolist()])
    corner, far = (int(np.argmin((done.mesh.positions - size * np.array(at)) @ at)) for at in ([1, 1, 0], [-1, -1, 0]))
    assert nx.shortest_path_length(graph, corner, far) == 4
    assert np.linalg.norm(done.mesh.face_vectors, axis=1).sum() == pytest.approx(16 * size**2)
    with pytest.raises(KernelError, match="across a face"):
        connect_points(grid, np.isclose(grid.positions[:, 0], 0))


def test_edges_across_faces_are_halved_and_joined() -> None:
    """A ring of edges joined is an inserted loop; all edges joined are plain division: four times the faces."""
    body = valued(ring(30, 8, 24, 12))
    chosen = np.zeros(len(body.topology.edges.ends), dtype=bool)
    chosen[marked.mark_ring(body, np.array([38.0, 0.5, 0.0])).indices] = True
    loop = connect_edges(body, chosen)
    traced(loop, body)
    check_result(loop.mesh, closed=True)
    assert loop.mesh.topology.is_quads
    assert loop.mesh.face_count == body.face_count + chosen.sum()
    every = connect_edges(body, np.ones(len(chosen), dtype=bool))
    check_result(every.mesh, closed=True)
    assert every.mesh.topology.is_quads
    assert every.mesh.face_count == 4 * body.face_count
    assert volume(every.mesh) == pytest.approx(volume(body), rel=0.02)


def test_three_sides_of_a_quad_are_joined_in_its_middle() -> None:
    """Two quads and one face of five about the middle; the face beside gets a corner more."""
    grid = valued(grid_mesh(2, 1))
    chosen = grid.topology.edges.of_corner[1:4]
    mask = np.zeros(len(grid.topology.edges.ends), dtype=bool)
    mask[chosen] = True
    done = connect_edges(grid, mask)
    traced(done, grid)
    assert sorted(done.mesh.topology.face_sides.tolist()) == [4, 4, 5, 5]
    assert np.linalg.norm(done.mesh.face_vectors, axis=1).sum() == pytest.approx(2)


@pytest.mark.parametrize("size", SIZES)
def test_a_rim_goes_on_in_the_surface_and_keeps_its_distance(size: float) -> None:
    """A square sheet of 4 by 3 with a skirt of 1 all round is one of 6 by 5, mitred at its corners."""
    grid = valued(grid_mesh(4, 3, size))
    rim = rim_of(grid, np.asarray(grid.topology.edge_face_counts == 1))
    ends = grid.positions[rim.points] + size * onward(grid, rim)
    done = skirt(grid, rim, ends, 3)
    traced(done, grid)
    check_result(done.mesh, closed=False)
    assert np.linalg.norm(done.mesh.face_vectors, axis=1).sum() == pytest.approx(30 * size**2)
    assert np.ptp(done.mesh.positions, axis=0) == pytest.approx([6 * size, 5 * size, 0])
    assert done.origin.faces_in("side").sum() == 3 * 14
    assert done.edges_in("rim").sum() == 14


def test_a_rim_runs_to_a_curve_the_nearest_way() -> None:
    """The rim of a tube ends on a wider circle, each point above its own; kinds that differ are refused."""
    tube = rod(10, 60, 4, 6)
    low = tube.face_normals[:, 2] < -0.9
    cup = keep_faces(tube, np.flatnonzero(~low)).mesh
    edges = np.asarray(cup.topology.edge_face_counts == 1)
    rim = rim_of(cup, edges)
    flare = place_curve(make_circle((0, 0), 16), moving([0, 0, -40]))
    ends = onto_curve(cup, edges, rim, flare)
    assert np.hypot(*ends[:, :2].T) == pytest.approx(np.full(len(ends), 16))
    turn = np.angle(np.exp(1j * (np.arctan2(*ends[:, 1::-1].T) - np.arctan2(*cup.positions[rim.points][:, 1::-1].T))))
    assert np.abs(turn).max() < 0.12
    check_result(skirt(cup, rim, ends, 4).mesh, closed=False)
    with pytest.raises(KernelError, match="is closed, the curve open"):
        onto_curve(cup, edges, rim, make_polyline([[0, 0, 0], [9, 0, 0]]))
    with pytest.raises(KernelError, match="faces on both sides"):
        rim_of(tube, np.ones(len(tube.topology.edges.ends), dtype=bool))


def test_size_changes_nothing() -> None:
    """All of it at a hundredth and a hundred times gives the same faces."""
    body = ring(30, 8, 12, 8)
    chosen = np.zeros(len(body.topology.edges.ends), dtype=bool)
    chosen[marked.mark_ring(body, np.array([38.0, 0.5, 0.0])).indices] = True
    for act in (collapse, connect_edges):
        found = {tuple(act(scaled(body, size), chosen).mesh.topology.face_corners.tolist()) for size in SIZES}
        assert len(found) == 1


ON_EDGES: dict[str, Callable[[Mesh, Bools], Reworked]] = {
    "slide": lambda mesh, edges: slide(mesh, edges, share=0.3),
    "collapse": collapse,
    "turn": turn_edges,
    "connect edges": connect_edges,
    "connect points": lambda mesh, edges: connect_points(mesh, points_of(mesh, edges)),
    "beside": lambda mesh, edges: lay_beside(mesh, edges, 0.05, "both"),
    "on one side": lambda mesh, edges: lay_beside(mesh, edges, 0.05, "left"),
    "bevel": lambda mesh, edges: bevel(mesh, edges, np.where(edges, 0.05, 0.0), 2, "round"),
}


def points_of(mesh: Mesh, edges: Bools) -> Bools:
    """Mark the points of edges."""
    found = np.zeros(mesh.point_count, dtype=bool)
    found[mesh.topology.edges.ends[edges].ravel()] = True
    return found


@settings(max_examples=60, deadline=None)
@given(st.data())
def test_chains_of_work_on_any_edges_stay_closed(data: st.DataObject) -> None:
    """Five in a row on random edges, a loop or a ring of random bodies: closed and of the same genus, or a sentence."""
    mesh = data.draw(st.sampled_from([ball(30, 4), box((10, 14, 8), (3, 4, 5)), ring(30, 8, 12, 8), rod(8, 40, 2, 5)]))
    number = euler(mesh)
    for _ in range(5):
        name = data.draw(st.sampled_from(sorted(ON_EDGES)))
        count = len(mesh.topology.edges.ends)
        first = data.draw(st.integers(0, count - 1))
        middle = mesh.positions[mesh.topology.edges.ends[first]].mean(axis=0)
        how = data.draw(st.sampled_from(["some", "loop", "ring"]))
        edges = np.zeros(count, dtype=bool)
        if how == "some":
            edges[sorted(data.draw(st.sets(st.integers(0, count - 1), min_size=1, max_size=6)))] = True
        else:
            edges[(marked.mark_loop if how == "loop" else marked.mark_ring)(mesh, middle).indices] = True
        try:
            done = ON_EDGES[name](mesh, edges)
        except KernelError as error:
            assert str(error).endswith(".")
            continue
        check_origin(done)
        check_result(done.mesh, closed=True, areas=False)
        assert done.mesh.topology.edge_face_counts.max() == 2
        assert euler(done.mesh) == number, name
        mesh = done.mesh


def ring_of(count: int, rows: int = 3) -> Mesh:
    """Return a tube of quads about the upright axis, all of whose values are its own."""
    turns = np.arange(count) * 2 * np.pi / count
    places = np.array([[np.cos(turn), np.sin(turn), z] for z in range(rows + 1) for turn in turns])
    quads = [
        [r * count + k, r * count + (k + 1) % count, (r + 1) * count + (k + 1) % count, (r + 1) * count + k]
        for r in range(rows)
        for k in range(count)
    ]
    return valued(make_mesh(places, np.array(quads)))


@pytest.mark.parametrize("steps", [1, 2, 5, -1, -3, 12])
def test_the_flow_of_a_closed_strip_is_turned(steps: int) -> None:
    """A tube's middle row turned: as many quads and edges a point, no face beside it touched; a whole turn is none."""
    tube = ring_of(12)
    row = np.isclose(tube.face_centers[:, 2], 1.5)
    done = turn_strips(tube, row, steps)
    traced(done, tube)
    check_result(done.mesh, closed=False, areas=False)
    assert done.mesh.topology.is_quads
    assert np.array_equal(np.sort(done.mesh.topology.valences), np.sort(tube.topology.valences))
    across = done.mesh.positions[done.mesh.topology.edges.ends[done.edges_in("turned")]]
    assert len(across) == 12
    turned = np.arctan2(across[..., 1], across[..., 0]) @ [-1, 1] * np.where(across[:, 1, 2] > across[:, 0, 2], 1, -1)
    went = (np.round(turned / (np.pi / 6)).astype(int) + 6) % 12 - 6
    assert len(set(went.tolist())) == 1
    assert abs(went[0]) == min(abs(steps) % 12, 12 - abs(steps) % 12)
    back = turn_strips(done.mesh, done.origin.faces_in("beside"), -steps)
    lines = [{frozenset(pair) for pair in mesh.topology.edges.ends.tolist()} for mesh in (tube, back.mesh)]
    assert lines[0] == lines[1], "turned back it is as it was"


@pytest.mark.parametrize(("steps", "triangles"), [(1, 2), (2, 0), (3, 2), (-1, 2), (-2, 0), (4, 0)])
def test_a_strip_with_ends_keeps_its_area(steps: int, triangles: int) -> None:
    """The row of a grid turned: what is left at its ends is quads for even counts, a triangle each for odd ones."""
    grid = valued(grid_mesh(6, 3))
    done = turn_strips(grid, np.isclose(grid.face_centers[:, 1], 1.5), steps)
    traced(done, grid)
    check_result(done.mesh, closed=False, areas=False)
    assert (done.mesh.topology.face_sides == 3).sum() == triangles
    assert np.linalg.norm(done.mesh.face_vectors, axis=1).sum() == pytest.approx(18)
    assert (done.mesh.face_vectors[:, 2] >= -1e-12).all()


def test_what_is_no_strip_says_so() -> None:
    """A block of faces, a bent row, a face alone, too many steps, none at all."""
    grid = grid_mesh(4, 4)
    x, y, _ = grid.face_centers.T
    bent = ((y < 1) & (x < 2)) | ((x > 1) & (x < 2) & (y < 2))
    for faces, words in ((x < 2, "one row"), (bent, "one row"), ((x < 1) & (y < 1), "one row"), (x < 0, "hold no faces")):
        with pytest.raises(KernelError, match=words):
            turn_strips(grid, faces, 1)
    with pytest.raises(KernelError, match="3 steps at most"):
        turn_strips(grid, y < 1, 4)
    with pytest.raises(InvalidInput, match="steps"):
        turn_strips(grid, y < 1, 0)
