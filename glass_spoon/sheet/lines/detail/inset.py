"""Marked faces inset."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.detail.inset import inset
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec
from glass_spoon.sheet.handle import Handle, ItemOf, length_handle
from glass_spoon.sheet.items import MeshItem
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.detail.detail_work import (
    SINGLY,
    DetailWork,
    MarkedFaces,
    done_faces,
    edge_aim,
    fold_note,
    worked_place,
)
from glass_spoon.sheet.lines.mesh_work.fields import several
from glass_spoon.sheet.lines.mesh_work.mesh_work import Worked
from glass_spoon.sheet.phrase import Phrase


class Inset(DetailWork):
    """Marked faces inset."""

    summary = "Inset faces: a band of even width inside their rim, with a depth if wanted; together or each by itself."
    words = ("frame", "border", "panel", "shrink faces", "recess", "inner faces", "rim inside", "inner rim")
    phrases = (
        SINGLY,
        Phrase(
            r"(?:and )?(?:sunk|sink|lower(?:ed)?|down|deep)(?: it| them)? (?:by )?{-depth}|{-depth} (?:deep|down)",
            finds=False,
        ),
        Phrase(r"(?:and )?(?:raised?|lift(?:ed)?|up)(?: it| them)? (?:by )?{depth}|{depth} (?:up|high)", finds=False),
        Phrase(r"(?:with|in) {loops} (?:loops|rows|bands)", finds=False),
    )
    sentence = "**Inset** {marks} of {mesh} by {distance}[, {grouping}][, raised {depth}][, with {loops} rows about them]."

    acts_on = ("face",)
    act_key = "I"

    results = 3  # where lines made edges, faces go by their own planes
    verb: Literal["inset"] = "inset"
    marks: MarkedFaces = []
    distance: Annotated[
        Number,
        NumberSpec("Width of the band inside their rim; below zero outwards.", "length", least=-1e5, most=1e5),
    ] = "2 mm"
    grouping: Annotated[
        Literal["together", "each by itself"],
        ChoiceSpec("Whether faces that touch stay joined.", ("together", "each by itself")),
    ] = "together"
    depth: Annotated[
        Number, NumberSpec("How far they are raised; below zero they are sunk.", "length", least=-1e5, most=1e5)
    ] = "0 mm"
    loops: Annotated[Number, NumberSpec("Rows of faces in the band.", label="rows", least=1, most=200, whole=True)] = 1

    def roles_after(self) -> tuple[str, str]:
        """Return those of what was lifted, and of its rims."""
        return "top", "rim"

    def predict_faces(self, given: Given) -> int:
        """Bound the faces: four in each row a marked face at most."""
        item = given.mesh("mesh")
        return item.mesh.face_count + 4 * given.count("loops") * int(self.faces_of(given, item).sum())

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Inset, and tell what would fold."""
        chosen = self.faces_of(given, item)
        distance, each = given.number("distance"), self.grouping == "each by itself"
        topology = item.mesh.topology
        rim = np.bincount(topology.edges.of_corner[chosen[topology.face_of_corner]], minlength=len(topology.edges.ends)) == 1
        aim = edge_aim(item.mesh, rim, chosen)
        done = inset(item.mesh, chosen, distance, given.number("depth"), each=each, loops=given.count("loops"))
        band = int(done.origin.faces_in("side").sum())
        told = f"{several(int(chosen.sum()), 'face')} inset, {several(band, 'face')} in the band."
        notes = fold_note(done.folded, done.fits, distance, "distance")
        return Worked(done, told, notes, done_faces(done, "top", aim), stands=False)

    def aimed(self) -> str:
        """Draw the width of the band from its rim."""
        return "distance"

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return the width of the band, and how far the faces are raised, at their middle."""
        found = worked_place(item_of("mesh"))
        if found is None:
            return []
        middle, normal = found
        raised = length_handle("depth", values["depth"], middle - values["depth"] * normal, normal)
        return [raised, *super().handles(values, item_of)]
