"""Patches of sheets, and two changes put together."""

from __future__ import annotations

import copy
import json
import random
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from glass_spoon.sheet import edit
from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.merge_sheets import ChangesMeet, changed_places, first_meeting, merge_sheets
from glass_spoon.sheet.sheet_patch import PatchDoesNotFit, apply_patch, make_patch
from tests.conftest import DEMO

SHEETS = {path.stem: json.loads(path.read_text()) for path in sorted(DEMO.glob("*.json"))}


def changed_at_random(sheet: dict[str, Any], rng: random.Random) -> dict[str, Any]:
    """Return a sheet with lines moved, taken out, copied in, and fields changed."""
    new = copy.deepcopy(sheet)
    for _ in range(rng.randrange(1, 6)):
        lines = new["lines"]
        what = rng.randrange(5)
        if what == 0 and len(lines) > 1:
            lines.insert(rng.randrange(len(lines)), lines.pop(rng.randrange(len(lines))))
        elif what == 1 and lines:
            lines.pop(rng.randrange(len(lines)))
        elif what == 2:
            fresh = copy.deepcopy(rng.choice(sheet["lines"]))
            fresh["id"] = f"x{rng.randrange(10**6)}"
            lines.insert(rng.randrange(len(lines) + 1), fresh)
        elif what == 3 and lines:
            line = rng.choice(lines)
            key = rng.choice([key for key in line if key not in ("id", "verb")] or ["paused"])
            line[key] = rng.choice([1, "2 mm", None, [1, 2], {"a/b~c": 1}, True])
        else:
            new["name"] = f"name {rng.random()}"
            new.setdefault("limits", {})["kink"] = rng.random()
    return new


@given(st.sampled_from(sorted(SHEETS)), st.integers(0, 10**9))
def test_a_patch_makes_the_new_sheet_of_the_old_one(name: str, seed: int) -> None:
    """Whatever changed, and the old one stays as it was."""
    old = SHEETS[name]
    kept = copy.deepcopy(old)
    new = changed_at_random(old, random.Random(seed))
    patch = json.loads(json.dumps(make_patch(old, new)))
    assert apply_patch(old, patch) == new
    assert old == kept


def test_a_line_added_at_the_head_is_one_operation() -> None:
    """The other lines are not written again."""
    old = SHEETS["camp-kettle"]
    line = {"id": "new", "verb": "remark", "text": "first"}
    patch = make_patch(old, {**old, "lines": [line, *old["lines"]]})
    assert patch == [{"op": "add", "path": "/lines/0", "value": line}]


def test_a_field_that_changed_is_one_operation() -> None:
    """By its pointer (RFC 6901)."""
    old = SHEETS["camp-kettle"]
    new = copy.deepcopy(old)
    new["lines"][1]["paused"] = True
    assert make_patch(old, new) == [{"op": "replace", "path": "/lines/1/paused", "value": True}]


def test_a_patch_that_does_not_fit_is_refused() -> None:
    """Places that the sheet does not have are told."""
    with pytest.raises(PatchDoesNotFit):
        apply_patch({"lines": []}, [{"op": "remove", "path": "/lines/3"}])


@pytest.fixture
def sheet(kettle: dict[str, Any]) -> SheetDocument:
    """The kettle."""
    return read_document(kettle)


def numbers(sheet: SheetDocument) -> list[tuple[str, str]]:
    """Return the lines and names of number fields that take a plain length."""
    return [(line.id, "radius") for line in sheet.lines if "radius" in line.specs()]


def test_changes_of_two_lines_both_hold(sheet: SheetDocument) -> None:
    """Whichever comes first, the outcome is the same."""
    mesh = next(line for line in sheet.lines if line.verb_name == "mesh")
    round_line = next(line for line in sheet.lines if line.verb_name == "round")
    mine = edit.set_field(sheet, mesh.id, "along", "31")
    theirs = edit.set_field(sheet, round_line.id, "radius", "2 mm")
    merged = merge_sheets(sheet, mine, theirs)
    assert merged == merge_sheets(sheet, theirs, mine)
    assert merged.line(mesh.id).along == "31"  # type: ignore[attr-defined]
    assert merged.line(round_line.id).radius == "2 mm"  # type: ignore[attr-defined]


def test_two_fields_of_one_line_both_hold(sheet: SheetDocument) -> None:
    """A line is merged field by field."""
    mesh = next(line for line in sheet.lines if line.verb_name == "mesh")
    mine, theirs = edit.set_field(sheet, mesh.id, "along", "31"), edit.set_field(sheet, mesh.id, "round", "44")
    merged = merge_sheets(sheet, mine, theirs).line(mesh.id)
    assert (merged.along, merged.round) == ("31", "44")  # type: ignore[attr-defined]


def test_the_same_field_changed_twice_is_named(sheet: SheetDocument) -> None:
    """The line and the field are said."""
    mesh = next(line for line in sheet.lines if line.verb_name == "mesh")
    mine, theirs = (edit.set_field(sheet, mesh.id, "along", value) for value in ("31", "32"))
    with pytest.raises(ChangesMeet, match=rf"along of line {sheet.number_of(mesh.id)} was changed"):
        merge_sheets(sheet, mine, theirs)
    assert first_meeting(changed_places(sheet, mine), changed_places(sheet, theirs)) == ("line", mesh.id, "along")


def test_a_line_that_was_removed_meets_every_change_of_it(sheet: SheetDocument) -> None:
    """Both ways round."""
    mesh = next(line for line in sheet.lines if line.verb_name == "mesh")
    gone, changed = edit.remove_line(sheet, mesh.id), edit.set_field(sheet, mesh.id, "along", "31")
    for mine, theirs in ((gone, changed), (changed, gone)):
        with pytest.raises(ChangesMeet):
            merge_sheets(sheet, mine, theirs)
        assert first_meeting(changed_places(sheet, mine), changed_places(sheet, theirs)) is not None


def test_taking_away_what_others_use_since_is_refused(sheet: SheetDocument) -> None:
    """A line that was added meanwhile and needs the one that would go."""
    before = edit.add_line(sheet, edit.default_line(sheet, "circle"))
    circle = before.lines[-1]
    theirs = edit.add_line(before, edit.default_line(before, "extrude"))
    assert circle.id in theirs.lines[-1].references().values()
    with pytest.raises(ChangesMeet, match="uses what it would take away"):
        merge_sheets(before, sheet, theirs)


@given(st.sampled_from(sorted(SHEETS)), st.integers(0, 10**9))
def test_merging_with_an_unchanged_sheet_is_the_change_itself(name: str, seed: int) -> None:
    """Identities: mine onto nothing is mine, nothing onto theirs is theirs, and the same twice is once."""
    before = read_document(SHEETS[name])
    rng = random.Random(seed)
    lines = list(before.lines)
    rng.shuffle(lines)
    changed = edit.with_lines(before, lines[: rng.randrange(len(lines) + 1)])
    assert merge_sheets(before, changed, before) == changed
    assert merge_sheets(before, before, changed) == changed
    assert merge_sheets(before, changed, changed) == changed
