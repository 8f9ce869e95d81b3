"""Copies: curves that are another one moved, and sets of copies that are meshed once."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.curves.alter.place_curve import Placement, moving, place_curve, turning
from glass_spoon.kernel.curves.make.flat_shapes import make_rectangle
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.read.congruent_curves import placement_of_copy
from glass_spoon.kernel.errors import TooManyFaces
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshing.mesh_set import mesh_set
from glass_spoon.kernel.meshing.set_counts import Wish
from glass_spoon.kernel.surfaces.alter.edit_surface import place_surface
from glass_spoon.kernel.surfaces.make.sweep import SweepShape, sweep_profile
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from tests.kernel.test_sweep import is_closed

PATH = interpolate_points([[0, 0, 0], [30, 8, 5], [60, -4, 20], [70, 0, 60]])
UPRIGHT = turning([3, 4, 0], [0, 0, 1], 2.0).then(moving([200, 30, -12]))
LYING = turning([3, 4, 0], [0, 1, 0], 0.3)


def bar() -> SurfaceSet:
    """Return a set of three square bars along moved copies of a path."""
    one = sweep_profile(make_rectangle(6, 6), PATH, SweepShape(ends=("flat", "domed")), 1e-3).surface
    moves = moving([0, 0, 0]), UPRIGHT, moving([0, 100, 0])
    return SurfaceSet(tuple(place_surface(one, move) for move in moves), pattern=moves)


def test_a_copy_is_found_with_its_move() -> None:
    """The move of a turned copy is recovered to the last digits."""
    found = placement_of_copy(PATH, place_curve(PATH, UPRIGHT), turned=True)
    assert found is not None
    assert np.allclose(found.matrix, UPRIGHT.matrix, atol=1e-12)
    assert np.allclose(found.offset, UPRIGHT.offset, atol=1e-9)


def test_other_curves_and_other_turns_are_no_copies() -> None:
    """Turns not allowed, other turns and a nudged point are no copies."""
    assert placement_of_copy(PATH, place_curve(PATH, UPRIGHT), turned=False) is None
    assert placement_of_copy(PATH, place_curve(PATH, LYING), turned=True) is None
    bent = PATH.control_points.copy()
    bent[2, 1] += 1e-4
    other = type(PATH)(PATH.degree, PATH.knots, bent, PATH.weights)
    assert placement_of_copy(PATH, other, turned=True) is None


def test_least_twist_turns_with_a_path_about_the_upright() -> None:
    """Why copies may be swept once: the sweep of a turned path is the turned sweep."""
    profile = make_rectangle(6, 4)
    here, there = (sweep_profile(profile, path, SweepShape(), 1e-3).surface for path in (PATH, place_curve(PATH, UPRIGHT)))
    assert np.allclose(place_surface(here, UPRIGHT).control_points, there.control_points, atol=1e-6)


@pytest.mark.parametrize("wish", [Wish((4.0, 4.0)), Wish(counts=(12, 20)), Wish(chord=0.05)])
def test_copies_are_meshed_as_they_would_be_one_by_one(wish: Wish) -> None:
    """Copies have the faces, counts and sharp edges that meshing them singly gives."""
    shape = bar()
    copied, single = mesh_set(shape, wish), mesh_set(SurfaceSet(shape.surfaces), wish)
    assert copied.face_count == single.face_count
    assert is_closed(copied)
    assert enclosed_volume(copied) == pytest.approx(enclosed_volume(single), rel=1e-9)
    for values in (lambda mesh: mesh.positions, lambda mesh: mesh.points["normal"]):
        own, other = (np.round(values(mesh), 6) for mesh in (copied, single))
        assert np.allclose(own[np.lexsort(own.T)], other[np.lexsort(other.T)], atol=2e-6)
    own, other = (np.bincount(mesh.faces["piece"].astype(int)) for mesh in (copied, single))
    assert np.array_equal(own, other)
    own, other = (_sharp_middles(mesh) for mesh in (copied, single))
    assert len(own) == len(other) > 0
    assert max(lengths(other - middle).min() for middle in own) < 1e-6


def _sharp_middles(mesh: Mesh) -> np.ndarray:
    """Return the middles (n, 3) of sharp edges."""
    ends = mesh.topology.edges.ends[mesh.edges["sharpness"] > 0]
    return mesh.positions[ends].mean(axis=1)


def test_copies_that_touch_are_meshed_together() -> None:
    """Open sleeves end to end share their rims: the pattern must not part them."""
    one = sweep_profile(make_rectangle(6, 6), interpolate_points([[0, 0, 0], [20, 0, 0]]), SweepShape(), 1e-3).surface
    moves = moving([0, 0, 0]), moving([20, 0, 0])
    shape = SurfaceSet(tuple(place_surface(one, move) for move in moves), pattern=moves)
    assert len(mesh_set(shape, Wish((5.0, 5.0))).topology.boundary_loops) == 2


def test_the_face_limit_counts_all_copies() -> None:
    """The error tells what all copies together would take."""
    with pytest.raises(TooManyFaces) as error:
        mesh_set(bar(), Wish((0.5, 0.5)), face_limit=9000)
    assert error.value.limit == 9000
    assert error.value.predicted > 9000


def test_copies_moved_elsewhere_keep_their_mesh() -> None:
    """What was meshed for one place serves at another: the same faces, every point moved alike."""
    shape, wish, move = bar(), Wish((4.0, 4.0)), moving([3.0, -7.0, 11.0])
    moved = SurfaceSet(
        tuple(place_surface(surface, move) for surface in shape.surfaces),
        pattern=tuple(Placement(one.matrix, one.offset + move.offset - one.matrix @ move.offset) for one in shape.pattern),
    )
    here, there = mesh_set(shape, wish), mesh_set(moved, wish)
    assert here.topology.key == there.topology.key
    assert np.allclose(here.positions + move.offset, there.positions, atol=1e-9)
