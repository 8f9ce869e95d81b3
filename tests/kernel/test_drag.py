"""What is taken by hand on a mesh: found again by place, moved as said, what is about it following by formula."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.detail.drag import Dragged, Following, drag, found_near
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.meshes.marked import MarkKind
from glass_spoon.kernel.meshes.mesh import Mesh
from tests.solid_bodies import ball, box
from tests.zoo import grid_mesh

UP = np.array([[0, 0, 3.0]])


def drag_at(mesh: Mesh, kind: MarkKind, places: np.ndarray, moves: np.ndarray, follow: Following | None = None) -> Dragged:
    """Drag what is nearest to places."""
    return drag(mesh, kind, found_near(mesh, kind, places), moves, follow)


def moved(mesh: Mesh, places: np.ndarray) -> np.ndarray:
    return places - mesh.positions


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize(("kind", "count"), [("point", 1), ("edge", 2), ("face", 4)])
def test_the_nearest_goes_and_nothing_else(kind: MarkKind, count: int, size: float) -> None:
    """One point, an edge's two or a face's four move by the drag, at any size."""
    mesh = grid_mesh(10, 8, 2.0 * size)
    done = drag_at(mesh, kind, np.array([[8.9, 7.1, 0.3]]) * size, UP * size)
    by = moved(mesh, done.places)
    assert (np.abs(by).max(axis=1) > 0).sum() == count
    assert np.allclose(by[np.abs(by).max(axis=1) > 0], UP * size, atol=1e-12 * size)


def test_a_place_off_the_mesh_finds_nothing() -> None:
    """It is told by -1, and the others go all the same; of an empty mesh none is found."""
    mesh = grid_mesh(10, 8, 2.0)
    done = drag_at(mesh, "point", np.array([[8, 6, 0], [8, 6, 40.0]]), np.repeat(UP, 2, axis=0))
    assert done.elements[1] == -1
    assert done.elements[0] >= 0
    assert (np.abs(moved(mesh, done.places)).max(axis=1) > 0).sum() == 1


def test_the_same_place_is_found_at_another_density() -> None:
    """Of a ball with twice the faces what lies there goes as far, within an edge of the place."""
    place = np.array([[30 / np.sqrt(3)] * 3])
    for count in (6, 12, 24):
        body = ball(30, count)
        done = drag_at(body, "point", place, UP)
        at = done.elements[0]
        assert np.linalg.norm(body.positions[at] - place[0]) < 1e-6
        assert moved(body, done.places)[at] == pytest.approx(UP[0])


def test_what_is_about_follows_by_the_law() -> None:
    """Along a row of a flat grid: 1 less the share of the reach, nothing beyond it; in space as along the mesh."""
    mesh = grid_mesh(20, 20, 1.0)
    for along in (True, False):
        follow = Following(5.0, along, lambda share: 1 - share)
        by = moved(mesh, drag_at(mesh, "point", np.array([[10, 10, 0.0]]), UP, follow).places)[:, 2]
        row = np.abs(mesh.positions[:, 1] - 10) < 1e-9
        off = np.abs(mesh.positions[row, 0] - 10)
        assert by[row] == pytest.approx(3 * np.clip(1 - off / 5, 0, 1), abs=1e-9)


def test_several_rows_are_blended_not_piled_up() -> None:
    """Two neighbours dragged alike with a reach go as far as each alone; one point of two rows goes by their mean."""
    mesh = grid_mesh(20, 20, 1.0)
    follow = Following(6.0, True, lambda share: 1 - share)
    by = moved(mesh, drag_at(mesh, "point", np.array([[9, 10, 0], [11, 10, 0.0]]), np.repeat(UP, 2, axis=0), follow).places)
    assert by[:, 2].max() == pytest.approx(3.0)
    twice = drag_at(mesh, "point", np.array([[9, 10, 0], [9, 10, 0.0]]), np.array([[0, 0, 2.0], [0, 0, 4.0]]))
    assert moved(mesh, twice.places)[:, 2].max() == pytest.approx(3.0)


def test_a_face_of_a_box_takes_its_corners() -> None:
    """The middle one of nine goes up by 1.5: 6 over it, 12 over its sides, 4 to 8 over the corners, by halves of prisms."""
    body = box((3, 3, 3), (3, 3, 3))
    done = drag_at(body, "face", np.array([[0, 0, 3.0]]), np.array([[0, 0, 1.5]]))
    assert 216 + 22 <= enclosed_volume(body.moved(done.places)) <= 216 + 26
