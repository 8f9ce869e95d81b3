"""Plates with holes as a sheet makes them: counts that keep the turns of the holes, symmetric fills, corners."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.spatial import cKDTree

from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshing.turned_rims import turns_of_rims
from tests.mesh_checker import check_result
from tests.sheet.test_bodies import SIZES, good, mesh, mm, run

Z = np.array([0.0, 0.0, 1.0])


def lid(count: int, size: float, edge: float, middle: bool = True) -> list[dict[str, Any]]:
    """A round lid of radius 50 and height 4 with a ring of vents, and a hole in the middle."""
    holes = [{"verb": "circle", "plane": "plan", "radius": mm(12, size)}] if middle else []
    vent = len(holes) + 2
    return [
        {"verb": "circle", "plane": "plan", "radius": mm(50, size)},
        *holes,
        {"verb": "circle", "plane": "plan", "radius": mm(6, size), "right": mm(35, size)},
        {"verb": "ring", "item": f"l{vent}", "count": count},
        {
            "verb": "plate",
            "outline": "l1",
            "holes": [*(["l2"] if middle else []), f"l{vent + 1}"],
            "height": mm(4, size),
        },
        {"verb": "mesh", "surface": f"l{vent + 2}", "sizing": "edge length", "edge_length": mm(edge, size)},
    ]


def turned_off(mesh_of_lid: Mesh, angle: float) -> float:
    """How far points lie from the nearest image of one when all are turned about the upright axis, in mm."""
    turn = np.array([[np.cos(angle), -np.sin(angle), 0], [np.sin(angle), np.cos(angle), 0], [0, 0, 1]])
    return float(cKDTree(mesh_of_lid.positions).query(mesh_of_lid.positions @ turn.T)[0].max())


def corners_of(quads: Mesh) -> np.ndarray:
    """All corners of a mesh of quads in degrees."""
    places = quads.positions[quads.topology.face_corners].reshape(-1, 4, 3)
    ahead, back = np.roll(places, -1, axis=1) - places, np.roll(places, 1, axis=1) - places
    cosine = (ahead * back).sum(axis=2) / (np.linalg.norm(ahead, axis=2) * np.linalg.norm(back, axis=2))
    return np.degrees(np.arccos(np.clip(cosine, -1, 1)))


@pytest.mark.parametrize("size", SIZES)
@pytest.mark.parametrize("edge", [4.0, 3.2])
def test_a_lid_with_ten_vents_falls_on_itself_when_turned_by_36_degrees(size: float, edge: float) -> None:
    """At two densities and three sizes: closed, all quads, worst corner 45°, volume by formula to its chords."""
    build = run(*lid(10, size, edge))
    good(build)
    made = mesh(build, "l6").mesh
    check_result(made, closed=True)
    assert made.topology.is_quads
    assert turned_off(made, np.radians(36)) < 2e-5 * size
    assert corners_of(made).min() >= 45
    assert corners_of(made).max() <= 135
    assert enclosed_volume(made) == pytest.approx(np.pi * (50**2 - 12**2 - 10 * 6**2) * 4 * size**3, rel=0.02)


@pytest.mark.parametrize(("count", "order"), [(9, 3), (11, 1), (6, 6), (4, 4)])
def test_without_a_hole_in_the_middle_as_many_turns_as_fit_a_point(count: int, order: int) -> None:
    """Nine vents leave three sectors, as 40° are no corner; eleven leave none; six and four all. Closed in any case."""
    build = run(*lid(count, 1.0, 4.0, middle=False))
    made = mesh(build, "l5").mesh
    check_result(made, closed=True)
    if order > 1:
        assert turned_off(made, 2 * np.pi / order) < 2e-5
    assert corners_of(made).min() > 35


def test_given_counts_stay_and_odd_ones_out_are_not_forced() -> None:
    """Rims that are not round about the middle, and holes of two sizes, keep their own counts."""
    ring = [np.column_stack((np.cos(t), np.sin(t), 0 * t)) for t in [np.linspace(0, 2 * np.pi, 24, endpoint=False)]]
    outline, hole = 50 * ring[0], 5 * ring[0]
    places = [[30 * np.cos(k), 30 * np.sin(k), 0] for k in np.arange(6) * np.pi / 3]
    assert turns_of_rims([outline, *(hole + place for place in places)], Z)[0] == 6
    assert turns_of_rims([outline, *(hole * (1 + 0.3 * (k % 2)) + place for k, place in enumerate(places))], Z)[0] == 3
    assert turns_of_rims([outline, *(hole + place for place in places[:5])], Z)[0] == 1
    assert turns_of_rims([outline * [1, 0.8, 1], *(hole + place for place in places)], Z)[0] == 1
    assert turns_of_rims([outline, hole, hole + places[0]], Z)[0] == 1
