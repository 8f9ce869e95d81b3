"""Creases and the loops that stand for them."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshes.origin import Reworked, same_elements
from glass_spoon.kernel.subdivision.support_loops import creases_to_loops, loops_to_creases, predict_loop_faces
from glass_spoon.sheet.fields import ChoiceSpec, Items, Number, NumberSpec, ReferencesSpec
from glass_spoon.sheet.items import MeshItem
from glass_spoon.sheet.line import Action, Given
from glass_spoon.sheet.lines.mesh_work.fields import length_text, mark_offers, marked_edges, several
from glass_spoon.sheet.lines.mesh_work.mesh_work import MeshWork, Worked
from glass_spoon.sheet.mark_rule import OUTLINE


class Crease(MeshWork):
    """Edges that smoothing keeps tight."""

    summary = "Crease marked edges: smoothing keeps them sharp for so many levels, or for ever."
    words = ("sharpness", "sharp", "sharpen", "weight", "edge weight", "tight", "hard", "uncrease", "soften")
    sentence = "**Crease** {marks} of {mesh} {how} with sharpness {sharpness}."

    whole_means = "sharp edges"
    faces_mean = OUTLINE

    verb: Literal["crease"] = "crease"
    marks: Annotated[Items, ReferencesSpec("The marks whose edges are creased.", "mark", least=1)] = []
    how: Annotated[
        Literal["for some levels", "for ever", "not at all"],
        ChoiceSpec("How long smoothing keeps the edges sharp.", ("for some levels", "for ever", "not at all")),
    ] = "for some levels"
    sharpness: Annotated[
        Number,
        NumberSpec(
            "Levels of smoothing that the edges stay sharp; parts of a level blend.", least=0, above=True, most=10, step=0.5
        ),
    ] = 2

    def sentence_now(self) -> str:
        """Show the sharpness where it counts."""
        return self.sentence if self.how == "for some levels" else "**Crease** {marks} of {mesh} {how}."

    def ways_to_start(self) -> tuple[Action, ...]:
        """Offer marks that may be meant where there is none."""
        return mark_offers(("edge",))

    def predict_faces(self, given: Given) -> int:
        """Return the faces that there are: no more come."""
        return given.mesh("mesh").mesh.face_count

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Set the sharpness of the edges."""
        chosen = marked_edges(given, "marks", item)
        if not chosen.any():
            raise KernelError("The marks hold no edges of this mesh. Pick other marks.")
        lasting = {"for ever": np.inf, "not at all": 0.0}
        value = lasting[self.how] if self.how in lasting else given.number("sharpness")
        before = item.mesh.edges.get("sharpness", np.zeros(len(chosen)))
        sharpness = np.where(chosen, value, before)
        mesh = replace(item.mesh, edges={**item.mesh.edges, "sharpness": sharpness})
        return Worked(Reworked(mesh, same_elements(mesh.topology)), f"{several(int(chosen.sum()), 'edge')} creased.")


class Support(MeshWork):
    """Loops beside creases in place of their sharpness, and back."""

    summary = (
        "Put support loops beside creases, and nowhere else, in place of edge weights; or take such loops back to creases."
    )
    words = ("loops", "holding edges", "tight", "support loops", "weights", "crease", "bevel")
    sentence = "**Support** the creases of {mesh} by {way}, those that stay sharp with loops at {distance}."

    results = 2  # loops close round the ends of creases

    verb: Literal["support"] = "support"
    way: Annotated[
        Literal["loops", "weights"],
        ChoiceSpec("Loops that every program smooths alike, or weights in place of such loops.", ("loops", "weights")),
    ] = "loops"
    distance: Annotated[
        Number,
        NumberSpec(
            "Distance of the loops beside edges that stay sharp for ever.",
            "length",
            label="distance of the loops",
            least=1e-4,
            most=1e4,
            step=0.1,
        ),
    ] = "0.5 mm"
    marks: Annotated[Items, ReferencesSpec("The edges between the loops that are taken back.", "mark", least=1)] = []

    def sentence_now(self) -> str:
        """Show what the way uses."""
        return (
            self.sentence
            if self.way == "loops"
            else "**Support** {marks} of {mesh} by {way} in place of the loops beside them."
        )

    def predict_faces(self, given: Given) -> int:
        """Return the faces that there will be, counted from the rings that are cut."""
        mesh = given.mesh("mesh").mesh
        return mesh.face_count if self.way == "weights" else predict_loop_faces(mesh, given.number("distance"))

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Cut the rings in, or take the loops out."""
        if self.way == "weights":
            done = loops_to_creases(item.mesh, np.flatnonzero(marked_edges(given, "marks", item)))
            return Worked(done, f"The smoothed shape differs by at most {length_text(max(done.deviation, 1e-6))}.")
        done = creases_to_loops(item.mesh, given.number("distance"))
        more, off = done.mesh.face_count - item.mesh.face_count, length_text(max(done.deviation, 1e-6))
        return Worked(done, f"{several(more, 'face')} more; the smoothed shape differs by at most {off}.")
