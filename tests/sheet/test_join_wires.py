"""Wires in one skin as a line: what does not fit is refused with ways out that work; bends and loose ends are told."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from tests.sheet.test_solids import run

RIM = {"id": "r", "verb": "circle", "plane": "plan", "radius": "40 mm"}
BAR = {"id": "b", "verb": "line", "plane": "plan", "right": "-40 mm", "to_right": "40 mm"}
BESIDE = {
    "id": "c",
    "verb": "line",
    "plane": "plan",
    "right": "-40 mm",
    "to_right": "0 mm",
    "to_up": "39.99 mm",
    "up": "0.4 mm",
}


def joined(**fields: Any) -> dict[str, Any]:
    """Return a line that joins wires."""
    return {"id": "j", "verb": "join_wires", "curves": ["r", "b"], "around": "8", **fields}


def test_what_is_too_thick_is_refused_with_a_thickness_that_fits() -> None:
    """The first way out, taken, is good."""
    told = run(RIM, BAR, joined(width="60 mm")).reports["j"]
    assert told.status == "failed" and "thinner wires, such as" in told.findings[0].sentence
    action = told.findings[0].actions[0]
    assert action.field == "width"
    assert run(RIM, BAR, joined(width=action.value)).reports["j"].status == "good"


def test_ends_that_lie_beside_each_other_may_meet() -> None:
    """Two wires come to a ring 0.4 mm apart: allowed to meet there they are one joint of four."""
    lines = [RIM, BAR, {**BESIDE, "right": "-39.998 mm"}]
    fields = {"curves": ["r", "b", "c"], "width": "3 mm"}
    told = run(*lines, joined(**fields)).reports["j"]
    assert told.status == "failed" and "meet within" in told.findings[0].sentence
    action = told.findings[0].actions[-1]
    assert action.field == "within"
    build = run(*lines, joined(**fields, within=action.value))
    assert build.reports["j"].status in {"good", "look"} and "brought together" in build.reports["j"].told
    assert len(build.items["j"].item.mesh.topology.boundary_edges) == 0


def test_bends_tighter_than_the_wire_are_told() -> None:
    """A helix that bends to 3 mm under a wire of 8 mm."""
    coil = {"id": "r", "verb": "helix", "radius": "2 mm", "end_radius": "2 mm", "pitch": "9 mm"}
    report = run(coil, joined(curves=["r"], width="8 mm")).reports["j"]
    assert report.status == "look"
    assert any("bends to a radius of" in finding.sentence for finding in report.findings)


@pytest.mark.parametrize("size", [0.8, 1.0, 1.2])
def test_its_parts_are_wires_and_joints_whatever_the_sizes_above(size: float) -> None:
    """A ring with a bar across it: three wires and two joints, which are parts of their own; closed, with two holes."""
    ring, bar = (
        {**RIM, "radius": f"{40 * size} mm"},
        {**BAR, "right": f"{-40 * size} mm", "to_right": f"{40 * size} mm"},
    )
    build = run(ring, bar, joined(width="5 mm"))
    assert (build.reports["j"].status, build.reports["j"].told) == ("good", "3 wires, 2 joints.")
    item = build.items["j"].item
    assert [piece.name for piece in item.pieces] == ["wires", "joints"]
    topology = item.mesh.topology
    assert item.mesh.point_count - len(topology.edges.ends) + item.mesh.face_count == -2
    assert set(np.unique(item.mesh.faces["piece"])) == {0, 1}
