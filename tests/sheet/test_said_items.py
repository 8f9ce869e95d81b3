"""What is said of several items at once: marks bring their mesh, names within names, what is cut out of what."""

from __future__ import annotations

from typing import Any

import pytest

from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.propose import propose

ITEMS = [
    {"id": "a", "verb": "circle", "plane": "plan", "radius": "20 mm", "gives": "rim"},
    {"id": "b", "verb": "draw", "plane": "front", "gives": "side line", "points": [{"x": 10, "y": 0}, {"x": 14, "y": 20}]},
    {"id": "c", "verb": "revolve", "profile": "b", "gives": "cup"},
    {"id": "d", "verb": "mesh", "surface": "c", "gives": "cup mesh"},
    {"id": "e", "verb": "block", "gives": "crate"},
    {"id": "f", "verb": "block", "form": "ball", "gives": "knob"},
    {"id": "g", "verb": "draw", "plane": "plan", "gives": "path", "points": [{"x": -40, "y": 0}, {"x": 40, "y": 0}]},
    {"id": "h", "verb": "mark", "mesh": "d", "what": "rim", "gives": "lip"},
    {"id": "i", "verb": "simple", "form": "sheet", "gives": "flat"},
]


@pytest.fixture(scope="module")
def ground() -> Any:
    """A cup, its mesh and a mark of that; two bodies, made later; a sheet whose name is a word of many choices."""
    return read_document({"format": "glass-spoon/sheet", "version": 1, "lines": ITEMS})


SAID = [
    ("pull out lip by 4 mm", "pull_out", {"mesh": "d", "marks": ["h"], "distance": "4 mm"}),
    ("inset lip by 2 mm", "inset", {"mesh": "d", "marks": ["h"]}),
    ("bevel lip by 1 mm in 3 steps", "bevel", {"mesh": "d", "marks": ["h"], "steps": "3"}),
    ("split off the faces of lip", "split_off", {"mesh": "d", "marks": ["h"]}),
    ("fill the hole of cup mesh", "fill", {"mesh": "d", "marks": ["h"]}),
    ("ring of 6 crates", "ring", {"item": "e", "count": "6"}),
    ("row of 5 knobs 20 apart", "row", {"item": "f", "count": "5", "x": "20"}),
    ("rotate crate by 45 about x", "turn", {"item": "e", "angle": "45", "axis": "left-right axis", "x": "0 mm"}),
    ("turn crate 45 around the y axis", "turn", {"item": "e", "angle": "45", "axis": "front-back axis"}),
    ("turn crate by 30 about z through 10, 0, 5", "turn", {"angle": "30", "axis": "upright axis", "x": "10", "z": "5"}),
    ("turn crate by 30 about x 20", "turn", {"angle": "30", "axis": "upright axis", "x": "20"}),
    ("scale crate by 2 about 10, 0, 0", "scale", {"item": "e", "factor": "2", "x": "10"}),
    ("helix about x 3 turns", "helix", {"axis": "left-right axis", "turns": "3"}),
    ("ring of 6 crates about y through 0, 10, 5", "ring", {"axis": "front-back axis", "y": "10", "z": "5"}),
    ("10 mm cube at 20, 0, 4", "block", {"width": "10 mm", "rounding": "0 mm", "x": "20", "y": "0", "z": "4"}),
    ("sphere radius 5 at 1 2 3", "simple", {"radius": "5", "x": "1", "y": "2", "z": "3"}),
    ("make knob bigger by 20%", "scale", {"item": "f", "factor": "1.2"}),
    ("make knob 20 % smaller", "scale", {"item": "f", "factor": "0.8"}),
    ("make knob twice as big", "scale", {"item": "f", "factor": "2"}),
    ("round crate by 3", "bevel", {"mesh": "e", "sized": "radius", "radius": "3"}),
    ("hollow crate 4 mm", "thicken", {"mesh": "e", "wall": "4 mm"}),
    ("thicken crate 2", "thicken", {"mesh": "e", "wall": "2", "loops": 0}),
    ("thicken crate from 3 mm to 1 mm", "thicken", {"mesh": "e", "wall": "3 mm to 1 mm"}),
    ("thicken crate with 2 loops", "thicken", {"mesh": "e", "wall": "3 mm", "loops": "2"}),
    ("twist crate 90", "twist", {"item": "e", "turn": "0° to 90"}),
    ("twist crate by 90", "twist", {"item": "e", "turn": "0° to 90"}),
    ("taper crate 0.6", "taper", {"item": "e", "factor": "1 to 0.6"}),
    ("bend crate 30", "bend", {"item": "e", "angle": "30"}),
    ("cut crate in half", "slice", {"mesh": "e", "by": "a plane through its middle", "other": "stays too"}),
    ("slice crate in two at 10 mm", "slice", {"mesh": "e", "by": "a plane", "at": "10 mm", "other": "stays too"}),
    ("cone radius 20 height 30", "simple", {"form": "cone", "radius": "20", "second": "0 mm", "height": "30"}),
    ("cone radius 20 to 10 30 high", "simple", {"form": "cone", "radius": "20", "second": "10", "height": "30"}),
    ("ring radius 60 tube 8", "simple", {"form": "torus", "radius": "60", "second": "8"}),
    ("draw a circle with radius 20", "circle", {"radius": "20"}),
    ("add a cylinder 30 high", "simple", {"form": "cylinder", "height": "30"}),
    ("draw a line from 0,0 to 10,5", "line", {"to_right": "10", "to_up": "5"}),
    ("pipe along path radius 5", "cord", {"path": "g", "width": "2 * 5"}),
    ("delete crate", "delete", {"mesh": "e", "marks": []}),
    ("cut knob out of crate", "subtract", {"mesh": "e", "others": ["f"]}),
    ("carve knob out of the crate", "subtract", {"mesh": "e", "others": ["f"]}),
    ("drill knob through crate", "subtract", {"mesh": "e", "others": ["f"]}),
    ("subtract knob from crate", "subtract", {"mesh": "e", "others": ["f"]}),
    ("slice cup mesh at 10 mm", "slice", {"mesh": "d", "by": "a plane", "at": "10 mm"}),
    ("slice crate by cup", "slice", {"mesh": "e", "by": "a surface", "surface": "c"}),
    ("put knob on top of crate", "set_down", {"item": "f", "onto": "a body", "body": "e"}),
    ("put knob on the crate", "set_down", {"item": "f", "onto": "a body", "body": "e"}),
    ("drop knob onto crate with a gap of 1 mm", "set_down", {"item": "f", "body": "e", "gap": "1 mm"}),
    ("set knob down on crate", "set_down", {"item": "f", "body": "e"}),
    ("set down knob on the floor", "set_down", {"item": "f", "onto": "a level", "level": "0 mm"}),
    ("copy knob 8 times around the z axis", "ring", {"item": "f", "count": "8", "axis": "upright axis"}),
    ("repeat knob 5 times 30 mm apart", "row", {"item": "f", "count": "5", "x": "30 mm"}),
    ("scale crate twice as tall", "scale", {"item": "e", "evenly": "by own factors", "fz": "2", "fx": 1}),
    ("scale crate 1.5 times as wide", "scale", {"item": "e", "fx": "1.5", "fz": 1}),
    ("scale knob to half its size", "scale", {"item": "f", "evenly": "evenly", "factor": "0.5"}),
    ("twist crate a quarter turn", "twist", {"item": "e", "turn": "0° to 90°"}),
    ("twist crate by half a turn", "twist", {"item": "e", "turn": "0° to 180°"}),
    ("twist crate from 0 to 90 degrees eased", "twist", {"turn": "0 to 90° eased"}),
    ("taper crate to half at the top", "taper", {"item": "e", "factor": "1 to 0.5"}),
    (
        "mesh cup with 48 faces around and 20 along",
        "mesh",
        {"surface": "c", "sizing": "counts", "round": "48", "along": "20"},
    ),
    ("thicken flat by 3 mm", "shell", {"surface": "i", "wall": "3 mm"}),
    ("offset cup by 2 mm", "parallel", {"surface": "c", "distance": "2 mm"}),
    ("flatten lip", "true_up", {"mesh": "d", "marks": ["h"]}),
    ("ring of 12 crate about the x axis", "ring", {"item": "e", "count": "12", "axis": "left-right axis"}),
    ("ripple flat 3 waves 2 mm high", "ripple", {"spacing": "count", "waves": "3", "height": "2 mm"}),
    ("sections of cup every 5 mm in plan", "cross", {"plane": "plan", "step": "5 mm", "many": "all through"}),
    ("8 sections of cup 4 mm apart in plan", "cross", {"count": "8", "step": "4 mm", "many": "counted"}),
    ("a 10 mm cube", "block", {"width": "10 mm", "depth": "10 mm", "height": "10 mm"}),
    ("cube of 20 mm", "block", {"form": "box", "width": "20 mm", "depth": "20 mm", "height": "20 mm"}),
]


@pytest.mark.parametrize(("text", "verb", "values"), SAID, ids=[text for text, _, _ in SAID])
def test_what_is_said(ground: Any, text: str, verb: str, values: dict[str, Any]) -> None:
    """The line first proposed does what was said, and nothing of it is missed."""
    proposal = propose(text, ground)[0]
    assert proposal.line.verb_name == verb
    assert {name: getattr(proposal.line, name) for name in values} == values
    assert not proposal.missed


@pytest.mark.parametrize(
    ("text", "word"),
    [
        ("bridge the top of crate and knob", "knob"),
        ("drill 6 mm holes through crate from above", "6 mm"),
    ],
)
def test_what_a_verb_cannot_take_is_told(ground: Any, text: str, word: str) -> None:
    """A surface's name is not taken for a choice, nor for the name of what is made; no body is taken from itself."""
    proposal = propose(text, ground)[0]
    assert word in proposal.missed
    assert getattr(proposal.line, "gives", "") not in ("cup", "flat")
    assert getattr(proposal.line, "mesh", "") not in getattr(proposal.line, "others", [])


def test_a_word_that_may_mean_two_verbs_says_what_each_does(ground: Any) -> None:
    """Joining lays meshes together, or makes bodies one skin: the first is taken, and both are told beside it."""
    joined, united = propose("join crate and knob", ground)[0], propose("unite crate and knob", ground)[0]
    assert (joined.verb, united.verb) == ("unite", "unite")
    assert "Fuse makes bodies" in joined.note
    assert united.note == ""


@pytest.mark.parametrize("size", ["diameter 3", "radius 1.5", "with radius 1.5"])
def test_a_name_ends_before_a_size(ground: Any, size: str) -> None:
    """The size that follows a name is a size, and no part of the name."""
    line = propose(f"circle called second rim {size}", ground)[0].line
    assert line.gives == "second rim"
    assert line.radius in ("3 / 2", "1.5")


def test_what_no_line_does_is_told(ground: Any) -> None:
    """A whole item is not deleted by marks, and nothing is hidden by a line: both say where it is done."""
    assert "Pause it, or hide it" in propose("delete knob", ground)[0].note
    assert "under Items" in propose("hide knob", ground)[0].note
    assert propose("delete the top of crate", ground)[0].note == ""


@pytest.mark.parametrize(
    ("text", "verb", "values"),
    [
        ("set knob down on the floor", "set_down", {"onto": "a level"}),
        ("put knob down", "set_down", {"item": "f"}),
        ("inset all faces of crate by 2 mm each", "inset", {"grouping": "each by itself", "distance": "2 mm"}),
        ("inset each face of crate by 3 mm", "inset", {"grouping": "each by itself", "distance": "3 mm"}),
        ("inset the faces of crate singly by 3 mm", "inset", {"grouping": "each by itself", "distance": "3 mm"}),
        ("pull out the top of crate by 3 mm one at a time", "pull_out", {"grouping": "each by itself"}),
        ("ring of 12 knobs at radius 200", "ring", {"count": "12", "first": "0", "radius": "200"}),
        ("ring of 8 knobs, diameter 300", "ring", {"count": "8", "radius": "300 / 2"}),
        ("ring of 6 knobs from 30 over 180", "ring", {"count": "6", "first": "30", "angle": "180", "radius": "0 mm"}),
        ("scale crate to 200 wide", "scale", {"evenly": "evenly to", "size": "200", "measured": "wide"}),
        ("scale knob until it is 4 cm tall", "scale", {"evenly": "evenly to", "size": "4 cm", "measured": "high"}),
        ("scale crate to a depth of 3 inch", "scale", {"evenly": "evenly to", "size": "3 inch", "measured": "deep"}),
        ("scale crate by 1.5", "scale", {"evenly": "evenly", "factor": "1.5"}),
    ],
)
def test_words_beside_a_number_or_a_face_are_not_lost(ground: Any, text: str, verb: str, values: dict[str, str]) -> None:
    """Faces one by one; down on the floor; a radius is no angle, and a width no factor."""
    found = propose(text, ground)[0]
    assert found.verb == verb
    assert {name: str(getattr(found.line, name)) for name in values} == values
