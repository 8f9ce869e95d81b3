"""How edges run, changed: rows slid, edges turned, faces parted, edges drawn together."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import owned
from glass_spoon.kernel.detail.collapse import collapse
from glass_spoon.kernel.detail.connect import Connected, connect_edges, connect_points
from glass_spoon.kernel.detail.lay_loops import lay_through
from glass_spoon.kernel.detail.rails import rails_of, slide
from glass_spoon.kernel.detail.turn_edges import turn_edges
from glass_spoon.kernel.detail.turn_strip import turn_strips
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.mesh_edits.cut_rings import cut_rings, predict_cut_faces
from glass_spoon.kernel.meshes.origin import Reworked, same_elements
from glass_spoon.sheet.fields import ChoiceSpec, Items, Number, NumberSpec, ReferencesSpec
from glass_spoon.sheet.items import Done, MeshItem
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.detail.detail_work import (
    DetailWork,
    Held,
    MarkedAny,
    MarkedEdges,
    MarkedFaces,
    done_faces,
    on_surface,
    rails_aim,
)
from glass_spoon.sheet.lines.mesh_work.fields import length_text, several
from glass_spoon.sheet.lines.mesh_work.mesh_work import Worked
from glass_spoon.sheet.phrase import Phrase

EDGE_TURNS = 6
"""After so many turns an edge is where it was: between two quads after three, between two triangles after two."""


class Slide(DetailWork):
    """Rows of edges slid."""

    summary = "Slide loops or rows of edges over the faces beside them, by a share of the way or by a distance."
    words = ("slide loop", "move loop", "edge slide", "shift loop", "loops along", "nearer", "rows")
    phrases = (
        Phrase(r"(?:by )?(?:a )?share (?:of )?{share}|{share} of the way", {"by": "a share"}, finds=False),
        Phrase(r"(?:by |over )?{distance}", {"by": "a distance"}, finds=False),
        Phrase(r"on (?:its|the) surface", {"held": "on its surface"}, finds=False),
    )
    sentence = "**Slide** {marks} of {mesh} by {by} of {share}[, {held}]."
    wording_field = "by"
    wordings = {"a distance": "**Slide** {marks} of {mesh} by {by} of {distance}[, {held}]."}

    acts_on = ("edge",)
    act_key = "E"

    verb: Literal["slide"] = "slide"
    marks: MarkedEdges = []
    by: Annotated[
        Literal["a share", "a distance"],
        ChoiceSpec("By a share of the edges they slide over, or by a distance on these.", ("a share", "a distance")),
    ] = "a share"
    share: Annotated[
        Number,
        NumberSpec(
            "The share of the way to the next edges, -1 to 1; below zero to the other side.", least=-0.999, most=0.999
        ),
    ] = 0.25
    distance: Annotated[
        Number, NumberSpec("How far; below zero to the other side.", "length", least=-1e5, most=1e5, step=0.5)
    ] = "1 mm"
    held: Held = "free"

    def predict_faces(self, given: Given) -> int:
        """Return the faces that there are: none come."""
        return given.mesh("mesh").mesh.face_count

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Slide, and tell how far."""
        edges = self.edges_of(given, item)
        made = (
            slide(item.mesh, edges, share=given.number("share"))
            if self.by == "a share"
            else slide(item.mesh, edges, distance=given.number("distance"))
        )
        places = on_surface(item, made.mesh.positions, made.points, self.held)
        far = float(np.linalg.norm(places - item.mesh.positions, axis=1).max())
        size = given.number("share" if self.by == "a share" else "distance")
        aim = rails_aim(
            item.mesh, rails_of(item.mesh, edges, 1 if size >= 0 else -1), share=self.by == "a share", back=size < 0
        )
        told = f"{several(len(made.points), 'point')} slid, by {length_text(far)} at most."
        done = Reworked(item.mesh.moved(owned(places)), same_elements(item.mesh.topology))
        return Worked(done, told, done=Done("point", made.points, aim), stands=self.held != "free")

    def aimed(self) -> str:
        """Draw how far the rows slid."""
        return "share" if self.by == "a share" else "distance"


class TurnEdges(DetailWork):
    """Edges between two faces, or the flow of strips of faces, turned on to the next corners."""

    summary = "Turn edges on to their next corners, or the flow of a strip of faces: its sides slide along each other."
    words = (
        "rotate edge",
        "flow",
        "flip edge",
        "redirect",
        "edge flow",
        "diagonal",
        "turn strip",
        "turn the flow",
        "spiral",
    )
    phrases = (
        Phrase(r"back(?:wards?)?|the other way(?: round)?", {"way": "back"}, finds=False),
        Phrase(r"(?:by |in )?{steps} (?:steps?|faces?|corners?)", finds=False),
    )
    sentence = "**Turn the edges** {marks} of {mesh} {way} to their next corners[, {steps} times]."

    acts_on = ("edge", "face")
    act_key = "U"

    verb: Literal["turn_edges"] = "turn_edges"
    marks: Annotated[
        Items,
        ReferencesSpec("Marks of edges, or of strips of faces whose edges across are turned together.", "mark", least=1),
    ] = []
    way: Annotated[
        Literal["on", "back"], ChoiceSpec("Which way round; in three steps an edge between quads is back.", ("on", "back"))
    ] = "on"
    steps: Annotated[Number, NumberSpec("How many corners they go on.", label="times", least=1, most=1000, whole=True)] = 1

    def predict_faces(self, given: Given) -> int:
        """Bound the faces: those left at the ends of a strip may be more."""
        return given.mesh("mesh").mesh.face_count + 2 * given.count("steps")

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Turn them, and tell what is no quad at the ends of a strip."""
        steps, back = given.count("steps"), self.way == "back"
        marks = [mark.on(item) for mark in given.marks("marks")]
        if any(mark.kind == "face" for mark in marks):
            if any(mark.kind != "face" for mark in marks):
                raise KernelError(
                    "Some marks are of edges and some of faces: turn strips in one line, and edges in another."
                )
            done = turn_strips(item.mesh, self.faces_of(given, item), -steps if back else steps)
        else:
            done = turn_edges(item.mesh, self.edges_of(given, item), back=back)
            for _ in range((steps - 1) % EDGE_TURNS):
                done = done.then(turn_edges(done.mesh, done.edges_in("turned"), back=back))
        turned = np.flatnonzero(done.edges_in("turned"))
        told = f"{several(len(turned), 'edge')} turned."
        odd = int((done.mesh.topology.face_sides == 3).sum()) - int((item.mesh.topology.face_sides == 3).sum())
        if odd > 0:
            told += f" {several(odd, 'triangle')} at ends of strips: an even number of times leaves quads there."
        return Worked(done, told, done=Done("edge", turned), stands=False)


class Connect(DetailWork):
    """Marked points, or the middles of marked edges, joined across their faces."""

    summary = "Connect marked points across their faces, or the middles of marked edges: new edges between them."
    words = ("join points", "split face", "cut face", "knife", "new edge", "edge between", "halve", "diagonal")
    sentence = "**Connect** {marks} of {mesh} across their faces."

    acts_on = ("edge", "point")
    act_key = "C"

    verb: Literal["connect"] = "connect"
    marks: MarkedAny = []

    def predict_faces(self, given: Given) -> int:
        """Bound the faces: two more for each marked edge, four for each marked point."""
        item = given.mesh("mesh")
        if self._edges(given):
            return item.mesh.face_count + 2 * int(self.edges_of(given, item).sum())
        return item.mesh.face_count + 4 * int(self.points_of(given, item).sum())

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Connect, and tell what is no quad."""
        made: Connected
        if self._edges(given):
            made = connect_edges(item.mesh, self.edges_of(given, item))
        else:
            made = connect_points(item.mesh, self.points_of(given, item))
        told = f"{several(made.parted, 'face')} parted."
        if made.odd:
            told += f" {several(made.odd, 'new face')} {'is no quad' if made.odd == 1 else 'are no quads'}."
        return Worked(made, told, done=done_faces(made, "part"), stands=False)

    def _edges(self, given: Given) -> bool:
        """Say whether marks hold edges or faces, whose edges are halved; points alone are joined themselves."""
        return any(mark.mark.kind != "point" for mark in given.marks("marks"))


class Collapse(DetailWork):
    """Marked edges, faces or strips drawn together."""

    summary = "Collapse marked edges, faces or strips: each piece that hangs together becomes a point."
    words = ("merge points", "draw together", "close strip", "remove strip", "shrink to a point", "reduce", "dissolve")
    sentence = "**Collapse** {marks} of {mesh}."

    acts_on = ("face", "edge", "point")
    act_key = "O"

    verb: Literal["collapse"] = "collapse"
    marks: MarkedAny = []

    def predict_faces(self, given: Given) -> int:
        """Return the faces that there are: none come."""
        return given.mesh("mesh").mesh.face_count

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Collapse, and tell what went and what is no quad."""
        done = collapse(item.mesh, self.edges_of(given, item))
        told = f"{several(done.pieces, 'piece')} became a point each; {several(done.gone, 'face')} went."
        if done.odd:
            told += f" {several(done.odd, 'face')} {'is no quad' if done.odd == 1 else 'are no quads'} now."
        return Worked(done, told, stands=False)


class Divide(DetailWork):
    """Marked faces divided n by m."""

    summary = "Divide marked faces into so many by so many; the cuts run on through their rows, so that all stays quads."
    words = ("split faces", "more faces", "finer", "subdivide faces", "n by m", "denser", "tessellate")
    phrases = (Phrase(r"(?:in(?:to)? )?{across} (?:by|x|times) {along}"),)
    sentence = "**Divide** {marks} of {mesh} into {across} by {along}."

    acts_on = ("face",)
    act_key = "V"

    verb: Literal["divide"] = "divide"
    marks: MarkedFaces = []
    across: Annotated[Number, NumberSpec("Into how many, the one way.", label="parts", least=1, most=500, whole=True)] = 2
    along: Annotated[Number, NumberSpec("Into how many, the other way.", label="parts", least=1, most=500, whole=True)] = 2

    def predict_faces(self, given: Given) -> int:
        """Count the faces that the cuts will leave."""
        item = given.mesh("mesh")
        return predict_cut_faces(item.mesh.topology, self._cuts(given, item))

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Cut the rings of the marked faces."""
        done = cut_rings(item.mesh, self._cuts(given, item))
        more = done.mesh.face_count - item.mesh.face_count
        return Worked(done, f"{several(more, 'face')} more, along {several(len(done.loops), 'new edge')}.")

    def _cuts(self, given: Given, item: MeshItem) -> list[tuple[int, np.ndarray]]:
        """Return where the rings are cut."""
        return lay_through(item.mesh.topology, self.faces_of(given, item), given.count("across"), given.count("along"))
