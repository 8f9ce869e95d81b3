"""Surfaces over boundaries and over nets of curves."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate.closest_on_curve import span_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.errors import InvalidInput, place_text
from glass_spoon.kernel.patches.fill_holes import fill_holes
from glass_spoon.kernel.patches.fill_net import FilledNet, fill_net
from glass_spoon.kernel.patches.fill_region import FOLDED, Filled, fill_region, fill_ring
from glass_spoon.kernel.patches.region import Loop, Piece, make_loops
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from glass_spoon.sheet.fields import ChoiceSpec, Items, Number, NumberSpec, ReferencesSpec, TextSpec
from glass_spoon.sheet.handle import MADE, Handle, ItemOf, vector_of
from glass_spoon.sheet.items import Item, SurfacesItem
from glass_spoon.sheet.line import Finding, Given, Line
from glass_spoon.sheet.lines.form.fields import SurfaceName, noted
from glass_spoon.sheet.phrase import Phrase

Meeting = Literal["in place", "smoothly", "with its curvature"]
GRADES: dict[str, int] = {"in place": 0, "smoothly": 1, "with its curvature": 2}
Ends = Annotated[
    Number, NumberSpec("How far apart ends and crossings may lie and still meet.", "length", least=1e-5, most=100, step=0.01)
]
Tension = Annotated[Number, NumberSpec("0 bulges as its boundary asks; more draws it taut.", least=0, most=100, step=0.5)]

MOST_NAMED = 6
"""Most regions that are named one by one."""
GUIDE_PLACES = 4
"""Places a span of a guide that the patch passes."""
MOST_KINK = 2.0
"""Degrees up to which a net counts as smooth."""
SMALLEST_KINK = 0.005
"""Degrees below which a kink is told as none."""


SHARP_ALONG = r"(?:sharp|creased?|with a crease)(?: along| at| on)? (?:the )?"
"""What leads to curves at which there may be a crease."""


class PatchLine(Line):
    """What lines that fill have in common."""

    chapter = "Form"
    gives_kind = "surfaces"

    def inspect(self, item: Item) -> list[Finding]:
        """Tell what is worth a look."""
        return noted(item, "patch")


class Patch(PatchLine):
    """A surface within a closed boundary."""

    summary = "Fill a boundary of curves with a surface: any number of sides, going on smoothly from surfaces beside it."
    words = ("fill", "cover", "close", "boundary", "region", "membrane", "hole", "coons")
    phrases = (
        Phrase(r"^\W*(?:(?:make|create|build|form) )?(?:an? )?(?:surface|skin) (?:from|of|out of|within|over|inside)"),
        Phrase(r"^\W*(?:fill|patch) (?:between|the space between)"),
        Phrase(r"(?:with (?:the )?holes?(?: of| at)?|as (?:its |the )?holes?|a?round(?= \w+(?:,| and\b)))", finds=False),
    )
    sentence = (
        "**Patch** within {curves}[, going on {meeting} from {onto}][, sharp along {sharp}][, bending evenly along {even}]"
        "[, through {guides}][, drawn taut by {tension}][, ends meeting within {within}], giving {gives}."
    )
    led = {
        "onto": r"(?:from|beside) (?:the )?",
        "guides": r"(?:through|passing) (?:the )?",
        "sharp": SHARP_ALONG,
        "even": r"(?:bend(?:s|ing)? evenly|even(?:ly)?|g ?2|curvature)(?: along| at| on)? (?:the )?",
    }

    results = 7  # the patches of a region may be meshed as one
    verb: Literal["patch"] = "patch"
    curves: Annotated[
        Items,
        ReferencesSpec(
            "The curves of the boundary, in any order and way, and of holes in it; one closed curve is enough.",
            "curve",
            also=("curves",),
        ),
    ] = []
    meeting: Annotated[
        Meeting,
        ChoiceSpec(
            "How it meets the surfaces beside it: only in the same place, in the same planes, or with the same curvature.",
            tuple(GRADES),
        ),
    ] = "smoothly"
    onto: Annotated[
        Items,
        ReferencesSpec(
            "Surfaces beside it, along those of its curves that lie on them.", "surface", also=("surfaces",), least=0
        ),
    ] = []
    sharp: Annotated[
        Items,
        ReferencesSpec("Those of its curves at which it only meets in place.", "curve", also=("curves",), least=0),
    ] = []
    even: Annotated[
        Items,
        ReferencesSpec(
            "Those of its curves at which it has the curvature of what is beside.", "curve", also=("curves",), least=0
        ),
    ] = []
    guides: Annotated[Items, ReferencesSpec("Curves inside that it passes.", "curve", also=("curves",), least=0)] = []
    tension: Tension = 0
    within: Ends = "0.1 mm"
    gives: SurfaceName = "patch"

    def build(self, given: Given) -> SurfacesItem:
        """Fill it."""
        within = given.number("within")
        curves, grades, notes = given.every_curve("curves"), *self._grades(given)
        beside = [surface for shape in given.every_set("onto") for surface in shape.surfaces]
        pieces = [_piece(curve, number, beside, grades[number], within) for number, curve in enumerate(curves)]
        guides = [curve_points(guide, span_params(guide, GUIDE_PLACES)) for guide in given.every_curve("guides")]
        loops, passed = make_loops(pieces, within), np.concatenate(guides) if guides else None
        filled = _filled(loops, given.number("tension"), passed)
        whole = tuple(range(len(filled.surfaces)))
        shape = SurfaceSet(filled.surfaces, max(4 * filled.off, 1e-6), regions=(whole,))
        if beside and any(grades) and not filled.kinks and not given.every_curve("sharp"):
            notes.append("None of its curves lies on the surfaces beside it, so it only meets them in place.")
        notes += _far_off(filled.off, within, follows=filled.follows)
        if filled.openness < FOLDED:
            notes.append(
                "It folds over itself: its boundary looks inwards too sharply for so few sides. Split it by a curve across, or "
                "Patch a wider boundary and Trim it by this one."
            )
        kink = max(filled.kinks.values(), default=0.0)
        if np.degrees(kink) > MOST_KINK:
            notes.append(
                f"It meets what is beside it with up to {angle_text(kink)}: at their ends its curves do not run in the planes "
                "there. Let them leave what is beside squarely on, or name the curve between as sharp."
            )
        if np.degrees(filled.seam) > MOST_KINK:
            notes.append(
                f"Its patches meet each other with up to {angle_text(filled.seam)}: its boundary bends too much for so few of "
                "them. Split it by a curve across, or Patch the outer boundary alone and Trim it by what is inside."
            )
        return SurfacesItem(shape, notes=tuple(notes), told=_told_patch(loops, filled))

    def _grades(self, given: Given) -> tuple[list[int], list[str]]:
        """Return how it meets what is beside each curve of its boundary, and what is worth a look in that."""
        curves, sharp, even = (given.every_curve(name) for name in ("curves", "sharp", "even"))
        grades = [GRADES[self.meeting]] * len(curves)
        for named, grade in ((even, 2), (sharp, 0)):
            for number, curve in enumerate(curves):
                if any(curve is other for other in named):
                    grades[number] = grade
        notes = []
        if any(not any(other is curve for curve in curves) for other in (*sharp, *even)):
            notes.append(
                "A curve is named as sharp, or as bending evenly, that is none of its boundary: it changes nothing."
            )
        if any(one is other for one in sharp for other in even):
            notes.append("A curve is named both as sharp and as bending evenly: it stays sharp. Name it once.")
        if even and not given.every_set("onto"):
            notes.append(
                "Nothing is named beside it, so there is no curvature to go on with. Name surfaces that it goes on from."
            )
        return grades, notes


def _filled(loops: list[Loop], tension: float, places: Floats | None) -> Filled:
    """Return patches within the first of some loops, and outside the others."""
    if len(loops) == 1:
        return fill_region(loops[0], tension, places)
    if len(loops) == 2:
        return fill_ring(loops[0], loops[1], tension, places)
    return fill_holes(loops[0], loops[1:], tension, places)


class Net(PatchLine):
    """Surfaces over all regions of a net of curves."""

    summary = "Fill all regions of a net of crossing curves; neighbours run into one another without a crease."
    words = ("cage", "network", "wireframe", "fill", "patches", "regions", "hull", "skin")
    sentence = (
        "**Net** over {curves}[, sharp along {sharp}][, leaving out regions {left}][, drawn taut by {tension}]"
        "[, meeting within {within}], giving {gives}."
    )

    led = {"sharp": SHARP_ALONG}

    results = 7  # the patches of a region may be meshed as one
    verb: Literal["net"] = "net"
    curves: Annotated[
        Items, ReferencesSpec("The curves, in any order and way; they are split where they meet.", "curve", also=("curves",))
    ] = []
    sharp: Annotated[
        Items, ReferencesSpec("Curves at which neighbours may meet with a crease.", "curve", also=("curves",), least=0)
    ] = []
    left: Annotated[
        str,
        TextSpec(
            "Numbers of regions that stay open, such as 2, 5; none for all filled. They stand in the picture: press one.",
            pattern=r"(?<=regions )(?:none|\d+(?:, ?\d+)*)",
        ),
    ] = "none"
    tension: Tension = 0
    within: Ends = "0.1 mm"
    gives: SurfaceName = "skin"

    def build(self, given: Given) -> SurfacesItem:
        """Find the regions and fill them."""
        curves, creased = given.every_curve("curves"), given.every_curve("sharp")
        every = curves + [curve for curve in creased if not any(curve is other for other in curves)]
        sharp = frozenset(k for k, curve in enumerate(every) if any(curve is other for other in creased))
        filled = fill_net(every, given.number("within"), sharp, self._left(), given.number("tension"))
        notes = [
            f"A curve ends at {place_text(place)} without meeting another: what hangs over is left out. Bring its end to a "
            "curve, or allow more."
            for place in filled.graph.loose[:3]
        ]
        if np.degrees(filled.kink) > MOST_KINK:
            notes.append(
                f"Neighbours meet with up to {angle_text(filled.kink)} across curves that should be smooth: the curves through a "
                "meeting do not lie on one smooth surface there. Smooth the curves, or name one of them as sharp."
            )
        if filled.cusps:
            notes.append(
                f"{_many(filled.cusps, 'region runs', 'regions run')} out into a corner of almost no angle, where curves touch "
                "without crossing: faces get thin there. Let them cross, leave these regions out, or end a curve before."
            )
        if filled.folded:
            numbers = ", ".join(str(number) for number in filled.folded[:MOST_NAMED])
            more = f" and {len(filled.folded) - MOST_NAMED} more" if len(filled.folded) > MOST_NAMED else ""
            which, folds = (
                ("Region", "folds over itself") if len(filled.folded) == 1 else ("Regions", "fold over themselves")
            )
            notes.append(
                f"{which} {numbers}{more} {folds}: the boundary looks inwards too sharply for so few sides. Draw a curve across, "
                "or leave it open."
            )
        notes += _far_off(filled.off, given.number("within"), follows=filled.follows)
        return SurfacesItem(filled.shape, notes=tuple(notes), told=_told_net(filled), regions=filled.middles)

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return a number in each region: pressed it is left out, or filled again."""
        made = item_of(MADE)
        if not isinstance(made, SurfacesItem) or made.regions is None:
            return []
        left, found = self._left(), []
        for number, place in enumerate(made.regions, 1):
            after = ", ".join(str(one) for one in sorted(left ^ {number})) or "none"
            does = "is open: press it to fill it" if number in left else "is filled: press it to leave it open"
            press = ("left", after)
            found.append(
                Handle(f"region {number} {does}", vector_of(place), (), press=press, mark=str(number), off=number in left)
            )
        return found

    def _left(self) -> frozenset[int]:
        """Return the numbers of regions that stay open."""
        text = self.left.strip().lower()
        if text in ("", "none"):
            return frozenset()
        parts = [part.strip() for part in text.replace(" and ", ",").split(",") if part.strip()]
        if not all(part.isdigit() and int(part) for part in parts):
            raise InvalidInput("The regions left out", "numbers such as 2, 5", self.left)
        return frozenset(int(part) for part in parts)


def _piece(curve: NurbsCurve, number: int, beside: list[NurbsSurface], grade: int, within: float) -> Piece:
    """Return a curve of a boundary with the surface beside it that it lies on, none where it lies on none."""
    places = curve_points(curve, span_params(curve, 3))
    for surface in beside if grade else ():
        if float(closest_points(surface, places)[2].max()) <= within:
            return Piece(curve, surface, grade, number)
    return Piece(curve, number=number)


def _far_off(off: float, within: float, *, follows: bool) -> list[str]:
    """Return what is to be said where edges lie farther off their curves than is usual, or than ends may lie apart."""
    if off <= within and follows:
        return []
    return [
        f"Edges lie up to {off:.2g} mm off the curves, which bend too suddenly for them: what is beside may not join. Give the "
        "curves softer bends or sharp corners, or close what is flat by a Plate."
    ]


def _told_patch(loops: list[Loop], filled: Filled) -> str:
    """Say what a boundary was filled with."""
    gap = max(loop.gap for loop in loops)
    holes = " and one of ".join(_many(len(loop.sides), "side") for loop in loops[1:])
    sides = _many(len(loops[0].sides), "side") + (f" round a hole of {holes}" if holes else "")
    said = [f"{sides}, {_many(len(filled.surfaces), 'patch', 'patches')}"]
    if gap > 1e-6:
        said.append(f"ends up to {gap:.2g} mm apart brought together")
    if filled.kinks:
        said.append(f"meets what is beside it within {angle_text(max(filled.kinks.values()))}")
    said.append(f"edges at most {max(filled.off, 1e-9):.1g} mm off the curves")
    return "; ".join(said) + "."


def _told_net(filled: FilledNet) -> str:
    """Say what a net was filled with."""
    sides: Counter[int] = filled.sides
    kinds = ", ".join(f"{sides[count]} of {count}" for count in sorted(sides))
    said = [f"{_many(sum(sides.values()), 'region')} ({kinds} {'sides' if len(sides) > 1 or max(sides) > 1 else 'side'})"]
    said.append(f"{_many(len(filled.shape.surfaces), 'patch', 'patches')}")
    if filled.graph.gap > 1e-6:
        said.append(f"meetings up to {filled.graph.gap:.2g} mm apart brought together")
    said.append(f"smooth within {angle_text(filled.kink)}")
    said.append(f"at most {max(filled.off, 1e-9):.1g} mm off the curves")
    return "; ".join(said) + "."


def angle_text(angle: float) -> str:
    """Write an angle given in radians, in degrees."""
    degrees = float(np.degrees(angle))
    return f"{SMALLEST_KINK}°" if degrees < SMALLEST_KINK else f"{degrees:.2g}°"


def _many(count: int, one: str, more: str = "") -> str:
    return f"{count:,} {one if count == 1 else more or one + 's'}"
