"""The tag that prints the sentence of a line."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache
from itertools import groupby
from typing import Any

from django import template
from django.template.loader import get_template
from django.utils.html import conditional_escape
from django.utils.safestring import SafeString, mark_safe

from glass_spoon.sheet.expressions import UNITS, Dimension
from glass_spoon.sheet.plain_unit import with_unit
from glass_spoon.studio.show.sheet_rows import SheetRow
from glass_spoon.studio.show.value_html import value_html
from glass_spoon.studio.show.value_parts import ValuePart
from glass_spoon.studio.shown_unit import active_unit, plain

register = template.Library()

CELL_DIGITS = 6
"""Digits of a cell that is shown in another unit than it is kept in."""

MOST_LINES = 4000
"""Lines whose HTML is remembered: an edit changes few of a sheet."""


@register.simple_tag
def sheet_line(part_id: int, row: SheetRow, *, may_edit: bool) -> SafeString:
    """Return a line of the sheet; one that is as it was is not written anew."""
    return _line(part_id, row, may_edit)


@lru_cache(maxsize=MOST_LINES)
def _line(part_id: int, row: SheetRow, may_edit: bool) -> SafeString:  # noqa: FBT001  (a cache takes all by position)
    return get_template("bench/_line.html").render({"part": {"id": part_id}, "row": row, "may_edit": may_edit})


@dataclass(frozen=True)
class TypedCell:
    """A cell as it is shown to be typed in, and as it is kept while nobody types: "" where that is the same."""

    shown: str
    kept: str = ""


@register.simple_tag
def typed_cell(value: Any, dimension: Dimension) -> TypedCell:
    """Return a cell of a table in the unit of the project; one that is not touched stays what it was to the last digit."""
    unit = active_unit()
    if unit == "mm" or dimension != "length" or value == "":
        return TypedCell(str(value))
    kept = with_unit(value, dimension, "mm", {})
    length = re.fullmatch(r"([-+]?[\d.]+(?:e[-+]?\d+)?) mm", kept)
    return TypedCell(plain(float(length[1]) / UNITS[unit][0], CELL_DIGITS), kept) if length else TypedCell(kept)


@register.simple_tag
def sentence(part_id: int, row: SheetRow, *, may_edit: bool) -> SafeString:
    """Return the sentence of a line with its values."""
    clauses = groupby(row.parts, key=lambda part: part.quiet)
    return mark_safe("".join(_clause(part_id, row, list(parts), may_edit=may_edit) for _, parts in clauses))


def _clause(part_id: int, row: SheetRow, parts: list[ValuePart], *, may_edit: bool) -> str:
    """Return a stretch of a sentence that is said, or goes without saying, as a whole."""
    pieces = []
    for part in parts:
        piece = value_html(part_id, row, part, may_edit=may_edit)
        pieces.append(f'<span class="with-tail">{piece}{conditional_escape(part.tail)}</span>' if part.tail else piece)
    text = "".join(pieces)
    return f'<span class="quiet-clause">{text}</span>' if parts[0].quiet else text
