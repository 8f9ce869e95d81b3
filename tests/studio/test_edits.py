"""Edits of a part: saved, refused, undone, never lost."""

import html
import json
import re

import pytest
from django.db import DatabaseError

from glass_spoon.sheet.document import read_document
from glass_spoon.studio.flows import history
from glass_spoon.studio.flows.build_part import build_sheet, finished_build
from glass_spoon.studio.models import Change
from glass_spoon.studio.show import bench_context
from glass_spoon.studio.views import bench
from tests.studio.conftest import offered, points_of


def test_edit_is_saved_with_a_new_revision_and_answered_with_fragments(part, as_user, edit):
    """Sheet, gauges, state and top line come back; the board is told to load."""
    finished_build(read_document(part.document))  # the first build of a process may take longer than an answer waits
    answer = edit(as_user("editor"), op="set", line="l4", field="round", value="64")
    assert answer.status_code == 200
    text = answer.content.decode()
    for fragment in ('id="sheet"', 'id="gauges"', 'id="view-state"', 'id="topline"', 'id="sheet-foot"'):
        assert fragment in text
    assert "rebuilt" in answer.headers["HX-Trigger-After-Swap"]
    part.refresh_from_db()
    assert part.revision == 2
    assert part.document["lines"][7]["round"] == "64"
    assert part.changed_by.username == "editor"


def test_stale_edit_is_refused_with_both_states(part, as_user, edit):
    """Mine, what is saved now, and a way to put mine on top."""
    edit(as_user("owner"), op="set", line="l2", field="radius", value="5 mm")
    answer = edit(as_user("editor"), revision=1, op="set", line="l2", field="radius", value="7 mm")
    assert answer.status_code == 409
    text = answer.content.decode()
    assert "7 mm" in text
    assert "5 mm" in text
    assert "owner changed this part meanwhile" in text
    assert answer.headers["HX-Retarget"] == "#messages"
    part.refresh_from_db()
    assert part.document["lines"][5]["radius"] == "5 mm"


@pytest.mark.parametrize(
    ("values", "word"),
    [
        ({"op": "dance"}, "not known"),
        ({"op": "set", "line": "zz", "field": "radius", "value": "1"}, "no longer in the sheet"),
        ({"op": "set", "line": "l2", "field": "zz", "value": "1"}, "no field zz"),
        ({"op": "set", "line": "l1", "field": "points", "value": "[{"}, "could not be read"),
        ({"op": "set", "line": "l1", "field": "points", "value": '[{"x": {}}]'}, "points"),
        ({"op": "add", "text": "zzzz"}, "No verb was found"),
        ({"op": "limit", "limit": "evenness", "value": "many"}, "should be a number"),
        ({"op": "limit", "limit": "nonsense", "value": "1"}, "cannot be used"),
        ({"op": "rename", "value": "   "}, "needs a name"),
        ({"op": "drawing", "line": "l1"}, "Choose a file"),
        ({"op": "set", "line": "l1", "field": "gives", "value": "<script>"}, "signs"),
        ({"op": "rename", "value": "x", "revision": "abc"}, "no revision"),
        ({"op": "rename", "value": "x", "revision": "9" * 40}, "no revision"),
    ],
)
def test_bad_edits_get_a_sentence_and_change_nothing(part, as_user, values, word):
    """Never a 500, never a lost sheet."""
    before = part.document
    answer = as_user("owner").post(f"/parts/{part.id}/edit/", {"revision": 1, **values}, headers={"HX-Request": "true"})
    assert answer.status_code in (400, 422)
    assert word in answer.content.decode()
    part.refresh_from_db()
    assert (part.document, part.revision) == (before, 1)


@pytest.mark.parametrize(
    ("line", "field", "value", "word"),
    [
        ("l4", "round", "0", "at least 1"),
        ("l4", "round", "-5", "at least 1"),
        ("l4", "round", "1000000000", "the limit is 4,000,000"),
        ("l2", "radius", "900 mm", "largest that fits"),
        ("l2", "radius", "nan", "no size called nan"),
        ("l1", "points", '[{"x": -50, "y": 0}, {"x": 50, "y": 80}]', "crosses the axis"),
    ],
)
def test_bad_values_are_kept_and_named_in_their_line(part, as_user, edit, line, field, value, word):
    """A value that cannot be built is saved as typed, and its line says the way out."""
    if line == "l1":
        edit(as_user("owner"), op="pause", line="l2", paused="1")
    if line == "l2":
        edit(as_user("owner"), op="set", line="l2", field="fit", value="exactly")
    answer = edit(as_user("owner"), op="set", line=line, field=field, value=value)
    assert answer.status_code == 200
    part.refresh_from_db()
    if "data-working" in answer.content.decode():  # on a busy machine: the bench comes again once it is built
        build_sheet(part.sheet(), None, None)
        answer = as_user("owner").get(f"/parts/{part.id}/")
    assert word in answer.content.decode()


def test_undo_and_redo_survive(part, as_user, edit):
    """They walk the kept history; a new edit cuts off what was undone."""
    client = as_user("owner")
    for radius in ("4 mm", "5 mm", "6 mm"):
        edit(client, op="set", line="l2", field="radius", value=radius)

    def radius():
        part.refresh_from_db()
        return part.document["lines"][5]["radius"]

    client.post(f"/parts/{part.id}/undo/")
    client.post(f"/parts/{part.id}/undo/")
    assert radius() == "4 mm"
    as_user("owner").post(f"/parts/{part.id}/redo/")
    assert radius() == "5 mm"
    edit(client, op="set", line="l2", field="radius", value="9 mm")
    client.post(f"/parts/{part.id}/redo/")
    assert radius() == "9 mm"
    for _ in range(9):
        client.post(f"/parts/{part.id}/undo/")
    assert radius() == "corner"


def test_revision_grows_with_undo(part, as_user, edit):
    """An edit made before somebody's undo of the same field is stale."""
    client = as_user("owner")
    edit(client, op="set", line="l2", field="radius", value="4 mm")
    client.post(f"/parts/{part.id}/undo/")
    assert edit(client, revision=2, op="set", line="l2", field="radius", value="5 mm").status_code == 409


def test_history_is_cut_at_its_length(part, as_user, edit, monkeypatch):
    """The last changes are kept, from a whole sheet on, and every state of them can be found."""
    monkeypatch.setattr(history, "KEPT", 5)
    monkeypatch.setattr(history, "WHOLE_EVERY", 3)
    for number in range(10):
        edit(as_user("owner"), op="set", line="l2", field="radius", value=f"{number + 1} mm")
    part.refresh_from_db()
    numbers = list(part.changes.values_list("number", flat=True))
    assert numbers == list(range(3, 12))
    radii = [history.state_at(part, number).line("l2").radius for number in numbers]
    assert radii == [f"{number - 1} mm" for number in numbers]
    assert history.state_at(part, 2) is None


def test_killed_in_the_middle_of_a_save_nothing_is_lost(part, as_user, edit, monkeypatch):
    """History and part are one transaction: when the second write fails, the first is gone too."""
    client = as_user("owner")
    client.raise_request_exception = False

    def die(*args, **options):
        raise DatabaseError("the server was killed")

    monkeypatch.setattr(Change, "save", die)
    assert edit(client, op="set", line="l2", field="radius", value="4 mm").status_code == 500
    monkeypatch.undo()
    part.refresh_from_db()
    assert part.revision == 1
    assert part.changes.count() == 1
    assert edit(client, op="set", line="l2", field="radius", value="4 mm").status_code == 200


def test_same_value_again_is_no_change(part, as_user, edit):
    """No revision, no history."""
    edit(as_user("owner"), op="set", line="l2", field="radius", value="corner")
    part.refresh_from_db()
    assert part.revision == 1


def test_lines_are_added_moved_paused_removed(part, as_user, edit):
    """Through the same address, each with its own summary."""
    client = as_user("owner")
    edit(client, op="add", text="smooth 1")
    part.refresh_from_db()
    added = part.document["lines"][-1]
    assert (added["verb"], added["mesh"], added["times"]) == ("smooth", "l4", "1")
    edit(client, op="pause", line=added["id"], paused="1")
    edit(client, op="move", line=added["id"], by="-1")
    part.refresh_from_db()
    assert part.document["lines"][-2]["id"] == added["id"]
    edit(client, op="remove", line=added["id"])
    part.refresh_from_db()
    assert part.last_change == "line 4 removed"


def test_removal_names_what_depends(part, as_user):
    """Before the curve goes, the lines that use it are named."""
    text = as_user("owner").get(f"/parts/{part.id}/removal/l1/").content.decode()
    assert "body profile is used by line 2 (round), line 3 (revolve)" in text
    assert "line 1 (draw)" in as_user("owner").get(f"/parts/{part.id}/removal/s1/").content.decode()
    assert "Nothing else depends" in as_user("owner").get(f"/parts/{part.id}/removal/l4/").content.decode()


def test_drawing_is_taken_or_refused(part, as_user, edit):
    """A good SVG is kept in the line; a bad one changes nothing."""
    from django.core.files.uploadedfile import SimpleUploadedFile

    client = as_user("owner")
    edit(client, op="add", verb="import_curve", text="")
    part.refresh_from_db()
    line = part.document["lines"][-1]["id"]
    good = b'<svg xmlns="http://www.w3.org/2000/svg"><path d="M9 0 V50"/></svg>'
    assert edit(client, op="drawing", line=line, file=SimpleUploadedFile("a.svg", good)).status_code == 200
    part.refresh_from_db()
    assert part.document["lines"][-1]["svg"] == good.decode()
    for bad in (b"<svg", b"\xff\xfe\x00", b'<!DOCTYPE x [<!ENTITY a "b">]><svg>&a;</svg>'):
        answer = edit(client, op="drawing", line=line, file=SimpleUploadedFile("a.svg", bad))
        assert answer.status_code == 422


def test_too_large_an_upload_is_refused(part, as_user):
    """A post over the limit gets a sentence."""
    answer = as_user("owner").post(
        f"/parts/{part.id}/preview.glb",
        "x" * 6_000_000,
        content_type="application/json",
        headers={"Accept": "application/json"},
    )
    assert answer.status_code == 413
    assert "too large" in answer.json()["sentence"]


def test_points_table_shows_what_was_typed(part, as_user):
    """Expressions, not their values."""
    text = as_user("viewer").get(f"/parts/{part.id}/points/l1/").content.decode()
    assert "body_d / 2 - 6 mm" in text
    assert len(json.loads(points_of(part))) == 9


def test_viewer_sees_no_way_to_change(part, as_user):
    """No finder, no chips to click."""
    text = as_user("viewer").get(f"/parts/{part.id}/").content.decode()
    assert "you are looking only" in text
    assert "next-line" not in text
    assert 'data-kind="number"' not in text


@pytest.mark.django_db(transaction=True)  # the sheet is built in a thread, which sees only what is saved
def test_mesh_files_are_taken_in_small_ones_in_the_sheet_large_ones_by_their_hash(part, as_user, edit, monkeypatch):
    """Small files lie in the sheet, large ones by hash, and wrong ones change nothing."""
    from django.core.files.uploadedfile import SimpleUploadedFile

    from glass_spoon.formats.gltf import NamedMesh
    from glass_spoon.formats.stl import write_stl
    from glass_spoon.sheet import stored_files
    from glass_spoon.studio.models import StoredFile
    from tests.zoo import cube_mesh

    client = as_user("owner")
    edit(client, op="add", verb="import_mesh", text="")
    part.refresh_from_db()
    line = part.document["lines"][-1]["id"]
    data = write_stl([NamedMesh("cube", cube_mesh())])
    for limit, start in ((900_000, "inside:stl:"), (10, "stored:")):
        monkeypatch.setattr(stored_files, "MOST_INSIDE", limit)
        edit(client, op="drawing", line=line, file=SimpleUploadedFile("cube.stl", data))
        part.refresh_from_db()
        assert part.document["lines"][-1]["file"].startswith(start)
        assert "12 faces read." in client.get(f"/parts/{part.id}/").content.decode()
    assert bytes(StoredFile.objects.get().data) == data
    revision = part.revision
    answer = edit(client, op="drawing", line=line, file=SimpleUploadedFile("cube.stl", b"no triangles"))
    part.refresh_from_db()
    assert part.revision == revision
    assert "not an STL file" in answer.content.decode()


@pytest.mark.django_db(transaction=True)  # the sheet is built in a thread, which sees only what is saved
def test_a_small_gap_is_told_shown_and_welded_one_press_away(part, as_user, edit):
    """The finding at the line that imports; the weld that it offers; what the weld worked on."""
    from django.core.files.uploadedfile import SimpleUploadedFile

    from glass_spoon.formats.gltf import NamedMesh
    from glass_spoon.formats.obj import write_obj
    from tests.zoo import slit_mesh

    client = as_user("owner")
    edit(client, op="add", verb="import_mesh", text="")
    part.refresh_from_db()
    line = part.document["lines"][-1]["id"]
    edit(client, op="drawing", line=line, file=SimpleUploadedFile("a.obj", write_obj([NamedMesh("lath", slit_mesh(0.05))])))
    page = offered(client, part, mesh=line)
    assert "One small gap between open edges" in page
    found = client.get(f"/parts/{part.id}/offenders.json?mesh={line}&gauge=small_gaps").json()
    assert (found["kind"], found["total"], len(found["places"])) == ("edge", 6, 1)
    values = html.unescape(re.search(r'data-add-values="([^"]+)"', page)[1])
    edit(client, op="work", verb="weld", item=line, after=line, values=values)
    part.refresh_from_db()
    weld = part.document["lines"][-1]
    assert (weld["verb"], weld["mesh"], weld["points"], weld["distance"]) == ("weld", line, "edges", "0.053 mm")
    page = client.get(f"/parts/{part.id}/?mesh={line}").content.decode()
    assert "3 points become one with others, 2 points put into open edges." in page
    assert "small gap" not in page
    done = client.get(f"/parts/{part.id}/offenders.json?done={weld['id']}").json()
    assert (done["item"], done["kind"], done["total"], len(done["places"])) == (line, "point", 5, 1)
    assert client.get(f"/parts/{part.id}/offenders.json?level=1&done={weld['id']}").json()["total"] == 0


@pytest.mark.parametrize("headers", [{}, {"HX-Request": "true"}, {"Accept": "application/json"}])
def test_a_fault_of_ours_is_told_in_a_sentence(part, as_user, monkeypatch, headers):
    """Page, fragment and data alike; what went wrong is in the log."""
    monkeypatch.setattr(bench, "bench_context", lambda *given, **named: {}["nothing"])
    answer = as_user("owner").get(f"/parts/{part.id}/", headers=headers)
    assert answer.status_code == 500
    assert b"not foreseen" in answer.content


def test_gauges_that_cannot_be_read_leave_the_part_open(part, as_user, monkeypatch):
    """The page opens with a sentence in the gauges' place."""
    monkeypatch.setattr(bench_context, "watched_readings", lambda *given, **named: {}["nothing"])
    answer = as_user("owner").get(f"/parts/{part.id}/")
    assert answer.status_code == 200
    assert b"The part itself stands." in answer.content


def test_values_as_the_verb_has_them_are_quiet_and_changed_ones_are_not(part, as_user, edit):
    """The count of a mesh is quiet until it is changed, and again when it is back; times stand only at slow builds."""
    client = as_user("owner")

    def chip() -> str:
        text = client.get(f"/parts/{part.id}/").content.decode()
        return next(piece.partition(">")[0] for piece in text.split("<button") if 'id="v-l4-along"' in piece)

    usual = str(type(part.sheet().line("l4")).model_fields["along"].default)
    for value, quiet in ((usual, True), ("17", False), (usual, True)):
        edit(client, op="set", line="l4", field="along", value=value)
        assert (" data-usual" in chip()) is quiet


def test_a_line_that_waits_for_a_mark_is_given_one(part, as_user, edit):
    """The press puts a mark before it, of its mesh, and the line takes it; one undo takes both back."""
    client = as_user("owner")
    edit(client, op="add", text="box 40 by 30 by 20 mm, called crate")
    edit(client, op="add", text="bevel points of crate by 1 mm")
    part.refresh_from_db()
    lines = part.document["lines"]
    waits = lines[-1]
    assert (waits["verb"], waits["marks"]) == ("bevel_points", [])
    text = client.get(f"/parts/{part.id}/").content.decode()
    assert f'data-add-mark="{waits["id"]}"' in text
    assert "Mark its corners" in text
    assert edit(client, op="mark_for", line=waits["id"], values=json.dumps({"what": "corners"})).status_code == 200
    part.refresh_from_db()
    mark, bevel = part.document["lines"][-2:]
    assert (mark["verb"], mark["what"], mark["mesh"]) == ("mark", "corners", waits["mesh"])
    assert (bevel["id"], bevel["marks"]) == (waits["id"], [mark["id"]])
    client.post(f"/parts/{part.id}/undo/")
    part.refresh_from_db()
    assert part.document["lines"] == lines
    assert edit(client, op="mark_for", line=lines[0]["id"], values="{}").status_code == 422, "a line that takes no marks"


def test_an_open_body_is_closed_by_a_press(part, as_user, edit):
    """Fuse names the open one; its rims are marked and filled before the line, which is good then."""
    client = as_user("owner")
    for text in (
        "ball of six sides radius 30 mm, called knob",
        "cylinder radius 7 mm height 100 mm, called rod",
        "mesh rod",
    ):
        edit(client, op="add", text=text)
    edit(client, op="add", text="fuse knob and rod mesh")
    part.refresh_from_db()
    *_, rod, fuse = part.document["lines"]
    press = f'data-add-fill="{fuse["id"]}" data-add-item="{rod["id"]}"'
    assert press in client.get(f"/parts/{part.id}/").content.decode()
    assert edit(client, op="fill_for", line=fuse["id"], item=rod["id"]).status_code == 200
    part.refresh_from_db()
    assert [line["verb"] for line in part.document["lines"][-4:]] == ["mesh", "mark", "fill", "fuse"]
    assert "is not closed" not in client.get(f"/parts/{part.id}/").content.decode()
    assert edit(client, op="fill_for", line=fuse["id"], item="gone").status_code == 422


def test_two_surfaces_are_matched_from_the_report_on_their_edges(part, as_user, edit):
    """The report offers it; a line Match stands behind the one after which both are there; a line that is gone is told."""
    client = as_user("owner")
    edit(client, op="add", text="sheet 30 by 40 at -515, 0, 0 called left sheet")
    edit(client, op="add", text="sheet 30 by 40 at -485, 0, 0 called right sheet")
    edit(client, op="add", text="lengthen right sheet round it past its end by 5 mm")
    part.refresh_from_db()
    left, right, last = part.document["lines"][-3:]
    assert f'data-match="{left["id"]}"' not in client.get(f"/parts/{part.id}/edges/").content.decode()
    edit(client, op="set", line=left["id"], field="z", value="0.05 mm")
    page = client.get(f"/parts/{part.id}/edges/").content.decode()
    assert f'data-match="{left["id"]}" data-onto="{right["id"]}" data-behind="{last["id"]}" data-meeting="smoothly"' in page
    what = {"op": "match_for", "item": left["id"], "onto": right["id"], "meeting": "smoothly", "edge": "end along"}
    assert edit(client, **what, after=last["id"]).status_code == 200
    part.refresh_from_db()
    made = part.document["lines"][-1]
    assert (made["verb"], made["surface"], made["onto"], made["meeting"]) == ("match", left["id"], right["id"], "smoothly")
    assert (made["edge"], made["onto_edge"]) == ("end along", "nearest")
    assert f'data-match="{left["id"]}"' not in client.get(f"/parts/{part.id}/edges/").content.decode()
    assert edit(client, **what, after="gone").status_code == 422


def test_bodies_that_run_into_each_other_are_fused_instead(part, as_user, edit):
    """What tells of them has a button, and pressing it puts Fuse in the place of Unite."""
    client = as_user("owner")
    edit(client, op="add", text="box 40 by 40 by 40 called lower block")
    edit(client, op="add", text="box 20 by 20 by 20 at 0, 0, 30 called upper block")
    page = edit(client, op="add", text="unite lower block and upper block").content.decode()
    part.refresh_from_db()
    line = part.document["lines"][-1]
    assert line["verb"] == "unite"
    assert f'data-become="fuse" data-of="{line["id"]}"' in page
    assert edit(client, op="become", line=line["id"], verb="fuse").status_code == 200
    part.refresh_from_db()
    assert (part.document["lines"][-1]["verb"], part.document["lines"][-1]["id"]) == ("fuse", line["id"])
    assert edit(client, op="become", line=line["id"], verb="circle").status_code == 422


def test_a_line_behind_what_used_its_item_up_moves_before_it(part, as_user, edit):
    """The bench offers both ways out; the press takes the line, and the mark that it needs, up; undo brings them back."""
    client = as_user("owner")
    for text in (
        "box 20 by 20 by 20 mm called lower block",
        "box 20 by 20 by 20 mm at 10, 10, 10 called upper block",
        "fuse lower block and upper block",
    ):
        edit(client, op="add", text=text)
    part.refresh_from_db()
    lower, _, fused = (line["id"] for line in part.document["lines"][-3:])
    edit(client, op="add", text="mark the edges")
    part.refresh_from_db()
    mark = part.document["lines"][-1]["id"]
    edit(client, op="set", line=mark, field="mesh", value=lower)
    page = edit(client, op="add", verb="bevel", text="").content.decode()
    part.refresh_from_db()
    bevel = part.document["lines"][-1]["id"]
    page = edit(client, op="set_many", line=bevel, values=json.dumps({"mesh": lower, "marks": [mark]})).content.decode()
    assert f'data-move-before="{fused}" data-of="{bevel}"' in page and "This is seen nowhere" in page
    page = edit(client, op="move_before", line=bevel, before=fused).content.decode()
    part.refresh_from_db()
    order = [line["id"] for line in part.document["lines"]]
    assert order.index(mark) < order.index(bevel) < order.index(fused) and "This is seen nowhere" not in page
    client.post(f"/parts/{part.id}/undo/")
    part.refresh_from_db()
    assert [line["id"] for line in part.document["lines"]][-1] == bevel
    assert edit(client, op="move_before", line=fused, before=lower).status_code == 422
