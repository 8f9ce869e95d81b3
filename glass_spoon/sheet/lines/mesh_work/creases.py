"""Creases and the loops that stand for them."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.subdivision.support_loops import creases_to_loops, loops_to_creases
from glass_spoon.sheet.fields import ChoiceSpec, Items, Number, NumberSpec, ReferencesSpec
from glass_spoon.sheet.items import Item, MeshItem
from glass_spoon.sheet.line import Finding, Given, Line
from glass_spoon.sheet.lines.mesh_work.fields import ChangedMesh, length_text, marked_edges, mesh_findings, several


class Crease(Line):
    """Edges that smoothing keeps tight."""

    chapter = "Mesh"
    summary = "Crease marked edges: smoothing keeps them sharp for so many levels, or for ever."
    words = ("sharpness", "sharp", "weight", "edge weight", "tight", "hard", "uncrease", "soften")
    sentence = "**Crease** {marks} of {mesh} {how} with sharpness {sharpness}."

    verb: Literal["crease"] = "crease"
    mesh: ChangedMesh = ""
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

    def build(self, given: Given) -> MeshItem:
        """Set the sharpness of the edges."""
        item = given.mesh("mesh")
        chosen = marked_edges(given, "marks", item.mesh)
        if not chosen.any():
            raise KernelError("The marks hold no edges of this mesh. Pick other marks.")
        lasting = {"for ever": np.inf, "not at all": 0.0}
        value = lasting[self.how] if self.how in lasting else given.number("sharpness")
        before = item.mesh.edges.get("sharpness", np.zeros(len(chosen)))
        sharpness = np.where(chosen, value, before)
        mesh = replace(item.mesh, edges={**item.mesh.edges, "sharpness": sharpness})
        return MeshItem(mesh, item.surface, (), f"{several(int(chosen.sum()), 'edge')} creased.")

    def inspect(self, item: Item) -> list[Finding]:
        """Point at folded faces."""
        return mesh_findings(item)


class Support(Line):
    """Loops beside creases in place of their sharpness, and back."""

    chapter = "Mesh"
    summary = "Put support loops beside creases in place of edge weights, or take such loops back to creases."
    words = ("loops", "holding edges", "tight", "support loops", "weights", "crease", "bevel")
    sentence = "**Support** the creases of {mesh} by {way}, those that stay sharp with loops at {distance}."

    signs = True

    verb: Literal["support"] = "support"
    mesh: ChangedMesh = ""
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

    def build(self, given: Given) -> MeshItem:
        """Cut the rings in, or take the loops out."""
        item = given.mesh("mesh")
        if self.way == "weights":
            mesh, off = loops_to_creases(item.mesh, np.flatnonzero(marked_edges(given, "marks", item.mesh)))
            return MeshItem(mesh, item.surface, (), f"The smoothed shape differs by at most {length_text(max(off, 1e-6))}.")
        done = creases_to_loops(item.mesh, given.number("distance"))
        more = done.mesh.face_count - item.mesh.face_count
        told = (
            f"{several(more, 'face')} more; the smoothed shape differs by at most {length_text(max(done.deviation, 1e-6))}."
        )
        numbers = item.mesh.faces.get("maker")
        carried = np.zeros(done.mesh.face_count) if numbers is None else done.mesh.faces["maker"].copy()
        carried[done.strips] = len(item.makers) + 1
        mesh = replace(done.mesh, faces={**done.mesh.faces, "maker": carried})
        return MeshItem(mesh, item.surface, (), told, makers=(*item.makers, given.ids[""]))

    def inspect(self, item: Item) -> list[Finding]:
        """Point at folded faces."""
        return mesh_findings(item)
