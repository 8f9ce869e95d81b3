"""Which boxes meet, held against every box beside every other."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from glass_spoon.kernel.compiled import compiled
from glass_spoon.kernel.gauges.near_boxes import FAN, face_boxes, meeting_pairs, tree_of_boxes
from tests.zoo import cube_mesh


def every_pair(low: np.ndarray, high: np.ndarray, others: np.ndarray, tops: np.ndarray) -> set[tuple[int, int]]:
    meet = (low[:, None] <= tops[None]).all(axis=2) & (others[None] <= high[:, None]).all(axis=2)
    return {(int(a), int(b)) for a, b in np.argwhere(meet)}


@pytest.mark.parametrize("count", [1, 2, FAN, FAN + 1, FAN**2 + 1, 300])
def test_boxes_of_one_tree_are_paired_once(count: int) -> None:
    """Every pair that meets is found once, whatever the number, and no box is paired with itself."""
    rng = np.random.default_rng(count)
    low = rng.random((count, 3))
    high = low + 0.2 * rng.random((count, 3))
    tree = tree_of_boxes(low, high)
    found = [tuple(sorted(pair)) for pair in meeting_pairs(tree, tree).tolist()]
    assert len(found) == len(set(found))
    assert set(found) == {(a, b) for a, b in every_pair(low, high, low, high) if a < b}


@given(
    first=arrays(np.float64, st.tuples(st.integers(1, 40), st.just(6)), elements=st.integers(-4, 4)),
    second=arrays(np.float64, st.tuples(st.integers(1, 40), st.just(6)), elements=st.integers(-4, 4)),
    size=st.sampled_from((1e-6, 1.0, 1e6)),
)
def test_boxes_of_two_trees_that_meet(first: np.ndarray, second: np.ndarray, size: float) -> None:
    """Boxes on a coarse grid, many alike, touching and flat: all that meet are found, at any size."""
    sides = [(size * rows[:, :3], size * (rows[:, :3] + np.abs(rows[:, 3:]))) for rows in (first, second)]
    found = meeting_pairs(*(tree_of_boxes(low, high) for low, high in sides)).tolist()
    assert len(found) == len({tuple(pair) for pair in found})
    assert {tuple(pair) for pair in found} == every_pair(*sides[0], *sides[1])


def test_more_pairs_than_expected() -> None:
    """A hundred boxes in one place meet each other, more than the table is made for at first."""
    low, high = np.zeros((100, 3)), np.ones((100, 3))
    tree = tree_of_boxes(low, high)
    assert len(meeting_pairs(tree, tree)) == 100 * 99 / 2


def test_boxes_of_faces() -> None:
    """The box of a face is that of its corners."""
    mesh = cube_mesh()
    low, high = face_boxes(mesh.positions, mesh.topology.face_corners, mesh.topology.face_offsets)
    corners = mesh.positions[mesh.topology.face_corners].reshape(-1, 4, 3)
    assert np.array_equal(low, corners.min(axis=1))
    assert np.array_equal(high, corners.max(axis=1))


def test_compiled_functions_take_any_arrays() -> None:
    """Columns of a table, and arrays that may not be written, reach a compiled function as they are in Python."""

    @compiled
    def total(values: np.ndarray) -> float:
        result = 0.0
        for value in values:
            result += value
        return result

    table = np.arange(12.0).reshape(4, 3)
    held = table[:, 1]
    held.flags.writeable = False
    assert total(held) == total.function(held) == held.sum()
