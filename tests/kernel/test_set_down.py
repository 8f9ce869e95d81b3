"""How far bodies fall until they rest: by formula, points on faces, faces on points, edges on edges."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.detail.set_down import room_below, rooms_below
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from tests.solid_bodies import ball, box


def moved(mesh: Mesh, by: tuple[float, float, float]) -> Mesh:
    return make_mesh(mesh.positions + np.array(by), mesh.topology.face_corners.reshape(-1, 4))


@pytest.mark.parametrize("factor", [0.01, 1.0, 100.0])
def test_a_ball_rests_on_a_box_and_on_a_ball(factor: float) -> None:
    """Bottom to top; beside the middle as deep as the circles allow (Pythagoras), to the facets."""
    block = box((20 * factor,) * 3, (4, 4, 4))
    high = moved(ball(10 * factor, 16), (3 * factor, 2 * factor, 90 * factor))
    assert room_below(high.positions, block, high) == pytest.approx(60 * factor, rel=2e-3)
    low = ball(30 * factor, 24)
    upper = moved(ball(10 * factor, 24), (0, 14 * factor, 90 * factor))
    rest = np.sqrt(40**2 - 14**2)
    assert room_below(upper.positions, low, upper) == pytest.approx((90 - rest) * factor, rel=5e-3)


def test_a_wide_plate_rests_on_a_small_block_and_edges_on_edges() -> None:
    """No point of the plate is over the block; two ridges crossed touch between their points."""
    block, plate = box((5, 5, 20), (1, 1, 1)), moved(box((50, 50, 2), (1, 1, 1)), (0, 0, 60))
    assert room_below(plate.positions, block, plate) == pytest.approx(58 - 20)
    turn = np.array([[np.sqrt(0.5), 0, np.sqrt(0.5)], [0, 1, 0], [-np.sqrt(0.5), 0, np.sqrt(0.5)]])
    beam = box((5, 40, 5), (1, 1, 1))
    ridge = make_mesh(beam.positions @ turn.T, beam.topology.face_corners.reshape(-1, 4))
    across = make_mesh(ridge.positions[:, [1, 0, 2]] * [1, -1, 1] + [0, 0, 50], beam.topology.face_corners.reshape(-1, 4))
    # Faces that touch within last digits count as resting.
    assert room_below(across.positions, ridge, across) == pytest.approx(50 - 2 * 5 * np.sqrt(2), abs=1e-4)


def test_beside_the_body_it_says_so() -> None:
    """A body beside another has nothing below it, and that is said."""
    with pytest.raises(KernelError, match="Nothing lies below"):
        room_below(moved(ball(5, 4), (90, 0, 90)).positions, ball(10, 4))


@pytest.mark.parametrize("factor", [0.01, 1.0, 100.0])
def test_several_fall_each_as_far_as_it_would_alone(factor: float) -> None:
    """Three small balls over a large one: the middles come to rest on a sphere of both radii (to the facets)."""
    low = ball(30 * factor, 24)
    falling = [moved(ball(5 * factor, 16), (x * factor, 0, 80 * factor)) for x in (-12, 0, 20)]
    rooms = rooms_below(falling, low)
    assert rooms == pytest.approx([room_below(mesh.positions, low, mesh) for mesh in falling])
    rests = [np.sqrt(35**2 - x**2) for x in (-12, 0, 20)]
    assert 80 - rooms / factor == pytest.approx(rests, rel=5e-3)


def test_the_copy_that_misses_is_named() -> None:
    """The second of three lies beside the body."""
    falling = [moved(ball(5, 4), (x, 0, 80)) for x in (0, 90, 5)]
    with pytest.raises(KernelError, match="Nothing lies below copy 2"):
        rooms_below(falling, ball(30, 12))
