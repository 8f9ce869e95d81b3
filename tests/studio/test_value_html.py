"""The values of a sentence as HTML."""

from __future__ import annotations

import pytest

from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.edit import add_line, default_line
from glass_spoon.sheet.evaluate import evaluate
from glass_spoon.sheet.lines import VERBS
from glass_spoon.studio.show.sheet_rows import SheetRow, chapters
from glass_spoon.studio.show.value_html import value_html
from glass_spoon.studio.show.value_parts import ValuePart

HOSTILE = "\"><script>alert('x')</script>&"
ROW = SheetRow("l1", 1, "mesh", [], "good", "", (), False)
KINDS = [
    "text",
    "verb",
    "number",
    "law",
    "corners",
    "picture",
    "name",
    "points",
    "table",
    "file",
    "references",
    "choice",
    "reference",
]


@pytest.mark.parametrize("may_edit", [True, False])
@pytest.mark.parametrize("kind", KINDS)
def test_nothing_that_people_type_is_markup(kind: str, may_edit: bool) -> None:
    """Names, values, help and options are escaped, in text and in attributes."""
    value = ValuePart(kind, HOSTILE, "field", HOSTILE, HOSTILE, options=((HOSTILE, HOSTILE),), axis=HOSTILE, unit=HOSTILE)
    html = str(value_html(7, ROW, value, may_edit=may_edit))
    assert "<script" not in html
    assert 'alert("' not in html


@pytest.mark.parametrize("verb", sorted(VERBS))
def test_every_value_of_every_verb_can_be_pressed(verb: str) -> None:
    """Each value of a new line names its line, and where it is one field that field."""
    blank = read_document({"format": "glass-spoon/sheet", "version": 1})
    document = add_line(blank, default_line(blank, verb))
    for chapter in chapters(evaluate(document, ResultCache()), None):
        for row in chapter.rows:
            for value in row.parts:
                html = str(value_html(7, row, value, may_edit=True))
                if value.field:
                    assert f'"{row.id}"' in html or f"-{row.id}-" in html
                    assert value.field in html or value.kind in ("file", "points", "picture")
