"""The reference page of all verbs, written from their declarations."""

from __future__ import annotations

import math
from typing import Any

from glass_spoon.sheet.fields import ChoiceSpec, LawSpec, NumberSpec, ReferenceSpec, ReferencesSpec, Spec, TableSpec
from glass_spoon.sheet.line import CHAPTERS, Line, show_number
from glass_spoon.sheet.lines import VERB_CLASSES


def write_reference() -> str:
    """Return the page as Markdown."""
    parts = ["# Verbs\n", "Written from the declarations by `./spoon verbs`; do not edit by hand.\n"]
    for chapter in CHAPTERS:
        parts.append(f"## {chapter}\n")
        parts.extend(_verb(cls) for cls in VERB_CLASSES if cls.chapter == chapter)
    return "\n".join(parts)


def _verb(cls: type[Line]) -> str:
    """Describe one verb."""
    verb = cls.model_fields["verb"].default
    words = f" Also found as: {', '.join(cls.words)}." if cls.words else ""
    gives = f" Gives a {cls.gives_kind}." if cls.gives_kind else ""
    head = f"### {str(verb).replace('_', ' ').capitalize()}\n\n{cls.summary}{gives}{words}\n\n> {cls.sentence}\n\n"
    rows = [f"| {name} | {_kind(spec)} | {_default(cls, name)} | {spec.help} |" for name, spec in cls.specs().items()]
    return head + "| field | kind | default | what it is |\n| --- | --- | --- | --- |\n" + "\n".join(rows) + "\n"


def _kind(spec: Spec) -> str:
    """Describe a kind of field with its range."""
    if isinstance(spec, ChoiceSpec):
        return "one of: " + ", ".join(spec.choices)
    if isinstance(spec, ReferenceSpec):
        return f"{spec.item_kind}, changed in place" if spec.changes else spec.item_kind
    if isinstance(spec, ReferencesSpec):
        return f"{spec.least} or more of kind {spec.item_kind}"
    if isinstance(spec, TableSpec):
        return f"table of {spec.noun[1]}: " + ", ".join(column.label for column in spec.columns)
    if isinstance(spec, LawSpec):
        return "a value, or from one to another, such as `1 to 0.5 eased`"
    if isinstance(spec, NumberSpec):
        return _number(spec)
    return spec.kind


def _number(spec: NumberSpec) -> str:
    """Describe a number with its range."""
    words = ["whole number" if spec.whole else {"length": "length", "angle": "angle"}.get(spec.dimension, "number")]
    if spec.least is not None:
        words.append(f"{'above' if spec.above else 'from'} {show_number(spec.least, spec)}")
    if spec.most is not None and math.isfinite(spec.most):
        words.append(f"to {show_number(spec.most, spec)}")
    return " ".join(words)


def _default(cls: type[Line], name: str) -> str:
    """Write a field's default."""
    value: Any = cls.model_fields[name].default
    return "" if value in ("", []) else f"`{value}`"
