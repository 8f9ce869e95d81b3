"""Sheets rolled and wrapped, and the drawings they carry."""

from __future__ import annotations

from dataclasses import replace
from math import pi
from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.mesh_edits.roll_mesh import flat_frame, roll_mesh
from glass_spoon.kernel.surfaces.alter.project_curve import carry_over
from glass_spoon.kernel.surfaces.make.roll_sheet import RollFrame, net_of, roll_frame, roll_sheet, roll_sheets
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from glass_spoon.sheet.fields import ChoiceSpec, ItemName, Items, NameSpec, Number, NumberSpec, ReferenceSpec, ReferencesSpec
from glass_spoon.sheet.items import CurvesItem, Item, MeshItem, SurfaceItem, SurfacesItem, as_mesh
from glass_spoon.sheet.line import Given, Line
from glass_spoon.sheet.lines.form.fields import SurfaceName, Within, how_near
from glass_spoon.sheet.lines.mesh_work.fields import length_text
from glass_spoon.sheet.lines.mesh_work.fields import several as counted
from glass_spoon.sheet.phrase import Phrase

MEETING = 4.0
"""Times the tolerance within which the edges of rolled sheets meet."""


_RADIUS = "{fit} {radius}"


class Roll(Line):
    """A flat sheet bent round a body."""

    chapter = "Form"
    summary = "Roll a flat sheet, or a set of them, onto a cylinder, its lengths kept, or wrap it on a sphere; Carry takes its drawing along."
    words = ("bend", "wrap", "cylinder", "sphere", "label", "flat sheet", "tube", "developable")
    phrases = (
        Phrase(
            r"all round|by 360(?:°| degrees)|(?:a )?(?:full|whole) turn|into a tube|closed",
            {"fit": "all round"},
            finds=False,
        ),
    )
    sentence = (
        f"**Roll** {{surface}} onto a {{body}} {_RADIUS}[ on its {{side}}][, bending at {{direction}} to its round direction]"
        "[, within {tolerance}], giving {gives}."
    )
    wording_field = "body"
    wordings = {
        "sphere": "**Roll** {surface} onto a {body} of radius {radius}[ on its {side}][, within {tolerance}], giving {gives}."
    }
    gives_kind = "surface"
    gives_like = "surface"
    signs = True

    verb: Literal["roll"] = "roll"
    surface: Annotated[
        str,
        ReferenceSpec(
            "The flat sheet, or a set with one, what stands over it going along; or a mesh over the plan. It stays.",
            "surface",
            also=("surfaces", "mesh"),
        ),
    ] = ""
    body: Annotated[
        Literal["cylinder", "sphere"],
        ChoiceSpec(
            "What it lies on; on a sphere lengths are kept along great circles through its middle.", ("cylinder", "sphere")
        ),
    ] = "cylinder"
    fit: Annotated[
        Literal["radius", "all round"],
        ChoiceSpec(
            "Of a radius, or of that at which it goes just all round a cylinder and closes.",
            ("radius", "all round"),
            ("of radius", "all round"),
        ),
    ] = "radius"
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
        item, within = given.items["surface"], given.number("tolerance")
        if as_mesh(item) is not None:
            return self._roll_mesh(given, given.mesh("surface"))
        if isinstance(item, SurfacesItem) and item.shape.caps:
            raise KernelError("Flat ends do not bend. Leave the ends of the set open, or roll a single sheet.")
        sheets = given.surfaces("surface").surfaces
        frame = roll_frame(sheets, self.body, self._radius(given), self._direction(given), inside=self.side == "face")
        frame, note = self._fitted(frame, net_of(sheets))
        if not isinstance(item, SurfacesItem):
            made = roll_sheet(sheets[0], frame, within)
            return SurfaceItem(made.surface, told=f"{note}{how_near(made.largest)}")
        several = roll_sheets(sheets, frame, within)
        tolerance = max(item.shape.tolerance, MEETING * within)
        shape = SurfaceSet(tuple(made.surface for made in several), tolerance, counts=item.shape.counts)
        return replace(item, shape=shape, notes=(), told=f"{note}{how_near(max(made.largest for made in several))}")

    def kind_made_of(self, kind: str) -> str:
        """Return what becomes of an item of a kind: bodies are rolled as one mesh."""
        return "mesh" if kind == "bodies" else ""

    def sentence_now(self) -> str:
        """Ask for the radius of a cylinder where it has one."""
        text = super().sentence_now()
        return text if self.fit == "radius" else text.replace(_RADIUS, "{fit}")

    def _radius(self, given: Given) -> float:
        """Return the radius given; any, where the way round decides it."""
        return given.number("radius") if self.fit == "radius" or self.body == "sphere" else 1.0

    def _direction(self, given: Given) -> float:
        return given.number("direction") if self.body == "cylinder" else 0.0

    def _fitted(self, frame: RollFrame, points: Floats) -> tuple[RollFrame, str]:
        """Return the frame with the radius at which points (n, 3) go just all round, and a sentence on it, where asked."""
        if self.fit == "radius" or self.body == "sphere":
            return frame, ""
        radius = float(np.ptp((points - frame.origin) @ frame.along)) / (2 * pi)
        return replace(frame, radius=radius), f"Of radius {length_text(radius)}. "

    def _roll_mesh(self, given: Given, item: MeshItem) -> MeshItem:
        """Roll a mesh that lies over the plan; what goes all round is welded at its ends."""
        frame = flat_frame(item.mesh, self.body, self._radius(given), self._direction(given), inside=self.side == "face")
        frame, note = self._fitted(frame, item.mesh.positions)
        rolled = roll_mesh(item.mesh, frame)
        told = f"{note}{counted(rolled.seam, 'point')} of its ends became one with others." if rolled.seam else note
        return MeshItem(rolled.mesh, None, told=told.strip(), pieces=item.every_piece, makers=item.makers)


class Carry(Line):
    """A drawing taken from one surface to another."""

    chapter = "Form"
    summary = "Carry a drawing from a surface to another of the same lay, as from a flat sheet to the sheet rolled; heights are kept."
    words = ("drawing", "wrap", "lettering", "pattern", "map", "flow", "label", "onto")
    sentence = "**Carry** {curves} from {source} to {target}[, within {tolerance}], giving {gives}."
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
