"""Several people on one part: changes of different places all hold, undo takes back one's own, who else is here is told."""

from __future__ import annotations

import json
from concurrent.futures import ThreadPoolExecutor

import pytest
from django.db import connections
from django.test import Client

from glass_spoon.studio.flows import history
from glass_spoon.studio.models import Change, Part, StoredFile

SVG = (
    '<svg xmlns="http://www.w3.org/2000/svg" width="10mm" height="10mm" viewBox="0 0 10 10"><path d="M0 0L{0} 9"/>{1}</svg>'
)


def line_of(part: Part, line_id: str) -> dict:
    """Return a line of the present sheet."""
    part.refresh_from_db()
    return next(line for line in part.document["lines"] if line["id"] == line_id)


def test_changes_of_different_fields_on_one_revision_all_hold(part, as_user, edit) -> None:
    """The second is put on top of the first, and its answer shows both."""
    assert edit(as_user("owner"), revision=1, op="set", line="l2", field="radius", value="4 mm").status_code == 200
    answer = edit(as_user("editor"), revision=1, op="set", line="l4", field="along", value="21")
    assert answer.status_code == 200
    assert line_of(part, "l2")["radius"] == "4 mm"
    assert line_of(part, "l4")["along"] == "21"
    assert part.revision == 3


def test_the_same_field_is_asked_about(part, as_user, edit) -> None:
    """Nothing is saved until somebody says which."""
    edit(as_user("owner"), revision=1, op="set", line="l4", field="along", value="20")
    answer = edit(as_user("editor"), revision=1, op="set", line="l4", field="along", value="21")
    assert answer.status_code == 409
    assert "21" in answer.content.decode()
    assert line_of(part, "l4")["along"] == "20"


def test_a_line_that_is_gone_is_asked_about(part, as_user, edit) -> None:
    """A change of it has nowhere to go."""
    edit(as_user("owner"), revision=1, op="remove", line="l2")
    answer = edit(as_user("editor"), revision=1, op="set", line="l2", field="radius", value="21")
    assert answer.status_code == 409


def test_both_may_add_lines_on_one_revision(part, as_user, edit) -> None:
    """Each gets an id of its own."""
    before = len(part.document["lines"])
    for who in ("owner", "editor"):
        assert edit(as_user(who), revision=1, op="add", text="circle").status_code == 200
    part.refresh_from_db()
    ids = [line["id"] for line in part.document["lines"]]
    assert len(ids) == len(set(ids)) == before + 2


def test_an_edit_on_a_revision_that_nobody_knows_is_asked_about(part, as_user, edit) -> None:
    """As one from before the history that is kept."""
    edit(as_user("owner"), op="set", line="l2", field="radius", value="4 mm")
    assert edit(as_user("owner"), revision=77, op="set", line="l4", field="along", value="21").status_code == 409


@pytest.mark.django_db(transaction=True)
def test_ten_people_on_ten_places_lose_nothing(part, people) -> None:
    """At once, from threads of their own, each on the revision that they last saw."""
    fields = [("l4", "along", "20"), ("l4", "round", "32"), ("l2", "radius", "3 mm")]
    fields += [("limit", name, value) for name, value in (("evenness", "0.7"), ("kink", "33"), ("face_budget", "777"))]

    def work(place: tuple[str, str, str]) -> list[int]:
        line, field, value = place
        client = Client()
        client.force_login(people["owner"])
        form = {"op": "set", "line": line, "field": field, "value": value}
        if line == "limit":
            form = {"op": "limit", "limit": field, "value": value}
        try:
            return [client.post(f"/parts/{part.id}/edit/", {**form, "revision": "1"}).status_code]
        finally:
            connections.close_all()

    with ThreadPoolExecutor(len(fields)) as pool:
        codes = [code for found in pool.map(work, fields) for code in found]
    assert codes == [200] * len(fields)
    part.refresh_from_db()
    assert part.revision == 1 + len(fields)
    assert part.document["limits"]["face_budget"] == 777
    assert {line_of(part, line)[field] == value for line, field, value in fields if line != "limit"} == {True}
    assert history.state_at(part, part.position) == part.sheet()


def test_undo_takes_back_the_own_change_and_leaves_that_of_others(part, as_user, edit) -> None:
    """As an inverse on the present sheet; redo makes it again there."""
    owner, editor = as_user("owner"), as_user("editor")
    edit(owner, op="set", line="l2", field="radius", value="4 mm")
    edit(editor, op="set", line="l4", field="along", value="21")
    owner.post(f"/parts/{part.id}/undo/")
    assert line_of(part, "l2")["radius"] != "4 mm"
    assert line_of(part, "l4")["along"] == "21"
    owner.post(f"/parts/{part.id}/redo/")
    assert line_of(part, "l2")["radius"] == "4 mm"
    assert line_of(part, "l4")["along"] == "21"


def test_undo_that_no_longer_fits_is_refused_in_words(part, as_user, edit) -> None:
    """The field and the line are named, and nothing changes."""
    owner = as_user("owner")
    edit(owner, op="set", line="l4", field="along", value="20")
    edit(as_user("editor"), op="set", line="l4", field="along", value="21")
    answer = owner.post(f"/parts/{part.id}/undo/", headers={"HX-Request": "true"})
    assert answer.status_code == 409
    assert "The along of line 4 was changed by somebody else since" in answer.content.decode()
    assert line_of(part, "l4")["along"] == "21"


def test_who_changed_nothing_has_nothing_to_undo(part, as_user, edit) -> None:
    """The button is off, and asking changes nothing."""
    edit(as_user("owner"), op="set", line="l4", field="along", value="20")
    as_user("editor").post(f"/parts/{part.id}/undo/")
    assert line_of(part, "l4")["along"] == "20"
    assert history.history_ends(part, as_user("editor") and part.changed_by) == (True, False)


def test_who_is_here_is_told_with_their_line(part, as_user) -> None:
    """The others, not oneself; and the revision with whom it is from."""
    owner, editor = as_user("owner"), as_user("editor")
    assert editor.get(f"/parts/{part.id}/now/?line=l4").json()["people"] == []
    told = owner.get(f"/parts/{part.id}/now/").json()
    assert told["people"] == [{"name": "editor", "line": "l4"}]
    assert told["revision"] == part.revision


def test_asking_who_is_here_costs_few_statements(part, as_user, django_assert_max_num_queries) -> None:
    """Every bench asks all the time."""
    client = as_user("owner")
    with django_assert_max_num_queries(5):
        client.get(f"/parts/{part.id}/now/")


def test_large_files_of_lines_stand_outside_the_history(part, as_user, edit) -> None:
    """A drawing of 200 kB is kept once, however many steps follow."""
    owner = as_user("owner")
    edit(owner, op="add", text="import curve", verb="import_curve")
    part.refresh_from_db()
    line = part.document["lines"][-1]["id"]
    drawing = SVG.format(5, "<!--" + "x" * 200_000 + "-->")
    from django.core.files.uploadedfile import SimpleUploadedFile

    for number in range(3):
        file = SimpleUploadedFile("a.svg", drawing.replace("L5 9", f"L{number} 8").encode())
        assert edit(owner, op="drawing", line=line, file=file).status_code == 200
        for width in range(4):
            edit(owner, op="set", line="l4", field="along", value=str(20 + width))
    part.refresh_from_db()
    stored = sum(
        len(json.dumps([change.document, change.patch])) for change in Change.objects.filter(part=part, number__gt=1)
    )
    assert stored < 20_000
    assert StoredFile.objects.count() == 3
    assert len(part.sheet().line(line).svg) > 200_000
    for change in Change.objects.filter(part=part):
        assert history.state_at(part, change.number) is not None
    owner.post(f"/parts/{part.id}/undo/")
    text = owner.get(f"/parts/{part.id}/sheet.json").content.decode()
    assert "x" * 200_000 in text
    assert "kept:" not in text


def test_a_sheet_from_outside_cannot_name_files_that_stand_outside(part, as_user, edit) -> None:
    """The reference is the store's own; typed in, it is refused."""
    edit(as_user("owner"), op="add", text="import curve", verb="import_curve")
    part.refresh_from_db()
    line = part.document["lines"][-1]["id"]
    answer = edit(as_user("owner"), op="set_many", line=line, values=json.dumps({"svg": "kept:" + "0" * 32}))
    assert answer.status_code == 422


def test_files_are_used_only_in_projects_that_hold_them(part, people, as_user, monkeypatch) -> None:
    """Whoever knows the hash of a file of others gets a sentence; whoever is a member there may use it elsewhere too."""
    from glass_spoon.formats.gltf import NamedMesh
    from glass_spoon.formats.obj import write_obj
    from glass_spoon.sheet.document import read_document
    from glass_spoon.studio.flows import keep_file
    from glass_spoon.studio.models import HeldFile, Membership, Project, Role
    from tests.zoo import cube_mesh

    monkeypatch.setattr(keep_file, "READ_AT_ONCE", 0)
    text = keep_file.keep_mesh_file(write_obj([NamedMesh("cube", cube_mesh())]), "cube.obj", part.project_id)
    sheet = read_document(
        {"format": "glass-spoon/sheet", "version": 1, "lines": [{"id": "l1", "verb": "import_mesh", "file": text}]}
    )
    for who, held in (("stranger", False), ("viewer", True)):
        project = Project.objects.create(name=who)
        Membership.objects.create(project=project, user=people[who], role=Role.OWNER)
        from django.core.files.uploadedfile import SimpleUploadedFile

        file = SimpleUploadedFile("part.json", sheet.to_json().encode())
        assert as_user(who).post(f"/projects/{project.id}/bring-in/", {"file": file}).status_code == 302
        brought = Part.objects.get(project=project)
        assert (brought.document["lines"][0]["file"] == text) is held
        assert HeldFile.objects.filter(project=project).exists() is held
        if not held:
            form = {"op": "set_many", "line": "l1", "values": json.dumps({"file": text}), "revision": "1"}
            answer = as_user(who).post(f"/parts/{brought.id}/edit/", form, headers={"HX-Request": "true"})
            assert answer.status_code == 422
            assert "not kept in this project" in answer.content.decode()


def test_a_file_that_was_thrown_away_meanwhile_is_kept_again(part, as_user, edit) -> None:
    """A process that still has its text at hand must not save a sheet that names nothing."""
    from django.core.files.uploadedfile import SimpleUploadedFile

    owner = as_user("owner")
    edit(owner, op="add", text="import curve", verb="import_curve")
    part.refresh_from_db()
    line = part.document["lines"][-1]["id"]
    drawing = SVG.format(7, "<!--" + "y" * 3000 + "-->").encode()
    edit(owner, op="drawing", line=line, file=SimpleUploadedFile("a.svg", drawing))
    StoredFile.objects.all().delete()
    edit(owner, op="set", line="l4", field="along", value="23")
    assert bytes(StoredFile.objects.get().data) == drawing
