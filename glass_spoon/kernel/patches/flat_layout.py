"""Which patches meet in a region, found on the flat: corners of all its boundaries, and where their bend jumps, are joined
by quads without a vertex hanging, and each of them is a patch.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import replace
from itertools import pairwise, product

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshing.fill_plane import fill_plane
from glass_spoon.kernel.patches.boundary_stretch import Plan, Stretch, has_corner, own_stops, run_alike
from glass_spoon.kernel.patches.cell_layout import cell_layouts
from glass_spoon.kernel.patches.patch_layout import Quad
from glass_spoon.kernel.patches.region import Loop
from glass_spoon.kernel.surfaces.sets.surface_set import plane_axes

LEAST, MORE, COMBINED = (6, 8), (8, 12, 16), 4
"""Fewest stretches of a boundary that are tried, one by one for so many of them, and of all: every second of their ends is a
corner of the coarse outline.
"""

FAR = 2
"""Times the most patches by which a layout has too many for others to have few enough."""


def flat_layouts(loops: list[Loop], most: int) -> Iterator[Plan]:
    """Yield plans of the patches, `most` of them, within the first of some loops and outside the others, which all run the
    same way round: in cells where holes are side by side, then those by few stretches of each first.
    """
    axes = plane_axes(loops[0].normal)
    if len(loops) > 2 or (len(loops) == 2 and any(own_stops(loops[0]))):
        yield from (plan for plan in cell_layouts(loops, axes) if len(plan[1]) <= most)
    few = sorted(product(LEAST, repeat=len(loops)), key=sum) if len(loops) <= COMBINED else []
    seen = set[tuple[tuple[float, ...], ...]]()
    for least in [*few, *([count] * len(loops) for count in MORE)]:
        for turned in (0.0, 0.5):
            stretches, first = list[list[Stretch]](), 0
            for loop, count in zip(loops, least, strict=True):
                stretches.append(_stretches(loop, first, count, turned))
                first += len(stretches[-1])
            ends = tuple(tuple(round(one.low, 9) for one in own) for own in stretches)
            if ends in seen:
                continue
            seen.add(ends)
            corners = [np.array([one.side.points(np.array([one.low]))[0] for one in own]) for own in stretches]
            try:
                quads = _quads([places @ axes.T for places in corners])
            except KernelError:
                continue
            if len(quads) > FAR * most:
                return  # more stretches make more patches
            if len(quads) <= most:
                yield [one for own in stretches for one in own], quads, _fans(loops, stretches, quads)


def _fans(loops: list[Loop], stretches: list[list[Stretch]], quads: tuple[Quad, ...]) -> dict[int, tuple[int, float]]:
    """Return how many quads meet at vertices of boundaries, and the angle between them, where inner edges end."""
    meeting = Counter(vertex for quad in quads for vertex in quad)
    fans = dict[int, tuple[int, float]]()
    for which, (loop, own) in enumerate(zip(loops, stretches, strict=True)):
        corners = {id(side): float(angle) for side, angle in zip(loop.sides, loop.angles, strict=True)}
        for one in own:
            corner = corners[id(one.side)] if one.low == 0 and has_corner(loop) else np.pi
            if meeting[one.start] > 1:
                fans[one.start] = meeting[one.start], 2 * np.pi - corner if which else corner
    return fans


def _stretches(loop: Loop, first: int, least: int, turned: float) -> list[Stretch]:
    """Return the stretches of a boundary, even in number and some at least, their vertices from `first` on: from where its
    bend jumps, and between. turned: how far one without corners or jumps is turned, in stretches.
    """
    alone, found = len(loop.sides) == 1, list[Stretch]()
    for side, fixed in zip(loop.sides, own_stops(loop), strict=True):
        stops = fixed or [(k + turned) / least for k in range(least)]
        while len(stops) % 2 or len(stops) * len(loop.sides) < least:
            gaps = np.diff([*stops, 1.0 + stops[0]])
            longest = int(gaps.argmax())
            stops = sorted([*stops, (stops[longest] + float(gaps[longest]) / 2) % 1.0])
        ends = [*stops, 1.0 + stops[0]]
        own = [Stretch(0, 0, side, low, high, is_closed=alone) for low, high in pairwise(ends)]
        found += run_alike(own, ring=alone)
    total = len(found)
    return [replace(one, start=first + k, end=first + (k + 1) % total) for k, one in enumerate(found)]


def _quads(flat: list[Floats]) -> tuple[Quad, ...]:
    """Return the quads between loops (n, 2), the first and the holes counter-clockwise, by their vertices; new ones last."""
    starts = np.cumsum([0, *map(len, flat)])
    turned = [flat[0], *(np.roll(loop[::-1], 1, axis=0) for loop in flat[1:])]
    fill = fill_plane(turned)
    order = [np.arange(starts[0], starts[1])]
    order += [a + np.roll(np.arange(b - a)[::-1], 1) for a, b in pairwise(starts[1:])]
    number = np.concatenate((*order, np.arange(starts[-1], len(fill.points))))
    return tuple(tuple(int(vertex) for vertex in row) for row in number[fill.faces])  # type: ignore[misc]  # four of them
