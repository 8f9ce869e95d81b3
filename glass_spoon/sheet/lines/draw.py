"""The Draw chapter: curves from points and from drawings, and work on curves."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.formats.svg_paths import MAX_BYTES, UnreadableSvg, read_svg
from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.curve import NurbsCurve
from glass_spoon.kernel.curves.interpolate import interpolate_points
from glass_spoon.kernel.curves.round_corners import round_corners
from glass_spoon.kernel.errors import InvalidInput, KernelError, RadiusTooLarge, floor_text
from glass_spoon.sheet.fields import (
    ChoiceSpec,
    FileSpec,
    ItemName,
    NameSpec,
    Number,
    NumberSpec,
    Plane,
    PointsSpec,
    ReferenceSpec,
    SheetPoint,
)
from glass_spoon.sheet.items import CurveItem, Item
from glass_spoon.sheet.line import Action, Given, Line
from glass_spoon.sheet.planes import PLANE_AXES, lift

PlaneField = Annotated[Plane, ChoiceSpec("The drawing view that the curve lies in.", ("front", "side", "plan"))]
End = Literal["free", "level", "upright"]
_ENDS = ("free", "level", "upright")
END_DIRECTIONS: dict[str, int] = {"level": 0, "upright": 1}
"""Which direction of the plane an end runs along: right or up."""


class Draw(Line):
    """A smooth curve through points on a drawing plane."""

    chapter = "Draw"
    summary = "Draw a curve through points on the board."
    words = ("curve", "spline", "profile", "points", "sketch", "outline", "line")
    sentence = (
        "**Draw** {gives} through {points} on the {plane} plane, {shape}; it starts {start} and ends {end}, "
        "with {spacing} spacing."
    )
    gives_kind = "curve"

    verb: Literal["draw"] = "draw"
    gives: Annotated[ItemName, NameSpec("Name of the curve.")] = "profile"
    points: Annotated[list[SheetPoint], PointsSpec("Points that the curve runs through: right and up on the plane.")] = []
    plane: PlaneField = "front"
    shape: Annotated[
        Literal["open", "closed"], ChoiceSpec("Whether the curve comes back to its first point.", ("open", "closed"))
    ] = "open"
    start: Annotated[End, ChoiceSpec("Direction at the first point; level meets an upright axis squarely.", _ENDS)] = "free"
    end: Annotated[End, ChoiceSpec("Direction at the last point; level meets an upright axis squarely.", _ENDS)] = "free"
    spacing: Annotated[
        Literal["chordal", "centripetal"],
        ChoiceSpec("How the parameter runs between points; centripetal calms sharp bends.", ("chordal", "centripetal")),
    ] = "chordal"

    def sentence_now(self) -> str:
        """Leave out the ends of a closed curve."""
        if self.shape == "closed":
            return "**Draw** {gives} through {points} on the {plane} plane, {shape}, with {spacing} spacing."
        return self.sentence

    def build(self, given: Given) -> CurveItem:
        """Interpolate the points."""
        points = given.values["points"]
        least = 3 if self.shape == "closed" else 2
        if len(points) < least:
            raise KernelError(f"Place at least {least} points: click in the {self.plane} view.")
        right, up, sharp = (np.array(column) for column in zip(*points, strict=True))
        places = lift(self.plane, right, up)
        tangents: tuple[Floats | None, Floats | None] = (None, None)
        if self.shape == "open":
            tangents = self._tangent(self.start, places[1] - places[0]), self._tangent(self.end, places[-1] - places[-2])
        curve = interpolate_points(places, sharp, self.shape == "closed", self.spacing, *tangents)
        return CurveItem(curve)

    def _tangent(self, end: End, chord: Floats) -> Floats | None:
        """Return the direction (3,) that an end runs along, on the side of its chord."""
        if end == "free":
            return None
        direction = np.array(PLANE_AXES[self.plane][END_DIRECTIONS[end]])
        return direction if chord @ direction >= 0 else -direction


class ImportCurve(Line):
    """A path of an SVG drawing as a curve on a drawing plane."""

    chapter = "Draw"
    summary = "Import a path of an SVG drawing, exactly."
    words = ("svg", "file", "path", "load", "drawing", "open", "insert")
    sentence = (
        "**Import curve** {gives} from path {path} of {svg} onto the {plane} plane, {placed}, "
        "moved {right} right and {up} up."
    )
    gives_kind = "curve"

    verb: Literal["import_curve"] = "import_curve"
    gives: Annotated[ItemName, NameSpec("Name of the curve.")] = "profile"
    svg: Annotated[str, FileSpec("The SVG drawing; its units are honoured.")] = ""
    path: Annotated[
        Number,
        NumberSpec("Which path of the drawing, counted from 1.", label="path number", least=1, most=20000, whole=True),
    ] = 1
    plane: PlaneField = "front"
    placed: Annotated[
        Literal["as drawn", "standing on the base line"],
        ChoiceSpec(
            "Keep the drawing's own place (its y turned up), or put the lowest point at height zero.",
            ("as drawn", "standing on the base line"),
        ),
    ] = "standing on the base line"
    right: Annotated[
        Number, NumberSpec("Moves the curve to the right.", "length", label="move to the right", least=-1e6, most=1e6)
    ] = "0 mm"
    up: Annotated[Number, NumberSpec("Moves the curve up.", "length", label="move up", least=-1e6, most=1e6)] = "0 mm"

    def build(self, given: Given) -> CurveItem:
        """Read the drawing and place the path."""
        if not self.svg.strip():
            raise KernelError("Choose an SVG file: click “no drawing yet”.")
        if len(self.svg) > MAX_BYTES:
            raise KernelError(f"The drawing is larger than {MAX_BYTES:,} bytes. Keep only the paths you need.")
        try:
            paths = read_svg(self.svg.encode())
        except UnreadableSvg as error:
            raise KernelError(str(error)) from error
        number = given.count("path")
        if number > len(paths):
            raise InvalidInput("The path", f"1 to {len(paths)}: the drawing has {len(paths)}", str(number))
        flat = paths[number - 1].curve
        right, up = flat.control_points[:, 0], flat.control_points[:, 1]
        if self.placed == "standing on the base line":
            up = up - up.min()
        control = lift(self.plane, right + given.number("right"), up + given.number("up"))
        return CurveItem(NurbsCurve(flat.degree, flat.knots, control, flat.weights))


class Round(Line):
    """Round the sharp points of a curve."""

    chapter = "Draw"
    summary = "Round the sharp points of a curve by exact tangent arcs."
    words = ("fillet", "radius", "corner", "soften")
    sentence = "**Round** the sharp points of {curve} to {radius}."

    verb: Literal["round"] = "round"
    curve: Annotated[str, ReferenceSpec("The curve to round.", "curve", changes=True)] = ""
    radius: Annotated[Number, NumberSpec("Radius of the arcs.", "length", least=0, above=True, most=1e6, step=0.5)] = "3 mm"

    def build(self, given: Given) -> Item:
        """Round every sharp point."""
        return CurveItem(round_corners(given.curve("curve").curve, given.number("radius")))

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer the largest radius that fits."""
        if isinstance(error, RadiusTooLarge) and error.largest > 0:
            largest = f"{floor_text(error.largest).rstrip('0').rstrip('.')} mm"
            return (Action(f"Use {largest}", "radius", largest),)
        return ()
