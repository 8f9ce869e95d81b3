"""Surfaces of a set made to face the same way."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from glass_spoon.kernel.arrays import Bools
from glass_spoon.kernel.surfaces.alter.edit_surface import reverse_surface
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import grid_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import EdgeName, FlatCap, SharedEdge, SurfaceSet

VOLUME_PLACES = 12
"""Places along either axis by which the sign of a volume is found."""


@dataclass(frozen=True, eq=False)
class OrientedSet:
    """A set whose surfaces face alike, which of them (n,) were turned, and whether the set has no such sides at all."""

    shape: SurfaceSet
    turned: Bools
    one_sided: bool


def orient_set(shape: SurfaceSet) -> OrientedSet:
    """Return the set with surfaces turned so that neighbours face alike; one without open edges faces outwards.

    Each part that hangs together follows its first surface. A set like a Moebius strip is told as one-sided.
    """
    flips = np.zeros(len(shape.surfaces), dtype=bool)
    seen: set[int] = set()
    one_sided = False
    neighbours = _neighbours(shape.shared)
    for start in range(len(shape.surfaces)):
        if start in seen:
            continue
        part, waiting = [start], [start]
        seen.add(start)
        while waiting:
            here = waiting.pop()
            for there, alike in neighbours.get(here, ()):
                wanted = bool(flips[here]) != (not alike)
                if there not in seen:
                    seen.add(there)
                    flips[there] = wanted
                    part.append(there)
                    waiting.append(there)
                elif bool(flips[there]) != wanted:
                    one_sided = True
        if not any(name.piece in part for name in shape.lone_edges) and _volume(shape, part, flips) < 0:
            flips[part] = ~flips[part]
    if not flips.any():
        return OrientedSet(shape, flips, one_sided)
    turned = [any(flips[name.piece] for name in rim) for rim in shape.rims]
    caps = tuple(FlatCap(cap.origin, -cap.normal) if turn else cap for cap, turn in zip(shape.caps, turned, strict=True))
    surfaces = tuple(
        reverse_surface(surface, 0) if flip else surface for surface, flip in zip(shape.surfaces, flips, strict=True)
    )
    return OrientedSet(replace(shape, surfaces=surfaces, caps=caps, pattern=()), flips, one_sided)


def _neighbours(shared: list[SharedEdge]) -> dict[int, list[tuple[int, bool]]]:
    """Return for each piece the pieces it meets and whether they face alike there.

    Seen along its normal a piece runs round its border once; two that face alike run along a shared edge oppositely.
    """
    result: dict[int, list[tuple[int, bool]]] = {}
    for pair in shared:
        alike = _run(pair.first) * _run(pair.second) * (-1 if pair.reversed else 1) == -1
        result.setdefault(pair.first.piece, []).append((pair.second.piece, alike))
        result.setdefault(pair.second.piece, []).append((pair.first.piece, alike))
    return result


def _run(name: EdgeName) -> int:
    """Return 1 where the border, run round the normal, follows the edge, -1 where it runs against it."""
    return 1 if (name.axis == 0) == (name.end == 0) else -1


def _volume(shape: SurfaceSet, part: list[int], flips: Bools) -> float:
    """Return about three times the volume in mm^3 that closed surfaces enclose: the sum of place times area vector."""
    total = 0.0
    for piece in part:
        total += flux(shape.surfaces[piece]) * (-1 if flips[piece] else 1)
    return total


def flux(surface: NurbsSurface) -> float:
    """Return about the integral of place times area vector over a surface in mm^3, by cells even by parameter."""
    params = [np.linspace(*surface.domain(axis), VOLUME_PLACES + 1) for axis in (0, 1)]
    points = grid_points(surface, params[0], params[1])
    a, b, c, d = points[:-1, :-1], points[1:, :-1], points[1:, 1:], points[:-1, 1:]
    area = np.cross(c - a, d - b) / 2
    return float(np.einsum("ijk,ijk->", (a + b + c + d) / 4, area))
