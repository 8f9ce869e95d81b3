"""Gauges over their limits are told at the line that caused it, and one press of what is offered mends them."""

from __future__ import annotations

import json
from typing import Any

import pytest

from glass_spoon.kernel.gauges.reading import Reading
from glass_spoon.sheet import edit
from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.line import Finding
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.flows.watched_work import Working
from glass_spoon.studio.see.gauge_causes import gauge_causes
from glass_spoon.studio.see.gauge_findings import gauge_findings
from glass_spoon.studio.see.scene import Shown, gauged, readings_of, shown_items
from tests.conftest import DEMO


def sheet(*more: dict[str, Any], **meshed: Any) -> SheetDocument:
    """Return the kettle's sheet with fields of its mesh line set, and more lines after it."""
    data = json.loads((DEMO / "camp-kettle.json").read_text())
    lines = [line for line in data["lines"] if line["verb"] not in ("remark", "mark", "crease")]
    next(line for line in lines if line["id"] == "l4").update(meshed)
    data["lines"] = [*lines, *more]
    return read_document(data)


def read(document: SheetDocument) -> tuple[dict[str, str], dict[str, Finding], dict[str, Reading]]:
    """Return the causes, the findings and the readings of a sheet's last mesh, by code."""
    build = finished_build(document)
    item = gauged(shown_items(build, 0))
    assert isinstance(item, Shown)
    readings = readings_of(item, document.limits.for_gauges())
    causes = gauge_causes(build, item, readings)
    while isinstance(causes, Working):
        causes = gauge_causes(build, item, readings)
    findings = gauge_findings(document, item, causes, readings)
    return causes, {finding.code: finding for finding in findings}, {reading.code: reading for reading in readings}


def pressed(document: SheetDocument, at: str, finding: Finding) -> SheetDocument:
    """Return the sheet after the first change that a finding of the line `at` offers."""
    action = finding.actions[0]
    assert not action.adds
    for field, value in action.values or ((action.field, action.value),):
        document = edit.set_field(document, action.line or at, field, value)
    return document


SMOOTH = {"id": "l9", "verb": "smooth", "mesh": "l4", "times": 2}


def test_the_line_that_meshed_is_named_though_others_worked_on_the_mesh() -> None:
    """Weld and Clean are not blamed, and the offer goes to the mesh line."""
    weld = {"id": "l8", "verb": "weld", "mesh": "l4"}
    clean = {"id": "l9", "verb": "clean", "mesh": "l4"}
    causes, findings, _ = read(sheet(weld, clean, sizing="edge length", edge_length="30 mm"))
    assert causes["off_surface"] == "l4"
    assert findings["off_surface"].actions[0].field == "edge_length"


def test_the_line_that_made_it_worse_is_named() -> None:
    """The budget is charged to the Smooth line."""
    causes, _, _ = read(sheet(SMOOTH))
    assert causes["face_budget"] == "l9"


@pytest.mark.parametrize(
    "meshed",
    [
        {"sizing": "counts", "round": 16, "along": 8},
        {"sizing": "edge length", "edge_length": "30 mm"},
        {"sizing": "chord", "chord": "6 mm"},
        {"sizing": "edge length", "edge_length": "900 mm"},
        {"sizing": "counts", "round": 4, "along": 7},
        {"sizing": "faces", "faces": 120},
    ],
    ids=lambda meshed: " ".join(map(str, meshed.values())),
)
def test_one_press_brings_the_mesh_to_the_surface(meshed: dict[str, Any]) -> None:
    """Whatever the sizing, the offer ends the finding."""
    document = sheet(**meshed)
    _, findings, _ = read(document)
    mended = pressed(document, "l4", findings["off_surface"])
    assert "off_surface" not in read(mended)[1]


def test_one_press_smooths_less_often() -> None:
    """The offer to smooth less ends the finding."""
    document = sheet(SMOOTH | {"times": 3})
    causes, findings, _ = read(document)
    assert findings["face_budget"].actions[0].label == "Smooth 1 time"
    assert "face_budget" not in read(pressed(document, causes["face_budget"], findings["face_budget"]))[1]


def test_one_press_lays_the_smoothed_shape_on_the_surface() -> None:
    """Smoothing draws a coarse mesh in; the line that meshed may lay the smoothed shape on the surface instead."""
    document = edit.set_limit(sheet(SMOOTH | {"times": 1}, sizing="counts", round=48, along=30), "off_surface", "0.85 mm")
    causes, findings, readings = read(document)
    assert causes["off_surface"] == "l9"
    action = findings["off_surface"].actions[0]
    assert (action.line, action.field, action.value) == ("l4", "lying", "smoothed")
    after = read(pressed(document, "l9", findings["off_surface"]))[2]
    assert after["off_surface"].value < readings["off_surface"].value / 2


def test_one_press_widens_loops_that_smoothing_cannot_use() -> None:
    """The offered distance ends the finding."""
    rim = {"id": "l7", "verb": "mark", "mesh": "l4", "what": "edges at a height", "low": "60 mm", "reach": "4 mm"}
    crease = {"id": "l8", "verb": "crease", "mesh": "l4", "marks": ["l7"], "how": "for ever"}
    support = {"id": "l9", "verb": "support", "mesh": "l4", "distance": "0.01 mm"}
    document = sheet(rim, crease, support)
    causes, findings, _ = read(document)
    assert causes["close_loops"] == "l9"
    assert "close_loops" not in read(pressed(document, "l9", findings["close_loops"]))[1]


def test_what_is_there_already_is_not_offered_again() -> None:
    """Relax is not offered where a Relax stands."""
    relax = {"id": "l8", "verb": "relax", "mesh": "l4"}
    for lines, offered in (((), ["relax"]), ((relax,), [])):
        document = edit.set_limit(sheet(*lines), "evenness", "0.999")
        _, findings, _ = read(document)
        assert [action.adds for action in findings["evenness"].actions if action.adds] == offered


def test_bodies_that_run_through_each_other_are_told_where_they_were_gathered() -> None:
    """Two kettles in a row, 20 mm apart, are one mesh whose faces cross; 400 mm apart they are not."""
    row = {"id": "l8", "verb": "row", "item": "l4", "count": 2, "x": "20 mm", "gives": "kettles"}
    causes, findings, readings = read(sheet(row))
    assert causes["crossings"] == "l8"
    assert "run through others of this mesh" in findings["crossings"].sentence
    assert len(readings["crossings"].offenders) == readings["crossings"].value > 100
    assert read(sheet({**row, "x": "400 mm"}))[2]["crossings"].value == 0


def test_a_mesh_that_runs_through_another_is_told_beside_it() -> None:
    """Told of both, each by its own faces; what stands by itself is told nothing."""
    ball = [
        {"id": "l8", "verb": "simple", "form": "sphere", "radius": "30 mm", "z": "60 mm", "x": "70 mm", "gives": "ball"},
        {"id": "l9", "verb": "mesh", "surface": "l8", "gives": "ball mesh"},
    ]
    document = sheet(*ball)
    shown = shown_items(finished_build(document), 0)
    for item_id in ("l4", "l9"):
        item = gauged(shown, item_id)
        assert item is not None
        found = next(r for r in readings_of(item, document.limits.for_gauges()) if r.code == "crossing_others")
        assert 0 < found.value == len(found.offenders) < item.mesh.face_count
    assert "crossing_others" not in read(sheet())[2]
