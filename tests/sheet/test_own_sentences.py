"""The sentence of every line, typed back as plain words, gives the line again: every verb, every choice, own numbers."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.edit import default_line
from glass_spoon.sheet.fields import EVERY, ChoiceSpec, NumberSpec, ReferenceSpec, ReferencesSpec
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.lines import VERBS
from glass_spoon.sheet.propose import propose

GROUND = read_document(
    {
        "format": "glass-spoon/sheet",
        "version": 1,
        "lines": [
            {"id": "a1", "verb": "circle", "gives": "rim"},
            {"id": "a2", "verb": "line", "gives": "spine"},
            {"id": "a3", "verb": "rectangle", "gives": "frame"},
            {"id": "a4", "verb": "simple", "gives": "ball"},
            {"id": "a5", "verb": "extrude", "profile": "a2", "gives": "wall"},
            {"id": "a6", "verb": "row", "item": "a1", "gives": "hoops"},
            {"id": "a7", "verb": "gather", "surfaces": ["a4", "a5"], "gives": "hull"},
            {"id": "a8", "verb": "mesh", "surface": "a4", "gives": "quads"},
            {"id": "a9", "verb": "mark", "mesh": "a8", "gives": "spots"},
        ],
    }
)

UNSAID = {"size", "remark", "lay", "import_curve", "import_dxf", "import_step", "import_mesh"}
"""Verbs whose fields are texts and files."""


def with_own_numbers(line: Line) -> Line:
    """Return the line with another number in each field, within its range where one of the row fits."""
    values: dict[str, Any] = {}
    number = 11
    for name in line.used_fields():
        spec = line.spec(name)
        if not isinstance(spec, NumberSpec):
            continue
        least = -np.inf if spec.least is None else spec.least
        most = np.inf if spec.most is None else spec.most
        value = np.radians(number) if spec.dimension == "angle" else number
        if least <= value <= most:
            values[name] = f"{number}{ {'length': ' mm', 'angle': '°'}.get(spec.dimension, '') }"
            number += 2
    return type(line).model_validate(line.model_dump() | values)


def said(line: Line) -> str:
    """Return the sentence of a line as its words stand on the bench."""
    text = []
    for part in line.prose():
        if part.kind != "field":
            text.append(part.text)
            continue
        spec, value = line.spec(part.text), getattr(line, part.text)
        if isinstance(spec, ReferenceSpec):
            text.append("everything" if value == EVERY else GROUND.item_name(value))
        elif isinstance(spec, ReferencesSpec):
            text.append(", ".join(GROUND.item_name(item) for item in value))
        elif isinstance(spec, ChoiceSpec):
            text.append(spec.choice_label(value))
        else:
            text.append("" if isinstance(value, list) else str(value))
    return "".join(text).strip().rstrip(".")


def lines_of(verb: str) -> list[Line]:
    """Return lines of a verb over the ground: as it comes, and with each other choice."""
    first = default_line(GROUND, verb)
    found = [first]
    for name, spec in first.specs().items():
        if isinstance(spec, ChoiceSpec):
            found += [type(first).model_validate(first.model_dump() | {name: choice}) for choice in spec.choices]
    return [with_own_numbers(line) for line in found]


@pytest.mark.parametrize("verb", sorted(set(VERBS) - UNSAID))
def test_the_sentence_of_a_line_typed_back_gives_the_line(verb: str) -> None:
    """Its numbers, choices, items and name; no word of it is missed."""
    for line in lines_of(verb):
        text = said(line)
        proposal = propose(text, GROUND)[0]
        assert (proposal.verb, proposal.missed) == (verb, ()), text
        for name in line.used_fields():
            if not isinstance(getattr(line, name), list):
                assert str(getattr(proposal.line, name)) == str(getattr(line, name)), (name, text)
