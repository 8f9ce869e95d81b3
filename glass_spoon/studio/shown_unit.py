"""The unit in which lengths are shown and typed while a request is answered: that of the project that it is about.

Sheets are in mm, and so is all that is worked out and told; what leaves for the eye is put into the unit of the project
here, in one place. `activate` is called by what finds the part or the project, as Django's own `timezone.activate` is.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from contextvars import ContextVar
from typing import Any

from django.http import HttpRequest, HttpResponse

from glass_spoon.sheet.expressions import UNITS
from glass_spoon.sheet.plain_unit import PLAIN_UNITS, PlainUnit

_ACTIVE: ContextVar[PlainUnit] = ContextVar("shown_unit", default="mm")

DIGITS = 4
"""Digits that a converted number has at least, where the first of them is not zero."""

DECIMALS: dict[PlainUnit, int] = {"mm": 1, "cm": 2, "m": 4, "inch": 3}
"""Decimals of a dimension: about a tenth of a mm in any unit."""

STEPS: dict[PlainUnit, float] = {"mm": 1.0, "cm": 0.1, "m": 0.01, "inch": 0.05}
"""What one arrow key changes a length by."""

_NUMBER = r"[-−+]?\d[\d,]*(?:\.\d+)?(?:e[-+]?\d+)?"
_LENGTHS = re.compile(
    rf"(?<![\w.,])(?P<others>(?:{_NUMBER}(?:\s*[×x]\s*|,? (?:to|and|or|by) ))*)(?P<number>{_NUMBER})"
    r"(?P<gap>[\s\u00a0]?)(?P<unit>c?mm?[²³]?)(?![\w²³])"
)
"""Lengths in a sentence, those before the last one without a unit of their own: `60.0×40.0 mm`, `1 to 3 mm`."""
_RATES = re.compile(rf"(?<![\w.,])(?P<number>{_NUMBER})(?P<per>\s?/\s?|\sper\s)mm(?P<power>²?)(?![\w²³])")
"""Values a length, as `0.02 /mm` and `0.5 per mm`."""

_TAGS = re.compile(r"(<!--.*?-->|<[^>]*>)", re.DOTALL)
_TOLD_IN = re.compile(r'(\s(?:title|aria-label|placeholder)=")([^"]*)"')
_NAME = re.compile(r"</?([a-zA-Z0-9]+)")
_AS_WRITTEN = re.compile(r'\sdata-as-written|class="(?:[^"]* )?item-name[ "]')
_RAW = frozenset({"script", "style", "textarea"})
_ALONE = frozenset({"input", "img", "br", "hr", "meta", "link", "path", "rect", "line", "circle", "polyline"})
_TOLD_KEYS = frozenset({"text", "words", "sentence", "note", "told", "title", "label"})


def active_unit() -> PlainUnit:
    """Return the unit in which lengths are shown and typed now."""
    return _ACTIVE.get()


def activate(unit: str) -> None:
    """Show and type lengths in a unit until the request is answered."""
    _ACTIVE.set(next((known for known in PLAIN_UNITS if known == unit), "mm"))


def told(text: str, unit: PlainUnit | None = None) -> str:
    """Return a text with its lengths, areas, volumes and rates in the active unit; a text without any as it is."""
    unit = active_unit() if unit is None else unit
    if unit == "mm" or "m" not in text:
        return text
    text = _RATES.sub(lambda found: _rate(found, unit), text)
    return _LENGTHS.sub(lambda found: _lengths(found, unit), text)


def _rate(found: re.Match[str], unit: PlainUnit) -> str:
    """Return a value a mm as one of another unit."""
    factor = UNITS[unit][0] ** (2 if found["power"] else 1)
    return f"{_short(found['number'], factor)}{found['per']}{unit}{found['power']}"


def _lengths(found: re.Match[str], unit: PlainUnit) -> str:
    """Return lengths that share their unit in another one; an area and a volume in its square and cube."""
    base, power = found["unit"].rstrip("²³"), {"²": 2, "³": 3}.get(found["unit"][-1], 1)
    if base == "m" or (base == "cm" and (power == 1 or unit == "cm")):
        return found[0]  # typed so, or what is shown anyhow
    factor = (UNITS[base][0] / UNITS[unit][0]) ** power
    others = re.sub(_NUMBER, lambda number: _short(number[0], factor), found["others"])
    sign = found["unit"][-1] if power > 1 else ""
    return f"{others}{_short(found['number'], factor)}{found['gap'] or ' '}{unit}{sign}"


def _short(text: str, factor: float) -> str:
    """Return a number times a factor with as many digits as it had, but at least four."""
    bare = text.replace(",", "").replace("−", "-")
    value = float(bare) * factor
    if value == 0:
        return "0"
    digits = max(DIGITS, len(re.sub(r"e.*|\D", "", bare).lstrip("0")))
    short = f"{value:,.{_decimals(value, digits)}f}"
    return ("+" if text[0] == "+" else "") + (short.rstrip("0").rstrip(".") if "." in short else short)


def _decimals(value: float, digits: int) -> int:
    """Return how many decimals show so many digits of a value."""
    return max(0, digits - 1 - int(f"{abs(value):e}".partition("e")[2]))


def in_unit(millimetres: float) -> str:
    """Return a length as it would be typed in the active unit, to ten digits, such as `1.88976378 inch`."""
    unit = active_unit()
    return f"{plain(millimetres / UNITS[unit][0], 10)} {unit}"


def plain(value: float, digits: int) -> str:
    """Return a number to some digits, never as a power of ten."""
    text = f"{value:.{_decimals(value, digits) if value else 0}f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


def dimension(millimetres: float) -> str:
    """Return a length as drawings have it: in the active unit, which is not written."""
    unit = active_unit()
    return f"{millimetres / UNITS[unit][0]:.{DECIMALS[unit]}f}"


def page_in_unit(page: str, unit: PlainUnit) -> str:
    """Return HTML with the lengths of its texts, titles and labels in a unit; what users wrote, and scripts, stay."""
    pieces = _TAGS.split(page)
    kept, depth = "", 0
    for place, piece in enumerate(pieces):
        if place % 2 == 0:
            if not kept:
                pieces[place] = told(piece, unit)
            continue
        name = found[1].lower() if (found := _NAME.match(piece)) else ""
        if kept:
            depth += 0 if name != kept else -1 if piece[1] == "/" else 1
            kept = kept if depth else ""
        elif piece[1] != "/" and name not in _ALONE and (name in _RAW or _AS_WRITTEN.search(piece)):
            kept, depth = name, 1
        else:
            pieces[place] = _TOLD_IN.sub(lambda found: f'{found[1]}{told(found[2], unit)}"', piece)
    return "".join(pieces)


def data_in_unit(value: Any, unit: PlainUnit) -> Any:
    """Return plain data with the lengths of the texts that are for reading in a unit."""
    if isinstance(value, dict):
        return {
            key: told(one, unit) if key in _TOLD_KEYS and isinstance(one, str) else data_in_unit(one, unit)
            for key, one in value.items()
        }
    return [data_in_unit(one, unit) for one in value] if isinstance(value, list) else value


class ShownUnitMiddleware:
    """Answers in the unit of the project that a request was about."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        """Keep the next layer."""
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Pass on, and put the texts of the answer into the unit."""
        token = _ACTIVE.set("mm")
        try:
            response = self.get_response(request)
            unit = active_unit()
            if unit == "mm" or response.streaming:
                return response
            kind = response.get("Content-Type", "").partition(";")[0]
            if kind == "text/html":
                response.content = page_in_unit(response.content.decode(), unit).encode()
            elif kind == "application/json" and "Content-Disposition" not in response:
                response.content = json.dumps(data_in_unit(json.loads(response.content), unit)).encode()
            return response
        finally:
            _ACTIVE.reset(token)


def unit_of_page(request: HttpRequest) -> dict[str, str]:
    """Tell templates the unit that lengths are shown and typed in."""
    return {"unit": active_unit()}
