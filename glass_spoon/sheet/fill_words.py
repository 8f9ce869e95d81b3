"""Plain words to the fields of a line: names, laws, tables, phrases, choices, items, numbers by the words beside them.

Each part takes out of the text what it understood; the words that are left at the end are told as not understood.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.known_sizes import size_dimensions
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.said_text import SaidText
from glass_spoon.sheet.words_to_fields.reading import Reading, filled
from glass_spoon.sheet.words_to_fields.take_choices import take_choices, take_phrases, take_wording
from glass_spoon.sheet.words_to_fields.take_items import take_ends, take_items
from glass_spoon.sheet.words_to_fields.take_laws import take_laws, take_only_law
from glass_spoon.sheet.words_to_fields.take_names import take_name, take_name_after_verb, take_name_behind_as
from glass_spoon.sheet.words_to_fields.take_numbers import take_numbers, take_other_numbers
from glass_spoon.sheet.words_to_fields.take_places import (
    leave_place,
    take_axis,
    take_centre,
    take_place,
    take_places,
    take_signs,
    take_tables,
)

SIZE_TEXT = re.compile(
    r"^\s*(?:size\s+([a-z][a-z0-9_]*)\s*(?:=|:|\bis\b|\s)\s*|([a-z][a-z0-9_]*)\s*(?:=|:|\bis\b)\s*)(\S.*)$", re.IGNORECASE
)
"""A size and its value, such as `wall = 1.5 mm` or `size wall 1.5 mm`."""


@dataclass(frozen=True, eq=False)
class Filled:
    """A line with the fields that words gave, which these are, and the words that gave none."""

    line: Line
    missed: tuple[str, ...]
    said: frozenset[str] = frozenset()


_PARTS = (
    take_name,
    take_signs,
    take_laws,
    take_tables,
    take_centre,
    take_place,
    take_places,
    take_ends,
    take_phrases,
    take_axis,
    take_choices,
    take_wording,
    take_items,
    leave_place,
    take_only_law,
    take_other_numbers,
    take_numbers,
    take_name_after_verb,
    take_name_behind_as,
)
"""What is taken, in its order."""


def fill_line(line: Line, text: str, document: SheetDocument) -> Line:
    """Return the line with the fields that the words give; what does not fit stays as it was."""
    return read_words(line, text, document).line


def read_words(line: Line, text: str, document: SheetDocument) -> Filled:
    """Return the line with the fields that the words give, and the words that were not understood."""
    size = SIZE_TEXT.match(text)
    if size and line.verb_name == "size":
        values = {"name": (size[1] or size[2]).lower(), "value": size[3].strip()}
        return Filled(filled(line, values), (), frozenset(values))
    said = SaidText(text.lower(), size_dimensions(document))
    reading = Reading(line, said, document, text)
    for take in _PARTS:
        take(reading)
    reading.take_own_words()
    return Filled(reading.line, (*reading.aside, *said.left()), frozenset(reading.filled))
