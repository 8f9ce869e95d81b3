"""Patches and nets as lines: what they go on from and say, sharp curves, regions left out, sizes that change."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.sheet.propose import propose
from tests.conftest import DEMO

CIRCLES = [{"verb": "circle", "gives": plane, "plane": plane, "radius": "50 mm"} for plane in ("front", "side", "plan")]


def built(*lines: dict[str, Any]) -> Build:
    """Return the build of lines, numbered l1, l2, …"""
    numbered = [{"id": f"l{k}", **line} for k, line in enumerate(lines, 1)]
    return evaluate(read_document({"format": "glass-spoon/sheet", "version": 1, "lines": numbered}), ResultCache())


def points_of(build: Build, item: str) -> np.ndarray:
    """Return points of all surfaces of a set."""
    shape = build.items[item].item.shape
    grids = [(one, *(np.linspace(*one.domain(axis), 9) for axis in (0, 1))) for one in shape.surfaces]
    return np.concatenate([evaluate_grid(*grid).points.reshape(-1, 3) for grid in grids])


def test_a_net_says_what_it_found_and_is_meshed_as_one_piece():
    """Three circles: eight regions, no crease, a closed mesh of quads alone."""
    build = built(*CIRCLES, {"verb": "net", "curves": ["l1", "l2", "l3"]}, {"verb": "mesh", "surface": "l4", "round": 16})
    assert build.reports["l4"].told.startswith("8 regions (8 of 3 sides); 24 patches")
    assert build.reports["l4"].status == "good"
    mesh = build.items["l5"].item.mesh
    assert set(np.diff(mesh.topology.face_offsets)) == {4}
    assert len(mesh.topology.boundary_edges) == 0


@pytest.mark.parametrize(
    ("left", "regions"), [("none", 8), ("1", 7), ("1, 2 and 5", 5), ("one", None), ("0", None), ("9", None)]
)
def test_regions_are_left_out_by_their_numbers(left, regions):
    """What is no list of numbers, or none of the regions, is refused with what may be said."""
    build = built(*CIRCLES, {"verb": "net", "curves": ["l1", "l2", "l3"], "left": left})
    report = build.reports["l4"]
    if regions is None:
        assert report.status == "failed"
        assert any(words in report.findings[0].sentence for words in ("numbers such as 2, 5", "There is no region 9"))
    else:
        assert report.told.startswith(f"{regions} regions")


def test_a_sharp_curve_keeps_its_crease_and_the_others_stay_smooth():
    """A roof over three frames: without the ridge named sharp the crease is told as a fault, with it the roof is flat."""
    frame = [{"x": -40, "y": 0}, {"x": 0, "y": 30, "sharp": True}, {"x": 40, "y": 0}]
    gable = {"verb": "draw", "plane": "front", "manner": "straight through", "points": frame}
    lines = [
        {**gable, "gives": "front gable"},
        {**gable, "gives": "back gable"},
        {"verb": "move", "item": "l2", "y": "100 mm"},
        *(
            {"verb": "line", "plane": "side", "right": 0, "up": up, "to_right": 100, "to_up": up, "gives": name}
            for up, name in ((30, "ridge"), (0, "eave"))
        ),
        {"verb": "copy", "item": "l5", "gives": "other eave"},
        {"verb": "move", "item": "l5", "x": "-40 mm"},
        {"verb": "move", "item": "l6", "x": "40 mm"},
    ]
    curves = ["l1", "l2", "l5", "l6"]
    roof = built(*lines, {"verb": "net", "curves": curves, "sharp": ["l4"]})
    assert roof.reports["l9"].told.startswith("2 regions (2 of 4 sides); 2 patches"), roof.reports["l9"]
    places = points_of(roof, "l9")
    assert places[:, 2] == pytest.approx(30 - 0.75 * np.abs(places[:, 0]), abs=0.05)
    round_ridge = built(*lines, {"verb": "net", "curves": [*curves, "l4"]})
    assert round_ridge.reports["l9"].told != roof.reports["l9"].told


def test_a_patch_goes_on_from_the_surface_beside_it():
    """The open top of a bowl of a ball is closed by the ball, within half a percent, and the sheet says how it meets."""
    bowl = (
        {
            "verb": "arc",
            "gives": "profile",
            "given_by": "its centre",
            "radius": "50 mm",
            "start_angle": "-90°",
            "end_angle": "36.87°",
        },
        {"verb": "revolve", "profile": "l1", "gives": "bowl"},
        {"verb": "isocurve", "surface": "l2", "way": "round", "share": 1, "gives": "rim"},
    )
    smooth = built(*bowl, {"verb": "patch", "curves": ["l3"], "onto": ["l2"], "gives": "cap"})
    assert "meets what is beside it within 0.005°" in smooth.reports["l4"].told
    assert np.linalg.norm(points_of(smooth, "l4"), axis=1) == pytest.approx(50, rel=5e-3)
    plain = built(*bowl, {"verb": "patch", "curves": ["l3"], "meeting": "in place", "onto": ["l2"]})
    assert points_of(plain, "l4")[:, 2] == pytest.approx(30, abs=0.01)
    astray = built(
        *bowl, {"verb": "circle", "radius": 5, "plane": "plan"}, {"verb": "patch", "curves": ["l4"], "onto": ["l2"]}
    )
    assert "None of its curves lies on the surfaces beside it" in astray.reports["l5"].findings[0].sentence


@pytest.mark.parametrize("factor", [0.8, 1.0, 1.2])
@pytest.mark.parametrize("name", ["length", "width", "depth"])
def test_the_scoop_stands_when_its_sizes_change(name, factor):
    """By a fifth either way: four regions, smooth, a closed wall without a fold."""
    data = read_document((DEMO / "bailing-scoop.json").read_bytes()).model_dump(mode="json")
    for line in data["lines"]:
        if line.get("name") == name:
            line["value"] = f"{float(line['value'].split()[0]) * factor} mm"
    build = evaluate(read_document(data), ResultCache())
    assert {report.status for report in build.reports.values()} == {"good"}


@pytest.mark.parametrize(
    ("text", "verb", "values"),
    [
        ("net over rim, keel and rib giving bowl", "net", {"gives": "bowl"}),
        ("patch within rim drawn taut by 2", "patch", {"tension": 2}),
        ("patch within rim going on with its curvature", "patch", {"meeting": "with its curvature"}),
    ],
)
def test_plain_words_give_the_line(text, verb, values):
    """Curves are found by their names; nothing is left over."""
    sheet = read_document((DEMO / "bailing-scoop.json").read_bytes())
    found = propose(text, sheet)[0]
    assert (found.verb, found.missed) == (verb, ())
    assert found.line.curves
    for field, value in values.items():
        assert str(getattr(found.line, field)) == str(value)
