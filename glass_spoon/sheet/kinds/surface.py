"""Surfaces, one and several."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import ClassVar

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.surfaces.alter.edit_surface import place_surface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet, gather_sets, one_as_set, place_set
from glass_spoon.sheet.items import SurfaceItem, SurfacesItem
from glass_spoon.sheet.kinds.kind import Kind

MOST_SURFACES = 5_000
"""Most surfaces of a set."""


def repeated_set(shape: SurfaceSet, placements: Sequence[Placement]) -> SurfaceSet:
    """Return a set at all placements as one; raises InvalidInput for too many surfaces."""
    count = len(shape.surfaces)
    if count * len(placements) > MOST_SURFACES:
        raise InvalidInput("The number of copies", f"at most {MOST_SURFACES // count:,} here", f"{len(placements):,}")
    whole = gather_sets([place_set(shape, placement) for placement in placements], shape.tolerance)
    return replace(whole, pattern=tuple(placements)) if count == 1 and not shape.caps else whole


class SurfaceKind(Kind[SurfaceItem]):
    """A surface."""

    name: ClassVar[str] = "surface"
    noun: ClassVar[str] = "surface"
    plural: ClassVar[str] = "surfaces"
    several: ClassVar[str] = "surfaces"
    single: ClassVar[str] = "surface"
    parts: ClassVar[str] = "surfaces"

    def places(self, item: SurfaceItem) -> Floats:
        """Return its control points."""
        return item.surface.control_points.reshape(-1, 3)

    def place(self, item: SurfaceItem, placement: Placement) -> SurfaceItem:
        """Place it."""
        return SurfaceItem(place_surface(item.surface, placement))

    def repeat(self, item: SurfaceItem, placements: Sequence[Placement]) -> SurfacesItem:
        """Repeat it as a set of surfaces."""
        return SurfacesItem(repeated_set(one_as_set(item.surface), placements))


class SurfacesKind(Kind[SurfacesItem]):
    """A set of surfaces."""

    name: ClassVar[str] = "surfaces"
    noun: ClassVar[str] = "set of surfaces"
    plural: ClassVar[str] = "sets of surfaces"
    several: ClassVar[str] = "surfaces"
    single: ClassVar[str] = "surface"
    parts: ClassVar[str] = "surfaces"

    def places(self, item: SurfacesItem) -> Floats:
        """Return the control points of all."""
        return np.concatenate([surface.control_points.reshape(-1, 3) for surface in item.shape.surfaces])

    def place(self, item: SurfacesItem, placement: Placement) -> SurfacesItem:
        """Place all of them."""
        shape = place_set(item.shape, placement)
        return SurfacesItem(shape, item.parts, (), item.names, item.colors, sources=item.sources)

    def repeat(self, item: SurfacesItem, placements: Sequence[Placement]) -> SurfacesItem:
        """Repeat all of them, placement by placement."""
        times = len(placements)
        shape = repeated_set(item.shape, placements)
        return SurfacesItem(shape, item.parts * times, (), item.names * times, item.colors * times, "", item.sources)

    def size(self, item: SurfacesItem) -> int:
        """Count the surfaces."""
        return len(item.shape.surfaces)

    def take(self, item: SurfacesItem, number: int) -> SurfaceItem:
        """Take one."""
        return SurfaceItem(item.shape.surfaces[number])
