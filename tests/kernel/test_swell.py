"""Swelled meshes against formulas: parallel skins, the mean height of ridges, pictures that are known functions."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.formats.height_picture import read_greys, write_greys
from glass_spoon.kernel.deform.space_map import Axes
from glass_spoon.kernel.deform.swell import Pattern, Ridges, sample_picture, swell, turns_about
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.meshing.six_sides import SixSides, mesh_six_sides
from tests.mesh_checker import check_result

UPRIGHT = Axes.along(np.zeros(3), (0, 0, 1), (1, 0, 0))


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("by", [-1.5, 0.5, 4.0])
def test_a_box_swelled_evenly_is_the_larger_box(size: float, by: float) -> None:
    """(20 + 2 d)(16 + 2 d)(12 + 2 d), exactly: its corners go to where the moved planes meet."""
    box = mesh_six_sides(SixSides((10 * size, 8 * size, 6 * size), 0.0, (10, 8, 6), 1, 1)).mesh
    done = swell(box, np.full(box.point_count, by * size))
    made = box.moved(done.places)
    check_result(made, closed=True)
    expected = (20 + 2 * by) * (16 + 2 * by) * (12 + 2 * by) * size**3
    assert enclosed_volume(made) == pytest.approx(expected, rel=1e-12) and done.fits == 1 and not len(done.folded)


def test_a_ball_swelled_is_the_larger_ball() -> None:
    """Every point lies on it, along its own normal."""
    ball = mesh_six_sides(SixSides((0, 0, 0), 20.0, (1, 1, 1), 1, 10)).mesh
    done = swell(ball, np.full(ball.point_count, 2.5))
    assert np.linalg.norm(done.places - ball.positions.mean(axis=0), axis=1) == pytest.approx(22.5, rel=1e-9)


def test_marked_faces_go_as_they_look_themselves() -> None:
    """The top of a box goes straight up at its rim, not outwards with the sides."""
    box = mesh_six_sides(SixSides((10, 8, 6), 0.0, (10, 8, 6), 1, 1)).mesh
    top = box.face_normals[:, 2] > 0.5
    heights = np.zeros(box.point_count)
    heights[np.unique(box.topology.face_corners[top[box.topology.face_of_corner]])] = 3.0
    moved = swell(box, heights, top).places - box.positions
    assert moved[heights > 0] == pytest.approx(np.tile([0.0, 0.0, 3.0], (int((heights > 0).sum()), 1)), abs=1e-9)


def test_what_folds_is_told_with_the_largest_that_does_not() -> None:
    """A box of 12 high folds where it is shrunk by 6: at a share of it, and just below nothing does."""
    box = mesh_six_sides(SixSides((10, 8, 6), 0.0, (2, 2, 2), 1, 1)).mesh
    done = swell(box, np.full(box.point_count, -7.0))
    assert len(done.folded) and done.fits == pytest.approx(6 / 7)
    assert not len(swell(box, np.full(box.point_count, -7.0 * done.fits * 0.999)).folded)


def test_heights_of_another_count_are_refused() -> None:
    """Each point needs a height."""
    box = mesh_six_sides(SixSides((10, 8, 6), 0.0, (2, 2, 2), 1, 1)).mesh
    with pytest.raises(InvalidInput, match="finite numbers"):
        swell(box, np.ones(3))


@pytest.mark.parametrize(("pattern", "mean"), [("crossing", 1 / 3), ("straight", 1 / 2), ("right", 1 / 2), ("left", 1 / 2)])
def test_the_mean_height_of_ridges(pattern: Pattern, mean: float) -> None:
    """A pyramid holds a third of its prism, a ridge a half."""
    ridges = Ridges(pattern, 12, np.radians(30), 10.0)
    lead = 2 * np.pi * 10 / np.tan(np.radians(30))
    turns, along = np.meshgrid((np.arange(600) + 0.5) / 600, (np.arange(600) + 0.5) / 600 * lead, indexing="ij")
    assert ridges.shares(turns.ravel(), along.ravel()).mean() == pytest.approx(mean, abs=6e-4)


def test_ridges_lean_by_their_angle_and_stand_their_pitch_apart() -> None:
    """30° to the axis; the pitch, square to them, is the arc over the count by the cosine (common practice, no source)."""
    ridges = Ridges("right", 12, np.radians(30), 10.0)
    along = 5.0
    turn = along * np.tan(np.radians(30)) / (2 * np.pi * 10)
    assert ridges.shares(np.array([0.0, turn]), np.array([0.0, along])) == pytest.approx([1, 1])
    assert ridges.pitch == pytest.approx(2 * np.pi * 10 / 12 * np.cos(np.radians(30)))


def test_the_front_is_the_middle_of_a_picture_that_goes_round() -> None:
    """Seen from the front its left is at the left; heights and distances are along the axis and from it."""
    places = np.array([[0.0, -5.0, 1.0], [5.0, 0.0, 2.0], [-5.0, 0.0, 3.0]])
    turns, heights, radii = turns_about(places, UPRIGHT)
    assert turns == pytest.approx([0.5, 0.75, 0.25]) and heights == pytest.approx([1, 2, 3]) and radii == pytest.approx(5)


def test_a_linear_picture_is_sampled_exactly() -> None:
    """Greys that rise to the right and upwards; closed, its left and right meet."""
    greys = (np.arange(8) + 0.5)[None, :] / 8 * 0.6 + (3.5 - np.arange(4))[:, None] / 4 * 0.4
    across, up = np.array([0.2, 0.5, 0.9]), np.array([0.3, 0.5, 0.8])
    assert sample_picture(greys, across, up, closed=False) == pytest.approx(0.6 * across + 0.4 * up)
    seam = sample_picture(greys, np.array([0.0, 1.0]), np.array([0.5, 0.5]), closed=True)
    assert seam[0] == pytest.approx(seam[1])


def test_greys_are_kept_as_an_open_format_and_read_back() -> None:
    """A PGM of 16 bits; one that is cut short is refused."""
    greys = np.linspace(0, 1, 24).reshape(4, 6)
    data = write_greys(greys)
    assert data.startswith(b"P5\n6 4\n65535\n") and read_greys(data) == pytest.approx(greys, abs=1 / 65535)
    with pytest.raises(KernelError, match="broken"):
        read_greys(data[:-1])
