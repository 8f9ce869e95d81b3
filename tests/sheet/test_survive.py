"""How well sheets survive change: what is varied, how it is judged, and that the demo parts do."""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path
from typing import Any

import pytest

from glass_spoon.command import main
from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.survive import Survival, joint_changes, single_changes, survive
from tests.conftest import DEMO

PARTS = sorted(DEMO.glob("*.json"), key=lambda path: path.stem)
LEAST = 0.9
"""Least share of a part's own changes; of all parts together it is LEAST_TOGETHER."""

LEAST_TOGETHER = 0.99


def sheet(*lines: dict[str, Any]) -> SheetDocument:
    """Return a sheet of lines."""
    return read_document({"format": "glass-spoon/sheet", "version": 1, "lines": list(lines)})


BALL = [
    {"id": "s1", "verb": "size", "name": "r", "value": "20 mm"},
    {"id": "s2", "verb": "size", "name": "up", "value": "5 mm"},
    {"id": "l1", "verb": "simple", "form": "sphere", "radius": "r", "z": "up"},
    {"id": "l2", "verb": "mesh", "surface": "l1"},
]


def test_every_number_is_varied_both_ways_and_within_its_range() -> None:
    """Both sizes; radius, place, latitudes and the sweep that stay within their ranges; counts stay whole."""
    labels = [trial.label for trial in single_changes(sheet(*BALL), 0.2)]
    assert "r by +20 %" in labels
    assert "r by -20 %" in labels
    assert "radius by -20 %" in labels
    assert "count round by +20 %" in labels
    assert not any("sweep by +" in label for label in labels)  # a whole turn is the most
    for trial in single_changes(sheet(*BALL), 0.2):
        mesh = trial.document.line("l2")
        assert float(getattr(mesh, "round")) % 1 == 0  # noqa: B009


def test_changes_of_all_sizes_together_are_the_same_each_time() -> None:
    """By a random part of the share, from one seed; none where there is but one size."""
    first, second = ([trial.document.to_json() for trial in joint_changes(sheet(*BALL), 0.2, 5)] for _ in range(2))
    assert first == second
    assert len(set(first)) == 5
    assert not list(joint_changes(sheet(*BALL[:1]), 0.2, 5))


def test_a_radius_that_does_not_fit_is_told_as_failed_and_at_most_is_sane() -> None:
    """A square with corners that nearly fill it, rounded exactly, and at most so."""
    corners = [{"x": x, "y": y, "sharp": True} for x, y in ((0, 0), (10, 0), (10, 10), (0, 10))]
    lines = [{"id": "l1", "verb": "draw", "points": corners, "shape": "closed", "gives": "square"}]
    for fit, outcome in (("exactly", "failed"), ("at most", "sane")):
        found = survive(sheet(*lines, {"id": "l2", "verb": "round", "curve": "l1", "radius": "4.9 mm", "fit": fit}))
        larger = next(result for result in found.results if result.label == "radius by +20 %")
        assert larger.outcome == outcome
        assert ("largest that fits" in larger.sentence) == (fit == "exactly")


def test_a_body_that_is_opened_by_a_smaller_turn_is_no_fault() -> None:
    """A ball turned by four fifths of a turn has open edges, as it is asked to; none is told as a fault."""
    found = survive(sheet(*BALL))
    assert {result.outcome for result in found.results} == {"sane"}
    assert found.share == 1.0


def test_a_number_that_is_nothing_has_no_fifth_more() -> None:
    """Neither a length of 0 nor a count of 0 is changed; a count of 3 is, by one."""
    lines = [
        {"id": "l1", "verb": "simple", "form": "sheet", "radius": 30, "second": 40, "x": 0, "gives": "plate"},
        {"id": "l2", "verb": "mesh", "surface": "l1", "gives": "mesh"},
        {"id": "l3", "verb": "mark", "mesh": "l2", "what": "rim", "grown": 0, "gives": "edge"},
        {"id": "l4", "verb": "skirt", "mesh": "l2", "marks": ["l3"], "rows": 3},
    ]
    labels = [trial.label for trial in single_changes(sheet(*lines), 0.2)]
    assert not [label for label in labels if "grow" in label or label.startswith("x ")]
    assert [label for label in labels if label.startswith("rows")] == ["rows by +20 %", "rows by -20 %"]


@cache
def survival(path: Path) -> Survival:
    """Return what became of the changes of a demo part; the tests below ask once for each."""
    return survive(read_document(json.loads(path.read_text())), together=8)


@pytest.mark.timeout(900)  # hundreds of builds, on a busy machine too
@pytest.mark.parametrize("path", PARTS, ids=lambda path: path.stem)
def test_a_demo_part_survives_a_fifth_more_and_less(path: Path) -> None:
    """Nothing is wrong without a word, and nine of ten changes rebuild it."""
    found = survival(path)
    assert not [result for result in found.results if result.outcome == "silent"]
    assert found.share >= LEAST


@pytest.mark.timeout(1500)
def test_all_demo_parts_together_survive() -> None:
    """At least 99 % of all changes of the demo rebuild it."""
    results = [result for path in PARTS for result in survival(path).results]
    assert sum(result.outcome == "sane" for result in results) / len(results) >= LEAST_TOGETHER


def test_the_command_line_tells_the_share(tmp_path, capsys: pytest.CaptureFixture[str]) -> None:
    """In words, and as JSON; a share that is none is refused."""
    path = tmp_path / "ball.json"
    path.write_text(sheet(*BALL).to_json())
    assert main(["survive", str(path)]) == 0
    assert capsys.readouterr().out.startswith("100.0% of ")
    assert main(["survive", str(path), "--json", "--share", "10"]) == 0
    assert json.loads(capsys.readouterr().out)["share"] == 1.0
    assert main(["survive", str(path), "--share", "100"]) == 2
