"""What the words of a modeler say about a line: numbers, and phrases of the trade that fill several fields at once."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import count

IDLE = frozenset(
    re.findall(
        r"\w+", "a an the of to by with and at in on for from is it its as into be that this than about so each please"
    )
)
"""Words that say nothing about which line is meant."""

_UNITS = {"degrees": "°", "degree": "°", "deg": "°", "in": "inch", "inches": "inch", "millimetres": "mm"}
_VALUE = r"-?(?:[1-9]\d{0,2}(?:,\d{3})+|\d+)(?:\.\d+)?"
_UNIT = r"mm|cm|m|inch(?:es)?|in|°|deg(?:rees?)?|millimetres"
_TOKEN = re.compile(r"[a-z][\w-]*")


@dataclass(frozen=True)
class Phrase:
    """Words that say what a line should do.

    pattern: a regular expression over the text in small letters, in which {name} stands for a number that fills the field
    of this name, and {-name} for one that fills it with the other sign (10 down is -10 up). sets: what else the words fill.
    """

    pattern: str
    sets: Mapping[str, str] = field(default_factory=dict)

    def find(self, text: str, sizes: tuple[str, ...]) -> re.Match[str] | None:
        """Return where the words stand in a text, names of `sizes` counting as numbers."""
        return _compiled(self.pattern, sizes).search(text)

    def values(self, found: re.Match[str]) -> dict[str, str]:
        """Return the field values that found words say."""
        values = dict(self.sets)
        for group, text in found.groupdict().items():
            if text is not None:
                name, _, sign = group.rpartition("__")
                values[name] = _other_sign(as_typed(text)) if sign.startswith("less") else as_typed(text)
        return values


@dataclass(frozen=True)
class SaidNumber:
    """A number in a text: as it is typed into a field, its dimension ("" for a plain one), the words beside it."""

    typed: str
    dimension: str
    before: str
    after: str


@lru_cache(maxsize=512)
def _compiled(pattern: str, sizes: tuple[str, ...]) -> re.Pattern[str]:
    """Return the expression of a phrase; its groups are named by field, sign and place, so that a field may come twice."""
    number, places = _number(sizes), count()

    def group(name: re.Match[str]) -> str:
        return f"(?P<{name[2]}__{'less' if name[1] else 'as'}{next(places)}>{number})"

    return re.compile(r"(?<!\w)(?:" + re.sub(r"\{(-?)([a-z]\w*)\}", group, pattern) + r")(?!\w)")


def _other_sign(typed: str) -> str:
    """Return a typed number or the name of a size with the other sign."""
    return typed[1:] if typed.startswith("-") else f"-{typed}"


def _number(sizes: tuple[str, ...]) -> str:
    """Return the expression of a number with or without a unit, or of the name of a size."""
    named = "".join(rf"|{re.escape(size)}(?!\w)" for size in sorted(sizes, key=len, reverse=True))
    return rf"(?:(?<![\w.]){_VALUE}(?:\s*(?:{_UNIT})(?!\w))?{named})"


def as_typed(text: str) -> str:
    """Return a number as it stands in a field: no commas between thousands, units as the sheet writes them."""
    found = re.fullmatch(rf"({_VALUE})\s*({_UNIT})?", text)
    if not found:
        return text
    unit = _UNITS.get(found[2], found[2]) if found[2] else ""
    return found[1].replace(",", "") + (unit if unit in ("", "°") else f" {unit}")


def said_numbers(text: str, sizes: Iterable[str]) -> list[SaidNumber]:
    """Return the numbers in a text in small letters, in its order."""
    result = []
    for found in re.finditer(_number(tuple(sizes)) + r"(?![\w]|\.\d)", text):
        typed = as_typed(found[0])
        unit = "°" if typed.endswith("°") else typed.partition(" ")[2]
        before = [word for word in _TOKEN.findall(text[: found.start()]) if word not in IDLE]
        after = [word for word in _TOKEN.findall(text[found.end() :]) if word not in IDLE]
        dimension = "" if not unit else "angle" if unit == "°" else "length"
        result.append(SaidNumber(typed, dimension, before[-1] if before else "", after[0] if after else ""))
    return result


def without_numbers(text: str, sizes: Iterable[str]) -> str:
    """Return a text in small letters without its numbers and their units."""
    return re.sub(_number(tuple(sizes)), " ", text)


def telling_words(text: str) -> list[str]:
    """Return the words of a text in small letters that may say something, without numbers."""
    return [word for word in _TOKEN.findall(text) if word not in IDLE]


def alike(word: str, other: str) -> bool:
    """Return whether two words are the same, one or several of it."""
    return bool(word) and (word == other or word == other + "s" or other == word + "s")
