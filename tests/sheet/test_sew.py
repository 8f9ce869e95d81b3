"""Trimmed surfaces and whole ones sewn to one: closed, facing out, meshed as one piece; what stays open is told."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from OCP.BRepCheck import BRepCheck_Analyzer

from glass_spoon.formats.step import NamedSurfaces, write_step
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.trims.shared_edges import find_edges
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.edit_many import add_proposal
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.propose import propose
from tests.formats.test_step_faces import read_back
from tests.sheet.test_patches import built


def pot(size: float = 1.0, *more: dict[str, Any], slope: float = 0.25) -> list[dict[str, Any]]:
    """Return the lines of a pot cut by a slanting sheet, l5, and of what is left of the sheet within it, l6."""
    rise = 60 * slope
    ends = [{"x": -60 * size, "y": (25 - rise) * size}, {"x": 60 * size, "y": (25 + rise) * size}]
    return [
        {"verb": "circle", "plane": "plan", "radius": f"{30 * size} mm"},
        {"verb": "extrude", "profile": "l1", "distance": f"{40 * size} mm", "start": "flat", "end": "open"},
        {"verb": "draw", "plane": "front", "manner": "straight through", "points": ends},
        {"verb": "extrude", "profile": "l3", "distance": f"{120 * size} mm", "sides": "to both sides"},
        {"verb": "trim_surface", "surface": "l2", "by": ["l4"], "keep": "nearest"},
        {"verb": "trim_surface", "surface": "l4", "by": ["l2"], "keep": "smallest"},
        *more,
    ]


def volume(build: Build, item: str) -> float:
    """Return the volume in mm³ within a mesh."""
    return float(enclosed_volume(build.items[item].item.mesh))


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_a_cut_pot_and_its_lid_are_one_closed_body(size: float, tmp_path: Path) -> None:
    """A cylinder cut slantwise has the volume of its mean height: πr²h, and its file is a valid body."""
    sewn = {"verb": "sew", "items": ["l5", "l6"], "tolerance": f"{0.01 * size} mm"}
    build = built(*pot(size, sewn, {"verb": "mesh", "surface": "l7"}))
    assert build.reports["l7"].status == "good", build.reports["l7"].findings
    assert build.reports["l7"].told.startswith("3 faces, closed")
    shape = build.items["l7"].item.shape
    assert not len(find_edges(shape).open_uses)
    assert volume(build, "l8") == pytest.approx(np.pi * 30**2 * 25 * size**3, rel=2e-2)
    assert BRepCheck_Analyzer(read_back(write_step([NamedSurfaces("body", shape)]), tmp_path)).IsValid()


def test_faces_are_turned_alike_and_outwards_whatever_they_face() -> None:
    """Turned over one by one, the volume stays above zero."""
    for turned in ("l5", "l6"):
        flip = {"verb": "flip", "surface": turned}
        build = built(*pot(1.0, flip, {"verb": "sew", "items": ["l5", "l6"]}, {"verb": "mesh", "surface": "l8"}))
        assert volume(build, "l9") > 6e4


def test_a_gap_is_told_with_a_distance_that_closes_it() -> None:
    """A lid 0.2 mm over the cut stays open, says by how much, and the distance that it offers closes it."""
    lines = pot()
    lines[3] = {**lines[3], "distance": "120 mm"}
    moved = {"verb": "move", "item": "l6", "z": "0.2 mm"}
    build = built(*lines, moved, {"verb": "sew", "items": ["l5", "l6"]})
    report = build.reports["l8"]
    assert report.status == "look"
    (action,) = [action for finding in report.findings for action in finding.actions]
    closed = built(*lines, moved, {"verb": "sew", "items": ["l5", "l6"], "tolerance": action.value})
    assert closed.reports["l8"].told.startswith("3 faces, closed"), closed.reports["l8"]


def test_whole_surfaces_and_sets_are_sewn_too() -> None:
    """A patch within a rim and the wall under it share the rim; parts that share nothing are told."""
    rim = {"verb": "circle", "plane": "plan", "radius": "30 mm", "out": "40 mm"}
    lines = [pot()[0], pot()[1], rim, {"verb": "patch", "curves": ["l3"]}]
    build = built(*lines, {"verb": "sew", "items": ["l2", "l4"]})
    assert ", closed" in build.reports["l5"].told, build.reports["l5"]
    apart = built(*lines, {"verb": "move", "item": "l4", "z": "30 mm"}, {"verb": "sew", "items": ["l2", "l4"]})
    assert "2 parts that share no edge" in apart.reports["l6"].findings[0].sentence


def test_what_is_taken_twice_is_told() -> None:
    """A lid sewn on twice, and a sheet through a pot, leave edges of three faces or more."""
    build = built(*pot(), {"verb": "copy", "item": "l6"}, {"verb": "sew", "items": ["l5", "l6", "l7"]})
    assert "of more than two faces" in build.reports["l8"].findings[0].sentence


@pytest.mark.parametrize(
    "text",
    [
        "sew cup and lid",
        "sew cup and lid together",
        "stitch cup and lid within 0.02 mm giving pot",
        "Sew cup, lid where edges lie within 0.01 mm, giving pot.",
    ],
)
def test_typed(text: str) -> None:
    """Both are taken, in their order."""
    document = SheetDocument(name="x")
    for line in (
        "circle foot of radius 30 on the plan plane",
        "extrude foot by 40 with an open end giving cup",
        "circle brim of radius 30 on the plan plane 40 out of it",
        "patch brim giving lid",
    ):
        document, _ = add_proposal(document, propose(line, document, "mm")[0], None)
    proposal = propose(text, document, "mm")[0]
    document, line = add_proposal(document, proposal, None)
    assert (line.verb_name, len(line.items)) == ("sew", 2)
    assert not proposal.missed
