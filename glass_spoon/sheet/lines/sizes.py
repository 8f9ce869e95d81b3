"""Sizes: named dimensions of the part."""

from __future__ import annotations

from typing import Annotated, Literal

from glass_spoon.sheet.fields import NameSpec, Number, QuantitySpec, SizeName
from glass_spoon.sheet.line import Line


class Size(Line):
    """A named dimension that any number field may use."""

    chapter = "Sizes"
    summary = "Name a dimension, to use it in any number field."
    words = ("dimension", "parameter", "variable", "value", "named")
    sentence = "**Size** {name} = {value}."

    verb: Literal["size"] = "size"
    name: Annotated[SizeName, NameSpec("Small letters, digits and _, starting with a letter.")] = "size"
    value: Annotated[Number, QuantitySpec("A length, an angle or a number; may use other sizes.")] = "10 mm"
