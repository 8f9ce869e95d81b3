"""Stretches of a boundary that patches have as their edges."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.patches.patch_layout import Quad
from glass_spoon.kernel.patches.region import Side

PACES = 0.25, 2.8
"""Least and most share of its mean speed at which an edge runs at an end."""


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

    def evenly(self, count: int) -> Floats:
        """Return the points (count, 3) in mm at even shares of it."""
        if (self.low, self.high, self.is_closed, self.paces) == (0, 1, False, (1.0, 1.0)):
            return self.side.evenly(count)
        return self.side.points(self.shares(np.linspace(0, 1, count)))

    def shares(self, own: Floats) -> Floats:
        """Return the shares of the side at shares of the stretch; one that is closed goes on from its end."""
        first, last = self.paces
        run = ((first + last - 2) * own + 3 - 2 * first - last) * own**2 + first * own
        found = self.low + run * (self.high - self.low)
        return np.mod(found, 1.0) if self.is_closed else found


def run_alike(stretches: list[Stretch], *, ring: bool = True) -> list[Stretch]:
    """Return the stretches of a ring, or of a side, each run at its ends as fast as those before and after it."""
    sizes = np.array([one.length for one in stretches])
    speeds = np.sqrt(sizes * np.roll(sizes, 1))
    if not ring:
        speeds = np.append(speeds, sizes[-1])
        speeds[0] = sizes[0]
        rows = zip(stretches, np.clip(speeds[:-1] / sizes, *PACES), np.clip(speeds[1:] / sizes, *PACES), strict=True)
        return [replace(one, paces=(float(a), float(b))) for one, a, b in rows]
    starts, ends = (np.clip(speed / sizes, *PACES) for speed in (speeds, np.roll(speeds, -1)))
    return [replace(one, paces=(float(a), float(b))) for one, a, b in zip(stretches, starts, ends, strict=True)]


Plan = tuple[list[Stretch], tuple[Quad, ...], dict[int, tuple[int, float]]]
"""The stretches of the boundary, the patches by their vertices, and how they fan out on it."""
