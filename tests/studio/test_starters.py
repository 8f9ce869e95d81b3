"""Starters: a step kept in a project, put in in its other parts, removed."""

from __future__ import annotations

import json

import pytest
from django.urls import reverse

from glass_spoon.sheet.text_form.read_text import read_text
from glass_spoon.studio.flows import keep_starter
from glass_spoon.studio.models import Part, Starter

LINES = [
    {"id": "w", "verb": "size", "name": "wall", "value": "foot / 4"},
    {"id": "f", "verb": "size", "name": "foot", "value": "12 mm"},
    {"id": "x", "verb": "size", "name": "unused", "value": "1 mm"},
    {"id": "c0", "verb": "circle", "gives": "elsewhere", "radius": "5 mm"},
    {"id": "st", "verb": "step", "title": "Foot ring"},
    {"id": "c", "verb": "circle", "plane": "plan", "radius": "foot", "gives": "ring"},
    {"id": "e", "verb": "extrude", "profile": "c", "distance": "wall", "gives": "foot body"},
]


@pytest.fixture
def other(part):
    """Return a second part of the project, with a ring and a foot of its own."""
    lines = [
        {"id": "f", "verb": "size", "name": "foot", "value": "30 mm"},
        {"id": "r", "verb": "circle", "gives": "ring", "radius": "9 mm"},
    ]
    sheet = {"format": "glass-spoon/sheet", "version": 1, "name": "Other", "lines": lines}
    return Part.objects.create(project=part.project, name="Other", document=sheet)


@pytest.fixture
def stepped(part):
    """Return the part with a step."""
    part.document = {**json.loads(json.dumps(part.document)), "lines": LINES}
    part.save()
    return part


def keep(client, part, lines="st,c,e"):
    """Keep lines as a starter; return the answer."""
    return client.post(reverse("starter_new", args=[part.id]), {"lines": lines})


def test_a_step_is_kept_with_the_sizes_it_uses(stepped, as_user):
    """Under the name of the step; the wall comes along, and the foot that the wall is a quarter of, but nothing else."""
    answer = keep(as_user("editor"), stepped).content.decode()
    assert "Kept." in answer
    starter = Starter.objects.get()
    assert starter.name == "Foot ring"
    kept = read_text(starter.text)
    assert [line.verb_name for line in kept.lines] == ["size", "size", "step", "circle", "extrude"]
    assert "unused" not in starter.text
    again = keep(as_user("editor"), stepped)
    assert "Foot ring 2" in again.content.decode()


def test_a_starter_tells_its_lines_and_gets_another_name(stepped, as_user):
    """Two lines beside its sizes; a name that is taken gets a number, none at all is refused, and its own stays."""
    client = as_user("editor")
    assert "2 lines" in " ".join(keep(client, stepped).content.decode().split())
    keep(client, stepped, "c")
    first, second = Starter.objects.order_by("id")
    assert second.line_count == 1

    def renamed(starter, name):
        answer = client.post(reverse("starter_rename", args=[stepped.id, starter.id]), {"name": name})
        starter.refresh_from_db()
        return answer.status_code, starter.name

    assert renamed(second, "  Ring   alone ") == (200, "Ring alone")
    assert renamed(second, "Ring alone") == (200, "Ring alone")
    assert renamed(second, "Foot ring") == (200, "Foot ring 2")
    assert renamed(second, " ") == (422, "Foot ring 2")
    first_id = first.id
    client.post(reverse("starter_end", args=[stepped.id, first_id]))
    assert client.post(reverse("starter_rename", args=[stepped.id, first_id]), {"name": "x"}).status_code == 404


def test_a_starter_is_put_in_another_part_under_names_of_its_own(stepped, other, as_user):
    """Its foot is another than the part's, and its ring too; the part's own stay as they were."""
    client = as_user("editor")
    keep(client, stepped)
    shown = client.get(reverse("bench_bring", args=[other.id])).content.decode()
    assert "Foot ring" in shown
    form = {"op": "put_starter", "starter": Starter.objects.get().id, "after": "r", "revision": other.revision}
    assert client.post(reverse("bench_edit", args=[other.id]), form).status_code == 200
    other.refresh_from_db()
    lines = other.sheet().lines
    assert [line.verb_name for line in lines if line.verb_name != "size"] == ["circle", "step", "circle", "extrude"]
    names = [name for name in other.sheet().item_names().values() if name]
    assert len(names) == len(set(names)) == 3
    sizes = {line.name: line.value for line in lines if line.verb_name == "size"}
    assert sizes["foot"] == "30 mm"
    fresh = next(name for name, value in sizes.items() if value == "12 mm")
    assert f"{fresh} / 4" in sizes.values()
    extruded = next(line for line in lines if line.verb_name == "extrude")
    assert extruded.profile == lines[-2].id


def test_a_starter_that_was_removed_is_told(stepped, other, as_user):
    """Parts that took it keep their lines; putting it in once more says what to do."""
    client = as_user("editor")
    keep(client, stepped)
    number = Starter.objects.get().id
    gone = client.post(reverse("starter_end", args=[stepped.id, number])).content.decode()
    assert "Foot ring" not in gone
    assert "A step that this project needs often" in gone
    answer = client.post(
        reverse("bench_edit", args=[other.id]), {"op": "put_starter", "starter": number, "revision": other.revision}
    )
    assert answer.status_code == 404
    assert "was removed" in answer.content.decode()


def test_starters_are_counted_and_their_lines_have_to_be_there(stepped, as_user, monkeypatch):
    """No more than so many, and none of nothing; viewers keep none."""
    assert keep(as_user("editor"), stepped, "nothing").status_code == 404
    monkeypatch.setattr(keep_starter, "MOST_STARTERS", 1)
    assert keep(as_user("editor"), stepped).status_code == 200
    refused = keep(as_user("editor"), stepped)
    assert refused.status_code == 422
    assert "Remove one first" in refused.content.decode()
    assert keep(as_user("viewer"), stepped).status_code in (403, 404)
    assert Starter.objects.count() == 1
