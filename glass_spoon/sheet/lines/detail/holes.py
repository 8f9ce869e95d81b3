"""Rims bridged and filled, faces taken out, and split off."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.detail.bridge import Bridging, bridge
from glass_spoon.kernel.detail.fill import fill_rims
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.mesh_edits.keep_and_merge import keep_faces
from glass_spoon.sheet.fields import ChoiceSpec, Items, Number, NumberSpec, ReferenceSpec, ReferencesSpec
from glass_spoon.sheet.items import Aim, Item, MeshItem
from glass_spoon.sheet.line import Finding, Given, Line
from glass_spoon.sheet.lines.detail.detail_work import DetailWork, MarkedAny, MarkedFaces, done_faces
from glass_spoon.sheet.lines.mesh_work.fields import MeshName, marked_faces, mesh_findings, several
from glass_spoon.sheet.lines.mesh_work.mesh_work import Worked
from glass_spoon.sheet.phrase import Phrase

_BEND = "{bend}"


class Bridge(DetailWork):
    """Rims bridged."""

    summary = "Bridge two rims, or two groups of faces that are taken out: a tube, a tunnel through a body, a handle."
    words = ("connect", "tunnel", "tube between", "join rims", "handle", "span", "loft rims", "link")
    phrases = (
        Phrase(r"straight", {"bend": "straight"}, finds=False),
        Phrase(r"(?:round|smooth|bent|tangent|in a bend)(?:ly)?", {"bend": "in a round bend"}, finds=False),
        Phrase(r"in {steps} (?:steps|rows)", finds=False),
    )
    sentence = f"**Bridge** {{marks}} of {{mesh}} {_BEND}[, in {{steps}} rows][, turned by {{turned}} edges]."

    acts_on = ("face", "edge")
    act_key = "J"

    verb: Literal["bridge"] = "bridge"
    marks: MarkedAny = []
    bend: Annotated[
        Literal["straight", "in a round bend"],
        ChoiceSpec(
            "Whether the bridge runs straight, or goes on from both sides and bends.", ("straight", "in a round bend")
        ),
    ] = "straight"
    bulge: Annotated[
        Number,
        NumberSpec("How far it goes on from both sides: 1 makes the bend nearest to a circle.", least=0, most=10, step=0.1),
    ] = 1
    steps: Annotated[
        Number, NumberSpec("Rows of faces along it, at least.", label="rows", least=1, most=500, whole=True)
    ] = 1
    turned: Annotated[
        Number,
        NumberSpec(
            "By how many edges one rim is turned against the other.", label="edges", least=-1000, most=1000, whole=True
        ),
    ] = 0

    def sentence_now(self) -> str:
        """Ask for the bulge of a bend."""
        return self.sentence if self.bend == "straight" else self.sentence.replace(_BEND, f"{_BEND} of {{bulge}}")

    def predict_faces(self, given: Given) -> int:
        """Bound the faces by the rims and the rows."""
        item = given.mesh("mesh")
        edges, faces = self.rims_of(given, item)
        return item.mesh.face_count + (given.count("steps") + 12) * (int(edges.sum()) + 4 * int(faces.sum()))

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Bridge, and tell how many."""
        edges, faces = self.rims_of(given, item)
        bend = None if self.bend == "straight" else given.number("bulge")
        done = bridge(item.mesh, edges, faces, Bridging(given.count("steps"), bend, given.count("turned")))
        made = done.origin.faces_in("side")
        told = f"{several(done.pairs, 'bridge')} of {several(int(made.sum()), 'face')}."
        if done.changed:
            told += f" {several(done.changed, 'bridge')} {'joins' if done.changed == 1 else 'join'} rims of unlike counts."
        aim = None
        if done.lead is not None:
            place, way, size = done.lead
            aim = Aim(place, way, size) if size > 0 and np.abs(way).max() > 0 else None
        return Worked(done, told, done=done_faces(done, "side", aim), stands=False)

    def aimed(self) -> str:
        """Draw the bulge of a bend where the bridge leaves its first rim."""
        return "" if self.bend == "straight" else "bulge"


class Fill(DetailWork):
    """Rims filled."""

    summary = (
        "Fill open rims, or the place of faces that are taken out, with quads: stretched flat, or smooth with the rest."
    )
    words = ("close hole", "cap", "patch hole", "cover", "close rim", "lid", "holes")
    phrases = (
        Phrase(
            r"smooth(?:ly)?(?: with the (?:rest|faces about it))?|curved",
            {"manner": "smooth with the faces about it"},
            finds=False,
        ),
        Phrase(r"flat|stretched", {"manner": "stretched over the rim"}, finds=False),
    )
    sentence = "**Fill** {marks} of {mesh}[, {manner}]."

    ends_are_rims = True
    whole_means = "rim"
    acts_on = ("face", "edge")
    act_key = "F"

    verb: Literal["fill"] = "fill"
    marks: MarkedAny = []
    manner: Annotated[
        Literal["smooth with the faces about it", "stretched over the rim"],
        ChoiceSpec(
            "How the new faces lie: going on from those about them, or as a skin stretched over the rim.",
            ("smooth with the faces about it", "stretched over the rim"),
        ),
    ] = "smooth with the faces about it"

    def predict_faces(self, given: Given) -> int:
        """Bound the faces by the square of the rims."""
        item = given.mesh("mesh")
        edges, faces = self.rims_of(given, item)
        return item.mesh.face_count + (int(edges.sum()) + 4 * int(faces.sum())) ** 2 // 4 + 4

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Fill, and tell where a triangle was needed."""
        edges, faces = self.rims_of(given, item)
        done = fill_rims(item.mesh, edges, faces, smooth=self.manner.startswith("smooth"))
        told = f"{several(done.rims, 'rim')} filled with {several(int(done.origin.faces_in('cap').sum()), 'face')}."
        if done.odd:
            told += f" {several(done.odd, 'rim')} of an odd count {'has' if done.odd == 1 else 'have'} one triangle each."
        return Worked(done, told, done=done_faces(done, "cap"), stands=False)


class Delete(DetailWork):
    """Marked faces taken out."""

    summary = "Delete marked faces of a mesh; points that only they used go too."
    words = ("remove faces", "take out", "erase", "cut away", "open up", "remove", "drop faces")
    sentence = "**Delete** {marks} of {mesh}."

    acts_on = ("face",)
    act_key = "X"
    results = 3  # no vertex of a fill comes up to another

    verb: Literal["delete"] = "delete"
    marks: MarkedFaces = []

    def predict_faces(self, given: Given) -> int:
        """Return the faces that there are: none come."""
        return given.mesh("mesh").mesh.face_count

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Take them out."""
        chosen = self.faces_of(given, item)
        if chosen.all():
            raise KernelError("The marks hold all faces: nothing would be left. Mark fewer, or pause this line.")
        done = keep_faces(item.mesh, np.flatnonzero(~chosen))
        return Worked(done, f"{several(int(chosen.sum()), 'face')} taken out.")


class SplitOff(Line):
    """Marked faces as a mesh of their own."""

    chapter = "Detail"
    summary = "Split marked faces off as a mesh of their own, that follows; the mesh they are of stays whole."
    words = ("separate", "extract", "detach", "part", "own mesh", "copy faces", "split off")
    sentence = "**Split off** {marks} of {mesh}, giving {gives}."
    gives_kind = "mesh"
    acts_on = ("face",)
    act_key = "S"
    results = 3  # no vertex of a fill comes up to another

    verb: Literal["split_off"] = "split_off"
    marks: Annotated[Items, ReferencesSpec("Marks of the faces.", "mark", least=1)] = []
    mesh: Annotated[str, ReferenceSpec("The mesh they are of; it stays as it is.", "mesh")] = ""
    gives: MeshName = "part"

    def build(self, given: Given) -> MeshItem:
        """Return the mesh of the marked faces."""
        item = given.mesh("mesh")
        chosen = marked_faces(given, "marks", item)
        if not chosen.any():
            raise KernelError("The marks find no faces on this mesh now: change their rule, or what is above them.")
        kept = keep_faces(item.mesh, np.flatnonzero(chosen))
        told = f"{several(kept.mesh.face_count, 'face')} of {item.mesh.face_count:,}."
        return MeshItem(kept.mesh, item.surface, told=told, pieces=item.every_piece, makers=item.makers)

    def inspect(self, item: Item) -> list[Finding]:
        """Point at folded faces."""
        return mesh_findings(item)
