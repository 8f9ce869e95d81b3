"""One of several."""

from __future__ import annotations

from typing import Annotated, Literal

from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.sheet.fields import Number, NumberSpec, ReferenceSpec
from glass_spoon.sheet.items import Item
from glass_spoon.sheet.kinds import kind_of
from glass_spoon.sheet.line import Given, Line
from glass_spoon.sheet.lines.place.fields import ItemNameField


class Take(Line):
    """One of several."""

    chapter = "Place"
    summary = "Take one out of several: a curve or a surface of a set, a body of bodies, an island of a mesh."
    words = ("pick", "single", "extract", "one")
    sentence = "**Take** number {number} of {item} as {gives}."
    gives_kind = "curve"
    gives_like = "item"
    signs = True
    gives_one = True

    verb: Literal["take"] = "take"
    number: Annotated[Number, NumberSpec("Which one, counted from 1.", label="number", least=1, most=20000, whole=True)] = 1
    item: Annotated[
        str,
        ReferenceSpec(
            "The set of curves or of surfaces, the trimmed surface, or the mesh.",
            "curves",
            also=("surfaces", "trimmed", "mesh"),
        ),
    ] = ""
    gives: ItemNameField = "one"

    def build(self, given: Given) -> Item:
        """Take it."""
        item, number = given.items["item"], given.count("number")
        kind = kind_of(item)
        if number > kind.size(item):
            raise InvalidInput(
                "The number", f"1 to {kind.size(item):,}: there are {kind.size(item):,} {kind.parts}", str(number)
            )
        return kind.take(item, number - 1)
