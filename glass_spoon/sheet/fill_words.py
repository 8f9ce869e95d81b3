"""Plain words to the fields of a line: phrases first, then choices, items, and numbers by the words beside them."""

from __future__ import annotations

import re
from typing import Any

from pydantic import ValidationError

from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.fields import (
    EVERY,
    ChoiceSpec,
    NameSpec,
    NumberSpec,
    ReferenceSpec,
    ReferencesSpec,
    TextSpec,
)
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.phrase import SaidNumber, alike, said_numbers, telling_words, without_numbers

SIZE_TEXT = re.compile(r"^\s*(?:size\s+)?([a-z][a-z0-9_]*)\s*(?:=|:|\bis\b)\s*(.+)$", re.IGNORECASE)
"""A size and its value, such as `wall = 1.5 mm`."""

GENERAL = frozenset({"count", "number", "value", "first", "second", "so", "many"})
"""Words in the names of fields that do not tell one from another."""

_EVERY = re.compile(r"\b(?:every|everything|all|whole)\b")
_GIVING = re.compile(r"\b(?:giving|called|named)\s+(.+)$", re.IGNORECASE)


def fill_line(line: Line, text: str, document: SheetDocument) -> Line:
    """Return the line with the fields that the words give; what does not fit stays as it was."""
    size = SIZE_TEXT.match(text)
    if size and line.verb_name == "size":
        return _filled(line, {"name": size[1].lower(), "value": size[2].strip()})
    line, text = _named(line, text)
    line, text = _with_signs(line, text)
    sizes = size_names(document)
    lower = text.lower()
    line, lower, said = _with_phrases(line, lower, sizes)
    line = _with_choices(line, without_numbers(lower, sizes), said)
    line = _with_items(line, lower, said, document)
    return _with_numbers(line, said_numbers(_without_items(lower, document), sizes), said)


def size_names(document: SheetDocument) -> tuple[str, ...]:
    """Return the names of the sizes of a sheet."""
    return tuple(str(getattr(line, "name", "")) for line in document.lines if line.verb_name == "size")


def _filled(line: Line, values: dict[str, Any]) -> Line:
    """Return the line with other values, or as it was where they do not fit."""
    try:
        return type(line).model_validate(line.model_dump() | values)
    except ValidationError:
        return line


def _named(line: Line, text: str) -> tuple[Line, str]:
    """Take the name of the new item, and return what is left of the text."""
    found = _GIVING.search(text)
    name = next((name for name in line.used_fields() if isinstance(line.spec(name), NameSpec)), None)
    if not found or name is None or line.verb_name == "size":
        return line, text
    return _filled(line, {name: found[1].strip()}), text[: found.start()]


def _with_signs(line: Line, text: str) -> tuple[Line, str]:
    """Take texts of a form of their own, such as the designation of a thread."""
    for name in line.used_fields():
        spec = line.spec(name)
        if isinstance(spec, TextSpec) and spec.pattern and (sign := re.search(spec.pattern, text, re.IGNORECASE)):
            line = _filled(line, {name: sign[0]})
            text = text.replace(sign[0], " ", 1)
    return line, text


def _with_phrases(line: Line, lower: str, sizes: tuple[str, ...]) -> tuple[Line, str, set[str]]:
    """Take the phrases of the verb; returns what is left of the text and the fields that are said."""
    said: set[str] = set()
    for phrase in line.phrases:
        found = phrase.find(lower, sizes)
        if found:
            values = {name: value for name, value in phrase.values(found).items() if name not in said}
            line = _filled(line, values)
            said |= set(values)
            lower = lower[: found.start()] + " " + lower[found.end() :]
    return line, lower, said


def _with_choices(line: Line, lower: str, said: set[str]) -> Line:
    """Take choices by their own words or those shown; one may bring fields into use that are then asked for in turn."""
    tried: set[str] = set()
    while name := next((name for name in line.used_fields() if name not in tried), None):
        tried.add(name)
        spec = line.spec(name)
        if not isinstance(spec, ChoiceSpec) or name in said:
            continue
        words = [(word, choice) for choice in spec.choices for word in {choice, spec.choice_label(choice)}]
        found = [(len(word), choice) for word, choice in words if re.search(rf"\b{re.escape(word)}\b", lower)]
        if found:
            line = _filled(line, {name: max(found, key=lambda entry: entry[0])[1]})
            said.add(name)
    return line


def _with_items(line: Line, lower: str, said: set[str], document: SheetDocument) -> Line:
    """Take the items that are named, each for one field."""
    taken: set[str] = set()
    for name in line.used_fields():
        spec = line.spec(name)
        if isinstance(spec, ReferenceSpec):
            item = _named_item(lower, spec.kinds, taken, document)
            if item is None and spec.every and _EVERY.search(lower):
                item = EVERY
            if item is not None:
                line = _filled(line, {name: item})
                taken.add(item)
                said.add(name)
        elif isinstance(spec, ReferencesSpec) and (every := _named_items(lower, spec.kinds, document)):
            line = _filled(line, {name: every})
            said.add(name)
    return line


def _with_numbers(line: Line, numbers: list[SaidNumber], said: set[str]) -> Line:
    """Take numbers: those beside the name of a field for it, the others in the order of the fields that they fit."""
    free = [name for name in line.used_fields() if isinstance(line.spec(name), NumberSpec) and name not in said]
    named = _by_name(line, numbers, free)
    for place, name in named.items():
        line = _filled(line, {name: numbers[place].typed})
        free.remove(name)
    for place, number in enumerate(numbers):
        fits = next((name for name in free if _fits(line, name, number)), None)
        if place not in named and fits is not None:
            line = _filled(line, {fits: number.typed})
            free.remove(fits)
    return line


def _by_name(line: Line, numbers: list[SaidNumber], free: list[str]) -> dict[int, str]:
    """Return the fields that numbers name, by the word before or after them: the side that names more goes first.

    The other side names only what is left: in `radius 5 20 up` the radius stands before its number, up after it.
    """
    before = [(number, number.before) for number in numbers]
    after = [(number, number.after) for number in numbers]
    by_before, by_after = _beside(line, before, free, {}), _beside(line, after, free, {})
    if len(by_after) > len(by_before):
        return _beside(line, before, free, by_after)
    return _beside(line, after, free, by_before)


def _beside(line: Line, numbers: list[tuple[SaidNumber, str]], free: list[str], known: dict[int, str]) -> dict[int, str]:
    """Return the known fields of numbers, and those that a word beside each of the other numbers names."""
    found = dict(known)
    for place, (number, word) in enumerate(numbers):
        fits = (name for name in free if name not in found.values() and _is_of_kind(line, name, number))
        named = next((name for name in fits if any(alike(word, own) for own in _names(line, name))), None)
        if place not in found and named:
            found[place] = named
    return found


def _names(line: Line, field: str) -> list[str]:
    """Return the words that name a field."""
    spec = line.spec(field)
    return [word for word in telling_words(f"{spec.label} {field}".replace("_", " ").lower()) if word not in GENERAL]


def _is_of_kind(line: Line, field: str, number: SaidNumber) -> bool:
    """Return whether a number may stand in a field: one with a unit only in a field of its kind."""
    spec = line.spec(field)
    return isinstance(spec, NumberSpec) and number.dimension in ("", spec.dimension)


def _fits(line: Line, field: str, number: SaidNumber) -> bool:
    """Return whether a number that names no field may stand in one: of its kind, and within its range."""
    spec = line.spec(field)
    if not isinstance(spec, NumberSpec) or not _is_of_kind(line, field, number):
        return False
    try:
        spec.resolve(field, number.typed, {})
    except InvalidInput:
        return not number.typed[-1].isdigit() and not number.dimension  # the name of a size, whose value is not asked
    return True


def _without_items(lower: str, document: SheetDocument) -> str:
    """Return a text without the names of items, whose numbers are none of the line's."""
    names = {document.item_name(line.id).lower() for line in document.lines if line.gives_kind}
    for name in sorted((name for name in names if re.search(r"\d", name)), key=len, reverse=True):
        lower = re.sub(rf"(?<!\w){re.escape(name)}(?!\w)", " ", lower)
    return lower


def _named_items(lower: str, kinds: tuple[str, ...], document: SheetDocument) -> list[str]:
    """Return the ids of all items of some kinds that the text names, in its order."""
    found: list[str] = []
    while (item := _named_item(lower, kinds, set(found), document)) is not None:
        found.append(item)
        lower = lower.replace(document.item_name(item).lower(), " " * len(document.item_name(item)), 1)
    return found


def _named_item(lower: str, kinds: tuple[str, ...], taken: set[str], document: SheetDocument) -> str | None:
    """Return the id of the item of some kinds whose name stands first in the text and that no field has yet."""
    known = document.kinds()
    items = [(document.item_name(line.id).lower(), line.id) for line in document.lines if known.get(line.id) in kinds]
    named = [(lower.index(name), -len(name), i) for name, i in items if name and name in lower and i not in taken]
    return min(named)[2] if named else None
