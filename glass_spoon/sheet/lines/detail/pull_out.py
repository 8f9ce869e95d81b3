"""Marked faces pulled out."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.detail.lift import Lifted
from glass_spoon.kernel.detail.pull_out import pull_along, pull_out, pull_to_places, pull_to_plane, pull_way
from glass_spoon.kernel.repeat.along_curve import even_params, frames_along
from glass_spoon.kernel.surfaces.alter.project_curve import meet_nearest
from glass_spoon.sheet.fields import ChoiceSpec, LawSpec, LawText, Number, NumberSpec, ReferenceSpec
from glass_spoon.sheet.handle import Handle, ItemOf, length_handle, vector_handle
from glass_spoon.sheet.items import MeshItem, Note
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.detail.detail_work import SINGLY, DetailWork, MarkedFaces, done_faces, fold_note, worked_place
from glass_spoon.sheet.lines.mesh_work.fields import length_text, several
from glass_spoon.sheet.lines.mesh_work.mesh_work import Worked
from glass_spoon.sheet.lines.place.fields import SAID_WAYS, X, Y, Z
from glass_spoon.sheet.phrase import Phrase

_WAYS = ("along their normals", "one way", "to a level", "to a surface", "along a curve")


class PullOut(DetailWork):
    """Marked faces pulled out."""

    summary = "Pull faces out of a mesh, or in: together or each, along their normals, one way, to a level, along a curve."
    words = ("extrude", "push", "raise", "lift", "sink", "boss", "spout", "knob", "faces out", "pull faces", "stretch out")
    phrases = (
        SINGLY,
        Phrase(r"(?:inwards?(?: by)?|in by) {-distance}", {"way": "along their normals"}, finds=False),
        Phrase(r"(?:outwards?(?: by)?|out by) {distance}", {"way": "along their normals"}, finds=False),
        Phrase(r"in {rows} (?:rows|steps|divisions)", finds=False),
        Phrase(SAID_WAYS.pattern, {**SAID_WAYS.sets, "way": "one way"}, finds=False),
        Phrase(r"(?:up )?to (?:the |a )?surface", {"way": "to a surface"}, finds=False),
        Phrase(r"to (?:the )?(?:level|height) (?:of )?{level}", {"way": "to a level"}, finds=False),
    )
    sentence = "**Pull out** {marks} of {mesh} by {distance} {way}[, {grouping}][, in {rows} rows]."
    wording_field = "way"
    wordings = {
        "one way": "**Pull out** {marks} of {mesh} {way} by x {x}, y {y}, z {z}[, {grouping}][, in {rows} rows].",
        "to a level": "**Pull out** {marks} of {mesh} straight {way}, {level}[, in {rows} rows].",
        "to a surface": "**Pull out** {marks} of {mesh} {way}, {surface}[, in {rows} rows].",
        "along a curve": "**Pull out** {marks} of {mesh} {way} {curve}[ in {rows} rows][, scaled {scale}][, twisted {twist}].",
    }

    acts_on = ("face",)
    results = 2  # where lines made edges, faces go by their own planes
    act_key = "P"

    verb: Literal["pull_out"] = "pull_out"
    marks: MarkedFaces = []
    way: Annotated[
        Literal["along their normals", "one way", "to a level", "to a surface", "along a curve"],
        ChoiceSpec("Which way the faces go.", _WAYS),
    ] = "along their normals"
    distance: Annotated[Number, NumberSpec("How far they go; below zero inwards.", "length", least=-1e5, most=1e5)] = "5 mm"
    x: X = "0 mm"
    y: Y = "0 mm"
    z: Z = "10 mm"
    level: Annotated[Number, NumberSpec("The height at which they end.", "length", least=-1e6, most=1e6)] = "50 mm"
    surface: Annotated[
        str, ReferenceSpec("The surface at which they end, along their mean normal.", "surface", also=("surfaces",))
    ] = ""
    curve: Annotated[str, ReferenceSpec("The curve along which they are pulled, from its start on.", "curve")] = ""
    grouping: Annotated[
        Literal["together", "each by itself"],
        ChoiceSpec("Whether faces that touch stay joined.", ("together", "each by itself")),
    ] = "together"
    rows: Annotated[Number, NumberSpec("Rows of faces along the sides.", label="rows", least=1, most=500, whole=True)] = 1
    scale: Annotated[LawText, LawSpec("How the faces change size on the way: 1 to 0.5.", least=0)] = "1"
    twist: Annotated[LawText, LawSpec("How they turn about the curve on the way: 0° to 90°.", "angle")] = "0°"

    def roles_after(self) -> tuple[str, str]:
        """Return those of what was lifted, and of its rims."""
        return "top", "rim"

    def predict_faces(self, given: Given) -> int:
        """Bound the faces: four sides a marked face at most."""
        item = given.mesh("mesh")
        return item.mesh.face_count + 4 * given.count("rows") * int(self.faces_of(given, item).sum())

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Pull, and tell what it made and what would fold."""
        chosen = self.faces_of(given, item)
        done = self._pulled(given, item, chosen)
        sides = int(done.origin.faces_in("side").sum())
        told = f"{several(int(chosen.sum()), 'face')} pulled out, with {several(sides, 'side')}."
        notes: tuple[Note, ...] = ()
        if self.way == "along their normals":
            notes = fold_note(done.folded, done.fits, given.number("distance"), "distance")
        if self.way == "along a curve":
            told += f" The way is {length_text(measure_length(given.curve('curve').curve).length)} long."
        return Worked(done, told, notes, done_faces(done, "top"), stands=False)

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return how far, or to where, the faces go: at their middle."""
        found = worked_place(item_of("mesh"))
        if found is None or self.way in ("along a curve", "to a surface"):
            return []
        middle, normal = found
        if self.way == "one way":
            return [vector_handle(values, "xyz", middle - [values[axis] for axis in "xyz"], "pulled to")]
        if self.way == "to a level":
            return [length_handle("level", values["level"], (middle[0], middle[1], 0.0), (0, 0, 1), label="level")]
        return [length_handle("distance", values["distance"], middle - values["distance"] * normal, normal)]

    def _pulled(self, given: Given, item: MeshItem, chosen: np.ndarray) -> Lifted:
        """Pull the way that is asked for."""
        rows, each = given.count("rows"), self.grouping == "each by itself"
        if self.way == "along their normals":
            return pull_out(item.mesh, chosen, given.number("distance"), each=each, rows=rows)
        if self.way == "one way":
            return pull_way(item.mesh, chosen, np.array([given.number(axis) for axis in "xyz"]), each=each, rows=rows)
        if self.way == "to a surface":
            surfaces = given.surfaces("surface").surfaces
            return pull_to_places(item.mesh, chosen, lambda points, way: meet_nearest(surfaces, points, way), rows=rows)
        if self.way == "to a level":
            up = np.array([0.0, 0.0, 1.0])
            return pull_to_plane(item.mesh, chosen, up, (given.number("level") * up, up), rows=rows)
        path = given.curve("curve").curve
        shares = np.linspace(0, 1, rows + 1)
        places, frames = frames_along(path, even_params(path, rows + 1), "turned with it")
        turn = given.law("twist").at(shares)
        spin = np.zeros((rows + 1, 3, 3))
        spin[:, 0, 0] = 1
        spin[:, 1, 1] = spin[:, 2, 2] = np.cos(turn)
        spin[:, 1, 2], spin[:, 2, 1] = -np.sin(turn), np.sin(turn)
        return pull_along(item.mesh, chosen, frames @ spin, places, given.law("scale").at(shares))
