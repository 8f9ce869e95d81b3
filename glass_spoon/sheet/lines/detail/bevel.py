"""Marked edges bevelled."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.detail.bevel import bevel, widths_for_radius
from glass_spoon.kernel.errors import KernelError
from glass_spoon.sheet.fields import ChoiceSpec, Corners, CornersSpec, Number, NumberSpec
from glass_spoon.sheet.items import MeshItem
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.detail.detail_work import DetailWork, MarkedEdges, done_faces, edge_aim, fold_note
from glass_spoon.sheet.lines.mesh_work.fields import several
from glass_spoon.sheet.lines.mesh_work.mesh_work import Worked
from glass_spoon.sheet.mark_rule import OUTLINE
from glass_spoon.sheet.phrase import Phrase


class Bevel(DetailWork):
    """Marked edges bevelled."""

    results = 3  # where it runs out to a point, no face has a hollow corner; profiles that run along their edge too are as wide as what goes across it
    summary = "Bevel marked edges by a width or a radius: round, flat or hollow; corners of quads, a ball where it fits."
    words = (
        "chamfer",
        "round edges",
        "fillet edges",
        "soften",
        "rounded edges",
        "break edges",
        "edge rounding",
        "bevel edges",
        "round off",
    )
    phrases = (
        Phrase(r"^\W*round(?: off)?(?= (?!up\b|off\b|the\b|edges?\b|sharp|corners?\b)[a-z])", {"sized": "radius"}),
        Phrase(r"(?:by |with |to )?(?:a )?radius (?:of )?{radius}", {"sized": "radius"}, finds=False),
        Phrase(r"(?:by |with )?(?:a )?width (?:of )?{width}|{width} wide", {"sized": "width"}, finds=False),
        Phrase(r"in {steps} steps", finds=False),
    )
    sentence = "**Bevel** {marks} of {mesh} by a {sized} of {width}[, {profile}][, in {steps} steps][, with {own}]."
    wording_field = "sized"
    wordings = {
        "radius": "**Bevel** {marks} of {mesh} by a {sized} of {radius}[, {profile}][, in {steps} steps][, with {own}]."
    }

    whole_means = "sharp edges"
    faces_mean = OUTLINE
    acts_on = ("edge",)
    act_key = "B"

    verb: Literal["bevel"] = "bevel"
    marks: MarkedEdges = []
    sized: Annotated[
        Literal["width", "radius"],
        ChoiceSpec(
            "What is given: how far the band's rims are from the edge, or the radius of its round.", ("width", "radius")
        ),
    ] = "width"
    width: Annotated[
        Number, NumberSpec("How far the rims of the band are from the edge.", "length", least=0, above=True, most=1e5)
    ] = "2 mm"
    radius: Annotated[
        Number,
        NumberSpec("The radius of the round: a sharper edge gets a wider band.", "length", least=0, above=True, most=1e5),
    ] = "2 mm"
    profile: Annotated[
        Literal["round", "flat", "hollow"], ChoiceSpec("How the band runs across.", ("round", "flat", "hollow"))
    ] = "round"
    own: Annotated[
        Corners, CornersSpec("Marks with a size of their own, counted as they are listed; 0 leaves one sharp.", noun="mark")
    ] = []
    steps: Annotated[
        Number, NumberSpec("Faces across the band; even counts make all quads.", label="steps", least=1, most=64, whole=True)
    ] = 2

    def predict_faces(self, given: Given) -> int:
        """Bound the faces: the steps for each edge, and patches at their ends."""
        item, steps = given.mesh("mesh"), given.count("steps")
        return item.mesh.face_count + int(self.edges_of(given, item).sum()) * steps * (steps + 2)

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Bevel, and tell what is no quad and what would fold."""
        size = given.number(self.sized)
        sizes = self._sizes(given, item, size)
        chosen = sizes > 0
        if not chosen.any():
            raise KernelError("All marked edges have a size of 0: give one a size, or take the line out.")
        widths = widths_for_radius(item.mesh, chosen, sizes) if self.sized == "radius" else sizes
        aim = edge_aim(item.mesh, chosen & (np.abs(sizes - size) <= 1e-12 * size))
        if aim is not None and self.sized == "radius":
            aim = replace(aim, size=float(widths[chosen].max()) / size)
        done = bevel(item.mesh, chosen, widths, given.count("steps"), self.profile)
        told = f"{several(int(chosen.sum()), 'edge')} bevelled, {several(int(done.origin.faces_in('strip').sum()), 'face')} in bands"
        corners = int(done.origin.faces_in("corner").sum())
        told += f" and {several(corners, 'face')} at corners." if corners else "."
        if done.odd:
            told += f" {several(done.odd, 'face')} {'is' if done.odd == 1 else 'are'} no quads: at ends, or as the steps are odd."
        return Worked(
            done, told, fold_note(done.folded, done.fits, size, self.sized), done_faces(done, "strip", aim), stands=False
        )

    def aimed(self) -> str:
        """Draw the size from an edge into a face beside it."""
        return self.sized

    def _sizes(self, given: Given, item: MeshItem, size: float) -> Floats:
        """Return the size (e,) of each edge, 0 for those not marked: of marks with their own size theirs."""
        sizes = np.where(self.edges_of(given, item), size, 0.0)
        marks = given.marks("marks")
        for number, own in given.values["own"]:
            if number > len(marks):
                raise KernelError(
                    f"There is no mark {number}: the line lists {len(marks)}. Take out that size, or mark more."
                )
            sizes[marks[number - 1].on(item).edges()] = own
        return sizes
