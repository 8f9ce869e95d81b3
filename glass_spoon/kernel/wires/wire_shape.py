"""The section of wires, and what is said where they are too thick."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.errors import KernelError

FULL = 0.96
"""Share of a run that its joints may take."""


class TooThick(KernelError):
    """Wires do not fit between joints; of `share` of their thickness they may, or with joints at one that lie `near` mm off,
    0 for no such.
    """

    def __init__(self, sentence: str, share: float, near: float = 0.0) -> None:
        """Take the sentence, the share and the distance."""
        super().__init__(sentence)
        self.share, self.near = share, near


@dataclass(frozen=True)
class WireShape:
    """The section of wires: round of a width, or a rectangle of a width and height, mm; halvings of its four sides.

    edge: the length in mm that faces have along, about.
    """

    width: float
    height: float
    is_round: bool
    halvings: int
    edge: float

    @property
    def reach(self) -> float:
        """Half its greatest width across."""
        return self.width / 2 if self.is_round else float(np.hypot(self.width, self.height)) / 2

    @property
    def thin(self) -> float:
        """Half its least width across."""
        return self.width / 2 if self.is_round else min(self.width, self.height) / 2

    @property
    def corners(self) -> Floats:
        """The corners (4, 2) of the square that it is made of, up and beside, counter-clockwise."""
        if self.is_round:
            return self.width / 2 * np.array([[1.0, 0], [0, 1], [-1, 0], [0, -1]])
        a, b = self.height / 2, self.width / 2
        return np.array([[a, b], [-a, b], [-a, -b], [a, -b]])

    @property
    def straight(self) -> Floats:
        """The places (n, 2) of a ring on the sides of the square."""
        parts = 2**self.halvings
        shares = np.arange(parts)[:, None] / parts
        return np.concatenate(
            [a + shares * (b - a) for a, b in zip(self.corners, np.roll(self.corners, -1, axis=0), strict=True)]
        )

    @property
    def ring(self) -> Floats:
        """The places (n, 2) of a ring: up and beside, counter-clockwise."""
        if not self.is_round:
            return self.straight
        turns = 2 * np.pi * np.arange(4 * 2**self.halvings) / (4 * 2**self.halvings)
        return self.width / 2 * np.stack((np.cos(turns), np.sin(turns)), axis=1)
