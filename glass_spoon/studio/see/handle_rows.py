"""The handles of lines, as the board takes them."""

from __future__ import annotations

from typing import Any

import numpy as np

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.expressions import names_in
from glass_spoon.sheet.fields import NumberSpec, TableSpec
from glass_spoon.sheet.handle import Change, Handle
from glass_spoon.sheet.line import Line

_UNITS = {"length": "mm", "angle": "°", "number": ""}
"""The unit in which a value that is dragged is written, by its dimension."""


def handles_of(build: Build, line: Line) -> list[dict[str, Any]]:
    """Return the handles of a line whose item is shown."""
    if build.document.is_hidden(str(line.item_id)):
        return []
    name = build.document.item_name(line.item_id) if line.item_id else ""
    return [_row(line, handle, name) for handle in build.handles(line)]


def tables_of(document: SheetDocument) -> dict[str, dict[str, Any]]:
    """Return the rows of tables as they are typed, by line and field: a handle changes them as a whole."""
    found: dict[str, dict[str, Any]] = {}
    for line in document.lines:
        tables = {name: getattr(line, name) for name, spec in line.specs().items() if isinstance(spec, TableSpec)}
        if tables:
            found[line.id] = tables
    return found


def _row(line: Line, handle: Handle, name: str) -> dict[str, Any]:
    """Return a handle as plain data; `text` is the value that it shows, `of` what it belongs to."""
    first = handle.changes[0] if handle.changes else None
    return {
        "line": line.id,
        "label": handle.label,
        "of": name,
        "place": handle.place,
        "way": handle.way,
        "start": handle.start,
        "measured": handle.measured,
        "turning": [handle.turning.centre, handle.turning.axis] if handle.turning else None,
        "text": _shown(line, first) if first and (handle.measured or handle.turning) else "",
        "press": handle.press,
        "mark": handle.mark,
        "off": handle.off,
        "joins": handle.joins,
        "changes": [_change(line, change) for change in handle.changes],
    }


def _change(line: Line, change: Change) -> list[Any]:
    """Return a change as field, column, row, rate, value, what is typed, the least and the most that it may be, its unit.

    Angles are told in degrees.
    """
    raw = None if change.column else getattr(line, change.field)
    dimension, least, most = _bounds(line, change)
    turns = np.degrees(1.0) if dimension == "angle" else 1.0
    limits = [None if bound is None else bound * turns for bound in (least, most)]
    return [change.field, change.column, change.row, change.rate, change.value * turns, raw, *limits, _UNITS[dimension]]


def _bounds(line: Line, change: Change) -> tuple[str, float | None, float | None]:
    """Return the dimension of what a change comes to, and the least and the most that it may be."""
    spec = line.spec(change.field)
    if isinstance(spec, TableSpec):
        column = next(column for column in spec.columns if column.name == change.column)
        return column.dimension, column.least, None
    return (spec.dimension, spec.least, spec.most) if isinstance(spec, NumberSpec) else ("length", None, None)


def _shown(line: Line, change: Change) -> str:
    """Return the value of a change as it is told: with its expression where it is one."""
    spec = line.spec(change.field)
    text = spec.show(change.value) if isinstance(spec, NumberSpec) else f"{change.value:g} mm"
    raw = str(getattr(line, change.field)) if not change.column else ""
    return f"{raw} = {text}" if names_in(raw) else text
