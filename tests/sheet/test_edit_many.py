"""Several lines at once: moved, paused, removed, made a step, put in from a text or another sheet."""

from pathlib import Path

import pytest

from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.edit import RefusedEdit
from glass_spoon.sheet.edit_many import (
    make_step,
    move_lines,
    paste_text,
    pause_lines,
    put_lines,
    remove_lines,
    shift_lines,
    step_of,
    up_to,
)
from glass_spoon.sheet.evaluate import evaluate
from glass_spoon.sheet.lines import VERBS
from glass_spoon.sheet.offered_next import BY_KIND, ON_MARKED, next_line, offered_next
from glass_spoon.sheet.text_form.write_text import write_lines, write_text

DEMO = Path(__file__).parents[2] / "glass_spoon/studio/demo"


def sheet(*verbs: str) -> SheetDocument:
    """Return a sheet of lines a, b, c … of some verbs; a word that is no verb is the title of a step."""
    lines = []
    for number, verb in enumerate(verbs):
        known = verb in ("size", "circle", "remark", "extrude")
        line = {"id": chr(97 + number), "verb": verb if known else "step"}
        lines.append(line if known else {**line, "title": verb})
    return read_document({"format": "glass-spoon/sheet", "version": 1, "lines": lines})


def order(document: SheetDocument) -> str:
    """Return the ids of the lines, one behind the other."""
    return "".join(line.id for line in document.lines)


def test_a_step_holds_the_lines_to_the_next_one():
    """Its own heading, and what follows up to the next heading; a plain line stands for itself."""
    document = sheet("Body", "circle", "remark", "Lid", "circle")
    assert step_of(document, "a") == ["a", "b", "c"]
    assert step_of(document, "d") == ["d", "e"]
    assert step_of(document, "b") == ["b"]


@pytest.mark.parametrize(
    ("chosen", "after", "wanted"),
    [("cd", "a", "acdbe"), ("db", "e", "acebd"), ("e", "", "eabcd"), ("a", "e", "bcdea"), ("abcde", "", "abcde")],
)
def test_lines_are_moved_in_their_order(chosen, after, wanted):
    """Whatever the order in which they were chosen, they keep that of the sheet."""
    assert order(move_lines(sheet(*["circle"] * 5), list(chosen), after)) == wanted


def test_lines_do_not_move_behind_themselves():
    """The place must be outside of what is moved."""
    with pytest.raises(RefusedEdit, match="behind one of themselves"):
        move_lines(sheet("circle", "circle"), ["a", "b"], "a")


@pytest.mark.parametrize(
    ("chosen", "by", "wanted"),
    [
        ("de", -1, "abdec"),
        ("de", 1, "abcde"),
        ("b", -1, "abcde"),
        ("c", 1, "abdce"),
        ("bd", 1, "acebd"),
        ("bd", -1, "abdce"),
    ],
)
def test_lines_pass_their_neighbour(chosen, by, wanted):
    """A size at the head is passed over; those chosen gather, and stop at the ends."""
    assert order(shift_lines(sheet("size", "circle", "circle", "circle", "circle"), list(chosen), by)) == wanted


def test_a_step_passes_a_step():
    """Moved as a whole it goes past the whole step before or behind it, not into it."""
    document = sheet("Body", "circle", "Lid", "circle", "circle", "Rim", "circle")
    assert order(shift_lines(document, step_of(document, "c"), -1)) == "cdeabfg"
    assert order(shift_lines(document, step_of(document, "c"), 1)) == "abfgcde"
    assert order(shift_lines(document, step_of(document, "a"), 1)) == "cdeabfg"


def test_lines_are_paused_taken_up_and_removed_together():
    """Each of those named, and no other."""
    document = sheet("circle", "circle", "circle")
    paused = pause_lines(document, ["a", "c"], paused=True)
    assert [line.paused for line in paused.lines] == [True, False, True]
    assert [line.paused for line in pause_lines(paused, ["c"], paused=False).lines] == [True, False, False]
    assert order(remove_lines(document, ["a", "c"])) == "b"


def test_chosen_lines_become_a_step_and_the_rest_goes_on():
    """They gather under the new heading; what stood behind them keeps its own heading."""
    made, step = make_step(sheet("Body", "circle", "circle", "circle", "circle"), ["c", "e"], "Body")
    titles = [getattr(line, "title", line.id) for line in made.lines]
    assert titles == ["Body", "b", "Body 2", "c", "e", "Body, on", "d"]
    assert made.line(step).title == "Body 2"


def test_what_is_behind_the_place_is_not_seen():
    """A line that is added in the middle finds its items before it; sizes are seen wherever they stand."""
    document = sheet("circle", "circle", "size")
    assert order(up_to(document, "a")) == "ac"
    assert order(up_to(document, None)) == "abc"


def test_a_copied_part_builds_the_same_again():
    """The whole kettle, copied and pasted behind itself: twice as many lines, all good, names and ids of their own."""
    document = read_document((DEMO / "camp-kettle.json").read_bytes())
    text = write_lines(document, {line.id for line in document.lines})
    put = paste_text(document, text, None)
    assert put.told == ()
    build = evaluate(put.document, ResultCache())
    first = [build.reports[line.id].status for line in document.lines]
    assert [build.reports[line_id].status for line_id in put.ids] == [
        status for line, status in zip(document.lines, first, strict=True) if line.verb_name != "size"
    ]
    names = list(put.document.item_names().values())
    assert len(names) == len(set(names)) == 2 * len(document.item_names())
    meshes = [build.items[line.id].item.mesh for line in put.document.lines if line.verb_name == "mesh"]
    assert meshes[0].face_count == meshes[1].face_count
    assert abs(meshes[0].positions - meshes[1].positions).max() < 1e-12


def test_a_size_of_another_value_gets_a_name_of_its_own():
    """The pasted lines follow the size that came with them, not the one that was there by the same name."""
    text = "- wall = `2 mm`\n1. **Circle** *rim*, radius `10 * wall`.\n"
    first = paste_text(sheet(), text, None).document
    second = paste_text(first, text.replace("2 mm", "3 mm"), None).document
    assert [(line.name, line.value) for line in second.lines if line.verb_name == "size"] == [
        ("wall", "2 mm"),
        ("wall_2", "3 mm"),
    ]
    assert [(line.gives, line.radius) for line in second.lines if line.verb_name == "circle"] == [
        ("rim", "10 * wall"),
        ("rim 2", "10 * wall_2"),
    ]
    assert len(paste_text(first, text, None).ids) == 1  # the same size is not put in twice


def test_plain_sentences_of_a_mail_become_lines():
    """No marks at all: the finder reads them; what it does not understand stands as a remark."""
    mail = "circle of radius 30 mm\n\nextrude it by 12 mm wobbly\n\nqwertz"
    put = paste_text(sheet(), mail, None)
    assert [line.verb_name for line in put.document.lines] == ["circle", "extrude", "remark", "remark"]
    circle, extrude, *remarks = put.document.lines
    assert [remark.text for remark in remarks] == list(put.told)
    assert (circle.radius, extrude.distance, extrude.profile) == ("30 mm", "12 mm", circle.id)
    assert put.told == ("Not understood: “wobbly” of “extrude it by 12 mm wobbly”", "Not understood: “qwertz”")
    with pytest.raises(RefusedEdit, match="Not understood"):
        paste_text(sheet(), "qwertz", None)


def test_lines_of_another_part_are_put_in():
    """Two lines of another sheet; what they used there and is not among them is left open."""
    source = read_document((DEMO / "ventilator.json").read_bytes())
    chosen = [line.id for line in source.lines if getattr(line, "gives", "") in ("hood", "hood mesh")]
    own = read_document((DEMO / "camp-kettle.json").read_bytes())
    put = put_lines(own, source, chosen, own.lines[2].id)
    hood, mesh = (put.document.line(line_id) for line_id in put.ids)
    assert mesh.surface == hood.id
    assert [line.id for line in put.document.lines].index(hood.id) == 3
    alone = put_lines(own, source, chosen[1:], None)
    assert alone.document.line(alone.ids[0]).surface == ""


def test_what_is_offered_next_can_be_added():
    """Behind every line of the demo, each verb that is offered gives a line that uses what the line made."""
    offered = set()
    for path in sorted(DEMO.glob("*.json")):
        document = read_document(path.read_bytes())
        for line in document.lines:
            for verb in offered_next(document, line.id):
                added = next_line(document, verb, line.id)
                assert line.item_id in added.references().values(), (path.stem, line.id, verb)
                offered.add(verb)
    assert offered >= {"revolve", "mesh", "smooth", "thicken", "mark", "bevel", "pull_out", "cord", "take"}
    assert {verb for verbs in (*BY_KIND.values(), *ON_MARKED.values()) for verb in verbs} <= set(VERBS)


def test_nothing_is_offered_behind_a_remark():
    """What makes nothing leads to nothing; a verb that does not fit is refused."""
    document = sheet("circle", "remark")
    assert offered_next(document, "b") == ()
    with pytest.raises(RefusedEdit, match="cannot be added here"):
        next_line(document, "smooth", "a")


def test_long_names_make_room_for_their_number():
    """A name of sixty letters, and a size of forty, pasted twice: the second ones are shorter and numbered."""
    text = f"- {'w' * 40} = `2 mm`\n1. **Circle** *{'r' * 60}*, radius `{'w' * 40} * 5`.\n"
    first = paste_text(sheet(), text, None).document
    second = paste_text(first, text.replace("2 mm", "3 mm"), None).document
    names = [getattr(line, "gives", None) or line.name for line in second.lines]
    assert names == ["w" * 40, "r" * 60, f"{'w' * 36}_2", f"{'r' * 48} 2"]
    assert second.lines[-1].radius == f"{'w' * 36}_2 * 5"


def test_a_product_in_a_plain_sentence_keeps_its_star():
    """Pasted without marks, `2 * wall` is twice the wall, not 2."""
    first = paste_text(sheet(), "- wall = `3 mm`", None).document
    put = paste_text(first, "circle of radius 2 * wall", None)
    assert (put.document.lines[-1].radius, put.told) == ("2 * wall", ())


def test_a_whole_sheet_is_pasted_as_its_lines():
    """With its head: the same lines; one of another version of a verb is refused, as it would be as a file."""
    text = write_text(read_document((DEMO / "ventilator.json").read_bytes()))
    put = paste_text(sheet("circle"), text, None)
    assert len(put.ids) == 36
    assert {report.status for report in evaluate(put.document, ResultCache()).reports.values()} <= {"good", "look"}
    with pytest.raises(RefusedEdit, match="the verb ring of version 1, and this program reads version 3"):
        paste_text(sheet(), text.replace('"ring": 3', '"ring": 1'), None)


@pytest.mark.parametrize("order", [("wall", "foot"), ("foot", "wall")])
def test_sizes_that_come_along_mean_each_other_in_any_order(order: tuple[str, str]) -> None:
    """A wall that is a quarter of a foot of 12 stays 3, where the sheet has a foot of its own."""
    values = {"wall": "foot / 4", "foot": "12 mm"}
    head = {"format": "glass-spoon/sheet", "version": 1}
    lines = [{"id": f"s{k}", "verb": "size", "name": name, "value": values[name]} for k, name in enumerate(order)]
    source = read_document({**head, "lines": lines})
    own = read_document({**head, "lines": [{"id": "f", "verb": "size", "name": "foot", "value": "30 mm"}]})
    put = put_lines(own, source, [line.id for line in source.lines], None)
    known = {line.name: line.value for line in put.document.lines}
    assert known == {"foot": "30 mm", "foot_2": "12 mm", "wall": "foot_2 / 4"}
