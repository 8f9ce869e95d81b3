"""Copy, move, turn, scale and mirror anything."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.arrays import directions
from glass_spoon.kernel.curves.alter.frame import Frame
from glass_spoon.kernel.curves.alter.place_curve import moving, scaling, turning
from glass_spoon.kernel.errors import KernelError
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec
from glass_spoon.sheet.handle import Handle, ItemOf, vector_handle
from glass_spoon.sheet.items import Item
from glass_spoon.sheet.kinds import kind_of
from glass_spoon.sheet.line import Given, Line
from glass_spoon.sheet.lines.draw.fields import AtX, AtY, AtZ, an_angle
from glass_spoon.sheet.lines.place.fields import (
    SAID_WAYS,
    AxisField,
    ItemNameField,
    Placed,
    SomeItem,
    ThroughField,
    X,
    Y,
    Z,
    middle_of_box,
    own_frame,
    placed,
    turn_handle,
    vector,
)
from glass_spoon.sheet.phrase import Phrase
from glass_spoon.sheet.planes import AXES


class Copy(Line):
    """A copy of anything, to be worked on by itself."""

    chapter = "Place"
    summary = "Copy anything, so that the copy may be worked on and the first one stays."
    words = ("duplicate", "clone", "another")
    sentence = "**Copy** {item} as {gives}."
    gives_kind = "curve"
    gives_like = "item"
    signs = True

    verb: Literal["copy"] = "copy"
    item: SomeItem = ""
    gives: ItemNameField = "copy"

    def build(self, given: Given) -> Item:
        """Give the same item under another name."""
        return given.items["item"]


class Move(Line):
    """Move anything."""

    chapter = "Place"
    summary = "Move anything by x, y and z."
    words = ("shift", "translate", "displace")
    phrases = (SAID_WAYS,)
    sentence = "**Move** {item} by {x} right, {y} back and {z} up."

    verb: Literal["move"] = "move"
    item: Placed = ""
    x: X = "0 mm"
    y: Y = "0 mm"
    z: Z = "0 mm"

    def build(self, given: Given) -> Item:
        """Move it."""
        return placed(given, moving(vector(given, "x", "y", "z")))

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return the move, from where the middle of the item was."""
        item = item_of("item")
        if item is None:
            return []
        return [vector_handle(values, "xyz", middle_of_box(item) - [values[name] for name in "xyz"], "move")]


class Turn(Line):
    """Turn anything."""

    chapter = "Place"
    summary = "Turn anything about an axis through a place."
    words = ("rotate", "spin", "angle")
    sentence = "**Turn** {item} by {angle} about the {axis} through {through} x {x}, y {y}, z {z}."
    wording_field = "through"
    wordings = {"its own origin": "**Turn** {item} by {angle} about the {axis} through {through}."}

    verb: Literal["turn"] = "turn"
    item: Placed = ""
    angle: Annotated[Number, an_angle("How far, counter-clockwise seen against the axis.")] = 90
    axis: AxisField = "upright axis"
    through: ThroughField = "a place"
    x: AtX = "0 mm"
    y: AtY = "0 mm"
    z: AtZ = "0 mm"

    def build(self, given: Given) -> Item:
        """Turn it; about its own origin its axes are its own."""
        if self.through == "its own origin":
            own = own_frame(given.items["item"])
            return placed(given, turning(own.origin, own.axes.T @ AXES[self.axis], given.number("angle")))
        return placed(given, turning(vector(given, "x", "y", "z"), AXES[self.axis], given.number("angle")))

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return the place of the axis, and the angle at the middle of the item, or beside an axis that goes through it."""
        found, item = super().handles(values, item_of), item_of("item")
        if item is None:
            return found
        own = own_frame(item)
        centre = (
            own.origin if self.through == "its own origin" else np.array([values[name] for name in "xyz"], dtype=np.float64)
        )
        axis = directions(
            np.array(AXES[self.axis], dtype=np.float64) @ (own.axes if self.through == "its own origin" else np.eye(3))
        )
        return [*found, turn_handle(item, "angle", float(values["angle"]), centre, axis)]


_MEASURED = (
    ("wide", "width", "wide|long|broad|across"),
    ("deep", "depth", "deep"),
    ("high", "height", "high|tall"),
)
_ACROSS = {"wide": "left-right", "deep": "front-back", "high": "upwards"}
FLAT = 1e-9
"""What measures less than this share of the largest extent is flat that way."""


class Scale(Line):
    """Scale anything."""

    chapter = "Place"
    summary = "Scale anything about a place: evenly, evenly to a size, or by own factors."
    words = ("size", "stretch", "bigger", "smaller", "factor", "fit", "resize")
    phrases = (
        Phrase(r"make(?= .*\d ?(?:mm|cm|m|in|inch(?:es)?)? (?:wide|long|broad|deep|high|tall)(?!\w))"),
        *(
            Phrase(rf"by {{{field}}} (?:in (?:its |the )?(?:{noun})|{ways})", {"evenly": "by own factors"}, finds=False)
            for field, noun, ways in (
                ("fx", "width|length", "(?:left[- ](?:to[- ])?right|sideways)"),
                ("fy", "depth", "front[- ](?:to[- ])?back"),
                ("fz", "height", "(?:upwards|vertically)"),
            )
        ),
        *(
            Phrase(
                rf"(?:(?:evenly )?(?:to|until) )?(?:it is )?{{size}} (?:{way}|in {noun})",
                {"evenly": "evenly to", "measured": measured},
                finds=False,
            )
            for measured, noun, way in _MEASURED
        ),
        *(
            Phrase(rf"to (?:a |an )?{noun} of {{size}}", {"evenly": "evenly to", "measured": measured}, finds=False)
            for measured, noun, way in _MEASURED
        ),
        *(
            Phrase(rf"{said} as {way}", {"evenly": "by own factors", field: factor}, finds=False)
            for said, factor in (("twice", "2"), ("half", "0.5"), ("three times", "3"))
            for way, field in (("(?:tall|high)", "fz"), ("(?:wide|long)", "fx"), ("deep", "fy"))
        ),
        *(
            Phrase(rf"{{{field}}} (?:times )?as {way}", {"evenly": "by own factors"}, finds=False)
            for way, field in (("(?:tall|high)", "fz"), ("(?:wide|long)", "fx"), ("deep", "fy"))
        ),
        *(
            Phrase(rf"{said} as (?:big|large)", {"factor": factor})
            for said, factor in (("(?:twice|two times)", "2"), ("half", "0.5"), ("three times", "3"))
        ),
        Phrase(r"to {size}", {"evenly": "evenly to"}, finds=False),
        Phrase(r"{factor} (?:times )?as (?:big|large)|{factor} times (?:bigger|larger)"),
        Phrase(r"(?:to )?twice (?:its|the) size|double(?:d)?", {"factor": "2"}, finds=False),
        Phrase(r"(?:to )?half (?:its|the) size|halved", {"factor": "0.5"}, finds=False),
    )
    sentence = "**Scale** {item} {evenly} by {factor} about {about} x {x}, y {y}, z {z}."
    wording_field = "evenly"
    wordings = {
        "by own factors": "**Scale** {item} {evenly} {fx} right, {fy} back, {fz} up about {about} x {x}, y {y}, z {z}.",
        "evenly to": "**Scale** {item} {evenly} {size} {measured} about {about} x {x}, y {y}, z {z}.",
        "evenly to about its own origin": "**Scale** {item} {evenly} {size} {measured} about {about}.",
        "its own origin": "**Scale** {item} {evenly} by {factor} about {about}.",
        "by own factors about its own origin": "**Scale** {item} {evenly} {fx} right, {fy} back, {fz} up about {about}.",
    }

    verb: Literal["scale"] = "scale"
    item: Placed = ""
    evenly: Annotated[
        Literal["evenly", "evenly to", "by own factors"],
        ChoiceSpec(
            "By one factor; by the one that gives it a size; or by one each way.", ("evenly", "evenly to", "by own factors")
        ),
    ] = "evenly"
    factor: Annotated[Number, NumberSpec("Factor.", least=-1000, most=1000, step=0.05)] = 1
    size: Annotated[Number, NumberSpec("The size that it gets.", "length", least=0, above=True, most=1e6)] = "100 mm"
    measured: Annotated[
        Literal["wide", "deep", "high"],
        ChoiceSpec("How that is measured: left-right, front-back or upright.", ("wide", "deep", "high")),
    ] = "wide"
    fx: Annotated[Number, NumberSpec("Factor left-right.", label="factor right", least=-1000, most=1000, step=0.05)] = 1
    fy: Annotated[Number, NumberSpec("Factor front-back.", label="factor back", least=-1000, most=1000, step=0.05)] = 1
    fz: Annotated[Number, NumberSpec("Factor upwards.", label="factor up", least=-1000, most=1000, step=0.05)] = 1
    about: ThroughField = "a place"
    x: AtX = "0 mm"
    y: AtY = "0 mm"
    z: AtZ = "0 mm"

    def sentence_now(self) -> str:
        """Show the factors and the place that count."""
        how: list[str] = [self.evenly] if self.evenly != "evenly" else []
        how += [self.about] if self.about != "a place" else []
        return self.wordings.get(" about ".join(how), self.sentence)

    def build(self, given: Given) -> Item:
        """Scale it; about its own origin along its own axes."""
        factors = self._factors(given)
        if self.about == "its own origin":
            own = own_frame(given.items["item"])
            level = Frame(np.zeros(3), np.eye(3))
            return placed(given, own.onto(level).then(scaling(np.zeros(3), factors)).then(level.onto(own)))
        return placed(given, scaling(vector(given, "x", "y", "z"), factors))

    def _factors(self, given: Given) -> list[float]:
        """Return the factors left-right, front-back and upwards."""
        if self.evenly == "evenly":
            return [given.number("factor")] * 3
        if self.evenly == "by own factors":
            return list(vector(given, "fx", "fy", "fz"))
        item = given.items["item"]
        axes = own_frame(item).axes if self.about == "its own origin" else np.eye(3)
        low, high = kind_of(item).extent(item, axes)
        way = ("wide", "deep", "high").index(self.measured)
        span, most = float((high - low)[way]), float((high - low).max())
        if span <= FLAT * most:
            raise KernelError(f"It has no size {_ACROSS[self.measured]}. Measure it another way, or scale it by a factor.")
        return [given.number("size") / span] * 3
