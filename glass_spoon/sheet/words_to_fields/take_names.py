"""The name of a new item, as words give it."""

from __future__ import annotations

import re

from glass_spoon.sheet.fields import (
    ChoiceSpec,
    NameSpec,
    ReferenceSpec,
    ReferencesSpec,
)
from glass_spoon.sheet.named_numbers import MEASURES
from glass_spoon.sheet.own_sentence import name_patterns
from glass_spoon.sheet.phrase import IDLE
from glass_spoon.sheet.said_text import HOLE, stem, stems
from glass_spoon.sheet.words_to_fields.reading import Reading

_GIVING = re.compile(r"\b(?:giving|called|named)\s+")

_NAME_ENDS = (
    r"(?=\s*(?:[,;.]|$|\b(?:with|over|from|of|by|at|through|along|about|on|as)\b|\bin\s+(?:the\s+)?(?:front|side|plan)\b"
    r"|\b(?:radius|diameter|width|height|depth|length|pitch)\s+(?:of\s+)?[\d.]))"
)

_DONE = re.compile(r"(?:ed|ing|wards?)$")
"""How words end that say what is done to an item, or which way, and are no name of it."""

_WHERE = frozenset(
    re.findall(
        r"\w+",
        "above across against along around below beside between beyond inside near onto outside under within "
        "less like minus plus until versus without "
        "closed drawn flat laid level lying open sharp smooth smoothly soft standing straight upright",
    )
)
"""Words that say where something is, how, or what is done with two items, and are no name of it."""


def take_name(reading: Reading) -> None:
    """Take the name of the new item, up to a comma or a word that goes on."""
    name = next((name for name in reading.line.used_fields() if isinstance(reading.line.spec(name), NameSpec)), None)
    if name is None or _take_name_of_sentence(reading, name):
        return
    start = _GIVING.search(reading.said.text)
    if start is None:
        return
    end = re.compile(r".+?" + _NAME_ENDS).match(reading.said.text, start.end())
    if end and reading.fill({name: reading.original[start.end() : end.end()].strip()}):
        reading.said.take_span(start.start(), end.end())


def _take_name_of_sentence(reading: Reading, field: str) -> bool:
    """Take the name where the sentence of the line has it; say whether it was there. Items keep theirs."""
    known = {name.lower() for name in reading.document.item_names().values()} | IDLE
    for pattern in name_patterns(reading.line.prose(), field):
        found = reading.said.search(pattern)
        if found is None or found["name"] in known or found["name"].split()[0] in IDLE:
            continue
        if stem(found["name"].split()[0]) in _choice_stems(reading):
            continue  # words that choose something: `mark faces looking up on hull`
        if reading.fill({field: reading.original[found.start("name") : found.end("name")]}):
            reading.said.take_span(*found.span("name"))
            return True
    return False


def _choice_stems(reading: Reading) -> set[str]:
    """Return the stems of the words of all choices of the line."""
    labels = [
        spec.choice_label(choice)
        for spec in reading.line.specs().values()
        if isinstance(spec, ChoiceSpec)
        for choice in spec.choices
    ]
    return set(stems(" ".join(labels))) - set(stems(" ".join(IDLE)))


def _is_needed(spec: object) -> bool:
    """Say whether a field asks for items that a line cannot do without."""
    return isinstance(spec, ReferenceSpec) or (isinstance(spec, ReferencesSpec) and spec.least > 0)


def take_name_after_verb(reading: Reading) -> None:
    """Take an unknown word right after the verb as the name: `rectangle tank 300 by 200`; of what is made of nothing
    else also before `of`, `on`, `in`, a comma and the end: `circle rim of radius 40`.
    """
    name = next((name for name in reading.line.used_fields() if isinstance(reading.line.spec(name), NameSpec)), None)
    if name is None or name in reading.filled or reading.line.changes:
        return
    alone = not any(_is_needed(reading.line.spec(field)) for field in reading.line.used_fields())
    before = [re.escape(reading.line.verb_name.replace("_", " "))]
    before += [HOLE, *(re.escape(word) for word in type(reading.line).words)] if alone else []
    verb = rf"^\W*(?:(?:a|an|the|new|add|draw|make)\s+)*(?:{'|'.join(before)})\s+" + (r"(?:an?\s+|the\s+)?" if alone else "")
    ends = r"[\d\x00\x01]" + (r"|,|\W*$|(?:of|with|on|in|through|about|from|at)\b" if alone else "")
    more = r"(?: [a-z]\w*)??" if alone else ""
    found = re.compile(verb + rf"([a-z]\w*{more})(?=\s*(?:{ends}))").match(reading.said.text)
    if found is None or set(found[1].split()) & (IDLE | MEASURES) or found[1] in reading.names.every:
        return
    if any(_DONE.search(word) or word in _WHERE for word in found[1].split()):
        return  # what is done to it, or where: `circle centred with …`
    if not set(stems(found[1])) & (reading.own_stems() | _choice_stems(reading)):
        word = reading.original[found.start(1) : found.end(1)]
        if reading.fill({name: word}):
            reading.said.take_span(found.start(1), found.end(1))


def take_name_behind_as(reading: Reading) -> None:
    """Take words that nothing else has understood, behind `as` at the end, as the name: `unite base and top as box`."""
    name = next((name for name in reading.line.used_fields() if isinstance(reading.line.spec(name), NameSpec)), None)
    found = reading.said.search(r"\bas (?:an? |the )?([a-z][\w ]*?)\s*[.]?$")
    if name is None or name in reading.filled or found is None or found[1] in reading.names.every:
        return
    if not set(stems(found[1])) & reading.own_stems():
        if reading.fill({name: reading.original[found.start(1) : found.end(1)]}):
            reading.said.take(found)
