"""Curves in space: helices, and edges known from two drawings."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.curves.alter.place_curve import Placement, place_curve
from glass_spoon.kernel.curves.make.helix import HelixShape, helix_around, make_helix, pitch_for_height, turns_for_height
from glass_spoon.kernel.curves.make.two_views import curve_from_views
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec
from glass_spoon.sheet.items import CurveItem
from glass_spoon.sheet.line import Given, Line
from glass_spoon.sheet.lines.draw.fields import CurveName, OneCurve, a_coordinate, a_length, an_angle
from glass_spoon.sheet.lines.draw.on_host import HOST, LED, NearestHost, laid_nearest
from glass_spoon.sheet.phrase import Phrase
from glass_spoon.sheet.planes import AXES

Hand = Literal["right-handed", "left-handed"]
HandField = Annotated[Hand, ChoiceSpec("Which way it turns as it climbs.", ("right-handed", "left-handed"))]
Turns = Annotated[Number, NumberSpec("Number of turns.", least=0, above=True, most=1000, step=0.5)]
Axis = Literal["upright axis", "left-right axis", "front-back axis"]


def _turns(help_text: str, label: str) -> NumberSpec:
    return NumberSpec(help_text, label=label, least=0, most=1000, step=0.25)


_AND = r"(?:\s*,\s*|\s+)(?:and |with (?:a )?)?"
_BY_BOTH = {"climbing": "with a pitch to a height"}


class Helix(Line):
    """A helix about an axis."""

    chapter = "Draw"
    summary = "Draw a helix: a thread, a spring, a screw blade's edge."
    words = ("thread", "spring", "screw", "coil", "pitch", "spiral")
    phrases = (
        Phrase(r"{turns} turns? of {pitch}", {"climbing": "with a pitch"}),
        Phrase(
            rf"pitch(?: of)? {{pitch}}{_AND}(?:height(?: of)? {{height}}|{{height}} (?:high|tall))", _BY_BOTH, finds=False
        ),
        Phrase(
            rf"(?:height(?: of)? {{height}}|{{height}} (?:high|tall)){_AND}pitch(?: of)? {{pitch}}", _BY_BOTH, finds=False
        ),
        Phrase(r"(?<!end )radius(?: of)? {radius}(?! to)", {"end_radius": "{radius}"}, finds=False),
        Phrase(r"(?:diameter|dia)(?: of)? {radius}", {"radius": "{radius} / 2", "end_radius": "{radius} / 2"}, finds=False),
        Phrase(r"{height} (?:high|tall)", {"climbing": "to a height"}, finds=False),
        Phrase(r"(?:climbing|rising)(?: a height of| by)? {height}", {"climbing": "to a height"}, finds=False),
    )
    _HEAD = "**Helix** {gives} about the {axis}[, {hand}], {turns} turns "
    _TAIL = (
        " from radius {radius} to {end_radius}[, starting at {start_angle}][, {base} along the axis][; its pitch eases in over "
        "{ease_start} and out over {ease_end} turns][, and it runs out of a core of {core} over {run_start} and {run_end} turns]"
        + HOST
        + "."
    )
    sentence = _HEAD + "{climbing} of {pitch}," + _TAIL
    wording_field = "climbing"
    wordings = {
        "to a height": _HEAD + "{climbing} of {height}," + _TAIL,
        "with a pitch to a height": _HEAD.replace(", {turns} turns ", " ")
        + "{climbing}: pitch {pitch}, height {height},"
        + _TAIL,
    }
    led = {"host": rf"(?:{LED['host']}|(?:around|round|about) (?:the )?)"}
    gives_kind = "curve"

    verb: Literal["helix"] = "helix"
    gives: CurveName = "helix"
    axis: Annotated[Axis, ChoiceSpec("The axis it winds about.", tuple(AXES))] = "upright axis"
    hand: HandField = "right-handed"
    turns: Turns = 4
    climbing: Annotated[
        Literal["with a pitch", "to a height", "with a pitch to a height"],
        ChoiceSpec(
            "Whether the rise of a turn or of the whole is given, with the turns; or both, which give the turns.",
            ("with a pitch", "to a height", "with a pitch to a height"),
            ("with a pitch", "to a height", "by pitch and height"),
        ),
    ] = "with a pitch"
    pitch: Annotated[Number, a_coordinate("Rise of one turn.", "pitch")] = "10 mm"
    height: Annotated[Number, a_coordinate("Rise of the whole.", "height")] = "40 mm"
    radius: Annotated[Number, a_length("Radius at its start.", zero=True)] = "20 mm"
    end_radius: Annotated[Number, a_length("Radius at its end.", label="end radius", zero=True)] = "20 mm"
    start_angle: Annotated[Number, an_angle("Angle about the axis at which it starts.", "start angle")] = 0
    base: Annotated[Number, a_coordinate("Where it starts along the axis.", "start along the axis")] = "0 mm"
    ease_start: Annotated[Number, _turns("Turns over which the first of it winds to a plane.", "easing in")] = 0
    ease_end: Annotated[Number, _turns("Turns over which the last of it winds to a plane.", "easing out")] = 0
    core: Annotated[Number, a_length("Radius of the core that its ends run into.", label="core radius", zero=True)] = "0 mm"
    run_start: Annotated[Number, _turns("Turns over which its start comes out of the core.", "run-out at the start")] = 0
    run_end: Annotated[Number, _turns("Turns over which its end runs into the core.", "run-out at the end")] = 0
    host: NearestHost = []

    def build(self, given: Given) -> CurveItem:
        """Fit it within a millionth of a millimetre."""
        ease = given.number("ease_start"), given.number("ease_end")
        turns, climb = self._climb(given, ease)
        shape = HelixShape(
            (given.number("radius"), given.number("end_radius")),
            turns,
            climb,
            1 if self.hand == "right-handed" else -1,
            given.number("start_angle"),
            ease,
            (given.number("run_start"), given.number("run_end")),
            given.number("core"),
        )
        return laid_nearest(given, CurveItem(place_curve(make_helix(shape).curve, _along(self.axis, given.number("base")))))

    def _climb(self, given: Given, ease: tuple[float, float]) -> tuple[float, float]:
        """Return the turns, and the rise of one in mm."""
        if self.climbing == "with a pitch":
            return given.number("turns"), given.number("pitch")
        if self.climbing == "to a height":
            return given.number("turns"), pitch_for_height(given.number("height"), given.number("turns"), ease)
        return turns_for_height(given.number("height"), given.number("pitch"), ease), given.number("pitch")


def _along(axis: str, base: float) -> Placement:
    """Return the map that takes the z axis to an axis of the sheet, moved along it by mm."""
    z = np.array(AXES[axis])
    x = np.array([1.0, 0, 0]) if z[0] == 0 else np.array([0.0, 1, 0])
    return Placement(np.column_stack((x, np.cross(z, x), z)), base * z)


class Coil(Line):
    """A helix around any curve."""

    chapter = "Draw"
    summary = "Wind a helix around a curve: a strand round a rope's core, wire round a hose."
    words = ("wind", "around", "strand", "rope", "helix", "wrap")
    sentence = "**Coil** {gives} around {curve}[, {hand}], {turns} turns at a distance of {radius} to {end_radius}[, starting at {start_angle}]."
    gives_kind = "curve"

    verb: Literal["coil"] = "coil"
    gives: CurveName = "coil"
    curve: OneCurve = ""
    hand: HandField = "right-handed"
    turns: Turns = 8
    radius: Annotated[Number, a_length("Distance from the curve at its start.", label="distance")] = "5 mm"
    end_radius: Annotated[Number, a_length("Distance from the curve at its end.", label="end distance")] = "5 mm"
    start_angle: Annotated[Number, an_angle("Angle about the curve at which it starts.", "start angle")] = 0

    def build(self, given: Given) -> CurveItem:
        """Fit it within a ten-thousandth of a millimetre."""
        hand = 1 if self.hand == "right-handed" else -1
        radii = (given.number("radius"), given.number("end_radius"))
        curve = given.curve("curve").curve
        return CurveItem(helix_around(curve, radii, given.number("turns"), hand, given.number("start_angle")).curve)


class Combine(Line):
    """A space curve from two drawings of one edge."""

    chapter = "Draw"
    summary = "Combine two drawings of one edge, such as front and side, into the edge in space."
    words = ("views", "space", "edge", "front", "side", "plan", "two")
    sentence = "**Combine** {first} and {second}, two views of one edge, into the space curve {gives}."
    gives_kind = "curve"

    verb: Literal["combine"] = "combine"
    first: OneCurve = ""
    second: OneCurve = ""
    gives: CurveName = "edge"

    def build(self, given: Given) -> CurveItem:
        """Find the shared direction, and follow both."""
        first, second = given.curve("first").curve, given.curve("second").curve
        flat = [int(np.argmin(np.ptp(curve.control_points, axis=0))) for curve in (first, second)]
        for name, curve, axis in zip(("first", "second"), (first, second), flat, strict=True):
            if np.ptp(curve.control_points[:, axis]) > 1e-6:
                raise InvalidInput(f"The {name} drawing", "flat on a drawing plane", "a space curve")
        if flat[0] == flat[1]:
            raise InvalidInput("The second drawing", "on another plane than the first", "on the same one")
        return CurveItem(curve_from_views(first, second, 3 - sum(flat), flat[0]).curve)
