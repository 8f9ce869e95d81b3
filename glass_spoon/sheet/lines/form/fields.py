"""Fields and helpers that verbs of the chapter share."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, directions, lengths
from glass_spoon.kernel.curves.alter.place_curve import Placement, place_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.read.plane_of_curve import TOWARDS, find_plane
from glass_spoon.kernel.surfaces.make.section_runs import EndShape, middle_of
from glass_spoon.sheet.fields import ChoiceSpec, ItemName, LawSpec, LawText, NameSpec, Number, NumberSpec
from glass_spoon.sheet.items import Item, SurfaceItem, SurfacesItem, TrimmedItem
from glass_spoon.sheet.line import Finding
from glass_spoon.sheet.phrase import Phrase

SurfaceName = Annotated[ItemName, NameSpec("Name of the surface.")]
ScaleLaw = Annotated[
    LawText, LawSpec("Factor on the profile on its way: 1, or 1 to 0.5 eased.", least=0.001, said=("taper",))
]
TwistLaw = Annotated[LawText, LawSpec("Turn of the profile about the path: 0°, or 0° to 90° eased.", dimension="angle")]
StartShape = Annotated[EndShape, ChoiceSpec("How the start is closed.", ("open", "flat", "domed"))]
FinishShape = Annotated[EndShape, ChoiceSpec("How the end is closed.", ("open", "flat", "domed"))]
Within = Annotated[
    Number,
    NumberSpec("How far the result may be off.", "length", label="tolerance", least=1e-5, most=1e3, step=0.01, named=True),
]

STRAIGHT = 1e-9
"""A curve within this share of its size of a line is straight."""


def a_place(axis: Literal["x", "y", "z"], help_text: str, *, named: bool = False) -> NumberSpec:
    """Return the field of one coordinate of a place. named: in typed words it is only meant where they name it."""
    return NumberSpec(help_text, "length", least=-1e6, most=1e6, axis=axis, named=named)


def square_to(profile: NurbsCurve) -> Floats:
    """Return the unit direction (3,) square to a flat profile, to the side that counts; of a straight one to the front.

    Raises InvalidInput for a profile that is not flat.
    """
    points = profile.control_points - profile.control_points[0]
    size = float(lengths(points).max())
    along = directions(points[int(np.argmax(lengths(points)))])
    if lengths(points - np.outer(points @ along, along)).max() <= STRAIGHT * size:
        return np.array([0.0, -1.0, 0.0]) if abs(along[1]) < 0.9 else np.array([0.0, 0.0, 1.0])
    normal = np.cross(*find_plane(profile, 1e-6 * (1 + size)).axes)
    return normal if normal @ TOWARDS > 0 else -normal


def laid_flat(profile: NurbsCurve) -> NurbsCurve:
    """Return a flat profile in the xy plane about its middle; right and up of its drawing plane become x and y."""
    normal = square_to(profile)
    up = np.array([0.0, 0.0, 1.0]) if abs(normal[2]) < 0.9 else np.array([0.0, 1.0, 0.0])
    right = directions(np.cross(up, normal))
    rows = np.array([right, np.cross(normal, right), normal])
    return place_curve(profile, Placement(rows, -rows @ middle_of(profile)))


def scaled_about(curve: NurbsCurve, way: Floats, factor: float) -> NurbsCurve:
    """Return a curve scaled about the line through its middle along a unit direction (3,)."""
    if factor == 1:
        return curve
    middle, along = middle_of(curve), np.outer(way, way)
    matrix = factor * (np.eye(3) - along) + along
    return place_curve(curve, Placement(matrix, middle - matrix @ middle))


def how_near(largest: float) -> str:
    """Return the sentence on how far in mm a fitted surface is off, at the places looked at."""
    return f"At most {max(largest, 1e-9):.2g} mm off."


def noted(item: Item, code: str) -> list[Finding]:
    """Return a finding for each note of a surface or a set."""
    return (
        [Finding(code, "look", note) for note in item.notes]
        if isinstance(item, SurfaceItem | SurfacesItem | TrimmedItem)
        else []
    )


END_PHRASES = (
    *(Phrase(rf"(?:with )?an? {word} end", {"end": word}, finds=False) for word in ("flat", "domed", "open")),
    *(
        Phrase(rf"(?:with )?(?:both )?{word} ends", {"start": word, "end": word}, finds=False)
        for word in ("flat", "domed", "open")
    ),
    *(
        Phrase(rf"(?:both )?ends {word}|{word} (?:at|on) both ends", {"start": word, "end": word}, finds=False)
        for word in ("flat", "domed", "open")
    ),
)
"""Both ends of a body said at once, or one of them."""
