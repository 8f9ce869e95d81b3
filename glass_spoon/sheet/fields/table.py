"""Tables of numbers, and values of single corners."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

from glass_spoon.formats.clean_text import whole_number
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.sheet.expressions import Dimension, Quantity, names_in, rename_in
from glass_spoon.sheet.fields.number import FARTHEST, Number, NumberSpec
from glass_spoon.sheet.fields.spec import Spec


def read_rows(raw: Any) -> Any:
    """Return rows of a table, cells left empty taken out; anything but a list of rows is left to Pydantic."""
    if not isinstance(raw, list) or not all(isinstance(row, dict) for row in raw):
        return raw
    return [
        {name: value for name, value in row.items() if not (isinstance(value, str) and not value.strip())} for row in raw
    ]


Rows = Annotated[
    list[dict[Annotated[str, Field(max_length=40)], Number]], Field(max_length=2000), BeforeValidator(read_rows)
]


@dataclass(frozen=True)
class Column:
    """A column of a table of numbers; `blank`: what a cell left empty means, "" where it may not be empty.

    aside: it goes with its row, and is not shown where the table is edited: it is gone when the row's other cells are typed.
    """

    name: str
    label: str
    dimension: Dimension = "number"
    least: float | None = None
    blank: str = ""
    whole: bool = False
    aside: bool = False


@dataclass(frozen=True)
class TableSpec(Spec):
    """A table of numbers, edited as a table or by handles on the board; `noun`: what one row and several are called.

    said: how a row reads in a text, a regular expression with {column} for a number.
    """

    columns: tuple[Column, ...] = ()
    noun: tuple[str, str] = ("row", "rows")
    least: int = 0
    said: str = ""

    def resolve(self, name: str, raw: list[dict[str, Any]], sizes: Mapping[str, Quantity]) -> list[list[float | None]]:
        """Return the cells in the base unit, row by row; None for one that may be empty and is."""
        if len(raw) < self.least:
            raise InvalidInput(f"The {self.noun[1]}", f"{self.least} or more", str(len(raw)))
        return [self._row(number, row, sizes) for number, row in enumerate(raw, 1)]

    def _row(self, number: int, row: dict[str, Any], sizes: Mapping[str, Quantity]) -> list[float | None]:
        """Return the cells of one row, counted from 1."""
        known = {column.name for column in self.columns}
        odd = sorted(set(row) - known)
        if odd:
            raise InvalidInput(f"A column of the {self.noun[1]}", "one of " + ", ".join(sorted(known)), odd[0][:40])
        cells: list[float | None] = []
        for column in self.columns:
            if column.name not in row:
                if not column.blank:
                    raise InvalidInput(f"The {column.label} of {self.noun[0]} {number}", "a number", "empty")
                cells.append(None)
                continue
            one = NumberSpec("", column.dimension, least=column.least, most=FARTHEST, whole=column.whole)
            cells.append(one.resolve(f"{column.label} of {self.noun[0]} {number}", row[column.name], sizes))
        return cells

    def sizes_in(self, raw: list[dict[str, Any]]) -> set[str]:
        """Return the names in all cells."""
        return {found for row in raw for cell in row.values() for found in names_in(cell)}

    def with_renamed(self, raw: list[dict[str, Any]], old: str, new: str) -> list[dict[str, Any]]:
        """Rename in all cells."""
        return [
            {key: rename_in(cell, old, new) if isinstance(cell, str) else cell for key, cell in row.items()} for row in raw
        ]

    def described(self) -> str:
        """Name the columns."""
        return f"table of {self.noun[1]}: " + ", ".join(column.label for column in self.columns if not column.aside)


class CornerValue(BaseModel):
    """A value for one corner of a curve, counted from 1 along it."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    corner: Annotated[int, Field(ge=1, le=100_000)]
    value: Number


def read_corners(raw: Any) -> Any:
    """Return corner values from text such as `2: 5 mm, 4: 0`; anything but text is left to Pydantic."""
    if not isinstance(raw, str):
        return raw
    entries = [entry.strip() for entry in raw.replace(";", ",").split(",") if entry.strip()]
    if raw.strip().lower() in ("", "none"):
        return []
    pairs = [entry.partition(":") for entry in entries]
    if not all(colon and whole_number(number.strip()) is not None and value.strip() for number, colon, value in pairs):
        raise ValueError("write corner and value, such as 2: 5 mm, 4: 0")
    return [{"corner": int(number), "value": value.strip()} for number, _, value in pairs]


Corners = Annotated[list[CornerValue], BeforeValidator(read_corners)]


@dataclass(frozen=True)
class CornersSpec(Spec):
    """Values for single corners, or single ones of what `noun` names, by their number; typed as `2: 5 mm, 4: 0`."""

    least: float = 0.0
    dimension: Dimension = "length"
    noun: str = "corner"

    def resolve(self, name: str, raw: list[CornerValue], sizes: Mapping[str, Quantity]) -> list[tuple[int, float]]:
        """Return the number of each corner and its value in mm."""
        one = NumberSpec("", self.dimension, least=self.least, most=FARTHEST)
        return [(own.corner, one.resolve(f"value of {self.noun} {own.corner}", own.value, sizes)) for own in raw]

    def sizes_in(self, raw: list[CornerValue]) -> set[str]:
        """Return the names in all values."""
        return {name for corner in raw for name in names_in(corner.value)}

    def with_renamed(self, raw: list[CornerValue], old: str, new: str) -> list[CornerValue]:
        """Rename in all values."""
        return [
            one.model_copy(update={"value": rename_in(one.value, old, new)}) if isinstance(one.value, str) else one
            for one in raw
        ]
