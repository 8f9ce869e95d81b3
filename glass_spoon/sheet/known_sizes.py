"""The sizes of a sheet as numbers, for reading what is typed before the sheet is built with it."""

from __future__ import annotations

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.expressions import Quantity, resolve_sizes


def known_sizes(document: SheetDocument) -> dict[str, Quantity]:
    """Return the sizes that can be worked out, by name."""
    return resolve_sizes(_texts(document))[0]


def size_dimensions(document: SheetDocument) -> dict[str, str]:
    """Return the dimension of each size of a sheet, "" for a plain number or one that cannot be read."""
    values = known_sizes(document)
    kinds = {(1, 0): "length", (0, 1): "angle"}
    return {name: kinds.get(values[name].powers, "") if name in values else "" for name in _texts(document)}


def _texts(document: SheetDocument) -> dict[str, str | float]:
    lines = [line for line in document.lines if line.verb_name == "size"]
    return {str(getattr(line, "name", "")): getattr(line, "value", 0) for line in lines}
