"""Sheets of every older format open and give what they gave; operations do what they say."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.trims.shared_edges import find_edges
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.sheet.items import BodiesItem, CurveItem, CurvesItem, Item, MeshItem, SurfaceItem, SurfacesItem, TrimmedItem
from glass_spoon.sheet.lines import VERBS
from glass_spoon.sheet.upgrades import (
    UPGRADES,
    Convert,
    Remove,
    Rename,
    RenameVerb,
    Split,
    upgrade_sheet,
    version_of,
)

FORMATS = Path(__file__).parent / "formats"
SHEETS = sorted(path for path in FORMATS.glob("*/*.json") if path.name != "every-verb.json")
MENDED = {"flatten", "ridge", "join", "net"}
"""Verbs whose sample failed in the older program, by a fault, or as turns had no room; or whose line tells now what it did
(an end moved far), or follows its curves now that it did not follow."""


def extent(item: Item) -> tuple[int, np.ndarray]:
    """Return the count of an item's parts and all its points."""
    if isinstance(item, BodiesItem):
        return len(item.places), item.whole.mesh.positions
    if isinstance(item, MeshItem):
        return item.mesh.face_count, item.mesh.positions
    if isinstance(item, CurveItem):
        return len(item.curve.control_points), item.curve.control_points
    if isinstance(item, CurvesItem):
        return len(item.curves), np.concatenate([curve.control_points for curve in item.curves])
    if isinstance(item, SurfaceItem):
        return item.surface.control_points[..., 0].size, item.surface.control_points.reshape(-1, 3)
    if isinstance(item, SurfacesItem):
        nets = [surface.control_points.reshape(-1, 3) for surface in item.shape.surfaces]
        return len(nets), np.concatenate(nets)
    if isinstance(item, TrimmedItem):
        return len(item.shape.faces), find_edges(item.shape).vertices
    return len(item.mark), np.zeros((1, 3))


def assert_same(found: Item, known: dict[str, Any]) -> None:
    """The item is of the kind, the count and the extent that it had."""
    count, points = extent(found)
    points = points if len(points) else np.zeros((1, 3))
    assert (found.kind, count) == (known["kind"], known["count"])
    assert points.min(axis=0) == pytest.approx(known["low"], abs=2e-5)
    assert points.max(axis=0) == pytest.approx(known["high"], abs=2e-5)


def built(sheet: dict[str, Any]) -> Build:
    """Return the build of a sheet as it was stored."""
    return evaluate(read_document(sheet), ResultCache())


@pytest.mark.parametrize("path", SHEETS, ids=lambda path: f"{path.parent.name} {path.stem}")
def test_sheets_of_older_formats_give_what_they_gave(path: Path) -> None:
    """All demos, as they were stored: every line has the status it had, every item its kind, count and extent."""
    stored = json.loads(path.read_text())
    build = built(stored["sheet"])
    assert {line: report.status for line, report in build.reports.items()} == stored["found"]["statuses"]
    for item, known in stored["found"]["items"].items():
        assert_same(build.items[item].item, known)


@pytest.mark.parametrize("path", sorted(FORMATS.glob("*/every-verb.json")), ids=lambda path: path.parent.name)
def test_every_verb_of_an_older_format_opens(path: Path) -> None:
    """A line of each verb, over the same ground: it is read, and gives what it gave.

    What works on the mesh of the plate was written anew when its fine corners got points of their own.
    """
    stored = json.loads(path.read_text())
    for verb, known in stored["verbs"].items():
        sheet = {**stored["sheet"], "lines": [*stored["sheet"]["lines"], known["line"]]}
        build = built(sheet)
        line = build.document.lines[-1]
        if verb not in MENDED:
            assert build.reports[line.id].status == known["status"], verb
            if known["item"] is not None and known["status"] != "failed":
                assert_same(build.items[str(line.item_id)].item, known["item"])


def test_every_verb_of_today_was_kept_in_some_format() -> None:
    """A verb that is new must be frozen with the next format; until then it is listed here."""
    kept = {verb for path in FORMATS.glob("*/every-verb.json") for verb in json.loads(path.read_text())["verbs"]}
    assert set(VERBS) - kept == set()


def test_a_sheet_written_today_names_versions_and_reads_back_the_same() -> None:
    """What is written is not upgraded once more."""
    document = read_document(
        {
            "format": "glass-spoon/sheet",
            "version": 1,
            "lines": [{"id": "a", "verb": "circle"}, {"id": "b", "verb": "move", "curve": "a", "x": 5}],
        }
    )
    data = document.model_dump(mode="json")
    assert data["verb_versions"] == {"move": 2}
    assert data["lines"][1]["item"] == "a"
    assert read_document(data).model_dump(mode="json") == data
    assert read_document(document.to_json()) == read_document(data)


def line(**values: Any) -> dict[str, Any]:
    return {"id": "a", "verb": "old", **values}


def upgraded(steps: tuple[Any, ...], *lines: dict[str, Any], **versions: int) -> list[dict[str, Any]]:
    """Return lines upgraded by the steps of the verb `old`."""
    found: list[dict[str, Any]] = upgrade_sheet({"lines": list(lines), "verb_versions": versions}, {"old": steps})["lines"]
    return found


def test_operations_do_what_they_say_and_leave_the_rest() -> None:
    """Renamed in place, left out, converted, given another verb, split; the line given stays as it was."""
    given = line(size=3, other=1)
    assert upgraded(((Rename("size", "width"),),), given) == [line(width=3, other=1)]
    assert upgraded(((Remove("size"),),), given) == [line(other=1)]
    assert upgraded(((Convert("size", lambda value: value * 2),),), given) == [line(size=6, other=1)]
    assert upgraded(((RenameVerb("fresh", 1),),), given) == [{**given, "verb": "fresh"}]
    parts = ((Split(lambda one: [{**one, "id": one["id"] + "0"}, one]),),)
    assert [one["id"] for one in upgraded(parts, given)] == ["a0", "a"]
    assert given == line(size=3, other=1)
    assert upgraded(((Rename("gone", "width"),),), given) == [given]


def test_steps_run_from_the_version_of_the_sheet() -> None:
    """From version 1 all of them, from 2 those after, from today's or a later none."""
    steps = ((Rename("a1", "a2"),), (Convert("a2", lambda value: value + 1),))
    assert upgraded(steps, line(a1=1)) == [line(a2=2)]
    assert upgraded(steps, line(a2=1), old=2) == [line(a2=2)]
    assert upgraded(steps, line(a2=2), old=3) == [line(a2=2)]
    assert upgraded(steps, line(a9=2), old=9) == [line(a9=2)]


@pytest.mark.parametrize(
    "odd",
    [
        {},
        {"lines": None},
        {"lines": [1, None, "x", {}, {"verb": 3}, {"verb": ["copy"]}]},
        {"lines": [{"verb": "copy"}], "verb_versions": {"copy": "two"}},
        {"lines": [{"verb": "copy", "curve": {}}], "verb_versions": [1]},
        {"lines": [{"verb": "copy_surface", "surface": None}]},
        {"lines": [{"verb": "copy", "id": "a"}], "verb_versions": {"copy": -1}},
    ],
)
def test_what_is_no_sheet_is_left_to_the_check(odd: dict[str, Any]) -> None:
    """Nothing raises but the check, with sentences."""
    from glass_spoon.sheet.errors import BadDocument

    try:
        read_document({"format": "glass-spoon/sheet", "version": 1, **odd})
    except BadDocument as error:
        assert error.problems


def test_upgrades_belong_to_verbs_that_are_or_lead_to_such() -> None:
    """Every list ends at a verb of today, with its version."""
    for verb, steps in UPGRADES.items():
        last = [operation for operation in steps[-1] if isinstance(operation, RenameVerb)]
        if verb in VERBS:
            assert version_of(verb) == 1 + len(steps)
        else:
            assert last[0].to in VERBS
            assert last[0].version == version_of(last[0].to)
