"""Sheets rolled and wrapped, and the drawings they carry."""

from __future__ import annotations

from dataclasses import replace
from math import pi
from typing import Annotated, Literal

from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.surfaces.alter.project_curve import carry_over
from glass_spoon.kernel.surfaces.make.roll_sheet import roll_frame, roll_sheet, roll_sheets
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from glass_spoon.sheet.fields import ChoiceSpec, ItemName, Items, NameSpec, Number, NumberSpec, ReferenceSpec, ReferencesSpec
from glass_spoon.sheet.items import CurvesItem, Item, SurfaceItem, SurfacesItem
from glass_spoon.sheet.line import Given, Line
from glass_spoon.sheet.lines.form.fields import SurfaceName, Within, how_near
from glass_spoon.sheet.lines.mesh_work.fields import length_text

MEETING = 4.0
"""Times the tolerance within which the edges of rolled sheets meet."""


class Roll(Line):
    """A flat sheet bent round a body."""

    chapter = "Form"
    summary = "Roll a flat sheet, or a set of them, onto a cylinder, its lengths kept, or wrap it on a sphere; Carry takes its drawing along."
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
    gives_like = "surface"

    verb: Literal["roll"] = "roll"
    surface: Annotated[
        str,
        ReferenceSpec(
            "The flat sheet, or a set with one, what stands over it going along; it stays.", "surface", also=("surfaces",)
        ),
    ] = ""
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

    def build(self, given: Given) -> Item:
        """Roll it about its middle, where it keeps touching its plane."""
        item, radius, within = given.items["surface"], given.number("radius"), given.number("tolerance")
        direction = given.number("direction") if self.body == "cylinder" else 0.0
        if not isinstance(item, SurfacesItem):
            sheet = given.surface("surface").surface
            frame = roll_frame([sheet], self.body, radius, direction, inside=self.side == "face")
            made = roll_sheet(sheet, frame, within)
            return SurfaceItem(made.surface, told=how_near(made.largest))
        if item.shape.caps:
            raise KernelError("Flat ends do not bend. Leave the ends of the set open, or roll a single sheet.")
        sheets = item.shape.surfaces
        several = roll_sheets(sheets, roll_frame(sheets, self.body, radius, direction, inside=self.side == "face"), within)
        tolerance = max(item.shape.tolerance, MEETING * within)
        shape = SurfaceSet(tuple(made.surface for made in several), tolerance, counts=item.shape.counts)
        return replace(item, shape=shape, notes=(), told=how_near(max(made.largest for made in several)))


class Carry(Line):
    """A drawing taken from one surface to another."""

    chapter = "Form"
    summary = "Carry a drawing from a surface to another of the same lay, as from a flat sheet to the sheet rolled; heights are kept."
    words = ("drawing", "wrap", "lettering", "pattern", "map", "flow", "label", "onto")
    sentence = "**Carry** {curves} from {source} to {target}, within {tolerance}, giving {gives}."
    gives_kind = "curves"

    verb: Literal["carry"] = "carry"
    curves: Annotated[Items, ReferencesSpec("The curves of the drawing.", "curve", also=("curves",), least=1)] = []
    target: Annotated[str, ReferenceSpec("The surface onto which they go, at the same shares of its ways.", "surface")] = ""
    source: Annotated[str, ReferenceSpec("The surface on which they lie, or over which they stand.", "surface")] = ""
    tolerance: Within = "0.01 mm"
    gives: Annotated[ItemName, NameSpec("Name of the carried drawing.")] = "carried"

    def build(self, given: Given) -> Item:
        """Carry each curve by its places on the surface."""
        source, target = given.surface("source").surface, given.surface("target").surface
        within = given.number("tolerance")
        carried = [carry_over(curve, source, target, within) for curve in given.every_curve("curves")]
        height = max(one.height for one in carried)
        told = f"It stands up to {length_text(height)} over the sheet; heights are kept." if height else ""
        return CurvesItem(tuple(one.curve for one in carried), told=told)
