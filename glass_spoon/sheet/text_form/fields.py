"""The values of a line in the written form, each kind of field by its declaration: written, and read where it stands."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import singledispatch
from typing import Any

from glass_spoon.sheet.fields import (
    EVERY,
    ChoiceSpec,
    CornersSpec,
    FileSpec,
    MakerSpec,
    NameSpec,
    NumberSpec,
    PointsSpec,
    QuantitySpec,
    ReferenceSpec,
    ReferencesSpec,
    Spec,
    TableSpec,
)
from glass_spoon.sheet.text_form.marks import CODE, NAME, code, italic, plain, read_code

NONE, ALL = "none", "every one"
"""What stands for no item, and for every item of its kind."""

_COUNT = re.compile(r"(\d+) ")


@dataclass(frozen=True)
class Named:
    """An item that is read by its name; which line gives it is known when all lines are read."""

    name: str


@dataclass(frozen=True)
class Beneath:
    """What stands beneath its line: a table of so many rows, or a text between fences."""

    field: str
    rows: int | None = None


@dataclass(frozen=True)
class Found:
    """A value that was read, and where it ends."""

    value: Any
    end: int


@singledispatch
def write_field(spec: Spec, raw: Any, names: Mapping[str, str]) -> str:
    """Return a value as it stands in its sentence; names: what items are called, by id."""
    return code(str(raw))


@singledispatch
def read_field(spec: Spec, name: str, text: str, at: int) -> Found | None:
    """Return the value of a field called `name` that stands at a place of a sentence, None where none does."""
    return _read_code(text, at)


def _read_code(text: str, at: int) -> Found | None:
    found = CODE.match(text, at)
    return Found(read_code(found[2]), found.end()) if found else None


def _read_name(text: str, at: int) -> Found | None:
    found = NAME.match(text, at)
    return Found(Named(plain(found[1])), found.end()) if found else None


@write_field.register(NumberSpec)
@write_field.register(QuantitySpec)
def _(spec: NumberSpec | QuantitySpec, raw: Any, names: Mapping[str, str]) -> str:
    return code(str(spec.typed(raw)))


@write_field.register
def _(spec: ChoiceSpec, raw: Any, names: Mapping[str, str]) -> str:
    return code(_labels(spec)[str(raw)])


@read_field.register
def _(spec: ChoiceSpec, name: str, text: str, at: int) -> Found | None:
    found = _read_code(text, at)
    choices = {label: choice for choice, label in _labels(spec).items()}
    return Found(choices[found.value], found.end) if found and found.value in choices else None


def _labels(spec: ChoiceSpec) -> dict[str, str]:
    """Return what each choice is called; where two are called the same, their own words."""
    labels = {choice: spec.choice_label(choice) for choice in spec.choices}
    called = list(labels.values())
    return {choice: label if called.count(label) == 1 else choice for choice, label in labels.items()}


@write_field.register(ReferenceSpec)
@write_field.register(MakerSpec)
def _(spec: ReferenceSpec | MakerSpec, raw: Any, names: Mapping[str, str]) -> str:
    return italic(ALL if raw == EVERY else names.get(str(raw), NONE))


@read_field.register(ReferenceSpec)
@read_field.register(MakerSpec)
def _(spec: ReferenceSpec | MakerSpec, name: str, text: str, at: int) -> Found | None:
    return _read_name(text, at)


@write_field.register
def _(spec: ReferencesSpec, raw: Any, names: Mapping[str, str]) -> str:
    return ", ".join(italic(names.get(str(item), NONE)) for item in raw) or italic(NONE)


@read_field.register
def _(spec: ReferencesSpec, name: str, text: str, at: int) -> Found | None:
    items: list[Named] = []
    found = _read_name(text, at)
    while found:
        items.append(found.value)
        end = found.end
        found = _read_name(text, end + 2) if text.startswith(", ", end) else None
    return Found([item for item in items if item.name != NONE], end) if items else None


@write_field.register
def _(spec: NameSpec, raw: Any, names: Mapping[str, str]) -> str:
    return italic(str(raw))


@read_field.register
def _(spec: NameSpec, name: str, text: str, at: int) -> Found | None:
    found = _read_name(text, at)
    return Found(found.value.name, found.end) if found else None


@write_field.register
def _(spec: CornersSpec, raw: Any, names: Mapping[str, str]) -> str:
    return code(", ".join(f"{corner.corner}: {corner.value}" for corner in raw) or NONE)


@write_field.register
def _(spec: FileSpec, raw: Any, names: Mapping[str, str]) -> str:
    return code("the file" if raw else NONE)


@read_field.register
def _(spec: FileSpec, name: str, text: str, at: int) -> Found | None:
    found = _read_code(text, at)
    if found is None or found.value not in ("the file", NONE):
        return None
    return Found("" if found.value == NONE else Beneath(name), found.end)


@write_field.register
def _(spec: PointsSpec, raw: Any, names: Mapping[str, str]) -> str:
    return _counted(len(raw), ("point", "points"))


@write_field.register
def _(spec: TableSpec, raw: Any, names: Mapping[str, str]) -> str:
    return _counted(len(raw), spec.noun)


def _counted(count: int, noun: tuple[str, str]) -> str:
    """Return how many rows a table beneath the line has."""
    return code(f"{count} {noun[count != 1]}")


@read_field.register(PointsSpec)
@read_field.register(TableSpec)
def _(spec: PointsSpec | TableSpec, name: str, text: str, at: int) -> Found | None:
    found = _read_code(text, at)
    count = _COUNT.match(found.value) if found else None
    return Found(Beneath(name, int(count[1])) if int(count[1]) else [], found.end) if found and count else None
