"""A sheet given a wall."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.mesh_edits.thicken import Thickened, Wall, thicken
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Reworked
from glass_spoon.sheet.fields import ChoiceSpec, LawSpec, LawText, Number, NumberSpec
from glass_spoon.sheet.items import MeshItem, Note, Piece
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.mesh_work.fields import length_text, several
from glass_spoon.sheet.lines.mesh_work.mesh_work import MeshWork, Worked
from glass_spoon.sheet.phrase import Phrase

_WALL = "{wall}"
_RIM = "[, rim {rim}]"
_ALONG = {"upwards": 2, "to the right": 0, "to the back": 1}


class Thicken(MeshWork):
    """A sheet given a wall."""

    summary = "Give a sheet, a skin or a shell a wall of even thickness, with a flat or a round rim."
    words = ("thickness", "wall", "shell", "hollow", "sheet metal", "inner skin", "offset skin", "rim")
    phrases = (
        Phrase(r"{wall} (?:thick|walls?)|walls? (?:of )?{wall}"),
        Phrase(r"^\W*(?:make \w+ )?hollow(?: out)?"),
        Phrase(r"outwards?", {"side": "outside"}, finds=False),
        Phrase(r"inwards?", {"side": "inside"}, finds=False),
        Phrase(r"both (?:sides|ways)|half (?:to )?each side", {"side": "both sides"}, finds=False),
        Phrase(r"edge band|only the (?:edge|rim)|(?:rim|edge|band) (?:only|alone)", {"skin": "the rim alone"}, finds=False),
    )
    results = 2  # where lines made edges, the wall goes by the faces there
    sentence = f"**Thicken** {{mesh}} by {_WALL} {{side}}[, with {{skin}}]{_RIM}[; where it would fold {{folds}}]."

    verb: Literal["thicken"] = "thicken"
    wall: Annotated[
        LawText,
        LawSpec(
            "The thickness: 3 mm, or 3 mm to 1 mm from one end to the other.",
            "length",
            least=0,
            said=("thick", "by", "from"),
        ),
    ] = "3 mm"
    along: Annotated[
        Literal["upwards", "to the right", "to the back"],
        ChoiceSpec("The way along which the thickness changes.", tuple(_ALONG)),
    ] = "upwards"
    side: Annotated[
        Literal["outside", "inside", "both sides"],
        ChoiceSpec("To which side of the faces the wall grows; both: half of it each.", ("outside", "inside", "both sides")),
    ] = "inside"
    skin: Annotated[
        Literal["two skins", "the rim alone"],
        ChoiceSpec(
            "A whole wall, or the edge band alone: a visible thick edge without a second skin.",
            ("two skins", "the rim alone"),
        ),
    ] = "two skins"
    rim: Annotated[
        Literal["flat", "rounded", "open"],
        ChoiceSpec("How the wall ends where the sheet does.", ("flat", "rounded", "open")),
    ] = "flat"
    loops: Annotated[Number, NumberSpec("Loops of edges in a flat rim.", label="loops", least=0, most=64, whole=True)] = 0
    steps: Annotated[
        Number, NumberSpec("Faces over a quarter of a rounded rim.", label="steps", least=1, most=64, whole=True)
    ] = 2
    folds: Annotated[
        Literal["told", "evened"],
        ChoiceSpec(
            "Where the bend is tighter than the wall faces fold: that is told, or the wall is made thinner there.",
            ("told", "evened"),
            ("that is told", "it is made thinner"),
        ),
    ] = "told"

    def sentence_now(self) -> str:
        """Ask for the way of a wall that changes, and for loops or steps of the rim."""
        text = self.sentence
        if " to " in self.wall or " at " in self.wall:
            text = text.replace(_WALL, f"{_WALL} {{along}}")
        more = {"flat": " with {loops} loops", "rounded": " in {steps} steps a quarter", "open": ""}[self.rim]
        return text.replace(_RIM, _RIM.replace("]", more + "]"))

    def predict_faces(self, given: Given) -> int:
        """Count both skins and the rim."""
        topology = given.mesh("mesh").mesh.topology
        rows = {"flat": given.count("loops") + 1, "rounded": 2 * given.count("steps"), "open": 0}[self.rim]
        skins = 1 if self.skin == "the rim alone" else 2
        return skins * topology.face_count + rows * len(topology.boundary_edges)

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Thicken, and tell where the wall folds, with the largest that does not."""
        whole = self._distances(given, item.mesh)
        shares = {"outside": (1.0, 0.0), "inside": (0.0, 1.0), "both sides": (0.5, 0.5)}[self.side]
        wall = Wall(
            whole * shares[0],
            whole * shares[1],
            self.rim,
            given.count("loops") if self.rim == "flat" else given.count("steps"),
            band=self.skin == "the rim alone",
            evened=self.folds == "evened",
        )
        done = thicken(item.mesh, wall)
        mesh, pieces = with_pieces(done, item, given.ids.get("", ""))
        told = []
        if done.thinned:
            told.append(f"The wall is thinner at {several(done.thinned, 'point')}, where the bend is tight.")
        if done.spikes:
            told.append(f"{several(done.spikes, 'point')} at very sharp folds {'was' if done.spikes == 1 else 'were'} held.")
        notes = _fold_notes(done, item.mesh, whole, evened=wall.evened)
        return Worked(replace(done, mesh=mesh), " ".join(told), notes, pieces=pieces, stands=False)

    def _distances(self, given: Given, mesh: Mesh) -> Floats:
        """Return the thickness (n,) in mm at every point."""
        law = given.law("wall")
        places = mesh.positions[:, _ALONG[self.along]]
        low, size = float(places.min(initial=0.0)), float(np.ptp(places)) if len(places) else 0.0
        return np.asarray(law.at((places - low) / size if size > 0 else np.zeros(len(places))), dtype=np.float64)


def with_pieces(done: Reworked, item: MeshItem, line: str) -> tuple[Mesh, tuple[Piece, ...]]:
    """Return the mesh with pieces of its own for the inner skin and the rim, and all pieces."""
    pieces = item.every_piece
    count = len(pieces)
    numbers = done.mesh.faces.get("piece", np.zeros(done.mesh.face_count, dtype=np.int32)).astype(np.int64)
    inner, rim = done.origin.faces_in("inner"), done.origin.faces_in("rim")
    numbers = np.where(inner, numbers + count, np.where(rim, 2 * count, numbers))
    made_by = tuple(one for one in pieces[0].made_by if all(one in piece.made_by for piece in pieces))
    inside = [
        replace(piece, name="inner side", key=f"{piece.key}.{line}-inner", made_by=(*piece.made_by, line))
        for piece in pieces
    ]
    ends = Piece((*made_by, line), "rim", key=f"{line}/rim")
    mesh = replace(done.mesh, faces={**done.mesh.faces, "piece": numbers.astype(np.int32)})
    return mesh, (*pieces, *inside, ends)


def _rounded_down(value: float) -> float:
    """Return a value above zero rounded down to three digits, as a wall is typed."""
    digits = 2 - math.floor(math.log10(value)) if value > 0 else 0
    return math.floor(value * 10.0**digits) / 10.0**digits


def _fold_notes(done: Thickened, before: Mesh, whole: Floats, *, evened: bool) -> tuple[Note, ...]:
    """Tell where a wall folds, and the largest that does not."""
    if not len(done.folded):
        return ()
    place = before.face_centers[done.folded[0]]
    at = ", ".join(f"{axis} {value:.4g}" for axis, value in zip("xyz", place, strict=True))
    most = float(whole.max()) * done.fits * (1 - 1e-6)
    fits = _rounded_down(most)
    count = len(done.folded)
    sentence = f"The wall folds {several(count, 'face')}, as at {at}: the bend is tighter there than it is thick."
    ways = [(f"At most {length_text(fits)} here", "wall", f"{fits:g} mm")] if fits > 0 and np.ptp(whole) == 0 else []
    if not evened:
        ways.append(("Make it thinner there", "folds", "evened"))
    return (Note("wall_folds", sentence, tuple(ways), "face", tuple(done.folded.tolist())),)
