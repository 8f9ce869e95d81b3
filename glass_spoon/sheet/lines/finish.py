"""The Finish chapter: smoothing."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

from glass_spoon.kernel.subdivision.catmull_clark import MAX_LEVEL, predict_faces, split_plain, subdivide
from glass_spoon.kernel.subdivision.limit_surface import to_limit
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec, ReferenceSpec
from glass_spoon.sheet.items import Item, MeshItem
from glass_spoon.sheet.line import Finding, Given, Line
from glass_spoon.sheet.lines.mesh_work.fields import fold_findings
from glass_spoon.sheet.lines.mesh_work.gauges_told import change_told
from glass_spoon.sheet.phrase import Phrase


class Smooth(Line):
    """Catmull-Clark smoothing of a mesh, or plain division."""

    stays_put = True
    chapter = "Finish"
    summary = "Smooth a mesh by Catmull–Clark subdivision, or divide its faces without rounding."
    words = ("subdivide", "subdivision", "catmull", "clark", "refine", "divide", "limit")
    phrases = (
        Phrase(r"once", {"times": "1"}),
        Phrase(r"twice|two (?:times|levels)", {"times": "2"}),
        Phrase(r"(?:three times|thrice|three levels)", {"times": "3"}),
        Phrase(r"(?:to )?level {times}"),
        Phrase(r"{times} (?:times|levels)"),
        Phrase(r"plain(?: split)?|without rounding", {"manner": "plain"}),
    )
    sentence = "**Smooth** {mesh} {times} times[, {manner}][, corners of the rim {corners}][, points on {points}]."

    verb: Literal["smooth"] = "smooth"
    mesh: Annotated[str, ReferenceSpec("The mesh to smooth.", "mesh", changes=True)] = ""
    times: Annotated[
        Number, NumberSpec("How often each face is divided.", label="number of times", least=0, most=MAX_LEVEL, whole=True)
    ] = 1
    manner: Annotated[
        Literal["rounded", "plain"],
        ChoiceSpec(
            "Rounded by Catmull–Clark, or divided without rounding.", ("rounded", "plain"), ("rounded", "without rounding")
        ),
    ] = "rounded"
    corners: Annotated[
        Literal["kept", "rounded"], ChoiceSpec("What happens to corners of an open edge.", ("kept", "rounded"))
    ] = "kept"
    points: Annotated[
        Literal["level", "limit"],
        ChoiceSpec(
            "Where the points lie: where the last division puts them, or where endless division would.",
            ("level", "limit"),
            ("the level", "the limit"),
        ),
    ] = "level"

    def sentence_now(self) -> str:
        """Show the rules where they count."""
        return self.sentence if self.manner == "rounded" else "**Smooth** {mesh} {times} times[, {manner}]."

    def predict_faces(self, given: Given) -> int:
        """Return four times the corners for each step."""
        return predict_faces(given.mesh("mesh").mesh.topology, given.count("times"))

    def build(self, given: Given) -> MeshItem:
        """Divide step by step, reporting progress by the faces made."""
        item, times = given.mesh("mesh"), given.count("times")
        mesh = item.mesh
        for step in range(times):
            mesh = (
                split_plain(mesh, 1) if self.manner == "plain" else subdivide(mesh, 1, hold_corners=self.corners == "kept")
            )
            given.progress(4.0 ** (step + 1 - times))
        if self.manner == "rounded" and self.points == "limit":
            mesh = to_limit(mesh, 0, hold_corners=self.corners == "kept")
        return replace(item, mesh=mesh, notes=(), told=change_told(item.mesh, mesh), counts=None, done=None)

    def inspect(self, item: Item) -> list[Finding]:
        """Point at folded faces."""
        return fold_findings(item.mesh) if isinstance(item, MeshItem) else []
