"""Cords that are woven or braided, as curves: Cord makes them solid, Lay on brings them onto a body."""

from __future__ import annotations

from typing import Annotated, Literal

from glass_spoon.kernel.curves.alter.place_curve import place_curve
from glass_spoon.kernel.curves.make.weave import braid, weave
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.repeat.chain import make_chain
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec
from glass_spoon.sheet.items import CurvesItem
from glass_spoon.sheet.line import Given, Line
from glass_spoon.sheet.lines.draw.fields import CurvesName, OneCurve, PlaneField, Right, Up, a_length
from glass_spoon.sheet.planes import plane_placement

TOUCH = 1 - 1e-3
"""Links of a chain may lie this much nearer than the thickness of their wire, by which they only touch."""
FINE = 1e-4
"""Share of a braid's width within which its strands are followed."""


def _told(count: int, what: str, apart: float) -> str:
    """Say how many there are, and how thick they may be."""
    return f"{count} {what}; cords up to {float(f'{0.999 * apart:.3g}'):g} mm thick pass each other."


class Weave(Line):
    """Cords over and under each other on the flat."""

    chapter = "Draw"
    summary = "Weave cords over and under each other on the flat: cane seats, guards, baskets. Cord makes them solid."
    words = ("woven", "cane", "basket", "wicker", "mesh wire", "grille", "knit", "cloth", "plait")
    sentence = (
        "**Weave** {width} by {depth}, cords {across} apart and {along} along, {height} over and under[, {pattern}][, about "
        "{right} right and {up} up][, on the {plane} plane], giving {gives}."
    )
    gives_kind = "curves"

    verb: Literal["weave"] = "weave"
    width: Annotated[Number, a_length("How wide it is.")] = "80 mm"
    depth: Annotated[Number, a_length("How deep it is.")] = "60 mm"
    across: Annotated[Number, a_length("About how far cords lie apart from left to right.", label="step across")] = "6 mm"
    along: Annotated[Number, a_length("About how far cords lie apart the other way.", label="step along")] = "6 mm"
    height: Annotated[Number, a_length("How far they go over and under the middle.", 0.1)] = "1 mm"
    pattern: Annotated[
        Literal["plain", "twill"],
        ChoiceSpec("By turns over one and under one, or over two and under two.", ("plain", "twill")),
    ] = "plain"
    right: Right = "0 mm"
    up: Up = "0 mm"
    plane: PlaneField = "plan"
    gives: CurvesName = "weave"

    def build(self, given: Given) -> CurvesItem:
        """Weave it."""
        sizes = given.number("width"), given.number("depth")
        made = weave(sizes, (given.number("across"), given.number("along")), given.number("height"), self.pattern)
        move = plane_placement(self.plane, given.number("right"), given.number("up"))
        return CurvesItem(
            tuple(place_curve(curve, move) for curve in made.curves), _told(len(made.curves), "cords", made.apart)
        )


class Braid(Line):
    """Strands over and under each other along a curve."""

    chapter = "Draw"
    summary = "Braid strands along a curve, over and under each other: ropes, belts, handles. Cord makes them solid."
    words = ("plait", "strands", "rope", "sennit", "lanyard")
    sentence = (
        "**Braid** of {strands} strands along {curve}, {width} wide and {height} high, a turn every {turn}, giving {gives}."
    )
    gives_kind = "curves"

    verb: Literal["braid"] = "braid"
    strands: Annotated[Number, NumberSpec("How many strands, an odd number.", least=3, most=15, whole=True, step=2)] = 3
    curve: OneCurve = ""
    width: Annotated[Number, a_length("How wide the middles of the strands lie.")] = "12 mm"
    height: Annotated[Number, a_length("How high the middles of the strands lie.")] = "5 mm"
    turn: Annotated[Number, a_length("How far a strand goes from side to side and back.", label="turn")] = "30 mm"
    gives: CurvesName = "braid"

    def build(self, given: Given) -> CurvesItem:
        """Braid it."""
        strands = given.count("strands")
        if strands % 2 == 0:
            raise InvalidInput("The number of strands", f"odd, such as {strands - 1} or {strands + 1}", str(strands))
        size = given.number("width"), given.number("height")
        made = braid(given.curve("curve").curve, strands, size, given.number("turn"), FINE * max(size))
        return CurvesItem(made.curves, _told(strands, "strands", made.apart))


class ChainLine(Line):
    """Links of a chain along a curve."""

    chapter = "Draw"
    summary = "Hang the links of a chain along a curve, each turned from the one before. Cord makes them solid."
    words = ("links", "anchor", "mooring", "rings")
    sentence = "**Chain** of links along {curve}, each {length} by {width} of {wire} wire, giving {gives}."
    gives_kind = "curves"

    verb: Literal["chain"] = "chain"
    curve: OneCurve = ""
    length: Annotated[Number, a_length("How long a link is outside.")] = "24 mm"
    width: Annotated[Number, a_length("How wide a link is outside.")] = "15 mm"
    wire: Annotated[Number, a_length("How thick its wire is.", 0.5)] = "4 mm"
    gives: CurvesName = "links"

    def build(self, given: Given) -> CurvesItem:
        """Hang them."""
        wire = given.number("wire")
        made = make_chain(given.curve("curve").curve, given.number("length"), given.number("width"), wire)
        if made.apart < wire * TOUCH:
            raise KernelError(
                f"Links run {wire - made.apart:.3g} mm into one another: the curve bends too tightly for them. Take shorter links, "
                "thinner wire, or a softer curve."
            )
        return CurvesItem(made.links, f"{len(made.links)} links, {made.apart - wire:.2g} mm apart at the nearest.")
