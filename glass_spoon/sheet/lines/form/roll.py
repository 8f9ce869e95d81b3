"""Sheets rolled and wrapped, and the drawings they carry."""

from __future__ import annotations

from math import pi
from typing import Annotated, Literal

from glass_spoon.kernel.surfaces.project_curve import carry_over
from glass_spoon.kernel.surfaces.roll_sheet import roll_frame, roll_sheet
from glass_spoon.sheet.fields import ChoiceSpec, ItemName, Items, NameSpec, Number, NumberSpec, ReferenceSpec, ReferencesSpec
from glass_spoon.sheet.items import CurvesItem, Item, SurfaceItem
from glass_spoon.sheet.line import Given, Line
from glass_spoon.sheet.lines.form.fields import SurfaceName, Within, how_near


class Roll(Line):
    """A flat sheet bent round a body."""

    chapter = "Form"
    summary = "Roll a flat sheet onto a cylinder, its lengths kept, or wrap it on a sphere; Carry takes its drawing along."
    words = ("bend", "wrap", "cylinder", "sphere", "label", "flat sheet", "tube", "developable")
    sentence = (
        "**Roll** {surface} onto a {body} of radius {radius} on its {side}, bending at {direction} to its round direction, "
        "within {tolerance}, giving {gives}."
    )
    wording_field = "body"
    wordings = {
        "sphere": "**Roll** {surface} onto a {body} of radius {radius} on its {side}, within {tolerance}, giving {gives}."
    }
    gives_kind = "surface"

    verb: Literal["roll"] = "roll"
    surface: Annotated[str, ReferenceSpec("The flat sheet; it stays.", "surface")] = ""
    body: Annotated[
        Literal["cylinder", "sphere"],
        ChoiceSpec(
            "What it lies on; on a sphere lengths are kept along great circles through its middle.", ("cylinder", "sphere")
        ),
    ] = "cylinder"
    radius: Annotated[Number, NumberSpec("The body's radius.", "length", least=0, above=True, most=1e6)] = "50 mm"
    side: Annotated[
        Literal["back", "face"],
        ChoiceSpec(
            "On which side of the sheet the body lies: behind it, or before the side that faces out.", ("back", "face")
        ),
    ] = "back"
    direction: Annotated[
        Number, NumberSpec("Direction in which it bends, in its plane.", "angle", least=-2 * pi, most=2 * pi, step=5)
    ] = "0°"
    tolerance: Within = "0.001 mm"
    gives: SurfaceName = "rolled"

    def build(self, given: Given) -> SurfaceItem:
        """Roll it about its middle, where it keeps touching its plane."""
        sheet, radius = given.surface("surface").surface, given.number("radius")
        direction = given.number("direction") if self.body == "cylinder" else 0.0
        frame = roll_frame(sheet, self.body, radius, direction, self.side == "face")
        made = roll_sheet(sheet, frame, given.number("tolerance"))
        return SurfaceItem(made.surface, told=how_near(made.largest))


class Carry(Line):
    """A drawing taken from one surface to another."""

    chapter = "Form"
    summary = "Carry a drawing from a surface to another of the same lay, as from a flat sheet to the sheet rolled."
    words = ("drawing", "wrap", "lettering", "pattern", "map", "flow", "label", "onto")
    sentence = "**Carry** {curves} from {source} to {target}, within {tolerance}, giving {gives}."
    gives_kind = "curves"

    verb: Literal["carry"] = "carry"
    curves: Annotated[Items, ReferencesSpec("The curves of the drawing.", "curve", also=("curves",), least=1)] = []
    target: Annotated[str, ReferenceSpec("The surface onto which they go, at the same shares of its ways.", "surface")] = ""
    source: Annotated[str, ReferenceSpec("The surface on which they lie.", "surface")] = ""
    tolerance: Within = "0.01 mm"
    gives: Annotated[ItemName, NameSpec("Name of the carried drawing.")] = "carried"

    def build(self, given: Given) -> Item:
        """Carry each curve by its places on the surface."""
        source, target = given.surface("source").surface, given.surface("target").surface
        within = given.number("tolerance")
        return CurvesItem(tuple(carry_over(curve, source, target, within).curve for curve in given.every_curve("curves")))
