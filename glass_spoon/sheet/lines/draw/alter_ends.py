"""Work on the ends of curves: joined, blended, split, trimmed, extended."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.curves.alter.edit_knots import split_curve
from glass_spoon.kernel.curves.alter.work_on_ends import (
    blend_ends,
    extend_curve,
    extend_to,
    join_ends,
    trim_to,
)
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.read.cross_curves import find_crossings
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec
from glass_spoon.sheet.items import CurveItem, Item
from glass_spoon.sheet.line import Action, Finding, Given, Line
from glass_spoon.sheet.lines.draw.fields import Changed, CurveName, OneCurve, Tolerance, a_length
from glass_spoon.sheet.lines.mesh_work.fields import length_text
from glass_spoon.sheet.phrase import Phrase

Ended = Literal["start", "end"]


def _end(help_text: str) -> ChoiceSpec:
    return ChoiceSpec(help_text, ("start", "end"))


JoinedEnd = Literal["nearest", "start", "end"]

MOVED_FAR = 0.02
"""Share of a curve's length; an end that is moved further bends it visibly."""


def _joined_end(help_text: str) -> ChoiceSpec:
    return ChoiceSpec(help_text, ("nearest", "start", "end"), ("nearest end", "start", "end"))


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
        "**Join** the {first_end} of {first} and the {second_end} of {second} into {gives}[; where they are more than {tolerance} "
        "apart, {way}]."
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
        "**Blend** {gives} from the {first_end} of {first} to the {second_end} of {second} with {continuity}[, bulging {first_bulge} "
        "and {second_bulge}]."
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
