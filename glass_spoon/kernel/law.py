"""A law: a number that runs from one value to another along a share of the way."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.errors import InvalidInput

Way = Literal["evenly", "eased", "eased in", "eased out"]


@dataclass(frozen=True)
class Law:
    """A value from `start` to `end`: evenly, eased at both ends, or at one. bias: the share of the way at half of it."""

    start: float
    end: float
    way: Way = "evenly"
    bias: float = 0.5

    def __post_init__(self) -> None:
        """Refuse a bias at an end."""
        if not 0.01 <= self.bias <= 0.99:
            raise InvalidInput("The bias", "between 0.01 and 0.99", f"{self.bias:g}")

    @property
    def is_constant(self) -> bool:
        """Whether it is the same everywhere."""
        return self.start == self.end

    def at(self, shares: Floats) -> Floats:
        """Return the values (n,) at shares (n,) of the way, 0 to 1.

        Eased is Perlin's fifth-degree step (Improving noise, SIGGRAPH 2002): no slope and no bend at either end.
        """
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
