"""Closed bodies joined to one skin: united, subtracted, or what they share."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, ClassVar, Literal

import numpy as np

from glass_spoon.kernel.errors import NotClosed, RadiusTooLarge
from glass_spoon.kernel.imprint.join_solids import JoinedSolids, Rounding, join_solids
from glass_spoon.kernel.imprint.solids import Meeting
from glass_spoon.kernel.mesh_edits.clean_mesh import reverse_faces
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.sheet.fields import ChoiceSpec, ItemName, Items, NameSpec, Number, NumberSpec, ReferenceSpec, ReferencesSpec
from glass_spoon.sheet.items import Done, Item, MeshItem, Note
from glass_spoon.sheet.line import Action, Finding, Given, Line
from glass_spoon.sheet.lines.mesh_work.fields import fitting_text, length_text, mesh_findings, several
from glass_spoon.sheet.lines.mesh_work.finer import FINER_SAID, HALVED, Finer, finer_item, finer_ways
from glass_spoon.sheet.lines.mesh_work.mesh_work import sign
from glass_spoon.sheet.lines.mesh_work.unite import gather_makers
from glass_spoon.sheet.phrase import Phrase

_SEAM = "[, seam {seam}][, faces {finer}]"
_OFF = 0.01
"""A volume that is off by more than this share is worth a look."""

_PHRASES: tuple[Phrase, ...] = (
    Phrase(
        r"(?:seams? |edges? )?rounded (?:by |with (?:a )?(?:radius (?:of )?)?)?{radius}", {"seam": "rounded"}, finds=False
    ),
    Phrase(r"(?:seams? |edges? )?chamfered (?:by )?{radius}", {"seam": "chamfered"}, finds=False),
    Phrase(r"sharp", {"seam": "sharp"}, finds=False),
    FINER_SAID,
    Phrase(r"\b(?:all|them|both|everything)\b", finds=False),
)


class SolidWork(Line):
    """What the verbs on closed bodies share: how the seam is made, and what is told of it."""

    chapter = "Mesh"
    gives_kind = "mesh"
    signs = True
    results = 3  # no vertex of a fill comes up to another
    phrases = _PHRASES
    how: ClassVar[Meeting]

    seam: Annotated[
        Literal["sharp", "rounded", "chamfered"],
        ChoiceSpec(
            "How the skins meet: in a sharp edge, rounded by a ball that rolls along it, or by a flat band.",
            ("sharp", "rounded", "chamfered"),
        ),
    ] = "sharp"
    radius: Annotated[
        Number,
        NumberSpec(
            "The radius of the ball that rounds the seam, or lies in the chamfer.", "length", least=0, above=True, most=1e5
        ),
    ] = "2 mm"
    steps: Annotated[Number, NumberSpec("Faces over the round.", label="steps", least=1, most=64, whole=True)] = 3

    finer: Finer = "as they are"

    def sentence_now(self) -> str:
        """Ask for the radius of a seam that is not sharp, and for the steps of a round one."""
        more = {"sharp": "", "rounded": " by {radius} in {steps} steps", "chamfered": " by {radius}"}[self.seam]
        return super().sentence_now().replace("seam {seam}", "seam {seam}" + more)

    def bodies(self, given: Given) -> list[MeshItem]:
        """Return the bodies in order, the one that leads first."""
        raise NotImplementedError

    def roles_after(self) -> tuple[str, str]:
        """Return that of its seams."""
        return "", "seam"

    def body_ids(self) -> list[str]:
        """Return the items of the bodies, in the order of `bodies`."""
        raise NotImplementedError

    def predict_faces(self, given: Given) -> int:
        """Bound the faces: those of all, some rows of them along seams, and the steps of their rounds."""
        steps = given.count("steps") if self.seam == "rounded" else 1
        return (1 + steps) * HALVED[self.finer].faces * sum(item.mesh.face_count for item in self.bodies(given))

    def build(self, given: Given) -> MeshItem:
        """Join the bodies one after another."""
        first, *others = (finer_item(item, self.finer) for item in self.bodies(given))
        rounding = None
        if self.seam != "sharp":
            rounding = Rounding(given.number("radius"), given.count("steps") if self.seam == "rounded" else 1)
        done: list[JoinedSolids] = []
        for number, other in enumerate(others, 1):
            try:
                first, made = join_bodies(first, other, self.how, rounding, given.ids[""])
            except NotClosed as error:
                raise NotClosed(number if error.number else 0, error.open_edges) from error
            done.append(made)
            given.progress(number / len(others))
        edges = np.flatnonzero(_seam_edges(first, given.ids[""]))
        return replace(
            first,
            told=_told(done, self.how),
            notes=(*_missed(first.mesh, done, self.how), *_notes(first.mesh, done)),
            done=Done("edge", edges),
        )

    def inspect(self, item: Item) -> list[Finding]:
        """Tell the notes, and point at folded faces."""
        return mesh_findings(item)

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer smaller faces, the largest radius that fits, a sharp seam, or to close a body that is open."""
        if isinstance(error, NotClosed):
            return (Action("Fill its rims", "", self.body_ids()[error.number], adds="fill"),)
        ways = finer_ways(error, self.finer)
        if self.seam == "sharp":
            return ways
        sharp = Action("Leave the seam sharp", "seam", "sharp")
        if isinstance(error, RadiusTooLarge):
            fits = fitting_text(error.largest)
            return (Action(f"Round it by {fits}", "radius", fits), sharp)
        return (*ways, sharp)


class OfAll(SolidWork):
    """What is made of several bodies alike."""

    uses_up = ("meshes",)

    meshes: Annotated[Items, ReferencesSpec("The closed bodies.", "mesh", least=2)] = []

    def bodies(self, given: Given) -> list[MeshItem]:
        """Return all of them."""
        return given.meshes("meshes")

    def body_ids(self) -> list[str]:
        """Return all of them."""
        return list(self.meshes)


class Fuse(OfAll):
    """Closed bodies made one skin."""

    summary = "Fuse closed bodies to one skin: what lies inside goes, edges run along the seams, all quads kept."
    words = ("union", "boolean", "add", "one skin", "join bodies", "fuse", "blend", "fillet seam", "merge bodies", "weld on")
    sentence = f"**Fuse** {{meshes}} to one skin{_SEAM}, giving {{gives}}."
    how = "unite"

    verb: Literal["fuse"] = "fuse"
    gives: Annotated[ItemName, NameSpec("Name of the skin.")] = "one skin"


class Subtract(SolidWork):
    """Closed bodies taken out of another."""

    summary = "Subtract closed bodies from another: bores, pockets, recesses; edges run along the seams, all quads kept."
    words = (
        "difference",
        "boolean",
        "cut out",
        "bore",
        "drill",
        "pocket",
        "recess",
        "remove",
        "minus",
        "hole through",
        "carve",
    )
    sentence = f"**Subtract** {{others}} from {{mesh}}{_SEAM}, giving {{gives}}."
    phrases = (
        *_PHRASES,
        Phrase(r"(?:cut|carve|mill|take)(?: away)?(?= .+ (?:out of|from) )"),
    )
    led = {"mesh": r"(?:from|out of|through|into) (?:the )?"}
    how = "subtract"
    uses_up = ("others", "mesh")

    verb: Literal["subtract"] = "subtract"
    others: Annotated[Items, ReferencesSpec("The closed bodies that are taken out.", "mesh", least=1)] = []
    mesh: Annotated[
        str, ReferenceSpec("The closed body; what is left stands in its place. Take a copy to keep both.", "mesh")
    ] = ""
    gives: Annotated[ItemName, NameSpec("Name of what is left.")] = "rest"

    def bodies(self, given: Given) -> list[MeshItem]:
        """Return what is worked on, then what is taken out."""
        return [given.mesh("mesh"), *given.meshes("others")]

    def body_ids(self) -> list[str]:
        """Return what is worked on, then what is taken out."""
        return [self.mesh, *self.others]


class Meet(OfAll):
    """What closed bodies share."""

    summary = "Keep what closed bodies share, as one skin: a lens of two balls, a body trimmed to another's shape."
    words = ("intersection", "intersect", "boolean", "common", "overlap", "share", "both")
    sentence = f"**Meet** {{meshes}} in what they share{_SEAM}, giving {{gives}}."
    how = "meet"

    verb: Literal["meet"] = "meet"
    gives: Annotated[ItemName, NameSpec("Name of what they share.")] = "share"


def join_bodies(
    first: MeshItem, second: MeshItem, how: Meeting, rounding: Rounding | None, line: str
) -> tuple[MeshItem, JoinedSolids]:
    """Return two bodies joined, signed by a line, and what was done."""
    laid = second
    if how == "subtract":
        over = reverse_faces(second.mesh, np.arange(second.mesh.face_count))
        laid = replace(second, mesh=over.mesh)
    whole, makers = gather_makers([first, laid])
    made = join_solids(whole, (first.mesh, second.mesh), how, (first.surface, second.surface), rounding)
    signed, makers = sign(made, makers, line)
    pieces = (*first.every_piece, *second.every_piece)
    return MeshItem(signed, None, pieces=pieces, makers=makers, frame=first.frame), made


def _seam_edges(item: MeshItem, line: str) -> np.ndarray:
    """Mark the edges (e,) along the seams that a line made."""
    numbers = [k for k, maker in enumerate(item.makers, 1) if maker.line == line and maker.role == "seam"]
    values = item.mesh.edges.get("maker")
    return np.zeros(len(item.mesh.topology.edges.ends), dtype=bool) if values is None else np.isin(values, numbers)


def _volume(mesh: Mesh) -> float:
    """Return the volume in mm³ inside a closed mesh."""
    middle = mesh.positions.mean(axis=0)
    return float(np.einsum("fi,fi->", mesh.face_vectors, mesh.face_centers - middle) / 3)


def _told(done: list[JoinedSolids], how: Meeting) -> str:
    """Return a sentence on the seams, and on bodies that lie within others."""
    seams, length = sum(made.seams for made in done), sum(made.length for made in done)
    apart = [made for made in done if not made.seams]
    inside = sum(not made.gone[1] if how == "subtract" else any(made.gone) for made in apart)
    lie = "lies" if inside == 1 else "lie"
    became = "gone" if how != "subtract" else "a hollow in it" if inside == 1 else "hollows in it"
    within = f" {several(inside, 'body')} {lie} wholly inside, and {'is' if inside == 1 else 'are'} {became} now."
    if not seams:
        return f"No skins cross.{within if inside else ''}"
    narrow = min(float(np.degrees(made.narrowest)) for made in done)
    beside = "it" if seams == 1 else "them"
    return (
        f"{several(seams, 'seam')}, {length_text(length)} long; corners beside {beside} of {narrow:.0f}° or more."
        f"{within if inside else ''}"
    )


def _missed(mesh: Mesh, done: list[JoinedSolids], how: Meeting) -> tuple[Note, ...]:
    """Return what is told where bodies do not reach one another, so that nothing was done with them."""
    apart = [made for made in done if not made.seams]
    if how == "subtract":
        missed = sum(made.gone[1] for made in apart)
        if not missed:
            return ()
        who = "What is subtracted does" if len(done) == 1 else f"{missed} of the {len(done)} bodies that are subtracted do"
        return (
            Note("not_reached", f"{who} not reach the body: nothing is taken out of it there. Move it, or make it longer."),
        )
    pieces = len(np.unique(mesh.topology.components)) if how == "unite" and any(not any(m.gone) for m in apart) else 1
    if pieces == 1:
        return ()
    return (
        Note(
            "not_reached", f"Bodies that do not reach each other stay apart: {several(pieces, 'piece')}. Move them together."
        ),
    )


def _notes(mesh: Mesh, done: list[JoinedSolids]) -> tuple[Note, ...]:
    """Return what is worth a look: a volume that quads along a coarse seam lose."""
    if len(done) != 1 or not done[0].sharp or done[0].exact <= 0:
        return ()
    off = _volume(mesh) / done[0].exact - 1
    if abs(off) <= _OFF:
        return ()
    more = "more" if off > 0 else "less"
    sentence = (
        f"The skin holds {100 * abs(off):.1f} % {more} than the bodies themselves: smaller faces at the seam come nearer."
    )
    return (Note("volume_off", sentence),)
