"""Surfaces, one and several."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.kernel.deform.refit import deform_set, deform_surface
from glass_spoon.kernel.deform.space_map import SpaceMap
from glass_spoon.kernel.repeat.placements import Placements
from glass_spoon.kernel.repeat.repeat_set import repeat_set
from glass_spoon.kernel.surfaces.alter.edit_surface import place_surface
from glass_spoon.kernel.surfaces.evaluate.extents import Extent, surface_extent, surface_trace, widest
from glass_spoon.kernel.surfaces.sets.surface_set import one_as_set, place_set
from glass_spoon.sheet.items import SurfaceItem, SurfacesItem
from glass_spoon.sheet.kinds.kind import Kind


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

    def trace(self, item: SurfaceItem) -> Floats:
        """Return places all over it."""
        return surface_trace(item.surface)

    def extent(self, item: SurfaceItem, axes: Floats) -> Extent:
        """Return how far it reaches."""
        return surface_extent(item.surface, axes)

    def place(self, item: SurfaceItem, placement: Placement) -> SurfaceItem:
        """Place it."""
        return SurfaceItem(place_surface(item.surface, placement))

    def deform(self, item: SurfaceItem, of: SpaceMap, tolerance: float) -> tuple[SurfaceItem, float]:
        """Map it."""
        made = deform_surface(item.surface, of, tolerance)
        return SurfaceItem(made.surface), made.off

    def repeat(self, item: SurfaceItem, places: Placements) -> SurfacesItem:
        """Repeat it as a set of surfaces."""
        return SurfacesItem(repeat_set(one_as_set(item.surface), places))


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

    def trace(self, item: SurfacesItem) -> Floats:
        """Return places all over them."""
        return np.concatenate([surface_trace(surface) for surface in item.shape.surfaces])

    def extent(self, item: SurfacesItem, axes: Floats) -> Extent:
        """Return how far they reach."""
        return widest([surface_extent(surface, axes) for surface in item.shape.surfaces])

    def place(self, item: SurfacesItem, placement: Placement) -> SurfacesItem:
        """Place all of them."""
        shape = place_set(item.shape, placement)
        return SurfacesItem(shape, item.parts, (), item.names, item.colors, sources=item.sources)

    def deform(self, item: SurfacesItem, of: SpaceMap, tolerance: float) -> tuple[SurfacesItem, float]:
        """Map all of them."""
        made = deform_set(item.shape, of, tolerance)
        return SurfacesItem(made.shape, item.parts, (), item.names, item.colors, sources=item.sources), made.off

    def repeat(self, item: SurfacesItem, places: Placements) -> SurfacesItem:
        """Repeat all of them, placement by placement."""
        times = len(places)
        shape = repeat_set(item.shape, places)
        return SurfacesItem(shape, item.parts * times, (), item.names * times, item.colors * times, "", item.sources)

    def size(self, item: SurfacesItem) -> int:
        """Count the surfaces."""
        return len(item.shape.surfaces)

    def take(self, item: SurfacesItem, number: int) -> SurfaceItem:
        """Take one."""
        return SurfaceItem(item.shape.surfaces[number])
