"""The sentence of every line, typed back as plain words, gives the line again: every verb, every choice, own numbers."""

from __future__ import annotations

import re
from typing import Any

import numpy as np
import pytest

from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.edit import default_line
from glass_spoon.sheet.fields import EVERY, ChoiceSpec, NumberSpec, ReferenceSpec, ReferencesSpec
from glass_spoon.sheet.fill_words import fill_line
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


SHOP = read_document(
    {
        "format": "glass-spoon/sheet",
        "version": 1,
        "lines": [
            {"id": "s1", "verb": "size", "name": "wall", "value": "3 mm"},
            {"id": "s2", "verb": "size", "name": "d", "value": "40 mm"},
            {"id": "l1", "verb": "circle", "gives": "rim"},
            {"id": "l2", "verb": "line", "gives": "spine"},
            {"id": "l3", "verb": "simple", "form": "cylinder", "gives": "post"},
            {"id": "l4", "verb": "mesh", "surface": "l3", "gives": "post mesh"},
            {"id": "l5", "verb": "rectangle", "gives": "door"},
            {"id": "l6", "verb": "extrude", "profile": "l5", "gives": "slat"},
        ],
    }
)


@pytest.mark.parametrize(
    ("words", "verb", "values"),
    [
        ("circle d / 2 radius on the plan 30 mm up", "circle", {"radius": "d / 2", "up": "30 mm", "plane": "plan"}),
        ("circle 40 mm across in plan", "circle", {"radius": "40 mm / 2"}),
        ("circle of diameter d + 2 * wall called collar", "circle", {"radius": "(d + 2 * wall) / 2", "gives": "collar"}),
        ("arc from 30° to 120° radius 25 mm", "arc", {"given_by": "its centre", "start_angle": "30°", "radius": "25 mm"}),
        ("rounded rectangle 60 by 40 radius 4", "rectangle", {"width": "60", "height": "40", "radius": "4"}),
        ("hexagon 24 mm across flats", "polygon", {"sides": "6", "radius": "24 mm / 2", "across": "sides"}),
        ("triangle of radius 12 mm", "polygon", {"sides": "3", "radius": "12 mm"}),
        ("star 5 tips from 3 mm to 30 mm", "star", {"tips": "5", "inner": "3 mm", "outer": "30 mm"}),
        ("helix of radius d/2 climbing 120 mm in 6 turns", "helix", {"radius": "d/2", "height": "120 mm", "turns": "6"}),
        ("ring of 8 post about the upright axis", "ring", {"count": "8", "angle": 360}),
        ("ring of 12 copies of post over 180°", "ring", {"count": "12", "angle": "180°"}),
        ("move slat 10 mm left and 5 mm down", "move", {"item": "l6", "x": "-10 mm", "z": "-5 mm"}),
        ("scale post 50%", "scale", {"item": "l3", "factor": "0.5"}),
        ("extrude door 20 mm upwards", "extrude", {"direction": "upright axis", "distance": "20 mm"}),
        ("extrude door by wall to both sides", "extrude", {"distance": "wall", "sides": "to both sides"}),
        ("loft from rim to door with flat ends", "loft", {"sections": ["l1", "l5"], "start": "flat", "end": "flat"}),
        ("plate of door 6 mm thick with rounded upper edge 2 mm", "plate", {"height": "6 mm", "upper_size": "2 mm"}),
        ("offset rim by wall outwards", "offset", {"distance": "wall", "side": "outside"}),
        ("split spine at 30 mm", "split", {"where": "at a length", "length": "30 mm"}),
        ("relax post mesh by 0.3 in 11 rounds", "relax", {"strength": "0.3", "rounds": "11"}),
        ("turn over post mesh", "turn_over", {"mesh": "l4"}),
        ("mesh post with 5 mm edges", "mesh", {"surface": "l3", "edge_length": "5 mm", "gives": "post mesh 2"}),
        ("sphere 30 mm", "simple", {"form": "sphere", "radius": "30 mm"}),
        ("ball of radius 25 mm at 10 mm up", "simple", {"form": "sphere", "radius": "25 mm", "z": "10 mm"}),
        ("torus 40 mm by 8 mm", "simple", {"form": "torus", "radius": "40 mm", "second": "8 mm"}),
        ("cone radius 20 to 5, 40 high", "simple", {"form": "cone", "radius": "20", "second": "5", "height": "40"}),
    ],
)
def test_sentences_as_people_say_them(words: str, verb: str, values: dict[str, Any]) -> None:
    """Each did something else once, or lost a word: now every word is understood."""
    proposal = propose(words, SHOP)[0]
    assert (proposal.verb, proposal.missed) == (verb, ())
    assert {name: getattr(proposal.line, name) for name in values} == values


@pytest.mark.parametrize(
    ("words", "verb", "values"),
    [
        ("circle radius 5 mm at 20 mm right and 10 mm up", "circle", {"radius": "5 mm", "right": "20 mm", "up": "10 mm"}),
        ("rectangle 30 wide 20 high turned 15°", "rectangle", {"width": "30", "height": "20", "turn": "15°"}),
        ("ridge blade 6 mm wide 4 mm high 3 turns lead 12 mm", "ridge", {"width": "6 mm", "rise": "4 mm", "turns": "3"}),
        ("cylinder 12 mm radius and 30 mm tall at z 5 mm", "simple", {"radius": "12 mm", "height": "30 mm", "z": "5 mm"}),
        ("mark faces looking up on post mesh", "mark", {"what": "faces facing", "mesh": "l4"}),
        ("dome of radius 30 mm", "simple", {"form": "sphere", "low": "0°", "radius": "30 mm"}),
        ("half sphere radius 20 mm", "simple", {"form": "sphere", "low": "0°"}),
        ("move post 5 mm towards the back", "move", {"y": "5 mm", "x": "0 mm"}),
    ],
)
def test_words_on_either_side_of_numbers_are_read_together(words: str, verb: str, values: dict[str, Any]) -> None:
    """Each number by the words before or after it, so that as many as can be are named."""
    proposal = propose(words, SHOP)[0]
    assert (proposal.verb, proposal.missed) == (verb, ())
    assert {name: getattr(proposal.line, name) for name in values} == values


def test_a_name_that_is_said_stays_though_the_line_would_take_it_for_something_else() -> None:
    """The default name for the last surface, said for another one; a share in a name is no number."""
    assert propose("mesh post called slat mesh, 12 by 8", SHOP)[0].line.gives == "slat mesh"
    assert propose("copy slat called 50% slat", SHOP)[0].line.gives == "50% slat"


def labelled(verb: str) -> list[tuple[str, str, str]]:
    """Return a text, the field that it names by its label, and the value, for each number field of a verb in any wording."""
    found: dict[str, tuple[str, str, str]] = {}
    word = re.findall(r"\*\*(.+?)\*\*", VERBS[verb].sentence)[0].lower()
    for line in lines_of(verb):
        for name in line.used_fields():
            spec = line.spec(name)
            if not isinstance(spec, NumberSpec) or name in found:
                continue
            low, high = (-np.inf if spec.least is None else spec.least), (np.inf if spec.most is None else spec.most)
            number = next(
                (n for n in (7, 0.7, 3) if low <= (np.radians(n) if spec.dimension == "angle" else n) <= high), None
            )
            if number is not None:
                value = f"{number}{ {'length': ' mm', 'angle': '°'}.get(spec.dimension, '') }"
                found[name] = (f"{word} {spec.label or name.replace('_', ' ')} {value}", name, value)
    return list(found.values())


def test_a_number_after_the_name_of_a_field_goes_there_whatever_wording_it_belongs_to() -> None:
    """Nineteen of twenty; the others share their name with another field, as the two counts of parts do."""
    wrong, total = [], 0
    for verb in sorted(set(VERBS) - UNSAID):
        line = default_line(GROUND, verb)
        for text, name, value in labelled(verb):
            total += 1
            if str(getattr(fill_line(line, text, GROUND), name)) != value:
                wrong.append(text)
    assert total > 300
    assert len(wrong) < total / 20, wrong
