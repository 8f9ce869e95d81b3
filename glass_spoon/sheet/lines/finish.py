"""The Finish chapter: smoothing."""

from __future__ import annotations

from typing import Annotated, Literal

from glass_spoon.kernel.subdivision.catmull_clark import MAX_LEVEL, predict_faces, subdivide
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec, ReferenceSpec
from glass_spoon.sheet.items import Item, MeshItem
from glass_spoon.sheet.line import Finding, Given, Line
from glass_spoon.sheet.lines.mesh_work.fields import fold_findings


class Smooth(Line):
    """Catmull-Clark smoothing of a mesh."""

    chapter = "Finish"
    summary = "Smooth a mesh by Catmull–Clark subdivision."
    words = ("subdivide", "subdivision", "catmull", "clark", "refine")
    sentence = "**Smooth** {mesh} {times} times, corners of the rim {corners}."

    verb: Literal["smooth"] = "smooth"
    mesh: Annotated[str, ReferenceSpec("The mesh to smooth.", "mesh", changes=True)] = ""
    times: Annotated[
        Number, NumberSpec("How often each face is divided.", label="number of times", least=0, most=MAX_LEVEL, whole=True)
    ] = 1
    corners: Annotated[
        Literal["kept", "rounded"], ChoiceSpec("What happens to corners of an open edge.", ("kept", "rounded"))
    ] = "kept"

    def predict_faces(self, given: Given) -> int:
        """Return four times the corners for each step."""
        return predict_faces(given.mesh("mesh").mesh.topology, given.count("times"))

    def build(self, given: Given) -> MeshItem:
        """Subdivide step by step, reporting progress by the faces made."""
        item, times = given.mesh("mesh"), given.count("times")
        mesh = item.mesh
        for step in range(times):
            mesh = subdivide(mesh, 1, self.corners == "kept")
            given.progress(4.0 ** (step + 1 - times))
        return MeshItem(mesh, item.surface)

    def inspect(self, item: Item) -> list[Finding]:
        """Point at folded faces."""
        return fold_findings(item.mesh) if isinstance(item, MeshItem) else []
