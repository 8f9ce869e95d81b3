"""Profiles and cords along a path."""

from __future__ import annotations

from math import pi
from typing import Annotated, Literal

from glass_spoon.kernel.curves.curve import NurbsCurve
from glass_spoon.kernel.curves.flat_shapes import make_circle, make_elliptic_arc, make_rectangle
from glass_spoon.kernel.surfaces.sweep import SweepShape, sweep_profile
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec, ReferenceSpec
from glass_spoon.sheet.items import Item, SurfaceItem
from glass_spoon.sheet.line import Finding, Given, Line
from glass_spoon.sheet.lines.form.fields import FinishShape, ScaleLaw, StartShape, SurfaceName, TwistLaw, laid_flat, noted

_REST = (
    "along {path}, {facing}, scaled {scale}, twisted {twist}, start {start}, end {end}, within {tolerance}, giving {gives}."
)


class SweptLine(Line):
    """What sweeps have in common."""

    chapter = "Form"
    gives_kind = "surface"

    path: Annotated[str, ReferenceSpec("The curve to follow.", "curve")] = ""
    facing: Annotated[
        Literal["least twist", "upright"],
        ChoiceSpec(
            "Carried along with least twist, or kept upright.", ("least twist", "upright"), ("with least twist", "upright")
        ),
    ] = "least twist"
    scale: ScaleLaw = "1"
    twist: TwistLaw = "0°"
    start: StartShape = "flat"
    end: FinishShape = "flat"
    tolerance: Annotated[
        Number, NumberSpec("How far the surface may be off.", "length", least=1e-6, most=1e3, step=0.01)
    ] = "0.01 mm"

    def sweep(self, given: Given, profile: NurbsCurve) -> SurfaceItem:
        """Sweep a profile that lies in the xy plane."""
        ends = (self.start, self.end) if profile.is_closed(1e-6) else ("open", "open")
        shape = SweepShape(self.facing, given.law("scale"), given.law("twist"), ends)  # type: ignore[arg-type]
        swept = sweep_profile(profile, given.curve("path").curve, shape, given.number("tolerance"))
        if swept.tight is None:
            return SurfaceItem(swept.surface)
        x, y, z = swept.tight
        note = f"The profile is too wide for the bend at x {x:.1f}, y {y:.1f}, z {z:.1f} mm: it folds there."
        return SurfaceItem(swept.surface, (note,))

    def inspect(self, item: Item) -> list[Finding]:
        """Tell of a bend that is too tight."""
        return noted(item, "tight")


class Sweep(SweptLine):
    """A surface of a profile carried along a path."""

    summary = "Carry a profile along a path: handles, rails, spouts, mouldings."
    words = ("along", "path", "follow", "moulding", "carry")
    sentence = f"**Sweep** {{profile}} {_REST}"

    verb: Literal["sweep"] = "sweep"
    profile: Annotated[str, ReferenceSpec("The flat curve to carry; its middle runs on the path.", "curve")] = ""
    gives: SurfaceName = "sweep"

    def build(self, given: Given) -> SurfaceItem:
        """Lay the profile flat about its middle, and sweep it."""
        return self.sweep(given, laid_flat(given.curve("profile").curve))


class Cord(SweptLine):
    """A cord, pipe, tube or strip along a path."""

    summary = "Run a round, oval or square cord along a path: pipes, ropes, wires, rails, strips."
    words = ("pipe", "tube", "rope", "wire", "rail", "strip", "cable", "bar")
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

    def build(self, given: Given) -> SurfaceItem:
        """Make the section and sweep it."""
        width = given.number("width")
        if self.section == "round":
            return self.sweep(given, make_circle((0, 0), width / 2))
        height = width if self.section == "square" else given.number("height")
        if self.section == "oval":
            return self.sweep(given, make_elliptic_arc((0, 0), width / 2, height / 2, 0.0, 0.0, 2 * pi))
        return self.sweep(given, make_rectangle(width, height))
