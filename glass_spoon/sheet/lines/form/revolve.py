"""The Form chapter: surfaces from curves."""

from __future__ import annotations

from collections.abc import Mapping
from math import pi
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, directions, first_least, lengths
from glass_spoon.kernel.curves.alter.place_curve import Placement, place_curve, turning
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.surfaces.alter.edit_surface import place_surface
from glass_spoon.kernel.surfaces.make.climb import climb_curve
from glass_spoon.kernel.surfaces.make.revolve import revolve_curve
from glass_spoon.sheet.fields import ChoiceSpec, ItemName, NameSpec, Number, NumberSpec, ReferenceSpec
from glass_spoon.sheet.handle import Handle, ItemOf, angle_handle, turned_back
from glass_spoon.sheet.items import CurveItem, SurfaceItem
from glass_spoon.sheet.line import Given, Line
from glass_spoon.sheet.lines.form.fields import how_near
from glass_spoon.sheet.planes import AXES

SEEN = 65
"""Places of a profile at which its widest is sought, for handles."""


class Revolve(Line):
    """A surface of revolution."""

    chapter = "Form"
    summary = "Turn a curve about an axis into an exact surface."
    words = ("lathe", "turn", "spin", "rotate", "turned", "round body", "surface")
    sentence = (
        "**Revolve** {profile} about the {axis}[ by {angle} from {start_angle}][, {section}][, {course}], giving {gives}."
    )
    wording_field = "axis"
    wordings = {
        "line": "**Revolve** {profile} about the {axis} {line}[ by {angle} from {start_angle}][, {section}][, {course}], giving {gives}."
    }
    gives_kind = "surface"

    verb: Literal["revolve"] = "revolve"
    profile: Annotated[str, ReferenceSpec("The curve to turn; it stays on one side of the axis.", "curve")] = ""
    axis: Annotated[
        Literal["upright axis", "left-right axis", "front-back axis", "line"],
        ChoiceSpec("The axis to turn about: one through the origin, or a straight curve.", (*AXES, "line")),
    ] = "upright axis"
    line: Annotated[str, ReferenceSpec("A straight curve to turn about.", "curve")] = ""
    angle: Annotated[
        Number,
        NumberSpec(
            "How far to turn; one that climbs may turn many times.", "angle", least=0, above=True, most=400 * pi, step=5
        ),
    ] = "360°"
    section: Annotated[
        Literal["round", "oval"], ChoiceSpec("Whether it is round, or flattened across where it starts.", ("round", "oval"))
    ] = "round"
    flattened: Annotated[
        Number,
        NumberSpec("Width across over the width where it starts.", label="width across", least=0.01, most=100, step=0.05),
    ] = 0.7
    course: Annotated[
        Literal["level", "climbing"], ChoiceSpec("Whether it stays level or climbs along the axis.", ("level", "climbing"))
    ] = "level"
    rise: Annotated[Number, NumberSpec("How far it climbs in one turn.", "length", least=-1e6, most=1e6)] = "20 mm"
    tolerance: Annotated[
        Number, NumberSpec("How far a climbing surface may be off.", "length", least=1e-5, most=1e3, step=0.01)
    ] = "0.005 mm"
    start_angle: Annotated[
        Number, NumberSpec("Where it starts: the seam.", "angle", label="start angle", least=-2 * pi, most=2 * pi, step=5)
    ] = "0°"
    gives: Annotated[ItemName, NameSpec("Name of the surface.")] = "body"

    def sentence_now(self) -> str:
        """Ask for what an oval section and a climbing course need."""
        text = super().sentence_now()
        if self.section == "oval":
            text = text.replace("{section}", "{section} with {flattened} of the width across")
        return text if self.course == "level" else text.replace("{course}", "{course} {rise} a turn within {tolerance}")

    def deciding_fields(self) -> list[str]:
        """Leave out what the sentence does not show."""
        unused = set() if self.section == "oval" else {"flattened"}
        unused |= set() if self.course == "climbing" else {"rise", "tolerance"}
        return [name for name in super().deciding_fields() if name not in unused]

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return the angle by which the profile turns, and where it starts, at its widest place."""
        profile, line = item_of("profile"), item_of("line")
        if not isinstance(profile, CurveItem) or (self.axis == "line" and not isinstance(line, CurveItem)):
            return []
        origin, axis = np.zeros(3), np.array(AXES.get(self.axis, (0.0, 0.0, 1.0)), dtype=np.float64)
        if self.axis == "line" and isinstance(line, CurveItem):
            origin, axis = _line_axis(line.curve)
        away = curve_points(profile.curve, np.linspace(*profile.curve.domain, SEEN)) - origin
        out = away - np.outer(away @ axis, axis)
        best = int(first_least(-lengths(out)))
        far = float(lengths(out[best : best + 1])[0])
        if not far > 0:
            return []
        centre, start = origin + (away[best] @ axis) * axis, float(values["start_angle"])
        return [
            angle_handle("start_angle", start, centre, axis, out[best], far, "start angle"),
            angle_handle("angle", float(values["angle"]), centre, axis, turned_back(axis, out[best], -start), 1.15 * far),
        ]

    def build(self, given: Given) -> SurfaceItem:
        """Turn the profile."""
        origin, axis = np.zeros(3), np.array(AXES.get(self.axis, (0.0, 0.0, 1.0)))
        if self.axis == "line":
            origin, axis = _line_axis(given.curve("line").curve)
        start, angle = given.number("start_angle"), given.number("angle")
        curve = given.curve("profile").curve
        turned = place_curve(curve, turning(origin, axis, start)) if start else curve
        if self.course == "climbing":
            made = climb_curve(turned, origin, axis, angle, given.number("rise"), given.number("tolerance"))
            surface, told = made.surface, how_near(made.largest)
        else:
            whole = angle > 2 * pi * (1 + 1e-12)
            surface = revolve_curve(turned, origin, axis, min(angle, 2 * pi))
            told = f"A whole turn in place of {np.degrees(angle):g}°: a level course goes round once." if whole else ""
        if self.section == "oval":
            surface = place_surface(surface, _flattening(turned, origin, axis, given.number("flattened")))
        return SurfaceItem(surface, told=told)


def _flattening(profile: NurbsCurve, origin: Floats, axis: Floats, factor: float) -> Placement:
    """Return the scaling across the plane of the axis and the profile."""
    away = profile.control_points - origin
    out = away - np.outer(away @ axis, axis)
    across = np.cross(axis, directions(out[int(np.argmax(lengths(out)))]))
    matrix = np.eye(3) + (factor - 1) * np.outer(across, across)
    return Placement(matrix, origin - matrix @ origin)


def _line_axis(line: NurbsCurve) -> tuple[Floats, Floats]:
    """Return a place on a straight curve and its unit direction; raises KernelError for a bent one."""
    points = line.control_points - line.control_points[0]
    along = directions(points[-1])
    if lengths(points - np.outer(points @ along, along)).max() > 1e-6 or not lengths(along) > 0:
        raise KernelError("The axis should be a straight line, and this curve bends. Draw a line for it.")
    return line.control_points[0], along
