"""What is to be marked, told in plain words with no name: the marks that come before a line, and what it makes of them."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.edit_many import add_proposal, paste_text
from glass_spoon.sheet.evaluate import evaluate
from glass_spoon.sheet.items import MarkItem, MeshItem
from glass_spoon.sheet.propose import propose
from tests.mesh_checker import check_result

SIDE = [{"x": 20, "y": 0}, {"x": 30, "y": 20}, {"x": 35, "y": 40}]
SHEET = read_document(
    {
        "format": "glass-spoon/sheet",
        "version": 1,
        "lines": [
            {"id": "p", "verb": "draw", "plane": "front", "gives": "side", "points": SIDE},
            {"id": "s", "verb": "revolve", "profile": "p", "gives": "bowl"},
            {"id": "m", "verb": "mesh", "surface": "s", "gives": "bowl mesh"},
            {
                "id": "b",
                "verb": "block",
                "form": "box",
                "gives": "crate",
                "width": "40 mm",
                "depth": "40 mm",
                "height": "40 mm",
            },
            {"id": "k", "verb": "block", "form": "ball", "gives": "knob"},
        ],
    }
)
UP, DOWN = {"what": "faces facing", "towards": "up"}, {"what": "faces facing", "towards": "down"}
SAID = [
    ("bevel all edges of crate by 1 mm", "bevel", {"width": "1 mm"}, [{"what": "sharp edges"}]),
    ("bevel crate by 1 mm", "bevel", {"width": "1 mm"}, [{"what": "sharp edges"}]),
    ("round the edges of crate sharper than 45° by 1 mm", "bevel", {"width": "1 mm"}, [{"angle": "45°"}]),
    ("bevel the top edges of crate by 1 mm", "bevel", {"width": "1 mm"}, [UP, {"what": "sharp edges", "meeting": "within"}]),
    ("cut off the corners of crate by 3 mm", "bevel_points", {"width": "3 mm"}, [{"what": "corners"}]),
    ("inset the top of crate by 3 mm", "inset", {"distance": "3 mm"}, [UP]),
    ("pull out the bottom of crate by 5 mm", "pull_out", {"distance": "5 mm"}, [DOWN]),
    ("pull out the left side of crate by 7 mm", "pull_out", {"distance": "7 mm"}, [{"towards": "left"}]),
    ("inset the front of crate by 3 mm", "inset", {"distance": "3 mm"}, [{"towards": "forwards"}]),
    ("pull out every face of crate by 2 mm", "pull_out", {"distance": "2 mm"}, [{"what": "everything"}]),
    ("delete the top of crate", "delete", {}, [UP]),
    ("crease the edges of crate", "crease", {}, [{"what": "sharp edges"}]),
    ("sharpen the rim of bowl mesh", "crease", {"mesh": "m"}, [{"what": "rim"}]),
    ("round up the rim of bowl mesh", "true_up", {"mesh": "m", "shape": "round"}, [{"what": "rim"}]),
    ("flatten the top of crate", "true_up", {}, [UP]),
    ("move the top of crate up by 6 mm", "nudge", {"z": "6 mm", "how": "moved"}, [UP]),
    ("rotate the top of crate by 20°", "nudge", {"angle": "20°", "how": "turned"}, [UP]),
    ("scale the top of crate by 0.8", "nudge", {"factor": "0.8", "how": "scaled"}, [UP]),
    ("nudge the corners of crate by 2 mm up", "nudge", {"z": "2 mm"}, [{"what": "corners"}]),
    ("bevel the edges at height 20 mm of crate by 1 mm", "bevel", {}, [{"what": "edges at a height", "low": "20 mm"}]),
    ("inset top by 3 mm", "inset", {"mesh": "k", "distance": "3 mm"}, [UP]),
]


@pytest.mark.parametrize(("text", "verb", "fields", "marks"), SAID)
def test_marks_told_in_words_come_before_the_line(
    text: str, verb: str, fields: dict[str, str], marks: list[dict[str, str]]
) -> None:
    """The verb is found, its marks are lines of their own on its mesh, all words are understood, and all of it builds."""
    first = propose(text, SHEET)[0]
    assert (first.verb, first.missed) == (verb, ())
    values = first.line.model_dump()
    assert {name: values[name] for name in fields} == fields
    assert len(first.before) == len(marks)
    for line, wanted in zip(first.before, marks, strict=True):
        assert line.mesh == values["mesh"]
        assert {name: getattr(line, name) for name in wanted} == wanted
    assert values["marks"] == [first.before[-1].id]
    document, line = add_proposal(SHEET, first, None)
    build = evaluate(document, ResultCache())
    report = build.reports[line.id]
    assert report.status in ("good", "look"), [finding.sentence for finding in report.findings]
    assert all(
        len(build.items[one.id].item.mark) for one in document.lines if one.verb_name == "mark" and marked(build, one)
    )


def marked(build: object, line: object) -> bool:
    """Say that a line's item is a mark."""
    return isinstance(build.items[line.id].item, MarkItem)  # type: ignore[attr-defined]


def with_lines(*texts: str, document: SheetDocument = SHEET) -> SheetDocument:
    """Return a sheet with lines typed one after another."""
    for text in texts:
        document, _ = add_proposal(document, propose(text, document)[0], None)
    return document


def test_what_is_said_is_done() -> None:
    """The top of a cube of 40 raised by 6 after an inset of 4, its corners cut: volumes by formula."""
    document = with_lines("pull out the top of crate by 6 mm")
    mesh = built_mesh(document, "b")
    assert enclosed_volume(mesh.mesh) == pytest.approx(40**3 + 40 * 40 * 6)
    cut = built_mesh(with_lines("cut off the corners of crate by 1 mm, flat"), "b")
    assert enclosed_volume(cut.mesh) == pytest.approx(40**3 - 8 / 6)
    check_result(cut.mesh, closed=True)
    moved = built_mesh(with_lines("move the top of crate up by 6 mm"), "b")
    assert np.ptp(moved.mesh.positions[:, 2]) == pytest.approx(46)


def built_mesh(document: SheetDocument, item: str) -> MeshItem:
    """Return a mesh of a sheet of which every line holds."""
    build = evaluate(document, ResultCache())
    for line, report in build.reports.items():
        assert report.status in ("good", "look"), (line, [finding.sentence for finding in report.findings])
    found = build.items[item].item
    assert isinstance(found, MeshItem)
    return found


def test_the_same_mark_is_used_again() -> None:
    """A second line on the same place has no second mark; one on another mesh has its own."""
    document = with_lines(
        "inset the top of crate by 3 mm", "pull out the top of crate by 2 mm", "inset the top of knob by 1 mm"
    )
    marks = [line for line in document.lines if line.verb_name == "mark"]
    assert [line.gives for line in marks] == ["crate top", "knob top"]  # type: ignore[attr-defined]


def test_a_mark_that_is_named_is_meant() -> None:
    """A name goes before a word: "bevel top edges" with a mark of that name takes it, and adds none."""
    document = with_lines("mark the top edges of crate, called rim line")
    assert [line.verb_name for line in document.lines[-2:]] == ["mark", "mark"]
    first = propose("bevel rim line by 1 mm", document)[0]
    assert not first.before
    assert first.line.model_dump()["marks"] == [document.lines[-1].id]


def test_verbs_of_whole_items_keep_what_is_no_part() -> None:
    """Nothing is marked where no part is told, nor where the item is no mesh."""
    for text, verb in (
        ("move crate up by 6 mm", "move"),
        ("turn knob by 20°", "turn"),
        ("move the top of bowl up 3 mm", "move"),
    ):
        first = propose(text, SHEET)[0]
        assert (first.verb, first.before) == (verb, ())


@pytest.mark.parametrize(
    ("text", "fields"),
    [
        ("turn lip by 30°", {"how": "turned", "angle": "30°"}),
        ("rotate lip by 30 degrees", {"how": "turned", "angle": "30°"}),
        ("move lip 3 mm up and 2 mm left", {"how": "moved", "z": "3 mm", "x": "-2 mm"}),
        ("scale lip by 0.9", {"how": "scaled", "factor": "0.9"}),
        ("move lip up by 3 mm fading over 12 mm", {"z": "3 mm", "reach": "12 mm"}),
    ],
)
def test_a_named_mark_is_moved_turned_and_scaled(text: str, fields: dict[str, str]) -> None:
    """Verbs of whole items said of a mark do that to what it holds."""
    document = with_lines("mark the rim of bowl mesh, called lip")
    first = propose(text, document)[0]
    assert (first.verb, first.missed, first.before) == ("nudge", (), ())
    values = first.line.model_dump()
    assert {name: values[name] for name in fields} == fields
    assert values["marks"] == [document.lines[-1].id]


def test_to_turn_over_is_no_turn() -> None:
    """Faces are turned over where the word stands, also behind the item."""
    for text in ("turn bowl mesh over", "turn over bowl mesh"):
        assert propose(text, SHEET)[0].verb == "turn_over"
    assert propose("turn crate by 30°", SHEET)[0].verb == "turn"


def test_it_is_what_was_lifted_last() -> None:
    """The top inset, what that left pulled in, its edges bevelled: each mark is of what the line before made."""
    document = with_lines("inset the top of crate by 6 mm", "pull it out by -4 mm", "bevel its edges by 1 mm in 2 steps")
    marks = [line for line in document.lines if line.verb_name == "mark"]
    inset, pulled = (next(line for line in document.lines if line.verb_name == verb) for verb in ("inset", "pull_out"))
    assert [(line.what, line.maker, line.role) for line in marks[1:]] == [  # type: ignore[attr-defined]
        ("faces made by", inset.id, "top"),
        ("edges made by", pulled.id, "rim"),
    ]
    assert {line.mesh for line in marks} == {"b"}, "and not the ball, which was made last"  # type: ignore[attr-defined]
    item = built_mesh(document, "b")
    check_result(item.mesh, closed=True)
    sunk = built_mesh(with_lines("inset the top of crate by 6 mm", "pull out the inner faces by -4 mm"), "b")
    assert enclosed_volume(sunk.mesh) == pytest.approx(40**3 - 28 * 28 * 4)
    assert not propose("pull it out by 2 mm", SHEET)[0].before, "nothing was lifted yet"


@pytest.mark.parametrize(
    ("before", "text", "role"),
    [
        ("open crate along ring from above, walled right through", "bevel its rims by 1 mm in 2 steps", "seam"),
        ("open crate along ring from above", "crease its rims", "rim"),
        ("fuse crate and knob", "crease the seams", "seam"),
        ("subtract knob from crate", "crease the seam of it", "seam"),
    ],
)
def test_rims_and_seams_of_the_line_before(before: str, text: str, role: str) -> None:
    """Openings and joins are called by their rims and seams; what is marked is there."""
    circle = "circle radius 9 mm on the plan plane, called ring"
    document = with_lines(circle, before, text)
    mark = next(line for line in document.lines if line.verb_name == "mark")
    assert (mark.what, mark.role) == ("edges made by", role)  # type: ignore[attr-defined]
    build = evaluate(document, ResultCache())
    report = build.reports[document.lines[-1].id]
    assert report.status in ("good", "look"), [finding.sentence for finding in report.findings]


@pytest.mark.parametrize(
    ("text", "verb", "what"),
    [
        ("close the bottom of bowl mesh", "fill", "lowest rim"),
        ("fill the top of bowl mesh", "fill", "highest rim"),
        ("fill bowl mesh", "fill", "rim"),
        ("close all the holes of bowl mesh", "fill", "rim"),
        ("skirt the top rim of bowl mesh by 5 mm", "skirt", "highest rim"),
        ("crease the bottom rim of bowl mesh", "crease", "lowest rim"),
    ],
)
def test_rims_are_told_by_the_end_at_which_they_lie(text: str, verb: str, what: str) -> None:
    """The top and the bottom of what is open there are its rims."""
    first = propose(text, SHEET)[0]
    assert (first.verb, first.missed) == (verb, ())
    assert [(line.what, line.mesh) for line in first.before] == [(what, "m")]
    document, line = add_proposal(SHEET, first, None)
    build = evaluate(document, ResultCache())
    assert build.reports[line.id].status in ("good", "look")
    mark = build.items[first.before[0].id].item
    assert isinstance(mark, MarkItem)
    mesh = build.before[line.id].item.mesh  # type: ignore[union-attr]
    heights = mesh.positions[mesh.topology.edges.ends[mark.mark.indices].ravel(), 2]
    ends = {"highest rim": {40}, "lowest rim": {0}, "rim": {0, 40}}[what]
    assert set(np.round(heights, 6).tolist()) == ends


def test_a_name_stands_behind_as_too() -> None:
    """Words at the end that are nothing else; a law and a choice behind `as` stay what they are."""
    first = propose("unite crate and knob as frame", SHEET)[0]
    assert (first.verb, first.missed, first.line.model_dump()["gives"]) == ("unite", (), "frame")
    copy = propose("copy crate as second crate", SHEET)[0].line.model_dump()
    assert copy["gives"] == "second crate"
    scaled = propose("scale crate twice as tall", SHEET)[0]
    assert (scaled.verb, scaled.missed) == ("scale", ())


@pytest.mark.parametrize(
    ("text", "across", "kept"),
    [
        ("mirror crate left and right", "side plane", "joined with itself"),
        ("mirror crate front to back, both sides", "front plane", "beside itself"),
        ("mirror crate upside down alone", "plan plane", "alone"),
    ],
)
def test_a_mirror_is_told_by_what_it_swaps(text: str, across: str, kept: str) -> None:
    """Sides in words in place of planes."""
    first = propose(text, SHEET)[0]
    values = first.line.model_dump()
    assert (first.verb, first.missed, values["across"], values["kept"]) == ("mirror", (), across, kept)


def test_words_are_no_marks_where_none_are_taken() -> None:
    """Support works on creases: no mark is added for it. What another mesh is named with is not what was lifted last."""
    first = propose("support the edges of crate by 1 mm", SHEET)[0]
    assert (first.verb, first.before, first.line.model_dump()["marks"]) == ("support", (), [])
    document = with_lines("inset the top of crate by 6 mm")
    (mark,) = propose("bevel its edges of knob by 1 mm", document)[0].before
    assert (mark.mesh, mark.what) == ("k", "sharp edges")


def test_pasted_sentences_bring_their_marks() -> None:
    """A list of plain sentences becomes lines with the marks they need, each on its own mesh."""
    put = paste_text(SHEET, "Inset the top of crate by 4 mm.\n\nBevel the edges of crate by 1 mm.\n", None)
    assert [line.verb_name for line in put.document.lines[5:]] == ["mark", "inset", "mark", "bevel"]
    assert not put.told
    build = evaluate(put.document, ResultCache())
    assert all(report.status in ("good", "look") for report in build.reports.values())


def test_a_line_with_no_mark_offers_some() -> None:
    """It waits, and says what may be marked at once of its mesh."""
    base = SHEET.model_dump(mode="json")
    base["lines"].append({"id": "v", "verb": "bevel", "mesh": "b"})
    report = evaluate(read_document(base), ResultCache()).reports["v"]
    assert report.status == "waiting"
    labels = [action.label for finding in report.findings for action in finding.actions]
    assert labels == ["Mark its sharp edges", "Mark its open rim"]
    base["lines"][-1] = {"id": "v", "verb": "fill", "mesh": "m"}
    report = evaluate(read_document(base), ResultCache()).reports["v"]
    labels = [action.label for finding in report.findings for action in finding.actions]
    assert labels == ["Mark its open rims", "Mark its lowest rim", "Mark its highest rim"]
