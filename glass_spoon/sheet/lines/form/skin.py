"""Skins through rings."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.curves.alter.place_curve import moving, place_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, edge_curve
from glass_spoon.kernel.surfaces.make.loft import LoftShape, loft_sections
from glass_spoon.kernel.surfaces.make.rings import Ring, even_rings, fitting_ring, ring_curve
from glass_spoon.kernel.surfaces.make.section_runs import middle_of
from glass_spoon.sheet.fields import ChoiceSpec, Column, Number, ReferenceSpec, Rows, TableSpec
from glass_spoon.sheet.handle import SPACE, Change, Handle, ItemOf, vector_of
from glass_spoon.sheet.items import SurfaceItem
from glass_spoon.sheet.line import Given, Line
from glass_spoon.sheet.lines.form.fields import END_PHRASES, FinishShape, StartShape, SurfaceName, a_place

FINE = 4e-4
"""The share of the widest ring within which rings with corners are followed."""

COLUMNS = (
    Column("height", "height", "length"),
    Column("width", "width", "length", least=0),
    Column("depth", "depth", "length", least=0, blank="as wide"),
    Column("corner", "corners", "length", least=0, blank="round"),
)


class Skin(Line):
    """A smooth skin over rings at given heights."""

    chapter = "Form"
    summary = "Draw a smooth skin over rings of given widths at given heights: bottles, vases, spindles, hulls of lamps."
    words = ("rings", "loft", "vase", "bottle", "profile table", "oval", "rounded square")
    phrases = END_PHRASES
    sentence = "**Skin** over {rings}[, {first}][, drawn {manner}][, start {start}, end {end}][, about x {x}, y {y}, z {z}], giving {gives}."
    wording_field = "first"
    wordings = {
        "from a surface": (
            "**Skin** over {rings}, {first} {neighbour}[, drawn {manner}][, start {start}, end {end}][, about x {x}, y {y}, z {z}], "
            "giving {gives}."
        )
    }
    gives_kind = "surface"

    verb: Literal["skin"] = "skin"
    rings: Annotated[
        Rows,
        TableSpec(
            "The rings, upwards.",
            columns=COLUMNS,
            noun=("ring", "rings"),
            least=1,
            said=r"{width}(?:\s+(?:by|x|×)\s+{depth})?\s+(?:wide\s+)?at(?:\s+height)?\s+{height}",
        ),
    ] = [
        {"height": 0, "width": 60},
        {"height": 40, "width": 90},
        {"height": 110, "width": 50},
    ]
    first: Annotated[
        Literal["by themselves", "from a surface"],
        ChoiceSpec(
            "Whether it starts at the rim of another surface, so that both meet exactly.",
            ("by themselves", "from a surface"),
        ),
    ] = "by themselves"
    neighbour: Annotated[str, ReferenceSpec("The surface whose nearer rim is the first ring.", "surface")] = ""
    manner: Annotated[Literal["smooth", "straight"], ChoiceSpec("Between rings.", ("smooth", "straight"))] = "smooth"
    start: StartShape = "open"
    end: FinishShape = "open"
    x: Annotated[Number, a_place("x", "The place of its axis, along left-right.")] = "0 mm"
    y: Annotated[Number, a_place("y", "The place of its axis, along front-back.")] = "0 mm"
    z: Annotated[Number, a_place("z", "The place that heights count from.")] = "0 mm"
    gives: SurfaceName = "skin"

    def build(self, given: Given) -> SurfaceItem:
        """Loft the rings."""
        lift = moving([given.number(name) for name in "xyz"])
        rings = read_rings(given)
        within = FINE * max(max(ring.width, ring.depth) for ring in rings)
        rim = None
        if self.first == "from a surface":
            rim = _nearer_rim(given.surface("neighbour").surface, place_curve(ring_curve(rings[0]), lift))
        if rim is not None and rim.degree == 3 and not rim.is_rational:
            plain = even_rings(rings, within, len(rim.breaks) - 1)
        elif any(ring.corner is not None for ring in rings):
            plain = even_rings(rings, within)
        else:
            plain = [ring_curve(ring) for ring in rings]
        sections = ([rim] if rim is not None else []) + [place_curve(section, lift) for section in plain]
        degree = 3 if self.manner == "smooth" else 1
        return SurfaceItem(
            loft_sections(sections, LoftShape(degree=degree, ends=(self.start, self.end))), told=_corners_told(rings)
        )

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return its place, and the width and the depth of each ring: both move its height too."""
        middle = np.array([values[name] for name in "xyz"])
        found = super().handles(values, item_of)
        for number, (height, width, depth, _) in enumerate(values["rings"]):
            at = middle + np.array([0, 0, height])
            for column, size, axis in (("width", width, "x"), ("depth", width if depth is None else depth, "y")):
                way = np.array(SPACE[axis])
                changes = (
                    Change("rings", vector_of(2 * way), size, column, number),
                    Change("rings", SPACE["z"], height, "height", number),
                )
                ends = (vector_of(at - way * size / 2), vector_of(at + way * size / 2))
                found.append(Handle(f"{column} of ring {number + 1}", ends[1], changes, None, ends[0], SPACE[axis]))
        return found


def _corners_told(rings: list[Ring]) -> str:
    """Say which corners were taken smaller to fit their rings."""
    fitted = [(number, fitting_ring(ring).corner) for number, ring in enumerate(rings, 1) if fitting_ring(ring) is not ring]
    return " ".join(f"The corners of ring {number} are {corner:.4g} mm, as many as fit." for number, corner in fitted)


def read_rings(given: Given) -> list[Ring]:
    """Return the rings of a resolved table."""
    rings = []
    for height, width, depth, corner in given.values["rings"]:
        rings.append(Ring(height, width, width if depth is None else depth, corner))
    return rings


def _nearer_rim(surface: NurbsSurface, ring: NurbsCurve) -> NurbsCurve:
    """Return the rim of a surface, across along, that lies nearer to a ring."""
    rims = [edge_curve(surface, 0, end) for end in (0, -1) if not surface.is_pole(1, end, 1e-6)]
    rims = [rim for rim in rims if rim.is_closed(1e-6)]
    if not rims:
        raise InvalidInput("The surface to start from", "one with a closed rim", "without one")
    middle = middle_of(ring)
    return min(rims, key=lambda rim: float(lengths(middle_of(rim) - middle)))
