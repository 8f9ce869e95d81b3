"""Reading one written sentence: which verb, and what stands in its fields, by the verb's own declared sentence.

The sentence of a verb depends on some of its values (a bevel by width says other things than one by radius). So it is read
by trying: as far as the sentence of the values known by now goes, then with every choice that is still open set otherwise,
and on with the one that reads farthest.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import cache
from typing import Any

from glass_spoon.sheet.fields import ChoiceSpec
from glass_spoon.sheet.line import Clause, Line
from glass_spoon.sheet.lines import VERBS
from glass_spoon.sheet.text_form.fields import read_field
from glass_spoon.sheet.text_form.write_text import KEPT

MOST_TURNS = 12
"""Most choices that are set one after the other to read one sentence."""

APART = ("size", "remark", "step")
"""Verbs that are written in another way than by their sentence."""

_VERB = re.compile(r"\*\*(.+?)\*\*")


class Unread(ValueError):
    """A sentence that no verb can say; `beyond` is what was not understood."""

    def __init__(self, beyond: str) -> None:
        super().__init__(f"“{beyond.strip()[:60]}” was not understood" if beyond.strip() else "it ends too early")


@dataclass(frozen=True)
class ReadSentence:
    """A sentence as it was read: the verb, and its fields; names of items are still names, tables stand beneath."""

    verb: str
    values: dict[str, Any]


@dataclass
class _Reading:
    """How far a sentence of a verb goes along a text: its values, and where it stopped; whether it came to its end."""

    line: Line
    values: dict[str, Any] = field(default_factory=dict)
    at: int = 0
    ended: bool = False


def read_sentence(text: str) -> ReadSentence:
    """Return what a written sentence says; raises Unread."""
    verb = _VERB.search(text)
    candidates = _verbs_called().get(verb[1], ()) if verb else ()
    best: _Reading | None = None
    for name in candidates:
        found = _read_as(name, text)
        if found.ended:
            return ReadSentence(name, found.values)
        best = found if best is None or found.at > best.at else best
    raise Unread(text[best.at :] if best else text)


@cache
def _verbs_called() -> Mapping[str, tuple[str, ...]]:
    """Return the verbs by what stands in bold in their sentences."""
    called: dict[str, list[str]] = {}
    for name, cls in VERBS.items():
        for sentence in {cls.sentence, *cls.wordings.values()} if name not in APART else ():
            called.setdefault(_VERB.findall(sentence)[0], [])
            if name not in called[_VERB.findall(sentence)[0]]:
                called[_VERB.findall(sentence)[0]].append(name)
    return {word: tuple(names) for word, names in called.items()}


def _read_as(verb: str, text: str) -> _Reading:
    """Return how far a text reads as the sentence of a verb."""
    line = VERBS[verb].model_validate({"id": "l1", "verb": verb})
    best = _follow(line, text)
    for _ in range(MOST_TURNS):
        if best.ended:
            break
        farther = max(_otherwise(best, text), key=lambda reading: (reading.ended, reading.at), default=best)
        if not farther.ended and farther.at <= best.at:
            break
        best = farther
    return best


def _otherwise(reading: _Reading, text: str) -> Iterator[_Reading]:
    """Yield how far a text reads with each choice set otherwise that the text has not settled yet."""
    known = reading.line.model_copy(update=reading.values)
    yield _follow(known, text)
    for name, spec in reading.line.specs().items():
        if isinstance(spec, ChoiceSpec) and name not in reading.values:
            for choice in spec.choices:
                if choice != getattr(known, name):
                    yield _follow(known.model_copy(update={name: choice}), text)


def _follow(line: Line, text: str) -> _Reading:
    """Read a text by the sentence that a line has with its values; what is read may change the sentence."""
    reading = _Reading(line)
    for _ in range(MOST_TURNS):
        sentence = reading.line.sentence_now()
        reading = _along(reading.line, text)
        settled = reading.line.model_copy(update=reading.values)
        if settled.sentence_now() == sentence:
            break
        reading = _Reading(settled, reading.values, reading.at)
    if not reading.ended:
        return reading
    # Choices that were only tried, and are not said, are not meant.
    meant = type(line).model_validate({"id": "l1", "verb": line.verb_name}).model_copy(update=reading.values)
    reading.ended = meant.sentence_now() == reading.line.sentence_now()
    return reading


def _along(line: Line, text: str) -> _Reading:
    """Read a text along one sentence; optional clauses that it does not say are passed over."""
    reading = _Reading(line)
    for clause in line.clauses():
        at, values, farthest = _clause(line, clause, text, reading.at)
        if at is None:
            if clause.optional:
                continue
            reading.values |= values
            reading.at = farthest
            return reading
        reading.values |= values
        reading.at = at
    return _aside(reading, text)


def _clause(line: Line, clause: Clause, text: str, at: int) -> tuple[int | None, dict[str, Any], int]:
    """Return where a clause ends that begins at a place, None where it is not said; its values; how far it was followed."""
    values: dict[str, Any] = {}
    for part in clause.parts:
        if part.kind == "field":
            found = read_field(line.spec(part.text), part.text, text, at)
            if found is None:
                return None, values, at
            values[part.text], at = found.value, found.end
            continue
        said = f"**{part.text}**" if part.kind == "verb" else part.text
        if not text.startswith(said, at):
            return None, values, at
        at += len(said)
    return at, values, at


def _aside(reading: _Reading, text: str) -> _Reading:
    """Read what a line keeps aside after its sentence, to the end of the text."""
    if text.startswith(KEPT, reading.at):
        at = reading.at + len(KEPT)
        while True:
            word = re.compile(r"([a-z][a-z0-9 ]*) (?=[`*])").match(text, at)
            name = word[1].replace(" ", "_") if word else ""
            spec = reading.line.specs().get(name)
            found = read_field(spec, name, text, word.end()) if word and spec else None
            if found is None:
                return reading
            reading.values[name] = found.value
            at = reading.at = found.end
            if not text.startswith("; ", at):
                break
            at += 2
        reading.at += text.startswith(".", reading.at)
    reading.ended = not text[reading.at :].strip()
    return reading
