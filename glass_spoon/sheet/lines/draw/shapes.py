"""Plane shapes by their measures, each on a drawing plane about a centre."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.curves.alter.place_curve import place_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.make.flat_shapes import (
    make_circle,
    make_conic,
    make_elliptic_arc,
    make_polygon,
    make_rectangle,
    make_slot,
    make_star,
    sharp_star_radii,
)
from glass_spoon.kernel.curves.make.helix import make_spiral
from glass_spoon.kernel.errors import InvalidInput, RadiusTooLarge, floor_text
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec
from glass_spoon.sheet.handle import Handle, ItemOf, angle_handle, length_handle
from glass_spoon.sheet.items import CurveItem
from glass_spoon.sheet.line import Action, Given, Line
from glass_spoon.sheet.lines.draw.fields import (
    CurveName,
    Out,
    PlaneField,
    Right,
    Up,
    a_length,
    a_place,
    an_angle,
    within_a_turn,
)
from glass_spoon.sheet.phrase import Phrase
from glass_spoon.sheet.planes import plane_placement

Measure = tuple[str, tuple[float, float], float]
"""A length of a shape: its field, its direction in the plane of the shape, and which share of it lies from the centre."""

RIGHT, UP = (1.0, 0.0), (0.0, 1.0)

Turned = Annotated[Number, an_angle("Turns the shape counter-clockwise.", "turn")]


class _Shape(Line):
    """What shapes have in common: a name, a plane and a centre."""

    chapter = "Draw"
    gives_kind = "curve"

    gives: CurveName = "shape"
    plane: PlaneField = "front"
    right: Right = "0 mm"
    up: Up = "0 mm"
    out: Out = "0 mm"

    def _lay(self, given: Given, flat: NurbsCurve, turn: float = 0.0) -> CurveItem:
        """Lay a shape of the xy plane about the centre."""
        right, up, out = (given.number(name) for name in ("right", "up", "out"))
        return CurveItem(place_curve(flat, plane_placement(self.plane, right, up, out, turn)))

    def measures(self, values: Mapping[str, Any]) -> tuple[Measure, ...]:
        """Return its lengths from the centre that are taken by the hand."""
        return ()

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return its centre, and its measures from there."""
        right, up, out = (values[name] for name in ("right", "up", "out"))
        laid = plane_placement(self.plane, right, up, out, values.get("turn", 0.0))
        measured = [
            length_handle(field, values[field], laid.offset, laid.matrix @ (*way, 0.0), share)
            for field, way, share in self.measures(values)
        ]
        turned = []
        if measured and "turn" in values:
            upright = plane_placement(self.plane, right, up, out)
            far = 0.7 * max(abs(values[field]) * share for field, _, share in self.measures(values))
            axis, zero = np.cross(upright.matrix[:, 0], upright.matrix[:, 1]), upright.matrix[:, 0]
            turned = [angle_handle("turn", values["turn"], laid.offset, axis, zero, far)]
        return [*super().handles(values, item_of), *measured, *turned]


class Circle(_Shape):
    """A circle."""

    summary = "Draw a circle by its radius."
    words = ("round", "ring", "diameter")
    sentence = (
        "**Circle** {gives}[ on the {plane} plane], radius {radius}[, about {right} right, {up} up][, {out} out of it]."
    )

    verb: Literal["circle"] = "circle"
    gives: CurveName = "circle"
    radius: Annotated[Number, a_length("Radius.")] = "50 mm"

    def measures(self, values: Mapping[str, Any]) -> tuple[Measure, ...]:
        """Return what the hand takes."""
        return (("radius", RIGHT, 1.0),)

    def build(self, given: Given) -> CurveItem:
        """Draw it."""
        return self._lay(given, make_circle([0, 0], given.number("radius")))


class Ellipse(_Shape):
    """An ellipse, or an arc of one."""

    summary = "Draw an ellipse or an arc of one."
    words = ("oval", "elliptic", "arc")
    sentence = (
        "**Ellipse** {gives}[ on the {plane} plane], half axes {first} and {second}[, turned {turn}][, about {right} right, {up} up]"
        "[, {out} out of it][, from {start_angle} to {end_angle}]."
    )

    verb: Literal["ellipse"] = "ellipse"
    gives: CurveName = "ellipse"
    first: Annotated[Number, a_length("Half of the first axis.", label="first half axis")] = "60 mm"
    second: Annotated[Number, a_length("Half of the second axis.", label="second half axis")] = "40 mm"
    turn: Turned = 0
    start_angle: Annotated[Number, an_angle("Where it starts, seen on the circle it is stretched from.", "start angle")] = 0
    end_angle: Annotated[Number, an_angle("Where it ends; a whole turn further for all of it.", "end angle")] = 360

    def measures(self, values: Mapping[str, Any]) -> tuple[Measure, ...]:
        """Return what the hand takes."""
        return ("first", RIGHT, 1.0), ("second", UP, 1.0)

    def build(self, given: Given) -> CurveItem:
        """Draw it."""
        start, end = within_a_turn(given)
        flat = make_elliptic_arc([0, 0], given.number("first"), given.number("second"), given.number("turn"), start, end)
        return self._lay(given, flat)


class Rectangle(_Shape):
    """A rectangle with rounded corners."""

    summary = "Draw a rectangle, its corners sharp or rounded, alike or each its own."
    words = ("square", "box", "corner", "rounded")
    phrases = (
        Phrase(r"square (?:of )?{width}(?! (?:by|x|×|wide|high|tall))", {"height": "{width}"}),
        Phrase(r"{width} square", {"height": "{width}"}),
    )
    sentence = (
        "**Rectangle** {gives}[ on the {plane} plane], {width} wide and {height} high[, {corners} of {radius}][, turned {turn}], "
        "about {right} right, {up} up[, {out} out of it]."
    )
    wording_field = "corners"
    wordings = {
        "four corners": (
            "**Rectangle** {gives}[ on the {plane} plane], {width} wide and {height} high, {corners} of {radius}, {second}, {third} "
            "and {fourth}[, turned {turn}][, about {right} right, {up} up][, {out} out of it]."
        )
    }

    verb: Literal["rectangle"] = "rectangle"
    gives: CurveName = "rectangle"
    width: Annotated[Number, a_length("Width.")] = "120 mm"
    height: Annotated[Number, a_length("Height.")] = "80 mm"
    corners: Annotated[
        Literal["corners", "four corners"],
        ChoiceSpec("Whether all corners have one radius, or each its own.", ("corners", "four corners")),
    ] = "corners"
    radius: Annotated[Number, a_length("Radius of the corners, or of the one right above.", zero=True)] = "10 mm"
    second: Annotated[Number, a_length("Radius of the corner left above.", label="second radius", zero=True)] = "10 mm"
    third: Annotated[Number, a_length("Radius of the corner left below.", label="third radius", zero=True)] = "10 mm"
    fourth: Annotated[Number, a_length("Radius of the corner right below.", label="fourth radius", zero=True)] = "10 mm"
    turn: Turned = 0

    def measures(self, values: Mapping[str, Any]) -> tuple[Measure, ...]:
        """Return what the hand takes."""
        return ("width", RIGHT, 0.5), ("height", UP, 0.5)

    def build(self, given: Given) -> CurveItem:
        """Draw it."""
        names = ("radius",) if self.corners == "corners" else ("radius", "second", "third", "fourth")
        radii = [given.number(name) for name in names]
        flat = make_rectangle(given.number("width"), given.number("height"), radii if len(radii) > 1 else radii[0])
        return self._lay(given, flat, given.number("turn"))

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer the largest radius that fits."""
        return _largest(error, "radius") if self.corners == "corners" else ()


def _at(count: float) -> tuple[float, float]:
    """Return the direction of the middle of the first side, or the first root, of so many: half a step from the top."""
    angle = np.pi / 2 + np.pi / count
    return float(np.cos(angle)), float(np.sin(angle))


def _largest(error: Exception, field: str) -> tuple[Action, ...]:
    """Return the action that sets a field to the largest radius that fits."""
    if isinstance(error, RadiusTooLarge) and error.largest > 0:
        text = floor_text(error.largest)
        largest = f"{text.rstrip('0').rstrip('.') if '.' in text else text} mm"
        return (Action(f"Use {largest}", field, largest),)
    return ()


SIDES_OF = (("triangle", "3"), ("pentagon", "5"), ("hexagon", "6"), ("heptagon", "7"), ("octagon", "8"), ("decagon", "10"))
"""Names of regular polygons, and their sides."""


class Polygon(_Shape):
    """A regular polygon."""

    summary = "Draw a regular polygon."
    words = (*(name for name, _ in SIDES_OF), "sides", "regular")
    phrases = (
        *(Phrase(rf"{name}s?", {"sides": sides}) for name, sides in SIDES_OF),
        Phrase(r"(?:with )?{sides} sides", finds=False),
        Phrase(r"{radius} across (?:the |its )?(?:flats|sides)", {"radius": "{radius} / 2", "across": "sides"}, finds=False),
        Phrase(r"{radius} across(?: (?:the |its )?corners)?", {"radius": "{radius} / 2", "across": "corners"}, finds=False),
    )
    sentence = "**Polygon** {gives}[ on the {plane} plane] with {sides} sides, {radius} to its {across}[, turned {turn}][, about {right} right, {up} up][, {out} out of it]."

    verb: Literal["polygon"] = "polygon"
    gives: CurveName = "polygon"
    sides: Annotated[Number, NumberSpec("Number of sides.", label="number of sides", least=3, most=1000, whole=True)] = 6
    radius: Annotated[Number, a_length("From the centre to the corners or the sides.")] = "50 mm"
    across: Annotated[Literal["corners", "sides"], ChoiceSpec("Where the radius is measured to.", ("corners", "sides"))] = (
        "corners"
    )
    turn: Turned = 0

    def measures(self, values: Mapping[str, Any]) -> tuple[Measure, ...]:
        """Return what the hand takes."""
        return (("radius", UP if self.across == "corners" else _at(values["sides"]), 1.0),)

    def build(self, given: Given) -> CurveItem:
        """Draw it."""
        return self._lay(
            given, make_polygon(given.count("sides"), given.number("radius"), self.across), given.number("turn")
        )


class Star(_Shape):
    """A star."""

    summary = "Draw a star with sharp or rounded tips and roots."
    words = ("tips", "gear", "teeth", "flutes", "points")
    phrases = (
        Phrase(r"from {inner} (?:out )?to {outer}", finds=False),
        Phrase(r"{outer} (?:and|by|x|×|/) {inner}", finds=False),
        Phrase(r"(?:out to|tips at) {outer}", finds=False),
        Phrase(r"(?:in to|roots at) {inner}", finds=False),
    )
    sentence = (
        "**Star** {gives}[ on the {plane} plane] with {tips} tips, from {inner} out to {outer}[ {measured}][, tips rounded to "
        "{tip_radius} and roots to {root_radius}][, turned {turn}][, about {right} right, {up} up][, {out} out of it]."
    )

    verb: Literal["star"] = "star"
    gives: CurveName = "star"
    tips: Annotated[Number, NumberSpec("Number of tips.", label="number of tips", least=2, most=500, whole=True)] = 8
    outer: Annotated[Number, a_length("Radius of the tips.", label="outer radius")] = "60 mm"
    inner: Annotated[Number, a_length("Radius of the roots.", label="inner radius")] = "45 mm"
    measured: Annotated[
        Literal["after rounding", "before rounding"],
        ChoiceSpec(
            "Whether the rounded tips and roots reach these radii, or the sharp ones would.",
            ("after rounding", "before rounding"),
        ),
    ] = "after rounding"
    tip_radius: Annotated[Number, a_length("Rounding of the tips; 0 keeps them sharp.", 0.5, zero=True)] = "2 mm"
    root_radius: Annotated[Number, a_length("Rounding of the roots; 0 keeps them sharp.", 0.5, zero=True)] = "2 mm"
    turn: Turned = 0

    def measures(self, values: Mapping[str, Any]) -> tuple[Measure, ...]:
        """Return what the hand takes."""
        return ("outer", UP, 1.0), ("inner", _at(values["tips"]), 1.0)

    def build(self, given: Given) -> CurveItem:
        """Draw it."""
        tips = given.count("tips")
        outer, inner, *rounded = (given.number(name) for name in ("outer", "inner", "tip_radius", "root_radius"))
        if self.measured == "after rounding" and any(rounded) and outer > inner:
            outer, inner = sharp_star_radii(tips, outer, inner, *rounded)
        return self._lay(given, make_star(tips, outer, inner, *rounded), given.number("turn"))

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer sharp tips and roots where there is no room for roundings."""
        narrow = isinstance(error, RadiusTooLarge) or (isinstance(error, InvalidInput) and error.name == "The star")
        sharp = (("tip_radius", "0 mm"), ("root_radius", "0 mm"))
        return (Action("Sharp tips and roots", "tip_radius", "0 mm", sharp),) if narrow else ()


class Slot(_Shape):
    """A slot with round ends."""

    summary = "Draw a slot with round ends."
    words = ("oblong", "stadium", "keyhole", "groove")
    sentence = "**Slot** {gives}[ on the {plane} plane], {length} between its centres and {width} wide[, turned {turn}][, about {right} right, {up} up][, {out} out of it]."

    verb: Literal["slot"] = "slot"
    gives: CurveName = "slot"
    length: Annotated[Number, a_length("Distance between the centres of its ends.")] = "60 mm"
    width: Annotated[Number, a_length("Width: twice the radius of its ends.")] = "20 mm"
    turn: Turned = 0

    def measures(self, values: Mapping[str, Any]) -> tuple[Measure, ...]:
        """Return what the hand takes."""
        return ("length", RIGHT, 0.5), ("width", UP, 0.5)

    def build(self, given: Given) -> CurveItem:
        """Draw it."""
        return self._lay(given, make_slot(given.number("length"), given.number("width")), given.number("turn"))


class Conic(Line):
    """A conic arc between two tangents."""

    chapter = "Draw"
    summary = "Draw a conic arc between two tangents: elliptic, parabolic or hyperbolic by rho."
    words = ("parabola", "hyperbola", "rho", "shoulder", "crown")
    sentence = (
        "**Conic** {gives}[ on the {plane} plane] from {right} right, {up} up to {to_right} right, {to_up} up, its tangents meeting "
        "at {tip_right} right, {tip_up} up, rho {rho}."
    )
    gives_kind = "curve"

    verb: Literal["conic"] = "conic"
    gives: CurveName = "conic"
    plane: PlaneField = "front"
    right: Right = "0 mm"
    up: Up = "0 mm"
    to_right: Annotated[Number, a_place("right", "End to the right.", "end to the right")] = "100 mm"
    to_up: Annotated[Number, a_place("up", "End above the base line.", "end above")] = "0 mm"
    tip_right: Annotated[Number, a_place("right", "Where the tangents meet, to the right.", "tip to the right")] = "50 mm"
    tip_up: Annotated[Number, a_place("up", "Where the tangents meet, above the base line.", "tip above")] = "60 mm"
    rho: Annotated[
        Number,
        NumberSpec(
            "How near the curve comes to the tip: below 0.5 elliptic, 0.5 parabolic, above hyperbolic.",
            least=0.01,
            most=0.99,
            step=0.05,
        ),
    ] = 0.5

    def build(self, given: Given) -> CurveItem:
        """Draw it."""
        ends = [[given.number(f"{at}right"), given.number(f"{at}up")] for at in ("", "tip_", "to_")]
        return CurveItem(
            place_curve(make_conic(ends[0], ends[1], ends[2], given.number("rho")), plane_placement(self.plane))
        )


class Spiral(_Shape):
    """A flat spiral."""

    summary = "Draw a flat spiral whose radius grows evenly."
    words = ("coil", "archimedes", "wind", "snail")
    sentence = (
        "**Spiral** {gives}[ on the {plane} plane], {turns} turns[ {hand}] from radius {inner} to {outer}[, starting at {start_angle}], "
        "about {right} right, {up} up[, {out} out of it]."
    )

    verb: Literal["spiral"] = "spiral"
    gives: CurveName = "spiral"
    turns: Annotated[Number, NumberSpec("Number of turns.", least=0, above=True, most=1000, step=0.5)] = 3
    hand: Annotated[
        Literal["counter-clockwise", "clockwise"], ChoiceSpec("Which way it turns.", ("counter-clockwise", "clockwise"))
    ] = "counter-clockwise"
    inner: Annotated[Number, a_length("Radius at its start.", label="inner radius", zero=True)] = "5 mm"
    outer: Annotated[Number, a_length("Radius at its end.", label="outer radius")] = "50 mm"
    start_angle: Annotated[Number, an_angle("Angle at which it starts.", "start angle")] = 0

    def build(self, given: Given) -> CurveItem:
        """Draw it within a millionth of a millimetre."""
        hand = 1 if self.hand == "counter-clockwise" else -1
        sizes = (given.number("inner"), given.number("outer"), given.number("turns"))
        return self._lay(given, make_spiral(*sizes, hand, given.number("start_angle")).curve)
