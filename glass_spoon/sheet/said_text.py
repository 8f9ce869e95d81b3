"""A text while it is read: what was understood is taken out, so that nothing counts twice and the rest can be told."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from glass_spoon.sheet.phrase import IDLE, SaidNumber, Word, as_typed, dimension_of, expression_pattern

_TOKEN = re.compile(r"[a-zà-öø-ÿ_][\w-]*")
HOLE, NUMBER_HOLE = "\x00", "\x01"
HOLES = re.compile(f"[{HOLE}{NUMBER_HOLE}]")
"""What stands where something was taken out: the words beside a number that was taken are not those of the next one."""

MAKING = frozenset(
    re.findall(r"\w+", "make add create draw new give put do want need me i my please then line one some same own way as")
)
"""Words that say that something is to be made, but not what."""


@dataclass
class SaidText:
    """A text in small letters; `sizes`: the names that count as numbers, with the dimension of each ("" for a plain one)."""

    text: str
    sizes: Mapping[str, str]

    def take(self, found: re.Match[str]) -> None:
        """Take out what a match found."""
        self.take_span(found.start(), found.end())

    def take_span(self, start: int, end: int, hole: str = HOLE) -> None:
        """Take out a stretch."""
        self.text = self.text[:start] + hole * (end - start) + self.text[end:]

    def take_number(self, start: int, end: int) -> None:
        """Take out a number."""
        self.take_span(start, end, NUMBER_HOLE)

    def search(self, pattern: str) -> re.Match[str] | None:
        """Return where a pattern stands in what is left."""
        return re.search(pattern, self.text)

    def take_words(self, words: Iterable[str]) -> None:
        """Take out all words that are among some."""
        known = frozenset(words)
        for found in list(_TOKEN.finditer(self.text)):
            if any(stem(found[0]) == other for other in known):
                self.take(found)

    def numbers(self) -> list[SaidNumber]:
        """Return the numbers, each with the telling words between it and the numbers beside it, the nearest first."""
        found = list(re.finditer(expression_pattern(tuple(self.sizes)), self.text))
        spans = [match.span() for match in found]
        result = []
        for place, match in enumerate(found):
            typed = as_typed(match[0])
            low, high = self.around(spans, place)
            before, after = self._words(low, match.start())[::-1], self._words(match.end(), high)
            result.append(SaidNumber(typed, dimension_of(typed, self.sizes), before, after, match.span()))
        return result

    def around(self, spans: list[tuple[int, int]], place: int) -> tuple[int, int]:
        """Return where the words of a number begin and end: at the numbers beside it, those that were taken too."""
        start, end = spans[place]
        low = max(spans[place - 1][1] if place else 0, self.text.rfind(NUMBER_HOLE, 0, start) + 1)
        hole = self.text.find(NUMBER_HOLE, end)
        high = spans[place + 1][0] if place + 1 < len(spans) else len(self.text)
        return low, min(high, hole) if hole >= 0 else high

    def _words(self, start: int, end: int) -> tuple[Word, ...]:
        """Return the telling words in a stretch, with where they stand."""
        words = [found for found in _TOKEN.finditer(self.text, start, end) if found[0] not in IDLE]
        return tuple((found[0], found.span()) for found in words)

    def left(self) -> tuple[str, ...]:
        """Return the telling words, and the numbers, that nothing has taken."""
        numbers = [(found.start(), found[0]) for found in re.finditer(expression_pattern(tuple(self.sizes)), self.text)]
        rest = SaidText(self.text, self.sizes)
        for found in re.finditer(expression_pattern(tuple(self.sizes)), self.text):
            rest.take(found)
        words = [(m.start(), m[0]) for m in _TOKEN.finditer(rest.text) if m[0] not in IDLE and m[0] not in MAKING]
        return tuple(text.strip() for _, text in sorted([*numbers, *words]))


def stem(word: str) -> str:
    """Return a word without the endings that do not change what it names: left-handed, left hand; corners, corner."""
    word = word.replace("-", " ")
    for ending in ("ed", "es", "s", "ing"):
        if word.endswith(ending) and len(word) - len(ending) >= 3 and not word.endswith("ss"):
            return word[: -len(ending)]
    return word


def stems(text: str) -> list[str]:
    """Return the stems of the words of a text, hyphens taken as spaces."""
    return [stem(word) for word in re.findall(r"[a-zà-ÿ_0-9]\w*", text.lower().replace("-", " "))]
