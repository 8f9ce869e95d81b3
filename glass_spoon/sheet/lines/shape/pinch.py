"""Pinch: anything drawn towards a curve."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.deform.pinch import Fading, Pinch
from glass_spoon.kernel.deform.space_map import Axes, SpaceMap
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec
from glass_spoon.sheet.items import Item
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.draw.fields import OneCurve, a_length
from glass_spoon.sheet.lines.shape.shape_work import MARKED, TOLERANCE, Laid, ShapeLine
from glass_spoon.sheet.phrase import Phrase


class PinchLine(ShapeLine):
    """Anything drawn towards a curve."""

    summary = "Pinch anything to a curve: what is near is drawn towards it, or pushed away, fading with the distance."
    words = (
        "draw in",
        "pull to a curve",
        "crease line",
        "styling line",
        "groove",
        "gather to a curve",
        "attract",
        "ridge line",
    )
    phrases = (
        Phrase(r"(?:within|around|reaching) {around}", finds=False),
        Phrase(r"(?:pushed )?away(?: by {-strength})?", finds=False),
    )
    sentence = f"**Pinch** {{item}} to {{curve}} by {{strength}} within {{around}}[, {{fading}}]{MARKED}{TOLERANCE}."
    led = {"curve": r"(?:to|onto|towards) (?:the )?"}

    verb: Literal["pinch"] = "pinch"
    curve: OneCurve = ""
    strength: Annotated[
        Number,
        NumberSpec(
            "Which share of the way what lies at the curve goes, -1 to 1; below zero away.", least=-1, most=1, step=0.1
        ),
    ] = 0.5
    around: Annotated[Number, a_length("How far from the curve it works.", label="reach of the curve")] = "10 mm"
    fading: Annotated[
        Literal["softly", "evenly", "sharply"],
        ChoiceSpec("How it fades to nothing at that distance.", ("softly", "evenly", "sharply")),
    ] = "softly"

    def laid(self, given: Given, item: Item) -> Laid:
        """Return the axes of the space: the curve says where."""
        return Laid(Axes(np.zeros(3), np.eye(3)), 0.0, 1.0, np.zeros((2, 3)))

    def space_map(self, given: Given, laid: Laid) -> SpaceMap:
        """Pinch it."""
        fading: Fading = self.fading
        return Pinch(given.curve("curve").curve, given.number("strength"), given.number("around"), fading)
