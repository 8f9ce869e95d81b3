"""Panels fitted to a part of a body: volumes and joints by formula, at every size; what folds is told."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.detail.panel import PanelShape, fitted_panel
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.gauges.crossings import crossing_faces
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.meshing.six_sides import SixSides, mesh_six_sides
from tests.mesh_checker import check_result
from tests.solid_bodies import ball, ring
from tests.zoo import grid_mesh


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize(("gap", "lift", "wall"), [(0.3, 0.2, 0.5), (0.0, 0.2, 0.5), (0.3, 0.0, 1.5)])
def test_a_flat_panel_has_its_joint_all_round(size: float, gap: float, lift: float, wall: float) -> None:
    """10 by 6 of a sheet: (10 - 2 gap) (6 - 2 gap) wall, from the lift up, its rim in by the joint."""
    sheet = grid_mesh(20, 10, size)
    x, y, _ = (sheet.face_centers / size).T
    chosen = (x > 5) & (x < 15) & (y > 2) & (y < 8)
    made = fitted_panel(sheet, chosen, PanelShape(wall * size, gap * size, lift * size))
    check_result(made.mesh, closed=True)
    volume = (10 - 2 * gap) * (6 - 2 * gap) * wall
    assert enclosed_volume(made.mesh) == pytest.approx(volume * size**3, rel=1e-9)
    low, high = made.mesh.positions.min(axis=0) / size, made.mesh.positions.max(axis=0) / size
    assert low == pytest.approx([5 + gap, 2 + gap, lift], abs=1e-9)
    assert high == pytest.approx([15 - gap, 8 - gap, lift + wall], abs=1e-9)
    assert made.joint == pytest.approx((gap * size, gap * size), rel=0.05)


def test_a_rounded_rim_leaves_the_joint_that_is_asked() -> None:
    """Its round, half a circle over the wall, ends where a flat rim would: with a joint, and flush without one."""
    sheet = grid_mesh(20, 10)
    x, y, _ = sheet.face_centers.T
    chosen = (x > 5) & (x < 15) & (y > 2) & (y < 8)
    for gap in (0.0, 0.4):
        made = fitted_panel(sheet, chosen, PanelShape(1.0, gap, 0.5, "rounded", 6))
        assert made.mesh.positions.min(axis=0) == pytest.approx([5 + gap, 2 + gap, 0.5], abs=1e-9)
        assert made.mesh.positions.max(axis=0) == pytest.approx([15 - gap, 8 - gap, 1.5], abs=1e-9)
        assert made.joint == (pytest.approx((gap, gap), abs=0.02) if gap else (0.0, 0.0))


@pytest.mark.parametrize(("rim", "steps"), [("flat", 0), ("flat", 2), ("rounded", 1), ("rounded", 4)])
def test_a_panel_on_a_ball_lies_off_it_everywhere_alike(rim: str, steps: int) -> None:
    """Off a ball of 30 mm by 0.5, 2 mm thick: from 30.5 to 32.5, closed, all quads, through nothing."""
    body = ball(30, 24)
    chosen = body.face_centers[:, 2] > 15
    made = fitted_panel(body, chosen, PanelShape(2, 1, 0.5, rim, steps))  # type: ignore[arg-type]
    check_result(made.mesh, closed=True)
    assert made.mesh.topology.is_quads
    radius = np.linalg.norm(made.mesh.positions, axis=1)
    middle = np.hypot(*made.mesh.positions[:, :2].T) < 10
    assert radius[middle].min() == pytest.approx(30.5, abs=0.04)
    assert radius[middle].max() == pytest.approx(32.5, abs=0.02)
    assert made.joint[0] == pytest.approx(1, rel=0.05)
    assert not len(crossing_faces(made.mesh))
    assert not made.narrow
    assert not made.tight


def test_every_element_knows_where_on_the_body_it_came_from() -> None:
    """Faces of the top and of the underside stand over the faces that they are copies of."""
    body = ball(30, 16)
    chosen = body.face_centers[:, 0] > 10
    made = fitted_panel(body, chosen, PanelShape(1, 0, 0.5))
    skins = made.origin.faces_in("outer") | made.origin.faces_in("inner")
    over = body.face_centers[made.origin.faces[skins]]
    away = np.linalg.norm(made.mesh.face_centers[skins] - over, axis=1)
    assert away.min() > 0.4
    assert away.max() < 1.7
    assert chosen[made.origin.faces].all()


def test_a_whole_body_gets_a_shell_about_it() -> None:
    """All faces of a ball, no joint: two skins, nothing between them."""
    body = ball(30, 16)
    made = fitted_panel(body, np.ones(body.face_count, dtype=bool), PanelShape(2))
    assert made.mesh.face_count == 2 * body.face_count
    assert made.joint == (0.0, 0.0)


def test_what_does_not_fit_is_told_or_refused() -> None:
    """A joint wider than half of what is covered; a lift over the tube of a ring's inside; nothing; a joint with no edge."""
    sheet = grid_mesh(20, 10)
    strip = np.abs(sheet.face_centers[:, 1] - 5) < 1
    assert fitted_panel(sheet, strip, PanelShape(1, 1.2)).narrow
    inner = ring(20, 8, 48, 24)
    hollow = np.hypot(*inner.face_centers[:, :2].T) < 16
    assert fitted_panel(inner, hollow, PanelShape(1, 0, 14)).tight
    assert not fitted_panel(inner, hollow, PanelShape(1, 0, 2)).tight
    assert len(fitted_panel(inner, hollow, PanelShape(14)).wall.folded)
    with pytest.raises(KernelError, match="No faces"):
        fitted_panel(sheet, np.zeros(sheet.face_count, dtype=bool), PanelShape(1))
    with pytest.raises(KernelError, match="closes on itself"):
        fitted_panel(inner, np.ones(inner.face_count, dtype=bool), PanelShape(1, 1))


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("lip", [4.0, -4.0])
def test_a_lip_all_round_adds_its_band(size: float, lip: float) -> None:
    """A flat panel of 94 by 54 by 2 with a band 2 wide and 4 high: by formula; up, or down towards the body."""
    body = mesh_six_sides(SixSides((50 * size, 30 * size, 20 * size), 0.0, (10, 6, 4), 1, 1)).mesh
    shape = PanelShape(2 * size, 3 * size, 5 * size, lip=lip * size, lip_width=2 * size)
    made = fitted_panel(body, body.face_normals[:, 2] > 0.5, shape)
    check_result(made.mesh, closed=True)
    expected = 94 * 54 * 2 + (94 * 54 - 90 * 50) * 4
    assert enclosed_volume(made.mesh) == pytest.approx(expected * size**3, rel=1e-9)
    top = body.positions[:, 2].max()
    low, high = made.mesh.positions[:, 2].min() - top, made.mesh.positions[:, 2].max() - top
    assert (low, high) == pytest.approx((5 * size, 11 * size) if lip > 0 else (size, 7 * size))


def test_a_whole_body_has_no_edge_for_a_lip() -> None:
    """A panel over a whole closed body has no edge for a lip."""
    with pytest.raises(KernelError, match="no edge for a lip"):
        body = ball(30, 8)
        fitted_panel(body, np.ones(body.face_count, dtype=bool), PanelShape(2, lip=3, lip_width=2))
