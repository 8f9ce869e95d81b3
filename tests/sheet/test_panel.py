"""Panel in a sheet: over marks and inside curves, at every size and ±20 %, and in plain words."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.edit_many import add_proposal
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.propose import propose
from glass_spoon.sheet.text_form.write_text import said
from tests.mesh_checker import check_result
from tests.sheet.test_solids import run


def over_a_buoy(scale: float = 1.0, radius: float = 30, **choices: Any) -> Build:
    """A ball with its crown marked, a ring laid over it, and a panel."""
    far = f"{500 * scale} mm"
    return run(
        {"id": "buoy", "verb": "block", "form": "ball", "radius": f"{radius * scale} mm", "edge": f"{3 * scale} mm"},
        {"id": "crown", "verb": "mark", "mesh": "buoy", "what": "faces in a box", "x": f"-{far}", "y": f"-{far}",
         "z": f"{0.4 * radius * scale} mm", "x_to": far, "y_to": far, "z_to": far},
        {"id": "ring", "verb": "circle", "radius": f"{0.5 * radius * scale} mm", "plane": "plan"},
        {"id": "panel", "verb": "panel", "mesh": "buoy", "wall": f"{3 * scale} mm", "gap": f"{scale} mm",
         "lift": f"{2 * scale} mm", **choices},
    )  # fmt: skip


@pytest.mark.parametrize("scale", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("radius", [24, 30, 36])
@pytest.mark.parametrize("over", [{"marks": ["crown"]}, {"curves": ["ring"], "laid": "from above"}])
def test_a_panel_follows_its_body_at_every_size(scale: float, radius: float, over: dict[str, Any]) -> None:
    """From 2 to 5 mm off the ball in its middle, closed, good; the ball itself stays."""
    build = over_a_buoy(scale, radius, **over)
    assert build.reports["panel"].status == "good"
    mesh = build.items["panel"].item.mesh
    check_result(mesh, closed=True)
    places = mesh.positions / scale
    middle = np.hypot(places[:, 0], places[:, 1]) < 0.2 * radius
    off = np.linalg.norm(places[middle], axis=1) - radius
    assert off.min() == pytest.approx(2, abs=0.06)
    assert off.max() == pytest.approx(5, abs=0.06)
    assert np.linalg.norm(build.items["buoy"].item.mesh.positions, axis=1).max() == pytest.approx(radius * scale)


def test_its_joint_is_told_and_its_rim_is_rounded() -> None:
    """The joint is measured; a rounded rim has more faces."""
    plain, rounded = over_a_buoy(marks=["crown"]), over_a_buoy(marks=["crown"], rim="rounded", steps=3)
    assert "its joint is" in plain.reports["panel"].told
    assert rounded.items["panel"].item.mesh.face_count > plain.items["panel"].item.mesh.face_count
    check_result(rounded.items["panel"].item.mesh, closed=True)


@pytest.mark.parametrize(
    ("choices", "status", "words"),
    [
        ({"marks": ["crown"], "curves": ["ring"], "laid": "from above"}, "failed", "not by both"),
        ({}, "failed", "closes on itself"),
        ({"marks": ["crown"], "gap": "40 mm"}, "look", "Make it narrower"),
        ({"curves": ["ring"]}, "failed", "off the mesh"),
    ],
)
def test_what_does_not_fit_has_a_way_out(choices: dict[str, Any], status: str, words: str) -> None:
    """Marks and curves at once, no edge, too wide a joint, a curve that lies elsewhere."""
    report = over_a_buoy(**choices).reports["panel"]
    assert report.status == status
    assert words in " ".join(finding.sentence for finding in report.findings)


@pytest.mark.parametrize(
    ("sentence", "line"),
    [
        (
            "panel over knob where cap holds, 2 mm thick, 1 mm joint, 0.5 mm off",
            "Panel over knob, only what cap hold, 2 mm thick, 1 mm in from its edge, 0.5 mm off it",
        ),
        ("panel on knob inside ring from above, 3 mm thick", "Panel over knob, inside ring, from above, 3 mm thick"),
        ("panel over cap of knob 2 mm thick with a gap of 1 mm", "Panel over knob, only what cap hold, 2 mm thick, 1 mm in"),
        ("panel over knob 2 thick, rim rounded", "Panel over knob, 2 thick, its rim rounded"),
        ("panel over knob 1/8 inch thick", "Panel over knob, 1/8 inch thick"),
        (
            "panel over cap of knob 2 thick, a lip of 4 by 2",
            "Panel over knob, only what cap hold, 2 thick, a lip 4 high and 2 wide",
        ),
        ("panel over cap of knob, lip 4 high", "Panel over knob, only what cap hold, 3 mm thick, a lip 4 high"),
    ],
)
def test_plain_words_say_what_is_covered_and_how(sentence: str, line: str) -> None:
    """Numbers go where their words say."""
    document = SheetDocument(name="typed")
    for text in (
        "ball of six sides radius 30 mm, called knob",
        "mark rim of knob called cap",
        "circle radius 12 called ring",
    ):
        document, _ = add_proposal(document, propose(text, document)[0], None)
    made, added = add_proposal(document, propose(sentence, document)[0], None)
    assert said(made, added.id).startswith(line)


@pytest.mark.parametrize("scale", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("verb", ["panel", "open"])
def test_a_curve_seen_edge_on_is_told_with_the_side_to_look_from(verb: str, scale: float) -> None:
    """A circle that stands, laid from above: a line; from the front it is whole."""
    lines = [
        {"id": "buoy", "verb": "block", "form": "ball", "radius": f"{30 * scale} mm", "edge": f"{3 * scale} mm"},
        {"id": "ring", "verb": "circle", "radius": f"{12 * scale} mm", "plane": "front"},
    ]
    work = {"id": "w", "verb": verb, "mesh": "buoy", "curves": ["ring"]}
    work |= {"wall": f"{scale} mm"} if verb == "panel" else {}
    report = run(*lines, {**work, "laid": "from above"}).reports["w"]
    assert report.status == "failed"
    assert "only a line. Lay it from the front" in report.findings[0].sentence
    assert run(*lines, {**work, "laid": "from the front"}).reports["w"].status == "good"
