"""Points evened out on the surface that they came from."""

from __future__ import annotations

from typing import Annotated, Literal

from glass_spoon.kernel.mesh_edits.relax_mesh import relax_mesh
from glass_spoon.kernel.meshes.origin import Reworked, same_elements
from glass_spoon.sheet.fields import Number, NumberSpec
from glass_spoon.sheet.items import MeshItem
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.mesh_work.fields import HeldMarks, length_text, marked_points
from glass_spoon.sheet.lines.mesh_work.mesh_work import MeshWork, Worked


class Relax(MeshWork):
    """Points evened out on the surface that they came from."""

    summary = "Relax a mesh: even out its points on the surface they came from; creases, rims and marks stay."
    words = ("even", "even out", "smooth points", "respace", "evenness", "spread", "regular")
    sentence = "**Relax** {mesh}[ by {strength}] in {rounds} rounds[, at most {off} off the surface][, holding {held}]."

    results = 2  # rounds end nearer to even

    verb: Literal["relax"] = "relax"
    strength: Annotated[
        Number, NumberSpec("How far a point goes in a round, 0 to 1.", least=0, above=True, most=1, step=0.1)
    ] = 0.5
    rounds: Annotated[Number, NumberSpec("How many rounds.", label="number of rounds", least=1, most=500, whole=True)] = 20
    off: Annotated[
        Number,
        NumberSpec(
            "Most that the shape may change, between its points too; where it lies off the surface already, as much as that.",
            "length",
            label="distance off the surface",
            least=1e-6,
            most=1e5,
            step=0.05,
        ),
    ] = "0.1 mm"
    held: HeldMarks = []

    def predict_faces(self, given: Given) -> int:
        """Return the faces that there are: no more come."""
        return given.mesh("mesh").mesh.face_count

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Relax, and tell what it gained."""
        done = relax_mesh(
            item.mesh,
            item.surface,
            given.number("strength"),
            given.count("rounds"),
            marked_points(given, "held", item),
            given.number("off"),
        )
        reworked = Reworked(done.mesh, same_elements(item.mesh.topology))
        if done.rounds == 0:
            return Worked(reworked, f"Evenness {done.before:.3f} could not be raised; nothing was moved.")
        off = length_text(max(done.off, 1e-6))
        told = f"Evenness rose from {done.before:.3f} to {done.after:.3f}; the shape changed by {off} at most."
        return Worked(reworked, told)
