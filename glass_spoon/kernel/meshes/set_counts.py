"""How many edges the pieces of a set take: one count for each chain of facing edges, as near to the wishes as can be.

Chains are free of each other but where caps and poles tie them: the rim of a hole takes as many edges as the outline round
it, the straight sides of a three-sided piece at least half of its rim. Then the counts are the solution of a small integer
programme (SciPy's HiGHS), least in the sum of relative distances from what is wished.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.sparse import coo_array, csr_array

from glass_spoon.kernel.arrays import Floats, Ints, directions
from glass_spoon.kernel.errors import CountImpossible
from glass_spoon.kernel.meshes.chord_counts import counts_for_chord, counts_for_turn
from glass_spoon.kernel.meshes.cut_set import CutSet, Fan, fan_plane, fan_sides
from glass_spoon.kernel.meshes.mesh_surface import PoleClosing
from glass_spoon.kernel.surfaces.surface_set import EdgeTable, edge_chains, edge_loops

SIDE_TURN = np.radians(120)
"""Most that the direction of an edge may turn over one side of a face: a circle takes three at least."""

ALIKE = 1.6
"""Facing sides of a flat end take the same count when one is at most so many times as long as the other."""

SECONDS = 5.0
"""Longest that the integer programme may take; the best found till then counts."""


@dataclass(frozen=True)
class CountRule:
    """Which counts are allowed: those that leave `rest` when divided by `step`."""

    step: int = 1
    rest: int = 0

    def and_even(self) -> CountRule:
        """Return the rule of counts that are even as well; raises CountImpossible where no count is both."""
        if self.step % 2 == 0:
            if self.rest % 2:
                raise CountImpossible("Odd counts cannot close a rim or a pole with quads. Allow even counts.")
            return self
        rest = self.rest if self.rest % 2 == 0 else self.rest + self.step
        return CountRule(2 * self.step, rest)

    def nearest(self, wished: float, least: float) -> int:
        """Return the allowed count nearest to what is wished, at least `least`; of two as near the larger."""
        lowest = self.rest + self.step * int(np.ceil((max(least, 1) - self.rest) / self.step - 1e-9))
        steps = max(0, int(np.floor((wished - lowest) / self.step + 0.5 + 1e-9)))
        return lowest + self.step * steps


ANY = CountRule()


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

    def steps(self, edges: EdgeTable) -> tuple[float, float]:
        """Return the wished lengths of edges along u and along v in mm."""
        if self.counts is None:
            return self.lengths
        sizes = edges.lengths.reshape(-1, 2, 2)
        first, second = (max(float(sizes[:, axis].max()), 1e-9) / self.counts[axis] for axis in (0, 1))
        return first, second


def plan_counts(cut: CutSet, fans: list[Fan], wish: Wish, poles: PoleClosing) -> Ints:
    """Return the counts (pieces, 2) along u and along v: one for each chain, near the mean of what its edges wish.

    Of a chord and of a turn the most counts. Rims of caps and of fans that quads close take even counts, in all at least
    four. Raises CountImpossible where the rule of the wish allows no such counts.
    """
    chains = edge_chains(len(cut.pieces), cut.shape.shared)
    total = int(chains.max()) + 1
    wished, low = _wishes(cut, wish, chains, total)
    plan = _Plan(wished, low, [wish.rule] * total)
    if cut.shape.counts:
        np.maximum.at(plan.fixed, chains.ravel(), np.array(cut.shape.counts).ravel())
    _tie_rims(cut, chains, plan)
    if poles == "quads":
        _tie_fans(cut, fans, chains, plan)
    return plan.solve()[chains]


def _wishes(cut: CutSet, wish: Wish, chains: Ints, total: int) -> tuple[Floats, Floats]:
    """Return the count that each chain wishes, and the least that it may take."""
    edges = cut.shape.edges
    wished, least = np.zeros((len(cut.pieces), 2)), np.ones((len(cut.pieces), 2))
    steps = wish.steps(edges)
    turns = np.where(edges.is_pole, 0.0, _turns(edges.places))
    sides = np.maximum(1, np.ceil(turns / SIDE_TURN - 1e-6))
    for name, size, side in zip(edges.names, edges.lengths, sides, strict=True):
        where = (name.piece, name.axis)
        wished[where] = max(wished[where], size / steps[name.axis])
        least[where] = max(least[where], side)
    flat = chains.ravel()
    mean = np.bincount(flat, wished.ravel(), total) / np.bincount(flat, minlength=total)
    if wish.chord:
        least = np.maximum(least, np.ceil(counts_for_chord(cut.pieces, wish.chord) - 1e-6))
    if wish.turn:
        least = np.maximum(least, np.ceil(counts_for_turn(cut.pieces, wish.turn) - 1e-6))
    low = np.zeros(total)
    np.maximum.at(low, flat, least.ravel())
    return mean, low


@dataclass(eq=False)
class _Plan:
    """What is asked of the counts (chains,) together.

    equal: pairs of lists of chains whose counts add up alike. over: chains whose count is at least a share of the counts of
    others, and one more. even_sums: lists of chains, each as often as it counts, whose counts add up to an even number, and
    the least that they add up to.
    """

    wished: Floats
    low: Floats
    rules: list[CountRule]
    fixed: Ints = field(init=False)
    equal: list[tuple[list[int], list[int]]] = field(default_factory=list)
    over: list[tuple[int, list[int], float]] = field(default_factory=list)
    even_sums: list[tuple[list[int], int]] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.fixed = np.zeros(len(self.wished), dtype=np.int64)

    def even(self, chain: int, least: float) -> None:
        """Ask for an even count of at least `least`."""
        self.rules[chain] = self.rules[chain].and_even()
        self.low[chain] = max(self.low[chain], least)

    def solve(self) -> Ints:
        """Return the counts: each by itself, then by the integer programme where they are tied and not yet right."""
        counts = np.array(
            [rule.nearest(wished, low) for rule, wished, low in zip(self.rules, self.wished, self.low, strict=True)],
            dtype=np.int64,
        )
        counts = np.where(self.fixed > 0, self._fixed_counts(), counts)
        return counts if self._holds(counts) else self._programme(counts)

    def _fixed_counts(self) -> Ints:
        """Return counts that were asked for, raised to what closes a rim where they must be."""
        return np.array(
            [rule.nearest(count, count) for rule, count in zip(self.rules, self.fixed, strict=True)], dtype=np.int64
        )

    def _holds(self, counts: Ints) -> bool:
        """Say whether counts keep all ties."""
        alike = all(counts[first].sum() == counts[second].sum() for first, second in self.equal)
        even = all(counts[rim].sum() % 2 == 0 and counts[rim].sum() >= least for rim, least in self.even_sums)
        return alike and even and all(counts[chain] >= share * counts[rim].sum() + 1 for chain, rim, share in self.over)

    def _programme(self, start: Ints) -> Ints:
        """Return the counts nearest to the wished ones that keep all ties; unknowns are steps of the rules, and distances.

        Ties that cannot be kept with counts that were asked for are given up before those are.
        """
        size, halves = len(self.wished), len(self.even_sums)
        step = np.array([rule.step for rule in self.rules], dtype=np.float64)
        rest = np.array([rule.rest for rule in self.rules], dtype=np.float64)
        rows, low, high = self._ties(step, rest)
        eye = coo_array((step, (np.arange(size), np.arange(size))), shape=(size, size))
        one = coo_array((np.ones(size), (np.arange(size), np.arange(size))), shape=(size, size))
        ties = coo_array((rows[2], (rows[0], rows[1])), shape=(len(low), 2 * size + halves))
        fixed = np.where(self.fixed > 0, start, 0)
        least = np.where(fixed > 0, fixed, self.low)
        bounds = Bounds(
            np.concatenate((np.ceil((least - rest) / step - 1e-9), np.zeros(size), self._least_halves())),
            np.concatenate((np.where(fixed > 0, (fixed - rest) / step, np.inf), np.full(size + halves, np.inf))),
        )
        wished = self.wished - rest
        constraints = [
            LinearConstraint(_beside(eye, one, halves), wished, np.inf),
            LinearConstraint(_beside(eye, -one, halves), -np.inf, wished),
            *([LinearConstraint(ties.tocsr(), low, high)] if len(low) else []),
        ]
        cost = np.concatenate((np.full(size, 1e-6), 1 / np.maximum(self.wished, 1.0), np.zeros(halves)))
        integral = np.concatenate((np.ones(size), np.zeros(size), np.ones(halves))).astype(np.int64)
        found = milp(cost, integrality=integral, bounds=bounds, constraints=constraints, options={"time_limit": SECONDS})
        if found.x is None:
            return start
        return np.asarray(np.rint(found.x[:size] * step + rest), dtype=np.int64)

    def _least_halves(self) -> Floats:
        """Return half of the least that each even sum comes to."""
        return np.array([np.ceil(least / 2) for _, least in self.even_sums])

    def _ties(self, step: Floats, rest: Floats) -> tuple[tuple[list[int], list[int], list[float]], list[float], list[float]]:
        """Return the rows of all ties over the steps of the counts, and their bounds."""
        rows: tuple[list[int], list[int], list[float]] = ([], [], [])
        low: list[float] = []
        high: list[float] = []
        for first, second in self.equal:
            parts = [(chain, 1.0) for chain in first] + [(chain, -1.0) for chain in second]
            _add_row(rows, len(low), parts, step)
            shift = sum(sign * rest[chain] for chain, sign in parts)
            low.append(-shift)
            high.append(-shift)
        for chain, rim, share in self.over:
            parts = [(chain, 1.0)] + [(other, -share) for other in rim]
            _add_row(rows, len(low), parts, step)
            low.append(1 - sum(sign * rest[other] for other, sign in parts))
            high.append(np.inf)
        for number, (rim, _) in enumerate(self.even_sums):
            _add_row(rows, len(low), [(chain, 1.0) for chain in rim], step)
            rows[0].append(len(low))
            rows[1].append(2 * len(step) + number)
            rows[2].append(-2.0)
            low.append(-sum(rest[chain] for chain in rim))
            high.append(low[-1])
        return rows, low, high


def _add_row(rows: tuple[list[int], list[int], list[float]], row: int, parts: list[tuple[int, float]], step: Floats) -> None:
    """Append the entries of one row."""
    for chain, sign in parts:
        rows[0].append(row)
        rows[1].append(chain)
        rows[2].append(sign * step[chain])


def _beside(first: coo_array, second: coo_array, more: int) -> csr_array:
    """Return two square matrices side by side, and `more` empty columns."""
    size = first.shape[0]
    columns = np.concatenate((first.col, second.col + size))
    values = np.concatenate((first.data, second.data))
    return coo_array((values, (np.concatenate((first.row, second.row)), columns)), shape=(size, 2 * size + more)).tocsr()


def _tie_rims(cut: CutSet, chains: Ints, plan: _Plan) -> None:
    """Ask for even counts along the rims of caps; a cap with one hole takes as many on the hole as outside, where it can."""
    for rim in cut.shape.rims:
        own = [[int(chains[name.piece, name.axis]) for name, _ in loop] for loop in edge_loops(cut.shape, rim)]
        for loop in own:
            for chain in loop:
                plan.even(chain, 4 if len(loop) == 1 else 2)
        if len(own) == 2 and all(len(set(loop)) == len(loop) for loop in own) and not set(own[0]) & set(own[1]):
            # The rim with fewer edges is raised to the other, so that no edge becomes longer than wished.
            fewer, more = sorted(own, key=lambda loop: plan.wished[loop].sum())
            plan.equal.append((fewer, more))
            plan.wished[fewer] *= max(1.0, plan.wished[more].sum() / max(plan.wished[fewer].sum(), 1e-9))


def _tie_sides(sides: list[list[int]], plan: _Plan) -> None:
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


def _tie_fans(cut: CutSet, fans: list[Fan], chains: Ints, plan: _Plan) -> None:
    """Ask for even counts round poles, and for sides long enough for the core of a three-sided piece."""
    for fan in fans:
        rim = [int(chains[sector.piece, sector.axis]) for sector in fan.sectors]
        plan.even_sums.append((rim, 4 if fan.closed else 2))
        if fan_plane(cut, fan):
            _tie_sides([[rim[k] for k in side] for side in fan_sides(cut, fan)], plan)
        if not fan.closed:
            # Three sides: the core of the sector takes half of the rim's count along either straight side.
            plan.over.append((int(chains[fan.sectors[0].piece, 1 - fan.sectors[0].axis]), rim, 0.5))


def _turns(places: Floats) -> Floats:
    """Return how far in radians the direction of each edge turns, by places (edges, n, 3) even along it."""
    steps = directions(np.diff(places, axis=1))
    turns = np.arccos(np.clip(np.einsum("eij,eij->ei", steps[:, :-1], steps[:, 1:]), -1, 1))
    result: Floats = turns.sum(axis=1) * steps.shape[1] / turns.shape[1]
    return result
