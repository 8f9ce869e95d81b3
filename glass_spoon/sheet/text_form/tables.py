"""Points and rows of numbers as tables beneath their line (GitHub Flavored Markdown 4.10)."""

from __future__ import annotations

import json
import math
import re
from collections.abc import Sequence
from typing import Any

from glass_spoon.sheet.fields import PointsSpec, TableSpec

POINT_COLUMNS = {"x": "right", "y": "up", "out": "out", "sharp": "sharp", "weight": "weight"}
"""What the columns of a table of points are called, by the point's own fields."""

USUAL = {"out": 0, "sharp": False, "weight": 1.0}
"""What an empty cell of a point means; a column in which all are usual is left out."""

_CELL = re.compile(r"(?<!\\)\|")
_RULE = re.compile(r"\|?[\s:|-]+\|?$")


class WrongTable(ValueError):
    """A table that does not hold what its line says; the message tells why."""


def write_table(spec: PointsSpec | TableSpec, raw: Any) -> list[str]:
    """Return the rows of a table of points or numbers, the head first."""
    if isinstance(spec, TableSpec):
        used = [column for column in spec.columns if not column.blank or any(column.name in row for row in raw)]
        return _drawn([c.label for c in used], [[_cell(row.get(c.name, "")) for c in used] for row in raw])
    points = [point.model_dump() for point in raw]
    fields = [name for name in POINT_COLUMNS if not all(_is_usual(name, point[name]) for point in points)]
    rows = [["" if _is_usual(name, point[name]) else _cell(point[name]) for name in fields] for point in points]
    return _drawn([POINT_COLUMNS[name] for name in fields], rows)


def _is_usual(name: str, value: Any) -> bool:
    """Say whether a cell of a point may be empty."""
    return name in USUAL and bool(value == USUAL[name])


def _drawn(head: list[str], rows: list[list[str]]) -> list[str]:
    """Return cells with their rules."""
    return [_row(head), _row(["---"] * len(head)), *map(_row, rows)]


def _row(cells: Sequence[str]) -> str:
    return "| " + " | ".join(cells) + " |"


def _cell(value: Any) -> str:
    """Return what a cell shows."""
    if isinstance(value, bool):
        return "sharp" if value else ""
    return value.replace("\\", "\\\\").replace("|", "\\|") if isinstance(value, str) else repr(value)


def is_row(text: str) -> bool:
    """Say whether a line of text is a row of a table."""
    return text.lstrip().startswith("|")


def read_table(spec: PointsSpec | TableSpec, lines: Sequence[str]) -> list[dict[str, Any]]:
    """Return the rows of a written table; raises WrongTable."""
    if len(lines) < 2 or not _RULE.match(lines[1].strip()):
        raise WrongTable("a table needs a head, and a rule of dashes under it")
    head, *rows = [_cells(line) for position, line in enumerate(lines) if position != 1]
    known = {column.label: column.name for column in spec.columns} if isinstance(spec, TableSpec) else _POINT_FIELDS
    odd = [label for label in head if label not in known]
    if odd:
        raise WrongTable(f"its table has a column “{odd[0][:40]}”; it may have {', '.join(known)}")
    wrong = next((number for number, row in enumerate(rows, 1) if len(row) != len(head)), None)
    if wrong:
        raise WrongTable(f"row {wrong} of its table has {len(rows[wrong - 1])} cells, and its head {len(head)}")
    return [
        {known[label]: _value(known[label], cell) for label, cell in zip(head, row, strict=True) if cell} for row in rows
    ]


_POINT_FIELDS = {label: name for name, label in POINT_COLUMNS.items()}


def _cells(line: str) -> list[str]:
    """Return the cells of a row."""
    inner = line.strip()
    inner = inner[1:] if inner.startswith("|") else inner
    inner = inner[:-1] if inner.endswith("|") and not inner.endswith("\\|") else inner
    return [re.sub(r"\\(.)", r"\1", cell.strip()) for cell in _CELL.split(inner)]


def _value(field: str, cell: str) -> Any:
    """Return the value of a cell: a number where it is one, else as typed."""
    if field == "sharp":
        return True
    try:
        value = json.loads(cell)
    except ValueError:
        return cell
    is_number = isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)
    return value if is_number else cell
