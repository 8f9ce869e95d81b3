"""Work on curves: corners, ends, offsets, and their points."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.edit_knots import reverse_curve, split_curve
from glass_spoon.kernel.curves.alter.offset_curve import offset_curve
from glass_spoon.kernel.curves.alter.refit_curve import even_points, refit_curve
from glass_spoon.kernel.curves.alter.round_corners import SHARP_ANGLE, round_at_most, round_corners, sharp_params
from glass_spoon.kernel.curves.alter.work_on_ends import (
    blend_ends,
    chamfer_corners,
    extend_curve,
    extend_to,
    join_ends,
    trim_to,
)
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import closed_at_kink, curve_points
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.curves.read.cross_curves import find_crossings
from glass_spoon.kernel.curves.read.plane_of_curve import find_plane
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.sheet.fields import ChoiceSpec, Corners, CornersSpec, Number, NumberSpec
from glass_spoon.sheet.items import CurveItem, Item
from glass_spoon.sheet.line import Action, Finding, Given, Line
from glass_spoon.sheet.lines.draw.fields import Changed, CurveName, OneCurve, Tolerance, a_length
from glass_spoon.sheet.lines.draw.shapes import _largest
from glass_spoon.sheet.lines.mesh_work.fields import length_text
from glass_spoon.sheet.phrase import Phrase
from glass_spoon.sheet.planes import PLANE_AXES

Ended = Literal["start", "end"]


def _end(help_text: str) -> ChoiceSpec:
    return ChoiceSpec(help_text, ("start", "end"))


JoinedEnd = Literal["nearest", "start", "end"]

MOVED_FAR = 0.02
"""Share of a curve's length; an end that is moved further bends it visibly."""


def _joined_end(help_text: str) -> ChoiceSpec:
    return ChoiceSpec(help_text, ("nearest", "start", "end"), ("nearest end", "start", "end"))


def corner_places(curve: NurbsCurve) -> Floats:
    """Return the places (k, 3) of a curve's sharp points in the order they are counted: a sharp seam comes first."""
    seam = curve.is_closed(1e-6) and closed_at_kink(curve, SHARP_ANGLE)
    return curve_points(curve, np.concatenate((curve.domain[:1] if seam else [], sharp_params(curve))))


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
    sentence = "**Round** the sharp points of {curve} to {fit} {radius}, with {own}."

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
    sentence = "**Chamfer** the sharp points of {curve} by {setback}, with {own}."

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


class Join(Line):
    """Join two curves into one."""

    chapter = "Draw"
    summary = "Join two curves into one at their nearest ends, or at those that are said."
    words = ("weld", "connect", "merge", "link", "together")
    phrases = (
        Phrase(r"(?:a )?(?:straight )?line between", {"way": "a line between"}, finds=False),
        Phrase(r"(?:a )?blend between", {"way": "a blend between"}, finds=False),
    )
    sentence = (
        "**Join** the {first_end} of {first} and the {second_end} of {second} into {gives}; where they are more than {tolerance} "
        "apart, {way}."
    )
    gives_kind = "curve"

    verb: Literal["join"] = "join"
    first: OneCurve = ""
    first_end: Annotated[JoinedEnd, _joined_end("Which end of the first one.")] = "nearest"
    second: OneCurve = ""
    second_end: Annotated[JoinedEnd, _joined_end("Which end of the second one.")] = "nearest"
    gives: CurveName = "joined"
    tolerance: Tolerance = "0.01 mm"
    way: Annotated[
        Literal["first moves", "second moves", "both meet halfway", "a blend between", "a line between"],
        ChoiceSpec(
            "Which end may move; a blend or a straight line between leaves both where they are.",
            ("first moves", "second moves", "both meet halfway", "a blend between", "a line between"),
            (
                "the first one moves",
                "the second one moves",
                "both meet halfway",
                "a blend goes between",
                "a straight line goes between",
            ),
        ),
    ] = "second moves"

    def build(self, given: Given) -> Item:
        """Join them, and say what moved, and what was chosen."""
        first, second = given.curve("first").curve, given.curve("second").curve
        tolerance = given.number("tolerance")
        ends = [None if end == "nearest" else end for end in (self.first_end, self.second_end)]
        joint = join_ends(first, second, self.way, tolerance, *ends)
        notes = []
        if joint.is_a_choice:
            notes.append(
                f"Other ends are {length_text(joint.gap)} apart as well; the {joint.first_end} of the first and the "
                f"{joint.second_end} of the second were joined. Say which ends are meant."
            )
        told = ""
        if joint.gap > tolerance:
            told = f"The {joint.first_end} of the first and the {joint.second_end} of the second are {length_text(joint.gap)} apart."
            moved = {"first moves": (first,), "second moves": (second,), "both meet halfway": (first, second)}.get(
                self.way, ()
            )
            if any(joint.gap > MOVED_FAR * measure_length(curve).length for curve in moved):
                notes.append(
                    f"An end was moved by {length_text(joint.gap)}, which bends its curve. A blend or a straight line between "
                    "keeps both as they are."
                )
        return CurveItem(joint.curve, tuple(notes), told)

    def inspect(self, item: Item) -> list[Finding]:
        """Say what was chosen, and what was bent."""
        return [
            Finding("note", "look", note, tuple(Action(words, field, value) for words, field, value in self._ways(note)))
            for note in getattr(item, "notes", ())
        ]

    def _ways(self, note: str) -> list[tuple[str, str, str]]:
        """Return what would do otherwise: words, field and value."""
        if note.startswith("Other ends"):
            return [("The start of the second", "second_end", "start"), ("The end of the second", "second_end", "end")]
        return [("A straight line between", "way", "a line between"), ("A blend between", "way", "a blend between")]


class Blend(Line):
    """A curve that runs on from one end to another."""

    chapter = "Draw"
    summary = "Blend between two ends with place, tangent or curvature (G0, G1, G2)."
    words = ("bridge", "connect", "g1", "g2", "smooth", "transition")
    sentence = (
        "**Blend** {gives} from the {first_end} of {first} to the {second_end} of {second} with {continuity}, bulging {first_bulge} "
        "and {second_bulge}."
    )
    gives_kind = "curve"

    verb: Literal["blend"] = "blend"
    gives: CurveName = "blend"
    first: OneCurve = ""
    first_end: Annotated[Ended, _end("Which end it leaves.")] = "end"
    second: OneCurve = ""
    second_end: Annotated[Ended, _end("Which end it arrives at.")] = "start"
    continuity: Annotated[
        Literal["place only (G0)", "tangent (G1)", "curvature (G2)"],
        ChoiceSpec("What runs on across both joints.", ("place only (G0)", "tangent (G1)", "curvature (G2)")),
    ] = "curvature (G2)"
    first_bulge: Annotated[
        Number, NumberSpec("How strongly it leaves the first end.", label="first bulge", least=0.05, most=10, step=0.1)
    ] = 1
    second_bulge: Annotated[
        Number, NumberSpec("How strongly it arrives at the second end.", label="second bulge", least=0.05, most=10, step=0.1)
    ] = 1

    def build(self, given: Given) -> Item:
        """Blend."""
        grade = ("place only (G0)", "tangent (G1)", "curvature (G2)").index(self.continuity)
        bulge = given.number("first_bulge"), given.number("second_bulge")
        first, second = given.curve("first").curve, given.curve("second").curve
        return CurveItem(blend_ends(first, self.first_end, second, self.second_end, grade, bulge))


class Split(Line):
    """One part of a curve cut in two."""

    chapter = "Draw"
    summary = "Split a curve at a share of its length, a length, or a crossing, and take one part; the curve itself stays."
    words = ("cut", "divide", "half", "part")
    phrases = (
        Phrase(r"at {length}(?<=m)", {"where": "at a length"}, finds=False),
        Phrase(r"{length}(?<=m) (?:along|from its start)", {"where": "at a length"}, finds=False),
    )
    sentence = "**Split** {curve} {where} of {share} of its length, giving its {part} part as {gives}."
    wording_field = "where"
    wordings = {
        "at a length": "**Split** {curve} {where} of {length} from its start, giving its {part} part as {gives}.",
        "at a crossing": "**Split** {curve} {where} with {cutter}, the one counted {crossing}, giving its {part} part as {gives}.",
    }
    gives_kind = "curve"

    verb: Literal["split"] = "split"
    curve: OneCurve = ""
    where: Annotated[
        Literal["at a share", "at a length", "at a crossing"],
        ChoiceSpec("What tells the place to cut.", ("at a share", "at a length", "at a crossing")),
    ] = "at a share"
    share: Annotated[
        Number, NumberSpec("Where to cut: 0 is the start, 1 the end.", least=0.0001, most=0.9999, step=0.05)
    ] = 0.5
    length: Annotated[Number, a_length("How far along the curve to cut.")] = "10 mm"
    cutter: OneCurve = ""
    crossing: Annotated[Number, NumberSpec("Which crossing, counted along the curve.", least=1, most=1000, whole=True)] = 1
    part: Annotated[Literal["first", "second"], ChoiceSpec("Which part is given.", ("first", "second"))] = "first"
    gives: CurveName = "part"

    def build(self, given: Given) -> Item:
        """Cut at the place."""
        curve = given.curve("curve").curve
        param = self._crossing(given, curve) if self.where == "at a crossing" else self._along(given, curve)
        return CurveItem(split_curve(curve, param)[0 if self.part == "first" else 1])

    def _along(self, given: Given, curve: NurbsCurve) -> float:
        """Return the parameter at the share or the length."""
        arc = measure_length(curve)
        at = given.number("share") * arc.length if self.where == "at a share" else given.number("length")
        if at >= arc.length:
            raise InvalidInput("The length", f"below {arc.length:.6g} mm, the length of the curve", f"{at:.6g} mm")
        return float(arc.to_params(np.array([at]))[0])

    def _crossing(self, given: Given, curve: NurbsCurve) -> float:
        """Return the parameter of the crossing with the other curve."""
        low, high = curve.domain
        inside = 1e-9 * (high - low)
        params = find_crossings(curve, given.curve("cutter").curve)[0]
        params = params[(params > low + inside) & (params < high - inside)]
        number = given.count("crossing")
        if not len(params):
            raise KernelError("The curves do not cross. Move or extend one of them so that they do.")
        if number > len(params):
            raise InvalidInput("The crossing", f"1 to {len(params)}: they cross {len(params)} times", str(number))
        return float(np.sort(params)[number - 1])


class Trim(Line):
    """Trim a curve to another."""

    chapter = "Draw"
    summary = "Trim a curve where another crosses it."
    words = ("cut", "clip", "crossing", "intersect")
    sentence = "**Trim** {curve} where {cutter} crosses it, keeping its {keep}."

    verb: Literal["trim"] = "trim"
    curve: Changed = ""
    cutter: OneCurve = ""
    keep: Annotated[Literal["start", "middle", "end"], ChoiceSpec("What stays.", ("start", "middle", "end"))] = "start"

    def build(self, given: Given) -> Item:
        """Trim it."""
        return CurveItem(trim_to(given.curve("curve").curve, given.curve("cutter").curve, self.keep))


class Extend(Line):
    """Make a curve longer."""

    chapter = "Draw"
    summary = "Extend a curve by a length, or until it meets another."
    words = ("longer", "lengthen", "reach", "continue")
    sentence = "**Extend** the {end} of {curve} {way} {reach} {amount}."
    wording_field = "reach"
    wordings = {"until it meets": "**Extend** the {end} of {curve} {way} {reach} {other}."}

    verb: Literal["extend"] = "extend"
    curve: Changed = ""
    end: Annotated[Ended, _end("Which end grows.")] = "end"
    way: Annotated[
        Literal["straight", "round"],
        ChoiceSpec("Straight on, or round with the curvature it ends with.", ("straight", "round")),
    ] = "straight"
    reach: Annotated[
        Literal["by", "until it meets"], ChoiceSpec("By a length, or up to another curve.", ("by", "until it meets"))
    ] = "by"
    amount: Annotated[Number, a_length("How much longer.")] = "20 mm"
    other: OneCurve = ""

    def build(self, given: Given) -> Item:
        """Extend it."""
        curve = given.curve("curve").curve
        if self.reach == "by":
            return CurveItem(extend_curve(curve, self.end, given.number("amount"), self.way))
        return CurveItem(extend_to(curve, given.curve("other").curve, self.end, self.way))


class Offset(Line):
    """A curve at an even distance from another."""

    chapter = "Draw"
    summary = "Offset a flat curve by an even distance; exact for lines and arcs, loops cut away."
    words = ("parallel", "inset", "outset", "thickness", "wall")
    phrases = (
        Phrase(r"outwards?", {"side": "outside"}, finds=False),
        Phrase(r"inwards?", {"side": "inside"}, finds=False),
    )
    sentence = "**Offset** {curve} by {distance} to the {side}, corners {corner}, within {tolerance}, giving {gives}."
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
    corner: Annotated[Literal["round", "sharp"], ChoiceSpec("How gaps at outer corners are closed.", ("round", "sharp"))] = (
        "round"
    )
    tolerance: Tolerance = "0.001 mm"
    gives: CurveName = "offset"

    def build(self, given: Given) -> Item:
        """Offset it; of several pieces the longest is given."""
        curve = given.curve("curve").curve
        normal = plane_of(curve)
        points = curve_points(curve, np.linspace(*curve.domain, 257))
        area = float(np.cross(points[:-1] - points[0], points[1:] - points[0]).sum(axis=0) @ normal)
        left = {"left": True, "right": False, "outside": area < 0, "inside": area > 0}[self.side]
        distance = given.number("distance") * (1 if left else -1)
        pieces = offset_curve(curve, distance, normal, self.corner, given.number("tolerance"))
        return CurveItem(
            pieces[0],
            notes=(f"The offset falls into {len(pieces)} pieces; the longest is kept.",) if len(pieces) > 1 else (),
        )

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
    sentence = "**Respace** {curve} into {measure} {count}, {between}."
    wording_field = "measure"
    wordings = {"steps of": "**Respace** {curve} into {measure} {step}, {between}."}

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
    sentence = "**Refit** {curve} with the fewest control points of degree {degree} within {tolerance}."

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
