"""What the words of a modeler say about a line: numbers, and phrases of the trade that fill several fields at once."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import count

IDLE = frozenset(
    re.findall(
        r"\w+",
        "a an the of to by with and at in on for from is it its as into be that this than about so each please over through",
    )
)
"""Words that say nothing about which line is meant."""

_UNITS = {"degrees": "°", "degree": "°", "deg": "°", "in": "inch", "inches": "inch", "millimetres": "mm"}
_VALUE = r"-?(?:[1-9]\d{0,2}(?:,\d{3})+|\d+)(?:\.\d+)?"
_BEHIND_INCHES = (
    r"by|x|and|or|to|at|from|up|down|left|right|back|high|wide|deep|long|tall|thick|across|apart|round|about|off|over|"
    r"with|of|radius|diameter|along|out|below|above|edges?|rounded|walls?"
)
_UNIT = rf"mm|cm|m|inch(?:es)?|in(?=\s*(?:$|[,;.)×*/+-]|\s(?:{_BEHIND_INCHES})\b))|°|deg(?:rees?)?|millimetres"
"""Units; the short word for inches is one at the end, or before what goes on: in `15 in plan` it is a common word."""

_WITH_UNIT = rf"\s*(?:{_UNIT})(?!\w)"
_PLAIN_NUMBER = rf"(?<![\w.]){_VALUE}(?:{_WITH_UNIT}|(?![\d.])(?!{_WITH_UNIT}))"
_MASK = "\x02"
"""What stands for each letter of the name of a size while phrases are looked for."""

_TOKEN = re.compile(r"[a-z][\w-]*")


@dataclass(frozen=True)
class Phrase:
    """Words that say what a line should do.

    pattern: a regular expression over the text in small letters, in which {name} stands for a number that fills the field
    of this name, and {-name} for one that fills it with the other sign (10 down is -10 up). sets: what else the words fill,
    {name} standing for what was said for a field. finds: the words tell that the verb is meant.
    """

    pattern: str
    sets: Mapping[str, str] = field(default_factory=dict)
    finds: bool = True

    def find(self, text: str, sizes: tuple[str, ...]) -> re.Match[str] | None:
        """Return where the words stand in a text, names of `sizes` counting as numbers."""
        return _compiled(self.pattern).search(_masked(text, sizes))

    def values(self, found: re.Match[str], said_text: str) -> dict[str, str]:
        """Return the field values that words found in a text say."""
        said = {}
        for group in found.groupdict():
            if found[group] is not None:
                name, _, sign = group.rpartition("__")
                text = said_text[found.start(group) : found.end(group)]
                said[name] = _other_sign(as_typed(text)) if sign.startswith("less") else as_typed(text)
        plain = {name: value for name, value in self.sets.items() if "{" not in value}
        return plain | said | {name: value.format(**said) for name, value in self.sets.items() if "{" in value}


Word = tuple[str, tuple[int, int]]
"""A word, and where it stands in its text."""


@dataclass(frozen=True)
class SaidNumber:
    """A number in a text: as it is typed into a field, its dimension ("" for a plain one), the words beside it, its place.

    before, after: the telling words between it and the numbers beside it, the nearest first.
    """

    typed: str
    dimension: str
    before: tuple[Word, ...]
    after: tuple[Word, ...]
    span: tuple[int, int]


@lru_cache(maxsize=1024)
def _compiled(pattern: str) -> re.Pattern[str]:
    """Return the expression of a phrase; its groups are named by field, sign and place, so that a field may come twice.

    Names of sizes are masked in the text, so that one expression serves all sheets.
    """
    number = rf"(?:{_PLAIN_NUMBER}|-?{_MASK}+)"
    whole = rf"(?:{number}(?:(?:\s*[*/]\s*|\s+[-+]\s+){number})*)"
    places = count()

    def group(name: re.Match[str]) -> str:
        return f"(?P<{name[2]}__{'less' if name[1] else 'as'}{next(places)}>{whole})"

    return re.compile(r"(?<!\w)(?:" + re.sub(r"\{(-?)([a-z]\w*)\}", group, pattern) + r")(?!\w)")


@lru_cache(maxsize=64)
def _masked(text: str, sizes: tuple[str, ...]) -> str:
    """Return a text as long, in which the names of sizes that are no words beside a number are masked."""
    if not sizes:
        return text
    names = "|".join(re.escape(size) for size in sorted(sizes, key=len, reverse=True))
    return re.sub(rf"(?<![\w-])(?:{names})(?![\w-])(?!\s+-?\d)", lambda found: _MASK * len(found[0]), text)


def _other_sign(typed: str) -> str:
    """Return a typed number or the name of a size with the other sign."""
    return typed[1:] if typed.startswith("-") else f"-{typed}"


def _number(sizes: tuple[str, ...]) -> str:
    """Return the expression of a number with or without a unit, or of the name of a size that is no word beside one."""
    named = "".join(rf"|(?<![\w-]){re.escape(size)}(?![\w-])(?!\s+-?\d)" for size in sorted(sizes, key=len, reverse=True))
    return rf"(?:{_PLAIN_NUMBER}{named})"


@lru_cache(maxsize=128)
def expression_pattern(sizes: tuple[str, ...]) -> str:
    """Return the expression of a number, or of several joined by signs: `body_d / 2`, `90° - opening`, `(a + 5 mm) * 2`."""
    number = _number(sizes)
    inner = rf"\(\s*-?{number}(?:\s*[-+*/]\s*{number})*\s*\)"
    part = rf"(?:{inner}|{number})"
    own = "|".join(re.escape(size) for size in sizes)
    negative = rf"(?:(?<![\w)])-(?=(?:{own})(?!\w)))?" if own else ""
    return rf"{negative}{part}(?:\s*[*/]\s*{part}|\s+[-+]\s+{part}|[-+](?=[a-z(]){part})*(?![\w]|\.\d)"


def as_typed(text: str) -> str:
    """Return a number, or an expression, as it stands in a field: no commas in numbers, units as the sheet writes them."""

    def plain(found: re.Match[str]) -> str:
        unit = _UNITS.get(found[2], found[2]) if found[2] else ""
        return found[1].replace(",", "") + (unit if unit in ("", "°") else f" {unit}")

    return re.sub(rf"(?<![\w.])({_VALUE})(?:\s*({_UNIT})(?!\w))?", plain, text.strip())


def dimension_of(typed: str, sizes: Mapping[str, str]) -> str:
    """Return the dimension of a typed expression by its units, or the sizes in it; "" where it has none."""
    if "°" in typed:
        return "angle"
    if re.search(r"\d\s*(?:mm|cm|m|inch)\b", typed):
        return "length"
    return next((sizes[name] for name in re.findall(r"[a-z]\w*", typed) if sizes.get(name)), "")


def telling_words(text: str) -> list[str]:
    """Return the words of a text in small letters that may say something, without numbers."""
    return [word for word in _TOKEN.findall(text) if word not in IDLE]


def alike(word: str, other: str) -> bool:
    """Return whether two words are the same, one or several of it."""
    return bool(word) and (word == other or word == other + "s" or other == word + "s")
