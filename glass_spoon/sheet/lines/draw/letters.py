"""Letters as curves."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import BeforeValidator, Field, StringConstraints

from glass_spoon.formats.letters import FONTS, Face, set_letters
from glass_spoon.formats.own_font import ENDINGS, MOST_BYTES
from glass_spoon.kernel.arrays import Floats, cross, directions
from glass_spoon.kernel.curves.alter.place_curve import Placement, place_curve
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points, curve_tangents
from glass_spoon.kernel.errors import KernelError
from glass_spoon.sheet.fields import ChoiceSpec, FileSpec, Number, NumberSpec, ReferenceSpec, TextSpec
from glass_spoon.sheet.items import CurvesItem
from glass_spoon.sheet.line import Given, Line
from glass_spoon.sheet.lines.draw.fields import CurvesName, PlaneField, Right, Up, a_length
from glass_spoon.sheet.phrase import Phrase
from glass_spoon.sheet.planes import PLANE_AXES, plane_normal, plane_placement
from glass_spoon.sheet.sources import read_file

Font = Literal["sans", "bold sans", "serif", "bold serif", "italic serif", "own"]
MOST_INSIDE = 900_000
"""Most characters of a font in a sheet."""

MOST_LETTERS = 200
"""Most letters of a line."""


def _unquoted(raw: object) -> object:
    """Return a text without the quotes about it."""
    return raw.strip().strip("“”\"'") if isinstance(raw, str) else raw


class Write(Line):
    """A line of letters as curves."""

    chapter = "Draw"
    summary = "Write letters as curves, on a line or along a curve: name plates, scales, engravings. Plate makes them solid."
    words = ("text", "letters", "lettering", "font", "type", "label", "name plate", "engrave", "inscription")
    phrases = (
        Phrase(r"(?:in|with) (?:an?|my|our|the) own font", {"font": "own"}, finds=False),
        Phrase(r"not kerned|without kerning|unkerned", {"pairs": "each by itself"}, finds=False),
    )
    sentence = (
        "**Write** “{text}” in {font}, {height} high, {side} {right} right and {up} up in the {plane} view[, {spacing} more between "
        "letters][, {pairs}], giving {gives}."
    )
    wording_field = "side"
    wordings = {
        "along": "**Write** “{text}” in {font}, {height} high, {side} {curve}, begun {begins} from its start, {lift} beside it[, "
        "{spacing} more between letters][, {pairs}], giving {gives}."
    }
    gives_kind = "curves"

    verb: Literal["write"] = "write"
    text: Annotated[
        str,
        StringConstraints(max_length=MOST_LETTERS, pattern=r"^[^\x00-\x1f]*$"),
        BeforeValidator(_unquoted),
        TextSpec("What is written.", pattern=r"(?<=[“\"])[^“”\"]+(?=[”\"])|(?<=write )[\w&.-]+(?=,? |$)"),
    ] = "Heron"
    font: Annotated[Font, ChoiceSpec("The shape of the letters.", (*FONTS, "own"), (*FONTS, "an own font"))] = "bold sans"
    file: Annotated[str, Field(max_length=MOST_INSIDE), FileSpec("A font: TrueType, OpenType or WOFF.", endings=ENDINGS)] = (
        ""
    )
    height: Annotated[Number, a_length("Height of the capitals.")] = "10 mm"
    side: Annotated[
        Literal["from", "about", "up to", "along"],
        ChoiceSpec(
            "Where it stands: from a place, about it, up to it, or along a curve.",
            ("from", "about", "up to", "along"),
            ("beginning at", "centred at", "ending at", "along"),
        ),
    ] = "from"
    right: Right = "0 mm"
    up: Up = "0 mm"
    plane: PlaneField = "front"
    curve: Annotated[str, ReferenceSpec("The curve that it is written along.", "curve")] = ""
    begins: Annotated[Number, NumberSpec("How far along the curve it begins.", "length", least=-1e6, most=1e6)] = "0 mm"
    lift: Annotated[Number, NumberSpec("How far beside the curve the letters stand.", "length", least=-1e6, most=1e6)] = (
        "0 mm"
    )
    spacing: Annotated[
        Number, NumberSpec("How much more lies between letters.", "length", least=-1e3, most=1e3, step=0.5)
    ] = "0 mm"
    pairs: Annotated[
        Literal["kerned", "each by itself"],
        ChoiceSpec(
            "Whether pairs such as AV stand nearer, as the font says, or each letter by itself.",
            ("kerned", "each by itself"),
        ),
    ] = "kerned"
    gives: CurvesName = "letters"

    def sentence_now(self) -> str:
        """Ask for the file of an own font."""
        text = super().sentence_now()
        return text.replace("in {font}", "in {font}, {file}") if self.font == "own" else text

    def _face(self, given: Given) -> Face:
        """Return the font."""
        if self.font != "own":
            return self.font
        if not self.file:
            raise KernelError("Choose a font: click “no font yet”.")
        return read_file(self.file, MOST_BYTES, given.sources)[0]

    def build(self, given: Given) -> CurvesItem:
        """Set the letters."""
        height = given.number("height")
        spacing, kerned = given.number("spacing") / height, self.pairs == "kerned"
        letters = set_letters(self.text, self._face(given), spacing, kerned=kerned)
        if not any(letter.outlines for _, letter in letters):
            raise KernelError("There is nothing to write. Type some letters between the quotes.")
        end = letters[-1][0] + letters[-1][1].advance
        found: list[NurbsCurve] = []
        if self.side == "along":
            along = _along(given, height, [at + letter.advance / 2 for at, letter in letters])
            for (_, letter), (place, matrix) in zip(letters, along, strict=True):
                middle = matrix @ np.array([letter.advance / 2, 0.0, 0.0])
                found += [place_curve(outline, Placement(matrix, place - middle)) for outline in letter.outlines]
        else:
            start = {"about": -end / 2, "up to": -end}.get(self.side, 0.0) * height
            for at, letter in letters:
                move = plane_placement(self.plane, given.number("right") + start + at * height, given.number("up"))
                found += [place_curve(outline, Placement(height * move.matrix, move.offset)) for outline in letter.outlines]
        told = f"{sum(bool(letter.outlines) for _, letter in letters)} letters, {len(found)} outlines, {end * height:.4g} mm long."
        return CurvesItem(tuple(found), told)


def _along(given: Given, height: float, middles: list[float]) -> list[tuple[Floats, Floats]]:
    """Return for each letter the place of its middle on the curve, and the matrix (3, 3) that turns it there."""
    curve = given.curve("curve").curve
    arc, lift = measure_length(curve), given.number("lift")
    way = given.number("begins") + height * np.array(middles)
    closed = curve.is_closed(1e-6)
    if not closed and (way.min() < 0 or way.max() > arc.length):
        raise KernelError(
            f"The letters take {way.max() - way.min():.4g} mm, and the curve has {arc.length:.4g} mm: they run past its end. Write "
            "smaller, or lengthen the curve."
        )
    params = arc.to_params(np.mod(way, arc.length) if closed else way)
    along = curve_tangents(curve, params)
    normal = _plane_of(curve)
    up = directions(cross(np.broadcast_to(normal, along.shape), along))
    places = curve_points(curve, params) + lift * up
    return [
        (place, height * np.stack((a, u, np.cross(a, u)), axis=1)) for place, a, u in zip(places, along, up, strict=True)
    ]


def _plane_of(curve: NurbsCurve) -> Floats:
    """Return the normal of the drawing plane that a curve lies in best, towards the viewer."""
    points = curve.control_points - curve.control_points.mean(axis=0)
    spread = {plane: float(np.abs(points @ plane_normal(plane)).max()) for plane in PLANE_AXES}
    return plane_normal(min(spread, key=lambda plane: spread[plane]))
