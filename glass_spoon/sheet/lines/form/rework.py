"""Work on surfaces."""

from __future__ import annotations

from typing import Annotated, Literal

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.surfaces.edit_surface import isocurve, reverse_surface, split_surface
from glass_spoon.sheet.fields import ChoiceSpec, ItemName, NameSpec, Number, NumberSpec, ReferenceSpec
from glass_spoon.sheet.items import CurveItem, SurfaceItem
from glass_spoon.sheet.line import Given, Line
from glass_spoon.sheet.lines.form.fields import SurfaceName

Running = Literal["round", "along"]
OneSurface = Annotated[str, ReferenceSpec("A surface.", "surface")]


class Isocurve(Line):
    """A curve that lies on a surface."""

    chapter = "Form"
    summary = "Take an isocurve or an edge of a surface as a curve."
    words = ("edge", "rim", "extract", "border", "line on a surface")
    sentence = "**Isocurve** {gives} of {surface}, running {way} it, {share} of the way across."
    gives_kind = "curve"

    verb: Literal["isocurve"] = "isocurve"
    gives: Annotated[ItemName, NameSpec("Name of the curve.")] = "isocurve"
    surface: OneSurface = ""
    way: Annotated[Running, ChoiceSpec("Which way it runs on the surface.", ("round", "along"))] = "round"
    share: Annotated[Number, NumberSpec("Where: 0 and 1 are the edges.", least=0, most=1, step=0.05)] = 1

    def build(self, given: Given) -> CurveItem:
        """Take it, exactly."""
        surface = given.surface("surface").surface
        axis = 0 if self.way == "round" else 1
        low, high = surface.domain(1 - axis)
        curve = isocurve(surface, axis, low + given.number("share") * (high - low))
        if lengths(curve.control_points - curve.control_points[0]).max() < 1e-9:
            raise KernelError("The surface is one point there. Choose another share.")
        return CurveItem(curve)


class SplitSurface(Line):
    """One part of a surface cut in two."""

    chapter = "Form"
    summary = "Cut a surface at an isocurve and take one part; the surface itself stays."
    words = ("cut", "divide", "collar", "part of a surface")
    sentence = "**Cut** {surface} across, {share} of the way {way} it, giving its {part} part as {gives}."
    gives_kind = "surface"

    verb: Literal["cut_surface"] = "cut_surface"
    surface: OneSurface = ""
    share: Annotated[Number, NumberSpec("Where: 0 is the start, 1 the end.", least=0.001, most=0.999, step=0.05)] = 0.5
    way: Annotated[Running, ChoiceSpec("The way that is shared.", ("round", "along"))] = "along"
    part: Annotated[Literal["first", "second"], ChoiceSpec("Which part is given.", ("first", "second"))] = "first"
    gives: SurfaceName = "part"

    def build(self, given: Given) -> SurfaceItem:
        """Cut at the parameter."""
        surface = given.surface("surface").surface
        axis = 0 if self.way == "round" else 1
        low, high = surface.domain(axis)
        parts = split_surface(surface, axis, low + given.number("share") * (high - low))
        return SurfaceItem(parts[0 if self.part == "first" else 1])


class Flip(Line):
    """Turn a surface inside out."""

    chapter = "Form"
    summary = "Turn a surface round, so that its other side faces out."
    words = ("reverse", "normals", "inside out", "facing")
    sentence = "**Flip** {surface}, so that its other side faces out."

    verb: Literal["flip"] = "flip"
    surface: Annotated[str, ReferenceSpec("The surface to turn.", "surface", changes=True)] = ""

    def build(self, given: Given) -> SurfaceItem:
        """Run it backwards round."""
        return SurfaceItem(reverse_surface(given.surface("surface").surface, 0))
