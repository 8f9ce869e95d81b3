"""An example of each verb: a small sheet of its own whose last line it is, else a line out of the boathouse."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.text_form.read_text import read_text
from glass_spoon.sheet.text_form.write_text import said
from glass_spoon.studio.flows.example_project import DEMO
from glass_spoon.studio.see.tints import BODIES

EXAMPLES = Path(__file__).resolve().parents[1] / "examples"
"""Sheets in the text form, one a verb; the last line of each is the example."""

DRAWN = ("curve", "curves", "mark", *BODIES)
"""Kinds of items that can be drawn."""


@dataclass(frozen=True)
class Example:
    """A line of a sheet. item: the id of what it gives or changes, "" where that cannot be drawn. of: the part of the
    boathouse that it stands in, "" for a sheet of its own.
    """

    document: SheetDocument
    line: str
    sentence: str
    item: str
    of: str


@lru_cache(1)
def verb_examples() -> dict[str, Example]:
    """Return an example of each verb, by its name; verbs that stand in no sheet have none."""
    found: dict[str, Example] = {}
    for document, line, of in _lines():
        if line.verb_name not in found:
            item = line.item_id or ""
            item = item if document.kinds().get(item) in DRAWN else ""
            found[line.verb_name] = Example(document, line.id, said(document, line.id), item, of)
    return found


def _lines() -> Iterator[tuple[SheetDocument, Line, str]]:
    """Yield the lines that may be examples, the likeliest first, with the names of the parts that they stand in."""
    for path in sorted(EXAMPLES.glob("*.md")):
        document = read_text(path.read_text(encoding="utf-8"))
        yield document, document.lines[-1], ""
    for path in sorted(DEMO.glob("*.json")):
        document = read_document(path.read_bytes())
        for line in document.lines:
            yield document, line, document.name
