"""JSON and texts from outside, made fit to be kept: no signs that a database or a file cannot hold, no numbers that
are none.
"""

from __future__ import annotations

import json
import math
import re
from typing import Any

UNFIT = re.compile(r"[\x00\ud800-\udfff]")
"""Signs that no text may hold: NUL, which PostgreSQL refuses, and halves of surrogate pairs, which UTF-8 does not know."""

MOST_DIGITS = 15
"""Most digits of a whole number: larger ones are not exact as floating-point numbers."""

_WHOLE = re.compile(r"[0-9]{1,9}")


class NotJson(ValueError):
    """A text that is no JSON which can be used; says why."""


def clean_text(text: str) -> str:
    """Return a text without the signs that cannot be kept."""
    return UNFIT.sub("", text) if UNFIT.search(text) else text


def clean_value(value: Any) -> Any:
    """Return parsed JSON with all its texts clean, keys too."""
    if isinstance(value, str):
        return clean_text(value)
    if isinstance(value, list):
        return [clean_value(entry) for entry in value]
    if isinstance(value, dict):
        return {clean_text(key): clean_value(entry) for key, entry in value.items()}
    return value


def read_json(text: str | bytes) -> Any:
    """Return parsed JSON, its texts clean; raises NotJson for what is no JSON, for numbers that are infinite or
    none, too long, and for nesting that is too deep.
    """
    try:
        return clean_value(json.loads(text, parse_constant=_no_constant, parse_float=_finite, parse_int=_whole))
    except (ValueError, RecursionError) as error:
        raise NotJson(str(error) or "it is nested too deep") from error


def whole_number(text: object, most: int = 999_999_999) -> int | None:
    """Return the whole number from 0 up that a text of plain digits stands for, None for any other text and above `most`."""
    text = str(text)
    return int(text) if _WHOLE.fullmatch(text) and int(text) <= most else None


def _no_constant(name: str) -> Any:
    raise ValueError(f"{name} is no number")


def _finite(text: str) -> float:
    value = float(text)
    if not math.isfinite(value):
        raise ValueError(f"{text[:20]} is too large")
    return value


def _whole(text: str) -> int:
    if len(text) > MOST_DIGITS:
        raise ValueError(f"{text[:20]}… has too many digits")
    return int(text)
