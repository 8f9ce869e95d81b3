"""Cords that are woven or braided, as curves: Cord makes them solid, Lay on brings them onto a body."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import directions
from glass_spoon.kernel.curves.alter.frame import Frame
from glass_spoon.kernel.curves.alter.place_curve import place_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.make.braid import braid
from glass_spoon.kernel.curves.read.plane_of_curve import TOWARDS, find_plane
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.repeat.chain import make_chain
from glass_spoon.kernel.repeat.knotted import knot_net, knot_net_within
from glass_spoon.kernel.repeat.weave import Manner, sheet_outline, weave, weave_within
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec, ReferenceSpec
from glass_spoon.sheet.items import CurvesItem
from glass_spoon.sheet.line import Action, Given, Line
from glass_spoon.sheet.lines.draw.fields import CurvesName, OneCurve, PlaneField, Right, Up, a_length, an_angle
from glass_spoon.sheet.phrase import Phrase
from glass_spoon.sheet.planes import plane_placement

FLAT = 1e-6
"""Share of its size that an outline may lie off its plane."""
MOSTLY = 0.9
"""A plane whose normal goes to the right by more than this share has its first axis to the back."""
TOUCH = 1 - 1e-3
"""Links of a chain may lie this much nearer than the thickness of their wire, by which they only touch."""
FINE = 1e-4
"""Share of a braid's width within which its strands are followed."""


def _told(count: int, what: str, apart: float) -> str:
    """Say how many there are, and how thick they may be."""
    return f"{count} {what}; cords up to {float(f'{0.999 * apart:.3g}'):g} mm thick pass each other."


_ENDING = "[, {pattern}][, turned {turn}][, ends {ends}]"
_WOVEN = "cords {across} apart and {along} along, {height} over and under"


_KNOTTED = r"(?:a )?knotted(?: net| netting| meshes)?|(?:fish(?:ing|er)?|landing) net"


class Weave(Line):
    """Cords over and under each other on the flat."""

    chapter = "Draw"
    summary = "Weave cords over and under each other, over a rectangle or within an outline; Cord makes them solid."
    words = (
        "woven",
        "cane",
        "basket",
        "wicker",
        "mesh wire",
        "grille",
        "guard",
        "grid of wires",
        "knit",
        "cloth",
        "plait",
        "hexagonal",
        "netting",
        "knotted",
    )
    phrases = (
        Phrase(r"hexagonal(?: cane)?|in three (?:ways|directions)|three[- ]ways?", {"pattern": "three ways"}, finds=False),
        Phrase(r"meshes (?:of )?{across} (?:by|x|×) {along}", finds=False),
        Phrase(rf"(?:{_KNOTTED})(?=.* mesh(?:es)?\b.*\d)", {"pattern": "knotted", "along": "60 mm"}),
        Phrase(
            r"(?<!wire )(?<!woven )(?:with )?(?:an? )?mesh(?:es)?(?: (?:size|width))?(?: of)? {across}(?: (?:wide|across))?",
            {"along": "{across}"},
            finds=False,
        ),
        Phrase(r"(?:not woven|laid (?:on|over) (?:each other|one another)|crossed)", {"pattern": "laid"}, finds=False),
        Phrase(r"\b(?:with|on|in) (?:a|its) ring\b|\bringed\b", {"ends": "ring"}, finds=False),
        Phrase(r"(?:with )?loop(?:s|ed)(?: ends)?", {"ends": "looped"}, finds=False),
        Phrase(r"{across} apart,? (?:and |by ){along} (?:along|the other way)", finds=False),
        Phrase(r"(?:with )?(?:a )?(?:pitch|spacing|step)(?: of)? {across}", {"along": "{across}"}, finds=False),
        Phrase(r"{across} apart", {"along": "{across}"}, finds=False),
        Phrase(_KNOTTED, {"pattern": "knotted", "across": "30 mm", "along": "60 mm"}),
    )
    sentence = (
        f"**Weave** {{width}} by {{depth}}[ {{within}}], {_WOVEN}{_ENDING}[, about {{right}} right and {{up}} up][, on the {{plane}} "
        "plane], giving {gives}."
    )
    wording_field = "within"
    wordings = {"outline": f"**Weave** {{within}} {{outline}}, {_WOVEN}{_ENDING}, giving {{gives}}."}
    gives_kind = "curves"
    results = 3  # ends in a ring come down into its middle

    verb: Literal["weave"] = "weave"
    width: Annotated[Number, a_length("How wide it is.")] = "80 mm"
    depth: Annotated[Number, a_length("How deep it is.")] = "60 mm"
    within: Annotated[
        Literal["rectangle", "outline"],
        ChoiceSpec(
            "Whether it fills a rectangle of its own, or a flat closed curve, in whose plane it lies.",
            ("rectangle", "outline"),
            ("in a rectangle", "within"),
        ),
    ] = "rectangle"
    outline: Annotated[str, ReferenceSpec("The flat closed curve.", "curve")] = ""
    across: Annotated[Number, a_length("About how far cords lie apart from left to right.", label="step across")] = "6 mm"
    along: Annotated[
        Number, a_length("About how far cords lie apart the other way; of three ways the first counts.", label="step along")
    ] = "6 mm"
    height: Annotated[Number, a_length("How far they go over and under the middle.", 0.1)] = "1 mm"
    pattern: Annotated[
        Literal["plain", "twill", "three ways", "laid", "knotted"],
        ChoiceSpec(
            "By turns over one and under one; over two and under two; three ways at 60°, as hexagonal cane; one way laid over "
            "the other; or rows tied into each other by mesh knots, whose meshes are as wide and high as the steps.",
            ("plain", "twill", "three ways", "laid", "knotted"),
        ),
    ] = "plain"
    turn: Annotated[Number, an_angle("Turns all ways, counter-clockwise.")] = "0"
    ends: Annotated[
        Literal["cut", "ring", "looped"],
        ChoiceSpec(
            "Ends cut at the edge; in a ring along it, which comes as the first curve; or neighbours joined by loops, so that "
            "each way is one cord.",
            ("cut", "ring", "looped"),
            ("cut", "in a ring", "looped"),
        ),
    ] = "cut"
    right: Right = "0 mm"
    up: Up = "0 mm"
    plane: PlaneField = "plan"
    gives: CurvesName = "weave"

    def build(self, given: Given) -> CurvesItem:
        """Weave it."""
        steps = given.number("across"), given.number("along")
        height, turn = given.number("height"), given.number("turn")
        manner = Manner(steps, height, "plain" if self.pattern == "knotted" else self.pattern, self.ends, turn)
        if self.pattern == "knotted" and self.ends != "cut":
            raise InvalidInput("The ends of a knotted net", "cut", self.ends)
        if self.within == "outline":
            outline = given.curve("outline").curve
            frame = _frame_of(outline)
            level, move = place_curve(outline, frame.onto(LEVEL)), LEVEL.onto(frame)
            made = knot_net_within(level, steps, height, turn) if self.pattern == "knotted" else weave_within(level, manner)
        else:
            size = given.number("width"), given.number("depth")
            move = plane_placement(self.plane, given.number("right"), given.number("up"))
            if self.pattern != "knotted":
                made = weave(size, manner)
            else:
                made = knot_net_within(sheet_outline(size), steps, height, turn) if turn else knot_net(size, steps, height)
        told = _told(len(made.curves) - (self.ends == "ring"), "rows" if self.pattern == "knotted" else "cords", made.apart)
        if self.ends == "ring":
            told = f"A ring and {told}"
        if made.loose:
            told += (
                f" {made.loose} {'end stays' if made.loose == 1 else 'ends stay'} over or under the ring, beside others: "
            )
            told += "with less height more of them have room to come into it."
        if made.left_out:
            told += f" {made.left_out} short {'end was' if made.left_out == 1 else 'ends were'} left out."
        return CurvesItem(tuple(place_curve(curve, move) for curve in made.curves), told)

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer ends that any outline has."""
        if self.pattern == "knotted" and isinstance(error, InvalidInput):
            return self._knotted_ways_out()
        looped = isinstance(error, InvalidInput) and self.ends == "looped"
        return (Action("Cut the ends", "ends", "cut"), Action("Ends in a ring", "ends", "ring")) if looped else ()

    def _knotted_ways_out(self) -> tuple[Action, ...]:
        """Offer what a knotted net can be, or a pattern that can be what is asked for."""
        if self.ends != "cut":
            return (Action("Cut the ends", "ends", "cut"), Action("Weave it plain", "pattern", "plain"))
        return (Action("Weave it plain", "pattern", "plain"),)


LEVEL = Frame(np.zeros(3), np.eye(3))
"""The plane in which a weave is made."""


def _frame_of(outline: NurbsCurve) -> Frame:
    """Return the plane of an outline: its first axis as level to the right as it may be; raises InvalidInput."""
    size = float(np.ptp(outline.control_points, axis=0).max())
    plane = find_plane(outline, FLAT * size)
    normal = np.cross(*plane.axes)
    normal = normal if normal @ TOWARDS > 0 else -normal
    level = np.eye(3)[0 if abs(normal[0]) < MOSTLY else 1]
    across = directions(level - (level @ normal) * normal)
    return Frame(plane.origin, np.array([across, np.cross(normal, across), normal]))


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
