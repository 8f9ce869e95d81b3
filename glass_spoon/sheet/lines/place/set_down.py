"""Anything set down: on a level, or on a body below it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.curves.alter.place_curve import moving
from glass_spoon.kernel.detail.set_down import room_below, rooms_below
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.repeat.placements import Placements, boxes_of
from glass_spoon.sheet.bodies_item import BodiesItem
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec, ReferenceSpec
from glass_spoon.sheet.handle import Handle, ItemOf, length_handle
from glass_spoon.sheet.items import Item, as_mesh
from glass_spoon.sheet.kinds import kind_of
from glass_spoon.sheet.line import Given, Line
from glass_spoon.sheet.lines.place.fields import Placed, middle_of_box, placed
from glass_spoon.sheet.phrase import Phrase

EACH = ("all together", "each by itself")

NEAR = 1e-6
"""Boxes that share less than this of their extent only touch."""

MOST_BY_THEMSELVES = 2_000
"""Most copies that fall one by one: each is held against the body below."""


class SetDown(Line):
    """Anything set down."""

    chapter = "Place"
    summary = "Set anything down on a level, or on a body below it, as far as it falls; copies together, or each by itself."
    words = ("drop", "put on", "set on", "rest on", "floor", "ground", "align bottom", "stand on", "fall")
    phrases = (
        Phrase(r"(?:set|put|lay|drop) (?=.+ down(?!\w))"),
        Phrase(r"(?:stand|put|set|place) (?=(?!.*\bcop(?:y|ies)\b).+ on(?:to)?(?: the)? top of(?!\w))"),
        Phrase(r"(?:with (?:a )?gap (?:of )?{gap}|{gap} (?:above|over) it)", finds=False),
        Phrase(
            r"(?:on(?:to)?(?: the)? top of|on(?:to)?)(?= (?!(?:a |the )?(?:level|floor|ground|height)|-?\d|\x02)\w)",
            {"onto": "a body"},
            finds=False,
        ),
        Phrase(
            r"(?:copies )?(?:each|every one|one by one|singly)(?: copy| one)?(?: (?:by|of) (?:itself|themselves|them))?",
            {"each": "each by itself"},
            finds=False,
        ),
        Phrase(r"on (?:the )?(?:floor|ground)", {"onto": "a level", "level": "0 mm"}, finds=False),
        Phrase(r"(?:on|at) (?:a |the )?(?:level|height)(?: of| at)? {level}", {"onto": "a level"}, finds=False),
    )
    sentence = "**Set down** {item} on {onto} at {level}[, {gap} above it][, copies {each}]."
    wording_field = "onto"
    wordings = {"a body": "**Set down** {item} on {onto}, {body}[, {gap} above it][, copies {each}]."}

    verb: Literal["set_down"] = "set_down"
    item: Placed = ""
    onto: Annotated[Literal["a level", "a body"], ChoiceSpec("What it comes to rest on.", ("a level", "a body"))] = "a level"
    level: Annotated[Number, NumberSpec("The height of the level.", "length", least=-1e6, most=1e6)] = "0 mm"
    body: Annotated[str, ReferenceSpec("The mesh below it.", "mesh")] = ""
    gap: Annotated[Number, NumberSpec("How much room stays; below zero it is let in.", "length", least=-1e5, most=1e5)] = (
        "0 mm"
    )
    each: Annotated[
        Literal["all together", "each by itself"],
        ChoiceSpec("Whether copies keep their heights over one another, or each falls as far as it can.", EACH),
    ] = "all together"

    def build(self, given: Given) -> Item:
        """Move it down, or up, until its lowest place rests."""
        item = given.items["item"]
        if self.each == "each by itself":
            if not isinstance(item, BodiesItem):
                raise KernelError(
                    "It is one thing, and falls as one. Let its copies stand apart, or set it down all together."
                )
            return self._each_down(given, item)
        if self.onto == "a level":
            fall = float(kind_of(item).extent(item, np.eye(3))[0][2]) - given.number("level")
        else:
            mesh = as_mesh(item)
            fall = room_below(kind_of(item).trace(item), given.mesh("body").mesh, None if mesh is None else mesh.mesh)
        return placed(given, moving(np.array([0.0, 0.0, given.number("gap") - fall])))

    def _each_down(self, given: Given, item: BodiesItem) -> BodiesItem:
        """Let every copy fall by itself."""
        if len(item.places) > MOST_BY_THEMSELVES:
            raise KernelError(
                f"{len(item.places):,} copies are more than the {MOST_BY_THEMSELVES:,} that can fall one by one. "
                "Set them down together, or repeat fewer."
            )
        if self.onto == "a level":
            lowest = item.places.apply(item.body.mesh.positions)[:, :, 2].min(axis=1)
            falls = lowest - given.number("level")
        else:
            falling = [item.one(number).mesh for number in range(len(item.places))]
            falls = rooms_below(falling, given.mesh("body").mesh, given.progress)
        offsets = item.places.offsets + (given.number("gap") - falls)[:, None] * np.array([0.0, 0.0, 1.0])
        least, most = np.sort(np.abs(falls))[[0, -1]]
        places = Placements(item.places.matrices, offsets)
        told = f"{len(falls):,} copies went {least:.4g} to {most:.4g} mm, each by itself"
        into = _boxes_met(places, item) - _boxes_met(item.places, item)
        if into > 0:
            told += "; some came to stand in one another, as they are not held against each other"
        return replace(item, places=places, told=f"{told}.")

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return the level that it rests on."""
        item = item_of("item")
        if item is None or self.onto != "a level":
            return []
        x, y, _ = middle_of_box(item)
        return [length_handle("level", values["level"], (x, y, 0.0), (0, 0, 1), label="level")]


def _boxes_met(places: Placements, item: BodiesItem) -> int:
    """Return how many pairs of copies stand with their boxes in one another."""
    low, high = boxes_of(places, item.body.mesh.positions)
    slack = NEAR * (high - low)
    pairs = ((low[:, None] + slack[:, None] < high[None]) & (low[None] + slack[None] < high[:, None])).all(axis=2)
    return int(np.triu(pairs, 1).sum())
