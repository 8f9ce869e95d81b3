"""A line while the words typed for it are read."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from pydantic import ValidationError

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.fields import (
    LawSpec,
    NumberSpec,
    ReferenceSpec,
    ReferencesSpec,
)
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.said_names import SaidNames
from glass_spoon.sheet.said_text import SaidText, stems

REFERENCES = (ReferenceSpec, ReferencesSpec)


def filled(line: Line, values: Mapping[str, Any]) -> Line:
    """Return the line with other values, or as it was where they do not fit."""
    try:
        return type(line).model_validate(line.model_dump() | dict(values))
    except ValidationError:
        return line


@dataclass
class Reading:
    """A line while its words are read. filled: the fields that are said. aside: what was understood, but has no field."""

    line: Line
    said: SaidText
    document: SheetDocument
    original: str

    def __post_init__(self) -> None:
        self.filled: set[str] = set()
        self.aside: list[str] = []
        self.names = SaidNames(self.said, self.document)

    def fill(self, values: Mapping[str, Any]) -> bool:
        """Fill fields; say whether the values fit."""
        changed = filled(self.line, values)
        if changed is self.line:
            return False
        self.line = changed
        self.filled |= set(values)
        return True

    def leave(self, start: int, end: int) -> None:
        """Set a stretch of the text aside, which is told as not understood."""
        self.aside += self.said.text[start:end].split()
        self.said.take_span(start, end)

    def is_number(self, name: str) -> bool:
        """Say whether a field holds a number."""
        return isinstance(self.line.spec(name), NumberSpec)

    def is_value(self, name: str) -> bool:
        """Say whether a field holds a number, or one that changes on the way."""
        return isinstance(self.line.spec(name), NumberSpec | LawSpec)

    @cached_property
    def verb_alone(self) -> re.Pattern[str]:
        """What a text is that has named the verb and nothing else yet."""
        cls = type(self.line)
        verbs = "|".join(re.escape(word) for word in {self.line.verb_name.replace("_", " "), *cls.words})
        return re.compile(rf"\W*(?:(?:{verbs})\w*\W+)?(?:(?:the|a|an)\s+)?")

    def take_own_words(self) -> None:
        """Take out the words by which the verb and its fields are known: they say what is meant already."""
        self.said.take_words(self.own_stems())

    def own_stems(self) -> set[str]:
        """Return the stems of the words by which the verb and its fields are known."""
        cls = type(self.line)
        prose = " ".join(part.text for part in self.line.prose() if part.kind != "field")
        labels = " ".join(f"{spec.label} {name.replace('_', ' ')}" for name, spec in self.line.specs().items())
        return set(stems(f"{self.line.verb_name.replace('_', ' ')} {' '.join(cls.words)} {prose} {labels}"))
