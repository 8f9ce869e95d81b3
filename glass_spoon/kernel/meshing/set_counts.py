"""How many edges the pieces of a set take: one count for each chain of facing edges, as near to the wishes as can be.

Chains are free of each other but where caps and poles tie them: the rim of a hole takes as many edges as the outline round
it, the straight sides of a three-sided piece at least half of its rim (see `count_plan`).
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, cross, directions
from glass_spoon.kernel.curves.read.bend_spacing import run_weights
from glass_spoon.kernel.curves.read.tight_bends import count_with_bends, least_with_bends
from glass_spoon.kernel.errors import CountImpossible
from glass_spoon.kernel.meshing.chord_counts import counts_for_chord, counts_for_turn
from glass_spoon.kernel.meshing.count_plan import ANY, CountPlan, CountRule
from glass_spoon.kernel.meshing.cut_set import CutSet
from glass_spoon.kernel.meshing.fill_simple import CORNER_TURN
from glass_spoon.kernel.meshing.mesh_surface import PoleClosing
from glass_spoon.kernel.meshing.turned_rims import turns_of_rims
from glass_spoon.kernel.surfaces.sets.surface_set import EdgeName, EdgeTable, edge_chains, edge_loops

SIDE_TURN = np.radians(120)
"""Most that the direction of an edge may turn over one side of a face: a circle takes three at least."""

BUMP = (float(np.radians(150)), float(np.radians(250)))
"""An edge that turns by so much runs over a bump: less is a slope, more goes round."""

ALIKE = 1.6
"""Facing sides of a flat end take the same count when one is at most so many times as long as the other."""


@dataclass(frozen=True)
class Wish:
    """What the counts should come near to; what is not given does not count.

    lengths: of edges in mm along u and along v. counts: of edges on the longest edge of a piece along u and along v. chord:
    distance in mm that edges may stand off the surface. turn: angle in rad that the surface may turn by over an edge. rule:
    which counts are allowed. bend: how much denser edges lie where the surface bends, 0 for even.
    """

    lengths: tuple[float, float] = (np.inf, np.inf)
    counts: tuple[int, int] | None = None
    chord: float = 0.0
    turn: float = 0.0
    rule: CountRule = ANY
    bend: float = 0.0

    def steps(self, sizes: Floats) -> tuple[float, float]:
        """Return the wished lengths of edges along u and along v in mm, of pieces with sizes (pieces, 2) mm."""
        if self.counts is None:
            return self.lengths
        first, second = (max(float(sizes[:, axis].max()), 1e-9) / self.counts[axis] for axis in (0, 1))
        return first, second


LEAST_BESIDE = 6
"""Fewest edges of a rim in a cap with holes: every second vertex makes an outline of its own, see `fill_plane`."""


def plan_counts(cut: CutSet, wish: Wish, poles: PoleClosing) -> Ints:
    """Return the counts (pieces, 2) along u and along v: one for each chain, near the mean of what its edges wish.

    Of a chord and of a turn the most counts. Rims of caps and of fans that quads close take even counts, in all at least
    four. Raises CountImpossible where the rule of the wish allows no such counts.
    """
    chains = edge_chains(len(cut.pieces), cut.shape.shared)
    total = int(chains.max()) + 1
    wished, low, bumps = _wishes(cut, wish, chains, total)
    plan = CountPlan(wished, low, [wish.rule] * total)
    for chain in bumps if wish.rule.step == 1 else ():
        plan.even(int(chain), 2)
    if cut.shape.counts:
        np.maximum.at(plan.fixed, chains.ravel(), np.array(cut.shape.counts).ravel())
    _tie_rims(cut, wish, chains, plan)
    _tie_wholes(cut, chains, plan)
    if poles == "quads":
        _tie_fans(cut, chains, plan)
    return plan.solve()[chains]


def _wishes(cut: CutSet, wish: Wish, chains: Ints, total: int) -> tuple[Floats, Floats, Ints]:
    """Return the count that each chain wishes, the least that it may take, and the chains that run over bumps.

    A bump turns by about a half: an even count puts an edge on its top.
    """
    edges = cut.shape.edges
    wished, least = cut.middle_lengths.copy(), np.ones((len(cut.pieces), 2))
    longest = np.maximum(wished, edges.lengths.reshape(-1, 2, 2).max(axis=2))
    steps = wish.steps(longest)
    wished = wished / np.array(steps)
    turns = np.where(edges.is_pole, 0.0, _turns(edges.places))
    sides = np.maximum(1, np.ceil(turns / SIDE_TURN - 1e-6))
    sizes = _weighed(edges, turns, wish.bend)
    tight = {} if wish.bend else edges.tight_bends(wish.lengths)
    for row, (name, size, side) in enumerate(zip(edges.names, sizes, sides, strict=True)):
        where = (name.piece, name.axis)
        wished[where] = max(wished[where], size / steps[name.axis])
        least[where] = max(least[where], side)
        if row in tight:
            length = float(edges.lengths[row])
            wished[where] = max(wished[where], count_with_bends(length, tight[row], steps[name.axis]))
            least[where] = max(least[where], least_with_bends(length, tight[row]))
    flat = chains.ravel()
    counting = np.ones(len(flat))
    if cut.wholes:
        # A skirt wishes what its edge does; where a piece has that edge too, the piece knows better how far it is across.
        counting[_axes_of_skirts(cut)] = 0.0
        counting[np.bincount(flat, counting, total)[flat] == 0] = 1.0
    mean = np.bincount(flat, counting * wished.ravel(), total) / np.bincount(flat, counting, total)
    if wish.chord:
        least = np.maximum(least, np.ceil(counts_for_chord(cut.pieces, wish.chord) - 1e-6))
    if wish.turn:
        least = np.maximum(least, np.ceil(counts_for_turn(cut.pieces, wish.turn) - 1e-6))
    low, most = np.zeros(total), np.zeros(total)
    np.maximum.at(low, flat, least.ravel())
    np.maximum.at(most, chains[[name.piece for name in edges.names], [name.axis for name in edges.names]], turns)
    return mean, low, np.flatnonzero((most > BUMP[0]) & (most < BUMP[1]))


def _axes_of_skirts(cut: CutSet) -> Ints:
    """Return the numbers (n,) of the axes of skirts, two to a piece."""
    skirts = np.array([skirt for whole in cut.wholes for skirt in whole.skirts], dtype=np.int64)
    return np.concatenate((2 * skirts, 2 * skirts + 1))


def _weighed(edges: EdgeTable, turns: Floats, bend: float) -> Floats:
    """Return the lengths (edges,) in mm, along each axis those of edges that bend weighed more."""
    if not bend:
        return edges.lengths
    sizes = edges.lengths.copy()
    axes = np.array([name.axis for name in edges.names])
    for axis in (0, 1):
        own = axes == axis
        sizes[own] = run_weights(edges.lengths[own], turns[own], bend)
    return sizes


def _tie_rims(cut: CutSet, wish: Wish, chains: Ints, plan: CountPlan) -> None:
    """Ask for even counts along the rims of caps; a cap with one hole takes as many on the hole as outside, where it can."""
    for rim in cut.shape.rims:
        loops = edge_loops(cut.shape, rim)
        own = [[int(chains[name.piece, name.axis]) for name, _ in loop] for loop in loops]
        least = 4 if len(own) == 1 else LEAST_BESIDE
        for loop in own:
            for chain in loop:
                plan.even(chain, least if len(loop) == 1 else 2)
            if 1 < len(loop) < least / 2:
                plan.even_sums.append((loop, least))
        if wish.counts is None and len(own) > 3:
            _turn_rims(cut, loops, chains, plan)
        if len(own) == 2 and all(len(set(loop)) == len(loop) for loop in own) and not set(own[0]) & set(own[1]):
            # The rim with fewer edges is raised to the other, so that no edge becomes longer than wished.
            fewer, more = sorted(own, key=lambda loop: plan.wished[loop].sum())
            plan.equal.append((fewer, more))
            plan.wished[fewer] *= max(1.0, plan.wished[more].sum() / max(plan.wished[fewer].sum(), 1e-9))


def _tie_wholes(cut: CutSet, chains: Ints, plan: CountPlan) -> None:
    """Ask for even counts along each side of the rims of regions that are meshed as one, from corner to corner."""
    for whole in cut.wholes:
        loops = edge_loops(cut.shape, whole.rim)
        for loop in loops:
            for side in _sides_of(cut, loop):
                alone = len(side) == len(loop)
                least = 2 if not alone else 4 if len(loops) == 1 else LEAST_BESIDE
                plan.even_sums.append(([int(chains[name.piece, name.axis]) for name in side], least))


def _sides_of(cut: CutSet, loop: list[tuple[EdgeName, bool]]) -> list[list[EdgeName]]:
    """Return the edges of a loop from corner to corner; all of them where it has no corner."""
    runs = [cut.shape.edges.places[cut.shape.edges.number[name]][:: 1 if forward else -1] for name, forward in loop]
    first = directions(np.array([run[1] - run[0] for run in runs]))
    last = np.roll(directions(np.array([run[-1] - run[-2] for run in runs])), 1, axis=0)
    corners = np.flatnonzero((first * last).sum(axis=1) < np.cos(CORNER_TURN)).tolist()
    names = [name for name, _ in loop]
    if not corners:
        return [names]
    names = names[corners[0] :] + names[: corners[0]]
    ends = [corner - corners[0] for corner in corners] + [len(names)]
    return [names[low:high] for low, high in pairwise(ends)]


def planned(cut: CutSet, wish: Wish, poles: PoleClosing) -> tuple[CutSet, Ints]:
    """Return a set and the counts that `plan_counts` gives it: the one before regions were taken out, where no rim of theirs
    can have such counts.
    """
    try:
        return cut, plan_counts(cut, wish, poles)
    except CountImpossible:
        if cut.before is None:
            raise
        return cut.before, plan_counts(cut.before, wish, poles)


def predicted_faces(cut: CutSet, counts: Ints) -> int:
    """Return how many faces the grids of counts (pieces, 2) have, and about how many the regions that are meshed as one."""
    total = float(counts.prod(axis=1).sum())
    for whole in cut.wholes:
        total -= counts[list(whole.skirts)].prod(axis=1).sum()
        size = sum(float(cut.shape.edges.lengths[cut.shape.edges.number[name]]) for name in whole.rim)
        total += whole.area / (size / sum(int(counts[name.piece, name.axis]) for name in whole.rim)) ** 2
    return int(total)


def _turn_rims(cut: CutSet, loops: list[list[tuple[EdgeName, bool]]], chains: Ints, plan: CountPlan) -> None:
    """Ask of rims that are round about the middle of a cap for counts that the turns of its holes keep."""
    edges = cut.shape.edges
    places = [np.concatenate([edges.places[edges.number[name]][:-1] for name, _ in loop]) for loop in loops]
    order = np.argsort([-float(np.ptp(loop, axis=0).max()) for loop in places], kind="stable")
    across = places[order[0]] - places[order[0]].mean(axis=0)
    normal = directions(cross(across[:1], across[len(across) // 4][None]))[0]
    turns, round_about = turns_of_rims([places[k] for k in order], normal)
    names = [loops[k][0][0] for k in order[round_about] if len(loops[k]) == 1]
    own = [chain for chain in (int(chains[name.piece, name.axis]) for name in names) if plan.fixed[chain] == 0]
    if turns == 1 or any(plan.wished[chain] < turns for chain in own):
        return
    # An even count in each sector closes it; where that would be many more than wished, sectors are taken two by two.
    step = 2 * turns if all(plan.wished[chain] > 1.5 * turns for chain in own) else turns
    for chain in own:
        plan.whole(chain, step)


def _tie_sides(sides: list[list[int]], plan: CountPlan) -> None:
    """Ask for what fills a flat outline well: of four sides facing ones alike, of others an even count on each.

    Every second vertex counts in the fill of an outline with other than four corners, and corners are to stay.
    """
    if len(sides) < 2:
        return
    sums = [plan.wished[side].sum() for side in sides]
    if len(sides) == 4 and all(max(sums[k], sums[k + 2]) <= ALIKE * min(sums[k], sums[k + 2]) for k in (0, 1)):
        plan.equal += [(sides[0], sides[2]), (sides[1], sides[3])]
        return
    plan.even_sums += [(side, 2) for side in sides]


def _tie_fans(cut: CutSet, chains: Ints, plan: CountPlan) -> None:
    """Ask for even counts round poles, and for sides long enough for the core of a three-sided piece."""
    for fan in cut.fans:
        rim = [int(chains[sector.piece, sector.axis]) for sector in fan.sectors]
        plan.even_sums.append((rim, 4 if fan.closed else 2))
        if cut.planes[fan]:
            _tie_sides([[rim[k] for k in side] for side in cut.sides[fan]], plan)
        if not fan.closed:
            # Three sides: the core of the sector takes half of the rim's count along either straight side.
            plan.over.append((int(chains[fan.sectors[0].piece, 1 - fan.sectors[0].axis]), rim, 0.5))


def _turns(places: Floats) -> Floats:
    """Return how far in radians the direction of each edge turns, by places (edges, n, 3) even along it."""
    steps = directions(np.diff(places, axis=1))
    turns = np.arccos(np.clip(np.einsum("eij,eij->ei", steps[:, :-1], steps[:, 1:]), -1, 1))
    result: Floats = turns.sum(axis=1) * steps.shape[1] / turns.shape[1]
    return result
