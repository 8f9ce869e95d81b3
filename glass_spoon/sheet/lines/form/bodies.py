"""Simple bodies and pieces of them."""

from __future__ import annotations

from collections.abc import Mapping
from math import pi
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.curves.alter.place_curve import moving, place_curve, turning
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.make.flat_shapes import make_circle, make_elliptic_arc
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.loft import LoftShape, loft_sections
from glass_spoon.kernel.surfaces.make.revolve import revolve_curve
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec
from glass_spoon.sheet.handle import SPACE, Handle, ItemOf, length_handle
from glass_spoon.sheet.items import SurfaceItem
from glass_spoon.sheet.line import Given, Line
from glass_spoon.sheet.lines.form.fields import SurfaceName, a_place
from glass_spoon.sheet.phrase import Phrase

_AT = "[, about x {x}, y {y}, z {z}], giving {gives}."
_ROUND = f"[, over {{sweep}} round]{_AT}"


def _latitude(help_text: str) -> NumberSpec:
    return NumberSpec(help_text, "angle", label="latitude", least=-pi / 2, most=pi / 2, step=5, named=True)


STARTS_WITH = (
    *((form, form) for form in ("sphere", "cylinder", "cone", "torus", "ellipsoid", "disc", "sheet")),
    ("ball", "sphere"),
    ("disk", "disc"),
    ("(?:tube|pipe)", "cylinder"),
    ("(?:flat (?:sheet|panel|plane)|plane|panel)(?= (?:of )?\\d)", "sheet"),
)
"""Words that a sentence may begin with, and the body that they name."""


class SimpleBody(Line):
    """A simple body, or a piece of one."""

    chapter = "Form"
    summary = "Make a simple body or a piece of it: sphere or zone, cylinder, cone, torus, ellipsoid, disc, sheet."
    words = ("sphere", "ball", "dome", "zone", "cylinder", "cone", "torus", "ellipsoid", "disc", "sheet", "shell")
    phrases = (
        Phrase(
            r"^\W*(?:an? |the )?(?:pointed )?cone(?!.*\b(?:to|above|second|top|by|x|truncated|frustum)\b|.*×)",
            {"form": "cone", "second": "0 mm"},
        ),
        *(Phrase(rf"^\W*(?:an? |the )?{word}", {"form": form}) for word, form in STARTS_WITH),
        Phrase(r"^\W*(?:a |an )?(?:dome|half (?:sphere|ball)|hemisphere)", {"form": "sphere", "low": "0°"}),
        Phrase(
            r"^\W*(?:an? |the )?ring (?:of )?(?:with )?(?:a )?radius (?:of )?{radius},?(?: and| with)?(?: a| its)? tube (?:of )?"
            r"(?:radius )?(?:of )?{second}",
            {"form": "torus"},
        ),
        Phrase(r"{radius} (?:by|x|×) {second}", finds=False),
        Phrase(r"{height} long|length (?:of )?{height}", finds=False),
        Phrase(r"(?:at )?{z} (?:up|high up)", finds=False),
        Phrase(r"(?:at )?{-z} down", finds=False),
    )
    sentence = f"**Simple** {{form}} of radius {{radius}}[, from {{low}} to {{high}} of latitude]{_ROUND}"
    wording_field = "form"
    wordings = {
        "cylinder": f"**Simple** {{form}} of radius {{radius}}, {{height}} high{_ROUND}",
        "cone": f"**Simple** {{form}} of radius {{radius}} below and {{second}} above, {{height}} high{_ROUND}",
        "torus": f"**Simple** {{form}} of radius {{radius}}, its tube of radius {{second}}{_ROUND}",
        "ellipsoid": f"**Simple** {{form}} with half axes {{radius}}, {{second}} and {{height}}{_AT}",
        "disc": f"**Simple** {{form}} of radius {{radius}}, its hole of radius {{second}}{_ROUND}",
        "sheet": f"**Simple** {{form}} of {{radius}} by {{second}}{_AT}",
    }
    gives_kind = "surface"

    verb: Literal["simple"] = "simple"
    form: Annotated[
        Literal["sphere", "cylinder", "cone", "torus", "ellipsoid", "disc", "sheet"],
        ChoiceSpec(
            "Which body; a sphere cut by latitude is a dome or a shell with an opening.",
            ("sphere", "cylinder", "cone", "torus", "ellipsoid", "disc", "sheet"),
        ),
    ] = "sphere"
    radius: Annotated[Number, NumberSpec("Its first size.", "length", least=0, above=True, most=1e6)] = "50 mm"
    second: Annotated[Number, NumberSpec("Its second size.", "length", label="second size", least=0, most=1e6)] = "20 mm"
    height: Annotated[Number, NumberSpec("Its height, or third size.", "length", least=0, above=True, most=1e6)] = "80 mm"
    low: Annotated[Number, _latitude("Latitude at which it starts; -90° is the lower pole.")] = "-90°"
    high: Annotated[Number, _latitude("Latitude at which it ends; 90° is the upper pole.")] = "90°"
    sweep: Annotated[
        Number, NumberSpec("How far round it goes.", "angle", least=0, above=True, most=2 * pi, step=5, named=True)
    ] = "360°"
    x: Annotated[Number, a_place("x", "The place, along left-right.", named=True)] = "0 mm"
    y: Annotated[Number, a_place("y", "The place, along front-back.", named=True)] = "0 mm"
    z: Annotated[Number, a_place("z", "The place, upwards.", named=True)] = "0 mm"
    gives: SurfaceName = "body"

    def build(self, given: Given) -> SurfaceItem:
        """Revolve its half section; stretch a sphere to an ellipsoid; rule a sheet."""
        place = np.array([given.number(name) for name in "xyz"])
        radius = given.number("radius")
        if self.form == "sheet":
            x, y = radius / 2, given.number("second") / 2
            edges = [make_polyline(place + np.array([[-x, side * y, 0], [x, side * y, 0]])) for side in (-1, 1)]
            return SurfaceItem(loft_sections(edges, LoftShape(degree=1, align=False)))
        if self.form == "ellipsoid":
            ball = revolve_curve(_half_circle(radius, -pi / 2, pi / 2), np.zeros(3), (0, 0, 1), 2 * pi)
            factors = np.array([radius, _above(given, "second"), given.number("height")]) / radius
            return SurfaceItem(NurbsSurface(ball.degrees, ball.knots, ball.control_points * factors + place, ball.weights))
        half = place_curve(self._half(given), moving(place))
        return SurfaceItem(revolve_curve(half, place, (0.0, 0.0, 1.0), given.number("sweep")))

    def _half(self, given: Given) -> NurbsCurve:
        """Return the half section in the front plane."""
        radius = given.number("radius")
        if self.form == "sphere":
            low, high = given.number("low"), given.number("high")
            if high <= low:
                raise InvalidInput("The upper latitude", f"above {np.degrees(low):.4g}°", f"{np.degrees(high):.4g}°")
            return _half_circle(radius, low, high)
        if self.form == "cylinder":
            return make_polyline([[radius, 0, 0], [radius, 0, given.number("height")]])
        second = given.number("second")
        if self.form == "cone":
            return make_polyline([[radius, 0, 0], [second, 0, given.number("height")]])
        if second >= radius:
            raise InvalidInput("The second radius", f"below {radius:g} mm", f"{second:g} mm")
        if self.form == "torus":
            return place_curve(make_circle((radius, 0), _above(given, "second")), turning([0, 0, 0], [1, 0, 0], pi / 2))
        return make_polyline([[radius, 0, 0], [second, 0, 0]])

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return its place and its sizes."""
        place = np.array([values[name] for name in "xyz"])
        used = self.used_fields()
        found = super().handles(values, item_of)
        for field, axis, share, start in _MEASURES[self.form]:
            if field in used:
                base = (
                    place + np.array(SPACE[start]) * (values["height"] if start == "z" else values["radius"])
                    if start
                    else place
                )
                found.append(length_handle(field, values[field], base, SPACE[axis], share, self.spec(field).label))
        return found


_MEASURES: dict[str, tuple[tuple[str, str, float, str], ...]] = {
    "sphere": (("radius", "x", 1.0, ""),),
    "cylinder": (("radius", "x", 1.0, ""), ("height", "z", 1.0, "")),
    "cone": (("radius", "x", 1.0, ""), ("second", "x", 1.0, "z"), ("height", "z", 1.0, "")),
    "torus": (("radius", "x", 1.0, ""), ("second", "z", 1.0, "x")),
    "ellipsoid": (("radius", "x", 1.0, ""), ("second", "y", 1.0, ""), ("height", "z", 1.0, "")),
    "disc": (("radius", "x", 1.0, ""), ("second", "y", 1.0, "")),
    "sheet": (("radius", "x", 0.5, ""), ("second", "y", 0.5, "")),
}
"""Of each form: a size, the axis along which it is taken, which share of it, and the axis from whose end ("" for the place)."""


def _half_circle(radius: float, low: float, high: float) -> NurbsCurve:
    """Return the arc between two latitudes in the front plane."""
    arc = make_elliptic_arc((0, 0), radius, radius, 0.0, low, high)
    return place_curve(arc, turning([0, 0, 0], [1, 0, 0], pi / 2))


def _above(given: Given, name: str) -> float:
    """Return a size that has to be above zero."""
    value = given.number(name)
    if value <= 0:
        raise InvalidInput("The second size", "above 0 mm", f"{value:g} mm")
    return value
