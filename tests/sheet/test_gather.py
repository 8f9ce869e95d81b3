"""Surfaces that are gathered: a rim is one edge whatever its pieces, and what stays open is told."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from tests.mesh_checker import check_result
from tests.sheet.test_patches import built
from tests.sheet.test_trust import EDGES, build, gauges

ROUND = {"verb": "circle", "plane": "plan", "radius": "20 mm", "gives": "ring"}
TUBE = {"verb": "extrude", "profile": "l1", "distance": "30 mm", "start": "open", "end": "open", "gives": "low"}
CORE = {
    "verb": "ridge",
    "low_radius": "20 mm",
    "high_radius": "20 mm",
    "height": "120 mm",
    "lead": "30 mm",
    "rise": "8 mm",
    "width": "6 mm",
    "tip": "3 mm",
    "first": "20 mm",
    "foot_end": "open",
    "top_end": "open",
    "gives": "core",
}


def stacked(turn: str, up: str = "30 mm", **gather: Any) -> Any:
    """Return the build of two open tubes, the upper one turned, gathered and meshed."""
    copy = {"verb": "copy", "item": "l2", "gives": "upper"}
    move, turned = {"verb": "move", "item": "l3", "z": up}, {"verb": "turn", "item": "l3", "angle": turn}
    together = {"verb": "gather", "surfaces": ["l2", "l3"], **gather}
    return build(ROUND, TUBE, copy, move, turned, together, {**EDGES, "surface": "l6", "edge_length": "5 mm"})


def open_heights(made: Any) -> set[float]:
    """Return the heights at which open edges lie."""
    mesh = made.named("mesh")[-1][1].item.mesh
    ends = mesh.topology.edges.ends[mesh.topology.boundary_edges]
    return set(np.round(mesh.positions[ends.ravel(), 2], 6).tolist())


@pytest.mark.parametrize("turn", ["0\u00b0", "0.5\u00b0", "37\u00b0", "180\u00b0", "-91.3\u00b0"])
def test_rings_whose_seams_lie_elsewhere_are_one_edge(turn: str) -> None:
    """The seam of one is moved to that of the other: no cut, no odd strip, open only at the two rims."""
    made = stacked(turn)
    assert {report.status for report in made.reports.values()} == {"good"}
    assert open_heights(made) == {0.0, 60.0}
    assert len(made.items["l6"].item.shape.surfaces) == 2
    item = made.items["l7"].item
    assert gauges(item)["evenness"] > 0.99
    check_result(item.mesh)


@pytest.mark.parametrize("turns", ["1.7", "2", "2.3", "2.8"])
@pytest.mark.parametrize("radius", ["16 mm", "20 mm", "24 mm"])
def test_a_ridge_between_a_neck_and_a_flange_is_one_piece(turns: str, radius: str) -> None:
    """The rim of the core is pieces at odd angles, those of the others are whole; only the free rims stay open."""
    core = {**CORE, "turns": turns, "low_radius": radius, "high_radius": radius}
    neck = {"verb": "line", "gives": "np", "right": radius, "up": "120 mm", "to_right": radius, "to_up": "150 mm"}
    flange = {"verb": "line", "gives": "fp", "right": radius, "up": "0 mm", "to_right": "40 mm", "to_up": "-10 mm"}
    made = build(
        core,
        neck,
        {"verb": "revolve", "profile": "l2", "gives": "neck"},
        flange,
        {"verb": "revolve", "profile": "l4", "gives": "flange"},
        {"verb": "gather", "surfaces": ["l1", "l3", "l5"]},
        {**EDGES, "surface": "l6", "edge_length": "5 mm"},
    )
    assert made.reports["l6"].status == "good"
    assert open_heights(made) == {-10.0, 150.0}
    figures = gauges(made.items["l7"].item)
    assert (figures["four_sided"], figures["folded"], figures["crowded_edges"]) == (1.0, 0.0, 0.0)
    parts = made.items["l6"].item.parts
    assert set(parts) == {0, 1, 2}
    assert len(parts) == len(made.items["l6"].item.shape.surfaces)


def test_a_short_edge_on_part_of_a_long_one_cuts_it_there() -> None:
    """Two boards side by side, 30 and 50 mm long: the longer one is cut, and its rest stays open."""
    made = build(
        {"verb": "line", "plane": "plan", "right": 0, "up": 0, "to_right": 30, "to_up": 0, "gives": "a"},
        {"verb": "extrude", "profile": "l1", "direction": "upright axis", "distance": "20 mm", "gives": "short"},
        {"verb": "line", "plane": "plan", "right": -20, "up": 0, "to_right": 40, "to_up": 0, "gives": "b"},
        {"verb": "extrude", "profile": "l3", "direction": "front-back axis", "distance": "25 mm", "gives": "long"},
        {"verb": "gather", "surfaces": ["l2", "l4"]},
        {**EDGES, "surface": "l5", "edge_length": "5 mm"},
    )
    assert made.reports["l5"].status == "good"
    assert len(made.items["l5"].item.shape.surfaces) == 4
    item = made.items["l6"].item
    figures = gauges(item)
    assert figures["area"] == pytest.approx(30 * 20 + 60 * 25)
    edge = item.mesh.topology.edges.ends[item.mesh.topology.boundary_edges]
    span = np.linalg.norm(np.diff(item.mesh.positions[edge], axis=1)[:, 0], axis=1).sum()
    assert span == pytest.approx(2 * (30 + 20) + 2 * (60 + 25) - 2 * 30)


@pytest.mark.parametrize("times", [0.01, 1, 100])
def test_edges_that_nearly_meet_are_told_with_the_distance_that_closes_them(times: float) -> None:
    """0.3 mm apart: said, with the place; the offered distance closes it. 6 mm apart is no miss."""
    made = build(
        {**ROUND, "radius": f"{20 * times} mm"},
        {**TUBE, "distance": f"{30 * times} mm"},
        {"verb": "copy", "item": "l2", "gives": "upper"},
        {"verb": "move", "item": "l3", "z": f"{30.3 * times} mm"},
        {"verb": "gather", "surfaces": ["l2", "l3"], "tolerance": f"{0.01 * min(times, 1)} mm"},
    )
    (finding,) = made.reports["l5"].findings
    assert f"{0.3 * times:.2g} mm apart" in finding.sentence
    if 0.3 * times > 10:
        assert finding.actions == ()
        return
    document = made.document.model_dump()
    assert finding.actions[0].field == "tolerance"
    lines = [line for line in document["lines"] if line["id"] != "l5"]
    again = build(*lines, {"verb": "gather", "surfaces": ["l2", "l3"], "tolerance": finding.actions[0].value})
    assert again.reports["l5"].status == "good"
    assert len(again.items["l5"].item.shape.lone_edges) == 2


def test_edges_far_apart_are_no_near_miss() -> None:
    """A far gap is not offered to be closed."""
    (finding,) = stacked("0\u00b0", "36 mm").reports["l6"].findings
    assert "share no whole edge" in finding.sentence


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("within", [0.0001, 0.01])
@pytest.mark.parametrize("corners", [(4, 5), (5, 4, 6), (3, 3, 5)])
def test_a_hull_of_any_sharp_lines_is_closed_by_a_patch(corners: tuple[int, ...], within: float, size: float) -> None:
    """Sections with corners at different shares give a hull of many sharp lines: its patch is cut where each of them ends.

    The one open rim runs round what is not closed; no face is folded and no vertex lies on another, at any size.
    """
    lines: list[dict] = []
    for number, count in enumerate(corners):
        turns = np.linspace(0, np.pi, count) + np.r_[0, 0.07 * np.sin(np.arange(1, count - 1) * (number + 2)), 0]
        rows = [
            {
                "x": f"{40 * size * np.cos(t)} mm",
                "y": f"{-(38 + number) * size * np.sin(t)} mm",
                "out": f"{60 * size * number} mm",
            }
            for t in turns
        ]
        lines.append({"verb": "draw", "plane": "side", "manner": "straight through", "points": rows, "gives": f"s{number}"})
    ends = [rows[0], {"x": "0 mm", "y": f"{6 * size} mm", "out": rows[0]["out"]}, rows[-1]]
    names = [f"l{k + 1}" for k in range(len(corners))]
    total = len(corners)
    made = built(
        *lines,
        {"verb": "loft", "sections": names, "gives": "hull"},
        {"verb": "draw", "plane": "side", "manner": "through", "points": ends, "gives": "rail"},
        {"verb": "patch", "curves": [names[-1], f"l{total + 2}"], "within": f"{1e-3 * size} mm", "gives": "transom"},
        {
            "verb": "gather",
            "surfaces": [f"l{total + 1}", f"l{total + 3}"],
            "tolerance": f"{within * size} mm",
            "gives": "all",
        },
        {"verb": "mesh", "surface": f"l{total + 4}", "sizing": "edge length", "edge_length": f"{6 * size} mm", "gives": "m"},
    )
    mesh, report = made.items[f"l{total + 5}"].item.mesh, made.reports[f"l{total + 5}"]
    told = " ".join(finding.sentence for finding in report.findings)
    assert (
        "open where" not in told and "lie on others" not in told and "folded" not in told and "lies on another" not in told
    )
    assert len(mesh.topology.boundary_loops) == 1 and mesh.topology.components.max() == 0
