"""Where a plane shape is said to lie in space: `at 0, 0, 40`, `at height 40`, `at y 25`: its plane, its place there, and how
far out of it.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from glass_spoon.sheet.phrase import as_typed, expression_pattern
from glass_spoon.sheet.said_space import said_by_letter

FIELDS = frozenset({"plane", "right", "up", "out"})
"""What a line has that can be placed so."""

_LEAD = r"(?<!\w)(?:cent(?:re|er)(?:d|ed)?\s+)?(?:at|about|around|round|on)\s+(?:the\s+)?(?:place\s+|point\s+)?\(?\s*"
_PLANE = re.compile(r"(?<!\w)(front|side|plan)(?!\w)")

_AXES = {
    "plan": {"x": "right", "y": "up", "z": "out"},
    "front": {"x": "right", "y": "-out", "z": "up"},
    "side": {"x": "out", "y": "right", "z": "up"},
}
"""By plane, what each coordinate of space is in it; towards the viewer counts as out."""


_LIES = {"y": "front", "x": "front", "xz": "front", "yz": "side"}
"""By the coordinates that are given, the plane in which a shape lies where none is named; else in plan."""


@dataclass(frozen=True)
class SaidCentre:
    """Where it was said in a text, and the fields that it fills."""

    span: tuple[int, int]
    values: dict[str, str]


def said_centre(text: str, sizes: tuple[str, ...]) -> SaidCentre | None:
    """Return the place in space that a text in small letters says; None where it says none, or one in a plane alone.

    The plane is the one that is named, else the plan, in which shapes lie at heights.
    """
    number = expression_pattern(sizes)
    named = _PLANE.search(text)
    if (by_letter := said_by_letter(text, sizes)) is not None:
        span, said = by_letter
    elif found := re.search(rf"{_LEAD}({number})\s*,\s*({number})\s*,\s*({number})\s*\)?", text):
        span, said = found.span(), dict(zip("xyz", found.groups(), strict=True))
    elif found := re.search(rf"(?<!\w)(?:at|on)\s+(?:a\s+|the\s+)?(?:height|level|z)\s*(?:of\s+|=\s*)?({number})", text):
        span, said = found.span(), {"z": found[1]}
    elif found := re.search(rf"(?<!\w)at\s+([xy])\s*(?:=\s*)?({number})", text):
        span, said = found.span(), {found[1]: found[2]}
    else:
        return None
    plane = named[1] if named else _LIES.get("".join(sorted(said)), "plan")
    values = {"plane": plane}
    for axis, value in said.items():
        field = _AXES[plane][axis]
        values[field.removeprefix("-")] = _turned(as_typed(value)) if field.startswith("-") else as_typed(value)
    return SaidCentre(span, values)


def _turned(typed: str) -> str:
    """Return a typed number or expression with the other sign."""
    if re.fullmatch(r"-?[\d.]+(?: ?[a-z°]+)?", typed):
        return typed[1:] if typed.startswith("-") else typed if re.fullmatch(r"[0.]+(?: ?[a-z]+)?", typed) else f"-{typed}"
    return f"-({typed})"
