"""A region with holes in it filled with patches: which of them meet is found on the flat, their shape by what is fair.

+-----+-----+-----+     corners and middles of the sides of all boundaries are joined on the flat
|  +--+--+  |  +--+     by quads without a vertex hanging; each quad is a patch
|  |hole |  |  |
"""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.errors import KernelError, place_text
from glass_spoon.kernel.patches.fill_region import MOST, Filled, first_open
from glass_spoon.kernel.patches.flat_layout import flat_layouts
from glass_spoon.kernel.patches.region import Loop
from glass_spoon.kernel.surfaces.make.outline_crossings import is_inside
from glass_spoon.kernel.surfaces.sets.surface_set import plane_axes

MOST_SMOOTH = 40
"""Most patches that are sought at once where they go on smoothly from what is beside."""

BETWEEN = 0.02
"""Least distance of a hole from other boundaries, seen on the flat, as a share of its size."""

AROUND = 33
"""Places on each side of a boundary by which that is told."""


def fill_holes(outer: Loop, inner: list[Loop], tension: float = 0.0, places: Floats | None = None) -> Filled:
    """Return patches between a boundary and those of some holes in it, as `fill_region` does.

    Raises KernelError where that takes too many, for loops of too many sides, and where they come together as they are seen
    along the normal of the outer one.
    """
    loops = [outer, *(one if float(one.normal @ outer.normal) > 0 else one.reversed() for one in inner)]
    axes = plane_axes(outer.normal)
    _check_apart(loops, axes)
    smooth = any(piece.grade for loop in loops for side in loop.sides for piece in side.pieces)
    most = MOST_SMOOTH if smooth else MOST
    found = first_open(flat_layouts(loops, most), outer, tension, places)
    if found is None:
        raise KernelError(
            f"What {len(inner)} holes leave is too narrow, or too uneven, to be parted into at most {most} patches. Patch "
            "the outer boundary alone, and Trim it by the holes, let through it."
        )
    return found


def _check_apart(loops: list[Loop], axes: Floats) -> None:
    """Raise KernelError where holes do not lie inside the first loop and apart from each other, seen on the flat."""
    places = [np.concatenate([side.evenly(AROUND)[:-1] for side in loop.sides]) for loop in loops]
    flat = [row @ axes.T for row in places]
    for k, hole in enumerate(flat[1:], 1):
        reach = BETWEEN * float(np.ptp(hole, axis=0).max())
        for other in range(k):
            away = np.linalg.norm(hole[:, None] - flat[other], axis=2).min(axis=1)
            lies_in = is_inside(flat[other], hole[0]) or (other > 0 and is_inside(hole, flat[other][0]))
            if float(away.min()) < reach or lies_in != (other == 0):
                raise KernelError(
                    f"The hole about {place_text(places[k][int(away.argmin())])} does not lie within the boundary and apart "
                    "from other holes: make it smaller, or move it."
                )
