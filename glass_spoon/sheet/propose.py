"""The finder behind “Add the next line”: plain words to proposed lines."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.edit import default_line
from glass_spoon.sheet.fields import ChoiceSpec, NameSpec, NumberSpec, ReferenceSpec, ReferencesSpec, TextSpec
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.lines import VERBS

MAX_TEXT = 120
_SIZE = re.compile(r"^\s*(?:size\s+)?([a-z][a-z0-9_]*)\s*(?:=|:|\bis\b)\s*(.+)$", re.IGNORECASE)
_NUMBER = re.compile(r"(?<![\w.])(\d+(?:\.\d+)?)\s*(mm|cm|m|inch|°|deg)?(?![\w.])")


LATER = 0.4
"""What further words that fit count beside the best one."""


@dataclass(frozen=True, eq=False)
class Proposal:
    """A verb that the words may mean, and the line it would add."""

    verb: str
    summary: str
    chapter: str
    line: Line


def propose(text: str, document: SheetDocument) -> list[Proposal]:
    """Return proposals for what was typed, the likeliest first; all verbs for an empty text.

    The first words choose the verb (by its name, or a word that means it); names of items, choices and numbers among the
    rest fill its fields, as in `mesh body 64 30` or `wall = 1.5 mm`.
    """
    text = text[:MAX_TEXT]
    size = _SIZE.match(text)
    scored = sorted(((-_score(verb, text, bool(size)), order, verb) for order, verb in enumerate(VERBS)))
    return [_proposal(verb, text, document) for score, _, verb in scored if score < 0 or not text.strip()]


def _score(verb: str, text: str, is_size: bool) -> float:
    """Return how well a verb matches the words: its own name first, then its other words, then its summary."""
    if is_size:
        return 10.0 if verb == "size" else 0.0
    cls = VERBS[verb]
    words = text.lower().split()
    scores = []
    for place, word in enumerate(words[:4]):
        best, early = 0.0, 1 - 0.2 * place
        for known, worth in ((verb.replace("_", " "), 5.0), *((other, 3.0) for other in cls.words)):
            if known.startswith(word) or any(part.startswith(word) for part in known.split()):
                best = max(best, worth * early * (0.5 + 0.5 * len(word) / len(known)))
        if len(word) > 3 and word in cls.summary.lower():
            best = max(best, early)
        scores.append(best)
    return max(scores, default=0.0) + LATER * (sum(scores) - max(scores, default=0.0))


def _proposal(verb: str, text: str, document: SheetDocument) -> Proposal:
    """Fill a verb's fields from the words."""
    cls = VERBS[verb]
    line = default_line(document, verb)
    values = _fill(line, text, document)
    try:
        line = cls.model_validate(line.model_dump() | values)
    except ValidationError:
        pass  # what does not fit is left at its default
    return Proposal(verb, cls.summary, cls.chapter, line)


def _fill(line: Line, text: str, document: SheetDocument) -> dict[str, Any]:
    """Return the field values that the words give."""
    size = _SIZE.match(text)
    if size and line.verb_name == "size":
        return {"name": size[1].lower(), "value": size[2].strip()}
    values: dict[str, Any] = {}
    for name in line.used_fields():
        spec = line.spec(name)
        if isinstance(spec, TextSpec) and spec.pattern and (sign := re.search(spec.pattern, text, re.IGNORECASE)):
            values[name] = sign[0]
            text = text.replace(sign[0], " ", 1)
    lower = text.lower()
    numbers = [match[1] + (f" {match[2]}" if match[2] else "") for match in _NUMBER.finditer(lower)]
    for name in line.used_fields():
        spec = line.spec(name)
        if isinstance(spec, ReferenceSpec):
            taken = {value for value in values.values() if isinstance(value, str)}
            named = _named_item(lower, spec.kinds, taken, document)
            values |= {name: named} if named else {}
        elif isinstance(spec, ReferencesSpec):
            every = _named_items(lower, spec.kinds, document)
            values |= {name: every} if every else {}
        elif isinstance(spec, ChoiceSpec):
            found = next((choice for choice in spec.choices if re.search(rf"\b{re.escape(choice)}\b", lower)), None)
            values |= {name: found} if found else {}
        elif isinstance(spec, NumberSpec) and numbers:
            values[name] = numbers.pop(0)
        elif isinstance(spec, NameSpec) and " giving " in f" {lower} ":
            values[name] = text[lower.rindex("giving") + 6 :].strip() or getattr(line, name)
    return values


def _named_items(lower: str, kinds: tuple[str, ...], document: SheetDocument) -> list[str]:
    """Return the ids of all items of some kinds that the text names, in its order."""
    found: list[str] = []
    while (item := _named_item(lower, kinds, set(found), document)) is not None:
        found.append(item)
        lower = lower.replace(document.item_name(item).lower(), " " * len(document.item_name(item)), 1)
    return found


def _named_item(lower: str, kinds: tuple[str, ...], taken: set[Any], document: SheetDocument) -> str | None:
    """Return the id of the item of some kinds whose name stands first in the text and that no field has yet."""
    items = [(document.item_name(line.id).lower(), line.id) for line in document.lines if line.gives_kind in kinds]
    named = [(lower.index(name), -len(name), i) for name, i in items if name and name in lower and i not in taken]
    return min(named)[2] if named else None
