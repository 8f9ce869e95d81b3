"""Bodies named and placed as one, without sharing edges."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.frame import Frame
from glass_spoon.sheet.fields import ChoiceSpec, ItemName, Items, NameSpec, ReferencesSpec
from glass_spoon.sheet.handle import Handle, ItemOf
from glass_spoon.sheet.items import MeshItem, Piece
from glass_spoon.sheet.line import Given, Line
from glass_spoon.sheet.lines.draw.fields import AtX, AtY, AtZ
from glass_spoon.sheet.lines.mesh_work.fields import several
from glass_spoon.sheet.lines.mesh_work.unite import gather_makers
from glass_spoon.sheet.lines.place.fields import vector
from glass_spoon.sheet.phrase import Phrase

_ORIGIN = Literal["middle", "bottom", "top", "place"]


class Group(Line):
    """Bodies as one."""

    chapter = "Place"
    summary = "Group bodies: named, placed, mirrored, repeated, hidden, coloured and sent out as one, with its own origin."
    words = ("assembly", "together", "collect", "bundle", "parent", "set of bodies", "combine", "component", "unit")
    phrases = (
        Phrase(r"origin (?:at|in|on) (?:its |the )?(?:bottom|foot|base)", {"origin": "bottom"}, finds=False),
        Phrase(r"origin (?:at|in|on) (?:its |the )?(?:middle|centre|center)", {"origin": "middle"}, finds=False),
        Phrase(r"origin (?:at|in|on) (?:its |the )?top", {"origin": "top"}, finds=False),
    )
    sentence = "**Group** {meshes}[, its own origin at the {origin} of them], giving {gives}."
    wording_field = "origin"
    wordings = {"place": "**Group** {meshes}, its own origin at a {origin} x {x}, y {y}, z {z}, giving {gives}."}
    gives_kind = "mesh"
    signs = True
    uses_up = ("meshes",)

    verb: Literal["group"] = "group"
    meshes: Annotated[
        Items, ReferencesSpec("The bodies; each keeps its faces, its colour and its name.", "mesh", least=1)
    ] = []
    origin: Annotated[
        _ORIGIN,
        ChoiceSpec(
            "Where its own origin is, about which it is turned, scaled and aligned; its axes are those of the space at first.",
            ("middle", "bottom", "top", "place"),
        ),
    ] = "middle"
    x: AtX = "0 mm"
    y: AtY = "0 mm"
    z: AtZ = "0 mm"
    gives: Annotated[ItemName, NameSpec("Name of the group.")] = "group"

    def predict_faces(self, given: Given) -> int:
        """Return the faces of all: none come."""
        return sum(item.mesh.face_count for item in given.meshes("meshes"))

    def build(self, given: Given) -> MeshItem:
        """Lay them together; nothing is welded."""
        items = given.meshes("meshes")
        whole, makers = gather_makers(items)
        line = given.ids[""]
        pieces = tuple(_of_group(piece, line) for item in items for piece in item.every_piece)
        frame = Frame(self._origin(given, whole.positions), np.eye(3))
        faces = several(whole.face_count, "face")
        told = f"{several(len(items), 'body')} of {faces} together, no edges shared."
        return MeshItem(whole, None, told=told, pieces=pieces, makers=makers, frame=frame)

    def _origin(self, given: Given, places: Floats) -> Floats:
        """Return where the origin is, (3,) in mm."""
        if self.origin == "place":
            return vector(given, "x", "y", "z")
        low, high = places.min(axis=0), places.max(axis=0)
        middle = (low + high) / 2
        height = {"middle": middle[2], "bottom": low[2], "top": high[2]}[self.origin]
        return np.array([middle[0], middle[1], height])

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return the origin where it is a place."""
        return super().handles(values, item_of) if self.origin == "place" else []


def _of_group(piece: Piece, line: str) -> Piece:
    """Return a piece that is known as part of the group too, what it came of first."""
    return replace(piece, made_by=(*piece.made_by, line))
