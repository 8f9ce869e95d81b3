"""Places of points as they are typed: `40, body_h / 2`; `by 10, -5` or `20 at 30°` from the point before.

Sizes that are named stay in the coordinates, so that a point typed by them follows them.
"""

from __future__ import annotations

import math
import re
from collections.abc import Mapping

from glass_spoon.sheet.errors import BadExpression
from glass_spoon.sheet.expressions import Quantity, evaluate_expression, names_in
from glass_spoon.sheet.fields.number import Number
from glass_spoon.sheet.fields.points import SheetPoint
from glass_spoon.sheet.plain_unit import PlainUnit, with_unit

_PLAIN = r"[-+−]?(?:\d+\.?\d*|\.\d+)(?:\s*(?:mm|cm|m|inch)\b)?"
_TWO_OR_THREE = re.compile(rf"\s*({_PLAIN})\s+({_PLAIN})(?:\s+({_PLAIN}))?\s*", re.ASCII)
"""Plain numbers that only stand beside one another."""
_SHARP = re.compile(r"(?:\s*,)?\s*\bsharp\s*$")
_FROM_LAST = re.compile(r"^\s*by\b(.*)$", re.DOTALL)
_POLAR = re.compile(r"^(.+?)\bat\b(.+)$", re.DOTALL)
_EXAMPLE = "Type it as 40, 25; from the point before as by 10, -5; or as a length and a direction, 20 at 30°."
_DECIMALS = 6

_PAIR = rf"(?:\(\s*)?{_PLAIN}(?:\s*,\s*|\s+){_PLAIN}(?:\s*\))?"
SAID_PLACES = re.compile(
    rf"(?<![\w.])({_PAIR}(?:(?:\s*[;,]\s*(?:to\s+|then\s+|and\s+)?|\s+(?:to|then|and)\s+|\s+){_PAIR})+)", re.ASCII
)
"""Two or more places in a sentence: `0 0, 40 10 and 60 50`; `(0, 0), (40, 10)`; `0, 0 to 40, 10`."""
_TRIPLE = rf"(?:\(\s*)?{_PLAIN}\s*,\s*{_PLAIN}\s*,\s*{_PLAIN}(?:\s*\))?"
SAID_IN_SPACE = re.compile(
    rf"(?<![\w.])({_TRIPLE}(?:(?:\s*;\s*(?:to\s+|then\s+|and\s+)?|\s+(?:to|then|and)\s+|(?<=\))\s*,?\s*){_TRIPLE})+)",
    re.ASCII,
)
"""Two or more places in space: `0,0,0 to 10,20,30`; `(0, 0, 0), (10, 20, 30)`: right, back and up."""
_NUMBER = re.compile(_PLAIN, re.ASCII)


def typed_place(text: str, before: SheetPoint | None, sizes: Mapping[str, Quantity], unit: PlainUnit = "mm") -> SheetPoint:
    """Return the point that a text means, right and up of its plane (`unit` where none is said).

    `by` two lengths, and a length `at` a direction (degrees, counter-clockwise from right), count from the point `before`.
    Raises BadExpression, with what may be typed, for a text that is none, or that needs a point before and has none.
    """
    sharp = _SHARP.search(text)
    said = text[: sharp.start()] if sharp else text
    moved, polar = _FROM_LAST.match(said), _POLAR.match(said)
    if (moved or polar) and before is None:
        raise BadExpression(text, f"there is no point before it to count from. {_EXAMPLE}")
    if moved:
        steps = _in_unit(_parts(moved[1], text), sizes, unit)
        cells = [_sum(start, step, sizes) for start, step in zip(_cells(before), steps, strict=False)]
    elif polar:
        cells = _polar(_in_unit([polar[1]], sizes, unit)[0], polar[2], before, sizes)
    else:
        cells = [_cell(part, sizes) for part in _in_unit(_parts(said, text), sizes, unit)]
    right, up, *out = cells
    return SheetPoint(x=right, y=up, out=out[0] if out else 0, sharp=bool(sharp))


def _in_unit(parts: list[str], sizes: Mapping[str, Quantity], unit: PlainUnit) -> list[str]:
    """Return lengths with the unit of their plain numbers, where it is not mm."""
    return parts if unit == "mm" else [with_unit(part.strip(), "length", unit, sizes) for part in parts]


def said_places(text: str) -> list[SheetPoint]:
    """Return the points of a list of places that `SAID_PLACES` found; none where its numbers do not pair."""
    numbers = [_plain(found[0]) for found in _NUMBER.finditer(text)]
    if len(numbers) % 2:
        return []
    return [SheetPoint(x=x, y=y) for x, y in zip(numbers[::2], numbers[1::2], strict=True)]


def said_in_space(text: str) -> list[SheetPoint]:
    """Return the points, on the plan plane and out of it, of a list of places that `SAID_IN_SPACE` found."""
    numbers = [_plain(found[0]) for found in _NUMBER.finditer(text)]
    return [SheetPoint(x=x, y=y, out=z) for x, y, z in zip(numbers[::3], numbers[1::3], numbers[2::3], strict=True)]


def places_with_unit(text: str, unit: str) -> str:
    """Return a sentence in which the plain numbers of its places have a unit: `through 0 0, 4 1` with `0 inch`."""

    def written(found: re.Match[str]) -> str:
        return _NUMBER.sub(
            lambda number: number[0] if number[0][-1].isalpha() else f"{number[0].rstrip()} {unit} ", found[0]
        )

    return SAID_PLACES.sub(written, SAID_IN_SPACE.sub(written, text))


def _parts(text: str, whole: str) -> list[str]:
    """Return the two or three coordinates of a text: between its commas that stand in no brackets, or beside one another."""
    parts = _between_commas(text)
    if len(parts) == 1 and (found := _TWO_OR_THREE.fullmatch(parts[0])):
        parts = [part for part in found.groups() if part]
    if len(parts) not in (2, 3) or not all(part.strip() for part in parts):
        raise BadExpression(whole, _EXAMPLE)
    return parts


def _between_commas(text: str) -> list[str]:
    parts, depth = [""], 0
    for letter in text:
        depth += {"(": 1, ")": -1}.get(letter, 0)
        if letter in ",;" and depth == 0:
            parts.append("")
        else:
            parts[-1] += letter
    return parts


def _cell(text: str, sizes: Mapping[str, Quantity]) -> Number:
    """Return a coordinate: a number where it is one, else the expression as it was typed."""
    value = evaluate_expression(text.strip(), "length", sizes)
    return text.strip() if names_in(text) & set(sizes) else _rounded(value)


def _cells(point: SheetPoint | None) -> tuple[Number, ...]:
    return (0, 0, 0) if point is None else (point.x, point.y, point.out)


def _sum(start: Number, step: str, sizes: Mapping[str, Quantity]) -> Number:
    """Return a coordinate moved by a length; sizes in either stay."""
    value = evaluate_expression(step.strip(), "length", sizes)
    if names_in(step) & set(sizes):
        text = f"{start} + ({step.strip()})"
        evaluate_expression(text, "length", sizes)
        return text
    if isinstance(start, int | float):
        return _rounded(start + value)
    by = _rounded(value)
    text = f"{start} {'-' if by < 0 else '+'} {abs(by):g} mm" if by else start
    evaluate_expression(text, "length", sizes)
    return text


def _polar(length: str, angle: str, before: SheetPoint | None, sizes: Mapping[str, Quantity]) -> list[Number]:
    """Return right and up of a place at a length and a direction from a point."""
    away, turn = evaluate_expression(length.strip(), "length", sizes), evaluate_expression(angle.strip(), "angle", sizes)
    start = _cells(before)
    if (names_in(length) | names_in(angle)) & set(sizes):
        return [
            _sum(start[k], f"({length.strip()}) * {way}({angle.strip()})", sizes) for k, way in enumerate(("cos", "sin"))
        ]
    steps = (away * math.cos(turn), away * math.sin(turn))
    return [_sum(start[k], f"{_rounded(step)} mm", sizes) for k, step in enumerate(steps)]


def _plain(text: str) -> float:
    return _rounded(evaluate_expression(text.replace("−", "-"), "length", {}))


def _rounded(value: float) -> float:
    return round(value, _DECIMALS) + 0.0
