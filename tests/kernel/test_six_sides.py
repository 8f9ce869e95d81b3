"""Boxes, balls and capsules held against their formulas: volumes by Steiner's, radii, counts, and the exact surfaces."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.errors import InvalidInput, TooManyFaces
from glass_spoon.kernel.gauges.face_figures import figures_of
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume, mean_ratio
from glass_spoon.kernel.meshing.six_sides import SixSides, mesh_six_sides
from tests.mesh_checker import check_result
from tests.zoo import enclosed_by

SIZES = [0.01, 1.0, 100.0]

BODIES = {
    "ball": ((0, 0, 0), 30),
    "capsule": ((0, 0, 20), 8),
    "box": ((20, 15, 10), 0),
    "rounded box": ((20, 15, 10), 4),
    "lozenge": ((20, 0, 20), 8),
}


def steiner(half: tuple[float, float, float], radius: float) -> float:
    """Return the volume of a box with a ball over it: box, its faces raised, quarter cylinders, one ball."""
    a, b, c = (2 * side for side in half)
    return a * b * c + 2 * (a * b + b * c + c * a) * radius + np.pi * radius**2 * (a + b + c) + 4 / 3 * np.pi * radius**3


@pytest.mark.parametrize("size", SIZES)
@pytest.mark.parametrize("name", BODIES)
def test_the_surfaces_are_exact_and_the_mesh_lies_on_them(name: str, size: float) -> None:
    """Volume by Gauss points within 1e-6; every vertex a radius off the inner box; closed, all quads, eight odd points."""
    half, radius = tuple(size * side for side in BODIES[name][0]), size * BODIES[name][1]
    made = mesh_six_sides(SixSides(half, radius, (5, 4, 3), 3, 7))
    assert made.shape.open_edges == []
    assert enclosed_by(made.shape) == pytest.approx(steiner(half, radius), rel=1e-6)
    check_result(made.mesh, closed=True)
    inner = np.clip(made.mesh.positions, -np.array(half), half)
    assert np.linalg.norm(made.mesh.positions - inner, axis=1) == pytest.approx(radius, rel=1e-12, abs=1e-12 * size)
    valence = np.bincount(made.mesh.topology.edges.ends.ravel())
    assert np.bincount(valence)[3] == 8
    assert set(valence.tolist()) == {3, 4}
    assert len(made.names) == len(made.shape.surfaces) == made.mesh.faces["piece"].max() + 1


@pytest.mark.parametrize("count", [1, 2, 3, 8, 25])
def test_a_ball_has_six_n_squared_even_quads(count: int) -> None:
    """Radius error none, evenness above 0.98, and its volume comes to the ball's as the square of the edge."""
    mesh = mesh_six_sides(SixSides((0, 0, 0), 1.0, (1, 1, 1), 1, count)).mesh
    assert mesh.face_count == 6 * count**2
    assert np.linalg.norm(mesh.positions, axis=1) == pytest.approx(1.0, abs=1e-15)
    assert mean_ratio(figures_of(mesh).areas) > 0.98
    if count >= 8:
        assert enclosed_volume(mesh) == pytest.approx(4 / 3 * np.pi, rel=1.2 / count**2)


def test_a_sharp_box_has_twelve_sharp_edges_and_exact_volume() -> None:
    """Counts along each edge are those asked for; creases lie where two coordinates are extreme."""
    made = mesh_six_sides(SixSides((3, 2, 1), 0.0, (6, 4, 2), 1, 1))
    assert made.mesh.face_count == 2 * (6 * 4 + 4 * 2 + 2 * 6)
    assert enclosed_volume(made.mesh) == pytest.approx(48, rel=1e-14)
    sharp = made.mesh.topology.edges.ends[made.mesh.edges["sharpness"] > 0]
    assert len(sharp) == 4 * (6 + 4 + 2)
    extreme = np.isclose(np.abs(made.mesh.positions[sharp]), [3, 2, 1]).all(axis=1)
    assert (extreme.sum(axis=1) >= 2).all()
    assert sorted(made.names) == ["back", "bottom", "front", "left", "right", "top"]


@pytest.mark.parametrize("name", BODIES)
def test_faces_face_out_and_uv_runs_over_each_piece(name: str) -> None:
    """Normals point as the faces do, away from the middle; uv of every piece covers the unit square once."""
    half, radius = BODIES[name]
    mesh = mesh_six_sides(SixSides(half, radius, (3, 3, 3), 2, 4)).mesh
    assert (np.einsum("ij,ij->i", mesh.face_normals, mesh.face_centers) > 0).all()
    assert (np.einsum("ij,ij->i", mesh.points["normal"], mesh.vertex_normals) > 0.5).all()
    uv = mesh.corners["uv"].reshape(-1, 4, 2)
    across, other = uv[:, 2] - uv[:, 0], uv[:, 3] - uv[:, 1]
    areas = np.abs(across[:, 0] * other[:, 1] - across[:, 1] * other[:, 0]) / 2
    assert np.bincount(mesh.faces["piece"], areas) == pytest.approx(1.0)


def test_what_is_no_body_is_refused() -> None:
    """Flat, a count of none, or too many faces."""
    with pytest.raises(InvalidInput, match="extent along every axis"):
        mesh_six_sides(SixSides((1, 1, 0), 0.0, (1, 1, 1), 1, 1))
    with pytest.raises(InvalidInput, match="1 or more"):
        mesh_six_sides(SixSides((1, 1, 1), 0.0, (1, 0, 1), 1, 1))
    with pytest.raises(TooManyFaces):
        mesh_six_sides(SixSides((0, 0, 0), 1.0, (1, 1, 1), 1, 3000))
