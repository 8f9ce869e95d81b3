"""The Form chapter: surfaces from curves."""

from __future__ import annotations

from math import pi
from typing import Annotated, Literal

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
    sentence = "**Revolve** {profile} about the {axis} by {angle}, giving {gives}."
    gives_kind = "surface"

    verb: Literal["revolve"] = "revolve"
    profile: Annotated[str, ReferenceSpec("The curve to turn; it stays on one side of the axis.", "curve")] = ""
    axis: Annotated[
        Literal["upright axis", "left-right axis", "front-back axis"],
        ChoiceSpec("The axis through the origin to turn about.", tuple(AXES)),
    ] = "upright axis"
    angle: Annotated[Number, NumberSpec("How far to turn.", "angle", least=0, above=True, most=2 * pi, step=5)] = "360°"
    gives: Annotated[ItemName, NameSpec("Name of the surface.")] = "body"

    def build(self, given: Given) -> SurfaceItem:
        """Turn the profile."""
        curve = given.curve("profile").curve
        return SurfaceItem(revolve_curve(curve, (0.0, 0.0, 0.0), AXES[self.axis], given.number("angle")))
