"""Profiles and cords along a path."""

from __future__ import annotations

from math import pi
from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.kernel.curves.alter.soften_path import soften_path
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_tangents
from glass_spoon.kernel.curves.make.flat_shapes import make_circle, make_elliptic_arc, make_rectangle
from glass_spoon.kernel.curves.read.congruent_curves import placement_of_copy
from glass_spoon.kernel.law import EVENLY, Law
from glass_spoon.kernel.surfaces.alter.edit_surface import place_surface
from glass_spoon.kernel.surfaces.make.sweep import Facing, SweepShape, Swept, sweep_profile
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from glass_spoon.sheet.fields import ChoiceSpec, Items, LawSpec, LawText, Number, NumberSpec, ReferenceSpec, ReferencesSpec
from glass_spoon.sheet.items import Item, SurfaceItem, SurfacesItem
from glass_spoon.sheet.line import Finding, Given, Line
from glass_spoon.sheet.lines.form.fields import (
    END_PHRASES,
    FinishShape,
    ScaleLaw,
    StartShape,
    SurfaceName,
    TwistLaw,
    how_near,
    laid_flat,
    noted,
)
from glass_spoon.sheet.phrase import Phrase

_REST = (
    "along {path}[, {facing}][, corners {corners}][, scaled {scale}][, twisted {twist}][, start {start}, end {end}]"
    "[, within {tolerance}], giving {gives}."
)


STEEP = 0.99
"""A path that starts upright, by the sine of its slope, has no side by which its copies about the upright are turned."""

MOST_NOTES = 3
"""Most places that are told of where paths are too tight."""


def _tight_note(place: Floats) -> str:
    """Say where a profile is too wide for the bend."""
    x, y, z = place
    return f"The profile is too wide for the bend at x {x:.1f}, y {y:.1f}, z {z:.1f} mm: it folds there."


class SweptLine(Line):
    """What sweeps have in common."""

    chapter = "Form"
    phrases = END_PHRASES
    gives_kind = "surface"

    path: Annotated[
        str, ReferenceSpec("The curve to follow; of a set every one is followed.", "curve", also=("curves",))
    ] = ""
    facing: Annotated[
        Literal["least twist", "upright", "rail"],
        ChoiceSpec(
            "Carried along with least twist, kept upright, or kept towards a second rail.",
            ("least twist", "upright", "rail"),
            ("with least twist", "upright", "towards a rail"),
        ),
    ] = "least twist"
    rail: Annotated[str, ReferenceSpec("The second rail, beside the path.", "curve")] = ""
    reach: Annotated[
        Literal["kept", "with the distance"],
        ChoiceSpec(
            "Whether the profile grows and shrinks with the distance of the rail.",
            ("kept", "with the distance"),
            ("its size kept", "its size with the distance"),
        ),
    ] = "kept"
    corners: Annotated[
        Literal["mitred", "rounded", "broken"],
        ChoiceSpec("What happens at sharp corners of the path.", ("mitred", "rounded", "broken")),
    ] = "mitred"
    corner_size: Annotated[
        Number,
        NumberSpec(
            "Radius of rounded corners, or where broken ones start.",
            "length",
            label="corner size",
            least=0,
            above=True,
            most=1e6,
        ),
    ] = "10 mm"
    scale: ScaleLaw = "1"
    twist: TwistLaw = "0°"
    start: StartShape = "flat"
    end: FinishShape = "flat"
    tolerance: Annotated[
        Number, NumberSpec("How far the surface may be off.", "length", least=1e-6, most=1e3, step=0.01)
    ] = "0.01 mm"

    def sentence_now(self) -> str:
        """Ask for the rail and the size of the corners where they count."""
        text = super().sentence_now()
        if self.facing == "rail":
            text = text.replace("{facing}", "{facing} {rail} {reach}")
        return text if self.corners == "mitred" else text.replace("{corners}", "{corners} by {corner_size}")

    def deciding_fields(self) -> list[str]:
        """Leave out what the sentence does not show."""
        unused = {"reach"} if self.facing != "rail" else set()
        return [
            name
            for name in super().deciding_fields()
            if name not in unused | ({"corner_size"} if self.corners == "mitred" else set())
        ]

    def sweep(self, given: Given, profiles: list[NurbsCurve]) -> SurfaceItem | SurfacesItem:
        """Sweep profiles that lie in the xy plane along the path, or along every path of a set."""
        ends = (self.start, self.end) if profiles[0].is_closed(1e-6) else ("open", "open")
        shape = SweepShape(
            self.facing,
            given.law("scale"),
            given.law("twist"),
            ends,  # type: ignore[arg-type]
            given.curve("rail").curve if self.facing == "rail" else None,
            self.reach == "with the distance",
            tuple(profiles[1:]),
            self.blend_law(given),
        )
        paths = given.curves("path")
        if self.corners != "mitred":
            paths = tuple(soften_path(path, self.corners, given.number("corner_size")) for path in paths)
        tolerance = given.number("tolerance")
        moves = _copies(paths, self.facing)
        if moves:
            return _patterned(sweep_profile(profiles[0], paths[0], shape, tolerance), moves)
        made = [sweep_profile(profiles[0], path, shape, tolerance) for path in paths]
        notes = tuple(_tight_note(swept.tight) for swept in made if swept.tight is not None)[:MOST_NOTES]
        told = how_near(max(swept.largest for swept in made))
        if len(made) == 1:
            return SurfaceItem(made[0].surface, notes, told)
        return SurfacesItem(SurfaceSet(tuple(swept.surface for swept in made)), (), notes, told=told)

    def blend_law(self, given: Given) -> Law:
        """Return how profiles follow each other."""
        return EVENLY

    def inspect(self, item: Item) -> list[Finding]:
        """Tell of a bend that is too tight."""
        return noted(item, "tight")


def _copies(paths: tuple[NurbsCurve, ...], facing: Facing) -> tuple[Placement, ...]:
    """Return how all paths come from the first, where they are copies of it that are swept alike; nothing otherwise.

    Frames of least twist start from the upright, so they turn with a path about it, unless that starts upright itself.
    """
    if facing == "rail" or len(paths) == 1:
        return ()
    steep = abs(float(curve_tangents(paths[0], np.array(paths[0].domain[:1]))[0, 2])) > STEEP
    found = [placement_of_copy(paths[0], path, turned=facing == "least twist" and not steep) for path in paths]
    moves = tuple(move for move in found if move is not None)
    return moves if len(moves) == len(paths) else ()


def _patterned(swept: Swept, moves: tuple[Placement, ...]) -> SurfacesItem:
    """Return copies of one swept surface."""
    surfaces = tuple(place_surface(swept.surface, move) for move in moves)
    notes = () if swept.tight is None else tuple(_tight_note(move.apply(swept.tight)) for move in moves[:MOST_NOTES])
    return SurfacesItem(SurfaceSet(surfaces, pattern=moves), (), notes, told=how_near(swept.largest))


class Sweep(SweptLine):
    """A surface of a profile carried along a path."""

    summary = "Carry a profile along a path: handles, rails, spouts, mouldings."
    words = ("along", "path", "follow", "moulding", "carry")
    sentence = f"**Sweep** {{profile}}[ and on the way {{others}}] {_REST}"

    verb: Literal["sweep"] = "sweep"
    profile: Annotated[str, ReferenceSpec("The flat curve to carry; its middle runs on the path.", "curve")] = ""
    others: Annotated[
        Items,
        ReferencesSpec(
            "More flat profiles, the last at the end; those between are spread evenly.", "curve", also=("curves",), least=0
        ),
    ] = []
    blend: Annotated[LawText, LawSpec("How far the profile has come to the last one: 0 to 1, or 0 to 1 eased.", least=0)] = (
        "0 to 1"
    )
    gives: SurfaceName = "sweep"

    def sentence_now(self) -> str:
        """Ask for the blend where there is more than one profile."""
        text = super().sentence_now()
        return text.replace("{others}", "{others}, coming over {blend},") if self.others else text

    def deciding_fields(self) -> list[str]:
        """Leave out the blend of one profile."""
        return [name for name in super().deciding_fields() if name != "blend" or self.others]

    def blend_law(self, given: Given) -> Law:
        """Return the law that was typed."""
        return given.law("blend") if self.others else EVENLY

    def build(self, given: Given) -> Item:
        """Lay the profiles flat about their middles, and sweep them."""
        profiles = [given.curve("profile").curve, *given.every_curve("others")]
        return self.sweep(given, [laid_flat(profile) for profile in profiles])


class Cord(SweptLine):
    """A cord, pipe, tube or strip along a path."""

    summary = "Run a round, oval or square cord along a path: pipes, ropes, wires, rails, strips."
    words = ("pipe", "tube", "rope", "wire", "rail", "strip", "cable", "bar")
    phrases = (
        *SweptLine.phrases,
        Phrase(r"{width} (?:thick|across)(?=,? along )"),
        Phrase(r"(?:of |with )?(?:a )?radius (?:of )?{width}", {"width": "2 * {width}"}, finds=False),
    )
    sentence = f"**Cord** {{section}}, {{width}} thick, {_REST}"
    wording_field = "section"
    wordings = {
        "oval": f"**Cord** {{section}}, {{width}} by {{height}}, {_REST}",
        "rectangular": f"**Cord** {{section}}, {{width}} by {{height}}, {_REST}",
    }

    verb: Literal["cord"] = "cord"
    section: Annotated[
        Literal["round", "oval", "square", "rectangular"],
        ChoiceSpec("The shape of its section.", ("round", "oval", "square", "rectangular")),
    ] = "round"
    width: Annotated[Number, NumberSpec("Its thickness, or width.", "length", least=0, above=True, most=1e6)] = "6 mm"
    height: Annotated[Number, NumberSpec("Its height.", "length", least=0, above=True, most=1e6)] = "3 mm"
    gives: SurfaceName = "cord"

    def build(self, given: Given) -> Item:
        """Make the section and sweep it."""
        width = given.number("width")
        if self.section == "round":
            return self.sweep(given, [make_circle((0, 0), width / 2)])
        height = width if self.section == "square" else given.number("height")
        if self.section == "oval":
            return self.sweep(given, [make_elliptic_arc((0, 0), width / 2, height / 2, 0.0, 0.0, 2 * pi)])
        return self.sweep(given, [make_rectangle(width, height)])
