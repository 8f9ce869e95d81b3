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
from glass_spoon.kernel.trims.face import Face, make_face_set, place_face
from glass_spoon.kernel.trims.shared_edges import even_places
from glass_spoon.sheet.items import SurfaceItem, SurfacesItem, TrimmedItem
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


class TrimmedKind(Kind[TrimmedItem]):
    """Faces: surfaces with boundary loops. Their loops lie in parameters, so that they go wherever the surfaces go."""

    name: ClassVar[str] = "trimmed"
    noun: ClassVar[str] = "trimmed surface"
    plural: ClassVar[str] = "trimmed surfaces"
    several: ClassVar[str] = "trimmed"
    single: ClassVar[str] = "trimmed"
    parts: ClassVar[str] = "faces"

    def places(self, item: TrimmedItem) -> Floats:
        """Return places all over the faces."""
        return even_places(item.shape)

    def place(self, item: TrimmedItem, placement: Placement) -> TrimmedItem:
        """Place all of them."""
        return self._with(item, [place_face(face, placement) for face in item.shape.faces])

    def deform(self, item: TrimmedItem, of: SpaceMap, tolerance: float) -> tuple[TrimmedItem, float]:
        """Map all of them: surfaces are written anew over their own knots, so that loops stay where they are."""
        made = {face.surface.key: deform_surface(face.surface, of, tolerance) for face in item.shape.faces}
        faces = [Face(made[face.surface.key].surface, face.loops) for face in item.shape.faces]
        return self._with(item, faces), max(one.off for one in made.values())

    def repeat(self, item: TrimmedItem, places: Placements) -> TrimmedItem:
        """Repeat all of them, placement by placement."""
        times = len(places)
        faces = [place_face(face, places[k]) for k in range(times) for face in item.shape.faces]
        return TrimmedItem(make_face_set(faces, item.shape.tolerance), (), "", item.names * times, item.colors * times)

    def size(self, item: TrimmedItem) -> int:
        """Count the faces."""
        return len(item.shape.faces)

    def take(self, item: TrimmedItem, number: int) -> TrimmedItem:
        """Take one."""
        return TrimmedItem(make_face_set(item.shape.faces[number : number + 1], item.shape.tolerance))

    def _with(self, item: TrimmedItem, faces: list[Face]) -> TrimmedItem:
        """Return the item with other faces in place of its own, edges shared at the same share of the size."""
        made = make_face_set(faces)
        share = item.shape.tolerance / (item.shape.size or 1.0)
        return TrimmedItem(make_face_set(faces, share * made.size), (), "", item.names, item.colors)
