"""A set of one surface where a single one is asked for, as of a patch between four curves: it serves, and stays a set."""

from __future__ import annotations

from dataclasses import replace

from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.surfaces.sets.surface_set import one_as_set
from glass_spoon.sheet.fields import ReferenceSpec
from glass_spoon.sheet.items import Item, SurfaceItem, SurfacesItem


def as_one_surface(item: Item, spec: object) -> Item:
    """Return the surface of a set of one where a reference asks for a single one, any other item as it is.

    Raises KernelError for a set of several there, with what to do.
    """
    if not isinstance(item, SurfacesItem) or not isinstance(spec, ReferenceSpec) or not spec.takes_one_surface:
        return item
    count = len(item.shape.surfaces)
    if count != 1:
        raise KernelError(f"It holds {count} surfaces, and this works on one: Take the one that you mean, by its number.")
    return SurfaceItem(item.shape.surfaces[0], item.notes, item.told, item.pose)


def as_it_was(made: Item, before: Item | None) -> Item:
    """Return a surface that was changed as a set of one, where it was one before."""
    if not isinstance(made, SurfaceItem) or not isinstance(before, SurfacesItem):
        return made
    return replace(before, shape=one_as_set(made.surface), notes=made.notes, told=made.told, pose=made.pose)
