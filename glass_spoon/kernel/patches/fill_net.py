"""All regions of a net of curves filled, neighbours joined smoothly across the curves that are not sharp."""

from __future__ import annotations

import hashlib
from collections import Counter
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.patches.fill_region import FOLDED, Filled, fill_regions
from glass_spoon.kernel.patches.net_graph import NetGraph, read_net
from glass_spoon.kernel.patches.region import Piece, make_loop, read_paces
from glass_spoon.kernel.remembered import Remembered
from glass_spoon.kernel.surfaces.sets.orient_set import orient_set
from glass_spoon.kernel.surfaces.sets.split_to_meet import split_to_meet
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet

MOST_REGIONS = 600
CUSP = np.radians(5.0)
"""Corners of less are those of regions that run out."""


@dataclass(frozen=True, eq=False)
class FilledNet:
    """The patches of a net as one set. sides: how many regions have how many sides. middles: (regions, 3) places in mm in
    them, those that are left out too.

    off: the largest distance in mm from the curves; kink: the largest angle in radians across curves that are smooth.
    cusps: how many regions run out into a corner of almost no angle. follows: whether all edges follow their curves closely.
    folded: the numbers of regions, from 1, in which a patch folds over itself.
    """

    shape: SurfaceSet
    graph: NetGraph
    sides: Counter[int]
    off: float
    kink: float
    cusps: int
    follows: bool
    middles: Floats
    folded: tuple[int, ...]


def fill_net(
    curves: list[NurbsCurve],
    tolerance: float,
    sharp: frozenset[int] = frozenset(),
    left: frozenset[int] = frozenset(),
    tension: float = 0.0,
) -> FilledNet:
    """Return the patches over all regions of curves that meet within `tolerance` mm.

    sharp: numbers of curves at which neighbours only meet; across all others they have the same tangent planes, which the
    curves crossing there decide. left: numbers of regions, from 1, that stay open. A region is worked out anew only where
    its own boundary changed. Raises KernelError where no region is closed, or all are left out.
    """
    graph = read_net(curves, tolerance)
    if len(graph.regions) > MOST_REGIONS:
        raise KernelError(f"The curves close {len(graph.regions):,} regions; up to {MOST_REGIONS:,} are filled.")
    beyond = sorted(number for number in left if number > len(graph.regions))
    if beyond:
        raise KernelError(
            f"There is no region {beyond[0]}: the curves close {len(graph.regions)}. Leave out one of those, or none."
        )
    chosen = [k for k in range(len(graph.regions)) if k + 1 not in left]
    if not chosen:
        raise KernelError(f"All {len(graph.regions)} regions are left out. Fill one of them at least.")
    size = float(np.ptp(graph.meetings, axis=0).max())
    normals = [None if one.number in sharp else (one.places[0], graph.along[k]) for k, one in enumerate(graph.stretches)]
    runs = [_piece(graph, number, normals[number]) for number in range(len(graph.stretches))]
    boundaries = [[runs[number].reversed() if back else runs[number] for number, back in graph.regions[k]] for k in chosen]
    found = _remembered(boundaries, 1e-9 + 1e-7 * size, tension)
    filled = [one for one, _, _ in found]
    sides, cusps = Counter(count for _, count, _ in found), sum(runs_out for _, _, runs_out in found)
    middles = np.array(
        [np.mean([graph.stretches[k].places[1].mean(axis=0) for k, _ in region], axis=0) for region in graph.regions]
    )
    middles[chosen] = [one.middle for one in filled]
    off, kink = max(one.off for one in filled), max((one.seam for one in filled), default=0.0)
    kink = max([kink, *(angle for one in filled for angle in one.kinks.values())])
    surfaces = tuple(surface for one in filled for surface in one.surfaces)
    ends = np.cumsum([0, *(len(one.surfaces) for one in filled)]).tolist()
    together = SurfaceSet(
        surfaces, max(4 * off, 1e-6 * size), regions=tuple(tuple(range(low, high)) for low, high in pairwise(ends))
    )
    whole, _ = split_to_meet(together)
    folded = tuple(number + 1 for number, one in zip(chosen, filled, strict=True) if one.openness < FOLDED)
    follows = all(one.follows for one in filled)
    return FilledNet(orient_set(whole).shape, graph, sides, off, kink, cusps, follows, middles, folded)


def _piece(graph: NetGraph, number: int, normals: tuple[Floats, Floats] | None) -> Piece:
    one = graph.stretches[number]
    return Piece(one.curve, None, 0 if normals is None else 1, one.number, normals)


_fills: Remembered[tuple[Filled, int, bool]] = Remembered(4 * MOST_REGIONS)
"""Regions filled last, by their boundaries."""


def _remembered(boundaries: list[list[Piece]], tolerance: float, tension: float) -> list[tuple[Filled, int, bool]]:
    """Return regions filled, how many sides they have, and whether they run out; those filled before are not made anew."""
    keys = [_digest(pieces, tolerance, tension) for pieces in boundaries]
    return _fills.get_all(keys, lambda missing: _fill([boundaries[k] for k in missing], tolerance, tension))


def _digest(pieces: list[Piece], tolerance: float, tension: float) -> str:
    digest = hashlib.blake2b(repr((tolerance, tension)).encode(), digest_size=16)
    for piece in pieces:
        digest.update(repr((piece.grade, piece.curve.degree)).encode())
        for part in (piece.curve.knots, piece.curve.control_points, piece.curve.weights, *(piece.normals or ())):
            digest.update(np.ascontiguousarray(part).tobytes())
    return digest.hexdigest()


def _fill(boundaries: list[list[Piece]], tolerance: float, tension: float) -> list[tuple[Filled, int, bool]]:
    read_paces(piece for pieces in boundaries for piece in pieces)
    loops = [make_loop(pieces, tolerance) for pieces in boundaries]
    runs_out = [len(loop.sides) > 1 and bool(loop.angles.min() < CUSP) for loop in loops]
    return [
        (filled, len(loop.sides), out)
        for filled, loop, out in zip(fill_regions(loops, tension), loops, runs_out, strict=True)
    ]
