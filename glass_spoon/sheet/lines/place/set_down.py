"""Anything set down: on a level, or on a body below it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.curves.alter.place_curve import moving
from glass_spoon.kernel.detail.set_down import room_below
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec, ReferenceSpec
from glass_spoon.sheet.handle import Handle, ItemOf, length_handle
from glass_spoon.sheet.items import Item, as_mesh
from glass_spoon.sheet.kinds import kind_of
from glass_spoon.sheet.line import Given, Line
from glass_spoon.sheet.lines.place.fields import Placed, middle_of_box, placed
from glass_spoon.sheet.phrase import Phrase


class SetDown(Line):
    """Anything set down."""

    chapter = "Place"
    summary = "Set anything down on a level, or on a body below it, as far as it falls; with a gap if wanted."
    words = ("drop", "put on", "rest on", "floor", "ground", "align bottom", "stand on", "fall")
    phrases = (
        Phrase(r"set (?=.+ down on)"),
        Phrase(r"(?:with (?:a )?gap (?:of )?{gap}|{gap} (?:above|over) it)", finds=False),
        Phrase(
            r"(?:on(?:to)?(?: the)? top of|on(?:to)?)(?= (?!(?:a |the )?(?:level|floor|ground|height)|-?\d|\x02)\w)",
            {"onto": "a body"},
            finds=False,
        ),
        Phrase(r"on (?:the )?(?:floor|ground)", {"onto": "a level", "level": "0 mm"}, finds=False),
        Phrase(r"(?:on|at) (?:a |the )?(?:level|height)(?: of| at)? {level}", {"onto": "a level"}, finds=False),
    )
    sentence = "**Set down** {item} on {onto} at {level}[, {gap} above it]."
    wording_field = "onto"
    wordings = {"a body": "**Set down** {item} on {onto}, {body}[, {gap} above it]."}

    verb: Literal["set_down"] = "set_down"
    item: Placed = ""
    onto: Annotated[Literal["a level", "a body"], ChoiceSpec("What it comes to rest on.", ("a level", "a body"))] = "a level"
    level: Annotated[Number, NumberSpec("The height of the level.", "length", least=-1e6, most=1e6)] = "0 mm"
    body: Annotated[str, ReferenceSpec("The mesh below it.", "mesh")] = ""
    gap: Annotated[Number, NumberSpec("How much room stays; below zero it is let in.", "length", least=-1e5, most=1e5)] = (
        "0 mm"
    )

    def build(self, given: Given) -> Item:
        """Move it down, or up, until its lowest place rests."""
        item = given.items["item"]
        if self.onto == "a level":
            fall = float(kind_of(item).extent(item, np.eye(3))[0][2]) - given.number("level")
        else:
            mesh = as_mesh(item)
            fall = room_below(kind_of(item).trace(item), given.mesh("body").mesh, None if mesh is None else mesh.mesh)
        return placed(given, moving(np.array([0.0, 0.0, given.number("gap") - fall])))

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return the level that it rests on."""
        item = item_of("item")
        if item is None or self.onto != "a level":
            return []
        x, y, _ = middle_of_box(item)
        return [length_handle("level", values["level"], (x, y, 0.0), (0, 0, 1), label="level")]
