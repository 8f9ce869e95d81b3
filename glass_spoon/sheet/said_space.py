"""What is said of space itself: the axis that something goes about, and the place where it is, `about x`, `at 20, 0, 40`."""

from __future__ import annotations

import re
from collections.abc import Sequence

from glass_spoon.sheet.phrase import as_typed, expression_pattern

_AXES = {
    "upright axis": "z|upright|vertical",
    "left-right axis": "x|left-right",
    "front-back axis": "y|front-back",
}
"""By the choice of a line, what the axis is called."""

_ABOUT = r"(?:about|a?round|along|over|on)\s+(?:the\s+|its\s+)?"
_COORDINATE = r"\s*[=:]?\s*-?[\d.]+(?![\d.]*\s*(?:turns?|times|copies|steps|waves|°|deg))"
"""A number behind a letter, which is a coordinate then; but in `about x 3 turns` it is none."""

_PLACE = (
    r"(?:(?:standing\s+|cent(?:re|er)(?:e?d)?\s+)?(?:at|about|a?round|on)|through)\s+(?:the\s+)?(?:point\s+|place\s+)?\(?\s*"
)


def said_axis(text: str, choices: Sequence[str]) -> tuple[tuple[int, int], str] | None:
    """Return where a text in small letters names an axis, `about x` or `y axis`, and which of the choices it is; None where
    it names none. A letter before a number is a coordinate.
    """
    for choice in choices:
        names = _AXES.get(choice)
        if names is None:
            continue
        named = rf"(?:{names})[- ]axis|{_ABOUT}(?:{names})"
        if found := re.search(rf"(?<![\w-])(?:{_ABOUT})?(?:{named})(?![\w-])(?!{_COORDINATE})", text):
            return found.span(), choice
    return None


def said_place(text: str, sizes: tuple[str, ...]) -> tuple[tuple[int, int], dict[str, str]] | None:
    """Return where a text in small letters says a place in space by two or three coordinates, or its height alone, and these
    by their axes.
    """
    if (by_letter := said_by_letter(text, sizes)) is not None:
        return by_letter[0], {axis: as_typed(value) for axis, value in by_letter[1].items()}
    number = expression_pattern(sizes)
    for pattern in (
        rf"({number})\s*,\s*({number})\s*,\s*({number})",
        rf"({number})\s+({number})\s+({number})(?!\s*[\w,])",
        rf"({number})\s*,\s*({number})(?!\s*,)",
    ):
        if found := re.search(rf"(?<![\w-]){_PLACE}{pattern}\s*\)?", text):
            return found.span(), {axis: as_typed(value) for axis, value in zip("xyz", found.groups(), strict=False)}
    found = re.search(rf"(?<![\w-])(?:at|on)\s+(?:a\s+|the\s+)?(?:height|level)\s*(?:of\s+|=\s*)?({number})", text)
    return None if found is None else (found.span(), {"z": as_typed(found[1])})


def said_by_letter(text: str, sizes: tuple[str, ...]) -> tuple[tuple[int, int], dict[str, str]] | None:
    """Return where a text in small letters says two or three coordinates by their letters, as in `at x 3, y 4 and z 5`, and
    these by their letters; None for none, or where more follow for another place.
    """
    one = rf"([xyz])\s*(?:[=:]\s*|of\s+|at\s+)?({expression_pattern(sizes)})"
    then = rf"(?:\s*(?:,\s*(?:and\s+)?|and\s+)?{one})"
    found = list(re.finditer(rf"(?<![\w-])(?:{_PLACE}|with\s+|in\s+)?\(?{one}{then}{then}?\s*\)?", text))
    if len(found) != 1:
        return None
    parts = found[0].groups()
    said = [(axis, value) for axis, value in zip(parts[::2], parts[1::2], strict=True) if axis]
    return (found[0].span(), dict(said)) if len({axis for axis, _ in said}) == len(said) else None
