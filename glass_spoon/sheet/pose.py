"""How an item stands that was placed as a whole since it was made."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats


@dataclass(frozen=True, eq=False)
class Pose:
    """What its own axes became by being turned, scaled and mirrored: the columns of `axes` (3, 3).

    backwards: its surfaces run the other way round than they did, u from 1 to 0, as those of mirrored items do.
    """

    axes: Floats
    backwards: bool = False

    def then(self, matrix: Floats, *, runs_back: bool) -> Pose:
        """Return the pose after a map with a matrix (3, 3); runs_back: whether that changed the way of u."""
        return Pose(matrix @ self.axes, self.backwards != runs_back)

    def is_like(self, other: Pose | None) -> bool:
        """Say whether another pose is the same within rounding."""
        return (
            other is not None
            and other.backwards == self.backwards
            and bool(np.allclose(other.axes, self.axes, rtol=0, atol=1e-12))
        )


STANDING = Pose(np.eye(3))
"""The pose of what was not placed."""
