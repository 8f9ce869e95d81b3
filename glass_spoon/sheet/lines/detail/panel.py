"""A panel fitted to a part of a body."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import Bools
from glass_spoon.kernel.detail.panel import Panel, PanelShape, fitted_panel
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.imprint.keep_inside import keep_inside
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.sheet.fields import ChoiceSpec, Items, Number, NumberSpec, ReferenceSpec, ReferencesSpec
from glass_spoon.sheet.items import Item, MeshItem, Note
from glass_spoon.sheet.line import Finding, Given, Line
from glass_spoon.sheet.lines.mesh_work.fields import MeshName, length_text, marked_faces, mesh_findings, several
from glass_spoon.sheet.lines.mesh_work.open_up import Laid, laid_outlines
from glass_spoon.sheet.lines.mesh_work.thicken import with_pieces
from glass_spoon.sheet.phrase import Phrase


class PanelLine(Line):
    """A copy of some faces of a body, with a wall, in from their edge."""

    chapter = "Detail"
    summary = "Fit a panel over a part of a body: a copy with a wall, in from its edge by a joint, that follows the body."
    words = ("fitted panel", "cover", "pad", "hatch", "cladding", "armour", "lid", "door")
    phrases = (
        Phrase(r"{wall} thick|(?:thickness|wall) (?:of )?{wall}", finds=False),
        Phrase(
            r"(?:joint|gap)s? (?:of )?{gap}|{gap} (?:in(?: from (?:its|the) edge)?|joint|gap)(?: all round)?", finds=False
        ),
        Phrase(
            r"{lift} (?:off|above|over)(?: it| the (?:body|host))?|lifted (?:by )?{lift}|raised (?:by )?{lift}", finds=False
        ),
        Phrase(r"lips? (?:of )?{lip}(?: high)? (?:by|and|x) {lip_width}(?: wide)?|{lip} lip", finds=False),
        Phrase(r"lips? (?:of )?{lip}(?: high)?", finds=False),
        Phrase(r"rims? rounded|rounded rims?", {"rim": "rounded"}, finds=False),
    )
    led = {"curves": r"(?:inside|within|by) (?:the )?", "marks": r"(?:where|over|on) (?:the )?"}
    sentence = (
        "**Panel** over {mesh}[, only what {marks} hold][, inside {curves}, {laid}], {wall} thick[, {gap} in from its edge]"
        "[, {lift} off it][, its rim {rim}][ in {steps} steps][, a lip {lip} high and {lip_width} wide], giving {gives}."
    )
    gives_kind = "mesh"
    acts_on = ("face",)
    results = 2  # where lines made edges, the wall goes by the faces there
    act_key = "A"

    verb: Literal["panel"] = "panel"
    mesh: Annotated[str, ReferenceSpec("The body that it covers, which stays as it is.", "mesh")] = ""
    marks: Annotated[Items, ReferencesSpec("Marks of the faces that it covers; none for all.", "mark", least=0)] = []
    curves: Annotated[
        Items, ReferencesSpec("Closed curves on the body inside which it lies.", "curve", also=("curves",), least=0)
    ] = []
    laid: Laid = "as they lie"
    wall: Annotated[Number, NumberSpec("Its thickness.", "length", least=0, above=True, most=1e5)] = "3 mm"
    gap: Annotated[
        Number, NumberSpec("The joint: how far in from the edge of what it covers it ends.", "length", least=0, most=1e5)
    ] = "0 mm"
    lift: Annotated[Number, NumberSpec("How far off the body it lies.", "length", least=0, most=1e5)] = "0 mm"
    rim: Annotated[Literal["flat", "rounded"], ChoiceSpec("How it ends.", ("flat", "rounded"))] = "flat"
    steps: Annotated[
        Number, NumberSpec("Faces over a quarter of a rounded rim.", label="steps", least=1, most=64, whole=True)
    ] = 2
    lip: Annotated[
        Number,
        NumberSpec(
            "How far a band along its edge stands up; towards the body below zero; 0 for none.",
            "length",
            most=1e5,
            least=-1e5,
        ),
    ] = "0 mm"
    lip_width: Annotated[Number, NumberSpec("How wide that band is.", "length", least=0, above=True, most=1e5)] = "3 mm"
    gives: MeshName = "panel"

    def predict_faces(self, given: Given) -> int:
        """Bound the faces: both sides, and what a rim of all of it could have."""
        return (2 + 2 * given.count("steps")) * given.mesh("mesh").mesh.face_count

    def build(self, given: Given) -> MeshItem:
        """Copy the faces, take the joint off, and give them a wall."""
        item = given.mesh("mesh")
        mesh, chosen = self._covered(given, item)
        rounded = self.rim == "rounded"
        wall, gap, lift = (given.number(name) for name in ("wall", "gap", "lift"))
        lip, lip_width = given.number("lip"), given.number("lip_width")
        shape = PanelShape(wall, gap, lift, self.rim, given.count("steps") if rounded else 0, lip, lip_width)
        made = fitted_panel(mesh, chosen, shape)
        walled, pieces = with_pieces(made, item, given.ids.get("", ""))
        return MeshItem(
            walled, None, tuple(self._notes(made, shape)), self._told(made, shape), pieces=pieces, makers=item.makers
        )

    def _covered(self, given: Given, item: MeshItem) -> tuple[Mesh, Bools]:
        """Return the mesh and its faces (f,) that are covered."""
        if self.marks and self.curves:
            raise KernelError("What it covers is given by marks or by curves, not by both. Leave one of them out.")
        if self.curves:
            outlines = laid_outlines(item.mesh, given.every_curve("curves"), self.laid)
            inside = keep_inside(item.mesh, outlines, item.surface)[0].mesh
            return inside, np.ones(inside.face_count, dtype=bool)
        if not self.marks:
            return item.mesh, np.ones(item.mesh.face_count, dtype=bool)
        chosen = marked_faces(given, "marks", item)
        if not chosen.any():
            raise KernelError("The marks find no faces on this mesh now: change their rule, or what is above them.")
        return item.mesh, chosen

    def _notes(self, made: Panel, shape: PanelShape) -> list[Note]:
        """Return what is worth a look."""
        notes = []
        if made.narrow:
            what = "lip, or the joint," if shape.lip else "joint"
            wide = f"The {what} is wider than some of what it covers, and faces fold there. Make it narrower."
            notes.append(Note("joint", wide))
        if shape.lip < 0 and -shape.lip > shape.lift * (1 + 1e-9):
            fits = f"-{float(f'{shape.lift:.3g}'):g} mm"
            into = f"Its lip reaches {length_text(-shape.lip - shape.lift)} into the body."
            notes.append(Note("lip", into, ((f"Make it {fits}", "lip", fits),) if shape.lift else ()))
        if made.tight:
            notes.append(Note("lift", "So far off it folds, where the body bends inwards more tightly. Let it lie nearer."))
        elif len(made.wall.folded):
            fits = f"{float(f'{0.99 * made.wall.fits * shape.wall:.3g}'):g} mm"
            notes.append(
                Note(
                    "wall_folds",
                    f"The wall folds at {several(len(made.wall.folded), 'face')}, where the body bends inwards more tightly.",
                    ((f"At most {fits} here", "wall", fits),) if made.wall.fits > 0 else (),
                )
            )
        return notes

    def _told(self, made: Panel, shape: PanelShape) -> str:
        """Say how wide the joint is, and how high its lip."""
        least, most = made.joint
        joint = f"; its joint is {length_text(least)} wide" if most else ""
        if most > least * (1 + 1e-2):
            joint += f", up to {length_text(most)} in corners"
        lip = f"; its lip stands {length_text(abs(shape.lip))} {'out' if shape.lip > 0 else 'down'}" if shape.lip else ""
        return f"{several(made.mesh.face_count, 'face')}{joint}{lip}."

    def inspect(self, item: Item) -> list[Finding]:
        """Point at folded faces, and tell what is worth a look."""
        return mesh_findings(item)
