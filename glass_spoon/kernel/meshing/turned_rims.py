"""How often a flat shape with holes falls on itself in a whole turn: the rims that are round about its middle take counts
that such a turn keeps, so that its fill can be as symmetric as it is (`fill_alike`).
"""

from __future__ import annotations

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, lengths

SAME = 1e-5
"""How near, as a share of the size, places lie that are alike."""

MOST = 24
"""Largest number of turns that counts are held to."""


def turns_of_rims(loops: list[Floats], normal: Floats) -> tuple[int, Bools]:
    """Return how many turns about the middle of the first loop take the others onto others, and which are round about it.

    loops: even places (n, 3) in mm along closed loops in a plane with a unit normal (3,), the outline first. 1 where the
    outline is not round, or there are fewer than three others off the middle.
    """
    middles = np.array([loop.mean(axis=0) for loop in loops])
    sizes = np.array([float(lengths(loop - middle).mean()) for loop, middle in zip(loops, middles, strict=True)])
    near = SAME * sizes[0]
    away = [lengths(loop - middles[0]) for loop in loops]
    round_about = np.array([float(np.ptp(own)) < near for own in away])
    aside = np.flatnonzero(~round_about)
    if not round_about[0] or len(aside) < 3:
        return 1, round_about
    # What tells holes apart: where they are, and how long they are.
    tree = scipy.spatial.cKDTree(np.column_stack((middles[aside], sizes[aside])))
    for count in range(min(len(aside), MOST), 1, -1):
        turn = scipy.spatial.transform.Rotation.from_rotvec(2 * np.pi / count * normal)
        turned = middles[0] + turn.apply(middles[aside] - middles[0])
        if len(aside) % count == 0 and np.max(tree.query(np.column_stack((turned, sizes[aside])))[0]) < near:
            return count, round_about
    return 1, round_about
