"""Sentences as modelers say them: what they become, and what is told where no verb does it at once."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.edit_many import add_proposal
from glass_spoon.sheet.evaluate import evaluate
from glass_spoon.sheet.propose import propose

DRUM = {"id": "d", "verb": "simple", "gives": "drum"}
"""An open cylinder."""


@pytest.fixture(scope="module")
def document() -> SheetDocument:
    """A crate, a knob and a closed outline."""
    lines = [
        {"id": "b", "verb": "block", "gives": "crate"},
        {"id": "k", "verb": "block", "form": "ball", "gives": "knob"},
        {"id": "c", "verb": "circle", "gives": "rim line"},
    ]
    return read_document({"format": "glass-spoon/sheet", "version": 1, "lines": lines})


@pytest.mark.parametrize(
    ("sentence", "verb", "values"),
    [
        ("plate 100 by 60, 3 thick", "block", {"width": "100", "depth": "60", "height": "3"}),
        ("slab 2000 x 1000, 50 thick", "block", {"width": "2000", "depth": "1000", "height": "50"}),
        ("plate of rim line 3 thick", "plate", {}),
        ("make crate 100 wide", "scale", {"item": "b", "evenly": "evenly to", "size": "100", "measured": "wide"}),
        ("make knob 30 mm high", "scale", {"item": "k", "evenly": "evenly to", "size": "30 mm", "measured": "high"}),
        ("scale crate by 2 in height", "scale", {"item": "b", "evenly": "by own factors", "fz": 2, "fx": 1}),
        ("scale crate by 0.5 in width", "scale", {"item": "b", "evenly": "by own factors", "fx": 0.5, "fz": 1}),
        ("copy crate 50 mm to the right", "row", {"item": "b", "count": 2, "x": "50 mm"}),
        ("copy crate 30 up", "row", {"item": "b", "count": 2, "x": "0 mm", "z": "30"}),
        ("copy crate", "copy", {"item": "b"}),
        ("stand knob on crate", "set_down", {"item": "k", "onto": "a body", "body": "b"}),
        ("stand knob on the top of crate", "set_down", {"item": "k", "onto": "a body", "body": "b"}),
        ("put knob on top of crate", "set_down", {"item": "k", "onto": "a body", "body": "b"}),
        ("split crate at height 20", "slice", {"mesh": "b", "at": "20"}),
        ("circle of radius 10", "circle", {"radius": "10"}),
        ("make crate round", "true_up", {"shape": "round"}),
        ("scale knob to 30 mm", "scale", {"item": "k", "evenly": "evenly to", "size": "30 mm", "x": "0 mm"}),
        ("scale knob to 30 mm about 0, 0, 10", "scale", {"evenly": "evenly to", "size": "30 mm", "z": "10"}),
        ("knotted net 300 by 200", "weave", {"pattern": "knotted", "width": "300", "depth": "200", "across": "30 mm"}),
        ("weave a knotted net 300 by 200, meshes 60 by 90", "weave", {"across": "60", "along": "90", "width": "300"}),
        ("scale knob to 50 %", "scale", {"item": "k", "evenly": "evenly", "factor": "0.5"}),
        ("revolve rim line 270", "revolve", {"profile": "c", "axis": "upright axis", "angle": "270"}),
        ("cut crate with knob", "subtract", {"mesh": "b", "others": ["k"]}),
        ("remove crate", "delete", {"mesh": "b"}),
        ("duplicate knob 3 times", "row", {"item": "k", "count": 3}),
        ("align knob with crate", "align", {"item": "k", "to": "to another", "other": "b"}),
        ("extrude rim line by 40 with an open end", "extrude", {"start": "flat", "end": "open"}),
        ("extrude rim line by 40 with open ends", "extrude", {"start": "open", "end": "open"}),
        ("extrude rim line by 40, open at both ends", "extrude", {"start": "open", "end": "open"}),
    ],
)
def test_what_is_said_is_what_is_added(document: SheetDocument, sentence: str, verb: str, values: dict[str, object]) -> None:
    """The verb that does it comes first, understands every word, and has the values."""
    first = propose(sentence, document)[0]
    assert (first.verb, first.missed) == (verb, ())
    said = first.line.model_dump()
    assert {name: str(said[name]) for name in values} == {name: str(value) for name, value in values.items()}


@pytest.mark.parametrize(
    ("sentence", "note"),
    [
        ("undo", "Ctrl+Z"),
        ("save", "saved as it is typed"),
        ("distance between crate and knob", "Press D"),
        ("tube 40 high", "Shell"),
        ("remove crate", "A whole item goes with its line"),
        ("wedge 100 by 50 by 30", "Extrude"),
        ("pyramid 40 by 40, 30 high", "Taper"),
        ("pipe 20 outside", "Shell"),
    ],
)
def test_what_no_verb_makes_at_once_is_told(document: SheetDocument, sentence: str, note: str) -> None:
    """The nearest verb, and a sentence on how to go on."""
    assert note in propose(sentence, document)[0].note


def test_a_circle_on_a_body_is_a_circle(document: SheetDocument) -> None:
    """No point of the body is moved, and what was not understood is told."""
    first = propose("circle on the top of crate", document)[0]
    assert first.verb == "circle"
    assert "crate" in first.missed


@pytest.mark.parametrize(
    ("sentence", "verb", "before"),
    [
        ("take the bottom off crate", "delete", ["mark"]),
        ("remove the front from crate", "delete", ["mark"]),
        ("shell crate 2 mm, open at the top", "thicken", ["mark", "delete"]),
        ("thicken crate by 2 mm outside, without the top", "thicken", ["mark", "delete"]),
        ("hollow crate, wall 2 mm, open at the top and the front", "thicken", ["mark", "mark", "delete"]),
        ("shell crate 2 mm open at the top and the bottom", "thicken", ["mark", "mark", "delete"]),
        ("inset the top of drum by 2", "inset", ["mesh", "mark"]),
        ("cap drum", "fill", ["mesh", "mark"]),
    ],
)
def test_what_is_needed_first_is_put_before_it(document: SheetDocument, sentence: str, verb: str, before: list[str]) -> None:
    """A side that is taken off, and the mesh of a surface that is named, are lines before what is said."""
    drum = read_document(document.model_dump() | {"lines": [*document.model_dump()["lines"], DRUM]})
    first = propose(sentence, drum)[0]
    assert (first.verb, first.missed, [line.verb_name for line in first.before]) == (verb, (), before)


@pytest.mark.parametrize(
    ("sentence", "circle", "laid"),
    [
        ("drill a hole of 10 mm through crate", {"radius": "10 mm / 2", "plane": "plan"}, "from above"),
        ("hole of 10 in crate", {"radius": "10 / 2", "right": "0 mm", "up": "0 mm"}, "from above"),
        ("drill crate with 10 mm", {"radius": "10 mm / 2"}, "from above"),
        ("make a hole of radius 4 mm in crate at 20, -10", {"radius": "4 mm", "right": "20", "up": "-10"}, "from above"),
        ("hole 10 mm across through crate from the front", {"radius": "10 mm / 2", "plane": "front"}, "from the front"),
        ("bore a hole of bolt + 0.5 mm in crate", {"radius": "(bolt + 0.5 mm) / 2"}, "from above"),
    ],
)
def test_a_hole_is_a_circle_and_an_opening_along_it(
    document: SheetDocument, sentence: str, circle: dict[str, str], laid: str
) -> None:
    """A size by itself is a diameter, as common practice has it (no source); the walls go right through."""
    bolt = {"id": "s", "verb": "size", "name": "bolt", "value": "8 mm"}
    sheet = read_document(document.model_dump() | {"lines": [bolt, *document.model_dump()["lines"]]})
    first = propose(sentence, sheet)[0]
    (before,), said = first.before, first.line.model_dump()
    assert (first.verb, first.missed, before.verb_name) == ("open", (), "circle")
    assert {name: before.model_dump()[name] for name in circle} == circle
    assert (said["mesh"], said["curves"], said["laid"], said["rim"]) == ("b", [before.id], laid, "walled right through")


@pytest.mark.parametrize(
    "sentence",
    ["drill a hole of 10 in crate at 20, 10, 5", "hole of 10 by 20 in crate", "drill a hole of 10, 5 mm deep in crate"],
)
def test_a_hole_that_asks_for_more_is_not_drilled_without_it(document: SheetDocument, sentence: str) -> None:
    """A depth, or a number that stands for nothing, is told as not understood."""
    assert propose(sentence, document)[0].missed


def test_a_drilled_box_has_the_volume_of_both() -> None:
    """72,000 mm³ less a cylinder of 10 mm across through 30 mm, within what a circle of straight edges leaves."""
    sheet = SheetDocument()
    for sentence in ("box 60 by 40 by 30 mm called crate", "drill a hole of 10 mm through crate"):
        sheet, line = add_proposal(sheet, propose(sentence, sheet)[0], None)
    build = evaluate(sheet, ResultCache())
    assert [report.status for report in build.reports.values()] == ["good"] * 3
    mesh = build.items[line.references()["mesh"]].item.mesh
    assert len(mesh.topology.boundary_edges) == 0
    assert enclosed_volume(mesh) == pytest.approx(72_000 - np.pi * 25 * 30, abs=0.03 * np.pi * 25 * 30)


@pytest.mark.parametrize("way", ["", " from the front", " from the right", " from below"])
def test_a_hole_goes_through_the_middle_of_a_box_wherever_it_stands(way: str) -> None:
    """By the fields of the box: its middle is that of the box, seen that way."""
    sheet = SheetDocument()
    for sentence in ("box 60 by 40 by 30 mm at 100, 20, 5 called crate", f"drill a hole of 10 mm through crate{way}"):
        sheet, line = add_proposal(sheet, propose(sentence, sheet)[0], None)
    build = evaluate(sheet, ResultCache())
    assert build.reports[line.id].told.startswith("1 opening right through, 2 rims")
    hole = build.items[sheet.lines[1].id].item.curve
    axis = {"": 2, " from below": 2, " from the front": 1, " from the right": 0}[way]
    kept = [k for k in range(3) if k != axis]
    places = curve_points(hole, np.linspace(*hole.domain, 101))[:-1]
    assert places.mean(axis=0)[kept] == pytest.approx(np.array([100, 20, 20])[kept], abs=1e-3)


def test_a_hole_in_a_surface_is_drilled_in_its_mesh(document: SheetDocument) -> None:
    """The mesh comes first, then the circle."""
    drum = read_document(document.model_dump() | {"lines": [*document.model_dump()["lines"], DRUM]})
    first = propose("drill a hole of 6 mm through drum from the front", drum)[0]
    assert [line.verb_name for line in first.before] == ["mesh", "circle"]
    assert first.line.references()["mesh"] == first.before[0].id


def test_a_surface_that_has_a_mesh_gets_no_other(document: SheetDocument) -> None:
    """The mesh that is there is worked on."""
    lines = [*document.model_dump()["lines"], DRUM, {"id": "m", "verb": "mesh", "surface": "d", "gives": "drum skin"}]
    first = propose("cap drum", read_document(document.model_dump() | {"lines": lines}))[0]
    assert [line.verb_name for line in first.before] == ["mark"] and first.line.references()["mesh"] == "m"


def test_marks_that_are_not_said_are_those_not_used_yet(document: SheetDocument) -> None:
    """`bevel` behind a marked top that an inset has used takes the rim that is marked, and not the top again."""
    lines = [
        *document.model_dump()["lines"],
        {"id": "t", "verb": "mark", "mesh": "b", "what": "faces facing", "gives": "top"},
        {"id": "i", "verb": "inset", "mesh": "b", "marks": ["t"]},
        {"id": "e", "verb": "mark", "mesh": "b", "what": "sharp edges", "gives": "sharp"},
    ]
    line = propose("bevel by 0.3", read_document(document.model_dump() | {"lines": lines}))[0].line
    assert line.model_dump()["marks"] == ["e"]


@pytest.mark.parametrize(
    ("sentence", "verb", "values"),
    [
        ("taper crate to 0.7 fading over 20", "taper", {"factor": "1 to 0.7", "reach": "20", "tolerance": "0.01 mm"}),
        ("taper crate 0.7 within 0.1", "taper", {"factor": "1 to 0.7", "tolerance": "0.1"}),
        ("twist crate 45 between 10 and 30", "twist", {"turn": "0° to 45", "low": "10", "high": "30", "reach": "0 mm"}),
        ("twist crate 45, fading over 5", "twist", {"turn": "0° to 45", "reach": "5", "tolerance": "0.01 mm"}),
        ("thicken crate 3 mm with 2 loops in the rim", "thicken", {"wall": "3 mm", "loops": "2"}),
    ],
)
def test_a_law_beside_other_numbers_takes_its_own(
    document: SheetDocument, sentence: str, verb: str, values: dict[str, str]
) -> None:
    """The number that nothing else claims is what the verb is about, and no tolerance or reach."""
    first = propose(sentence, document)[0]
    said = first.line.model_dump()
    assert first.verb == verb and {name: str(said[name]) for name in values} == values


@pytest.mark.parametrize(
    ("sentence", "verb"),
    [
        ("twist the top of crate by 45", "twist"),
        ("taper the top of crate to 0.5", "taper"),
        ("panel on the top of crate", "panel"),
    ],
)
def test_verbs_that_need_no_marks_take_a_part_of_an_item(document: SheetDocument, sentence: str, verb: str) -> None:
    """The top is marked before; `taper crate to 0.5 at the top` tells no part of it."""
    first = propose(sentence, document)[0]
    assert (first.verb, first.missed, [line.verb_name for line in first.before]) == (verb, (), ["mark"])
    assert propose("taper crate by 1 to 0.5 at the top", document)[0].before == ()


FRAME = [
    {"id": "p1", "verb": "line", "right": "0", "up": "0", "to_right": "60", "to_up": "0", "gives": "bow"},
    {"id": "p2", "verb": "line", "right": "60", "up": "0", "to_right": "60", "to_up": "40", "gives": "rail"},
    {"id": "p3", "verb": "line", "right": "60", "up": "40", "to_right": "0", "to_up": "40", "gives": "stern"},
    {"id": "p4", "verb": "line", "right": "0", "up": "40", "to_right": "0", "to_up": "0", "gives": "keel"},
    {"id": "p5", "verb": "patch", "curves": ["p1", "p2", "p3", "p4"], "gives": "panel"},
]
"""Four lines that close, and the patch between them."""


@pytest.mark.parametrize(
    ("sentence", "verb", "values"),
    [
        ("make a surface from bow, rail, stern and keel", "patch", {"curves": ["p1", "p2", "p3", "p4"]}),
        ("surface between bow and stern", "loft", {"sections": ["p1", "p3"]}),
        ("ruled surface between bow and stern", "loft", {"sections": ["p1", "p3"], "degree": "1"}),
        ("extend panel by 10", "lengthen", {"surface": "p5", "length": "10"}),
        ("lengthen panel by 10 mm", "lengthen", {"surface": "p5", "length": "10 mm"}),
        ("offset panel by 2", "parallel", {"surface": "p5", "distance": "2"}),
        ("match panel to bow", "match", {"surface": "p5", "onto": "p1"}),
        ("mirror panel across the front", "mirror", {"across": "front plane"}),
        ("sweep bow along rail", "sweep", {"path": "p2"}),
    ],
)
def test_patches_are_worked_on_as_surfaces(sentence: str, verb: str, values: dict[str, object]) -> None:
    """A set of one surface serves where one is asked for; names that are words of verbs too are items where they lead."""
    document = read_document({"format": "glass-spoon/sheet", "version": 1, "lines": FRAME})
    first = propose(sentence, document)[0]
    said = first.line.model_dump()
    assert (first.verb, first.missed) == (verb, ())
    assert {name: said[name] if isinstance(said[name], list) else str(said[name]) for name in values} == values


@pytest.mark.parametrize("sentence", ["show the curvature of panel", "stripes", "draft angle of panel"])
def test_where_a_shape_is_judged_is_told(sentence: str) -> None:
    """Words of judging lead to the place where a shape is judged."""
    document = read_document({"format": "glass-spoon/sheet", "version": 1, "lines": FRAME})
    assert "Judge the shape" in propose(sentence, document)[0].note


@pytest.mark.parametrize(
    ("sentence", "verb", "values"),
    [
        ("put a lattice round knob, 3 by 4 by 5", "lattice", {"item": "k", "across": "3", "deep": "4", "tall": "5"}),
        ("wave crate by 3", "ripple", {"item": "b", "height": "3", "wave": "20 mm"}),
        ("smooth crate keeping its volume", "fair", {"mesh": "b"}),
        ("wires along the edges of crate", "wires", {"mesh": "b", "marks": "[]"}),
    ],
)
def test_shapes_as_they_are_called(document: SheetDocument, sentence: str, verb: str, values: dict[str, str]) -> None:
    """Every word understood, and no mark made where all edges are meant."""
    first = propose(sentence, document)[0]
    said = first.line.model_dump()
    assert (first.verb, first.missed, first.before) == (verb, (), ())
    assert {name: str(said[name]) for name in values} == values


def test_what_stands_out_of_a_body_is_told(document: SheetDocument) -> None:
    """Raising a curve's inside out of a body says which verb makes it."""
    assert "Plate makes" in propose("emboss rim line on crate by 2", document)[0].note


@pytest.mark.parametrize(
    ("sentence", "name"),
    [
        ("circle rim of radius 40", "rim"),
        ("circle hoop in plan 300 mm across", "hoop"),
        ("circle top rim of radius 30 in plan, 50 out", "top rim"),
        ("circle rim, radius 40", "rim"),
        ("polygon nut with 6 sides", "nut"),
        ("cylinder post of radius 10 and height 60", "post"),
        ("box crate lid of 40 by 30 by 20", "crate lid"),
        ("circle centred with crate, radius 5", "circle"),
        ("circle of radius 5", "circle"),
        ("circle with radius 5", "circle"),
        ("helix of 6 turns", "helix"),
    ],
)
def test_a_name_stands_before_what_it_is_of(sentence: str, name: str) -> None:
    """What is made of nothing else takes the words behind its verb as its name; what is done to it is none."""
    empty = read_document({"format": "glass-spoon/sheet", "version": 1, "lines": []})
    assert propose(sentence, empty)[0].line.model_dump()["gives"] == name


CAGE = [
    {"id": "r", "verb": "circle", "plane": "plan", "radius": "40 mm", "gives": "rim"},
    {"id": "t", "verb": "circle", "plane": "plan", "radius": "30 mm", "out": "50 mm", "gives": "top rim"},
    {"id": "p", "verb": "line", "right": "40 mm", "to_right": "30 mm", "to_up": "50 mm", "gives": "post"},
]


@pytest.mark.parametrize(
    ("sentence", "verb", "values"),
    [
        ("join wires along rim, top rim and post, 5 thick", "join_wires", {"curves": "['r', 't', 'p']", "width": "5"}),
        (
            "wire cage of rim, top rim and post with wires of 4 mm, square",
            "join_wires",
            {"width": "4 mm", "section": "square"},
        ),
        ("make a wire basket from rim and top rim, 16 faces round", "join_wires", {"curves": "['r', 't']", "around": "16"}),
        ("truss of struts along rim and post, rectangular 6 by 2", "join_wires", {"width": "6", "height": "2"}),
        ("weld the wires of rim and post, 0.2 inch thick", "join_wires", {"curves": "['r', 'p']", "width": "0.2 inch"}),
        ("patch rim with top rim as a hole", "patch", {"curves": "['r', 't']", "gives": "patch"}),
        ("patch between rim and top rim", "patch", {"curves": "['r', 't']", "gives": "patch"}),
        (
            "ring of 6 copies of post about the upright axis, as one",
            "ring",
            {"item": "p", "joints": "one mesh", "count": "6"},
        ),
    ],
)
def test_cages_as_they_are_called(sentence: str, verb: str, values: dict[str, str]) -> None:
    """Every word understood."""
    first = propose(sentence, read_document({"format": "glass-spoon/sheet", "version": 1, "lines": CAGE}))[0]
    said = first.line.model_dump()
    assert (first.verb, first.missed, first.before) == (verb, (), ())
    assert {name: str(said[name]) for name in values} == values
