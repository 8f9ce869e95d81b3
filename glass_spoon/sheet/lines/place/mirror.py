"""Anything mirrored in a plane: alone, beside itself, or as one with itself."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.mirror_weld import weld_mirrored
from glass_spoon.kernel.curves.alter.place_curve import Placement, mirroring, moving, unit_direction
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.mesh_edits.mirror_mesh import AwayFromMirror, halve, weld_halves
from glass_spoon.kernel.repeat.placements import as_placements
from glass_spoon.sheet.bodies_item import BodiesItem
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec
from glass_spoon.sheet.handle import Handle, ItemOf, length_handle
from glass_spoon.sheet.items import CurveItem, CurvesItem, Done, Item, MeshItem, SurfacesItem, TrimmedItem, as_mesh
from glass_spoon.sheet.kinds import kind_of
from glass_spoon.sheet.line import Action, Finding, Given, Line
from glass_spoon.sheet.lines.draw.fields import AtX, AtY, AtZ, a_coordinate
from glass_spoon.sheet.lines.mesh_work.fields import length_text, mesh_findings, several
from glass_spoon.sheet.lines.place.fields import Placed, placed, vector
from glass_spoon.sheet.phrase import Phrase

NORMALS: dict[str, tuple[float, float, float]] = {"side": (1, 0, 0), "front": (0, 1, 0), "plan": (0, 0, 1)}
"""The normal of the plane of each view."""

SWAPS = (
    Phrase(r"left (?:and|to|-) ?right|sideways", {"across": "side plane"}, finds=False),
    Phrase(r"front (?:and|to|-) ?back", {"across": "front plane"}, finds=False),
    Phrase(r"(?:up and down|upside down|top (?:and|to) bottom)", {"across": "plan plane"}, finds=False),
    *(
        Phrase(rf"(?:across|over|about|in) (?:the )?{name}(?: plane)?", {"across": f"{name} plane"}, finds=False)
        for name in ("side", "front", "plan")
    ),
)
"""The plane of a mirror, by the sides that it swaps."""

_KEPT = ", {kept}"
_WITHIN = ", {kept}[, points within {within} of the mirror brought onto it]"


class MirroredAlone(KernelError):
    """What is no curve and no mesh is mirrored alone."""


class Mirror(Line):
    """Mirror anything."""

    chapter = "Place"
    summary = "Mirror anything in a plane: alone, beside itself, or a half made whole: one curve, or one skin."
    words = ("symmetry", "reflect", "flip", "other half", "weld", "symmetric")
    phrases = (
        Phrase(r"(?:as )?(?:one|a single) skin|whole|welded", {"kept": "joined with itself"}, finds=False),
        Phrase(r"both(?: sides)?|beside it(?:self)?", {"kept": "beside itself"}, finds=False),
        *SWAPS,
    )
    sentence = f"**Mirror** {{item}} across the {{across}}[, moved {{at}} off the middle]{_KEPT}."
    wording_field = "across"
    wordings = {
        "slanted plane": (
            f"**Mirror** {{item}} across the {{across}} that faces {{right}} right, {{back}} back and {{up}} up, through x {{x}}, "
            f"y {{y}}, z {{z}}{_KEPT}."
        )
    }

    verb: Literal["mirror"] = "mirror"
    item: Placed = ""
    across: Annotated[
        Literal["side plane", "front plane", "plan plane", "slanted plane"],
        ChoiceSpec(
            "The mirror: the side plane swaps left and right, the front plane front and back, the plan plane up and down; a "
            "slanted plane faces any way.",
            ("side plane", "front plane", "plan plane", "slanted plane"),
        ),
    ] = "side plane"
    at: Annotated[Number, a_coordinate("Where the mirror stands, off the middle.", "mirror's place")] = "0 mm"
    right: Annotated[Number, NumberSpec("How much the mirror faces right.", label="facing right", step=0.1)] = 1
    back: Annotated[Number, NumberSpec("How much the mirror faces back.", label="facing back", step=0.1)] = 1
    up: Annotated[Number, NumberSpec("How much the mirror faces up.", label="facing up", step=0.1)] = 0
    x: AtX = "0 mm"
    y: AtY = "0 mm"
    z: AtZ = "0 mm"
    kept: Annotated[
        Literal["joined with itself", "beside itself", "alone"],
        ChoiceSpec(
            "Whether both halves become one curve or one skin, welded at the mirror; both stay beside each other; or the "
            "image alone stays.",
            ("joined with itself", "beside itself", "alone"),
        ),
    ] = "joined with itself"
    within: Annotated[
        Number,
        NumberSpec(
            "Points of a mesh's rim nearer to the mirror than this are brought onto it.", "length", least=0, most=1e5
        ),
    ] = "0.01 mm"

    def sentence_now(self) -> str:
        """Ask how near rims have to be where halves are joined."""
        text = super().sentence_now()
        return text.replace(_KEPT, _WITHIN) if self.kept == "joined with itself" else text

    def build(self, given: Given) -> Item:
        """Reflect, and weld at the mirror."""
        origin, normal = self._plane(given)
        move, item = mirroring(origin, normal), given.items["item"]
        if self.kept == "alone":
            return placed(given, move)
        if self.kept == "beside itself":
            return _beside(item, move, given.ids.get("", ""))
        if isinstance(item, CurveItem):
            return CurveItem(weld_mirrored(item.curve, normal, float(origin @ normal)))
        mesh = as_mesh(item)
        if mesh is None:
            raise MirroredAlone(
                f"{kind_of(item).one.capitalize()} is mirrored alone: choose “alone”. Only a curve or a mesh is joined with "
                "itself here."
            )
        return _one_skin(mesh, (origin, normal), given.number("within"), given.ids.get("", ""))

    def _plane(self, given: Given) -> tuple[Floats, Floats]:
        """Return a place (3,) in the mirror and its unit normal (3,)."""
        if self.across == "slanted plane":
            return vector(given, "x", "y", "z"), unit_direction(vector(given, "right", "back", "up"), "The mirror's facing")
        normal = np.array(NORMALS[self.across.split()[0]], dtype=np.float64)
        return given.number("at") * normal, normal

    def inspect(self, item: Item) -> list[Finding]:
        """Point at folded faces."""
        return mesh_findings(item) if isinstance(item, MeshItem) and self.kept == "joined with itself" else []

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return where the mirror stands."""
        if self.across == "slanted plane":
            return super().handles(values, item_of)
        return [length_handle("at", values["at"], (0, 0, 0), NORMALS[self.across.split()[0]], label="mirror's place")]

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer the manner that works on anything, or the distance from which points are brought onto the mirror."""
        if isinstance(error, AwayFromMirror) and error.gap > 0:
            wider = f"{float(f'{1.01 * error.gap:.3g}'):g} mm"
            return (
                Action(f"Bring points within {wider} onto it", "within", wider),
                Action("Keep both beside each other", "kept", "beside itself"),
            )
        return (Action("Mirror it alone", "kept", "alone"),) if isinstance(error, MirroredAlone) else ()


def _beside(item: Item, move: Placement, line: str) -> Item:
    """Return an item of several and its image, as one of the same kind."""
    both = as_placements([moving(np.zeros(3)), move])
    mesh = as_mesh(item)
    if mesh is not None:
        return BodiesItem(replace(mesh, notes=(), told="", done=None), both, lines=(line,)).whole
    if isinstance(item, CurvesItem | SurfacesItem | TrimmedItem):
        return kind_of(item).repeat(item, both)
    raise MirroredAlone(
        f"{kind_of(item).one.capitalize()} cannot become two: copy it first, then mirror the copy and choose “alone”."
    )


def _one_skin(item: MeshItem, plane: tuple[Floats, Floats], within: float, line: str) -> MeshItem:
    """Return one side of a mesh and its image, welded in the plane."""
    half = halve(item.mesh, *plane, within)
    one = MeshItem(half.mesh, item.surface, pieces=item.every_piece, makers=item.makers)
    both = BodiesItem(one, as_placements([moving(np.zeros(3)), mirroring(*plane)]), lines=(line,)).whole
    welded = weld_halves(both.mesh, half.seam)
    told = [f"{several(len(half.seam), 'point')} became one with {'its image' if len(half.seam) == 1 else 'their images'}."]
    if half.beyond:
        told.append(
            f"{several(half.beyond, 'face')} beyond the mirror, or in it, {'was' if half.beyond == 1 else 'were'} left out."
        )
    if half.brought:
        far = length_text(half.farthest)
        told.append(
            f"{several(half.brought, 'point')} {'was' if half.brought == 1 else 'were'} brought onto it, from up to {far}."
        )
    seam = welded.of_point[half.seam]
    return replace(
        both, mesh=welded.mesh, frame=item.frame, told=" ".join(told), done=Done("point", np.unique(seam[seam >= 0]))
    )
