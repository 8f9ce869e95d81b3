"""The document: schema, reading, edits, names."""

import json
from pathlib import Path

import jsonschema
import pytest

from glass_spoon.sheet import edit
from glass_spoon.sheet.document import SheetDocument, json_schema, read_document
from glass_spoon.sheet.errors import BadDocument
from glass_spoon.sheet.lines import VERBS
from glass_spoon.sheet.propose import propose
from glass_spoon.sheet.reference_page import write_reference
from glass_spoon.sheet.text_form.grammar import write_grammar

DOCS = Path(__file__).resolve().parents[2] / "docs"


def test_demo_sheets_keep_to_the_schema(kettle, buoy, cowl):
    """The published schema accepts what the program writes."""
    schema = json_schema()
    jsonschema.Draft202012Validator.check_schema(schema)
    for sheet in (kettle, buoy, cowl):
        jsonschema.validate(sheet, schema)


def test_schema_refuses_unknown_verbs(kettle):
    """Other programs find the same mistakes with it."""
    kettle["lines"][0]["verb"] = "polish"
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate(kettle, json_schema())


def test_published_pages_are_current():
    """docs/verbs.md and docs/sheet-1.schema.json are what the declarations say: run ./spoon verbs and ./spoon schema."""
    assert (DOCS / "verbs.md").read_text() == write_reference()
    assert json.loads((DOCS / "sheet-1.schema.json").read_text()) == json_schema()


def test_round_trip(kettle):
    """Written and read again it is the same."""
    document = read_document(kettle)
    assert read_document(document.to_json()) == document


@pytest.mark.parametrize(
    ("change", "word"),
    [
        (lambda d: d.update(format="other"), "not a sheet"),
        (lambda d: d.update(version=2), "version 2"),
        (lambda d: d["lines"][5].update(verb="polish"), "verb “polish” is unknown"),
        (lambda d: d["lines"][5].update(colour="red"), "Line 2, field colour"),
        (lambda d: d["lines"][5].update(id="l1"), "same id"),
        (lambda d: d["lines"][0].update(name="neck_d"), "same name"),
        (lambda d: d["lines"][0].update(name="mm"), "unit or a function"),
        (lambda d: d["lines"][0].update(name="Body D"), "Size Body D, field name"),
        (lambda d: d["lines"][4].update(points=[[0, 0]]), "Line 1, field points"),
        (lambda d: d["lines"][7].update(spaced="oddly"), "Line 4, field spaced"),
        (lambda d: d["lines"].extend([d["lines"][0]] * 600), "lines"),
    ],
)
def test_bad_documents_name_the_line_and_the_field(kettle, change, word):
    """One sentence a problem; nothing of it is used."""
    change(kettle)
    with pytest.raises(BadDocument, match=word):
        read_document(kettle)


@pytest.mark.parametrize("data", [b"", b"[1, 2]", b"{", b"null", b"[" * 5000, b" " * 4_000_001])
def test_files_that_are_no_sheets(data):
    """A sentence, whatever the bytes."""
    with pytest.raises(BadDocument):
        read_document(data)


def test_renaming_a_size_renames_it_everywhere(kettle):
    """In points too; the references hold."""
    document = edit.set_field(read_document(kettle), "s1", "name", "girth")
    text = document.to_json()
    assert "body_d" not in text
    assert "girth / 2" in text


def test_renaming_an_item_breaks_nothing(kettle):
    """References are by identity."""
    document = edit.set_field(read_document(kettle), "l1", "gives", "outline")
    assert document.line("l3").profile == "l1"
    assert document.item_name("l1") == "outline"


@pytest.mark.parametrize(
    ("line", "field", "value", "word"),
    [
        ("s1", "name", "neck_d", "Another size is called neck_d"),
        ("l1", "gives", "body", "Another item is called body"),
        ("s1", "name", "9x", "small letters"),
        ("l4", "spaced", "oddly", "evenly"),
        ("l4", "nothing", "1", "no field nothing"),
        ("zz", "radius", "1", "no longer in the sheet"),
        ("l1", "points", "x", "points"),
        ("l1", "gives", "", "empty"),
    ],
)
def test_refused_edits_say_why(kettle, line, field, value, word):
    """And the document stays as it was."""
    with pytest.raises(edit.RefusedEdit, match=word):
        edit.set_field(read_document(kettle), line, field, value)


def test_dependents_of_items_and_sizes(kettle):
    """Lines that refer to an item; lines and sizes whose expressions use a size."""
    document = read_document(kettle)
    assert [line.id for line in edit.dependents(document, "l1")] == ["l2", "l3"]
    assert [line.id for line in edit.dependents(document, "s1")] == ["l1"]
    assert edit.dependents(document, "l4") == []


def test_moving_pausing_removing(kettle):
    """Lines swap places; sizes keep apart; a removed line leaves its users."""
    document = edit.move_line(read_document(kettle), "l3", -1)
    assert [line.id for line in document.lines if line.id.startswith("l")] == ["l1", "l3", "l2", "l4"]
    assert edit.pause_line(document, "l2", paused=True).line("l2").paused
    smaller = edit.remove_line(document, "l1")
    assert not smaller.has("l1")
    assert smaller.has("l2")


def test_first_line_cannot_move_further_up(kettle):
    """Moving past the end changes nothing."""
    document = read_document(kettle)
    assert edit.move_line(document, "l1", -1) == document


def test_limits_are_edited_with_their_units(kettle):
    """Degrees, millimetres and thousands as typed."""
    document = read_document(kettle)
    assert edit.set_limit(document, "smallest_corner", "30°").limits.smallest_corner == 30
    assert edit.set_limit(document, "face_budget", "12,000").limits.face_budget == 12000
    assert edit.set_limit(document, "off_surface", "0.2 mm").limits.off_surface == 0.2
    for value in ("x", "-1", "nan"):
        with pytest.raises(edit.RefusedEdit):
            edit.set_limit(document, "off_surface", value)


def test_new_lines_take_the_last_items_and_free_names(kettle):
    """A mesh of the body is called body mesh 2 when there is one."""
    document = read_document(kettle)
    line = edit.default_line(document, "mesh")
    assert line.surface == "l3"
    assert line.gives == "body mesh 2"
    assert edit.default_line(SheetDocument(), "mesh").surface == ""


@pytest.mark.parametrize(
    ("text", "verb", "values"),
    [
        ("mesh body 64 30 fan", "mesh", {"surface": "l3", "round": "64", "along": "30", "poles": "fan"}),
        ("wall = body_d / 100", "size", {"name": "wall", "value": "body_d / 100"}),
        ("fillet 2.5 mm", "round", {"radius": "2.5 mm"}),
        ("lathe body profile by 180°", "revolve", {"profile": "l1", "angle": "180°"}),
        ("smooth 2", "smooth", {"times": "2", "mesh": "l4"}),
        ("subdivide", "smooth", {}),
        ("svg", "import_curve", {}),
        ("draw rib on the side plane", "draw", {"plane": "side"}),
    ],
)
def test_plain_words_find_and_fill_a_line(kettle, text, verb, values):
    """The first proposal is the verb meant, its fields filled from the rest."""
    found = propose(text, read_document(kettle))[0]
    assert found.verb == verb
    for name, value in values.items():
        assert getattr(found.line, name) == value, name


def test_nonsense_proposes_nothing_and_nothing_proposes_all(kettle):
    """Unknown words give an empty list; an empty text every verb."""
    document = read_document(kettle)
    assert propose("zzzz", document) == []
    assert len(propose("", document)) == len(VERBS)


def test_the_page_of_the_written_form_is_what_the_declarations_say():
    """docs/sheet-text.md is current: run ./spoon grammar."""
    assert (DOCS / "sheet-text.md").read_text() == write_grammar()
