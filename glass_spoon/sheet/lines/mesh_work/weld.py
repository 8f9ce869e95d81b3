"""Points that lie together made one."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.mesh_edits.weld import Welded, WeldPlan, weld
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec
from glass_spoon.sheet.items import Done, MeshItem, Note
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.mesh_work.fields import length_text, several
from glass_spoon.sheet.lines.mesh_work.mesh_work import MeshWork, Worked
from glass_spoon.sheet.phrase import Phrase

Distance = Annotated[Number, NumberSpec("Points nearer than this become one.", "length", least=0, most=1e5, step=0.01)]
WeldedPoints = Annotated[
    Literal["all", "open", "edges"],
    ChoiceSpec(
        "Which points: all, only those on open edges, or those and the open edges that they lie on.",
        ("all", "open", "edges"),
        ("all points", "points of open edges", "open edges and points on them"),
    ),
]


class Weld(MeshWork):
    """Points that lie together made one."""

    summary = "Weld the points of a mesh that lie within a distance; says first what would be lost."
    words = ("merge", "stitch", "close", "gaps", "doubles", "join points", "seam", "doubled points")
    phrases = (Phrase(r"(?:close |small )*gaps(?: (?:of|up to|within) {distance})?", {"points": "edges"}),)
    sentence = "**Weld**[ {points} of] {mesh} that lie within {distance}."

    verb: Literal["weld"] = "weld"
    points: WeldedPoints = "all"
    distance: Distance = "0.01 mm"

    def predict_faces(self, given: Given) -> int:
        """Return the faces that there are: no more come."""
        return given.mesh("mesh").mesh.face_count

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Weld, and tell what it did."""
        welded = weld(item.mesh, given.number("distance"), self.points)
        notes = weld_notes(welded.plan, given.number("distance"))
        return Worked(welded, weld_told(welded), notes, Done("point", welded.places))


def weld_told(welded: Welded) -> str:
    """Say what a weld did."""
    low, high = welded.plan.safe
    range_text = f"up to {length_text(high)}" if low == 0 else f"from {length_text(low)} to {length_text(high)}"
    safe = f" Safe distances are {range_text}." if np.isfinite(high) else ""
    put_in = f", {several(welded.put_in, 'point')} put into open edges" if welded.put_in else ""
    return f"{several(welded.plan.merged, 'point')} become one with others{put_in}.{safe}"


def weld_notes(plan: WeldPlan, distance: float) -> tuple[Note, ...]:
    """Warn of a distance that takes detail, or that leaves splits."""
    low, high = plan.safe
    between = float(np.sqrt(max(low, high / 100) * high)) if np.isfinite(high) else 0.0
    way = (f"Try {between:.2g} mm", "distance", f"{between:.2g} mm")
    if plan.collapses:
        gone = f", {several(plan.faces, 'face')} vanish" if plan.faces else ""
        sentence = f"{several(plan.features, 'edge')} shrink to a point{gone}: the distance is larger than real detail."
        return (Note("weld_collapse", sentence, (way,) if between else ()),)
    if low > 0 and distance < low:
        return (
            Note("weld_split", f"Points {length_text(low)} apart stay split: the distance is too small for them.", (way,)),
        )
    return ()
