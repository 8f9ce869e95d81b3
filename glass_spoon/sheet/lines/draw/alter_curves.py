"""Work on curves: corners, ends, offsets, and their points."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.edit_knots import reverse_curve
from glass_spoon.kernel.curves.alter.offset_curve import offset_curve
from glass_spoon.kernel.curves.alter.refit_curve import even_points, refit_curve
from glass_spoon.kernel.curves.alter.round_corners import SHARP_ANGLE, round_at_most, round_corners, sharp_params
from glass_spoon.kernel.curves.alter.work_on_ends import (
    chamfer_corners,
)
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import closed_at_kink, curve_points
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.curves.read.plane_of_curve import find_plane
from glass_spoon.kernel.errors import InvalidInput, KernelError, place_text
from glass_spoon.kernel.surfaces.alter.offset_on_surface import offset_on_surface
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_normals
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.sheet.fields import ChoiceSpec, Corners, CornersSpec, Items, Number, NumberSpec, ReferencesSpec
from glass_spoon.sheet.items import CurveItem, Item
from glass_spoon.sheet.line import Action, Finding, Given, Line
from glass_spoon.sheet.lines.draw.fields import Changed, CurveName, OneCurve, Tolerance, a_length
from glass_spoon.sheet.lines.draw.shapes import _largest
from glass_spoon.sheet.phrase import Phrase
from glass_spoon.sheet.planes import PLANE_AXES


def corner_params(curve: NurbsCurve) -> Floats:
    """Return the parameters (k,) of a curve's sharp points in the order they are counted: a sharp seam comes first."""
    seam = curve.is_closed(1e-6) and closed_at_kink(curve, SHARP_ANGLE)
    return np.concatenate((curve.domain[:1] if seam else [], sharp_params(curve)))


def corner_places(curve: NurbsCurve) -> Floats:
    """Return the places (k, 3) of a curve's sharp points in the order they are counted."""
    return curve_points(curve, corner_params(curve))


class CornerWork(Line):
    """What works on corners: one value for all, and own values for some."""

    chapter = "Draw"

    def _values(self, given: Given, curve: NurbsCurve, all_of_them: float) -> Floats:
        """Return the value (k,) of each sharp point; those of their own come first to count."""
        count = len(corner_places(curve))
        values = np.full(max(count, 1), all_of_them)
        for corner, value in given.values["own"]:
            if corner > count:
                raise InvalidInput("The corner", f"1 to {count}: the curve has {count} sharp points", str(corner))
            values[corner - 1] = value
        return values


class Round(CornerWork):
    """Round the sharp points of a curve."""

    summary = "Round the sharp points of a curve by exact tangent arcs."
    words = ("fillet", "radius", "corner", "soften")
    sentence = "**Round** the sharp points of {curve} to {fit} {radius}[, with {own}]."

    verb: Literal["round"] = "round"
    curve: Changed = ""
    fit: Annotated[
        Literal["exactly", "at most"],
        ChoiceSpec("Whether a radius that does not fit is refused, or taken as large as fits.", ("exactly", "at most")),
    ] = "exactly"
    radius: Annotated[
        Number, NumberSpec("Radius of the arcs; 0 keeps them sharp.", "length", least=0, most=1e6, step=0.5)
    ] = "3 mm"
    own: Annotated[Corners, CornersSpec("Corners with a radius of their own, counted along the curve; 0 stays sharp.")] = []

    def build(self, given: Given) -> Item:
        """Round every sharp point that has a radius."""
        curve = given.curve("curve").curve
        values = self._values(given, curve, given.number("radius"))
        if self.fit == "exactly":
            return CurveItem(round_corners(curve, values))
        rounded, taken = round_at_most(curve, values)
        wanted = np.broadcast_to(values, taken.shape)
        less = [f"corner {k + 1} to {taken[k]:.4g} mm" for k in np.flatnonzero(taken < wanted)]
        return CurveItem(rounded, told=f"Rounded less where no more fits: {', '.join(less)}." if less else "")

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer the largest radius that fits, or as large a one at each corner as fits there."""
        offers = _largest(error, "radius")
        return (*offers, Action("As large as fits", "fit", "at most")) if offers else ()


class Chamfer(CornerWork):
    """Cut the sharp points of a curve off."""

    summary = "Cut the sharp points of a curve off by straight lines."
    words = ("bevel", "corner", "cut", "setback")
    sentence = "**Chamfer** the sharp points of {curve} by {setback}[, with {own}]."

    verb: Literal["chamfer"] = "chamfer"
    curve: Changed = ""
    setback: Annotated[Number, a_length("How far along the curve each cut starts from its corner.", 0.5, zero=True)] = "3 mm"
    own: Annotated[Corners, CornersSpec("Corners with a cut of their own, counted along the curve; 0 stays sharp.")] = []

    def build(self, given: Given) -> Item:
        """Cut every sharp point that has a setback."""
        curve = given.curve("curve").curve
        return CurveItem(chamfer_corners(curve, self._values(given, curve, given.number("setback"))))

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer the largest cut that fits."""
        return _largest(error, "setback")


class Offset(Line):
    """A curve at an even distance from another."""

    chapter = "Draw"
    summary = "Offset a flat curve by an even distance; exact for lines and arcs, loops cut away. Or a curve on a surface along it."
    words = ("parallel", "inset", "outset", "thickness", "wall", "geodesic", "along a surface")
    phrases = (
        Phrase(r"outwards?", {"side": "outside"}, finds=False),
        Phrase(r"inwards?", {"side": "inside"}, finds=False),
    )
    sentence = (
        "**Offset** {curve} by {distance} to the {side}[, along {surface}][, corners {corner}][, within {tolerance}], giving "
        "{gives}."
    )
    led = {"surface": r"(?:along|on|over|across) (?:the )?"}
    gives_kind = "curve"

    verb: Literal["offset"] = "offset"
    curve: OneCurve = ""
    distance: Annotated[Number, a_length("Distance from the curve.", 0.5)] = "2 mm"
    side: Annotated[
        Literal["outside", "inside", "left", "right"],
        ChoiceSpec(
            "Outside or inside of a closed curve; left or right of an open one, as it runs.",
            ("outside", "inside", "left", "right"),
        ),
    ] = "outside"
    surface: Annotated[
        Items,
        ReferencesSpec(
            "The surface that it lies on, and along which it is moved; none for its own plane.",
            "surface",
            also=("surfaces",),
            least=0,
        ),
    ] = []
    corner: Annotated[Literal["round", "sharp"], ChoiceSpec("How gaps at outer corners are closed.", ("round", "sharp"))] = (
        "round"
    )
    tolerance: Tolerance = "0.001 mm"
    gives: CurveName = "offset"

    def build(self, given: Given) -> Item:
        """Offset it; of several pieces the longest is given."""
        curve = given.curve("curve").curve
        hosts = [surface for shape in given.every_set("surface") for surface in shape.surfaces]
        if hosts:
            return self._along(given, curve, hosts)
        distance = given.number("distance") * (1 if self._to_left(curve, plane_of(curve)) else -1)
        normal = plane_of(curve)
        pieces = offset_curve(curve, distance, normal, self.corner, given.number("tolerance"))
        return CurveItem(
            pieces[0],
            notes=(f"The offset falls into {len(pieces)} pieces; the longest is kept.",) if len(pieces) > 1 else (),
        )

    def _to_left(self, curve: NurbsCurve, normal: Floats) -> bool:
        """Say whether the side asked for lies to the left of a curve, seen against a normal (3,)."""
        points = curve_points(curve, np.linspace(*curve.domain, 257))
        area = float(np.cross(points[:-1] - points[0], points[1:] - points[0]).sum(axis=0) @ normal)
        return {"left": True, "right": False, "outside": area < 0, "inside": area > 0}[self.side]

    def _along(self, given: Given, curve: NurbsCurve, hosts: list[NurbsSurface]) -> CurveItem:
        """Move it along the surface that it lies on."""
        if len(hosts) > 1:
            raise KernelError(f"It holds {len(hosts)} surfaces, and a curve is moved along one: Take it by its number.")
        u, v, _ = closest_points(hosts[0], curve_points(curve, np.linspace(*curve.domain, 65)))
        normal = surface_normals(hosts[0], u, v).sum(axis=0)
        distance = given.number("distance") * (1 if self._to_left(curve, normal) else -1)
        made = offset_on_surface(curve, hosts[0], distance, given.number("tolerance"))
        back = (
            f"At {place_text(made.back[0])} it runs backwards: the curve bends more tightly there than it is moved. Move it by "
            "less."
            if len(made.back)
            else ""
        )
        return CurveItem(made.curve, (back,) if back else ())

    def inspect(self, item: Item) -> list[Finding]:
        """Tell of pieces that were left out."""
        return notes_of(item)


def plane_of(curve: NurbsCurve) -> Floats:
    """Return the normal (3,) of a flat curve, towards the viewer of the drawing plane it lies in where there is one."""
    for right, up in PLANE_AXES.values():
        normal = np.cross(right, up)
        if np.ptp(curve.control_points @ normal) < 1e-9 * (1 + np.abs(curve.control_points).max()):
            return normal
    plane = find_plane(curve, 1e-6)
    return np.cross(plane.axes[0], plane.axes[1])


def notes_of(item: Item) -> list[Finding]:
    """Return what a curve's making left to tell."""
    return [Finding("note", "look", note) for note in item.notes] if isinstance(item, CurveItem) else []


class Reverse(Line):
    """Turn a curve's direction round."""

    chapter = "Draw"
    summary = "Reverse the direction of a curve."
    words = ("flip", "direction", "turn round", "backwards")
    sentence = "**Reverse** {curve}."

    verb: Literal["reverse"] = "reverse"
    curve: Changed = ""

    def build(self, given: Given) -> Item:
        """Run through it from its end."""
        return CurveItem(reverse_curve(given.curve("curve").curve))


class Respace(Line):
    """Give a curve evenly spaced points."""

    chapter = "Draw"
    summary = "Respace a curve: points evenly by its length, corners kept."
    words = ("rebuild", "even", "divide", "resample", "points")
    sentence = "**Respace** {curve} into {measure} {count}[, {between}]."
    wording_field = "measure"
    wordings = {"steps of": "**Respace** {curve} into {measure} {step}[, {between}]."}

    verb: Literal["respace"] = "respace"
    curve: Changed = ""
    measure: Annotated[
        Literal["so many steps:", "steps of"],
        ChoiceSpec("By the number of steps, or by their length.", ("so many steps:", "steps of")),
    ] = "so many steps:"
    count: Annotated[Number, NumberSpec("Number of steps.", least=1, most=20000, whole=True)] = 24
    step: Annotated[Number, a_length("Length of a step, about.")] = "5 mm"
    between: Annotated[
        Literal["smooth between points", "straight between points"],
        ChoiceSpec("How the curve runs from point to point.", ("smooth between points", "straight between points")),
    ] = "smooth between points"

    def build(self, given: Given) -> Item:
        """Draw through the even points."""
        curve = given.curve("curve").curve
        count = given.count("count") if self.measure == "so many steps:" else self._steps(given, curve)
        points = even_points(curve, count)
        if self.between == "straight between points":
            return CurveItem(make_polyline(points.places))
        closed = curve.is_closed(1e-9)
        if closed and not closed_at_kink(curve, SHARP_ANGLE) and count >= 3:
            return CurveItem(interpolate_points(points.places[:-1], points.sharp[:-1], closed=True))
        return CurveItem(interpolate_points(points.places, points.sharp))

    def _steps(self, given: Given, curve: NurbsCurve) -> int:
        count = round(measure_length(curve).length / given.number("step"))
        if count > 20_000:
            raise InvalidInput("The step", "longer: that would be more than 20,000 steps", f"{given.number('step'):g} mm")
        return max(1, count)


class Refit(Line):
    """Write a curve with the fewest points."""

    chapter = "Draw"
    summary = "Refit a curve with the fewest points that keep it within a tolerance."
    words = ("simplify", "reduce", "fewest", "fit", "fair", "convert", "degree")
    sentence = "**Refit** {curve} with the fewest control points[ of degree {degree}] within {tolerance}."

    verb: Literal["refit"] = "refit"
    curve: Changed = ""
    degree: Annotated[Number, NumberSpec("Degree of the new curve.", least=1, most=7, whole=True)] = 3
    tolerance: Tolerance = "0.05 mm"

    def build(self, given: Given) -> Item:
        """Refit it."""
        old = given.curve("curve").curve
        fit = refit_curve(old, given.number("tolerance"), given.count("degree"))
        before, after = len(old.control_points), len(fit.curve.control_points)
        return CurveItem(
            fit.curve, told=f"{before} control points became {after}; the largest distance is {fit.largest:.2g} mm."
        )


def told_by(item: Any) -> str:
    """Return the sentence that a curve's making left, "" for none."""
    return item.told if isinstance(item, CurveItem) else ""
