"""What is wrong with a sheet is said in our own words, at the line that the bench counts, whatever was sent."""

from __future__ import annotations

import re
from typing import Any

import pytest

from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.edit import set_field, set_look
from glass_spoon.sheet.errors import BadDocument, SheetError

SIZE = {"id": "s1", "verb": "size", "name": "r", "value": "3 mm"}
CIRCLE = {"id": "l1", "verb": "circle", "radius": "r"}
LOFT = {"id": "l2", "verb": "loft"}


def refusal(*lines: Any, **more: Any) -> str:
    """Return what is said of a sheet of lines that cannot be read."""
    with pytest.raises(BadDocument) as refused:
        read_document({"format": "glass-spoon/sheet", "version": 1, "lines": list(lines), **more})
    return str(refused.value)


@pytest.mark.parametrize(
    ("line", "words"),
    [
        ({**CIRCLE, "radius": {}}, "Line 1, field radius: it should be a text, or a number."),
        ({**CIRCLE, "plane": "top"}, "Line 1, field plane: it should be front, side or plan."),
        ({**CIRCLE, "thickness": 1}, "Line 1, field thickness: there is no such field."),
        ({**CIRCLE, "gives": "x" * 99}, "Line 1, field gives: it has more than 60 signs."),
        ({**CIRCLE, "gives": "a<b"}, "Line 1, field gives: it holds signs that a name cannot have"),
        ({**CIRCLE, "gives": ""}, "Line 1, field gives: it is empty."),
        ({**CIRCLE, "id": "l 1"}, "Line 1, field id: an id has 1 to 40 letters"),
        ({**CIRCLE, "verb": "nope"}, "Line 1: the verb “nope” is unknown; verbs are align, "),
        ({"id": "l1"}, "Line 1: it has no verb."),
        (5, "Line 1: it should be fields with values."),
        ({"id": "l1", "verb": "draw", "points": [{"x": 0, "y": 0, "sharp": "so"}]}, "Line 1, field points, 1, sharp: it"),
        ({"id": "l1", "verb": "draw", "points": [{"x": 0}]}, "Line 1, field points, 1, y: it is missing."),
        ({"id": "l1", "verb": "draw", "points": "x"}, "Line 1, field points: it should be a list."),
        ({**SIZE, "id": "s2", "name": "R"}, "Size R, field name: use small letters, digits and _"),
    ],
    ids=lambda value: value[:40] if isinstance(value, str) else "",
)
def test_a_wrong_value_is_told_in_words_where_it_stands(line: Any, words: str) -> None:
    """After a size, which the bench does not count."""
    assert words in refusal(SIZE, line)


def test_several_wrong_values_are_told_each_in_a_sentence() -> None:
    """Two fields of one line, and one of another."""
    text = refusal(SIZE, {**CIRCLE, "plane": "top", "radius": []}, {**LOFT, "sections": 5})
    assert sorted(re.findall(r"Line \d, field \w+", text)) == [
        "Line 1, field plane",
        "Line 1, field radius",
        "Line 2, field sections",
    ]


def test_limits_and_looks_are_told_alike() -> None:
    """By their names, without a line."""
    assert "The sheet, field limits, kink: it should be a number." in refusal(limits={"kink": "x"})
    colours = "ink, glass, plum, amber, slate, mist, stone, sand, clay, lilac, moss, dusk or rose"
    assert f"colour: it should be {colours}." in refusal(looks={"l1": {"colour": "red"}})


@pytest.mark.parametrize(
    ("line", "field", "value", "words"),
    [
        ("s1", "name", "R 2", "The name cannot be used: use small letters"),
        ("s1", "name", "mm", "it is a unit or a function"),
        ("s1", "value", None, "The value cannot be used: it should be a text"),
        ("l1", "radius", [], "The radius cannot be used: it should be a text"),
        ("l2", "sections", 5, "The sections cannot be used: it should be a list"),
    ],
)
def test_an_edit_that_does_not_fit_is_told_alike(line: str, field: str, value: Any, words: str) -> None:
    """As the sheet would be; nothing is changed."""
    document = read_document({"format": "glass-spoon/sheet", "version": 1, "lines": [SIZE, CIRCLE, LOFT]})
    with pytest.raises(SheetError) as refused:
        set_field(document, line, field, value)
    assert words in str(refused.value)
    with pytest.raises(SheetError, match="true or false"):
        set_look(document, "l1", {"hidden": "perhaps"})
