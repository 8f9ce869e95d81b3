"""Fair and Restore symmetry: a mesh that went out of shape brought back into it."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths, owned
from glass_spoon.kernel.deform.fair import fair_mesh
from glass_spoon.kernel.detail.shift import distances, fading
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.mesh_edits.restore_symmetry import Leading, restore_symmetry
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Reworked, same_elements
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec
from glass_spoon.sheet.items import Done, MeshItem, Note
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.detail.detail_work import FadeLaw, Reach
from glass_spoon.sheet.lines.draw.fields import a_coordinate
from glass_spoon.sheet.lines.mesh_work.fields import HeldMarks, length_text, marked_points, several
from glass_spoon.sheet.lines.mesh_work.mesh_work import MeshWork, Worked
from glass_spoon.sheet.lines.place.mirror import NORMALS, SWAPS
from glass_spoon.sheet.lines.shape.shape_work import MARKED, OnlyMarked
from glass_spoon.sheet.phrase import Phrase


class FairLine(MeshWork):
    """Bumps taken out of a mesh in place."""

    chapter = "Shape"
    summary = "Fair a mesh in place: bumps and dents go, its points and its volume stay as many and as much."
    words = ("smooth in place", "smooth out", "iron out", "bumps", "dents", "denoise", "calm", "even surface", "fairing")
    phrases = (
        Phrase(r"in {rounds} rounds?", finds=False),
        Phrase(r"strength (?:of )?{strength}", finds=False),
        Phrase(r"^\W*smooth(?= .*\bvolume)"),
        Phrase(r"(?:keep|kept|hold)(?:ing|s)? (?:its |the )?volume"),
    )
    sentence = f"**Fair** {{mesh}} in {{rounds}} rounds[ by {{strength}}][, {{creases}}][, holding {{held}}]{MARKED}."

    verb: Literal["fair"] = "fair"
    rounds: Annotated[
        Number, NumberSpec("How many rounds: more take out longer bumps.", label="rounds", least=1, most=1000, whole=True)
    ] = 10
    strength: Annotated[
        Number, NumberSpec("How far points go in a round, 0 to 1.", least=0, above=True, most=1, step=0.1)
    ] = 1
    creases: Annotated[
        Literal["creases stay", "creases go too"],
        ChoiceSpec("Whether the points of creases stay where they are.", ("creases stay", "creases go too")),
    ] = "creases stay"
    held: HeldMarks = []
    marks: OnlyMarked = []
    reach: Reach = "0 mm"
    law: FadeLaw = "1 to 0 eased"

    def predict_faces(self, given: Given) -> int:
        """Return the faces that there are: none come."""
        return given.mesh("mesh").mesh.face_count

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Fair, and tell how far points went and what became of the volume."""
        mesh = item.mesh
        held = marked_points(given, "held", item)
        sharp = mesh.edges.get("sharpness")
        if self.creases == "creases stay" and sharp is not None:
            held[mesh.topology.edges.ends[sharp > 0].ravel()] = True
        if held.all():
            raise KernelError("All points are held or lie on creases: nothing would move. Hold less, or let creases go too.")
        weights = weights_of_marks(given, item)
        made = fair_mesh(mesh, given.count("rounds"), given.number("strength"), weights, held)
        far = float(lengths(made.places - mesh.positions).max(initial=0.0))
        told = f"Points went by {length_text(far)} at most"
        told += "." if np.isnan(made.volume) else "; its volume is as before."
        notes: tuple[Note, ...] = ()
        if abs(made.volume) > NEAR:
            notes = (
                Note("volume", f"Its volume changed by {100 * made.volume:.2g} %: what may move is too little to keep it."),
            )
        return Worked(moved_mesh(mesh, made.places), told, notes, stands=False)


class RestoreSymmetry(MeshWork):
    """A mesh made symmetric again."""

    chapter = "Shape"
    summary = "Restore the symmetry of a mesh about a plane: points across from each other become mirror images."
    words = ("symmetrize", "symmetrise", "even sides", "mirror points", "balance sides")
    phrases = (
        *SWAPS,
        Phrase(r"(?:make|made|made) .*?symmetric(?:al)?(?: again)?$|symmetric(?:al)? again"),
    )
    sentence = (
        "**Restore the symmetry** of {mesh} across the {across}[, moved {at} off the middle][, {leading}][, pairs within {within}]"
        f"{MARKED}."
    )

    verb: Literal["restore_symmetry"] = "restore_symmetry"
    across: Annotated[
        Literal["side plane", "front plane", "plan plane"],
        ChoiceSpec(
            "The mirror: the side plane swaps left and right, the front plane front and back, the plan plane up and down.",
            ("side plane", "front plane", "plan plane"),
        ),
    ] = "side plane"
    at: Annotated[Number, a_coordinate("Where the mirror stands, off the middle.", "mirror's place")] = "0 mm"
    leading: Annotated[
        Literal["both", "near", "far"],
        ChoiceSpec(
            "Which side is right: the mean of both; the near one, at the left, the front or below; or the far one.",
            ("both", "near", "far"),
            ("both sides alike", "the near side leads", "the far side leads"),
        ),
    ] = "both"
    within: Annotated[
        Number,
        NumberSpec(
            "How far a point may be from the image of its pair; 0 for three quarters of the shortest edge there.",
            "length",
            least=0,
            most=1e5,
        ),
    ] = "0 mm"
    marks: OnlyMarked = []
    reach: Reach = "0 mm"
    law: FadeLaw = "1 to 0 eased"

    def predict_faces(self, given: Given) -> int:
        """Return the faces that there are: none come."""
        return given.mesh("mesh").mesh.face_count

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Pair and move, and tell what has no pair."""
        mesh = item.mesh
        normal = np.array(NORMALS[self.across.split()[0]], dtype=np.float64)
        leading: Leading = self.leading
        made = restore_symmetry(mesh, given.number("at") * normal, normal, leading, given.number("within"))
        if len(made.alone) == mesh.point_count:
            raise KernelError(
                "No point has one across the plane. Move the mirror, take another plane, or allow more between pairs."
            )
        weights = weights_of_marks(given, item)
        places = made.places if weights is None else mesh.positions + weights[:, None] * (made.places - mesh.positions)
        told = f"{several(made.pairs, 'pair')} of points, off by {length_text(made.off)} at most before."
        notes: tuple[Note, ...] = ()
        if len(made.alone):
            are = "point has" if len(made.alone) == 1 else "points have"
            sentence = f"{len(made.alone):,} {are} none across and {'stays' if len(made.alone) == 1 else 'stay'}: allow more between pairs, or mirror a half."
            notes = (Note("alone", sentence, (), "point", tuple(made.alone.tolist())),)
        return Worked(
            moved_mesh(mesh, places), told, notes, Done("point", made.alone) if len(made.alone) else None, stands=False
        )


NEAR = 1e-9
"""Volumes that differ by no more than this share are the same."""


def moved_mesh(mesh: Mesh, places: Floats) -> Reworked:
    """Return a mesh with its points at other places, as a change."""
    return Reworked(mesh.moved(owned(places)), same_elements(mesh.topology))


def weights_of_marks(given: Given, item: MeshItem) -> Floats | None:
    """Return how much (n,) each point is worked on by the marks of a line, None for all of it alike."""
    if not given.marks("marks"):
        return None
    marked = marked_points(given, "marks", item)
    if not marked.any():
        raise KernelError("The marks find nothing on this mesh now: change their rule, or what is above them.")
    reach = given.number("reach")
    return fading(distances(item.mesh, marked, reach, along=True), reach, given.law("law").at)
