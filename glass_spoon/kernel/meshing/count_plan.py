"""Whole counts near to wished ones that keep to rules, and to ties between them: a small integer programme.

Solved by SciPy's HiGHS; least is the sum of the distances from what is wished, each over the wished count.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints
from glass_spoon.kernel.errors import CountImpossible

SECONDS = 5.0
"""Longest that the programme may take; the best found till then counts."""


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


@dataclass(eq=False)
class CountPlan:
    """What is asked of the counts (chains,) together.

    equal: pairs of lists of chains whose counts add up alike, where they can: it makes good fills. over: chains whose count
    is at least a share of the counts of others, and one more. even_sums: lists of chains, each as often as it counts, whose
    counts add up to an even number, and the least that they add up to.
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

    def whole(self, chain: int, step: int) -> None:
        """Ask for a multiple of `step` where any even count was allowed."""
        if self.rules[chain] in (CountRule(), CountRule(2)):
            self.rules[chain] = CountRule(int(np.lcm(step, self.rules[chain].step)))

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

        Where they cannot all be kept, counts that were asked for give way, or else sums that should be alike, or both.
        Raises CountImpossible where none can.
        """
        for fixed, equal in (
            (self.fixed, self.equal),
            (np.zeros_like(self.fixed), self.equal),
            (self.fixed, []),
            (np.zeros_like(self.fixed), []),
        ):
            found = self._kept(start, fixed, equal)
            if found is not None:
                return found
        raise CountImpossible("No counts of these kinds close all rims and poles with quads. Close the poles with a fan.")

    def _kept(self, start: Ints, fixed_counts: Ints, equal: list[tuple[list[int], list[int]]]) -> Ints | None:
        """Return the counts nearest to the wished ones with some of them fixed and some sums alike; None where none are."""
        size, halves = len(self.wished), len(self.even_sums)
        step = np.array([rule.step for rule in self.rules], dtype=np.float64)
        rest = np.array([rule.rest for rule in self.rules], dtype=np.float64)
        rows, low, high = self._ties(equal, step, rest)
        eye = scipy.sparse.coo_array((step, (np.arange(size), np.arange(size))), shape=(size, size))
        one = scipy.sparse.coo_array((np.ones(size), (np.arange(size), np.arange(size))), shape=(size, size))
        ties = scipy.sparse.coo_array((rows[2], (rows[0], rows[1])), shape=(len(low), 2 * size + halves))
        fixed = np.where(fixed_counts > 0, start, 0)
        least = np.where(fixed > 0, fixed, self.low)
        bounds = scipy.optimize.Bounds(
            np.concatenate((np.ceil((least - rest) / step - 1e-9), np.zeros(size), self._least_halves())),
            np.concatenate((np.where(fixed > 0, (fixed - rest) / step, np.inf), np.full(size + halves, np.inf))),
        )
        near = np.where(self.fixed > 0, self.fixed, self.wished)
        wished = near - rest
        constraints = [
            scipy.optimize.LinearConstraint(_beside(eye, one, halves), wished, np.inf),
            scipy.optimize.LinearConstraint(_beside(eye, -one, halves), -np.inf, wished),
            *([scipy.optimize.LinearConstraint(ties.tocsr(), low, high)] if len(low) else []),
        ]
        cost = np.concatenate((np.full(size, 1e-6), 1 / np.maximum(near, 1.0), np.zeros(halves)))
        integral = np.concatenate((np.ones(size), np.zeros(size), np.ones(halves))).astype(np.int64)
        found = scipy.optimize.milp(
            cost, integrality=integral, bounds=bounds, constraints=constraints, options={"time_limit": SECONDS}
        )
        if found.x is None:
            return None
        return np.asarray(np.rint(found.x[:size] * step + rest), dtype=np.int64)

    def _least_halves(self) -> Floats:
        """Return half of the least that each even sum comes to."""
        return np.array([np.ceil(least / 2) for _, least in self.even_sums])

    def _ties(
        self, equal: list[tuple[list[int], list[int]]], step: Floats, rest: Floats
    ) -> tuple[tuple[list[int], list[int], list[float]], list[float], list[float]]:
        """Return the rows of all ties over the steps of the counts, and their bounds."""
        rows: tuple[list[int], list[int], list[float]] = ([], [], [])
        low: list[float] = []
        high: list[float] = []
        for first, second in equal:
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


def _beside(first: scipy.sparse.coo_array, second: scipy.sparse.coo_array, more: int) -> scipy.sparse.csr_array:
    """Return two square matrices side by side, and `more` empty columns."""
    size = first.shape[0]
    columns = np.concatenate((first.col, second.col + size))
    values = np.concatenate((first.data, second.data))
    return scipy.sparse.coo_array(
        (values, (np.concatenate((first.row, second.row)), columns)), shape=(size, 2 * size + more)
    ).tocsr()
