"""Meshes cut by a plane: rims in it to the last digit, closed flat, all quads, volumes by formula; strips between counts."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.imprint.cut_mesh import cut_mesh
from glass_spoon.kernel.imprint.cutters import FlatCutter
from glass_spoon.kernel.imprint.join_solids import join_solids
from glass_spoon.kernel.mesh_edits.clean_mesh import reverse_faces
from glass_spoon.kernel.mesh_edits.gather_meshes import gather_meshes
from glass_spoon.kernel.mesh_edits.strips import strip_counts, strips_between, strips_needed
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.meshes.origin import check_origin
from tests.mesh_checker import check_result, open_sides
from tests.solid_bodies import ball, box, ring, rod, volume
from tests.zoo import grid_mesh

PLANES = [((0, 0, 3), (0, 0, 1)), ((0, 0, 0), (0, 0, -1)), ((2, 4, 3), (1, 0.4, 0.3)), ((5, 1, 3), (1, 0, 0))]


def cut(mesh: Mesh, place: tuple[float, ...], normal: tuple[float, ...], close: bool = True):
    return cut_mesh(mesh, FlatCutter(np.array(place, dtype=float), np.array(normal, dtype=float)), close=close)


@pytest.mark.parametrize("plane", PLANES)
@pytest.mark.parametrize("body", [ball(30, 12), box((20, 20, 20), (8, 8, 8)), ring(30, 8, 48, 20)])
def test_both_sides_together_are_the_whole(body: Mesh, plane: tuple) -> None:
    """Each is closed and all quads, its rim in the plane; their volumes add up to the body's, but for the seam's chords."""
    place, normal = plane
    sides = [cut(body, place, normal), cut(body, place, tuple(-part for part in normal))]
    for side in sides:
        check_result(side.mesh, closed=True)
        check_origin(side)
        assert side.mesh.topology.is_quads
        rim = np.concatenate([side.mesh.positions[points[0]] for points in side.rings])
        unit = np.array(normal) / np.linalg.norm(normal)
        assert np.abs((rim - place) @ unit).max() < 1e-12
        assert (side.mesh.positions - place).max() < 1e3
    assert sum(volume(side.mesh) for side in sides) == pytest.approx(volume(body), rel=0.012)


def test_a_box_cut_square_is_exact() -> None:
    """40 by 40 by what is left; a slanted cut through the middle leaves half."""
    body = box((20, 20, 20), (8, 8, 8))
    assert volume(cut(body, (0, 0, 3), (0, 0, 1)).mesh) == pytest.approx(40 * 40 * 17, rel=1e-12)
    assert volume(cut(body, (0, 0, 0), (0, 0, 1)).mesh) == pytest.approx(40 * 40 * 20, rel=1e-9)
    assert volume(cut(body, (0, 0, 0), (0.3, 0, 1)).mesh) == pytest.approx(32000, rel=1e-9)


def test_a_cap_of_a_ball_by_formula() -> None:
    """π h² (3 r - h) / 3 (common mensuration, no source)."""
    body = ball(30, 48)
    for height in (6.0, 15.0, 40.0):
        left = cut(body, (0, 0, 30 - height), (0, 0, 1))
        assert volume(left.mesh) == pytest.approx(np.pi * height**2 * (90 - height) / 3, rel=0.004)


def test_an_open_sheet_stays_open_and_its_far_faces_stay() -> None:
    """The area beyond the plane is that of the formula, and most faces are kept as they were."""
    sheet = grid_mesh(16, 12, 2.5)
    left = cut(sheet, (15.2, 0, 0), (1, 0.25, 0))
    check_result(left.mesh, closed=False)
    assert not left.capped
    area = np.linalg.norm(left.mesh.face_vectors, axis=1).sum()
    assert area == pytest.approx((40 - 15.2) * 30 + 0.25 * 30 * 15, rel=1e-9)
    kept = left.origin.faces_in("kept")
    assert kept.sum() > 0.7 * left.mesh.face_count
    assert open_sides(left.mesh) == len(left.mesh.topology.boundary_edges)


def test_a_hollow_body_is_closed_with_a_hole_in_the_cap() -> None:
    """The cap is a ring between two seams, and the volume is the difference of two halves."""
    large, small = ball(30, 16), ball(20, 12)
    hollow = gather_meshes([large, reverse_faces(small, np.arange(small.face_count)).mesh])
    half = cut(hollow, (0, 0, 1), (0, 0, 1))
    check_result(half.mesh, closed=True)
    assert half.seams == 2
    assert half.mesh.topology.components.max() == 0
    outer, inner = (volume(cut(body, (0, 0, 1), (0, 0, 1)).mesh) for body in (large, small))
    assert volume(half.mesh) == pytest.approx(outer - inner, rel=0.005)


def test_left_open_it_has_one_open_rim() -> None:
    """Left open, the cut leaves one rim and no cap."""
    left = cut(rod(10, 40, 4, 12), (0, 0, 3), (0, 0, 1), close=False)
    assert open_sides(left.mesh) == len(left.rings[0][0])
    assert not left.origin.faces_in("cap").any()


def test_a_plane_that_misses_says_so() -> None:
    """A plane that touches nothing is refused in words."""
    with pytest.raises(KernelError, match="misses the mesh"):
        cut(ball(30, 6), (0, 0, 40), (0, 0, 1))


def test_a_cut_of_what_was_joined() -> None:
    """A mesh with points of other than four edges is cut like any other."""
    first, second = ball(30, 12), rod(7, 100, 3, 20, (3, 2, 0))
    whole = join_solids(gather_meshes([first, second]), (first, second), "unite").mesh
    check_result(cut(whole, (0, 0, 35), (0, 0, -1)).mesh, closed=True)


@settings(max_examples=150, deadline=None)
@given(st.integers(1, 80), st.integers(1, 80), st.integers(1, 4))
def test_strips_between_any_counts_are_quads_without_gaps(start: int, end: int, least: int) -> None:
    """Of like parity: both rows are met edge by edge, every inner edge has two faces; the flat picture has no fold."""
    end += (end - start) % 2
    try:
        strips = strips_needed([(start, end)], least)
    except KernelError:
        assert max(start, end) / min(start, end) > 20
        return
    counts = strip_counts(start, end, strips)
    assert counts is not None
    assert (counts[0], counts[-1]) == (start, end)
    made = strips_between(counts)
    x, y = made.shares.T
    mesh = make_mesh(np.column_stack((x, y, 0 * x)), made.quads)
    check_result(mesh, closed=False)
    assert len(mesh.topology.boundary_edges) == start + end + 2 * strips
    assert (mesh.face_vectors[:, 2] > 0).all()
    assert np.linalg.norm(mesh.face_vectors, axis=1).sum() == pytest.approx(1.0)
