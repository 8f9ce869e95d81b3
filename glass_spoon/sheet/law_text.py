"""Laws as they are typed: `1`, `1 to 0.5`, `0° to 90° eased`, `1 to 2 eased in, bias 0.3`, `1, 1.4 at 0.3, 0.5`."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping

from glass_spoon.kernel.law import Law
from glass_spoon.sheet.errors import BadExpression
from glass_spoon.sheet.expressions import Dimension, Quantity, evaluate_expression, names_in

_AT = re.compile(r"\s+at\s+")
_LAW = re.compile(
    r"^\s*(?P<start>.+?)"
    r"(?:\s+to\s+(?P<end>.+?))?"
    r"(?:\s+(?P<way>evenly|eased in|eased out|eased))?"
    r"(?:\s*,\s*bias\s+(?P<bias>[^,]+?))?\s*$"
)


def read_law(text: str, dimension: Dimension, sizes: Mapping[str, Quantity]) -> Law:
    """Return the law that a text stands for, in the base unit; a value alone is the same all along.

    Raises BadExpression for a part that cannot be read, InvalidInput for a bias out of range.
    """
    if _AT.search(text):
        return _through(text, dimension, sizes)
    match = _LAW.match(text)
    if match is None:
        value = evaluate_expression(text, dimension, sizes)
        return Law(value, value)
    start = evaluate_expression(match["start"], dimension, sizes)
    end = start if match["end"] is None else evaluate_expression(match["end"], dimension, sizes)
    bias = 0.5 if match["bias"] is None else evaluate_expression(match["bias"], "number", sizes)
    return Law(start, end, match["way"] or "evenly", bias)  # type: ignore[arg-type]  # the pattern knows the four ways


def _through(text: str, dimension: Dimension, sizes: Mapping[str, Quantity]) -> Law:
    """Return the law of a list: the value at the start, values at shares of the way, the value at the end."""
    first, *middle, last = text.split(",")
    between = []
    for part in middle:
        value, found, share = part.rpartition(" at ")
        if not found:
            raise BadExpression(part.strip(), "it names no share, as in 1.4 at 0.3")
        between.append((evaluate_expression(share, "number", sizes), evaluate_expression(value, dimension, sizes)))
    ends = [evaluate_expression(part, dimension, sizes) for part in (first, last)]
    return Law(ends[0], ends[1], between=tuple(between))


def map_law(text: str, change: Callable[[str], str]) -> str:
    """Return a law with each of its values changed; shares and a bias are none."""
    if _AT.search(text):
        parts = [_AT.split(part, maxsplit=1) for part in text.split(",")]
        return ", ".join(" at ".join([change(value.strip()), *share]) for value, *share in parts)
    match = _LAW.match(text)
    if match is None:
        return change(text.strip())
    end = "" if match["end"] is None else f" to {change(match['end'])}"
    way = f" {match['way']}" if match["way"] else ""
    return f"{change(match['start'])}{end}{way}" + (f", bias {match['bias']}" if match["bias"] else "")


def law_names(text: str) -> set[str]:
    """Return the names of sizes that a law uses."""
    if _AT.search(text):
        return {name for part in text.split(",") for piece in part.split(" at ") for name in names_in(piece)}
    match = _LAW.match(text)
    parts = [match["start"], match["end"], match["bias"]] if match else []
    return {name for part in parts if part for name in names_in(part)}
