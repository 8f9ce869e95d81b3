"""The Form chapter: surfaces from curves."""

from __future__ import annotations

from math import pi
from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, directions, lengths
from glass_spoon.kernel.curves.curve import NurbsCurve
from glass_spoon.kernel.curves.place_curve import place_curve, turning
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.surfaces.revolve import revolve_curve
from glass_spoon.sheet.fields import ChoiceSpec, ItemName, NameSpec, Number, NumberSpec, ReferenceSpec
from glass_spoon.sheet.items import SurfaceItem
from glass_spoon.sheet.line import Given, Line
from glass_spoon.sheet.planes import AXES


class Revolve(Line):
    """A surface of revolution."""

    chapter = "Form"
    summary = "Turn a curve about an axis into an exact surface."
    words = ("lathe", "turn", "spin", "rotate", "turned", "round body", "surface")
    sentence = "**Revolve** {profile} about the {axis} by {angle} from {start_angle}, giving {gives}."
    wording_field = "axis"
    wordings = {"line": "**Revolve** {profile} about the {axis} {line} by {angle} from {start_angle}, giving {gives}."}
    gives_kind = "surface"

    verb: Literal["revolve"] = "revolve"
    profile: Annotated[str, ReferenceSpec("The curve to turn; it stays on one side of the axis.", "curve")] = ""
    axis: Annotated[
        Literal["upright axis", "left-right axis", "front-back axis", "line"],
        ChoiceSpec("The axis to turn about: one through the origin, or a straight curve.", (*AXES, "line")),
    ] = "upright axis"
    line: Annotated[str, ReferenceSpec("A straight curve to turn about.", "curve")] = ""
    angle: Annotated[Number, NumberSpec("How far to turn.", "angle", least=0, above=True, most=2 * pi, step=5)] = "360°"
    start_angle: Annotated[
        Number, NumberSpec("Where it starts: the seam.", "angle", label="start angle", least=-2 * pi, most=2 * pi, step=5)
    ] = "0°"
    gives: Annotated[ItemName, NameSpec("Name of the surface.")] = "body"

    def build(self, given: Given) -> SurfaceItem:
        """Turn the profile."""
        origin, axis = np.zeros(3), np.array(AXES.get(self.axis, (0.0, 0.0, 1.0)))
        if self.axis == "line":
            origin, axis = _line_axis(given.curve("line").curve)
        start = given.number("start_angle")
        curve = given.curve("profile").curve
        turned = place_curve(curve, turning(origin, axis, start)) if start else curve
        return SurfaceItem(revolve_curve(turned, origin, axis, given.number("angle")))


def _line_axis(line: NurbsCurve) -> tuple[Floats, Floats]:
    """Return a place on a straight curve and its unit direction; raises KernelError for a bent one."""
    points = line.control_points - line.control_points[0]
    along = directions(points[-1])
    if lengths(points - np.outer(points @ along, along)).max() > 1e-6 or not lengths(along) > 0:
        raise KernelError("The axis should be a straight line, and this curve bends. Draw a line for it.")
    return line.control_points[0], along
