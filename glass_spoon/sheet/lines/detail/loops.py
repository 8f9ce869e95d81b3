"""Loops of edges laid in and taken out."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.detail.dissolve import dissolve, dissolve_idle
from glass_spoon.kernel.detail.lay_loops import every_second, lay_across, lay_beside
from glass_spoon.kernel.detail.rails import rails_of
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.mesh_edits.cut_beside import predict_beside
from glass_spoon.kernel.mesh_edits.cut_rings import Cut, cut_rings, predict_cut_faces
from glass_spoon.sheet.fields import ChoiceSpec, Items, Number, NumberSpec, ReferencesSpec
from glass_spoon.sheet.items import Aim, Done, MeshItem
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.detail.detail_work import (
    DetailWork,
    MarkedEdges,
    across_aim,
    edge_aim,
    rails_aim,
    rim_edges,
)
from glass_spoon.sheet.lines.mesh_work.fields import length_text, marked_edges, several
from glass_spoon.sheet.lines.mesh_work.mesh_work import Worked
from glass_spoon.sheet.phrase import Phrase


class InsertLoops(DetailWork):
    """Loops of edges laid in."""

    summary = "Insert loops of edges across a row of quads, evenly or at a share; or beside marked edges, at a distance."
    words = (
        "loop cut",
        "add loop",
        "edge loop",
        "ring cut",
        "more faces",
        "loops",
        "subdivide row",
        "support loop",
        "holding loop",
        "tight edge",
    )
    phrases = (
        Phrase(
            r"(?:loops? )?(?:at |by )?{distance} (?:from|beside|next to)(?: them| it)?|beside (?:them |it )?(?:by |at )?{distance}",
            {"spacing": "beside them"},
        ),
        Phrase(r"on the left(?: side)?", {"spacing": "beside them", "sides": "left"}, finds=False),
        Phrase(r"on the right(?: side)?", {"spacing": "beside them", "sides": "right"}, finds=False),
        Phrase(
            r"(?:a |one )?(?:loop )?at (?:a share of )?{share}(?: of the way)?", {"spacing": "one at a share"}, finds=False
        ),
        Phrase(r"{count} (?:even )?loops"),
    )
    sentence = "**Insert** {count} loops across {marks} of {mesh}, {spacing}."
    wording_field = "spacing"
    wordings = {
        "one at a share": "**Insert** across {marks} of {mesh} {spacing}, {share}.",
        "beside them": "**Insert** loops at {distance} from {marks} of {mesh}, {spacing}[ {sides}].",
    }

    acts_on = ("edge",)
    act_key = "L"

    verb: Literal["insert_loops"] = "insert_loops"
    marks: MarkedEdges = []
    count: Annotated[Number, NumberSpec("How many.", label="loops", least=1, most=500, whole=True)] = 1
    spacing: Annotated[
        Literal["evenly", "one at a share", "beside them"],
        ChoiceSpec(
            "Across the marked edges, evenly or at a share of these; or beside them, as what holds an edge tight.",
            ("evenly", "one at a share", "beside them"),
        ),
    ] = "evenly"
    share: Annotated[
        Number, NumberSpec("The share of the way along the edges, 0 to 1.", least=0.001, most=0.999, step=0.05)
    ] = 0.5
    distance: Annotated[
        Number,
        NumberSpec(
            "How far from the marked edges, or from the rim of marked faces.", "length", least=0, above=True, most=1e5
        ),
    ] = "1 mm"
    sides: Annotated[
        Literal["both", "left", "right"],
        ChoiceSpec(
            "On which side of the marked rows; on both the loops close round their ends.",
            ("both", "left", "right"),
            ("on both sides", "on one side", "on the other side"),
        ),
    ] = "both"

    def predict_faces(self, given: Given) -> int:
        """Count the faces that the cuts will leave."""
        item = given.mesh("mesh")
        if self.spacing == "beside them":
            return max(predict_beside(item.mesh.topology, rim_edges(given, item)), item.mesh.face_count)
        return predict_cut_faces(item.mesh.topology, self._cuts(given, item))

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Cut the rings."""
        if self.spacing == "beside them":
            edges = rim_edges(given, item)
            aim = self._beside_aim(item, edges)
            return self._beside(lay_beside(item.mesh, edges, given.number("distance"), self.sides), item, aim)
        cuts = self._cuts(given, item)
        done = cut_rings(item.mesh, cuts)
        told = f"{several(sum(len(shares) for _, shares in cuts), 'loop')} of {several(len(done.loops), 'edge')}."
        aim = across_aim(item.mesh, [edge for edge, _ in cuts]) if self.spacing == "one at a share" else None
        return Worked(done, told, done=Done("edge", done.loops, aim))

    def aimed(self) -> str:
        """Draw the distance beside, or the share across."""
        return {"beside them": "distance", "one at a share": "share"}.get(self.spacing, "")

    def _beside_aim(self, item: MeshItem, edges: np.ndarray) -> Aim | None:
        """Return where the distance is drawn."""
        if self.sides == "both":
            return edge_aim(item.mesh, edges)
        return rails_aim(item.mesh, rails_of(item.mesh, edges, 1 if self.sides == "left" else -1))

    @staticmethod
    def _beside(done: Cut, item: MeshItem, aim: Aim | None) -> Worked:
        """Tell of loops beside marked edges."""
        more = done.mesh.face_count - item.mesh.face_count
        told = f"{several(len(done.loops), 'edge')} laid beside the marked ones, {several(more, 'face')} more."
        odd = int((done.mesh.topology.face_sides != 4).sum()) - int((item.mesh.topology.face_sides != 4).sum())
        if odd > 0:
            told += f" {several(odd, 'face')} {'is no quad' if odd == 1 else 'are no quads'}, at ends of rows."
        return Worked(done, told, done=Done("edge", done.loops, aim))

    def _cuts(self, given: Given, item: MeshItem) -> list[tuple[int, np.ndarray]]:
        """Return where the rings are cut."""
        share = given.number("share") if self.spacing == "one at a share" else None
        count = 1 if share is not None else given.count("count")
        return lay_across(item.mesh.topology, self.edges_of(given, item), count, share)


class RemoveLoops(DetailWork):
    """Loops of edges taken out."""

    summary = "Remove loops of edges: those that are marked, or all that change the shape by less than a tolerance."
    words = ("dissolve", "remove edges", "simplify", "fewer faces", "reduce", "delete loop", "clean up", "decimate", "loops")
    phrases = (
        Phrase(
            r"(?:all )?(?:that change|changing) (?:the shape )?(?:by )?(?:less than|at most) {tolerance}",
            {"which": "all idle"},
        ),
        Phrase(r"every (?:second|other)(?: loop)?", {"which": "every second"}),
        Phrase(r"within {tolerance}", {"which": "all idle"}, finds=False),
    )
    sentence = "**Remove** the loops {marks} from {mesh}, {which}."
    wording_field = "which"
    wordings = {
        "every second": "**Remove** {which} loop beside {marks} from {mesh}.",
        "all idle": "**Remove** from {mesh} {which} loops, that change its shape by at most {tolerance}[, but {held}].",
    }

    acts_on = ("edge",)
    act_key = "R"

    verb: Literal["remove_loops"] = "remove_loops"
    which: Annotated[
        Literal["as marked", "every second", "all idle"],
        ChoiceSpec(
            "Whether the marked loops go, every second one beside them, or all that change the shape by no more than a "
            "tolerance.",
            ("as marked", "every second", "all idle"),
        ),
    ] = "as marked"
    marks: Annotated[Items, ReferencesSpec("Marks of the edges that go.", "mark", least=1)] = []
    tolerance: Annotated[
        Number, NumberSpec("How far a point that goes may be from what is left.", "length", least=0, above=True, most=1e5)
    ] = "0.05 mm"
    held: Annotated[Items, ReferencesSpec("Marks of edges that stay.", "mark", least=0)] = []

    def predict_faces(self, given: Given) -> int:
        """Return the faces that there are: none come."""
        return given.mesh("mesh").mesh.face_count

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Take them out, and tell how far the shape went."""
        if self.which == "all idle":
            held = marked_edges(given, "held", item) if self.held else None
            done = dissolve_idle(item.mesh, given.number("tolerance"), held)
            if not done.edges:
                return Worked(done, "No loop changes the shape by so little; all stay.")
        else:
            edges = self.edges_of(given, item)
            if self.which == "every second":
                edges = every_second(item.mesh.topology, edges)
                if not edges.any():
                    raise KernelError("No loop runs beside the marked ones. Mark a loop with others beside it.")
            done = dissolve(item.mesh, edges)
        before, after = item.mesh.face_count, done.mesh.face_count
        if not after:
            raise KernelError("Nothing would be left. Mark fewer loops.")
        told = (
            f"{several(done.edges, 'edge')} taken out: {after:,} faces of {before:,}; the shape is off by {_off(done.off)}."
        )
        return Worked(done, told, stands=False)


def _off(value: float) -> str:
    return "nothing" if value < 1e-9 else f"{length_text(value)} at most"
