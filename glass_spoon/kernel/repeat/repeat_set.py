"""Surfaces repeated at places, as one set."""

from __future__ import annotations

from dataclasses import replace

from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.repeat.placements import Placements
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet, gather_sets, place_set

MOST_SURFACES = 5_000
"""Most surfaces of a set."""


def repeat_set(shape: SurfaceSet, places: Placements) -> SurfaceSet:
    """Return a set at all placements as one; raises InvalidInput for too many surfaces.

    Copies of one surface without caps know that they are moved alike, so that they are meshed once.
    """
    count = len(shape.surfaces)
    if count * len(places) > MOST_SURFACES:
        raise InvalidInput("The number of copies", f"at most {MOST_SURFACES // count:,} here", f"{len(places):,}")
    whole = gather_sets([place_set(shape, move) for move in places], shape.tolerance)
    alike = count == 1 and not shape.caps and places.is_rigid and bool((places.determinants > 0).all())
    return replace(whole, pattern=tuple(places)) if alike else whole
