"""Fields and work that verbs on any item share."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.frame import Frame
from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.sheet.fields import ChoiceSpec, ItemName, NameSpec, Number, ReferenceSpec
from glass_spoon.sheet.handle import Handle, angle_handle, turned_back
from glass_spoon.sheet.items import BodiesItem, Item, MarkItem, MeshItem, SurfaceItem, SurfacesItem, TrimmedItem
from glass_spoon.sheet.kinds import kind_of
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.draw.fields import a_coordinate
from glass_spoon.sheet.phrase import Phrase
from glass_spoon.sheet.planes import AXES
from glass_spoon.sheet.pose import STANDING

ANY = ("curves", "surface", "surfaces", "trimmed", "mesh")
Placed = Annotated[str, ReferenceSpec("What to place.", "curve", changes=True, also=ANY)]
SomeItem = Annotated[str, ReferenceSpec("What is repeated.", "curve", also=ANY)]
ItemsName = Annotated[ItemName, NameSpec("Name of the copies.")]
ItemNameField = Annotated[ItemName, NameSpec("Name of what is given.")]
Axis = Literal["upright axis", "left-right axis", "front-back axis"]
Through = Literal["a place", "its own origin"]
ThroughField = Annotated[
    Through,
    ChoiceSpec(
        "What it is about: a place, or its own origin: the one that a Group has, else the middle of its box.",
        ("a place", "its own origin"),
    ),
]
AxisField = Annotated[Axis, ChoiceSpec("The direction of the axis.", tuple(AXES))]
X = Annotated[Number, a_coordinate("Along left-right, to the right.", "x")]
Y = Annotated[Number, a_coordinate("Along front-back, away from the front.", "y")]
Z = Annotated[Number, a_coordinate("Upwards.", "z")]

_WAYS = (
    ("{x}", "right"),
    ("{-x}", "left"),
    ("{y}", "(?:towards? (?:the )?)?back(?:wards?)?"),
    ("{-y}", "(?:forwards?|front)"),
    ("{z}", "up(?:wards?)?"),
    ("{-z}", "down(?:wards?)?"),
)
_NUMBER_FIRST = "|".join(rf"{number} (?:apart )?(?:(?:to )?the )?{way}" for number, way in _WAYS)
_WAY_FIRST = "|".join(rf"{way} (?:by )?{number}" for number, way in _WAYS)
_NEXT = r"(?:,? and |, | )"
SAID_WAYS = Phrase(
    rf"(?:{_NUMBER_FIRST})(?:{_NEXT}(?:{_NUMBER_FIRST}))*|(?:{_WAY_FIRST})(?:{_NEXT}(?:{_WAY_FIRST}))*",
    {"x": "0 mm", "y": "0 mm", "z": "0 mm"},
)
"""Ways in words, as in `20 mm up and 5 left` or `back 10`: what is not said is no way at all."""


BESIDE = 0.25
"""An axis nearer to the middle of an item than this share of its size goes through it."""


def placed(given: Given, placement: Placement) -> Item:
    """Return the item of the field `item`, placed; its pose goes along."""
    item = given.items["item"]
    result: Item = kind_of(item).place(item, placement)
    if isinstance(item, BodiesItem | MarkItem) or isinstance(result, BodiesItem | MarkItem):
        return result
    runs = isinstance(item, SurfaceItem | SurfacesItem | TrimmedItem)
    runs = runs or (isinstance(item, MeshItem) and item.surface is not None and "uv" in item.mesh.corners)
    mirrored = float(np.linalg.det(placement.matrix)) < 0
    return replace(result, pose=(item.pose or STANDING).then(placement.matrix, runs_back=runs and mirrored))


def middle_of_box(item: Item) -> Floats:
    """Return the middle (3,) of the box of an item in mm."""
    places = kind_of(item).places(item)
    middle: Floats = (places.min(axis=0) + places.max(axis=0)) / 2
    return middle


def turn_handle(item: Item, field: str, value: float, centre: Floats, axis: Floats, label: str = "") -> Handle:
    """Return the handle of the angle by which an item was turned about a unit axis: at its middle, or beside an axis that goes
    through it.
    """
    beside = kind_of(item).places(item) - centre
    size = float(np.linalg.norm(beside - np.outer(beside @ axis, axis), axis=1).max()) or 1.0
    away = middle_of_box(item) - centre
    level = centre + (away @ axis) * axis
    out = away - (away @ axis) * axis
    far = float(np.linalg.norm(out))
    if far < BESIDE * size:
        return angle_handle(field, value, level, axis, (1.0, 0.0, 0.0), 1.15 * size, label)
    return angle_handle(field, value, level, axis, turned_back(axis, out, value), far, label)


def own_frame(item: Item) -> Frame:
    """Return the origin and axes of an item: its own, or the middle of its box with the axes of the space."""
    if isinstance(item, BodiesItem) and item.body.frame is not None:
        return item.body.frame.placed(item.places[0])
    if isinstance(item, MeshItem) and item.frame is not None:
        return item.frame
    low, high = kind_of(item).extent(item, np.eye(3))
    return Frame((low + high) / 2, np.eye(3))


def vector(given: Given, *names: str) -> Floats:
    """Return numbers (n,) of fields."""
    return np.array([given.number(name) for name in names])
