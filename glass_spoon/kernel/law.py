"""A law: a number that runs from one value to another along a share of the way."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.errors import InvalidInput

Way = Literal["evenly", "eased", "eased in", "eased out"]

LEAST_STEP = 0.005
"""Least distance of two places of a law."""


@dataclass(frozen=True)
class Law:
    """A value from `start` to `end`: evenly, eased at both ends, or at one. bias: the share of the way at half of it.

    between: (share, value) of places on the way; with any the law is a curve through them that never swings past them, and
    `way` and `bias` do not count.
    """

    start: float
    end: float
    way: Way = "evenly"
    bias: float = 0.5
    between: tuple[tuple[float, float], ...] = ()

    def __post_init__(self) -> None:
        """Refuse a bias at an end, and places out of order."""
        if not 0.01 <= self.bias <= 0.99:
            raise InvalidInput("The bias", "between 0.01 and 0.99", f"{self.bias:g}")
        shares = [0.0, *(share for share, _ in self.between), 1.0]
        if any(after - before < LEAST_STEP for before, after in pairwise(shares)):
            raise InvalidInput("The places of a law", f"in order between 0 and 1, {LEAST_STEP:g} apart", "otherwise")

    @property
    def values(self) -> list[float]:
        """The values at the ends and the places between."""
        return [self.start, *(value for _, value in self.between), self.end]

    @property
    def is_constant(self) -> bool:
        """Whether it is the same everywhere."""
        return len(set(self.values)) == 1

    @property
    def is_straight(self) -> bool:
        """Whether it runs evenly from start to end."""
        return self.is_constant or (self.way == "evenly" and self.bias == 0.5 and not self.between)

    def at(self, shares: Floats) -> Floats:
        """Return the values (n,) at shares (n,) of the way, 0 to 1.

        Eased is Perlin's fifth-degree step (Improving noise, SIGGRAPH 2002): no slope and no bend at either end. Places
        between are met by Fritsch and Butland's monotone cubics (SIAM J. Sci. Stat. Comput. 5, 1984).
        """
        if self.between:
            places = [0.0, *(share for share, _ in self.between), 1.0]
            through = scipy.interpolate.PchipInterpolator(places, self.values)
            return np.asarray(through(np.clip(shares, 0.0, 1.0)), dtype=np.float64)
        t = np.clip(np.asarray(shares, dtype=np.float64), 0.0, 1.0) ** (np.log(0.5) / np.log(self.bias))
        done = {
            "evenly": t,
            "eased": t**3 * (t * (6 * t - 15) + 10),
            "eased in": t * t,
            "eased out": t * (2 - t),
        }[self.way]
        return self.start + (self.end - self.start) * done


ONE = Law(1.0, 1.0)
NOTHING = Law(0.0, 0.0)
EVENLY = Law(0.0, 1.0)
