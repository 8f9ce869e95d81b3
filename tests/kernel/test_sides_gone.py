"""Creases of which one side is gone: what is left faces as its own side, and its walls are even to the rim."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.gauges.face_figures import figures_of
from glass_spoon.kernel.mesh_edits.keep_and_merge import keep_faces
from glass_spoon.kernel.mesh_edits.thicken import Wall, thicken
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshing.six_sides import SixSides, mesh_six_sides


def open_box(size: float) -> Mesh:
    """Return a box of 20 by 10 by 8 times a size, without its top."""
    box = mesh_six_sides(SixSides((10.0 * size, 5.0 * size, 4.0 * size), 0.0, (10, 5, 4), 1, 1)).mesh
    return keep_faces(box, np.flatnonzero(box.face_normals[:, 2] < 0.5)).mesh


def test_what_is_left_of_a_crease_faces_as_its_own_side():
    """A box without its top is a tray: its rim looks sideways, not between the side and the top that is gone."""
    tray = open_box(1.0)
    assert "normal" in tray.points
    rim = np.unique(tray.topology.edges.ends[tray.topology.boundary_edges])
    assert len(rim) == 30 and np.abs(tray.points["normal"][rim][:, 2]).max() < 1e-12


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_the_wall_of_an_open_box_is_even_to_its_rim(size):
    """By formula: what is outside less what is inside."""
    tray = open_box(size)
    wall = np.full(tray.point_count, 1.0 * size)
    made = thicken(tray, Wall(0 * wall, wall)).mesh
    volume = figures_of(made).cones.sum() / 6
    assert volume == pytest.approx((20 * 10 * 8 - 18 * 8 * 7) * size**3, rel=1e-9)
