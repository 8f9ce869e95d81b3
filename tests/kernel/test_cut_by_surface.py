"""Meshes cut by surfaces and curves: rims and caps on them, volumes by formula, the two sides together the whole."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve, make_curve
from glass_spoon.kernel.curves.make.flat_shapes import make_circle
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.imprint.cut_mesh import CutMesh, cut_mesh
from glass_spoon.kernel.imprint.cutters import CurvedCutter
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import check_origin
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, make_surface
from glass_spoon.kernel.surfaces.make.curtain import curtain
from tests.mesh_checker import check_result
from tests.solid_bodies import ball, box, ring, rod, volume
from tests.zoo import grid_mesh

BEZIER = np.array([0, 0, 0, 1, 1, 1.0])


def bowl(half: float, height: float, at: tuple[float, float, float] = (0, 0, 0)) -> NurbsSurface:
    """The paraboloid z = height (x² + y²) / half² as one patch of degree two, over a square."""
    across = np.array([-half, 0, half])
    rise = np.array([height, -height, height])  # of t² on -1 to 1
    x, y = np.meshgrid(across, across, indexing="ij")
    net = np.stack((x, y, rise[:, None] + rise[None, :]), axis=-1)
    return make_surface((2, 2), (BEZIER, BEZIER), net + np.array(at))


def cut(body: Mesh, surface: NurbsSurface, *, turned: bool = False, close: bool = True) -> CutMesh:
    made = cut_mesh(body, CurvedCutter(surface, turned=turned), close=close)
    check_origin(made)
    return made


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("kind", ["ball", "box", "ring", "rod"])
def test_both_sides_of_a_bowl_together_are_the_whole(kind: str, size: float) -> None:
    """Each is closed and all quads, rim and cap on the bowl to a billionth; the volumes add up but for the chords."""
    body = {
        "ball": ball(30 * size, 16),
        "box": box((20 * size, 20 * size, 20 * size), (10, 10, 10)),
        "ring": ring(30 * size, 9 * size, 64, 24),
        "rod": rod(15 * size, 60 * size, 6, 24),
    }[kind]
    surface = bowl(60 * size, 25 * size, (1 * size, 2 * size, -4 * size))
    sides = [cut(body, surface, turned=turned) for turned in (False, True)]
    for side in sides:
        check_result(side.mesh, closed=True)
        assert side.mesh.topology.is_quads
        made = side.origin.faces_in("cap")
        assert made.any()
        points = np.unique(side.mesh.topology.face_corners[made[side.mesh.topology.face_of_corner]])
        assert closest_points(surface, side.mesh.positions[points])[2].max() < 2e-9 * 60 * size
    assert sum(volume(side.mesh) for side in sides) == pytest.approx(volume(body), rel=0.01)
    assert all(volume(side.mesh) > 0.1 * volume(body) for side in sides)


def test_a_box_over_a_bowl_by_formula() -> None:
    """Between the bowl z = c (x² + y²) / h² and the top of a box of half width a: 4 a² t - 8 a⁴ c / (3 h²)."""
    body = box((20, 20, 20), (16, 16, 16))
    left = cut(body, bowl(60, 25))
    assert volume(left.mesh) == pytest.approx(4 * 400 * 20 - 8 * 20**4 * 25 / (3 * 3600), rel=2e-3)


def test_a_saddle_cuts_too() -> None:
    """One that rises along x and falls along y halves a ball about its middle, as it is the same seen from below."""
    net = bowl(60, 20).control_points.copy()
    rise = np.array([20, -20, 20])
    net[..., 2] = rise[:, None] - rise[None, :]
    body = ball(30, 20)
    left = cut(body, make_surface((2, 2), (BEZIER, BEZIER), net))
    check_result(left.mesh, closed=True)
    assert volume(left.mesh) == pytest.approx(volume(body) / 2, rel=2e-3)


def wave(way: str = "x") -> NurbsCurve:
    along = np.linspace(-35, 35, 9)
    points = np.column_stack((along, 6 * np.sin(along / 9), np.full(9, 80.0)))
    return interpolate_points(points if way == "x" else points[:, [1, 0, 2]])


def test_a_curve_seen_from_above_cuts_straight_down() -> None:
    """A wave drawn far above the body: rims under it, both sides closed, together the whole; its ends run on straight."""
    body = box((30, 30, 12), (16, 16, 7))
    low, high = body.positions.min(axis=0), body.positions.max(axis=0)
    surface = curtain(wave(), np.array([0, 0, -1.0]), low, high)
    sides = [cut(body, surface, turned=turned) for turned in (False, True)]
    for side in sides:
        check_result(side.mesh, closed=True)
        rim = np.concatenate([side.mesh.positions[points[0]] for points in side.rings])
        assert closest_points(surface, rim)[2].max() < 1e-6
    assert sum(volume(side.mesh) for side in sides) == pytest.approx(volume(body), rel=1e-3)


def test_a_steep_arch_is_closed_by_its_parameters() -> None:
    """A parabola that turns away by 78° either way: seen straight on its sides would be slivers; by formula 4/3 h b deep."""
    body = box((30, 12, 40), (20, 8, 26), (0, 0, 40))
    along = np.linspace(-20, 20, 25)
    arch = interpolate_points(np.column_stack((along, np.full(25, -60.0), 70 - along**2 / 8)))
    low, high = body.positions.min(axis=0), body.positions.max(axis=0)
    surface = curtain(arch, np.array([0, 1.0, 0]), low, high)
    sides = [cut(body, surface, turned=turned) for turned in (False, True)]
    for side in sides:
        check_result(side.mesh, closed=True)
    volumes = sorted(volume(side.mesh) for side in sides)
    assert sum(volumes) == pytest.approx(60 * 24 * 80, rel=2e-3)
    span = np.sqrt(20 * 20)
    inside = 24 * (4 / 3 * 50 * span + 20 * 2 * span + 2 * 20 * 20 / (2 * 5))  # the arch, a block under it, wedges beside
    assert volumes[0] == pytest.approx(inside, rel=5e-3)


def test_a_sheet_is_cut_along_a_curve_and_stays_open() -> None:
    """Both sides together keep the area, and none is closed by a cap."""
    sheet = grid_mesh(20, 16, 2.5)
    points = np.column_stack((np.linspace(-5, 55, 7), 20 + 4 * np.sin(np.linspace(0, 6, 7)), np.zeros(7)))
    low, high = sheet.positions.min(axis=0) - 1, sheet.positions.max(axis=0) + 1
    surface = curtain(interpolate_points(points), np.array([0, 0, -1.0]), low, high)
    sides = [cut(sheet, surface, turned=turned) for turned in (False, True)]
    assert not any(side.capped for side in sides)
    area = sum(np.linalg.norm(side.mesh.face_vectors, axis=1).sum() for side in sides)
    assert area == pytest.approx(50 * 40, rel=1e-3)


def test_a_surface_that_ends_inside_says_so() -> None:
    """And one that misses, a closed curve, one with corners, one seen end on: each with what to do."""
    with pytest.raises(KernelError, match="ends inside the mesh: Extend it"):
        cut(ball(30, 12), bowl(20, 5))
    with pytest.raises(KernelError, match="misses the mesh"):
        cut(ball(30, 12), bowl(60, 5, (0, 0, 80)))
    low, high, down = np.full(3, -30.0), np.full(3, 30.0), np.array([0, 0, -1.0])
    with pytest.raises(KernelError, match="closed"):
        curtain(make_circle((0, 0), 20), down, low, high)
    bent = make_curve(1, [0, 0, 1, 2, 2], [(-40, 0, 0), (0, 5, 0), (40, 0, 0)])
    with pytest.raises(KernelError, match="corners"):
        curtain(bent, down, low, high)
    upright = make_curve(1, [0, 0, 1, 1], [(0, 0, 0), (0, 0, 9)])
    with pytest.raises(KernelError, match="a point"):
        curtain(upright, down, low, high)
