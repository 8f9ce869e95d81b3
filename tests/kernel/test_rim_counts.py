"""Counts along the edges of faces, and fills between rims."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.meshing.fill_with_grid import fill_with_grid
from glass_spoon.kernel.trims.rim_counts import balanced
from glass_spoon.kernel.trims.seams import BEYOND, within_domain
from tests.kernel.trims import tube


def ring(count: int, width: float, depth: float) -> Floats:
    """Return places (n, 2) on an ellipse, even by its parameter."""
    turns = np.arange(count) / count * 2 * np.pi
    return np.column_stack((width * np.cos(turns), depth * np.sin(turns)))


@given(st.integers(1, 4), st.integers(1, 4), st.floats(0.7, 1.4), st.integers(0, 10**6))
def test_sides_that_face_each_other_come_to_one_count(first: int, second: int, share: float, seed: int) -> None:
    """Counts stay even, and two at least; each edge is within a few of what it would have alone."""
    random = np.random.default_rng(seed)
    lengths = random.uniform(4, 30, first + second)
    lengths[first:] *= share * lengths[:first].sum() / lengths[first:].sum()
    counts = np.maximum(2, 2 * np.round(lengths / 2).astype(np.int64))
    sides = list(range(first)), list(range(first, first + second))
    found = balanced(counts, lengths, np.full(len(counts), 2), [sides])
    assert found[:first].sum() == found[first:].sum()
    assert (found % 2 == 0).all() and (found >= 2).all()
    assert abs(found.sum() - lengths.sum()) <= 2 * len(counts) + abs(lengths[:first].sum() - lengths[first:].sum())


def test_counts_that_nothing_brings_nearer_stay() -> None:
    """One edge that faces two others of other counts, which also face each other's neighbours."""
    counts = np.array([4, 4, 10])
    assert balanced(counts, counts.astype(float), counts, [([0], [1, 2])]).tolist() in ([4, 4, 10], [14, 4, 10])


@pytest.mark.parametrize("turn", [0.0, 0.05, 0.3])
@pytest.mark.parametrize(("outer", "inner"), [(52, 18), (56, 18), (60, 20)])
def test_no_vertex_of_a_fill_comes_up_to_another(outer: int, inner: int, turn: float) -> None:
    """Where only its corners counted, a face between the rims of a pad and its bore was 22 times as long as wide."""
    hole = ring(inner, 9.5, 9.5) @ np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
    fill = fill_with_grid([ring(outer, 32, 15), hole[::-1]], 3.0)
    corners = fill.points[fill.faces]
    sides = np.linalg.norm(np.roll(corners, -1, axis=1) - corners, axis=2)
    assert float((sides.max(axis=1) / sides.min(axis=1)).max()) < 5


@pytest.mark.parametrize("over", [0.0, 1e-9, 1e-8, 0.5 * BEYOND])
def test_a_run_that_goes_over_a_seam_by_a_hair_is_one(over: float) -> None:
    """All round a tube from its seam to its seam, and a little farther than both."""
    surface = tube(10, 5)
    axis = 0 if surface.is_closed(0, 1e-9) else 1
    low, high = surface.domain(axis)
    ends = np.zeros((2, 3))
    ends[:, axis] = low - over * (high - low), high + over * (high - low)
    ends[:, 1 - axis] = sum(surface.domain(1 - axis)) / 2
    assert len(within_domain(make_polyline(ends), surface)) == 1
    ends[:, axis] += 0.3 * (high - low)
    parts = within_domain(make_polyline(ends), surface)
    assert len(parts) == 2
    assert sum(float(np.ptp(part.control_points[:, axis])) for part in parts) == pytest.approx(high - low, rel=1e-5)
