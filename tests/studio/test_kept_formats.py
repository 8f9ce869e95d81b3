"""Parts, undo steps, kept versions and sent files of an older format: all open, none is lost, each may be gone back to."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from glass_spoon.studio.flows import history
from glass_spoon.studio.models import KeptVersion, Part

GANGWAY = json.loads((Path(__file__).parents[1] / "sheet" / "formats" / "version-1" / "gangway.json").read_text())["sheet"]
"""A sheet whose lines name what they place in a field of another name than today's."""


def moved(sheet: dict, x: str) -> dict:
    """Return the sheet with its first Move by another distance."""
    number = next(k for k, line in enumerate(sheet["lines"]) if line["verb"] == "move")
    return {**sheet, "lines": [{**line, "x": x} if k == number else line for k, line in enumerate(sheet["lines"])]}


@pytest.fixture
def old(project, people) -> Part:
    """A part as the older program left it: a whole sheet, and an edit kept as a patch in the old names."""
    before, after = moved(GANGWAY, "1 mm"), moved(GANGWAY, "2 mm")
    number = next(k for k, line in enumerate(GANGWAY["lines"]) if line["verb"] == "move")
    part = Part.objects.create(
        project=project, name="Gangway", document=after, changed_by=people["owner"], revision=2, position=2
    )
    part.changes.create(number=1, document=before, revision=1, summary="made", made_by=people["owner"])
    patch = [{"op": "replace", "path": f"/lines/{number}/x", "value": "2 mm"}]
    part.changes.create(number=2, document=None, patch=patch, revision=2, summary="line changed", made_by=people["owner"])
    KeptVersion.objects.create(part=part, name="first", document=before, made_by=people["owner"])
    return part


def x_of(part: Part) -> str:
    """Return the distance of the first Move."""
    return next(line for line in part.sheet().lines if line.verb_name == "move").x


def test_an_old_part_opens_is_edited_and_goes_back_beyond_the_upgrade(old, as_user):
    """The page shows it; an edit stores today's format; undo takes back that edit, then the old one; redo makes both."""
    client = as_user("owner")
    move = next(line["id"] for line in GANGWAY["lines"] if line["verb"] == "move")
    assert client.get(f"/parts/{old.pk}/").status_code == 200
    asked = {"op": "set", "line": move, "field": "x", "value": "3 mm", "revision": "2"}
    assert client.post(f"/parts/{old.pk}/edit/", asked, headers={"HX-Request": "true"}).status_code == 200
    old.refresh_from_db()
    assert x_of(old) == "3 mm"
    assert old.document["verb_versions"]["move"] == 2
    assert not any("curve" in line for line in old.document["lines"] if line["verb"] in ("move", "copy", "row", "spread"))
    for step, wanted in (("undo", "2 mm"), ("undo", "1 mm"), ("redo", "2 mm"), ("redo", "3 mm")):
        assert client.post(f"/parts/{old.pk}/{step}/", headers={"HX-Request": "true"}).status_code == 200
        old.refresh_from_db()
        assert x_of(old) == wanted, step
    states = [history.state_at(old, number) for number in (1, 2, 3)]
    assert [next(line for line in state.lines if line.verb_name == "move").x for state in states] == ["1 mm", "2 mm", "3 mm"]


def test_an_old_kept_version_is_restored(old, as_user):
    """It becomes the present sheet in today's format."""
    client = as_user("owner")
    version = KeptVersion.objects.get()
    way = f"/parts/{old.pk}/versions/{version.pk}/restore/"
    answer = client.post(way, {"revision": "2"}, headers={"HX-Request": "true"})
    assert answer.status_code in (200, 302)
    old.refresh_from_db()
    assert x_of(old) == "1 mm"
    assert old.document["verb_versions"]["move"] == 2


def test_a_sheet_that_was_sent_out_by_the_older_program_comes_in(project, as_user):
    """As a new part, whole."""
    from django.core.files.uploadedfile import SimpleUploadedFile

    upload = SimpleUploadedFile("gangway.json", json.dumps(GANGWAY).encode())
    answer = as_user("owner").post(f"/projects/{project.pk}/bring-in/", {"file": upload})
    assert answer.status_code in (200, 302)
    part = Part.objects.get(project=project, name=GANGWAY["name"])
    assert len(part.sheet().lines) == len(GANGWAY["lines"])
