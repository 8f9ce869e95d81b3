"""Curves from points placed on the board, and out of drawings."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal, cast

import numpy as np

from glass_spoon.formats.dxf import MAX_BYTES as MAX_DXF
from glass_spoon.formats.dxf import UnitUnknown, UnreadableDxf, read_dxf
from glass_spoon.formats.svg_paths import MAX_BYTES, SvgUnitUnknown, UnreadableSvg, read_svg
from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.link_curves import link_curves
from glass_spoon.kernel.curves.alter.mirror_weld import weld_mirrored
from glass_spoon.kernel.curves.alter.place_curve import place_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.make.interpolate import Spacing, interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.curves.make.pulled_curve import pulled_curve
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.sheet.fields import ChoiceSpec, FileSpec, Number, NumberSpec, PointsSpec, SheetPoint
from glass_spoon.sheet.items import CurveItem
from glass_spoon.sheet.line import Action, Given, Line
from glass_spoon.sheet.lines.draw.fields import CurveName, PlaneField, a_coordinate, an_angle
from glass_spoon.sheet.lines.draw.on_host import HOST, LED, Host, laid
from glass_spoon.sheet.phrase import Phrase
from glass_spoon.sheet.planes import PLANE_AXES, lift, plane_placement

End = Literal["free", "level", "upright", "at an angle"]
_ENDS = ("free", "level", "upright", "at an angle")
END_DIRECTIONS: dict[str, int] = {"level": 0, "upright": 1}
"""Which direction of the plane an end runs along: right or up."""

Manner = Literal["through", "pulled by", "straight through"]
_ANGLE_HELP = "Direction of travel at this end, counter-clockwise from right."


class Draw(Line):
    """A curve of points by a drawing plane."""

    chapter = "Draw"
    summary = "Draw a curve on the board: through points, pulled by control points, or straight from point to point."
    words = ("curve", "spline", "profile", "points", "sketch", "outline", "polyline", "control")
    phrases = (
        Phrase(
            r"(?:straight )?lines?(?= (?:from |through |between )?\(?\s*-?[\d.]+\s*,\s*-?[\d.]+\s*,\s*-?[\d.]+)",
            {"manner": "straight through"},
        ),
        Phrase(
            r"straight lines?|lines(?= (?:through|between|from))|line(?= from \x00)",
            {"manner": "straight through"},
            finds=False,
        ),
    )
    sentence = (
        "**Draw** {gives} {manner} {points}[ on the {plane} plane][, {shape}][; it starts {start} {start_angle} and ends {end} "
        "{end_angle}][, with {spacing} spacing][, of degree {degree}][, {half}]" + HOST + "."
    )
    led = LED
    gives_kind = "curve"

    verb: Literal["draw"] = "draw"
    gives: CurveName = "profile"
    manner: Annotated[
        Manner,
        ChoiceSpec(
            "Whether the curve runs through its points, is pulled by them, or goes straight from one to the next.",
            ("through", "pulled by", "straight through"),
        ),
    ] = "through"
    points: Annotated[list[SheetPoint], PointsSpec("Points of the curve: right, up and out of the plane.")] = []
    plane: PlaneField = "front"
    shape: Annotated[
        Literal["open", "closed"], ChoiceSpec("Whether the curve comes back to its first point.", ("open", "closed"))
    ] = "open"
    start: Annotated[End, ChoiceSpec("Direction at the first point; level meets an upright axis squarely.", _ENDS)] = "free"
    start_angle: Annotated[Number, an_angle(_ANGLE_HELP, "angle at the start")] = 0
    end: Annotated[End, ChoiceSpec("Direction at the last point; level meets an upright axis squarely.", _ENDS)] = "free"
    end_angle: Annotated[Number, an_angle(_ANGLE_HELP, "angle at the end")] = 0
    spacing: Annotated[
        Literal["chordal", "centripetal", "uniform"],
        ChoiceSpec(
            "How the parameter runs between points; centripetal calms sharp bends.", ("chordal", "centripetal", "uniform")
        ),
    ] = "chordal"
    half: Annotated[
        Literal["by itself", "with its mirror image"],
        ChoiceSpec(
            "Whether the other half, across the upright axis (in plan the front-back one), is drawn along.",
            ("by itself", "with its mirror image"),
        ),
    ] = "by itself"
    degree: Annotated[
        Number, NumberSpec("Degree: 1 is straight, 3 is usual, higher is softer.", least=1, most=7, whole=True)
    ] = 3
    host: Host = []

    def sentence_now(self) -> str:
        """Name the ends, the spacing and the degree only where they count."""
        head = "**Draw** {gives} {manner} {points}[ on the {plane} plane][, {shape}]"
        if self.shape == "open":
            head += "[, {half}]"
        if self.manner == "straight through":
            return f"{head}{HOST}."
        if self.manner == "pulled by":
            return f"{head}[, of degree {{degree}}]{HOST}."
        if self.shape == "closed":
            return f"{head}[, with {{spacing}} spacing]{HOST}."
        start = "{start} {start_angle}" if self.start == "at an angle" else "{start}"
        end = "{end} {end_angle}" if self.end == "at an angle" else "{end}"
        return f"{head}[; it starts {start} and ends {end}][, with {{spacing}} spacing]{HOST}."

    def build(self, given: Given) -> CurveItem:
        """Run through the points, or be pulled by them; the other half is welded on at the axis; then it is laid on."""
        item = self._one_half(given)
        if self.half != "by itself" and self.shape != "closed":
            item = CurveItem(weld_mirrored(item.curve, np.array(PLANE_AXES[self.plane][0]), 0.0))
        return laid(given, item, self.plane)

    def _one_half(self, given: Given) -> CurveItem:
        """Return the curve of the points themselves."""
        closed = self.shape == "closed"
        least = 3 if closed else 2
        if len(given.values["points"]) < least:
            raise KernelError(f"Place at least {least} points: click in the {self.plane} view.")
        places, sharp, weights = point_columns(self.plane, given.values["points"])
        if self.manner == "pulled by":
            return CurveItem(pulled_curve(places, given.count("degree"), weights, sharp, closed=closed))
        if self.manner == "straight through":
            return CurveItem(make_polyline(np.vstack((places, places[:1])) if closed else places))
        ends: dict[str, Floats | None] = {}
        if not closed:
            ends["start_tangent"] = self._tangent(given, "start", places[1] - places[0])
            ends["end_tangent"] = self._tangent(given, "end", places[-1] - places[-2])
        spacing = cast(Spacing, given.word("spacing"))
        return CurveItem(interpolate_points(places, sharp, closed=closed, spacing=spacing, **ends))

    def _tangent(self, given: Given, name: str, chord: Floats) -> Floats | None:
        """Return the direction (3,) that an end runs along: level and upright on the side of its chord."""
        end = getattr(self, name)
        if end == "free":
            return None
        if end == "at an angle":
            turn = given.number(f"{name}_angle")
            return lift(self.plane, np.array([np.cos(turn)]), np.array([np.sin(turn)]))[0]
        direction = np.array(PLANE_AXES[self.plane][END_DIRECTIONS[end]])
        return direction if chord @ direction >= 0 else -direction


def point_columns(plane: str, points: list[Any]) -> tuple[Floats, Floats, Floats]:
    """Return places (n, 3) mm, sharp (n,) and weights (n,) of resolved points."""
    right, up, out, sharp, weights = (np.array(column) for column in zip(*points, strict=True))
    return lift(plane, right, up, out), sharp, weights


class _Imported(Line):
    """What curves out of drawings have in common: their unit, and where they are put."""

    chapter = "Draw"
    gives_kind = "curve"
    unit_actions: ClassVar[tuple[str, ...]] = ()

    gives: CurveName = "profile"
    path: Annotated[
        Number,
        NumberSpec("Which curve of the drawing, counted from 1.", label="curve number", least=1, most=20000, whole=True),
    ] = 1
    plane: PlaneField = "front"
    placed: Annotated[
        Literal["as drawn", "standing on the base line"],
        ChoiceSpec(
            "Keep the drawing's own place, or put the lowest point at height zero.",
            ("as drawn", "standing on the base line"),
        ),
    ] = "standing on the base line"
    right: Annotated[Number, a_coordinate("Moves the curve to the right.", "move to the right")] = "0 mm"
    up: Annotated[Number, a_coordinate("Moves the curve up.", "move up")] = "0 mm"

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer the usual units."""
        if isinstance(error, UnitMissing):
            return tuple(Action(f"Drawn in {unit}", "unit", unit) for unit in self.unit_actions)
        return ()

    def _put(self, given: Given, curves: list[NurbsCurve]) -> CurveItem:
        """Take the curve asked for and put it on its plane."""
        number = given.count("path")
        if number > len(curves):
            raise InvalidInput("The path", f"1 to {len(curves)}: the drawing has {len(curves)}", str(number))
        flat = curves[number - 1]
        drop = float(flat.control_points[:, 1].min()) if self.placed == "standing on the base line" else 0.0
        return CurveItem(place_curve(flat, plane_placement(self.plane, given.number("right"), given.number("up") - drop)))


class ImportCurve(_Imported):
    """A path of an SVG drawing as a curve on a drawing plane."""

    summary = "Import a path of an SVG drawing, exactly."
    words = ("svg", "file", "path", "load", "drawing", "open", "insert")
    sentence = (
        "**Import curve** {gives} from[ path {path} of] {svg}[, drawn in {unit}][, onto the {plane} plane][, {placed}]"
        "[, moved {right} right and {up} up]."
    )
    unit_actions: ClassVar[tuple[str, ...]] = ("mm", "px", "inch")

    verb: Literal["import_curve"] = "import_curve"
    svg: Annotated[str, FileSpec("The SVG drawing.", endings=".svg")] = ""
    unit: Annotated[
        Literal["the file's unit", "mm", "cm", "m", "inch", "foot", "px"],
        ChoiceSpec(
            "The unit it was drawn in; 96 px are one inch.", ("the file's unit", "mm", "cm", "m", "inch", "foot", "px")
        ),
    ] = "the file's unit"

    def build(self, given: Given) -> CurveItem:
        """Read the drawing and place the path."""
        if not self.svg.strip():
            raise KernelError("Choose an SVG file: click “no drawing yet”.")
        if len(self.svg) > MAX_BYTES:
            raise KernelError(f"The drawing is larger than {MAX_BYTES:,} bytes. Keep only the paths you need.")
        try:
            paths = read_svg(self.svg.encode(), "" if self.unit == "the file's unit" else self.unit)
        except SvgUnitUnknown as error:
            raise UnitMissing(str(error)) from error
        except UnreadableSvg as error:
            raise KernelError(str(error)) from error
        return self._put(given, [path.curve for path in paths])


class ImportDxf(_Imported):
    """A curve of a DXF drawing on a drawing plane."""

    summary = "Import a curve of a DXF drawing, exactly; pieces that touch may be linked into one."
    words = ("dxf", "file", "load", "drawing", "cad", "insert")
    sentence = (
        "**Import DXF** {gives} from[ curve {path} of] {dxf}[, drawn in {unit}][, its pieces {linked}][, onto the {plane} plane]"
        "[, {placed}][, moved {right} right and {up} up]."
    )
    unit_actions: ClassVar[tuple[str, ...]] = ("mm", "cm", "inch")

    verb: Literal["import_dxf"] = "import_dxf"
    dxf: Annotated[str, FileSpec("The DXF drawing, as text.", endings=".dxf")] = ""
    unit: Annotated[
        Literal["the file's unit", "mm", "cm", "m", "inch", "foot"],
        ChoiceSpec("The unit it was drawn in.", ("the file's unit", "mm", "cm", "m", "inch", "foot")),
    ] = "the file's unit"
    linked: Annotated[
        Literal["linked where they touch", "kept apart"],
        ChoiceSpec("Whether pieces that meet end to end are one curve.", ("linked where they touch", "kept apart")),
    ] = "linked where they touch"

    def build(self, given: Given) -> CurveItem:
        """Read the drawing and place the curve."""
        if not self.dxf.strip():
            raise KernelError("Choose a DXF file: click “no drawing yet”.")
        if len(self.dxf) > MAX_DXF:
            raise KernelError(f"The drawing is larger than {MAX_DXF:,} bytes. Keep only the curves you need.")
        try:
            drawing = read_dxf(self.dxf.encode(), "" if self.unit == "the file's unit" else self.unit)
        except UnitUnknown as error:
            raise UnitMissing(str(error)) from error
        except UnreadableDxf as error:
            raise KernelError(str(error)) from error
        curves = [item.curve for item in drawing.curves]
        return self._put(given, link_curves(curves, 1e-4) if self.linked == "linked where they touch" else curves)


class UnitMissing(KernelError):
    """A drawing that does not say its unit."""
