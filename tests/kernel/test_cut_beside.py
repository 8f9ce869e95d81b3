"""Loops beside chosen edges alone: every pattern of a face, whole meshes, and what is carried."""

from __future__ import annotations

from itertools import product

import numpy as np
import pytest

from glass_spoon.kernel.mesh_edits.cut_beside import cut_beside, predict_beside, template_of, touched_faces
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.subdivision.support_loops import creases_to_loops, predict_loop_faces
from tests.mesh_checker import check_result
from tests.zoo import cube_mesh

SHARE = 0.2


def patterns(sides: int) -> list[tuple[tuple[bool, ...], tuple[bool, ...]]]:
    """Return the patterns of a face that may be: the ends of a chosen side are touched, and something is."""
    found = []
    for chosen in product((False, True), repeat=sides):
        for touched in product((False, True), repeat=sides):
            ends = [chosen[k] or chosen[k - 1] for k in range(sides)]
            if any(touched) and all(own or not end for own, end in zip(touched, ends, strict=True)):
                found.append((chosen, touched))
    return found


def place_of(place: tuple[str, int], corners: np.ndarray) -> np.ndarray:
    """Return where a place of a template lies in a polygon."""
    kind, k = place
    here, after, before = corners[k], corners[(k + 1) % len(corners)], corners[k - 1]
    along, back = SHARE * (after - here), SHARE * (before - here)
    return here + (along if kind in ("ahead", "inner") else 0) + (back if kind in ("back", "inner") else 0)


@pytest.mark.parametrize("sides", [3, 4, 5])
def test_every_pattern_covers_its_face_once_and_quads_stay_quads(sides: int) -> None:
    """The areas of the polygons add up to that of the face; none is turned over; each inner edge has two sides."""
    turn = np.arange(sides) * 2 * np.pi / sides
    corners = np.column_stack((np.cos(turn), np.sin(turn)))
    whole = sides / 2 * np.sin(2 * np.pi / sides)
    for chosen, touched in patterns(sides):
        template = template_of(chosen, touched)
        total, edges = 0.0, []
        for polygon in template.polygons:
            points = np.array([place_of(place, corners) for place in polygon])
            ahead = np.roll(points, -1, axis=0)
            area = float((points[:, 0] * ahead[:, 1] - points[:, 1] * ahead[:, 0]).sum() / 2)
            assert area > 1e-3, (chosen, touched, polygon)
            total += area
            edges += list(zip(polygon, polygon[1:] + polygon[:1], strict=True))
            assert sides != 4 or len(polygon) == 4
        assert total == pytest.approx(whole)
        assert len(set(edges)) == len(edges)
        for a, b in template.loops:
            assert {(a, b), (b, a)} & set(edges)


def sheet(count: int) -> Mesh:
    """Return a flat sheet of count by count unit quads."""
    at = np.arange(count + 1)
    points = np.stack(np.meshgrid(at, at, [0], indexing="ij"), axis=-1).reshape(-1, 3).astype(float)
    number = np.arange((count + 1) ** 2).reshape(count + 1, count + 1)
    faces = np.stack((number[:-1, :-1], number[1:, :-1], number[1:, 1:], number[:-1, 1:]), axis=-1).reshape(-1, 4)
    return make_mesh(points, faces)


def edges_between(mesh: Mesh, places: list[tuple[int, int]], count: int) -> np.ndarray:
    """Return the edges along places of a sheet, as marks of all edges."""
    numbers = np.array([x * (count + 1) + y for x, y in places])
    chosen = np.zeros(len(mesh.topology.edges.ends), dtype=bool)
    chosen[mesh.topology.find_edges(np.column_stack((numbers[:-1], numbers[1:])))] = True
    return chosen


@pytest.mark.parametrize(
    "places",
    [
        [(2, 3), (3, 3)],
        [(2, 3), (3, 3), (4, 3)],
        [(2, 2), (3, 2), (3, 3), (4, 3)],
        [(2, 2), (3, 2), (3, 3), (2, 3), (2, 2)],
        [(1, 3), (2, 3), (3, 3), (3, 2), (3, 1), (4, 1), (5, 1), (5, 2)],
    ],
    ids=len,
)
def test_faces_that_touch_no_chosen_edge_stay_and_the_others_share_all_edges(places: list[tuple[int, int]]) -> None:
    """Only faces that touch a chosen edge are divided, and the new loops lie at the share."""
    mesh = sheet(6)
    chosen = edges_between(mesh, places, 6)
    cut = cut_beside(mesh, chosen, np.full((len(chosen), 2), SHARE))
    check_result(cut.mesh)
    assert cut.mesh.topology.is_quads
    assert cut.mesh.face_count == predict_beside(mesh.topology, chosen)
    assert (cut.mesh.topology.edge_face_counts == 2).sum() + 24 == len(cut.mesh.topology.edges.ends)
    assert np.linalg.norm(cut.mesh.face_vectors, axis=1).sum() == pytest.approx(36)
    kept = np.flatnonzero(~touched_faces(mesh.topology, chosen))
    assert {tuple(np.round(place, 9)) for place in mesh.face_centers[kept]} <= {
        tuple(np.round(place, 9)) for place in cut.mesh.face_centers
    }
    ends = cut.mesh.positions[cut.mesh.topology.edges.ends[cut.loops]]
    near = min(abs(float(np.abs(ends - [*place, 0]).max(axis=2).min()) - SHARE) for place in places)
    assert near < 1e-9


def test_a_crease_that_ends_in_a_sheet_reworked_it_from_rim_to_rim() -> None:
    """Two edges creased: 19 faces of 36 were cut before, now the ten around them; the smoothed shape is as near."""
    mesh = sheet(6)
    points = mesh.positions.copy()
    points[:, 2] = 0.3 * np.sin(points[:, 0])
    chosen = edges_between(mesh, [(2, 3), (3, 3), (4, 3)], 6)
    from dataclasses import replace

    creased = replace(mesh.moved(points), edges={"sharpness": np.where(chosen, 2.0, 0.0)})
    done = creases_to_loops(creased, 0.1)
    assert done.mesh.face_count == predict_loop_faces(creased, 0.1)
    changed = np.flatnonzero(np.bincount(done.origin.faces, minlength=36) > 1)
    assert set(changed.tolist()) == set(np.flatnonzero(touched_faces(mesh.topology, chosen)).tolist())
    assert done.deviation < 0.03
    assert done.mesh.topology.is_quads


def test_loops_that_close_by_themselves_run_on_as_before() -> None:
    """All edges of a cube: three by three quads on each side, whose corners are small squares."""
    from dataclasses import replace

    cube = cube_mesh()
    creased = replace(cube, edges={"sharpness": np.full(12, 2.0)})
    assert creases_to_loops(creased, 0.1).mesh.face_count == 54
