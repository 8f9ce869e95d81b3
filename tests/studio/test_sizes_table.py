"""Sizes as a table: what they come to, what uses them, several changed at once."""

from __future__ import annotations

import json

import pytest
from django.urls import reverse

from glass_spoon.sheet.document import read_document
from glass_spoon.studio.flows.change_part import first_part

LINES = [
    {"id": "a", "verb": "size", "name": "foot", "value": "12 mm"},
    {"id": "b", "verb": "size", "name": "wall", "value": "foot / 4"},
    {"id": "d", "verb": "size", "name": "spare", "value": "1 mm"},
    {"id": "c", "verb": "circle", "plane": "plan", "radius": "foot", "gives": "ring"},
    {"id": "e", "verb": "extrude", "profile": "c", "distance": "wall + foot", "gives": "foot body"},
]


@pytest.fixture
def sized(part, people):
    """Return a part with three sizes, in the same project."""
    sheet = read_document({"format": "glass-spoon/sheet", "version": 1, "name": "Sized", "lines": LINES})
    return first_part(people["owner"], part.project_id, sheet, "made")


def change(client, sized, rows):
    """Use a table of sizes; return the answer."""
    sized.refresh_from_db()
    sizes = rows if isinstance(rows, str) else json.dumps(rows)
    return client.post(f"/parts/{sized.id}/edit/", {"op": "sizes", "revision": sized.revision, "sizes": sizes})


def test_the_table_tells_what_sizes_come_to_and_who_uses_them(sized, as_user):
    """A wall of a quarter of 12 is 3; the foot is used by both lines and by the wall."""
    text = " ".join(as_user("editor").get(reverse("bench_sizes", args=[sized.id])).content.decode().split())
    assert 'value="foot / 4"' in text
    assert "3 mm" in text
    assert "lines 1, 2, wall" in text
    assert "nothing yet" in text
    assert "hx-get" in as_user("editor").get(f"/parts/{sized.id}/").content.decode()


def test_sizes_are_changed_renamed_and_added_in_one_step(sized, as_user):
    """The new name stands in all expressions, also where the table still had the old one; one undo takes all back."""
    client = as_user("editor")
    rows = [
        {"id": "a", "name": "base", "value": "16 mm"},
        {"id": "b", "name": "wall", "value": "foot / 4"},
        {"id": "d", "name": "spare", "value": "1 mm"},
        {"id": "", "name": "lip", "value": "base / 8"},
        {"id": "", "name": "", "value": ""},
    ]
    assert change(client, sized, rows).status_code == 200
    sized.refresh_from_db()
    known = {line.name: line.value for line in sized.sheet().lines if line.verb_name == "size"}
    assert known == {"base": "16 mm", "wall": "base / 4", "spare": "1 mm", "lip": "base / 8"}
    assert sized.sheet().line("c").radius == "base"
    answer = client.post(f"/parts/{sized.id}/undo/")
    assert answer.status_code == 200, answer.content.decode()[-600:]
    sized.refresh_from_db()
    assert {line.name for line in sized.sheet().lines if line.verb_name == "size"} == {"foot", "wall", "spare"}


@pytest.mark.parametrize(
    ("sizes", "status", "told"),
    [
        ("[", 422, "cannot be read"),
        ('[{"id": "zz", "name": "x", "value": "1"}]', 404, "removed meanwhile"),
        ('[{"id": "a", "name": "wall", "value": "12 mm"}]', 422, "is called wall"),
        ('[{"id": "a", "name": "foot", "value": "12 mm"}]', 422, "Nothing was changed"),
        ('[1, "a"]', 422, "cannot be read"),
    ],
)
def test_a_table_that_cannot_be_used_is_told(sized, as_user, sizes, status, told):
    """The sheet stays as it was."""
    answer = change(as_user("editor"), sized, sizes)
    assert (answer.status_code, told in answer.content.decode()) == (status, True)
    sized.refresh_from_db()
    assert [line.name for line in sized.sheet().lines if line.verb_name == "size"] == ["foot", "wall", "spare"]
