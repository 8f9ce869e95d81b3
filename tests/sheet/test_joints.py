"""Copies joined where their ends differ, and what keeps the origin of its group."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.lines.place.fields import own_frame
from glass_spoon.sheet.propose import propose
from tests.sheet.test_bodies import SIZES, good, mm, run, tile

TILE = tile()

SLOPE = [
    {
        "verb": "draw",
        "plane": "front",
        "points": [{"x": 0, "y": 0}, {"x": 10, "y": 3}, {"x": 20, "y": -2}, {"x": 30, "y": 1}],
    },
    {"verb": "extrude", "profile": "l1", "distance": "20 mm"},
    {"verb": "mesh", "surface": "l2", "round": 30, "along": 8},
]
"""A wavy cell whose right end lies 1 mm higher than its left one."""


@pytest.mark.parametrize("size", SIZES)
@pytest.mark.parametrize("count", [2, 3, 5])
def test_ends_that_differ_are_blended_over_a_length(size: float, count: int) -> None:
    """Joined without a step: heights of both ends become their mean, what lies beyond the blend stays, no fold."""
    cell = [
        {**SLOPE[0], "points": [{axis: value * size for axis, value in row.items()} for row in SLOPE[0]["points"]]},
        {**SLOPE[1], "distance": mm(20, size)},
        SLOPE[2],
    ]
    row = {"verb": "row", "item": "l3", "count": count, "x": mm(30, size), "joints": "joined", "within": mm(1.1, size)}
    blended, hard = (run(*cell, {**row, "blend": mm(blend, size)}) for blend in (8, 0))
    good(blended)
    good(hard)
    places, rough = (one.items["l4"].item.mesh.positions / size for one in (blended, hard))
    assert len(places) == len(rough) == 9 * (30 * count + 1)
    assert len(blended.items["l4"].item.mesh.topology.boundary_loops) == 1
    off = np.abs(places[:, 0] - 30 * np.rint(places[:, 0] / 30))
    inner = (places[:, 0] > 1e-6) & (places[:, 0] < 30 * count - 1e-6)
    assert places[(off < 1e-6) & inner, 2] == pytest.approx(0.5, abs=1e-6)
    assert np.allclose(places[off > 9], rough[off > 9], atol=1e-9)
    kinks = []
    for own in (places, rough):
        row_of = own[np.isclose(own[:, 1], own[0, 1])]
        kinks.append(float(np.abs(np.diff(row_of[np.argsort(row_of[:, 0]), 2], 2)).max()))
    assert kinks[0] < kinks[1] / 2


def test_joints_are_asked_for_in_plain_words() -> None:
    """Distance and blend, and what was missed."""
    document = read_document(
        {"format": "glass-spoon/sheet", "version": 1, "lines": [{"id": f"l{k}", **line} for k, line in enumerate(TILE, 1)]}
    )
    name = document.item_name("l2")
    for text, values in (
        (f"row of 4 {name} 30 mm apart joined within 0.5 mm", {"joints": "joined", "within": "0.5 mm"}),
        (f"row of 4 {name} 30 mm apart, ends blended over 8 mm", {"joints": "joined", "blend": "8 mm"}),
        (f"ring of 6 {name} in one skin", {"joints": "joined"}),
    ):
        proposal = propose(text, document)[0]
        assert proposal.line.verb_name in ("row", "ring")
        assert {key: getattr(proposal.line, key) for key in values} == values
        assert not proposal.missed


def test_what_is_left_keeps_the_origin_of_its_group() -> None:
    """A group bored, and mirrored in one skin: its own origin is where it was put."""
    lines = [
        {"verb": "block", "width": "20 mm", "depth": "20 mm", "height": "20 mm", "edge": "2 mm"},
        {"verb": "group", "meshes": ["l1"], "origin": "place", "x": "3 mm", "y": "1 mm", "z": "0 mm"},
        {"verb": "block", "form": "ball", "radius": "6 mm", "z": "20 mm", "edge": "2 mm"},
        {"verb": "subtract", "mesh": "l2", "others": ["l3"]},
    ]
    build = run(*lines)
    good(build)
    assert own_frame(build.items["l4"].item).origin == pytest.approx((3, 1, 0))
