"""The kinds of fields that a verb declares. One declaration feeds the form, the prose, the validation and the reference.

A field is a Pydantic annotation with one of the specs below as metadata:

    radius: Annotated[Number, NumberSpec("Radius of the arcs.", "length", least=0, above=True)] = "3 mm"

A new kind is one class here: how its text becomes a value, which sizes it uses, how it is described.
"""

from __future__ import annotations

from glass_spoon.sheet.fields.items import (
    EVERY,
    STANDS_IN,
    ItemName,
    Items,
    LineId,
    MakerSpec,
    NameSpec,
    ReferenceSpec,
    ReferencesSpec,
    SizeName,
    read_items,
)
from glass_spoon.sheet.fields.law import LawSpec, LawText
from glass_spoon.sheet.fields.number import COORDINATE, FARTHEST, Number, NumberSpec, QuantitySpec
from glass_spoon.sheet.fields.points import PointsSpec, SheetPoint
from glass_spoon.sheet.fields.spec import Spec, spec_of
from glass_spoon.sheet.fields.table import (
    Column,
    Corners,
    CornersSpec,
    CornerValue,
    Rows,
    TableSpec,
    read_corners,
    read_rows,
)
from glass_spoon.sheet.fields.texts import ChoiceSpec, FileSpec, PictureSpec, Plane, TextSpec

__all__ = [
    "COORDINATE",
    "EVERY",
    "FARTHEST",
    "STANDS_IN",
    "ChoiceSpec",
    "Column",
    "CornerValue",
    "Corners",
    "CornersSpec",
    "FileSpec",
    "ItemName",
    "Items",
    "LawSpec",
    "LawText",
    "LineId",
    "MakerSpec",
    "NameSpec",
    "Number",
    "NumberSpec",
    "PictureSpec",
    "Plane",
    "PointsSpec",
    "QuantitySpec",
    "ReferenceSpec",
    "ReferencesSpec",
    "Rows",
    "SheetPoint",
    "SizeName",
    "Spec",
    "TableSpec",
    "TextSpec",
    "read_corners",
    "read_items",
    "read_rows",
    "spec_of",
]
