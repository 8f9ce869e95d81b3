"""Laws and tables as their slips show them."""

from __future__ import annotations

import json
from collections.abc import Mapping
from math import degrees
from typing import Any, get_args

from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.law import Way
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.errors import SheetError
from glass_spoon.sheet.expressions import UNITS, Quantity
from glass_spoon.sheet.fields import LawSpec, TableSpec
from glass_spoon.sheet.law_text import law_names, read_law
from glass_spoon.sheet.line import Line
from glass_spoon.studio.sentences import Refused
from glass_spoon.studio.shown_unit import active_unit


def law_context(document: SheetDocument, line: Line, field: str, sizes: Mapping[str, Quantity]) -> dict[str, Any]:
    """Return what the editor of a law prints; Refused for a field that is none, or one that cannot be read."""
    spec = line.specs().get(field)
    if not isinstance(spec, LawSpec):
        raise Refused("This line has no such law.")
    text = str(getattr(line, field))
    try:
        law = read_law(text, spec.dimension, sizes)
    except (SheetError, KernelError) as error:
        raise Refused(f"The law cannot be shown as a curve. {error}") from error
    millimetres = UNITS[active_unit()][0] if spec.dimension == "length" else 1.0
    shown = degrees if spec.dimension == "angle" else lambda value: float(value) / millimetres
    shares = [0.0, *(share for share, _ in law.between), 1.0]
    places = [[round(share, 4), round(shown(value), 6)] for share, value in zip(shares, law.values, strict=True)]
    return {
        "line": line,
        "number": document.number_of(line.id),
        "field": field,
        "label": (spec.label or field.replace("_", " ")).capitalize(),
        "places": json.dumps(places),
        "unit": {"angle": "°", "length": f" {active_unit()}"}.get(spec.dimension, ""),
        "least": "" if spec.least is None else shown(spec.least),
        "ways": get_args(Way),
        "way": law.way,
        "sizes": sorted(law_names(text)),
    }


def table_context(document: SheetDocument, line: Line, field: str) -> dict[str, Any]:
    """Return what the slip of a table prints; Refused for a field that is none."""
    spec = line.specs().get(field)
    if not isinstance(spec, TableSpec):
        raise Refused("This line has no such table.")
    shown = [column for column in spec.columns if not column.aside]
    rows = [
        {
            "cells": [(column, row.get(column.name, "")) for column in shown],
            "aside": [(column, row[column.name]) for column in spec.columns if column.aside and column.name in row],
        }
        for row in getattr(line, field)
    ]
    title = f"{spec.noun[1].capitalize()} of {getattr(line, 'gives', '') or document.item_name(str(line.changes))}"
    return {
        "line": line,
        "number": document.number_of(line.id),
        "field": field,
        "spec": spec,
        "columns": shown,
        "noun": spec.noun[0],
        "rows": rows,
        "title": title,
    }
