"""Which edge of a surface is meant."""

from __future__ import annotations

from typing import Literal

from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.patches.blend_edges import Border, surface_borders
from glass_spoon.sheet.fields import ChoiceSpec
from glass_spoon.sheet.items import CurveItem
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.phrase import Phrase

EdgeChoice = Literal["nearest", "start along", "end along", "start round", "end round"]
EDGES: dict[str, tuple[int, int]] = {
    "start along": (0, 0),
    "end along": (0, -1),
    "start round": (1, 0),
    "end round": (1, -1),
}
"""The axis that each edge runs along, and at which end of the other one it lies."""


def edge_field(which: str) -> ChoiceSpec:
    """Return the field for which edge of a surface is meant."""
    return ChoiceSpec(
        f"Which edge of the {which}: the nearest to the other one, or by the way it runs and where it lies.",
        ("nearest", *EDGES),
        trailing=("edge",),
    )


def edge_phrases(name: str, behind: str = "") -> tuple[Phrase, ...]:
    """Return the words that say an edge before the surface that it is of; behind: words, each with a space, that lead to it."""
    led = f"(?:{behind})" if behind else ""
    return tuple(Phrase(rf"{led}(?:the |its |an? )?{edge} (?:edge )?of", {name: edge}, finds=False) for edge in EDGES)


def borders_of(given: Given, name: str, edge: str) -> list[Border]:
    """Return the edges of an item among which one is to be found; edge: the field that says which. A curve is one itself."""
    item = given.items[name]
    if isinstance(item, CurveItem):
        return [Border(item.curve)]
    shape = given.surfaces(name)
    chosen = given.word(edge)
    if chosen != "nearest" and len(shape.surfaces) > 1:
        raise KernelError(
            f"{len(shape.surfaces)} surfaces have that edge. Take one of them out by Take, or let the nearest edge be found."
        )
    own = {(pair.piece, pair.axis, pair.end) for pair in shape.lone_edges}
    found = [
        border
        for piece, surface in enumerate(shape.surfaces)
        for border in surface_borders(surface, max(shape.reach, 1e-9))
        if (piece, border.axis, border.end) in own
    ]
    if chosen != "nearest":
        found = [border for border in found if (border.axis, border.end) == EDGES[chosen]]
    if not found:
        raise KernelError(f"There is no open edge there on the {name}: it closes on itself. Take another edge.")
    return found
