"""Numbers in the words of a verb's own sentence: `from 13 mm out to 15 mm` fills what the sentence has between these words.

Each field of a sentence stands between words; each number of a text does, too. A number goes to the field whose words stand
beside it, counted outwards from it on both sides; of several the one with most of them, and in the order of the sentence.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from glass_spoon.sheet.line import Part
from glass_spoon.sheet.phrase import IDLE
from glass_spoon.sheet.said_text import HOLE, NUMBER_HOLE, SaidText, stem

REACH = 4
"""Words on a side of a number that count."""

ENOUGH = 1.5
"""Least that the words beside a number are worth for it to be taken."""

ANY_WORD = 0.5
"""What any one word beside a number is worth, and less; for numbers that nothing else explains."""

TELLING, LINKING = 1.0, 0.6
"""What a word that tells something is worth, and one that only links: of, from, to."""

_WORD = re.compile(r"[a-zà-öø-ÿ][\w-]*")


@dataclass(frozen=True)
class Slot:
    """A field of a sentence, and the words before it, the nearest first, and after it."""

    field: str
    before: tuple[str, ...]
    after: tuple[str, ...]


@dataclass(frozen=True)
class Fitting:
    """A number of a text for a field: the place of the number, the field, what the words are worth, where they stand."""

    number: int
    field: str
    worth: float
    words: tuple[tuple[int, int], ...]


def slots_of(parts: Sequence[Part]) -> list[Slot]:
    """Return the fields of a sentence with the words beside them, up to the fields beside those."""
    found = []
    for place, part in enumerate(parts):
        if part.kind != "field":
            continue
        before = parts[place - 1].text if place and parts[place - 1].kind != "field" else ""
        after = parts[place + 1].text if place + 1 < len(parts) and parts[place + 1].kind == "text" else ""
        found.append(Slot(part.text, tuple(_words(before)[::-1]), tuple(_words(after))))
    return found


def fit_numbers(
    said: SaidText,
    spans: list[tuple[int, int]],
    slots: list[Slot],
    may_fill: Callable[[int, str], bool],
    enough: float = ENOUGH,
) -> list[Fitting]:
    """Return which numbers, by where they stand, fill which fields; the best worth first, each number and field once.

    may_fill: whether a number, by its place, may stand in a field. enough: what its words must be worth.
    """
    tried = []
    for number, span in enumerate(spans):
        low, high = said.around(spans, number)
        before = _spoken(said.text, max(low, said.text.rfind(HOLE, 0, span[0]) + 1), span[0])[::-1]
        hole = said.text.find(HOLE, span[1])
        after = _spoken(said.text, span[1], min(high, hole) if hole >= 0 else high)
        for order, slot in enumerate(slots):
            if may_fill(number, slot.field):
                matched = [*_matched(slot.before, before), *_matched(slot.after, after)]
                worth = _worth(matched)
                if matched and said.text[span[1] : span[1] + 1] == "-":
                    worth += LINKING  # a word that hangs on the number, as in 2-start
                tried.append((worth, -number, -order, Fitting(number, slot.field, worth, tuple(at for _, at in matched))))
    taken: list[Fitting] = []
    for worth, *_, fitting in sorted(tried, key=lambda entry: entry[:3], reverse=True):
        if worth < enough:
            break
        if all(fitting.number != one.number and fitting.field != one.field for one in taken):
            taken.append(fitting)
    return taken


def _words(text: str) -> list[str]:
    """Return the words of a sentence in small letters."""
    return _WORD.findall(text.lower())


def _spoken(text: str, start: int, end: int) -> list[tuple[str, tuple[int, int]]]:
    """Return the words of a stretch, and where they stand."""
    return [(found[0], found.span()) for found in _WORD.finditer(text, start, end)]


def _matched(wanted: tuple[str, ...], spoken: list[tuple[str, tuple[int, int]]]) -> list[tuple[str, tuple[int, int]]]:
    """Return the words that agree, counted outwards until two differ."""
    found = []
    for word, (own, at) in zip(wanted[:REACH], spoken, strict=False):
        if stem(word) != stem(own):
            break
        found.append((own, at))
    return found


def _worth(words: list[tuple[str, tuple[int, int]]]) -> float:
    """Return what words that agree are worth together."""
    return sum(LINKING if word in IDLE else TELLING for word, _ in words)


def lead_worth(text: str, start: int, slot: Slot) -> float:
    """Return what the words right before a place are worth for a field, by those before it in the sentence."""
    low = max(text.rfind(hole, 0, start) for hole in (HOLE, NUMBER_HOLE)) + 1
    return _worth(_matched(slot.before, _spoken(text, low, start)[::-1]))


def name_patterns(parts: Sequence[Part], field: str) -> list[str]:
    """Return expressions that find the name of the new item as the sentence has it: after `as`, or between verb and words.

    The name is the group `name`. A sentence that ends with `giving {name}` has none here: that is read anywhere.
    """
    place = next((place for place, part in enumerate(parts) if part.kind == "field" and part.text == field), 0)
    if not place:
        return []
    before = parts[place - 1].text if parts[place - 1].kind == "text" else ""
    verb = parts[place - 2].text if place > 1 and not before.strip() else parts[place - 1].text
    following = parts[place + 1].text if place + 1 < len(parts) and parts[place + 1].kind == "text" else ""
    after = _words(following)[:2] if re.match(r"\s*\w", following) else []
    name = r"(?P<name>[a-zà-öø-ÿ][^\d,;:]*?)"
    if before.strip():
        lead = _words(before)[-3:]
        if not lead or lead[-1] == "giving":
            return []
        ends = rf"\s+(?={re.escape(after[0])}\b)" if after else r"\s*(?=$|[,;.])"
        return [r"\b" + r"\s+".join(map(re.escape, lead[k:])) + rf"\s+{name}{ends}" for k in range(len(lead))]
    if not after:
        return []
    follows = r"\s+".join(map(re.escape, after))
    return [rf"^\W*{re.escape(verb.lower())}\s+{name}\s+(?={follows}\b)"]
