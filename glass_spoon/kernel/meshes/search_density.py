"""The density that a wish for something else comes to: about so many faces, or the loosest that keeps a tolerance."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from glass_spoon.kernel.errors import KernelError

COUNT_ROUNDS, COUNT_NEAR, COUNT_WIDTH = 24, 0.005, 5e-4
"""Most lengths tried for a count of faces; the share of it that is near enough, and of the length that is fine enough."""

COARSEST, FINEST = 2.0, 2000.0
"""Shares of the size of the part that edges may be: from half of it down."""

LADDER, REFINED = 1.5, 5
"""Factor between the densities first tried for a tolerance, and halvings between the last two."""


def length_for_faces(faces_at: Callable[[float], int], size: float, wanted: int) -> float:
    """Return the edge length in mm that gives the count of faces nearest to `wanted`.

    faces_at: the count at an edge length in mm, falling with it; size: extent of the part in mm. Counts fall with the
    square of the length, so that the next length follows from the last; where that leads out of what is left, which counts
    in steps may do, the middle of it is taken.
    """
    low, high = np.log(size / FINEST), np.log(size)
    at = float(np.clip(np.log(size / np.sqrt(wanted)), low, high))
    best, least = float(np.exp(high)), np.inf
    for _ in range(COUNT_ROUNDS):
        faces = faces_at(float(np.exp(at)))
        off = float(np.log(faces / wanted))
        if abs(off) < least:
            best, least = float(np.exp(at)), abs(off)
        low, high = (at, high) if off > 0 else (low, at)
        if abs(off) <= COUNT_NEAR or high - low < COUNT_WIDTH:
            break
        ahead = at + off / 2
        at = ahead if low < ahead < high else (low + high) / 2
    return best


def length_for_tolerance(off_at: Callable[[float], float], size: float, tolerance: float) -> tuple[float, float]:
    """Return the largest edge length in mm found at which the distance keeps to `tolerance` mm, and that distance.

    off_at: the distance in mm at an edge length. A ladder of ever finer lengths, then halvings between the last that was too
    far off and the first that was not. Raises KernelError when none on the ladder is near enough.
    """
    length = size / COARSEST
    failed, off = length * LADDER, np.inf
    while True:
        off = off_at(length)
        if off <= tolerance:
            break
        failed, length = length, length / LADDER
        if length < size / FINEST:
            raise KernelError(f"No mesh keeps within {tolerance:g} mm: the finest tried is {off:.3g} mm off. Allow more.")
    good, reached = length, off
    for _ in range(REFINED):
        middle = float(np.sqrt(good * failed))
        off = off_at(middle)
        if off <= tolerance:
            good, reached = middle, off
        else:
            failed = middle
    return good, reached
