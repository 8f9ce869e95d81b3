"""Which fields the words beside numbers name: `30 wide 20 high turned 15°`, and where numbers without names may stand."""

from __future__ import annotations

import re
from itertools import pairwise

from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.sheet.fields import NumberSpec
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.phrase import IDLE, SaidNumber, Word
from glass_spoon.sheet.said_text import stem

GENERAL = frozenset({"count", "number", "value", "so", "many"})
"""Words in the names of fields that do not tell one from another."""

OTHER_WORDS = {
    "wide": "width",
    "broad": "width",
    "high": "height",
    "tall": "height",
    "long": "length",
    "deep": "depth",
    "thick": "thickness",
    "away": "distance",
    "apart": "distance",
    "r": "radius",
    "rad": "radius",
}
"""Words that stand beside a number, and the field that they name."""

MEASURES = frozenset(
    {*OTHER_WORDS, *OTHER_WORDS.values(), "diameter", "dia", "d", "pitch", "turns", "tube", "size", "angle"}
)
"""Words for measures, which are no names of items."""

ACROSS = frozenset({"diameter", "diameters", "dia", "across", "ø", "⌀"})
"""Words for a length that is twice a radius; `across` only after it."""

ROUND_LENGTHS = frozenset({"radius", "r", "rad", "diameter", "diameters", "dia", "ø", "⌀", "thick", "thickness"})
LENGTHS = ROUND_LENGTHS | {"wide", "broad", "high", "tall", "long", "deep", "width", "height", "length", "depth"}
"""Words that tell a length: a number beside one is no angle and no factor, beside one of the first no count either."""

BESIDE = 4
"""Letters between a number and a word, at most, that stands right beside it: `radius of 20`."""

Naming = tuple[str, tuple[Word, ...]]
"""A field that a number names, and the words that do."""


def said_across(number: SaidNumber) -> list[Word]:
    """Return the words beside a number that make it twice a radius."""
    before = [word for word in number.before[:1] if word[0] in ACROSS and word[0] != "across"]
    return [*before, *(word for word in number.after[:1] if word[0] in ACROSS)]


def name_numbers(line: Line, numbers: list[SaidNumber], free: list[str]) -> dict[int, Naming]:
    """Return the fields that words before or after numbers name, by the places of these: as many as can be.

    Each word names one number, each field is named once. In `30 wide 20 high turned 15°` the first two are named by what
    follows them, the last by what stands before it. Of readings that name as many the one goes by the nearer words, then
    the one that changes sides least, then the one by the words before.
    """
    sides = [[_namings(line, number, words, free) for words in (number.before, number.after)] for number in numbers]
    nameable = [any(pair) for pair in sides]
    best: tuple[tuple[int, ...], dict[int, Naming]] = ((0, 0, 0, 0, 0), {})

    def read(place: int, found: dict[int, Naming], chosen: tuple[int, ...], used: frozenset[tuple[int, int]]) -> None:
        nonlocal best
        if len(found) + sum(nameable[place:]) < best[0][0]:
            return  # it names fewer, whatever follows
        if place == len(numbers):
            changes = sum(one != other for one, other in pairwise(chosen))
            away = sum(_between(numbers[at], words[0]) for at, (_, words) in found.items())
            worth = (len(found), sum(len(words) for _, words in found.values()), -away, -changes, -sum(chosen))
            best = max(best, (worth, found), key=lambda entry: entry[0])
            return
        taken = {name for name, _ in found.values()}
        for side, namings in enumerate(sides[place]):
            naming = next((one for one in namings if one[0] not in taken), None)
            spans = frozenset(span for _, span in naming[1]) if naming else frozenset()
            if naming and not used & spans:
                read(place + 1, {**found, place: naming}, (*chosen, side), used | spans)
        read(place + 1, found, chosen, used)

    read(0, {}, (), frozenset())
    return best[1]


def _between(number: SaidNumber, word: Word) -> int:
    """Return how many letters stand between a number and a word beside it."""
    (start, end), (first, last) = number.span, word[1]
    return start - last if last <= start else first - end


def _namings(line: Line, number: SaidNumber, words: tuple[Word, ...], free: list[str]) -> list[Naming]:
    """Return the fields that words beside a number name, those with most words first; none where the nearest names none."""
    found = [(name, _naming(line, name, words)) for name in free if words and is_of_kind(line, name, number)]
    return sorted((one for one in found if one[1]), key=lambda one: -len(one[1]))


def _naming(line: Line, name: str, words: tuple[Word, ...]) -> tuple[Word, ...]:
    """Return which of the words beside a number, the nearest first, name a field; none where the nearest does not."""
    own = {stem(word) for word in names_of(line, name)}
    if "radius" in own:
        own |= ACROSS
    named = [stem(OTHER_WORDS.get(word, word)) in own or word in own for word, _ in words]
    count = next((k for k, fits in enumerate(named) if not fits), len(named))
    return words[:count]


def names_of(line: Line, field: str) -> list[str]:
    """Return the words that name a field."""
    spec = line.spec(field)
    return [
        word
        for word in f"{spec.label or field} {getattr(spec, 'axis', '')}".replace("_", " ").lower().split()
        if word not in GENERAL | IDLE
    ]


def named_elsewhere(line: Line, number: SaidNumber, used: list[str]) -> list[Naming]:
    """Return the fields out of use whose whole names stand before a number, by more words than those of any used one."""
    known = max((len(_naming(line, name, number.before)) for name in used if is_of_kind(line, name, number)), default=0)
    found = []
    for name in line.specs():
        own = {stem(word) for word in names_of(line, name)} if name not in used and is_of_kind(line, name, number) else set()
        words = number.before[: len(own)]
        if len(own) > known and {stem(word) for word, _ in words} == own:
            found.append((name, words))
    return sorted(found, key=lambda one: -len(one[1]))


def is_of_kind(line: Line, field: str, number: SaidNumber) -> bool:
    """Return whether a number may stand in a field: one with a unit only in a field of its kind."""
    spec = line.spec(field)
    return isinstance(spec, NumberSpec) and number.dimension in ("", spec.dimension)


def may_stand(line: Line, field: str, number: SaidNumber, *, across: bool) -> bool:
    """Return whether a number that names no field may stand in one: of its kind, in its range; a diameter in a radius."""
    spec = line.spec(field)
    if not isinstance(spec, NumberSpec) or not is_of_kind(line, field, number):
        return False
    if across and "radius" not in names_of(line, field):
        return False
    beside = {word[0] for word in (*number.before[:1], *number.after[:1]) if _between(number, word) <= BESIDE}
    if spec.dimension != "length" and beside & (ROUND_LENGTHS if spec.whole else LENGTHS):
        return False
    try:
        spec.resolve(field, number.typed, {})
    except InvalidInput:
        return bool(
            re.search(r"[a-z]", re.sub(r"\b(?:mm|cm|m|inch)\b", "", number.typed))
        )  # sizes, whose values are not asked
    return True
