"""How many edges the pieces of a set take: one count for each chain of facing edges."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, directions
from glass_spoon.kernel.meshes.chord_counts import counts_for_chord
from glass_spoon.kernel.meshes.cut_set import CutSet, Fan
from glass_spoon.kernel.meshes.mesh_surface import PoleClosing
from glass_spoon.kernel.surfaces.surface_set import EdgeTable, edge_chains, edge_loops

SIDE_TURN = np.radians(120)
"""Most that the direction of an edge may turn over one side of a face: a circle takes three at least."""


@dataclass(frozen=True)
class Wish:
    """What the counts should come near to; what is not given does not count.

    lengths: of edges in mm along u and along v. counts: of edges on the longest edge of a piece along u and along v. chord:
    distance in mm that edges may stand off the surface.
    """

    lengths: tuple[float, float] = (np.inf, np.inf)
    counts: tuple[int, int] | None = None
    chord: float = 0.0

    def steps(self, edges: EdgeTable) -> tuple[float, float]:
        """Return the wished lengths of edges along u and along v in mm."""
        if self.counts is None:
            return self.lengths
        sizes = edges.lengths.reshape(-1, 2, 2)
        first, second = (max(float(sizes[:, axis].max()), 1e-9) / self.counts[axis] for axis in (0, 1))
        return first, second


def plan_counts(cut: CutSet, fans: list[Fan], wish: Wish, poles: PoleClosing) -> Ints:
    """Return the counts (pieces, 2) along u and along v: one for each chain, the mean of what its edges wish.

    Of a chord the most counts. Rims of fans that quads close take even counts, in all at least four.
    """
    edges = cut.shape.edges
    wished, least = np.zeros((len(cut.pieces), 2)), np.ones((len(cut.pieces), 2))
    steps = wish.steps(edges)
    turns = np.where(edges.is_pole, 0.0, _turns(edges.places))
    sides = np.maximum(1, np.ceil(turns / SIDE_TURN - 1e-6))
    for name, size, side in zip(edges.names, edges.lengths, sides, strict=True):
        where = (name.piece, name.axis)
        wished[where] = max(wished[where], size / steps[name.axis])
        least[where] = max(least[where], side)
    chains = edge_chains(len(cut.pieces), cut.shape.shared)
    total = chains.max() + 1
    flat = chains.ravel()
    mean = np.bincount(flat, wished.ravel(), total) / np.bincount(flat, minlength=total)
    if wish.chord:
        least = np.maximum(least, np.ceil(counts_for_chord(cut.pieces, wish.chord) - 1e-6))
    low = np.zeros(total)
    np.maximum.at(low, flat, least.ravel())
    counts = np.maximum(np.rint(mean), low)
    if cut.shape.counts:
        fixed = np.zeros(total)
        np.maximum.at(fixed, flat, np.array(cut.shape.counts).ravel())
        counts = np.where(fixed > 0, fixed, counts)
    _even_rims(cut, chains, counts)
    if poles == "quads":
        for fan in fans:
            for sector in fan.sectors:
                chain = chains[sector.piece, sector.axis]
                counts[chain] = max(2 * np.ceil(counts[chain] / 2), 4 if len(fan.sectors) == 1 and fan.closed else 2)
            if not fan.closed:
                # Three sides: the core of the sector takes half of the rim's count along either straight side.
                rim = sum(counts[chains[sector.piece, sector.axis]] for sector in fan.sectors)
                side = chains[fan.sectors[0].piece, 1 - fan.sectors[0].axis]
                counts[side] = max(counts[side], rim / 2 + 1)
    return counts[chains].astype(np.int64)


def _even_rims(cut: CutSet, chains: Ints, counts: Floats) -> None:
    """Make counts even along the rims of caps; a cap with one hole takes as many on the hole as outside, where it can."""
    for rim in cut.shape.rims:
        loops = edge_loops(cut.shape, rim)
        own = [[int(chains[name.piece, name.axis]) for name, _ in loop] for loop in loops]
        for loop in own:
            least = 4 if len(loop) == 1 else 2
            for chain in loop:
                counts[chain] = max(2 * np.ceil(counts[chain] / 2), least)
        if len(own) == 2 and all(len(set(loop)) == len(loop) for loop in own) and not set(own[0]) & set(own[1]):
            fewer, more = sorted(own, key=lambda loop: counts[loop].sum())
            _raise_to(counts, fewer, int(counts[more].sum()))


def _raise_to(counts: Floats, loop: list[int], wanted: int) -> None:
    """Raise the even counts of a loop's chains so that they add up to an even number: each by its share, in steps of two."""
    spare = (wanted - counts[loop].sum()) / 2
    share = counts[loop] / counts[loop].sum() * spare
    extra = np.floor(share)
    extra[np.argsort(extra - share)[: round(spare - extra.sum())]] += 1
    counts[loop] += 2 * extra


def _turns(places: Floats) -> Floats:
    """Return how far in radians the direction of each edge turns, by places (edges, n, 3) even along it."""
    steps = directions(np.diff(places, axis=1))
    turns = np.arccos(np.clip(np.einsum("eij,eij->ei", steps[:, :-1], steps[:, 1:]), -1, 1))
    result: Floats = turns.sum(axis=1) * steps.shape[1] / turns.shape[1]
    return result
