"""The bench at length: steps, several lines at once, lines as text, the part as a list, the page of keys."""

import io
import json
import re
from pathlib import Path

import pytest

from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.text_form.read_text import read_text
from glass_spoon.studio.colours import TINT_TOKENS, TINTS
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.models import Part
from glass_spoon.studio.see.part_meshes import part_faces, part_meshes
from glass_spoon.studio.see.scene import gauged_meshes, shown_items
from glass_spoon.studio.see.tints import tints_of
from glass_spoon.studio.show.bench_context import ACTS, PICKS
from glass_spoon.studio.show.sheet_rows import chapters, item_list, summary

STATIC = Path(__file__).parents[2] / "glass_spoon/studio/static"
JS = STATIC / "js"


def verbs(part: Part) -> list[str]:
    """Return the verbs of a part's lines in order, sizes left out."""
    part.refresh_from_db()
    return [line["verb"] for line in part.document["lines"] if line["verb"] != "size"]


def test_lines_go_out_as_text_and_come_back(part, as_user, edit):
    """Copy two lines of the kettle, paste them: two more lines, names of their own; undo takes both away at once."""
    client = as_user("editor")
    ids = [line["id"] for line in part.document["lines"] if line["verb"] in ("revolve", "mesh")]
    text = client.get(f"/parts/{part.id}/lines.md", {"lines": ",".join(ids)}).content.decode()
    assert re.search(r"^\d+\. \*\*Revolve\*\*", text)
    before = verbs(part)
    answer = edit(client, op="paste", text=text, after="")
    assert answer.status_code == 200
    assert verbs(part) == [*before, "revolve", "mesh"]
    assert "2 lines put in" in answer.content.decode()
    client.post(f"/parts/{part.id}/undo/", {"revision": part.revision}, headers={"HX-Request": "true"})
    assert verbs(part) == before


def test_the_sheet_goes_out_as_markdown_and_comes_in_as_a_part(part, project, as_user):
    """What is sent out as Markdown is brought in by the form of the project, and is the same sheet."""
    client = as_user("editor")
    answer = client.get(f"/parts/{part.id}/sheet.md")
    assert answer.headers["Content-Disposition"].endswith('.md"')
    text = answer.content.decode()
    file = io.BytesIO(text.encode())
    file.name = "kettle.md"
    assert client.post(f"/projects/{project.id}/bring-in/", {"file": file}).status_code == 302
    other = Part.objects.exclude(id=part.id).get(project=project)
    assert read_document(other.document).model_dump() == read_text(text).model_dump()


def test_a_text_that_is_no_line_is_refused_with_its_words(part, as_user, edit):
    """Nothing is changed, and the sentence says what was not understood."""
    answer = edit(as_user("editor"), op="paste", text="qwertz", after="")
    assert answer.status_code == 422
    assert "Not understood: “qwertz”" in answer.content.decode()


def test_a_viewer_may_copy_but_not_paste(part, as_user):
    """Lines as text are there to be read; putting them in needs the right to edit."""
    viewer = as_user("viewer")
    assert viewer.get(f"/parts/{part.id}/lines.md", {"lines": "l1"}).status_code == 200
    answer = viewer.post(f"/parts/{part.id}/edit/", {"revision": 1, "op": "paste", "text": "circle"})
    assert answer.status_code == 403


def test_lines_are_moved_paused_gathered_and_removed_together(part, as_user, edit):
    """Each of the changes of several lines is one change, told in its summary."""
    client = as_user("editor")
    own = [line["id"] for line in part.document["lines"] if line["verb"] != "size"]
    for values, words in (
        ({"op": "pause_many", "lines": ",".join(own[1:3]), "paused": "1"}, "2 lines paused"),
        ({"op": "pause_many", "lines": ",".join(own[1:3]), "paused": "0"}, "2 lines taken up"),
        ({"op": "make_step", "lines": ",".join(own[:2]), "title": "Body"}, "step “Body” made"),
        ({"op": "move_many", "lines": own[3], "by": "-1"}, "moved"),
        ({"op": "remove_many", "lines": ",".join(own[3:])}, "removed"),
    ):
        part.refresh_from_db()
        answer = edit(client, revision=part.revision, **values)
        assert answer.status_code == 200, values
        assert words in answer.content.decode()
    assert verbs(part)[0] == "step"


def test_a_step_moves_and_pauses_with_its_lines(part, as_user, edit):
    """Named by its heading alone, the lines up to the next heading go along."""
    client = as_user("editor")
    own = [line["id"] for line in part.document["lines"] if line["verb"] != "size"]
    edit(client, op="make_step", lines=",".join(own[:2]), title="Body")
    part.refresh_from_db()
    step = next(line["id"] for line in part.document["lines"] if line["verb"] == "step")
    edit(client, revision=2, op="pause_many", lines=step, paused="1")
    part.refresh_from_db()
    assert [line["paused"] for line in part.document["lines"] if line["id"] in own[:2]] == [True, True]
    assert not any(line["paused"] for line in part.document["lines"] if line["id"] in own[2:])
    edit(client, revision=3, op="move_many", lines=step, by="1")
    assert verbs(part)[-3] == "step"


def test_a_line_added_in_the_middle_uses_what_stands_before_it(part, as_user, edit):
    """Typed behind the first curve it takes that curve, not one that comes later."""
    client = as_user("editor")
    first = next(line["id"] for line in part.document["lines"] if line["verb"] not in ("size", "lay"))
    edit(client, op="add", text="circle radius 5 mm", after="")
    part.refresh_from_db()
    edit(client, revision=part.revision, op="add", text="extrude by 4 mm", after=first)
    part.refresh_from_db()
    added = next(line for line in part.document["lines"] if line["verb"] == "extrude")
    assert added["profile"] == first
    names = [line.get("gives") for line in part.document["lines"] if line.get("gives")]
    assert len(names) == len(set(names))


def test_what_is_done_to_picks_in_the_middle_takes_what_stands_before_it(part, as_user, edit):
    """A pull to a surface, begun on the mesh of line 4, does not reach for a surface that comes later."""
    client = as_user("editor")
    mesh = next(line["id"] for line in part.document["lines"] if line["verb"] == "mesh")
    edit(client, op="add", text="sphere radius 5 mm called float", after="")
    values = {"mesh": mesh, "what": "single faces", "picks": [{"x": 0, "y": 0, "z": 0}]}
    answer = edit(client, revision=2, op="act", verb="pull_out", after=mesh, values=json.dumps(values))
    assert answer.status_code == 200
    part.refresh_from_db()
    lines = part.document["lines"]
    at = [line["id"] for line in lines].index(mesh)
    mark, pull = lines[at + 1 : at + 3]
    assert (mark["verb"], pull["verb"], pull["marks"]) == ("mark", "pull_out", [mark["id"]])
    later = next(line["id"] for line in lines if line.get("gives") == "float")
    assert later not in pull.values()
    assert len({line["id"] for line in lines}) == len(lines)


def test_an_offered_line_is_added_behind_its_own(part, as_user, edit):
    """Smooth, offered behind the mesh line, smooths that mesh; a verb that does not fit is refused."""
    client = as_user("editor")
    mesh = next(line["id"] for line in part.document["lines"] if line["verb"] == "mesh")
    answer = edit(client, op="next", verb="thicken", after=mesh)
    assert answer.status_code == 200
    part.refresh_from_db()
    lines = part.document["lines"]
    at = [line["id"] for line in lines].index(mesh)
    assert (lines[at + 1]["verb"], lines[at + 1]["mesh"]) == ("thicken", mesh)
    refused = edit(client, revision=part.revision, op="next", verb="revolve", after=mesh)
    assert refused.status_code == 422


def test_rows_come_by_steps_with_what_they_give(cowl):
    """The ventilator: five steps, the bodies of each with faces and tints; without steps the chapters stand as ever."""
    build = finished_build(read_document(cowl))
    rows = chapters(build, None)
    assert [chapter.title for chapter in rows] == ["Cowl", "Hood and lining", "Struts", "Flange", "Guard"]
    assert [chapter.step.faces for chapter in rows] == [2040, 2048, 816, 5936, 7942]
    assert [chapter.step.tints for chapter in rows] == [(0,), (1, 2), (3,), (4,), (5, 6)]
    assert summary(build).startswith("7 bodies, 18,782 faces of 20,000")
    bare = {**cowl, "lines": [line for line in cowl["lines"][:9] if line["verb"] != "step"]}
    assert chapters(finished_build(read_document(bare)), None)[0].title == "Draw"


def test_what_goes_without_saying_is_marked(cowl):
    """Clauses at their usual values are quiet; one that was changed is said."""
    build = finished_build(read_document(cowl))
    mesh = next(row for chapter in chapters(build, None) for row in chapter.rows if row.verb == "mesh")
    said = "".join(part.text + part.tail for part in mesh.parts if not part.quiet).replace("\u2060", "")
    assert said == "Mesh cowl by 60 round and 34 along, giving cowl mesh."
    assert "poles closed with" in "".join(part.text for part in mesh.parts if part.quiet)
    assert mesh.has_more


def test_the_part_is_listed_mesh_by_mesh(cowl):
    """Each mesh with its faces and how it stands; together against the budget."""
    build = finished_build(read_document(cowl))
    meshes = gauged_meshes(shown_items(build, 0))
    rows = part_meshes(build, meshes, meshes[-1], begin=False)
    names = ["cowl mesh", "hood mesh", "lining mesh", "struts mesh", "flange mesh", "guard", "guard bead"]
    assert [row.name for row in rows] == names
    assert [row.chosen for row in rows] == [False] * 6 + [True]
    whole = part_faces(rows, 20_000)
    assert (whole.text, whole.percent, whole.is_over) == ("18,782 of 20,000", 94, False)
    assert part_faces(rows, 9_000).is_over


def test_a_tint_stays_when_lines_are_put_in_between(cowl):
    """A body that is written later takes the next tint, wherever it stands; a mesh has that of its surface."""
    document = read_document(cowl)
    before = tints_of(document)
    lines = [line.model_dump() for line in document.lines]
    new = {"id": "l99", "verb": "simple", "form": "sphere", "gives": "float"}
    after = tints_of(read_document({**cowl, "lines": [*lines[:3], new, *lines[3:]]}))
    assert {item: after[item] for item in before} == before
    assert after["l99"] not in {before[item] for item in before}
    by_name = {document.item_name(item): tint for item, tint in before.items()}
    assert by_name["cowl"] == by_name["cowl mesh"]


def test_the_tints_of_the_page_are_those_of_the_board():
    """tokens.css and the paints of the board name the same family."""
    tokens = (STATIC / "css/tokens.css").read_text()
    assert [re.search(rf"--tint-{k}: (#\w+)", tokens)[1] for k in range(len(TINTS))] == list(TINT_TOKENS)


def test_references_choose_from_one_list(cowl):
    """The items of the sheet stand on the page once, with their kinds; a reference brings only the one it has."""
    document = read_document(cowl)
    assert ("l3", "surface", "cowl") in item_list(document)
    row = next(row for chapter in chapters(finished_build(document), None) for row in chapter.rows if row.verb == "mesh")
    surface = next(part for part in row.parts if part.field == "surface")
    assert (surface.options, surface.kinds) == ((), ("surface", "surfaces", "trimmed"))


def test_the_page_of_keys_lists_every_key_that_is_asked_for(as_user, people):
    """Each letter that the scripts know by itself, each way of picking, and each verb done to what is picked."""
    page = as_user("owner").get("/keys/").content.decode()
    letters = re.search(r"this\.acts = \{(.*?)\n    \};", (JS / "keys.js").read_text(), re.DOTALL)[1]
    keys = [match[1] or match[2] for match in re.finditer(r'^      (?:"(.)"|(\w)):', letters, re.MULTILINE)]
    assert len(keys) >= 7
    for key in [*keys, *(key for *_, key in PICKS), *(act.key for act in ACTS)]:
        assert f"<kbd>{key.upper()}</kbd>" in page, key


@pytest.mark.parametrize("op", ["move_many", "pause_many", "remove_many", "make_step"])
def test_lines_that_are_gone_are_told(part, as_user, edit, op):
    """Somebody else removed them meanwhile: a sentence, or nothing to do, never a lost sheet."""
    part.refresh_from_db()
    before = part.document["lines"]
    answer = edit(as_user("editor"), op=op, lines="gone", by="1")
    assert answer.status_code in (200, 422)
    part.refresh_from_db()
    assert part.document["lines"] == before


def test_every_change_is_listed_shown_and_returned_to(part, as_user, edit):
    """The history as sentences with who and when; the part goes back to any of them, and forth again by undo."""
    client = as_user("editor")
    edit(client, op="set", line="l2", field="radius", value="5 mm")
    edit(client, revision=2, op="set", line="l2", field="radius", value="6 mm")
    page = client.get(f"/parts/{part.id}/versions/").content.decode()
    assert page.count("Line 2 changed") == 2
    assert "by editor" in page
    compared = client.get(f"/parts/{part.id}/compare/", {"left": "c2", "right": "now"}).content.decode()
    assert "after change 2" in compared
    assert re.search(r'is-gone">.*Round .* 5 mm', compared)
    assert re.search(r'is-new">.*Round .* 6 mm', compared)
    assert "body mesh" in compared
    answer = client.post(f"/parts/{part.id}/changes/2/return/", {"revision": 3})
    assert answer.status_code == 302
    part.refresh_from_db()
    assert next(line for line in part.document["lines"] if line["id"] == "l2")["radius"] == "5 mm"
    gone = client.post(f"/parts/{part.id}/changes/99/return/", {"revision": 4})
    assert gone.status_code == 404
    assert as_user("viewer").post(f"/parts/{part.id}/changes/1/return/", {"revision": 4}).status_code == 403


def test_a_long_history_comes_page_by_page(part, as_user, edit):
    """Twenty changes, and the earlier ones when they are asked for."""
    client = as_user("editor")
    for number in range(1, 24):
        edit(client, revision=number, op="set", line="l2", field="radius", value=f"{number + 2} mm")
    page = client.get(f"/parts/{part.id}/versions/").content.decode()
    assert page.count("Line 2 changed") == 20
    before = re.search(r"before=(\d+)", page)[1]
    earlier = client.get(f"/parts/{part.id}/versions/", {"before": before}).content.decode()
    assert earlier.count("Line 2 changed") == 3
    assert "Made" in earlier
    assert "before=" not in earlier


def test_two_equal_sheets_say_so(part, as_user):
    """Nothing to tell is told as such."""
    page = as_user("viewer").get(f"/parts/{part.id}/compare/", {"left": "now", "right": "now"}).content.decode()
    assert "The two sheets say the same." in page


def test_lines_of_another_part_of_the_project_are_brought_in(part, project, cowl, as_user, edit, people):
    """The slip offers them by steps; a whole step comes in behind a line, and builds; another project's part does not."""
    other = Part.objects.create(project=project, name="Cowl", document=cowl, changed_by=people["owner"])
    client = as_user("editor")
    page = client.get(f"/parts/{part.id}/bring/", {"from": other.id}).content.decode()
    assert "Hood and lining" in page
    assert "Mesh hood by 64 round and 20 along, giving hood mesh." in page
    wanted = [
        line["id"] for line in cowl["lines"] if line.get("gives") in ("hood", "hood mesh") or line.get("name") == "hood_r"
    ]
    Part.objects.create(project=project, name="Bare", document={**cowl, "lines": []}, changed_by=people["owner"])
    bare = client.get(f"/parts/{part.id}/bring/").content.decode()
    assert "Bare has no line yet. Choose another part." in bare
    assert "Bring them in" not in bare
    before = verbs(part)
    answer = edit(client, op="put_from", **{"from": other.id}, lines=",".join(wanted), after="")
    assert answer.status_code == 200
    assert verbs(part) == [*before, "simple", "mesh"]
    build = finished_build(part.sheet())
    assert [build.reports[line.id].status for line in part.sheet().lines[-2:]] == ["good", "good"]
    Part.objects.filter(id=other.id).update(project=type(project).objects.create(name="Elsewhere"))
    gone = edit(client, revision=2, op="put_from", **{"from": other.id}, lines="l1", after="")
    assert gone.status_code == 404
