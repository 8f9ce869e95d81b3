"""Shortest lines and laid-on curves against unfolded bodies, great circles, helices and another library's graph search."""

from __future__ import annotations

import networkx as nx
import numpy as np
import pytest

from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.mesh_edits.gather_meshes import gather_meshes
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.curve_onto_mesh import curve_onto_mesh
from glass_spoon.kernel.meshes.geodesic import shortest_line
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.meshing.six_sides import SixSides, mesh_six_sides
from tests.solid_bodies import ball, rod
from tests.zoo import grid_mesh


def box(size: float = 1.0) -> Mesh:
    return mesh_six_sides(SixSides((10 * size, 8 * size, 6 * size), 0.0, (10, 8, 6), 1, 1)).mesh


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_on_a_flat_it_is_straight(size: float) -> None:
    """And its places lie in order on the line."""
    found = shortest_line(grid_mesh(20, 10, size), np.array([0.3, 0.4, 0]) * size, np.array([18.2, 7.7, 0]) * size)
    assert found.length == pytest.approx(np.hypot(17.9, 7.3) * size, rel=1e-12) and found.off == pytest.approx((0, 0))
    assert (np.diff(found.places @ [17.9, 7.3, 0]) > 0).all()


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_round_the_edge_of_a_box_it_is_straight_once_that_is_unfolded(size: float) -> None:
    """From its top to its front: the two faces laid flat."""
    body = box(size)
    low, high = body.positions.min(axis=0), body.positions.max(axis=0)
    start = np.array([low[0] + 3 * size, 0, high[2]])
    end = np.array([0, low[1], low[2] + 3 * size])
    flat = np.hypot(end[0] - start[0], (start[1] - low[1]) + (high[2] - end[2]))
    assert shortest_line(body, start, end).length == pytest.approx(flat, rel=1e-12)


def test_on_a_ball_it_is_a_great_circle() -> None:
    """As exactly as the mesh is a ball: 1 in 2,000, and never longer by more."""
    body = mesh_six_sides(SixSides((0, 0, 0), 20.0, (1, 1, 1), 1, 40)).mesh
    middle = body.positions.mean(axis=0)
    random = np.random.default_rng(7)
    for one, other in random.normal(size=(6, 2, 3)):
        one, other = one / np.linalg.norm(one), other / np.linalg.norm(other)
        if abs(one @ other) > 0.97:
            continue
        found = shortest_line(body, middle + 20 * one, middle + 20 * other)
        assert found.length == pytest.approx(20 * np.arccos(one @ other), rel=1e-3)
        assert np.linalg.norm(found.places - middle, axis=1) == pytest.approx(20, rel=2e-3)
        square = np.cross(one, other) / np.linalg.norm(np.cross(one, other))
        assert np.abs((found.places - middle) @ square).max() < 0.15  # in the plane of both ends and the middle


def test_on_a_rod_it_is_a_helix() -> None:
    """Unrolled: the arc and the height are the sides of a right angle."""
    body = rod(10, 60, 160, 24)
    low = body.positions[:, 2].min()
    start = np.array([10.0, 0, low + 10])
    end = np.array([10 * np.cos(1.3), 10 * np.sin(1.3), low + 45])
    assert shortest_line(body, start, end).length == pytest.approx(np.hypot(13.0, 35.0), rel=1e-4)


def test_round_a_notch_it_touches_its_corner() -> None:
    """A flat with a quarter cut out: from one side of the cut to the other, by the corner."""
    whole = grid_mesh(20, 20, 1.0)
    gone = (whole.face_centers[:, 0] > 10) & (whole.face_centers[:, 1] > 10)
    kept = make_mesh(whole.positions, whole.topology.face_corners.reshape(-1, 4)[~gone])
    found = shortest_line(kept, np.array([14.0, 9.5, 0]), np.array([9.5, 16.0, 0]))
    corner = np.array([10.0, 10.0, 0])
    expected = np.hypot(4, 0.5) + np.hypot(0.5, 6)
    assert found.length == pytest.approx(expected, rel=1e-12)
    assert np.linalg.norm(found.places - corner, axis=1).min() < 1e-9


def test_it_is_never_longer_than_the_way_along_the_edges() -> None:
    """On a hilly sheet, against networkx: from point to point by Dijkstra, and not shorter than through the air."""
    grid = grid_mesh(24, 24, 1.0)
    x, y, _ = grid.positions.T
    hills = grid.moved(np.column_stack((x, y, 2 * np.sin(x / 3) * np.cos(y / 4))))
    graph = nx.Graph()
    for a, b in hills.topology.edges.ends.tolist():
        graph.add_edge(a, b, weight=float(np.linalg.norm(hills.positions[a] - hills.positions[b])))
    random = np.random.default_rng(3)
    for one, other in random.integers(0, hills.point_count, (12, 2)).tolist():
        if one == other:
            continue
        found = shortest_line(hills, hills.positions[one], hills.positions[other])
        along = nx.dijkstra_path_length(graph, one, other)
        air = float(np.linalg.norm(hills.positions[one] - hills.positions[other]))
        assert air - 1e-9 <= found.length <= along + 1e-9
        assert NearestOnMesh(hills).ask(found.places)[2].max() < 1e-9


def test_ends_off_the_mesh_are_told_and_pieces_apart_refused() -> None:
    """Ends beside the mesh go onto it, with their distance told; no line leads from piece to piece."""
    body = box()
    found = shortest_line(body, body.positions.max(axis=0) + np.array([0, 0, 3]), body.positions.min(axis=0))
    assert found.off[0] == pytest.approx(3) and found.off[1] == pytest.approx(0, abs=1e-12)
    with pytest.raises(KernelError, match="same place"):
        shortest_line(body, body.positions[0], body.positions[0])
    two = gather_meshes([body, body.moved(body.positions + np.array([100, 0, 0]))])
    with pytest.raises(KernelError, match="pieces of their own"):
        shortest_line(two, body.positions[0], body.positions[0] + np.array([100, 0, 0]))


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_a_circle_falls_onto_a_ball_at_its_height(size: float) -> None:
    """Straight down: at the height of the ball there, within what the facets are off; its points lie on the mesh."""
    body = ball(20 * size, 40)
    middle = (body.positions.max(axis=0) + body.positions.min(axis=0)) / 2
    circle = make_arc(middle + np.array([0, 0, 60 * size]), (8 * size, 0, 0), (0, 8 * size, 0), 0.0, 2 * np.pi)
    laid = curve_onto_mesh(circle, body, np.array([0, 0, -1.0]), 0.01 * size)
    assert laid.jump == 0 and NearestOnMesh(body).ask(laid.curve.control_points)[2].max() < 1e-6 * size
    heights = laid.curve.control_points[:, 2] - middle[2]
    assert heights == pytest.approx(np.sqrt(400 - 64) * size, abs=0.06 * size)


def test_where_it_jumps_that_is_told() -> None:
    """A line over the edge of a step falls from its upper to its lower tread."""
    tread = grid_mesh(10, 10, 1.0)
    step = gather_meshes([tread, tread.moved(tread.positions + np.array([10, 0, -4]))])
    line = make_polyline(np.array([[3.0, 5, 20], [17, 5, 20]]))
    laid = curve_onto_mesh(line, step, np.array([0, 0, -1.0]), 0.01)
    assert laid.jump == pytest.approx(4, abs=0.1)
    assert curve_points(laid.curve, laid.curve.knots[[1, -2]])[:, 2] == pytest.approx([0, -4])
    with pytest.raises(KernelError, match="passes beside"):
        curve_onto_mesh(make_polyline(np.array([[3.0, 5, 20], [37, 5, 20]])), step, np.array([0, 0, -1.0]), 0.01)


def test_from_any_point_to_any_other_of_a_flat_it_is_straight() -> None:
    """Ends on points and edges, along rows, columns and diagonals: the places at which a way may run along an edge."""
    flat = grid_mesh(12, 9, 1.0)
    random = np.random.default_rng(5)
    for one, other in random.integers(0, flat.point_count, (80, 2)).tolist():
        if one != other:
            air = np.linalg.norm(flat.positions[one] - flat.positions[other])
            assert shortest_line(flat, flat.positions[one], flat.positions[other]).length == pytest.approx(air, rel=1e-12)


def test_there_and_back_are_as_long_on_a_box() -> None:
    """From corner to corner of faces, where edges of the box and of its faces meet."""
    body = box()
    random = np.random.default_rng(6)
    for one, other in random.integers(0, body.point_count, (30, 2)).tolist():
        if one != other:
            there = shortest_line(body, body.positions[one], body.positions[other]).length
            assert shortest_line(body, body.positions[other], body.positions[one]).length == pytest.approx(there, rel=1e-9)
