"""Fields and work that verbs on any item share."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.place_curve import Placement
from glass_spoon.sheet.fields import ChoiceSpec, ItemName, NameSpec, Number, ReferenceSpec
from glass_spoon.sheet.items import Item
from glass_spoon.sheet.kinds import kind_of
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.draw.fields import a_coordinate
from glass_spoon.sheet.planes import AXES

ANY = ("curves", "surface", "surfaces", "mesh")
Placed = Annotated[str, ReferenceSpec("What to place.", "curve", changes=True, also=ANY)]
SomeItem = Annotated[str, ReferenceSpec("What is repeated.", "curve", also=ANY)]
ItemsName = Annotated[ItemName, NameSpec("Name of the copies.")]
ItemNameField = Annotated[ItemName, NameSpec("Name of what is given.")]
Axis = Literal["upright axis", "left-right axis", "front-back axis"]
AxisField = Annotated[Axis, ChoiceSpec("The direction of the axis.", tuple(AXES))]
X = Annotated[Number, a_coordinate("Along left-right, to the right.", "x")]
Y = Annotated[Number, a_coordinate("Along front-back, away from the front.", "y")]
Z = Annotated[Number, a_coordinate("Upwards.", "z")]


def placed(given: Given, placement: Placement) -> Item:
    """Return the item of the field `item`, placed."""
    item = given.items["item"]
    result: Item = kind_of(item).place(item, placement)
    return result


def repeated(given: Given, placements: list[Placement]) -> Item:
    """Return the item of the field `item` at all placements."""
    item = given.items["item"]
    return kind_of(item).repeat(item, placements)


def vector(given: Given, *names: str) -> Floats:
    """Return numbers (n,) of fields."""
    return np.array([given.number(name) for name in names])
