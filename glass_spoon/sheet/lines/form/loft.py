"""Surfaces through sections, and curves pulled straight."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.alter.place_curve import moving, place_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.surfaces.make.loft import LoftShape, loft_sections
from glass_spoon.kernel.surfaces.make.section_runs import middle_of
from glass_spoon.sheet.fields import ChoiceSpec, Items, Number, NumberSpec, ReferenceSpec, ReferencesSpec
from glass_spoon.sheet.handle import Handle, ItemOf, length_handle, vector_handle
from glass_spoon.sheet.items import CurveItem, SurfaceItem
from glass_spoon.sheet.line import Given, Line
from glass_spoon.sheet.lines.form.fields import (
    END_PHRASES,
    FinishShape,
    ScaleLaw,
    StartShape,
    SurfaceName,
    scaled_about,
    square_to,
)
from glass_spoon.sheet.phrase import Phrase
from glass_spoon.sheet.planes import AXES

Way = Literal["freely", "squarely", "towards a place"]
WAYS = ("freely", "squarely", "towards a place")
LoftEnd = Literal["open", "flat", "domed", "nosed"]
LOFT_ENDS = ("open", "flat", "domed", "nosed")


def _at(axis: Literal["x", "y", "z"], end: str) -> NumberSpec:
    """Return the spec of a coordinate of the place that an end leaves towards."""
    return NumberSpec(f"The place that the {end} runs towards.", "length", least=-1e6, most=1e6, axis=axis)


_ON_THE_WAY = "[, scaled {scale} on the way][, start {start}, end {end}], giving {gives}."

EASED_ROWS = 17
"""Sections of an extrusion whose scale does not run evenly."""


class Loft(Line):
    """A surface through sections."""

    chapter = "Form"
    summary = "Stretch a surface through sections, one after another: hulls, spouts, handles."
    words = ("skin", "sections", "stations", "hull", "through")
    phrases = (
        *END_PHRASES,
        Phrase(
            r"(?:(?:make|create|build) )?(?:a )?ruled (?:surface|skin)(?: (?:between|through|from|of))?", {"degree": "1"}
        ),
        Phrase(r"^\W*(?:(?:make|create|build) )?(?:a )?surface (?:between|through)"),
    )
    sentence = (
        "**Loft** through {sections} in this order[ along rails {rails}][, {align}][, of degree {degree} with {spacing} spacing], "
        "{closing}[; it leaves the first {start_way} and meets the last {end_way}, pulled {tension}][; start {start}, end {end}], "
        "giving {gives}."
    )
    gives_kind = "surface"

    verb: Literal["loft"] = "loft"
    sections: Annotated[Items, ReferencesSpec("The sections, in their order.", "curve", also=("curves",))] = []
    rails: Annotated[
        Items,
        ReferencesSpec("One or two curves that pass through all sections; the surface follows them.", "curve", least=0),
    ] = []
    align: Annotated[
        Literal["twisting least", "as drawn"],
        ChoiceSpec("Sections may be run the other way, and closed ones started elsewhere.", ("twisting least", "as drawn")),
    ] = "twisting least"
    degree: Annotated[Number, NumberSpec("Degree along: 1 goes straight.", least=1, most=3, whole=True)] = 3
    spacing: Annotated[
        Literal["chordal", "centripetal", "uniform"],
        ChoiceSpec("How the parameter runs between sections.", ("chordal", "centripetal", "uniform")),
    ] = "chordal"
    closing: Annotated[
        Literal["open", "back to the first"],
        ChoiceSpec("Whether it goes on to the first section.", ("open", "back to the first")),
    ] = "open"
    start_way: Annotated[Way, ChoiceSpec("How it leaves the first section.", WAYS)] = "freely"
    start_x: Annotated[Number, _at("x", "start")] = "0 mm"
    start_y: Annotated[Number, _at("y", "start")] = "0 mm"
    start_z: Annotated[Number, _at("z", "start")] = "0 mm"
    end_way: Annotated[Way, ChoiceSpec("How it meets the last section.", WAYS)] = "freely"
    end_x: Annotated[Number, _at("x", "end")] = "0 mm"
    end_y: Annotated[Number, _at("y", "end")] = "0 mm"
    end_z: Annotated[Number, _at("z", "end")] = "0 mm"
    tension: Annotated[Number, NumberSpec("How strongly it leaves squarely.", least=0.05, most=10, step=0.1)] = 1
    start: Annotated[LoftEnd, ChoiceSpec("How the start is closed; a nose runs on to a round tip.", LOFT_ENDS)] = "open"
    start_nose: Annotated[Number, NumberSpec("How far the nose runs on.", "length", least=0, above=True, most=1e6)] = "20 mm"
    end: Annotated[LoftEnd, ChoiceSpec("How the end is closed; a nose runs on to a round tip.", LOFT_ENDS)] = "open"
    end_nose: Annotated[Number, NumberSpec("How far the nose runs on.", "length", least=0, above=True, most=1e6)] = "20 mm"
    gives: SurfaceName = "loft"

    def sentence_now(self) -> str:
        """Ask for places to run towards, and for the lengths of noses."""
        text = self.sentence
        for end in ("start", "end"):
            if getattr(self, f"{end}_way") == "towards a place":
                place = f"x {{{end}_x}}, y {{{end}_y}}, z {{{end}_z}}"
                text = text.replace(f"{{{end}_way}}", f"{{{end}_way}} {place}")
            if getattr(self, end) == "nosed":
                text = text.replace(f"{{{end}}}", f"{{{end}}} by {{{end}_nose}}")
        return text

    def deciding_fields(self) -> list[str]:
        """Leave out what the sentence does not show."""
        shown = self.sentence_now()
        optional = {f"{end}_{what}" for end in ("start", "end") for what in ("x", "y", "z", "nose")}
        return [name for name in super().deciding_fields() if name not in optional or f"{{{name}}}" in shown]

    def build(self, given: Given) -> SurfaceItem:
        """Loft it."""
        words = {"freely": "free", "squarely": "square", "towards a place": "place"}
        ends = tuple("open" if end == "nosed" else end for end in (self.start, self.end))
        shape = LoftShape(
            given.count("degree"),
            self.spacing,
            self.closing == "back to the first",
            (words[self.start_way], words[self.end_way]),  # type: ignore[arg-type]  # one of three words each
            given.number("tension"),
            ends,  # type: ignore[arg-type]  # no noses
            self.align == "twisting least",
            (self._place(given, "start"), self._place(given, "end")),
            (self._nose(given, "start"), self._nose(given, "end")),
            tuple(given.every_curve("rails")),
        )
        return SurfaceItem(loft_sections(given.every_curve("sections"), shape))

    def _place(self, given: Given, end: Literal["start", "end"]) -> tuple[float, float, float]:
        """Return the place that an end runs towards."""
        if getattr(self, f"{end}_way") != "towards a place":
            return 0.0, 0.0, 0.0
        return given.number(f"{end}_x"), given.number(f"{end}_y"), given.number(f"{end}_z")

    def _nose(self, given: Given, end: Literal["start", "end"]) -> float:
        """Return the length of the nose at an end, 0 for none."""
        return given.number(f"{end}_nose") if getattr(self, end) == "nosed" else 0.0


class Extrude(Line):
    """A surface of a curve pulled straight."""

    chapter = "Form"
    summary = "Pull a curve straight: walls, plates, posts."
    words = ("pull", "push", "raise", "height", "prism", "plate", "wall")
    phrases = (
        Phrase(r"(?<!and ){distance} up(?:wards?)?", {"direction": "upright axis"}),
        Phrase(r"(?<!and ){-distance} down(?:wards?)?", {"direction": "upright axis"}),
        Phrase(r"up(?:wards?)?(?: by)? {distance}", {"direction": "upright axis"}),
        Phrase(r"down(?:wards?)?(?: by)? {-distance}", {"direction": "upright axis"}),
        *END_PHRASES,
    )
    sentence = f"**Extrude** {{profile}} by {{distance}} {{direction}}[, {{sides}}]{_ON_THE_WAY}"
    wording_field = "direction"
    wordings = {
        "by x, y, z": f"**Extrude** {{profile}} {{direction}}: {{x}} right, {{y}} back and {{z}} up[, {{sides}}]{_ON_THE_WAY}",
        "to a height": f"**Extrude** {{profile}} {{direction}} of {{z}}{_ON_THE_WAY}",
    }
    gives_kind = "surface"

    verb: Literal["extrude"] = "extrude"
    profile: Annotated[str, ReferenceSpec("The curve to pull.", "curve")] = ""
    distance: Annotated[Number, NumberSpec("How far.", "length", least=-1e6, most=1e6)] = "20 mm"
    direction: Annotated[
        Literal["square to it", "upright axis", "left-right axis", "front-back axis", "by x, y, z", "to a height"],
        ChoiceSpec(
            "Which way: square to the curve's plane, along an axis, by a vector, or straight up or down to a height.",
            ("square to it", *AXES, "by x, y, z", "to a height"),
            (
                "square to it",
                "along the upright axis",
                "along the left-right axis",
                "along the front-back axis",
                "by a vector",
                "up or down to a height",
            ),
        ),
    ] = "square to it"
    x: Annotated[Number, NumberSpec("Along left-right.", "length", least=-1e6, most=1e6)] = "0 mm"
    y: Annotated[Number, NumberSpec("Along front-back.", "length", least=-1e6, most=1e6)] = "0 mm"
    z: Annotated[Number, NumberSpec("Upwards, or the height to reach.", "length", least=-1e6, most=1e6)] = "20 mm"
    sides: Annotated[
        Literal["to one side", "to both sides"],
        ChoiceSpec("From the curve on, or half each way.", ("to one side", "to both sides")),
    ] = "to one side"
    scale: ScaleLaw = "1"
    start: StartShape = "flat"
    end: FinishShape = "flat"
    gives: SurfaceName = "extrusion"

    def build(self, given: Given) -> SurfaceItem:
        """Rule from the curve, scaled at both ends, to where it is pulled."""
        profile = given.curve("profile").curve
        way, distance = self._way(given, profile)
        ends = (self.start, self.end) if profile.is_closed(1e-6) else ("open", "open")
        if ends != ("open", "open"):
            _check_seen_whole(profile, way)
        first = place_curve(profile, moving(-way * distance / 2)) if self.sides == "to both sides" else profile
        law = given.law("scale")
        ruled = law.is_straight
        shares = np.linspace(0.0, 1.0, 2 if ruled else EASED_ROWS)
        rows = [
            scaled_about(place_curve(first, moving(way * distance * share)), way, float(factor))
            for share, factor in zip(shares, law.at(shares), strict=True)
        ]
        shape = LoftShape(degree=1 if ruled else 3, spacing="uniform", align=False, ends=ends)  # type: ignore[arg-type]
        return SurfaceItem(loft_sections(rows, shape))

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return how far it goes, from the middle of the profile."""
        item = item_of("profile")
        if not isinstance(item, CurveItem):
            return []
        middle = middle_of(item.curve)
        if self.direction == "by x, y, z":
            return [vector_handle(values, "xyz", middle, "move")]
        if self.direction == "to a height":
            return [length_handle("z", values["z"], middle * (1, 1, 0), (0, 0, 1), label="height")]
        way = AXES[self.direction] if self.direction in AXES else square_to(item.curve)
        return [length_handle("distance", values["distance"], middle, way, 1.0 if self.sides == "to one side" else 0.5)]

    def _way(self, given: Given, profile: NurbsCurve) -> tuple[Floats, float]:
        """Return the unit direction (3,) and the distance in mm."""
        if self.direction == "by x, y, z":
            return _pulled(np.array([given.number(name) for name in "xyz"]))
        if self.direction == "to a height":
            heights = profile.control_points[:, 2]
            if np.ptp(heights) > 1e-6:
                raise KernelError("The curve is not level, so it cannot be pulled to one height. Pull it by a distance.")
            return _pulled(np.array([0.0, 0.0, given.number("z") - float(heights[0])]))
        way = square_to(profile) if self.direction == "square to it" else np.array(AXES[self.direction])
        return _pulled(way * given.number("distance"))


def _pulled(vector: Floats) -> tuple[Floats, float]:
    """Return the unit direction (3,) and the length in mm of a pull; raises InvalidInput for none."""
    size = float(lengths(vector))
    if size < 1e-9:
        raise InvalidInput("The distance", "other than 0 mm", f"{size:g} mm")
    return vector / size, size


def _check_seen_whole(profile: NurbsCurve, way: Floats) -> None:
    """Raise KernelError for an outline that its middle does not see all of: an end closed from there would fold."""
    from_middle = profile.control_points - middle_of(profile)
    turn = np.cross(from_middle[:-1], np.diff(profile.control_points, axis=0)) @ way
    if turn.max() > 1e-9 and turn.min() < -1e-9:
        raise KernelError(
            "The outline bends too far in for its ends to be closed from the middle. Leave them open, or make a Plate of it."
        )
