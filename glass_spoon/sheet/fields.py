"""The kinds of fields that a verb declares. One declaration feeds the form, the prose, the validation and the reference.

A field is a Pydantic annotation with one of the specs below as metadata:

    radius: Annotated[Number, NumberSpec("Radius of the arcs.", "length", least=0, above=True)] = "3 mm"
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated, Any, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, StrictFloat, StrictInt, StrictStr

from glass_spoon.formats.clean_text import whole_number
from glass_spoon.sheet.expressions import MAX_TEXT, Dimension

Number = Annotated[StrictStr, Field(max_length=MAX_TEXT)] | StrictInt | StrictFloat
"""A number as typed: a text with units and sizes, or a plain number in the field's own unit."""

LineId = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,40}$")]
ItemName = Annotated[str, Field(min_length=1, max_length=60, pattern=r"^[^\x00-\x1f<>]*$")]
SizeName = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,39}$")]


@dataclass(frozen=True)
class Spec:
    """What all fields have: a sentence of help, and the words that name the field where its own name would not read well."""

    help: str
    label: str = field(default="", kw_only=True)

    @property
    def kind(self) -> str:
        """Stable name of the kind of field, for templates."""
        return type(self).__name__.removesuffix("Spec").lower()


@dataclass(frozen=True)
class NumberSpec(Spec):
    """A number with a dimension and a range in the base unit (mm, rad); `above` leaves out the least itself.

    `step` is what one arrow key changes, in the unit shown (mm, degrees, one). `axis` marks a coordinate of a place on the
    board (right, up; or x, y, z): fields whose names differ in it alone are one place, which a click may give.
    """

    dimension: Dimension = "number"
    least: float | None = None
    most: float | None = None
    above: bool = False
    whole: bool = False
    step: float = 1.0
    axis: Literal["", "right", "up", "x", "y", "z"] = ""


@dataclass(frozen=True)
class ChoiceSpec(Spec):
    """One of a few words; each choice's own help in the same order."""

    choices: tuple[str, ...] = ()
    labels: tuple[str, ...] = ()

    def choice_label(self, value: str) -> str:
        """Return the words shown for a choice."""
        return self.labels[self.choices.index(value)] if self.labels and value in self.choices else value


EVERY = "every"
"""Stands in a reference for all items of its kinds."""


@dataclass(frozen=True)
class ReferenceSpec(Spec):
    """An item that an earlier line gives; `changes` marks the one that this line alters. `also`: other kinds that serve.

    every: the word EVERY may stand for all such items that earlier lines give, those left out that went into a set.
    """

    item_kind: str = "curve"
    changes: bool = False
    also: tuple[str, ...] = ()
    every: bool = False

    @property
    def kinds(self) -> tuple[str, ...]:
        """All kinds of items that may be referred to."""
        return (self.item_kind, *self.also)


@dataclass(frozen=True)
class ReferencesSpec(Spec):
    """Several items that earlier lines give, in an order that counts; `least` of them are needed (0: none unless asked)."""

    item_kind: str = "curve"
    also: tuple[str, ...] = ()
    least: int = 2

    @property
    def kinds(self) -> tuple[str, ...]:
        """All kinds of items that may be referred to."""
        return (self.item_kind, *self.also)


@dataclass(frozen=True)
class MakerSpec(Spec):
    """A line before this one that made faces: by the id of what it gives, or its own where it alters a mesh."""


@dataclass(frozen=True)
class LawSpec(Spec):
    """A value that may change along the way; typed as `1`, `1 to 0.5`, `0° to 90° eased`, `1, 1.4 at 0.3, 0.5`."""

    dimension: Dimension = "number"
    least: float | None = None


@dataclass(frozen=True)
class PointsSpec(Spec):
    """A list of points on a plane, edited on the board."""


@dataclass(frozen=True)
class Column:
    """A column of a table of numbers; `blank`: what a cell left empty means, "" where it may not be empty."""

    name: str
    label: str
    dimension: Dimension = "number"
    least: float | None = None
    blank: str = ""
    whole: bool = False


@dataclass(frozen=True)
class TableSpec(Spec):
    """A table of numbers, edited as a table or by grips on the board; `noun`: what one row and several are called."""

    columns: tuple[Column, ...] = ()
    noun: tuple[str, str] = ("row", "rows")
    least: int = 0


@dataclass(frozen=True)
class CornersSpec(Spec):
    """Values for single corners, by their number along the curve; typed as `2: 5 mm, 4: 0`."""

    least: float = 0.0


@dataclass(frozen=True)
class TextSpec(Spec):
    """A short text with a form of its own, such as the designation of a thread; `pattern` finds it among other words."""

    pattern: str = ""


@dataclass(frozen=True)
class FileSpec(Spec):
    """The text of a file kept in the sheet; `endings` are those of the files that may be chosen."""

    endings: str = ".svg"


@dataclass(frozen=True)
class PictureSpec(Spec):
    """A picture of the project, by its id."""


@dataclass(frozen=True)
class NameSpec(Spec):
    """The name of what the line gives."""


@dataclass(frozen=True)
class QuantitySpec(Spec):
    """A value of any dimension: the definition of a size."""


class SheetPoint(BaseModel):
    """A point by a drawing plane: right, up and out of it towards the viewer, numbers or expressions.

    sharp: the curve has a corner there. weight: how strongly a point pulls, where points pull.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    x: Number
    y: Number
    out: Number = 0
    sharp: bool = False
    weight: Annotated[float, Field(gt=0, le=1000)] = 1.0


class CornerValue(BaseModel):
    """A value for one corner of a curve, counted from 1 along it."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    corner: Annotated[int, Field(ge=1, le=1000)]
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


def read_items(raw: Any) -> Any:
    """Return ids of items from text such as `l1, l4`; anything but text is left to Pydantic."""
    return [entry.strip() for entry in raw.split(",") if entry.strip()] if isinstance(raw, str) else raw


Items = Annotated[list[Annotated[str, Field(max_length=40)]], Field(max_length=200), BeforeValidator(read_items)]
LawText = Annotated[
    str, Field(max_length=200), BeforeValidator(lambda raw: str(raw) if isinstance(raw, int | float) else raw)
]


def spec_of(metadata: list[Any]) -> Spec | None:
    """Return the spec among a field's metadata."""
    return next((entry for entry in metadata if isinstance(entry, Spec)), None)


Plane = Literal["front", "side", "plan"]
