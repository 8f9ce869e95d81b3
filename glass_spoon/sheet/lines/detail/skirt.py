"""Open rims drawn on."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, first_least
from glass_spoon.kernel.detail.skirt import RimEdges, onto_curve, onward, rim_of, skirt
from glass_spoon.kernel.errors import KernelError
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec, ReferenceSpec
from glass_spoon.sheet.items import Aim, MeshItem
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.detail.detail_work import DetailWork, MarkedEdges, done_faces
from glass_spoon.sheet.lines.mesh_work.fields import length_text, several
from glass_spoon.sheet.lines.mesh_work.mesh_work import Worked
from glass_spoon.sheet.lines.place.fields import SAID_WAYS, X, Y, Z
from glass_spoon.sheet.phrase import Phrase

_WAYS = ("on in the surface", "along its normals", "one way", "to a level", "to a curve")


class Skirt(DetailWork):
    """Rows of quads from an open rim on."""

    summary = "Draw an open rim on by rows of quads: on in the surface, along its normals, one way, to a level, to a curve."
    words = (
        "extrude edge",
        "flange",
        "hem",
        "lengthen rim",
        "extend rim",
        "collar",
        "border",
        "rim out",
        "edges out",
        "lip",
    )
    phrases = (
        Phrase(r"in {rows} (?:rows|steps|divisions)", finds=False),
        Phrase(r"along (?:its |the )?normals?", {"way": "along its normals"}, finds=False),
        Phrase(SAID_WAYS.pattern, {**SAID_WAYS.sets, "way": "one way"}, finds=False),
        Phrase(r"to (?:the )?(?:level|height) (?:of )?{level}", {"way": "to a level"}, finds=False),
        Phrase(r"to (?:the )?curve", {"way": "to a curve"}, finds=False),
        Phrase(r"(?:on in the surface by|on by|on|outwards? by|outwards?|by) {distance}", finds=False),
    )
    sentence = "**Skirt** {marks} of {mesh} {way} by {distance}[, in {rows} rows]."
    wording_field = "way"
    wordings = {
        "one way": "**Skirt** {marks} of {mesh} {way} by x {x}, y {y}, z {z}[, in {rows} rows].",
        "to a level": "**Skirt** {marks} of {mesh} straight {way}, {level}[, in {rows} rows].",
        "to a curve": "**Skirt** {marks} of {mesh} {way}, {curve}[, in {rows} rows].",
    }

    whole_means = "rim"
    acts_on = ("edge",)
    act_key = "K"

    verb: Literal["skirt"] = "skirt"
    marks: MarkedEdges = []
    way: Annotated[
        Literal["on in the surface", "along its normals", "one way", "to a level", "to a curve"],
        ChoiceSpec("Which way the rim goes.", _WAYS),
    ] = "on in the surface"
    distance: Annotated[
        Number, NumberSpec("How far; below zero to the other side of the normals.", "length", least=-1e5, most=1e5)
    ] = "5 mm"
    x: X = "0 mm"
    y: Y = "0 mm"
    z: Z = "10 mm"
    level: Annotated[Number, NumberSpec("The height at which it ends.", "length", least=-1e6, most=1e6)] = "50 mm"
    curve: Annotated[str, ReferenceSpec("The curve on which it ends.", "curve")] = ""
    rows: Annotated[Number, NumberSpec("Rows of faces.", label="rows", least=1, most=500, whole=True)] = 1

    def predict_faces(self, given: Given) -> int:
        """Count the rows."""
        item = given.mesh("mesh")
        return item.mesh.face_count + given.count("rows") * int(self.edges_of(given, item).sum())

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Draw the rim on."""
        edges = self.edges_of(given, item)
        rim = rim_of(item.mesh, edges)
        ends = self._ends(given, item, edges, rim)
        far = np.linalg.norm(ends - item.mesh.positions[rim.points], axis=1)
        if not far.max() > 0:
            raise KernelError("The rim would stay where it is. Give a distance other than 0 mm, or another level.")
        done = skirt(item.mesh, rim, ends, given.count("rows"))
        told = f"{several(int(done.origin.faces_in('side').sum()), 'face')} more; the rim went {length_text(float(far.max()))} at most."
        first = int(first_least(np.linalg.norm(ends - ends.mean(axis=0), axis=1)))
        way = ends[first] - item.mesh.positions[rim.points[first]]
        aim = None if self._placed() else Aim(item.mesh.positions[rim.points[first]], way / given.number("distance"))
        return Worked(done, told, done=done_faces(done, "side", aim), stands=False)

    def _placed(self) -> bool:
        """Say whether the rim goes to places of its own, not by the distance."""
        return self.way not in ("on in the surface", "along its normals")

    def aimed(self) -> str:
        """Draw the distance at one of the rim's points."""
        return "" if self._placed() else "distance"

    def _ends(self, given: Given, item: MeshItem, edges: np.ndarray, rim: RimEdges) -> Floats:
        """Return where the rim's points go."""
        start = item.mesh.positions[rim.points]
        if self.way == "one way":
            return start + np.array([given.number(axis) for axis in "xyz"])
        if self.way == "to a level":
            return np.column_stack((start[:, :2], np.full(len(start), given.number("level"))))
        if self.way == "to a curve":
            return onto_curve(item.mesh, edges, rim, given.curve("curve").curve)
        if self.way == "along its normals":
            return start + given.number("distance") * item.mesh.vertex_normals[rim.points]
        if given.number("distance") < 0:
            raise KernelError("A skirt goes on in the surface, not back into it. Give a distance above 0 mm.")
        return start + given.number("distance") * onward(item.mesh, rim)
