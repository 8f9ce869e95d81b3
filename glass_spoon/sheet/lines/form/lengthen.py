"""Surfaces that go on past an edge."""

from __future__ import annotations

from typing import Annotated, Literal, get_args

from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.surfaces.alter.rework_surface import extend_surface
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.trims.extend_to_meet import MeetsNothing, extend_to_meet
from glass_spoon.kernel.trims.face import FaceSet
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec, ReferenceSpec
from glass_spoon.sheet.items import SurfaceItem
from glass_spoon.sheet.line import Action, Given, Line
from glass_spoon.sheet.lines.form.alter_surfaces import ChangedSurface, Running, Way, axis_of
from glass_spoon.sheet.phrase import Phrase


class AnotherEdgeMeets(KernelError):
    """An edge that meets nothing, where others of the surface would."""

    def __init__(self, sentence: str, edges: tuple[tuple[Running, str], ...]) -> None:
        """Take the sentence, and the edges that meet by way and end."""
        super().__init__(sentence)
        self.edges = edges


class ExtendSurface(Line):
    """Go on past an edge."""

    chapter = "Form"
    summary = "Let a surface go on past one of its edges, by a length or until it meets other surfaces."
    words = ("longer", "lengthen", "edge", "continue", "extend", "prolong", "until it meets", "up to", "reach")
    sentence = "**Lengthen** {surface} {way} it past its {end} by {length}[, {reach}][, going on {going}]."
    wording_field = "reach"
    wordings = {"until it meets": "**Lengthen** {surface} {way} it past its {end} {reach} {other}[, going on {going}]."}
    phrases = (
        Phrase(
            r"(?:until|till|so that) it (?:meets?|reaches|touches|hits)|up to|to meet",
            {"reach": "until it meets"},
            finds=False,
        ),
    )
    led = {"other": r"(?:meets?|reaches|touches|hits|up to|to meet|onto) (?:the )?"}

    verb: Literal["lengthen"] = "lengthen"
    surface: ChangedSurface = ""
    way: Way = "along"
    end: Annotated[Literal["start", "end"], ChoiceSpec("Past which edge.", ("start", "end"))] = "end"
    reach: Annotated[
        Literal["by", "until it meets"],
        ChoiceSpec(
            "By a length, or until all of its edge lies on others.",
            ("by", "until it meets"),
            ("just as far", "until it meets"),
        ),
    ] = "by"
    length: Annotated[Number, NumberSpec("By how much.", "length", least=0, above=True, most=1e6)] = "10 mm"
    other: Annotated[
        str,
        ReferenceSpec(
            "What it meets: a surface, a set of surfaces, or a trimmed one.", "surface", also=("surfaces", "trimmed")
        ),
    ] = ""
    going: Annotated[
        Literal["straight", "bending on"],
        ChoiceSpec("Along its tangents, or as its last stretch bends.", ("straight", "bending on")),
    ] = "straight"

    def build(self, given: Given) -> SurfaceItem:
        """Extend it."""
        surface = given.surface("surface").surface
        end: Literal[0, -1] = 0 if self.end == "start" else -1
        if self.reach == "by":
            return SurfaceItem(extend_surface(surface, axis_of(self.way), end, given.number("length"), self.going))
        others = given.faces("other")
        try:
            met = extend_to_meet(surface, axis_of(self.way), end, others, self.going)
        except MeetsNothing as error:
            raise AnotherEdgeMeets(str(error), self._edges_that_meet(surface, others)) from error
        told = f"It went on by {met.least:.4g} to {met.most:.4g} mm; its edge is at most {max(met.off, 1e-9):.1g} mm off what it meets."
        return SurfaceItem(met.surface, told=told)

    def _edges_that_meet(self, surface: NurbsSurface, others: FaceSet) -> tuple[tuple[Running, str], ...]:
        """Return the other edges, by way and end, that would meet."""
        found = list[tuple[Running, str]]()
        for way in get_args(Running):
            for end, number in (("start", 0), ("end", -1)):
                if (way, end) == (self.way, self.end):
                    continue
                try:
                    extend_to_meet(surface, axis_of(way), number, others, self.going)  # type: ignore[arg-type]  # 0 or -1
                except KernelError:
                    continue
                found.append((way, end))
        return tuple(found)

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer the edges that meet."""
        if not isinstance(error, AnotherEdgeMeets):
            return ()
        return tuple(
            Action(f"Past its {end}, {way} it", "end", end, values=(("way", way), ("end", end))) for way, end in error.edges
        )
