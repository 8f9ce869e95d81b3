"""A region with holes in it filled with patches: which of them meet is found on the flat, their shape by what is fair.

+-----+-----+-----+     corners and middles of the sides of all boundaries are joined on the flat
|  +--+--+  |  +--+     by quads without a vertex hanging; each quad is a patch
|  |hole |  |  |
"""

from __future__ import annotations

from collections import Counter
from itertools import pairwise, product

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.errors import KernelError, place_text
from glass_spoon.kernel.meshing.fill_plane import fill_plane
from glass_spoon.kernel.patches.fill_region import Filled, Stretch, check_sides, fill_together, filling, run_alike
from glass_spoon.kernel.patches.patch_layout import Quad
from glass_spoon.kernel.patches.region import Loop
from glass_spoon.kernel.surfaces.make.outline_crossings import is_inside
from glass_spoon.kernel.surfaces.sets.surface_set import plane_axes

MOST, MOST_SMOOTH = 64, 40
"""Most patches that are sought at once, and most of them where they go on smoothly from what is beside."""

LEAST, MORE, COMBINED = (6, 8), (8, 12, 16), 4
"""Fewest stretches of a boundary that are tried, one by one for so many of them, and of all: every second of their ends is a
corner of the coarse outline.
"""

CORNER = np.radians(25)
"""A boundary of one side that turns by more where it closes has a corner there."""

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
    stretches, quads = _laid_out(loops, axes)
    smooth = any(piece.grade for loop in loops for side in loop.sides for piece in side.pieces)
    if len(quads) > (MOST_SMOOTH if smooth else MOST):
        raise KernelError(
            f"With {len(inner)} holes it takes {len(quads)} patches; up to {MOST} are sought at once, {MOST_SMOOTH} where "
            "they go on smoothly from others. Patch the outer boundary alone, and Trim it by the holes, let through it."
        )
    meeting = Counter(vertex for quad in quads for vertex in quad)
    fans = dict[int, tuple[int, float]]()
    for which, (loop, own) in enumerate(zip(loops, stretches, strict=True)):
        for k, one in enumerate(own):
            is_corner = one.low == 0 and (not one.is_closed or abs(float(loop.angles[0]) - np.pi) > CORNER)
            corner = float(loop.angles[k * len(loop.sides) // len(own)]) if is_corner else np.pi
            if meeting[one.start] > 1:
                fans[one.start] = meeting[one.start], 2 * np.pi - corner if which else corner
    every = [one for own in stretches for one in own]
    return fill_together([filling((every, quads, fans), outer, places)], tension)[0]


def _laid_out(loops: list[Loop], axes: Floats) -> tuple[list[list[Stretch]], tuple[Quad, ...]]:
    """Return the stretches of each boundary and the quads between them, by as few of both as can be."""
    few = sorted(product(LEAST, repeat=len(loops)), key=sum) if len(loops) <= COMBINED else []
    for least in [*few, *([count] * len(loops) for count in MORE)]:
        for turned in (0.0, 0.5):
            stretches, first = list[list[Stretch]](), 0
            for loop, count in zip(loops, least, strict=True):
                check_sides(loop)
                stretches.append(_stretches(loop, first, count, turned))
                first += len(stretches[-1])
            corners = [np.array([one.side.points(np.array([one.low]))[0] for one in own]) for own in stretches]
            try:
                return stretches, _quads([places @ axes.T for places in corners])
            except KernelError:
                continue
    raise KernelError(
        "What these holes leave is too narrow to be parted into patches. Patch the outer boundary alone, and Trim it by the "
        "holes, let through it."
    )


def _stretches(loop: Loop, first: int, least: int, turned: float) -> list[Stretch]:
    """Return the stretches of a boundary, even in number on each side and some at least, their vertices from `first` on.

    turned: how far one without corners is turned, in stretches.
    """
    count = len(loop.sides)
    per = max(2, 2 * -(-least // (2 * count)))
    total, alone = per * count, count == 1
    found = []
    for number, side in enumerate(loop.sides):
        for k in range(per):
            at, low = number * per + k, (k + turned * alone) / per
            found.append(Stretch(first + at, first + (at + 1) % total, side, low, low + 1 / per, is_closed=alone))
    return run_alike(found) if alone else found


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


def _quads(flat: list[Floats]) -> tuple[Quad, ...]:
    """Return the quads between loops (n, 2), the first and the holes counter-clockwise, by their vertices; new ones last."""
    starts = np.cumsum([0, *map(len, flat)])
    turned = [flat[0], *(np.roll(loop[::-1], 1, axis=0) for loop in flat[1:])]
    fill = fill_plane(turned)
    order = [np.arange(starts[0], starts[1])]
    order += [a + np.roll(np.arange(b - a)[::-1], 1) for a, b in pairwise(starts[1:])]
    number = np.concatenate((*order, np.arange(starts[-1], len(fill.points))))
    return tuple(tuple(int(vertex) for vertex in row) for row in number[fill.faces])  # type: ignore[misc]  # four of them
