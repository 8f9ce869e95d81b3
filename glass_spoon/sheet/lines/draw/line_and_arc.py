"""Straight lines and circular arcs."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.curves.alter.place_curve import place_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_tangents
from glass_spoon.kernel.curves.make.flat_shapes import (
    arc_by_bulge,
    bulge_from_tangent,
    bulge_through,
    flat_points,
    make_elliptic_arc,
)
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.sheet.fields import ChoiceSpec, Number
from glass_spoon.sheet.handle import Handle, ItemOf, angle_handle, length_handle
from glass_spoon.sheet.items import CurveItem
from glass_spoon.sheet.line import Given, Line
from glass_spoon.sheet.lines.draw.fields import (
    CurveName,
    OneCurve,
    PlaneField,
    Right,
    Up,
    a_coordinate,
    a_length,
    a_place,
    an_angle,
    within_a_turn,
)
from glass_spoon.sheet.lines.draw.on_host import HOST, LED, Host, laid
from glass_spoon.sheet.phrase import Phrase
from glass_spoon.sheet.planes import PLANE_AXES, plane_placement


class StraightLine(Line):
    """A straight line between two places."""

    chapter = "Draw"
    summary = "Draw a straight line between two places."
    words = ("straight", "segment", "axis", "construction")
    phrases = (Phrase(r"{to_right} long|length (?:of )?{to_right}", finds=False),)
    sentence = (
        "**Line** {gives}[ on the {plane} plane] from {right} right, {up} up to {to_right} right, {to_up} up" + HOST + "."
    )
    led = LED
    gives_kind = "curve"

    verb: Literal["line"] = "line"
    gives: CurveName = "line"
    plane: PlaneField = "front"
    right: Right = "0 mm"
    up: Up = "0 mm"
    to_right: Annotated[Number, a_place("right", "End to the right.", "end to the right")] = "100 mm"
    to_up: Annotated[Number, a_place("up", "End above the base line.", "end above")] = "0 mm"
    host: Host = []

    def build(self, given: Given) -> CurveItem:
        """Draw it, and lay it on."""
        ends = flat_points([[given.number("right"), given.number("up")], [given.number("to_right"), given.number("to_up")]])
        return laid(given, CurveItem(place_curve(make_polyline(ends), plane_placement(self.plane))), self.plane)


class Arc(Line):
    """A circular arc, by what is known of it."""

    chapter = "Draw"
    summary = "Draw a circular arc: by its ends and the height of its bow, by its centre, through three places, or tangent to a curve."
    words = ("circular", "bow", "radius", "three", "bulge", "tangent")
    phrases = (
        Phrase(r"from {start_angle}(?<=°) to {end_angle}(?<=°)", {"given_by": "its centre"}, finds=False),
        Phrase(r"radius(?: of)? {radius}", {"given_by": "its centre"}, finds=False),
    )
    _ENDS = "from {right} right, {up} up to {to_right} right, {to_up} up"
    sentence = f"**Arc** {{gives}}[ on the {{plane}} plane] by {{given_by}}: {_ENDS}, {{bulge}} high over its chord."
    wording_field = "given_by"
    wordings = {
        "its bulge": sentence,
        "its centre": (
            "**Arc** {gives}[ on the {plane} plane] by {given_by}: about {center_right} right, {center_up} up with radius "
            "{radius}, from {start_angle} to {end_angle}."
        ),
        "a place on it": f"**Arc** {{gives}}[ on the {{plane}} plane] by {{given_by}}: {_ENDS}, through {{by_right}} right, {{by_up}} up.",
        "a tangent": "**Arc** {gives}[ on the {plane} plane] by {given_by}: on from the end of {curve} to {to_right} right, {to_up} up.",
    }
    gives_kind = "curve"

    verb: Literal["arc"] = "arc"
    gives: CurveName = "arc"
    plane: PlaneField = "front"
    given_by: Annotated[
        Literal["its bulge", "its centre", "a place on it", "a tangent"],
        ChoiceSpec(
            "What is known of the arc.",
            ("its bulge", "its centre", "a place on it", "a tangent"),
            ("the height of its bow", "its centre", "a place on it", "a tangent"),
        ),
    ] = "its bulge"
    right: Right = "0 mm"
    up: Up = "0 mm"
    to_right: Annotated[Number, a_place("right", "End to the right.", "end to the right")] = "100 mm"
    to_up: Annotated[Number, a_place("up", "End above the base line.", "end above")] = "0 mm"
    bulge: Annotated[
        Number,
        a_coordinate("Height of the arc over the middle of its chord; negative to the other side.", "height over the chord"),
    ] = "20 mm"
    by_right: Annotated[Number, a_place("right", "A place on the arc, to the right.", "place to the right")] = "50 mm"
    by_up: Annotated[Number, a_place("up", "A place on the arc, above the base line.", "place above")] = "20 mm"
    center_right: Annotated[Number, a_place("right", "Centre to the right.", "centre to the right")] = "0 mm"
    center_up: Annotated[Number, a_place("up", "Centre above the base line.", "centre above")] = "0 mm"
    radius: Annotated[Number, a_length("Radius of the arc.")] = "50 mm"
    start_angle: Annotated[Number, an_angle("Angle at which it starts, from right.", "start angle")] = 0
    end_angle: Annotated[Number, an_angle("Angle at which it ends, counter-clockwise from the start.", "end angle")] = 90
    curve: OneCurve = ""

    def build(self, given: Given) -> CurveItem:
        """Draw what is known."""
        return CurveItem(place_curve(self._flat(given), plane_placement(self.plane)))

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return its places, and by its centre its radius and the angles at its ends."""
        found = super().handles(values, item_of)
        if self.given_by != "its centre":
            return found
        laid = plane_placement(self.plane, values["center_right"], values["center_up"])
        right, up = laid.matrix[:, 0], laid.matrix[:, 1]
        start, end, radius = (float(values[name]) for name in ("start_angle", "end_angle", "radius"))
        middle = np.cos((start + end) / 2) * right + np.sin((start + end) / 2) * up
        axis = np.cross(right, up)
        return [
            *found,
            length_handle("radius", radius, laid.offset, middle),
            angle_handle("start_angle", start, laid.offset, axis, right, radius, "start angle"),
            angle_handle("end_angle", end, laid.offset, axis, right, radius, "end angle"),
        ]

    def _flat(self, given: Given) -> NurbsCurve:
        """Return the arc in the xy plane."""
        if self.given_by == "its centre":
            radius, center = given.number("radius"), [given.number("center_right"), given.number("center_up")]
            return make_elliptic_arc(center, radius, radius, 0.0, *within_a_turn(given))
        to = np.array([given.number("to_right"), given.number("to_up")])
        if self.given_by == "a tangent":
            before = given.curve("curve").curve
            axes = np.array(PLANE_AXES[self.plane])
            start = axes @ before.control_points[-1]
            tangent = axes @ curve_tangents(before, np.array([before.domain[1]]))[0]
            return arc_by_bulge(start, to, bulge_from_tangent(start, tangent, to))
        start = np.array([given.number("right"), given.number("up")])
        if self.given_by == "a place on it":
            return arc_by_bulge(start, to, bulge_through(start, [given.number("by_right"), given.number("by_up")], to))
        chord = float(np.hypot(*(to - start)))
        if not chord > 0:
            raise InvalidInput("The end", "apart from the start", "at the same place")
        # Positive heights lie to the left of the chord, where the arc runs clockwise.
        return arc_by_bulge(start, to, -2 * given.number("bulge") / chord)
