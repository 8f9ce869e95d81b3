"""Stretches of a boundary that patches have as their edges."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.patches.patch_layout import Quad
from glass_spoon.kernel.patches.region import Loop, Side
from glass_spoon.kernel.patches.ring_cuts import kept_apart

PACES = 0.25, 2.8
"""Least and most share of its mean speed at which an edge runs at an end."""

CORNER = np.radians(25)
"""A boundary of one side that turns by more where it closes has a corner there."""


@dataclass(frozen=True, eq=False)
class Stretch:
    """A stretch of a side that one patch has as its edge: from one vertex to another, shares of the side's length.

    paces: how fast its edge runs at both ends, as a share of its mean: neighbours across an inner edge run alike there.
    """

    start: int
    end: int
    side: Side
    low: float
    high: float
    is_closed: bool = False
    paces: tuple[float, float] = (1.0, 1.0)

    @property
    def length(self) -> float:
        """Its length in mm."""
        return (self.high - self.low) * self.side.length

    @property
    def _is_whole(self) -> bool:
        return (self.low, self.high, self.is_closed, self.paces) == (0, 1, False, (1.0, 1.0))

    def evenly(self, count: int) -> Floats:
        """Return the points (count, 3) in mm at even shares of it."""
        if self._is_whole:
            return self.side.evenly(count)
        return self.side.points(self.shares(np.linspace(0, 1, count)))

    def shares(self, own: Floats) -> Floats:
        """Return the shares of the side at shares of the stretch; one that is closed goes on from its end."""
        if self._is_whole:
            return own
        first, last = self.paces
        run = ((first + last - 2) * own + 3 - 2 * first - last) * own**2 + first * own
        found = self.low + run * (self.high - self.low)
        return np.mod(found, 1.0) if self.is_closed else found


def run_alike(stretches: list[Stretch], *, ring: bool = True) -> list[Stretch]:
    """Return the stretches of a ring, or of a side, each run at its ends as fast as those before and after it."""
    sizes = np.array([one.length for one in stretches])
    before = np.sqrt(sizes * np.roll(sizes, 1))
    after = np.roll(before, -1)
    if not ring:
        before[0], after[-1] = sizes[0], sizes[-1]
    paces = (np.clip(speed / sizes, *PACES) for speed in (before, after))
    return [replace(one, paces=(float(a), float(b))) for one, a, b in zip(stretches, *paces, strict=True)]


def has_corner(loop: Loop) -> bool:
    """Say whether the sides of a boundary start at corners; one of one side may close without."""
    return len(loop.sides) > 1 or abs(float(loop.angles[0]) - np.pi) > CORNER


def own_stops(loop: Loop) -> list[list[float]]:
    """Return for each side of a boundary the shares at which its patches have vertices in any case: where it starts at a
    corner, and where its bend jumps.
    """
    cornered, found = has_corner(loop), []
    for side in loop.sides:
        begins = cornered or side.jumps_at_start
        found.append(kept_apart([0.0, *side.jumps.tolist()] if begins else side.jumps.tolist(), keep=cornered))
    return found


Plan = tuple[list[Stretch], tuple[Quad, ...], dict[int, tuple[int, float]]]
"""The stretches of the boundary, the patches by their vertices, and how they fan out on it."""
