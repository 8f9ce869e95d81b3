"""Counts by chord tolerance: measured on the edges of meshes, and the bends they rest on."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.curves.make.flat_shapes import make_elliptic_arc, make_rectangle
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.curves.read.largest_bends import largest_bends
from glass_spoon.kernel.meshing.chord_counts import counts_for_chord
from glass_spoon.kernel.meshing.mesh_set import mesh_set
from glass_spoon.kernel.meshing.set_counts import Wish
from glass_spoon.kernel.surfaces.make.plate import make_plate
from glass_spoon.kernel.surfaces.make.plate_shape import PlateShape
from tests.zoo import sphere, torus


def test_an_ellipse_bends_most_at_its_long_ends() -> None:
    """There a / b² (any text on conics)."""
    ellipses = [make_elliptic_arc((0, 0), a, b, 0.0, 0.0, 2 * np.pi) for a, b in ((30, 20), (50, 10))]
    assert largest_bends(ellipses, np.inf) == pytest.approx([30 / 400, 50 / 100], rel=1e-9)


def test_straight_lines_do_not_bend_and_a_limit_holds() -> None:
    """The bend of a polyline is none, and a circle's is cut off at the limit."""
    assert largest_bends([make_polyline([[0, 0, 0], [3, 4, 5], [9, 9, 9]])], np.inf)[0] == 0
    assert largest_bends([make_elliptic_arc((0, 0), 1, 1, 0.0, 0.0, 2 * np.pi)], 0.25)[0] == 0.25


@pytest.mark.parametrize("chord", [0.5, 0.02])
def test_counts_of_round_bodies_follow_the_sagitta(chord: float) -> None:
    """A circle of radius r in n edges stands off by r (1 - cos(pi / n))."""
    ball, ring = counts_for_chord((sphere(40.0), torus(30.0, 8.0)), chord)
    for count, radius, turn in ((ball[0], 40, 2 * np.pi), (ball[1], 40, np.pi), (ring[0], 38, 2 * np.pi)):
        assert radius * (1 - np.cos(turn / 2 / count)) == pytest.approx(chord, rel=0.02)


@pytest.mark.parametrize("chord", [0.05, 0.005])
def test_rims_with_tight_corners_keep_to_the_chord(chord: float) -> None:
    """The corners of a plate take up a tenth of its outline; its mesh keeps to the tolerance there too."""
    outline = make_rectangle(40, 25, 2.0)
    mesh = mesh_set(make_plate(outline, [], PlateShape(0.0, 3.0)), Wish(chord=chord))
    away = mesh.positions[np.abs(mesh.positions[:, 2]) < 1e-9][:, :2] - [18, 10.5]
    corner = away[(np.abs(np.hypot(*away.T) - 2) < 1e-6) & (away > 0).all(axis=1)]
    corner = corner[np.argsort(np.arctan2(corner[:, 1], corner[:, 0]))]
    assert len(corner) > 3
    assert (2 - np.hypot(*((corner[1:] + corner[:-1]) / 2).T)).max() < 1.05 * chord
