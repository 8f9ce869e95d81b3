"""Places, axes, rows of tables and signs, as words give them."""

from __future__ import annotations

import re

from glass_spoon.sheet.fields import (
    ChoiceSpec,
    NumberSpec,
    PointsSpec,
    ReferenceSpec,
    TableSpec,
    TextSpec,
)
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.phrase import as_typed, expression_pattern
from glass_spoon.sheet.said_centre import FIELDS, said_centre
from glass_spoon.sheet.said_space import said_axis, said_place
from glass_spoon.sheet.typed_places import SAID_IN_SPACE, SAID_PLACES, said_in_space, said_places
from glass_spoon.sheet.words_to_fields.reading import Reading, filled


def take_signs(reading: Reading) -> None:
    """Take texts of a form of their own, such as the designation of a thread."""
    for name in reading.line.used_fields():
        spec = reading.line.spec(name)
        sign = (
            re.search(spec.pattern, reading.original, re.IGNORECASE) if isinstance(spec, TextSpec) and spec.pattern else None
        )
        if sign and reading.fill({name: sign[0]}):
            reading.said.take(sign)


def take_tables(reading: Reading) -> None:
    """Take rows of a table, as in `150 at 0, 160 by 120 at 20`."""
    number = expression_pattern(tuple(reading.said.sizes))
    for name in reading.line.used_fields():
        spec = reading.line.spec(name)
        if not isinstance(spec, TableSpec) or not spec.said:
            continue
        pattern = re.sub(r"\{(\w+)\}", lambda found: f"(?P<{found[1]}>{number})", spec.said)
        found = list(re.finditer(rf"(?<![\w.]){pattern}", reading.said.text))
        rows = [{cell: as_typed(text) for cell, text in row.groupdict().items() if text} for row in found]
        if rows and len(rows) >= spec.least and reading.fill({name: rows}):
            for row in found:
                reading.said.take(row)


def take_centre(reading: Reading) -> None:
    """Take the place in space at which a plane shape lies, as in `at 0, 0, 40` or `at height 40`."""
    if not set(reading.line.used_fields()) >= FIELDS:
        return
    said = said_centre(reading.said.text, tuple(reading.said.sizes))
    if said is not None and reading.fill(said.values):
        reading.said.take_span(*said.span)


def take_axis(reading: Reading) -> None:
    """Take the axis of space that something goes about, as in `about x` or `about the y axis`."""
    for name in reading.line.used_fields():
        spec = reading.line.spec(name)
        said = said_axis(reading.said.text, spec.choices) if isinstance(spec, ChoiceSpec) else None
        if said is not None and reading.fill({name: said[1]}):
            reading.said.take_span(*said[0])


def take_place(reading: Reading) -> None:
    """Take the place in space of what has one, as in `at 20, 0, 40` or `through 10, 0, 0`."""
    said = said_place(reading.said.text, tuple(reading.said.sizes)) if _has_place(reading.line) else None
    if said is None or (
        len(said[1]) == 1 and any(isinstance(spec, ReferenceSpec) for spec in reading.line.specs().values())
    ):
        return  # a height alone is the place of what is made of nothing: `a loop at height 42` is one of a mesh
    if reading.fill(said[1]):
        reading.said.take_span(*said[0])


def _has_place(line: Line) -> bool:
    """Say whether a line, as it is given, has a place in space."""
    specs = {name: line.spec(name) for name in line.used_fields()}
    return all(isinstance(spec := specs.get(axis), NumberSpec) and spec.axis == axis for axis in "xyz")


def _at_a_place(reading: Reading) -> dict[str, str]:
    """Return the choice by which a line has a place in space that has none now; nothing where there is none."""
    for name in reading.line.used_fields():
        spec = reading.line.spec(name)
        if isinstance(spec, ChoiceSpec) and name not in reading.filled:
            for choice in spec.choices:
                if "place" in choice and _has_place(filled(reading.line, {name: choice})):
                    return {name: choice}
    return {}


def leave_place(reading: Reading) -> None:
    """Take a place in space now that it is known how the line is given; set it aside where no line of the verb has one: its
    three numbers stand for nothing else.
    """
    said = said_place(reading.said.text, tuple(reading.said.sizes))
    if said is None or len(said[1]) < len("xyz"):
        return
    if (chosen := _at_a_place(reading)) and not _has_place(reading.line):
        reading.fill(chosen)
    take_place(reading)
    specs = reading.line.specs()
    if set("xyz") <= set(specs) or any(isinstance(spec, NumberSpec) and spec.axis for spec in specs.values()):
        return
    if not SAID_IN_SPACE.search(reading.said.text):
        reading.leave(*said[0])


def take_places(reading: Reading) -> None:
    """Take the points of a drawn curve, as in `through 0 0, 40 10 and 60 50`."""
    for name in reading.line.used_fields():
        if not isinstance(reading.line.spec(name), PointsSpec):
            continue
        found = SAID_IN_SPACE.search(reading.said.text)
        if found and reading.fill({name: said_in_space(found[1])}):
            # Right, back and up are those of the plan; a plane that is named is read after this.
            reading.line = filled(reading.line, {"plane": "plan"})
            reading.said.take(found)
            continue
        found = SAID_PLACES.search(reading.said.text)
        points = said_places(found[1]) if found else []
        if found and points and reading.fill({name: points}):
            reading.said.take(found)
