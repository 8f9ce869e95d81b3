"""Bodies: a mesh at many places."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.kernel.repeat.placements import Placements, boxes_of
from glass_spoon.kernel.surfaces.evaluate.extents import Extent
from glass_spoon.sheet.bodies_item import BodiesItem, stand_bodies
from glass_spoon.sheet.items import Item
from glass_spoon.sheet.kinds.kind import Kind

MOST_LOOKED_AT = 20_000_000
"""Points of all copies that are looked at for how far they reach; of more the boxes are."""


class BodiesKind(Kind[BodiesItem]):
    """Copies of a mesh: whatever works on a mesh works on all of them, written out."""

    name: ClassVar[str] = "bodies"
    noun: ClassVar[str] = "set of bodies"
    plural: ClassVar[str] = "sets of bodies"
    several: ClassVar[str] = "bodies"
    single: ClassVar[str] = "mesh"
    parts: ClassVar[str] = "bodies"

    def places(self, item: BodiesItem) -> Floats:
        """Return the corners of the boxes about all copies."""
        low, high = boxes_of(item.places, item.body.mesh.positions)
        return np.concatenate((low, high))

    def extent(self, item: BodiesItem, axes: Floats) -> Extent:
        """Return how far the copies reach; of very many by the boxes about them."""
        points = item.body.mesh.positions
        if len(points) * len(item.places) > MOST_LOOKED_AT:
            return super().extent(item, axes)
        maps = zip(item.places.matrices, item.places.offsets, strict=True)
        along = [axes @ matrix @ points.T + (axes @ offset)[:, None] for matrix, offset in maps]
        return np.min([own.min(axis=1) for own in along], axis=0), np.max([own.max(axis=1) for own in along], axis=0)

    def place(self, item: BodiesItem, placement: Placement) -> BodiesItem:
        """Place all of them: only their places change."""
        return BodiesItem(item.body, item.places.under(placement), lines=item.lines)

    def repeat(self, item: BodiesItem, places: Placements) -> BodiesItem:
        """Repeat all of them: a row of rows is bodies at more places."""
        return replace(stand_bodies(item.body, item.places.within(places)), lines=item.lines)

    def size(self, item: BodiesItem) -> int:
        """Count the bodies."""
        return len(item.places)

    def take(self, item: BodiesItem, number: int) -> Item:
        """Take one, where it stands."""
        return item.one(number)
