"""A mesh sliced by a plane, a surface or a curve."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints
from glass_spoon.kernel.curves.alter.place_curve import unit_direction
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import find_kinks
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.imprint.cut_mesh import CAP, CutMesh, cut_mesh
from glass_spoon.kernel.imprint.cutters import CurvedCutter, Cutter, FlatCutter, mean_facing
from glass_spoon.kernel.imprint.outline_beyond import outline_beyond
from glass_spoon.kernel.imprint.solids import Meeting
from glass_spoon.kernel.imprint.tunnel import wall_along
from glass_spoon.kernel.surfaces.make.curtain import KINK, curtain
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec, ReferenceSpec
from glass_spoon.sheet.handle import Handle, ItemOf, length_handle
from glass_spoon.sheet.items import Done, Item, MeshItem, Piece
from glass_spoon.sheet.line import Action, Finding, Given, Line
from glass_spoon.sheet.lines.draw.fields import AtX, AtY, AtZ, a_coordinate
from glass_spoon.sheet.lines.mesh_work.fields import MeshName, length_text, mesh_findings, several
from glass_spoon.sheet.lines.mesh_work.finer import FINER_SAID, HALVED, Finer, finer_item, finer_ways
from glass_spoon.sheet.lines.mesh_work.mesh_work import sign
from glass_spoon.sheet.lines.mesh_work.solids import join_bodies
from glass_spoon.sheet.lines.mesh_work.unite import gather_makers
from glass_spoon.sheet.lines.place.fields import vector
from glass_spoon.sheet.phrase import Phrase

_SIDES: dict[str, tuple[int, int, int]] = {
    "above": (0, 0, 1),
    "below": (0, 0, -1),
    "to the right": (1, 0, 0),
    "to the left": (-1, 0, 0),
    "behind": (0, 1, 0),
    "in front": (0, -1, 0),
}
_LOOKS: dict[str, tuple[int, int, int]] = {
    "from above": (0, 0, -1),
    "from the front": (0, 1, 0),
    "from the right": (-1, 0, 0),
}
_SLANTED = "slanted plane"
_INSIDE, _OUTSIDE = "inside", "outside"
_LEAST_FACING = 0.2
"""A side is not told by a way that what cuts faces by a smaller cosine, on the mean."""
_KEEP = r"keep(?:ing)?(?: what is| the)*"
_MIDDLE = "a plane through its middle"
_HALFWAY = (
    r"(?:at |in |through )?(?:the |its )?(?:middle|half ?way(?: up)?|half (?:of )?(?:its |the )?(?:height|width|depth|length))"
    r"|^\W*halve(?!.*\bat\b)"
)
_BOTH = (
    r"keep(?:ing)? (?:both|two)(?: of)?(?: the| them)?(?: halves| parts| sides| pieces)?\b"
    r"|(?:in|into|giving) (?:(?:both|two)(?: halves| parts| pieces)?|halves|half)\b"
)
_PART = r"(?: half| part| side)?"
_SIDE = Literal["above", "below", "to the right", "to the left", "behind", "in front", "slanted plane", "inside", "outside"]


class NoSuchSide(KernelError):
    """What cuts has no such side."""


class Slice(Line):
    """A mesh sliced by a plane, a surface or a curve."""

    chapter = "Mesh"
    summary = (
        "Slice a mesh by a plane, a surface or along a curve and keep one side or both, closed with quads or left open; the "
        "mesh itself rests, whole."
    )
    words = (
        "cut by a plane",
        "cut",
        "trim",
        "halve",
        "plane",
        "split",
        "section",
        "saw",
        "cut off",
        "half",
        "cut along a curve",
        "both halves",
        "in two",
    )
    phrases = (
        Phrase(r"(?:in|into) (?:half|halves|two halves)(?!.*\bat\b)", {"by": _MIDDLE, "other": "stays too"}, finds=False),
        Phrase(_HALFWAY, {"by": _MIDDLE}, finds=False),
        Phrase(_BOTH, {"other": "stays too"}, finds=False),
        Phrase(rf"{_KEEP} (?:above|upper|top){_PART}|(?:upper|top) (?:half|part)", {"side": "above"}, finds=False),
        Phrase(rf"{_KEEP} (?:below|lower|bottom){_PART}|(?:lower|bottom) (?:half|part)", {"side": "below"}, finds=False),
        Phrase(rf"{_KEEP} (?:to the )?right{_PART}|right half", {"side": "to the right"}, finds=False),
        Phrase(rf"{_KEEP} (?:to the )?left{_PART}|left half", {"side": "to the left"}, finds=False),
        Phrase(rf"{_KEEP} (?:behind|back){_PART}|back half", {"side": "behind"}, finds=False),
        Phrase(rf"{_KEEP} (?:in )?front{_PART}|front half", {"side": "in front"}, finds=False),
        Phrase(rf"{_KEEP} (?:in|core|inside){_PART}(?: (?:of )?it)?", {"side": "inside"}, finds=False),
        Phrase(rf"{_KEEP} (?:out|outside|rest){_PART}(?: (?:of )?it)?", {"side": "outside"}, finds=False),
        Phrase(r"(?:at )?(?<!through )x (?:of |= ?)?{at}(?!,)", {"side": "to the right"}, finds=False),
        Phrase(r"(?:at )?(?<!through )y (?:of |= ?)?{at}(?!,)", {"side": "behind"}, finds=False),
        Phrase(r"(?:at )?(?<!through )z (?:of |= ?)?{at}(?!,)", {"side": "above"}, finds=False),
        Phrase(r"at (?:a |the )?height (?:of )?{at}", {"side": "above"}, finds=False),
        FINER_SAID,
        Phrase(r"(?:left |leave it )open|not closed", {"end": "left open"}, finds=False),
        Phrase(r"(?:as )?seen from (?:the )?(?:top|above)", {"seen": "from above"}, finds=False),
        Phrase(r"(?:as )?seen from (?:the )?front", {"seen": "from the front"}, finds=False),
        Phrase(r"(?:as )?seen from (?:the )?(?:right|side)", {"seen": "from the right"}, finds=False),
    )
    sentence = "**Slice** {mesh} by {by} at {at}, keeping what is {side}[; the other part {other}][, {end}][, faces {finer}], giving {gives}."
    wording_field = "by"
    wordings = {
        _MIDDLE: "**Slice** {mesh} by {by}, keeping what is {side}[; the other part {other}][, {end}][, faces {finer}], giving {gives}.",
        "a surface": "**Slice** {mesh} by {by}, {surface}, keeping what is {side}[; the other part {other}][, {end}][, faces {finer}], giving {gives}.",
        "a curve": (
            "**Slice** {mesh} by {by}, {curve}[, seen {seen}], keeping what is {side}[; the other part {other}][, {end}]"
            "[, faces {finer}], giving {gives}."
        ),
        _SLANTED: (
            "**Slice** {mesh} by {by}, a {side} that faces {right} right, {back} back and {up} up, through x {x}, y {y}, "
            "z {z}, keeping what it faces[; the other part {other}][, {end}][, faces {finer}], giving {gives}."
        ),
    }
    gives_kind = "mesh"
    signs = True
    uses_up = ("mesh", "surface")
    results = 4  # no vertex of a fill comes up to another

    verb: Literal["slice"] = "slice"
    mesh: Annotated[str, ReferenceSpec("The mesh; what is kept stands in its place.", "mesh")] = ""
    by: Annotated[
        Literal["a plane", "a plane through its middle", "a surface", "a curve"],
        ChoiceSpec(
            "What it is cut by; a plane stands where it is said, or halfway between the mesh's ends, whatever its size.",
            ("a plane", _MIDDLE, "a surface", "a curve"),
        ),
    ] = "a plane"
    surface: Annotated[str, ReferenceSpec("The surface; it reaches through all of the mesh.", "surface")] = ""
    curve: Annotated[
        str,
        ReferenceSpec("A curve seen on the mesh, closed or open: past open ends the cut runs straight on.", "curve"),
    ] = ""
    seen: Annotated[
        Literal["from above", "from the front", "from the right"],
        ChoiceSpec("From where the curve is seen; the cut runs straight through, that way.", tuple(_LOOKS)),
    ] = "from above"
    at: Annotated[Number, a_coordinate("Where the plane stands, off the middle of the space.", "the cut")] = "0 mm"
    side: Annotated[
        _SIDE,
        ChoiceSpec(
            "Which side is kept; of a plane it also says how it lies. A closed curve has an inside and an outside.",
            (*_SIDES, _SLANTED, _INSIDE, _OUTSIDE),
        ),
    ] = "below"
    right: Annotated[Number, NumberSpec("How much the plane faces right.", label="facing right", step=0.1)] = 1
    back: Annotated[Number, NumberSpec("How much the plane faces back.", label="facing back", step=0.1)] = 0
    up: Annotated[Number, NumberSpec("How much the plane faces up.", label="facing up", step=0.1)] = 1
    x: AtX = "0 mm"
    y: AtY = "0 mm"
    z: AtZ = "0 mm"
    end: Annotated[
        Literal["closed flat", "left open"],
        ChoiceSpec(
            "Whether the cut is closed by quads on what cuts; a sheet stays open.",
            ("closed flat", "left open"),
            ("closed", "left open"),
        ),
    ] = "closed flat"
    other: Annotated[
        Literal["goes", "stays too"],
        ChoiceSpec(
            "What becomes of the part beyond: it goes, or it stays too, a body of its own that Take gives as number 2 (each "
            "part may be several islands; those of the side that is kept come first).",
            ("goes", "stays too"),
        ),
    ] = "goes"
    finer: Finer = "as they are"
    gives: MeshName = "part"

    def sentence_now(self) -> str:
        """Show what it is cut by; a slanted plane by its facing."""
        slanted = self.by == "a plane" and self.side == _SLANTED
        return self.wordings.get(_SLANTED if slanted else self.by, self.sentence)

    def predict_faces(self, given: Given) -> int:
        """Bound the faces: those that there are, a band along the cut and its cap."""
        return 2 * HALVED[self.finer].faces * given.mesh("mesh").mesh.face_count

    def build(self, given: Given) -> MeshItem:
        """Cut, and tell what of."""
        item = finer_item(given.mesh("mesh"), self.finer)
        outline = self._outline(given, item)
        if outline is not None:
            return self._along(given, item, outline)
        cutter = self._cutter(given)
        made = self._cut(item, cutter)
        part, done = self._signed(given, item, made)
        told = f"Cut along {several(made.seams, 'line')}, {length_text(made.length)} long"
        told += f", {('closed flat' if self.by.startswith('a plane') else 'closed') if made.capped else 'open'}; corners beside it of {np.degrees(made.narrowest):.0f}° or more."
        if self.end == "closed flat" and not made.capped:
            told += " A sheet has nothing to close."
        if self.other == "goes":
            return replace(part, told=told, done=Done("face", done) if made.capped else None)
        beyond, more = self._signed(given, item, self._cut(item, cutter.turned_over()))
        both = np.concatenate((done, part.mesh.face_count + more))
        return replace(self._both(part, beyond, told), done=Done("face", both) if made.capped else None)

    def _both(self, part: MeshItem, beyond: MeshItem, told: str) -> MeshItem:
        """Return what is kept and the rest as one mesh of bodies apart."""
        mesh, makers = gather_makers([part, beyond])
        first, all_of_them = (int(own.topology.components.max()) + 1 for own in (part.mesh, mesh))
        told += (
            f" Both parts stay, apart: of what Take gives, {_numbers(1, first)} {'is' if first == 1 else 'are'} what is kept, "
            f"{_numbers(first + 1, all_of_them)} the rest."
        )
        return replace(part, mesh=mesh, makers=makers, told=told)

    def _outline(self, given: Given, item: MeshItem) -> NurbsCurve | None:
        """Return the closed outline of what is kept or goes where it is cut along a closed curve, or one with corners."""
        inner = self.side in (_INSIDE, _OUTSIDE)
        if self.by != "a curve":
            if inner:
                raise NoSuchSide("Only a closed curve has an inside: keep above, below or another of the six sides.")
            return None
        curve, way = given.curve("curve").curve, np.array(_LOOKS[self.seen], dtype=np.float64)
        closed = curve.is_closed(1e-6 * float(np.ptp(curve.control_points, axis=0).max() or 1.0))
        if closed != inner:
            raise NoSuchSide(
                "A closed curve has no sides: keep what is inside it, or outside."
                if closed
                else "An open curve has no inside: keep above, below or another of the six sides."
            )
        if not closed and not len(find_kinks(curve, KINK)):
            return None
        if self.side == _SLANTED:
            raise NoSuchSide("A slanted plane cuts by itself: keep above, below or another of the six sides.")
        if len(item.mesh.topology.boundary_edges):
            raise KernelError(
                "Along such a curve only closed bodies are cut: Open the skin along it, close it, or Thicken it first."
            )
        if self.end == "left open":
            raise KernelError("Such a cut is closed by its wall: leave it closed, then Delete the faces made by this line.")
        low, high = item.mesh.positions.min(axis=0), item.mesh.positions.max(axis=0)
        side = np.array(_SIDES.get(self.side, (0, 0, 0)), dtype=np.float64)
        return curve if closed else outline_beyond(curve, way, side, low, high)

    def _along(self, given: Given, item: MeshItem, outline: NurbsCurve) -> MeshItem:
        """Cut along an outline that is let fall right through, its wall the cut."""
        body, sides = wall_along(outline, np.array(_LOOKS[self.seen], dtype=np.float64), item.mesh)
        line = given.ids[""]
        wall = MeshItem(body, sides, pieces=(Piece((line,), key=f"{line} wall"),))
        ways: list[Meeting] = ["subtract", "meet"] if self.side == _OUTSIDE else ["meet", "subtract"]
        part, made = join_bodies(item, wall, ways[0], None, line)
        if not made.seams:
            raise KernelError("The curve lies off the mesh, seen so: move it over the mesh, or look from another side.")
        told = (
            f"Cut along {several(made.seams, 'line')}, {length_text(made.length)} long, closed; corners beside it of "
            f"{np.degrees(made.narrowest):.0f}° or more."
        )
        if self.other == "goes":
            return replace(part, told=told)
        beyond, _ = join_bodies(item, wall, ways[1], None, line)
        return self._both(part, beyond, told)

    def _cut(self, item: MeshItem, cutter: Cutter) -> CutMesh:
        """Return what lies on the side that a cutter keeps."""
        return cut_mesh(item.mesh, cutter, close=self.end == "closed flat", shape=item.surface)

    def _signed(self, given: Given, item: MeshItem, made: CutMesh) -> tuple[MeshItem, Ints]:
        """Return a part, its new faces signed, and the faces that close it."""
        signed, makers = sign(made, item.makers, given.ids[""])
        part = MeshItem(signed, None, pieces=item.every_piece, makers=makers, frame=item.frame)
        return part, np.flatnonzero(made.origin.faces_in(CAP))

    def _cutter(self, given: Given) -> Cutter:
        """Return what it is cut by, its normals to the side that is kept."""
        if self.by in ("a plane", _MIDDLE):
            return FlatCutter(*self._plane(given))
        if self.side == _SLANTED:
            raise KernelError("A slanted plane cuts by itself. Choose above, below or another of the six sides to keep.")
        mesh = given.mesh("mesh").mesh
        if self.by == "a surface":
            surface = given.surface("surface").surface
        else:
            low, high = mesh.positions.min(axis=0), mesh.positions.max(axis=0)
            surface = curtain(given.curve("curve").curve, np.array(_LOOKS[self.seen], dtype=np.float64), low, high)
        facing = mean_facing(surface, mesh.positions) @ np.array(_SIDES[self.side], dtype=np.float64)
        if abs(float(facing)) < _LEAST_FACING and self.other == "goes":
            raise KernelError(f"What cuts stands along that way: neither of its sides is {self.side}. Keep another side.")
        return CurvedCutter(surface, turned=float(facing) < 0)

    def _plane(self, given: Given) -> tuple[Floats, Floats]:
        """Return a place (3,) in the plane and its unit normal (3,), to the side that is kept."""
        if self.side == _SLANTED and self.by == _MIDDLE:
            raise NoSuchSide(
                "A plane through the middle lies level or upright: keep above, below or another of the six sides."
            )
        if self.side == _SLANTED:
            return vector(given, "x", "y", "z"), unit_direction(vector(given, "right", "back", "up"), "The plane's facing")
        normal = np.array(_SIDES[self.side], dtype=np.float64)
        if self.by == _MIDDLE:
            places = given.mesh("mesh").mesh.positions
            return (places.min(axis=0) + places.max(axis=0)) / 2, normal
        return given.number("at") * np.abs(normal), normal

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer smaller faces where those beside the cut leave it no room."""
        if isinstance(error, NoSuchSide) and self.by == "a curve" and self.side not in (_INSIDE, _OUTSIDE):
            return (Action("Keep the inside", "side", _INSIDE), Action("Keep the outside", "side", _OUTSIDE))
        return finer_ways(error, self.finer)

    def inspect(self, item: Item) -> list[Finding]:
        """Point at folded faces."""
        return mesh_findings(item)

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return where the plane stands."""
        if self.side == _SLANTED or self.by != "a plane":
            return super().handles(values, item_of)
        way = tuple(abs(part) for part in _SIDES[self.side])
        return [length_handle("at", values["at"], (0, 0, 0), way, label="the cut")]


def _numbers(first: int, last: int) -> str:
    """Return a range of numbers in words."""
    return f"number {first}" if first == last else f"numbers {first} to {last}"
