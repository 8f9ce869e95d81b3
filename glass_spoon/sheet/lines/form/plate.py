"""Plates: outlines with holes pulled straight, with drafted sides and soft edges."""

from __future__ import annotations

from dataclasses import replace
from math import pi
from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import directions
from glass_spoon.kernel.curves.alter.place_curve import Placement, place_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.errors import EdgeTooLarge, InvalidInput, KernelError
from glass_spoon.kernel.surfaces.make.nest_outlines import nest_outlines
from glass_spoon.kernel.surfaces.make.plate import make_plate
from glass_spoon.kernel.surfaces.make.plate_shape import PlateEdge, PlateShape
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet, gather_sets, place_set
from glass_spoon.sheet.fields import ChoiceSpec, Items, Number, NumberSpec, ReferenceSpec, ReferencesSpec
from glass_spoon.sheet.items import SurfacesItem
from glass_spoon.sheet.line import Action, Given, Line
from glass_spoon.sheet.lines.form.fields import SurfaceName, square_to
from glass_spoon.sheet.phrase import Phrase

EdgeChoice = Annotated[
    Literal["sharp", "rounded", "chamfered"], ChoiceSpec("What the edge is like.", ("sharp", "rounded", "chamfered"))
]
EdgeSize = Annotated[
    Number,
    NumberSpec(
        "Radius of the rounding, or width of the chamfer.", "length", label="edge", least=0, above=True, most=1e6, step=0.1
    ),
]
SMALLER = 1e-3
"""Share by which an edge stays below the largest that fits."""

Steps = Annotated[Number, NumberSpec("Faces of a mesh across the edge.", least=1, most=64, whole=True)]
Closed = Annotated[Literal["open", "flat"], ChoiceSpec("Whether the side is closed.", ("open", "flat"))]


class Plate(Line):
    """A plate, a lid, a block: a closed outline with holes, pulled straight."""

    chapter = "Form"
    summary = "Pull an outline with holes into a plate or a block: draft, rounded or chamfered edges, flat ends."
    words = ("extrude", "lid", "solid", "holes", "bevelled edge", "chamfer", "draft", "cut-out")
    phrases = (
        Phrase(r"{height} (?:thick|deep)", finds=False),
        *(
            phrase
            for edge in ("upper", "lower")
            for kind, word in (("rounded", "rounded"), ("chamfered", "chamfered"), ("chamfered", "bevelled"))
            for phrase in (
                Phrase(rf"{word} {edge} edge(?: of| by)? {{{edge}_size}}", {edge: kind}),
                Phrase(rf"{edge} edge {word}(?: of| by)? {{{edge}_size}}", {edge: kind}),
            )
        ),
        Phrase(
            r"(?:both )?edges rounded(?: by)? {upper_size}",
            {"upper": "rounded", "lower": "rounded", "lower_size": "{upper_size}"},
        ),
    )
    sentence = (
        "**Plate** of {outline}[ with holes {holes}], {height} high {sides}[, sides drafted {draft} with corners {corners}]"
        "[, lower edge {lower}][, upper edge {upper}][, {fit}][, {grow}][; lower side {start}, upper side {end}], giving {gives}."
    )
    gives_kind = "surfaces"
    results = 2

    verb: Literal["plate"] = "plate"
    outline: Annotated[
        str,
        ReferenceSpec(
            "The closed, flat outline; of several each is a plate, and what lies inside one is its hole.",
            "curve",
            also=("curves",),
        ),
    ] = ""
    holes: Annotated[Items, ReferencesSpec("Closed outlines of holes, inside it.", "curve", also=("curves",), least=0)] = []
    height: Annotated[Number, NumberSpec("How high; below 0 it goes to the other side.", "length", least=-1e6, most=1e6)] = (
        "10 mm"
    )
    sides: Annotated[
        Literal["to one side", "to both sides"],
        ChoiceSpec("From the outline on, or half each way.", ("to one side", "to both sides")),
    ] = "to one side"
    draft: Annotated[
        Number,
        NumberSpec("How far the sides lean inwards, away from the outline.", "angle", least=-4 * pi / 9, most=4 * pi / 9),
    ] = "0°"
    corners: Annotated[Literal["mitred", "rounded"], ChoiceSpec("Corners that the draft opens.", ("mitred", "rounded"))] = (
        "mitred"
    )
    lower: EdgeChoice = "sharp"
    lower_size: EdgeSize = "1 mm"
    lower_steps: Steps = 3
    upper: EdgeChoice = "sharp"
    upper_size: EdgeSize = "1 mm"
    upper_steps: Steps = 3
    fit: Annotated[
        Literal["exactly", "at most"],
        ChoiceSpec(
            "Whether an edge that does not fit is refused, or taken as large as fits.",
            ("exactly", "at most"),
            ("exactly so", "or as large as fits"),
        ),
    ] = "exactly"
    grow: Annotated[
        Literal["inside", "outside"],
        ChoiceSpec(
            "Edges are kept inside the outline, or the sides stand out from it by the edge.",
            ("inside", "outside"),
            ("kept inside the outline", "growing out of the outline"),
        ),
    ] = "inside"
    start: Closed = "flat"
    end: Closed = "flat"
    gives: SurfaceName = "plate"

    def sentence_now(self) -> str:
        """Ask for the sizes of edges that are not sharp."""
        text = self.sentence
        for name in ("lower", "upper"):
            if getattr(self, name) != "sharp":
                text = text.replace(f"{{{name}}}", f"{{{name}}} by {{{name}_size}} in {{{name}_steps}} steps")
        return text.replace("[, {fit}][, {grow}]", "") if self.lower == self.upper == "sharp" else text

    def deciding_fields(self) -> list[str]:
        """Leave out sizes of sharp edges."""
        unused = {
            f"{name}_{what}" for name in ("lower", "upper") if getattr(self, name) == "sharp" for what in ("size", "steps")
        }
        return [name for name in super().deciding_fields() if name not in unused]

    def build(self, given: Given) -> SurfacesItem:
        """Lay the outline flat, make the plate, and bring it back."""
        outlines, height = given.curves("outline"), given.number("height")
        if abs(height) < 1e-9:
            raise InvalidInput("The height", "other than 0 mm", f"{height:g} mm")
        if not outlines:
            raise KernelError("There is no outline in this set. Name another one.")
        frame = _frame(outlines[0])
        low, high = (-abs(height) / 2, abs(height) / 2) if self.sides == "to both sides" else sorted((0.0, height))
        shape = PlateShape(
            low,
            high,
            given.number("draft"),
            self.corners,
            self._edge(given, "lower"),
            self._edge(given, "upper"),
            self.grow == "outside",
            (self.start == "flat", self.end == "flat"),
        )
        holes = [_flat(hole, frame) for hole in given.every_curve("holes")]
        back = Placement(frame.matrix.T, -frame.matrix.T @ frame.offset)
        if len(outlines) == 1:
            made, told = self._made(_flat(outlines[0], frame), holes, shape)
            return SurfacesItem(place_set(made, back), told=told)
        return self._several([*(_flat(outline, frame) for outline in outlines), *holes], shape, back)

    def _several(self, outlines: list[NurbsCurve], shape: PlateShape, back: Placement) -> SurfacesItem:
        """Return a plate of each outline, what lies inside one being its hole."""
        closed = [outline for outline in outlines if outline.is_closed(1e-6)]
        if len(closed) < len(outlines):
            raise InvalidInput("The outlines", "closed", f"{len(outlines) - len(closed)} of {len(outlines)} open")
        every = [self._made(outline, holes, shape) for outline, holes in nest_outlines(closed)]
        whole = gather_sets([made for made, _ in every], min(made.tolerance for made, _ in every))
        smaller = [told for _, told in every if told]
        said = f"{len(every)} plates, {len(closed) - len(every)} holes."
        parts = tuple(number for number, (made, _) in enumerate(every) for _ in made.surfaces)
        return SurfacesItem(place_set(whole, back), parts, told=" ".join([said, *smaller[:1]]))

    def _made(self, outline: NurbsCurve, holes: list[NurbsCurve], shape: PlateShape) -> tuple[SurfaceSet, str]:
        """Return the plate; where its edges may be smaller and do not fit, with the largest that do, and that told."""
        try:
            return make_plate(outline, holes, shape), ""
        except EdgeTooLarge as error:
            least = error.largest * (1 - SMALLER)
            if self.fit == "exactly" or not least > 0:
                raise
            edges = [replace(edge, size=min(edge.size, least)) for edge in (shape.lower, shape.upper)]
            made = make_plate(outline, holes, replace(shape, lower=edges[0], upper=edges[1]))
            return made, f"Edges of {least:.4g} mm in place of {error.size:.4g}: no more fits the outline."

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer edges as large as fit."""
        return (
            (Action("As large as fits", "fit", "at most"),) if isinstance(error, EdgeTooLarge) and error.largest > 0 else ()
        )

    def _edge(self, given: Given, name: Literal["lower", "upper"]) -> PlateEdge:
        """Return an edge."""
        kind = self.lower if name == "lower" else self.upper
        return (
            PlateEdge() if kind == "sharp" else PlateEdge(kind, given.number(f"{name}_size"), given.count(f"{name}_steps"))
        )


def _frame(outline: NurbsCurve) -> Placement:
    """Return the move that lays the plane of an outline into the xy plane."""
    normal = square_to(outline)
    up = np.array([0.0, 0.0, 1.0]) if abs(normal[2]) < 0.9 else np.array([0.0, 1.0, 0.0])
    right = directions(np.cross(up, normal))
    rows = np.array([right, np.cross(normal, right), normal])
    return Placement(rows, -rows @ outline.control_points[0])


def _flat(curve: NurbsCurve, frame: Placement) -> NurbsCurve:
    """Return a curve in the xy plane; raises InvalidInput for one that lies in another."""
    laid = place_curve(curve, frame)
    off = float(np.abs(laid.control_points[:, 2]).max())
    if off > 1e-3:
        raise InvalidInput("The holes", "in the plane of the outline", f"{off:.3g} mm out of it")
    flat = laid.control_points.copy()
    flat[:, 2] = 0.0
    return NurbsCurve(laid.degree, laid.knots, flat, laid.weights)
