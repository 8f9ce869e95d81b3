"""Bend, twist, taper, shear, stretch and ripple."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.deform.bends import Bend, Ripple, Shear, Stretch, Taper, Twist, angle_to_meet
from glass_spoon.kernel.deform.space_map import Axes, SpaceMap
from glass_spoon.kernel.errors import KernelError
from glass_spoon.sheet.fields import ChoiceSpec, LawSpec, LawText, Number, NumberSpec, ReferenceSpec
from glass_spoon.sheet.handle import Handle, ItemOf, angle_handle, length_handle
from glass_spoon.sheet.items import CurveItem, Item, as_mesh
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.draw.fields import AtX, AtY, AtZ, a_length, an_angle
from glass_spoon.sheet.lines.place.fields import AxisField, Through, own_frame, vector
from glass_spoon.sheet.lines.shape.shape_work import (
    MARKED,
    SPAN,
    TOLERANCE,
    TOWARDS,
    AxisLine,
    Laid,
    SpanLine,
    StaysField,
    Towards,
)
from glass_spoon.sheet.phrase import Phrase

FLAT = 0.02
"""A rim that leaves its plane by more than this share of its size has none."""

_END = f"{SPAN}{MARKED}{TOLERANCE}."
TowardsField = Annotated[Towards, ChoiceSpec("Which way.", tuple(TOWARDS))]
AboutField = Annotated[
    Through,
    ChoiceSpec(
        "Where the axis is: through its own origin, which is the middle of its box where it was given none, or a place.",
        ("its own origin", "a place"),
    ),
]
Kept = Literal["its core", "the inner side", "the outer side"]
WAYS = (
    Phrase(r"upwards?", {"way": "up"}, finds=False),
    Phrase(r"downwards?", {"way": "down"}, finds=False),
    Phrase(r"(?:to the )?rightwards?|to the right", {"way": "right"}, finds=False),
    Phrase(r"(?:to the )?leftwards?|to the left", {"way": "left"}, finds=False),
    Phrase(r"backwards?|to the back", {"way": "back"}, finds=False),
    Phrase(r"forwards?|to the front", {"way": "front"}, finds=False),
)


class BendLine(SpanLine):
    """Bend anything to an arc."""

    summary = (
        "Bend anything to an arc about an axis, by an angle, to a radius, or until its end meets a rim; the length of its "
        "core is kept."
    )
    words = ("curl", "roll up", "arc", "curve up", "flex", "wrap round")
    phrases = (*WAYS, Phrase(r"(?:to meet|until it meets|to touch)(?: the (?:rim|plane|end) of)?", {"given_by": "to meet"}))
    led = {"target": r"(?:to meet|meets|touch)(?: the (?:rim|plane|end) of)? (?:the )?"}
    sentence = "**Bend** {item} {way} {given_by} {angle} along its {axis}[, keeping the length of {kept}][, {stays}]" + _END
    wording_field = "given_by"
    wordings = {
        "to a radius of": "**Bend** {item} {way} {given_by} {radius} along its {axis}[, keeping the length of {kept}][, {stays}]"
        + _END,
        "to meet": "**Bend** {item} {way} {given_by} {target} along its {axis}[, keeping the length of {kept}][, {stays}]"
        + _END,
    }

    verb: Literal["bend"] = "bend"
    way: TowardsField = "up"
    given_by: Annotated[
        Literal["by", "to a radius of", "to meet"],
        ChoiceSpec(
            "By the angle of the whole arc, by its radius, or until its free end lies in the plane of a curve or a rim.",
            ("by", "to a radius of", "to meet"),
        ),
    ] = "by"
    angle: Annotated[Number, an_angle("The angle from end to end.", least=-2 * np.pi, most=2 * np.pi)] = 90
    radius: Annotated[Number, a_length("Radius of the layer whose length is kept.")] = "50 mm"
    target: Annotated[
        str,
        ReferenceSpec(
            "A curve, or a mesh with an open rim, in whose plane its free end is to lie.", "curve", also=("mesh",)
        ),
    ] = ""
    axis: AxisField = "left-right axis"
    kept: Annotated[
        Kept,
        ChoiceSpec(
            "The layer that is as long as before: midway, or the side towards the middle of the arc, or the other.",
            ("its core", "the inner side", "the outer side"),
        ),
    ] = "its core"
    stays: StaysField = "middle"

    def towards(self) -> str:
        """Return the way it bends."""
        return self.way

    def laid(self, given: Given, item: Item) -> Laid:
        """Return the axes, through the layer whose length is kept."""
        laid = super().laid(given, item)
        low, high = laid.reach[:, 0]
        at = {"the inner side": high, "the outer side": low}.get(self.kept, (low + high) / 2)
        if self.kept != "its core" and self.given_by == "by" and given.number("angle") < 0:
            at = low + high - at
        axes = Axes(laid.axes.origin + at * laid.axes.rows[0], laid.axes.rows)
        return Laid(axes, laid.low, laid.high, laid.reach - [at, 0, 0])

    def _angle(self, given: Given, laid: Laid) -> float:
        """Return the angle of the arc in radians."""
        if self.given_by == "by":
            return given.number("angle")
        if self.given_by == "to meet":
            return self._angle_to_meet(given, laid)
        return (laid.high - laid.low) / given.number("radius")

    def space_map(self, given: Given, laid: Laid) -> SpaceMap:
        """Bend it."""
        return Bend(laid.axes, laid.low, laid.high, self._angle(given, laid), laid.stays(self.stays))

    def _angle_to_meet(self, given: Given, laid: Laid) -> float:
        """Return the angle by which the free end comes onto the plane of what it is to meet."""
        end = laid.low if self.stays == "end" else laid.high
        tip = laid.axes.origin + end * laid.axes.rows[2]
        place, normal = _plane_to_meet(given.items["target"], tip)
        bend = Bend(laid.axes, laid.low, laid.high, 0.0, laid.stays(self.stays))
        angle = angle_to_meet(bend, end, place, normal)
        if angle is None:
            raise KernelError(
                f"Bent {self.way} by up to a whole turn its end does not reach that plane, {abs((tip - place) @ normal):.4g} mm "
                "away now. Bend it another way, hold its other end, or move it nearer."
            )
        return angle

    def also_told(self, given: Given, laid: Laid, of: SpaceMap) -> str:
        """Tell the angle that was found, and by how much the end still leans against the plane."""
        if self.given_by != "to meet" or not isinstance(of, Bend):
            return ""
        angle = of.angle
        end = laid.low if self.stays == "end" else laid.high
        tip = laid.axes.origin + end * laid.axes.rows[2]
        turned = angle * (end - laid.stays(self.stays)) / (laid.high - laid.low)
        across, _, along = laid.axes.rows
        way = np.sin(turned) * across + np.cos(turned) * along
        lean = np.degrees(np.arccos(min(1.0, abs(float(way @ _plane_to_meet(given.items["target"], tip)[1])))))
        return f"Bent by {np.degrees(angle):.4g}°: its end lies in that plane, and leans {lean:.3g}° against it. "

    def notes(self, given: Given, laid: Laid, of: SpaceMap) -> list[str]:
        """Tell of a bend that is tighter than it is thick, and of one that runs over itself."""
        angle, length = of.angle if isinstance(of, Bend) else 0.0, laid.high - laid.low
        deep = float(laid.reach[1, 0] if angle > 0 else -laid.reach[0, 0])
        found = []
        if deep > 0 and abs(angle) * deep > length * (1 - 1e-9):
            most = np.degrees(length / deep)
            found.append(
                f"It folds on its inner side: {deep:.3g} mm lie there, and the arc has a radius of {length / abs(angle):.3g} mm. "
                f"Bend it by less than {most:.3g}°, or keep the length of the inner side."
            )
        if abs(angle) > 2 * np.pi * (1 + 1e-9):
            found.append(
                f"It runs round by {np.degrees(abs(angle)):.4g}° and lies over itself. Give it a radius above "
                f"{length / (2 * np.pi):.4g} mm."
            )
        return found

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return the heights, and the radius."""
        found = super().handles(values, item_of)
        laid = self.laid_by_hand(values, item_of)
        if laid is not None and self.given_by == "to a radius of":
            start = laid.axes.origin + laid.stays(self.stays) * laid.axes.rows[2]
            found.append(length_handle("radius", float(values["radius"]), start, laid.axes.rows[0]))
        if laid is not None and self.given_by == "by":
            found.append(leaning_handle(laid, self.stays, float(values["angle"])))
        return found


def _plane_to_meet(item: Item, near: Floats) -> tuple[Floats, Floats]:
    """Return a place (3,) and the unit normal (3,) of the plane of a curve, or of the open rim of a mesh nearest a place."""
    if isinstance(item, CurveItem):
        points = item.curve.control_points
        if len(points) < 3:
            raise KernelError("A straight line lies in no one plane: choose a curve that bends, or a rim.")
    else:
        mesh = as_mesh(item)
        loops = [] if mesh is None else [mesh.mesh.positions[loop] for loop in mesh.mesh.topology.boundary_loops]
        if not loops:
            raise KernelError("What it is to meet has no open rim. Choose a curve, or open the mesh there.")
        points = min(loops, key=lambda loop: float(np.linalg.norm(loop.mean(axis=0) - near)))
    middle = points.mean(axis=0)
    sizes, rows = np.linalg.svd(points - middle, full_matrices=False)[1:]
    if sizes[1] <= 1e-9 * sizes[0]:
        raise KernelError("A straight line lies in no one plane: choose a curve that bends, or a rim.")
    if sizes[2] > FLAT * sizes[0]:
        raise KernelError("What it is to meet is not flat, so it has no plane. Choose a flat curve, or flatten the rim.")
    return middle, np.asarray(rows[2])


def leaning_handle(laid: Laid, stays: str, angle: float) -> Handle:
    """Return the handle of an angle from the axis of an item towards the first way across, about what stays."""
    _, about, along = laid.axes.rows
    centre = laid.axes.origin + laid.stays(stays) * along
    # The axes are right-handed: from the third to the first it goes counter-clockwise about the second.
    return angle_handle("angle", angle, centre, about, along, 0.5 * (laid.high - laid.low))


class _About(SpanLine):
    """A verb about an axis that goes through the item's own origin or a place."""

    about: AboutField = "its own origin"
    x: AtX = "0 mm"
    y: AtY = "0 mm"
    z: AtZ = "0 mm"

    def sentence_now(self) -> str:
        """Ask for the place of the axis."""
        text = super().sentence_now()
        return (
            text.replace("[ through {about}]", " through {about} x {x}, y {y}, z {z}") if self.about == "a place" else text
        )

    def through(self, given: Given, item: Item) -> Floats:
        """Return a place of the axis."""
        return vector(given, "x", "y", "z") if self.about == "a place" else own_frame(item).origin


class TwistLine(_About):
    """Twist anything about an axis."""

    summary = "Twist anything about an axis: by an angle that runs along it, evenly, eased, or by a law."
    words = ("wring", "twirl", "spiral", "screw", "turn along")
    phrases = tuple(
        Phrase(rf"(?:by )?{said}(?: of a)? turn", {"turn": f"0° to {angle}°"}, finds=False)
        for said, angle in (
            (r"three quarters", 270),
            (r"(?:a |one )?quarter", 90),
            (r"(?:a )?half(?: a)?", 180),
            (r"(?:a|one)(?: whole| full)?", 360),
            (r"two(?: whole| full)?", 720),
        )
    )
    sentence = "**Twist** {item} by {turn} about the {axis}[ through {about}]" + _END

    verb: Literal["twist"] = "twist"
    turn: Annotated[
        LawText,
        LawSpec(
            "How far it is turned, from start to end: 0° to 90°, or 0° to 90° eased, bias 0.3.",
            dimension="angle",
            said=("by", "from"),
        ),
    ] = "0° to 90°"

    def space_map(self, given: Given, laid: Laid) -> SpaceMap:
        """Twist it; one angle alone is where it ends."""
        law = given.law("turn")
        if law.is_constant:
            return Twist(laid.axes, laid.low, laid.high, lambda shares: law.end * shares)
        return Twist(laid.axes, laid.low, laid.high, law.at)


class TaperLine(_About):
    """Make anything wider or narrower along an axis."""

    summary = "Taper anything along an axis, or let it bulge: by a factor that runs along it, in one or both ways across."
    words = ("narrow", "widen", "bulge", "waist", "flare", "pinch in")
    phrases = (
        Phrase(r"to (?:a )?half(?: (?:its |the )?(?:size|width))?(?: at the top)?", {"factor": "1 to 0.5"}, finds=False),
        Phrase(r"to (?:a )?third(?: (?:its |the )?(?:size|width))?(?: at the top)?", {"factor": "1 to 0.333"}, finds=False),
        Phrase(r"to (?:a )?quarter(?: (?:its |the )?(?:size|width))?(?: at the top)?", {"factor": "1 to 0.25"}, finds=False),
        Phrase(r"to (?:almost )?(?:a point|nothing)(?: at the top)?", {"factor": "1 to 0.01"}, finds=False),
    )
    sentence = "**Taper** {item} by {factor} along the {axis}[ through {about}][, {ways}]" + _END

    verb: Literal["taper"] = "taper"
    factor: Annotated[
        LawText,
        LawSpec("The factor from start to end: 1 to 0.5, or 1, 1.3 at 0.5, 1 for a bulge.", least=0.001, said=("by",)),
    ] = "1 to 0.5"
    ways: Annotated[
        Literal["all round", "left-right only", "front-back only", "up-down only"],
        ChoiceSpec("In which ways across.", ("all round", "left-right only", "front-back only", "up-down only")),
    ] = "all round"

    def towards(self) -> str:
        """Return the only way where there is one, as the first."""
        only = {"left-right only": "right", "front-back only": "back", "up-down only": "up"}
        return only.get(self.ways, super().towards())

    def space_map(self, given: Given, laid: Laid) -> SpaceMap:
        """Taper it."""
        law = given.law("factor")
        return Taper(laid.axes, laid.low, laid.high, law.at, (True, self.ways == "all round"))


class ShearLine(SpanLine):
    """Lean anything to one side."""

    summary = "Lean anything to one side, every layer as it was: raked stems, italic letters, slanted walls."
    words = ("lean", "slant", "skew", "rake", "italic", "tilt")
    phrases = WAYS
    sentence = "**Shear** {item} {way} by {angle} along its {axis}[, {stays}]" + _END

    verb: Literal["shear"] = "shear"
    way: TowardsField = "right"
    angle: Annotated[Number, an_angle("By how much it leans.", least=-1.48, most=1.48)] = 15
    stays: StaysField = "start"

    def towards(self) -> str:
        """Return the way it leans."""
        return self.way

    def space_map(self, given: Given, laid: Laid) -> SpaceMap:
        """Shear it."""
        slope, held = float(np.tan(given.number("angle"))), laid.stays(self.stays)
        return Shear(laid.axes, laid.low, laid.high, slope, held, self.span == "whole")

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return the heights, and the angle by which it leans."""
        found, laid = super().handles(values, item_of), self.laid_by_hand(values, item_of)
        return found if laid is None else [*found, leaning_handle(laid, self.stays, float(values["angle"]))]


class StretchLine(SpanLine):
    """Make anything longer or shorter along an axis."""

    summary = "Stretch anything along an axis, as a whole or between two heights; thinner as it gets longer where asked."
    words = ("lengthen", "squash", "squeeze", "longer", "shorter", "press")
    sentence = "**Stretch** {item} by {factor} along the {axis}[, {volume}][, {stays}]" + _END

    verb: Literal["stretch"] = "stretch"
    factor: Annotated[Number, NumberSpec("Factor along the axis.", least=0.01, most=100, step=0.05)] = 1.5
    volume: Annotated[
        Literal["as wide as before", "its volume kept"],
        ChoiceSpec("Whether it gets thinner as it gets longer.", ("as wide as before", "its volume kept")),
    ] = "as wide as before"
    stays: StaysField = "start"

    def space_map(self, given: Given, laid: Laid) -> SpaceMap:
        """Stretch it."""
        keeps = self.volume == "its volume kept"
        return Stretch(
            laid.axes, laid.low, laid.high, given.number("factor"), laid.stays(self.stays), keeps, self.span == "whole"
        )

    def notes(self, given: Given, laid: Laid, of: SpaceMap) -> list[str]:
        """Tell that the volume is kept of the whole alone."""
        if self.span == "whole" or self.volume != "its volume kept":
            return []
        return ["Between heights it only gets longer: the volume is kept where the whole is stretched."]


class RippleLine(AxisLine):
    """Waves over anything."""

    summary = "Ripple anything: straight waves or rings, by their height and length."
    words = ("wave", "waves", "corrugate", "ruffle", "undulate", "water")
    phrases = (
        *WAYS,
        Phrase(r"{waves} (?:waves|ripples|rings)(?: in all)?", {"spacing": "count"}, finds=False),
        Phrase(r"{height} high", finds=False),
        Phrase(r"by {height}(?! (?:waves|ripples|rings|from))", finds=False),
    )
    sentence = (
        "**Ripple** {item} {way} by {height}, {wave} {spacing}, {manner} along the {axis}[, begun at {start}]"
        f"{MARKED}{TOLERANCE}."
    )
    wording_field = "spacing"
    wordings = {
        "count": (
            "**Ripple** {item} {way} by {height}, {waves} {spacing}, {manner} along the {axis}[, begun at {start}]"
            f"{MARKED}{TOLERANCE}."
        )
    }

    verb: Literal["ripple"] = "ripple"
    way: TowardsField = "up"
    height: Annotated[Number, NumberSpec("Height of a wave over the middle.", "length", least=-1e6, most=1e6)] = "2 mm"
    wave: Annotated[Number, a_length("From one wave to the next.", label="wave length")] = "20 mm"
    spacing: Annotated[
        Literal["length", "count"],
        ChoiceSpec(
            "Whether waves are as long as is given, or so many: from end to end, rings from the middle out.",
            ("length", "count"),
            ("from wave to wave", "waves in all"),
        ),
    ] = "length"
    waves: Annotated[Number, NumberSpec("How many.", label="count of waves", least=0, above=True, most=10_000)] = 3
    manner: Annotated[
        Literal["straight", "in rings"],
        ChoiceSpec("Straight waves that run along the axis, or rings about the middle.", ("straight", "in rings")),
    ] = "straight"
    axis: AxisField = "left-right axis"
    start: Annotated[Number, an_angle("How far the wave has run in the middle.", label="phase")] = 0

    def towards(self) -> str:
        """Return the way the waves rise."""
        return self.way

    def space_map(self, given: Given, laid: Laid) -> SpaceMap:
        """Ripple it, about its middle."""
        axes = Axes(laid.axes.origin + (laid.reach[0, 2] + laid.reach[1, 2]) / 2 * laid.axes.rows[2], laid.axes.rows)
        return Ripple(axes, given.number("height"), self._length(given, laid), given.number("start"), self.manner)

    def _length(self, given: Given, laid: Laid) -> float:
        """Return the length of a wave in mm."""
        if self.spacing == "length":
            return given.number("wave")
        size = laid.reach[1] - laid.reach[0]
        whole = float(size[2]) if self.manner == "straight" else float(max(size[1], size[2])) / 2
        if not whole > 0:
            raise KernelError(f"It has no length along the {self.axis} to be parted in waves: choose another axis.")
        return whole / given.number("waves")
