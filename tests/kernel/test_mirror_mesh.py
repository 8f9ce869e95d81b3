"""Halves made whole by their image: symmetric to the last digit, closed at the mirror, what crosses it accounted for."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.curves.alter.place_curve import mirroring, moving, scaling
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.mesh_edits.mirror_mesh import AwayFromMirror, halve, weld_halves
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshing.six_sides import SixSides, mesh_six_sides
from glass_spoon.kernel.repeat.place_mesh import place_mesh
from glass_spoon.kernel.repeat.placements import as_placements
from glass_spoon.kernel.repeat.repeat_mesh import repeat_mesh
from glass_spoon.kernel.subdivision.limit_surface import limit_surface
from tests.mesh_checker import check_result
from tests.zoo import grid_mesh

X = np.array([1.0, 0.0, 0.0])


def whole(mesh: Mesh, origin: np.ndarray, normal: np.ndarray, within: float) -> Mesh:
    half = halve(mesh, origin, normal, within)
    both = repeat_mesh(half.mesh, as_placements([moving(np.zeros(3)), mirroring(origin, normal)]))
    return weld_halves(both, half.seam).mesh


def asymmetry(mesh: Mesh, origin: np.ndarray, normal: np.ndarray) -> float:
    """Return the farthest that the image of a point is from every point."""
    image = mirroring(origin, normal).apply(mesh.positions)
    return float(max(np.linalg.norm(mesh.positions - place, axis=1).min() for place in image))


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("at", [0.0, 3.0, -7.0])
@pytest.mark.parametrize("normal", [[1, 0, 0], [0, 0, 1], [1, 2, 2], [1, 1, 0]])
def test_a_ball_cut_anywhere_is_symmetric_and_closed(normal: list[float], at: float, size: float) -> None:
    """In any plane, through the middle or off it: symmetry under 1e-9 of the size, no open edge, every vertex once."""
    ball = place_mesh(mesh_six_sides(SixSides((0, 0, 0), 20.0, (1, 1, 1), 1, 10)).mesh, scaling(np.zeros(3), [size] * 3))
    unit = np.array(normal) / np.linalg.norm(normal)
    origin = at * size * unit
    mesh = whole(ball, origin, unit, 1e-3 * size)
    check_result(mesh, closed=True)
    assert asymmetry(mesh, origin, unit) < 1e-9 * size
    assert (np.abs((mesh.positions - origin) @ unit) < 1e-9 * size).sum() >= 20
    share = (20 + abs(at)) / 20  # the larger part and its image: a ball with a cap of height h is pi h^2 (3 r - h) / 3
    cap = np.pi * (20 * share) ** 2 * (60 - 20 * share) / 3
    assert enclosed_volume(mesh) == pytest.approx(2 * cap * size**3, rel=0.05)


def test_the_limit_is_square_to_the_mirror() -> None:
    """Smoothed for ever, normals at the seam lie in the plane."""
    ball = mesh_six_sides(SixSides((0, 0, 0), 20.0, (1, 1, 1), 1, 8)).mesh
    mesh = whole(ball, 2 * X, X, 1e-3)
    seam = np.abs(mesh.positions[:, 0] - 2) < 1e-9
    assert np.abs(limit_surface(mesh).normals[seam, 0]).max() < 1e-9


def test_a_half_whose_flat_side_lies_in_the_mirror_loses_it() -> None:
    """A box on the mirror: its side there goes, and the whole is a box twice as long."""
    box = place_mesh(mesh_six_sides(SixSides((5, 4, 3), 0.0, (5, 4, 3), 1, 1)).mesh, moving([5, 0, 0]))
    half = halve(box, np.zeros(3), X, 1e-3)
    assert (half.beyond, half.brought) == (12, 0)
    mesh = whole(box, np.zeros(3), X, 1e-3)
    check_result(mesh, closed=True)
    assert enclosed_volume(mesh) == pytest.approx(20 * 8 * 6)


def test_rims_near_the_mirror_are_brought_onto_it_and_told() -> None:
    """A sheet whose rim stands 0.3 before it: nothing within 0.1, the rim within 0.5."""
    sheet = place_mesh(grid_mesh(4, 3), moving([0.3, 0, 0]))
    with pytest.raises(AwayFromMirror, match=r"stays 0\.3 mm away") as told:
        halve(sheet, np.zeros(3), X, 0.1)
    assert told.value.gap == pytest.approx(0.3)
    half = halve(sheet, np.zeros(3), X, 0.5)
    assert (half.brought, half.beyond) == (4, 0)
    assert half.farthest == pytest.approx(0.3)
    mesh = whole(sheet, np.zeros(3), X, 0.5)
    assert mesh.face_count == 24
    assert mesh.point_count == 4 * 9
