"""Faces halved before a seam is laid among them: a field of verbs that cut and join, and the press that sets it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated, Literal

from glass_spoon.kernel.errors import FacesTooLarge
from glass_spoon.kernel.imprint.halve_faces import halve_faces
from glass_spoon.sheet.fields import ChoiceSpec
from glass_spoon.sheet.items import MeshItem
from glass_spoon.sheet.line import Action
from glass_spoon.sheet.phrase import Phrase

Finer = Annotated[
    Literal["as they are", "halved", "quartered"],
    ChoiceSpec(
        "Whether faces are made smaller first, halved both ways on their surface once or twice, so that seams have room.",
        ("as they are", "halved", "quartered"),
        ("as they are", "halved first", "quartered first"),
    ),
]

FINER_SAID = Phrase(
    r"(?:with )?(?:the )?faces halved(?: first)?|halv(?:e|ing) the faces(?: first)?", {"finer": "halved"}, finds=False
)


@dataclass(frozen=True)
class Halving:
    """How often faces are halved, how many come of one, and what makes them smaller yet: a value and its press."""

    times: int
    faces: int
    next: tuple[str, str] | None


HALVED = {
    "as they are": Halving(0, 1, ("halved", "Halve the faces first")),
    "halved": Halving(1, 4, ("quartered", "Quarter the faces first")),
    "quartered": Halving(2, 16, None),
}
"""By the value of the field."""


def finer_item(item: MeshItem, finer: str) -> MeshItem:
    """Return a mesh with its faces as small as is asked."""
    times = HALVED[finer].times
    return replace(item, mesh=halve_faces(item.mesh, times, item.surface), counts=None) if times else item


def finer_ways(error: Exception, finer: str) -> tuple[Action, ...]:
    """Return the press that makes faces smaller, where too large ones are the trouble and they can be."""
    way = HALVED[finer].next
    return (Action(way[1], "finer", way[0]),) if way is not None and isinstance(error, FacesTooLarge) else ()
