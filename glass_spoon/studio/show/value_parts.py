"""The values of a sentence as they are shown: one function a kind of field, found by the class of its declaration.

A new kind of field registers the function that shows it (docs/decisions.md says how to add one).
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from functools import partial, singledispatch
from typing import Any

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.errors import BadExpression
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.expressions import format_quantity, names_in, read_quantity
from glass_spoon.sheet.fields import (
    EVERY,
    ChoiceSpec,
    CornersSpec,
    FileSpec,
    LawSpec,
    MakerSpec,
    NameSpec,
    NumberSpec,
    PictureSpec,
    PointsSpec,
    ReferenceSpec,
    ReferencesSpec,
    Spec,
    TableSpec,
)
from glass_spoon.sheet.kinds import KINDS, one_of
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.plain_unit import field_with_unit, with_unit
from glass_spoon.studio.shown_unit import STEPS, active_unit, in_unit

QUIET = ("number", "choice", "corners", "law")
"""Kinds of values that are quiet text where they are as the verb has them."""


@dataclass(frozen=True)
class ValuePart:
    """A piece of a sentence. kind: text, verb, number, choice, reference, name, points, corners, file.

    tail: the punctuation that follows and must not begin a line. usual: it is as the verb has it by itself. quiet: it
    belongs to a clause that goes without saying while the line is closed. kinds: of the items that it may refer to; every:
    or all of them. What may be chosen is filled in on the page: a hundred lines would each bring a list of all items.
    """

    kind: str
    text: str
    field: str = ""
    raw: str = ""
    help: str = ""
    step: float = 1.0
    unit: str = ""
    options: tuple[tuple[str, str], ...] = ()
    axis: str = ""
    tail: str = ""
    usual: bool = False
    quiet: bool = False
    kinds: tuple[str, ...] = ()
    every: bool = False

    @property
    def entries(self) -> list[str]:
        """The ids of a list of references, in order."""
        return [entry for entry in self.raw.split(",") if entry]


@dataclass(frozen=True)
class _Stored:
    """A field as it is stored: in which build and line, under which name, and its value."""

    build: Build
    line: Line
    name: str
    raw: Any


def value_part(build: Build, line: Line, name: str) -> ValuePart:
    """Return one editable value of a line."""
    part = _shown(line.spec(name), _Stored(build, line, name, getattr(line, name)))
    usual = part.kind in QUIET and line.is_usual(name)
    return replace(part, usual=usual) if usual else part


@singledispatch
def _shown(spec: Spec, stored: _Stored) -> ValuePart:
    """Return a value as it is shown: as text, where its kind of field says no more."""
    return ValuePart("text", str(stored.raw), stored.name, str(stored.raw), spec.help)


@_shown.register
def _(spec: NumberSpec, stored: _Stored) -> ValuePart:
    raw = stored.raw if active_unit() == "mm" else _written_out(stored, spec)
    in_length = spec.dimension == "length"
    return ValuePart(
        "number",
        _number_text(stored.build, raw if isinstance(raw, str) and names_in(raw) else stored.raw, spec),
        stored.name,
        str(raw),
        spec.help,
        spec.step * (STEPS[active_unit()] if in_length else 1.0),
        active_unit() if in_length else _unit(spec),
        axis=spec.axis if spec.axis != "out" else "",
    )


@_shown.register
def _(spec: ChoiceSpec, stored: _Stored) -> ValuePart:
    options = tuple((choice, spec.choice_label(choice)) for choice in spec.choices)
    raw = str(stored.raw)
    return ValuePart("choice", spec.choice_label(raw), stored.name, raw, spec.help, options=options)


@_shown.register
def _(spec: ReferenceSpec, stored: _Stored) -> ValuePart:
    document, raw = stored.build.document, stored.raw
    words = document.item_name(raw) or ("every surface" if raw == EVERY else f"pick {one_of(spec.kinds[:1])}")
    return ValuePart("reference", words, stored.name, raw, spec.help, kinds=spec.kinds, every=spec.every)


@_shown.register
def _(spec: MakerSpec, stored: _Stored) -> ValuePart:
    options, raw = _maker_options(stored.build.document, stored.line), stored.raw
    words = dict(options).get(raw, "pick what made them")
    return ValuePart("reference", words, stored.name, raw, spec.help, options=options)


@_shown.register
def _(spec: ReferencesSpec, stored: _Stored) -> ValuePart:
    document, raw = stored.build.document, stored.raw
    none = f"pick {KINDS[spec.item_kind].plural}" if spec.least else "none"
    words = ", ".join(document.item_name(item) for item in raw) or none
    options = tuple((item, document.item_name(item)) for item in raw)
    return ValuePart("references", words, stored.name, ",".join(raw), spec.help, options=options, kinds=spec.kinds)


@_shown.register
def _(spec: PointsSpec, stored: _Stored) -> ValuePart:
    points = stored.raw
    sharp = sum(1 for point in points if point.sharp)
    words = f"{len(points)} point{'' if len(points) == 1 else 's'}" + (f", {sharp} sharp" if sharp else "")
    return ValuePart("points", words if points else "no points yet", stored.name, "", spec.help)


@_shown.register
def _(spec: TableSpec, stored: _Stored) -> ValuePart:
    rows = stored.raw
    return ValuePart("table", f"{len(rows)} {spec.noun[len(rows) != 1]}", stored.name, "", spec.help)


@_shown.register
def _(spec: FileSpec, stored: _Stored) -> ValuePart:
    nouns = (("step", "file"), ("obj", "mesh"), ("png", "picture"), ("ttf", "font"))
    noun = next((noun for ending, noun in nouns if ending in spec.endings), "drawing")
    words = f"the {noun}" if stored.raw else f"no {noun} yet"
    return ValuePart("file", words, stored.name, "", spec.help, unit=spec.endings)


@_shown.register
def _(spec: CornersSpec, stored: _Stored) -> ValuePart:
    typed = partial(with_unit, dimension=spec.dimension, unit="mm", sizes=stored.build.sizes)
    values = [one.value if active_unit() == "mm" else typed(one.value) for one in stored.raw]
    own = ", ".join(f"{corner.corner}: {value}" for corner, value in zip(stored.raw, values, strict=True))
    return ValuePart("corners", own or "no exceptions", stored.name, own, spec.help)


@_shown.register
def _(spec: PictureSpec, stored: _Stored) -> ValuePart:
    words = "the picture" if stored.raw else "no picture yet"
    return ValuePart("picture", words, stored.name, stored.raw, spec.help)


@_shown.register
def _(spec: NameSpec, stored: _Stored) -> ValuePart:
    return ValuePart("name", str(stored.raw), stored.name, str(stored.raw), spec.help)


@_shown.register
def _(spec: LawSpec, stored: _Stored) -> ValuePart:
    raw = str(_written_out(stored, spec))
    return ValuePart("law", raw, stored.name, raw, spec.help)


def _written_out(stored: _Stored, spec: Spec) -> Any:
    """Return a value as it may be typed again where plain numbers mean another unit than the sheet's own mm."""
    if active_unit() == "mm":
        return stored.raw
    raw = field_with_unit(spec, stored.raw, "mm", stored.build.sizes)
    if isinstance(raw, str) and isinstance(spec, NumberSpec) and (found := _MILLIMETRES.fullmatch(raw)):
        return in_unit(float(found[1]))
    return raw


_MILLIMETRES = re.compile(r"\s*([-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)\s*mm\s*", re.ASCII)


def _number_text(build: Build, raw: Any, spec: NumberSpec) -> str:
    """Show a number as typed; an expression of sizes with what it comes to."""
    text = str(raw).strip()
    if not isinstance(raw, str):
        return spec.show(float(raw)) if spec.dimension != "angle" else f"{raw:g}°"
    try:
        quantity = read_quantity(text, build.sizes)
    except BadExpression:
        return text
    if names_in(text):
        return f"{text} = {format_quantity(quantity)}"
    bare = quantity.powers == (0, 0) and spec.dimension != "number"
    return text + {"length": " mm", "angle": "°"}[spec.dimension] if bare else text


def _unit(spec: NumberSpec) -> str:
    """Return the unit that stepping works in."""
    return {"length": "mm", "angle": "°"}.get(spec.dimension, "")


def _maker_options(document: SheetDocument, line: Line) -> tuple[tuple[str, str], ...]:
    """Return the surfaces and meshes that earlier lines give, and the earlier lines that made faces of a mesh."""
    options, known = [], document.kinds()
    for other in document.lines:
        if other.id == line.id:
            break
        if known.get(other.id) in ("surface", "surfaces", "trimmed", "mesh"):
            options.append((other.id, document.item_name(other.id)))
        elif other.signs and other.changes:
            verb = next(part.text for part in other.prose() if part.kind == "verb")
            options.append((other.id, f"line {document.number_of(other.id)}, {verb}"))
    return tuple(options)
