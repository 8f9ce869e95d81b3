"""Things set on places, on skins and on one another by their own origins and axes."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.curves.alter.frame import Frame, upright_frame
from glass_spoon.kernel.curves.alter.place_curve import moving, turning, unit_direction
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec, ReferenceSpec
from glass_spoon.sheet.items import Item
from glass_spoon.sheet.kinds import kind_of
from glass_spoon.sheet.line import Given, Line
from glass_spoon.sheet.lines.draw.fields import AtX, AtY, AtZ, an_angle
from glass_spoon.sheet.lines.place.fields import ANY, Placed, own_frame, placed, vector
from glass_spoon.sheet.phrase import Phrase


class Align(Line):
    """Anything set on a place, a skin, or another thing."""

    chapter = "Place"
    summary = "Align anything: its origin, foot or top onto a place, onto a skin square to it, or onto another's own axes."
    words = ("snap", "attach", "mate", "place on", "stand on", "put on", "orient", "fit onto")
    phrases = (
        Phrase(r"(?:on|by) its (?:foot|bottom|base)", {"by": "its foot"}, finds=False),
        Phrase(r"(?:on|by) its (?:head|top)", {"by": "its head"}, finds=False),
        Phrase(r"(?:by|at) its own origin", {"by": "its own origin"}, finds=False),
        Phrase(r"(?:aligned |line(?:d)? up )?with(?= (?!its|a |an )[a-z])", {"to": "to another"}, finds=False),
        Phrase(r"turned (?:by )?{turned}", finds=False),
        Phrase(r"(?:with )?(?:a )?gap (?:of )?{gap}|{gap} (?:off|above) it", finds=False),
    )
    sentence = (
        "**Align** {item} by {by} {to} x {x}, y {y}, z {z}[, facing {right} right, {back} back and {up} up][, turned by {turned}], "
        "{gap} off it."
    )
    wording_field = "to"
    wordings = {
        "to a skin": "**Align** {item} by {by} {to}, {body}, where it is nearest to x {x}, y {y}, z {z}[, turned by {turned}][, {gap} off it].",
        "to another": "**Align** {item} by {by} {to}, {other}[, turned by {turned}][, {gap} off it].",
    }

    verb: Literal["align"] = "align"
    item: Placed = ""
    by: Annotated[
        Literal["its own origin", "its foot", "its head"],
        ChoiceSpec(
            "What of it comes to the place: its own origin (of a Group; else the middle of its box), the middle of its lowest "
            "side, or of its highest, which then looks down on it.",
            ("its own origin", "its foot", "its head"),
        ),
    ] = "its own origin"
    to: Annotated[
        Literal["to a place", "to a skin", "to another"],
        ChoiceSpec(
            "What it is set on: a place, the skin of a body, square to it, or the own origin and axes of another thing.",
            ("to a place", "to a skin", "to another"),
        ),
    ] = "to a place"
    body: Annotated[str, ReferenceSpec("The mesh whose skin it stands on.", "mesh")] = ""
    other: Annotated[str, ReferenceSpec("The thing whose own origin and axes it takes.", "curve", also=ANY)] = ""
    x: AtX = "0 mm"
    y: AtY = "0 mm"
    z: AtZ = "0 mm"
    right: Annotated[Number, NumberSpec("How much its upright axis faces right.", label="facing right", step=0.1)] = 0
    back: Annotated[Number, NumberSpec("How much its upright axis faces back.", label="facing back", step=0.1)] = 0
    up: Annotated[Number, NumberSpec("How much its upright axis faces up.", label="facing up", step=0.1)] = 1
    turned: Annotated[Number, an_angle("How far it is turned about the axis on which it stands.")] = 0
    gap: Annotated[
        Number, NumberSpec("How far off the place it stays, along that axis.", "length", least=-1e5, most=1e5)
    ] = "0 mm"

    def build(self, given: Given) -> Item:
        """Take its frame to the other one."""
        item = given.items["item"]
        aim = self._aim(given)
        up = aim.axes[2]
        spun = aim.placed(turning(aim.origin, up, given.number("turned"))).placed(moving(given.number("gap") * up))
        return placed(given, self._own(item).onto(spun))

    def _own(self, item: Item) -> Frame:
        """Return what of the item comes to the place, and how it stands."""
        own = own_frame(item)
        if self.by == "its own origin":
            return own
        low, high = (side - own.axes @ own.origin for side in kind_of(item).extent(item, own.axes))
        middle = (low + high) / 2
        if self.by == "its foot":
            return Frame(own.origin + np.array([middle[0], middle[1], low[2]]) @ own.axes, own.axes)
        head = own.origin + np.array([middle[0], middle[1], high[2]]) @ own.axes
        return Frame(head, np.stack((own.axes[0], -own.axes[1], -own.axes[2])))

    def _aim(self, given: Given) -> Frame:
        """Return where it is to stand."""
        if self.to == "to another":
            return own_frame(given.items["other"])
        place = vector(given, "x", "y", "z")
        if self.to == "to a place":
            return upright_frame(place, unit_direction(vector(given, "right", "back", "up"), "The facing"))
        mesh = given.mesh("body").mesh
        found, faces, _ = NearestOnMesh(mesh).ask(place[None])
        return upright_frame(found[0], mesh.face_normals[faces[0]])
