"""Plain words to lines: what modelers say when they mesh, mark, mend and smooth."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.edit import default_line
from glass_spoon.sheet.lines import VERBS
from glass_spoon.sheet.phrase import as_typed
from glass_spoon.sheet.propose import propose
from glass_spoon.sheet.said_text import SaidText
from tests.conftest import DEMO


@pytest.fixture(scope="module")
def lantern() -> SheetDocument:
    """Three surfaces, glass, cap and foot; lantern of all, lantern mesh of it; marks foot edges and glass band."""
    return read_document(json.loads((DEMO / "lantern.json").read_text()))


SAID = [
    ("mesh everything", "mesh", {"surface": "every"}),
    ("mesh all surfaces about 1,000 quads", "mesh", {"surface": "every", "sizing": "faces", "faces": "1000"}),
    ("mesh every surface by face count 1000", "mesh", {"surface": "every", "sizing": "faces", "faces": "1000"}),
    ("about 12,500 faces", "mesh", {"sizing": "faces", "faces": "12500"}),
    ("box 60 by 40 by 30 mm edge length 5 mm", "block", {"width": "60", "edge": "5 mm", "rounding": "0 mm"}),
    ("box 60 by 40 by 30 mm with edges of 5 mm", "block", {"edge": "5 mm", "rounding": "0 mm"}),
    ("box 60 by 40 by 30 mm rounded by 4 mm, 3 mm edges", "block", {"edge": "3 mm", "rounding": "4 mm"}),
    ("pull out level 40 mm", "pull_out", {"way": "to a level", "level": "40 mm"}),
    ("pull out z 12 mm", "pull_out", {"way": "one way", "z": "12 mm"}),
    ("slice at x 7 mm", "slice", {"at": "7 mm", "side": "to the right"}),
    ("slice y 7 mm keeping the front", "slice", {"at": "7 mm", "side": "in front"}),
    ("revolve rise 30 mm", "revolve", {"course": "climbing", "rise": "30 mm"}),
    ("simple cylinder height 70 mm", "simple", {"form": "cylinder", "height": "70 mm"}),
    ("rectangle third radius 7 mm", "rectangle", {"third": "7 mm"}),
    ("grid count across 6", "grid", {"across": "6"}),
    ("mesh edges of 5 mm", "mesh", {"sizing": "edge length", "edge_length": "5 mm"}),
    ("mesh glass with 5 mm edges", "mesh", {"surface": "l1", "sizing": "edge length", "edge_length": "5 mm"}),
    ("mesh within 0.05 mm", "mesh", {"sizing": "tolerance", "tolerance": "0.05 mm"}),
    ("mesh chord tolerance 0.1 mm", "mesh", {"sizing": "chord", "chord": "0.1 mm"}),
    ("mesh 64 x 30", "mesh", {"sizing": "counts", "round": "64", "along": "30"}),
    ("mesh 30 along 64 round", "mesh", {"round": "64", "along": "30"}),
    ("mesh round 64 along 30", "mesh", {"round": "64", "along": "30"}),
    ("mesh glass as many as lantern mesh", "mesh", {"surface": "l1", "sizing": "another mesh", "like": "l5"}),
    ("mesh in multiples of 8", "mesh", {"counting": "multiples", "step": "8"}),
    ("mesh denser at bends", "mesh", {"spaced": "denser at bends"}),
    ("close small gaps up to 0.2 mm", "weld", {"points": "edges", "distance": "0.2 mm"}),
    ("weld doubled points within 0.05 mm", "weld", {"distance": "0.05 mm"}),
    ("join triangles", "pair", {}),
    ("triangles to quads", "pair", {}),
    ("even out", "relax", {}),
    ("relax 40 rounds strength 0.3", "relax", {"rounds": "40", "strength": "0.3"}),
    ("reverse the normals", "turn_over", {}),
    ("smooth twice", "smooth", {"times": "2"}),
    ("smooth lantern mesh to level 3", "smooth", {"times": "3", "mesh": "l5"}),
    ("crease foot edges sharpness 2.5", "crease", {"sharpness": "2.5", "marks": ["l6"]}),
    ("crease the rim sharpness 3", "crease", {"sharpness": "3"}),
    ("support loops 2 mm", "support", {"distance": "2 mm"}),
    ("boundary", "mark", {"what": "rim"}),
    ("mark faces facing up within 20°", "mark", {"what": "faces facing", "towards": "up", "angle": "20°"}),
    (
        "mark faces between 40 mm and 60 mm called belly",
        "mark",
        {"what": "faces in a band", "low": "40 mm", "high": "60 mm"},
    ),
    ("loop at height 42 mm", "mark", {"what": "edges at a height", "low": "42 mm"}),
    ("edges sharper than 30 degrees", "mark", {"what": "sharp edges", "angle": "30°"}),
    ("move by -20 mm", "move", {"x": "-20 mm"}),
    ("move x 5 z -3", "move", {"x": "5", "z": "-3"}),
    ("move lantern mesh 20 mm up", "move", {"item": "l5", "x": "0 mm", "y": "0 mm", "z": "20 mm"}),
    ("move 10 back", "move", {"x": "0 mm", "y": "10", "z": "0 mm"}),
    ("move lantern mesh left 2 inches, down 3 and forward 1.5", "move", {"x": "-2 inch", "y": "-1.5", "z": "-3"}),
    ("move 10 up 20 to the right", "move", {"x": "20", "y": "0 mm", "z": "10"}),
    ("move up 10 right 20", "move", {"x": "20", "y": "0 mm", "z": "10"}),
    ("move it by -5 mm left", "move", {"x": "5 mm"}),
    ("row of 4 copies of lantern mesh 30 mm apart", "row", {"count": "4", "x": "30 mm", "y": "0 mm", "z": "0 mm"}),
    ("row of 4 copies 30 mm apart upwards", "row", {"count": "4", "x": "0 mm", "z": "30 mm"}),
    ("row of 3 copies 25 mm back", "row", {"count": "3", "x": "0 mm", "y": "25 mm", "z": "0 mm"}),
    ("mark strips made by line 5", "mark", {"what": "faces made by", "grown": 0}),
    ("mark loops made by line 5", "mark", {"what": "edges made by"}),
    ("circle radius 5 20 up", "circle", {"radius": "5", "right": "0 mm", "up": "20"}),
    ("mesh round 64 30 along", "mesh", {"round": "64", "along": "30"}),
    ("round 5", "round", {"radius": "5"}),
    ("size body_d 160 mm", "size", {"name": "body_d", "value": "160 mm"}),
    ("circle diameter 30 mm", "circle", {"radius": "30 mm / 2"}),
    ("circle 30 mm diameter", "circle", {"radius": "30 mm / 2"}),
    ("circle 20 mm plan", "circle", {"radius": "20 mm", "plane": "plan"}),
    ("rectangle tank 300 by 200", "rectangle", {"gives": "tank", "width": "300", "height": "200"}),
    ("rectangle 30 mm wide and 20 mm high", "rectangle", {"width": "30 mm", "height": "20 mm"}),
    ("helix left hand 5 turns", "helix", {"hand": "left-handed", "turns": "5"}),
    ("helix radius 30 mm", "helix", {"radius": "30 mm", "end_radius": "30 mm"}),
    (
        "helix about the front-back axis, 5 turns of 50 mm",
        "helix",
        {"axis": "front-back axis", "turns": "5", "pitch": "50 mm"},
    ),
    ("giving tank, skin over rings", "skin", {"gives": "tank"}),
    (
        "skin over rings 150 at 0, 160 by 120 at 20",
        "skin",
        {"rings": [{"width": "150", "height": "0"}, {"width": "160", "depth": "120", "height": "20"}]},
    ),
    ("sphere radius 40 mm", "simple", {"form": "sphere", "radius": "40 mm"}),
]


@pytest.mark.parametrize(("text", "verb", "values"), SAID, ids=[text for text, _, _ in SAID])
def test_words_of_the_trade_find_the_verb_and_fill_its_fields(lantern, text, verb, values) -> None:
    """Each saying finds its verb first, with the fields it speaks of."""
    found = propose(text, lantern)[0]
    assert found.verb == verb
    assert {name: getattr(found.line, name) for name in values} == values


def test_what_was_understood_is_told(lantern) -> None:
    """Every word used is listed in the order of the fields."""
    found = propose("mesh everything about 1,000 quads called kit", lantern)[0]
    assert found.told == ("every surface", "face count", "count of faces 1000", "called kit")


def test_a_name_ends_the_text(lantern) -> None:
    """What follows "called" is the name, numbers and all."""
    found = propose("mark faces between 40 and 60 called belly 12", lantern)[0]
    assert found.line.gives == "belly 12"
    assert (found.line.low, found.line.high) == ("40", "60")


@pytest.mark.parametrize(
    ("text", "verb", "name"),
    [
        ("draw path in plan", "draw", "path"),
        ("draw a handle through 0 0, 10 20, 30 0", "draw", "handle"),
        ("draw rail in front", "draw", "rail"),
        ("draw edge", "draw", "edge"),
        ("draw curve", "draw", "profile"),
        ("draw a smooth curve", "draw", "profile"),
        ("circle rim", "circle", "rim"),
        ("ball knob", "simple", "knob"),
        ("spiral inwards", "spiral", "spiral"),
        ("helix left-handed", "helix", "helix"),
        ("rectangle rounded", "rectangle", "rectangle"),
    ],
)
def test_a_word_behind_what_is_made_of_nothing_names_it(text: str, verb: str, name: str) -> None:
    """Also where another verb knows the word, and at the end; what says how it is made is no name."""
    found = propose(text, SheetDocument())[0]
    assert (found.verb, found.line.model_dump()["gives"]) == (verb, name)


def test_a_way_takes_the_name_of_a_size() -> None:
    """A size named with a direction fills the right coordinate with its sign."""
    lift = {"id": "l1", "verb": "size", "name": "lift", "value": "4 mm"}
    sheet = read_document({"format": "glass-spoon/sheet", "version": 1, "lines": [lift]})
    line = next(found.line for found in propose("move lift down", sheet) if found.verb == "move")
    assert (line.x, line.z) == ("0 mm", "-lift")


def test_sizes_stand_for_numbers() -> None:
    """The field holds the size's name, not its value."""
    sheet = read_document(
        {
            "format": "glass-spoon/sheet",
            "version": 1,
            "lines": [{"id": "l1", "verb": "size", "name": "edge_w", "value": "4 mm"}],
        }
    )
    assert propose("mesh edges of edge_w", sheet)[0].line.edge_length == "edge_w"


def test_numbers_with_a_unit_go_only_to_fields_of_their_kind(lantern) -> None:
    """Millimetres and degrees find the fields of their kind."""
    assert propose("relax 0.2 mm", lantern)[0].line.off == "0.2 mm"
    assert propose("turn 30°", lantern)[0].line.angle == "30°"


def test_numbers_go_only_to_fields_whose_range_holds_them(lantern) -> None:
    """A count of a thousand does not become an angle."""
    said = {found.verb: found.said for found in propose("1000 quads", lantern)}
    assert "angle" not in said["pair"]
    assert "sizing" in said["mesh"]


def test_a_number_beside_the_name_of_a_field_goes_there_though_it_is_out_of_range(lantern) -> None:
    """The line then says so; put into another field it would be lost."""
    assert propose("relax strength 7", lantern)[0].line.strength == "7"
    assert propose("crease sharpness 99", lantern)[0].line.sharpness == "99"


def test_a_verb_with_nothing_to_work_on_comes_later() -> None:
    """With no item to work on a verb that needs one stands behind."""
    empty = SheetDocument()
    assert propose("reverse", empty)[0].verb in ("reverse", "flip", "turn_over")
    assert propose("m24 thread", empty)[0].verb == "thread"


@pytest.mark.parametrize(
    ("text", "typed"),
    [("1,250,000", "1250000"), ("3 inches", "3 inch"), ("12.5mm", "12.5 mm"), ("-4 deg", "-4°"), ("w", "w")],
)
def test_numbers_are_typed_as_the_sheet_has_them(text, typed) -> None:
    """Commas, units and signs are written as the sheet writes them."""
    assert as_typed(text) == typed


def test_numbers_are_read_with_their_neighbours() -> None:
    """Words beside a number are known on both sides."""
    found = SaidText("radius of 2.5 mm, 1,000 sides and m24", {}).numbers()
    words = [[word for word, _ in side] for number in found for side in (number.before, number.after)]
    assert [number.typed for number in found] == ["2.5 mm", "1000"]
    assert words == [["radius"], [], [], ["sides", "m24"]]


@given(st.text("abcdefghilmnorstuwxz 0123456789.,-°=mm", max_size=60))
def test_any_text_is_taken_and_every_proposal_is_a_line(text) -> None:
    """Whatever is typed, proposals are valid lines."""
    sheet = read_document(json.loads((DEMO / "lantern.json").read_text()))
    for found in propose(text, sheet)[:6]:
        assert type(found.line) is VERBS[found.verb]
        assert found.line == type(found.line).model_validate(found.line.model_dump())


def test_an_empty_text_proposes_plain_lines(lantern) -> None:
    """Nothing said gives each verb's default line."""
    assert {found.verb: found.line for found in propose(" ", lantern)} == {
        verb: default_line(lantern, verb) for verb in VERBS
    }


def with_sizes() -> SheetDocument:
    """A sheet with sizes, a star, a spine to sweep it along, and a post."""
    lines = [
        {"id": "s1", "verb": "size", "name": "n", "value": "3"},
        {"id": "s2", "verb": "size", "name": "opening", "value": "20°"},
        {"id": "s3", "verb": "size", "name": "wall", "value": "2 mm"},
        {"id": "l1", "verb": "star", "gives": "star"},
        {"id": "l2", "verb": "line", "gives": "spine"},
        {"id": "l3", "verb": "simple", "form": "cylinder", "gives": "post"},
    ]
    return read_document({"format": "glass-spoon/sheet", "version": 1, "lines": lines})


EXPRESSED = [
    ("sphere radius 40 mm from -90° to 90° - opening", "simple", {"low": "-90°", "high": "90° - opening"}, ()),
    ("circle radius 30 mm - wall", "circle", {"radius": "30 mm - wall"}, ()),
    ("circle radius (30 mm + wall) * 2 on the plan", "circle", {"radius": "(30 mm + wall) * 2", "plane": "plan"}, ()),
    ("rectangle 30 by 20, corners of 2 on the plan plane", "rectangle", {"radius": "2", "plane": "plan", "turn": 0}, ()),
    (
        "sweep star along spine twist 0° to 540° eased, bias 0.35",
        "sweep",
        {"profile": "l1", "path": "l2", "twist": "0° to 540° eased, bias 0.35", "others": []},
        (),
    ),
    ("sweep star along spine scaled 1 to 0.5", "sweep", {"scale": "1 to 0.5"}, ()),
    ("extrude star 20 mm tapered 1 to 0.6", "extrude", {"distance": "20 mm", "scale": "1 to 0.6"}, ()),
    ("mesh post with frobnication", "mesh", {"surface": "l3"}, ("frobnication",)),
    ("circle radius 20 mm and 7", "circle", {"radius": "20 mm"}, ()),
]


@pytest.mark.parametrize(("text", "verb", "values", "missed"), EXPRESSED, ids=[text for text, *_ in EXPRESSED])
def test_expressions_laws_and_unknown_words_are_kept_apart(
    text: str, verb: str, values: dict[str, object], missed: tuple[str, ...]
) -> None:
    """With sizes called n, opening and wall: expressions whole, laws whole, letters of words no sizes, the rest told."""
    first = propose(text, with_sizes())[0]
    assert first.verb == verb
    assert {name: getattr(first.line, name) for name in values} == values
    assert first.missed[: len(missed)] == missed


def test_no_new_line_takes_one_item_for_two_fields() -> None:
    """With one curve: what sweeps, lofts, blends or plates needs two, and the second field stays empty."""
    lone = [{"id": "l1", "verb": "circle", "gives": "ring"}]
    sheet = read_document({"format": "glass-spoon/sheet", "version": 1, "lines": lone})
    for verb in VERBS:
        line = default_line(sheet, verb)
        used = [item for name, item in line.references().items() if item]
        assert len(used) == len(set(used)), verb


TRADE = [
    "difference",
    "union",
    "material",
    "unfold",
    "unwrap",
    "boolean",
]


@pytest.mark.parametrize("word", TRADE)
def test_words_of_the_trade_lead_to_what_comes_nearest(word: str, lantern: SheetDocument) -> None:
    """A verb, and a sentence on how it does it or that none does yet."""
    first = propose(word, lantern)[0]
    assert first.verb in VERBS
    assert first.note.endswith(".")


ARCS = [
    {
        "id": "l1",
        "verb": "arc",
        "given_by": "its centre",
        "start_angle": 0,
        "end_angle": 180,
        "radius": "30 mm",
        "gives": "outer",
    },
    {
        "id": "l2",
        "verb": "arc",
        "given_by": "its centre",
        "start_angle": 0,
        "end_angle": 180,
        "radius": "20 mm",
        "gives": "inner",
    },
]


@pytest.mark.parametrize(
    ("words", "verb", "said"),
    [
        ("join the end of outer to the start of inner", "join", ("l1", "end", "l2", "start")),
        ("join outer and inner", "join", ("l1", "nearest", "l2", "nearest")),
        ("join the start of inner, a straight line between, to the end of outer", "join", ("l2", "start", "l1", "end")),
        ("blend from the start of inner to the end of outer tangent", "blend", ("l2", "start", "l1", "end")),
        ("blend end of outer start of inner", "blend", ("l1", "end", "l2", "start")),
    ],
)
def test_ends_go_with_the_curves_that_have_them(words: str, verb: str, said: tuple[str, ...]) -> None:
    """In the order they are said, not the longer word first; nothing of it is missed."""
    proposal = propose(words, read_document({"format": "glass-spoon/sheet", "version": 1, "lines": ARCS}))[0]
    line = proposal.line
    assert (line.verb_name, proposal.missed) == (verb, ())
    assert tuple(getattr(line, name) for name in ("first", "first_end", "second", "second_end")) == said
