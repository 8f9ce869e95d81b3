"""The density that a wish for something else comes to: about so many faces, or the loosest that keeps a tolerance."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from glass_spoon.kernel.errors import KernelError

COUNT_ROUNDS, COUNT_NEAR, COUNT_WIDTH = 24, 0.005, 5e-4
"""Most lengths tried for a count of faces; the share of it that is near enough, and of the length that is fine enough."""

NOTHING = 1e-12
"""A distance in mm that counts as none."""

COARSEST, FINEST = 2.0, 2000.0
"""Shares of the size of the part that edges may be: from half of it down."""

NARROW = 1.02
"""Factor between a length that is too long and one that is not at which the search ends."""

LADDER, LEAP, REFINED, SHY = 1.5, 4.0, 5, 0.98
"""Least and greatest factor between the densities first tried for a tolerance; densities tried between the last two; share
of the length foretold that is taken, as distances fall with its square only nearly."""


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

    off_at: the distance in mm at an edge length, infinite for one that is too long. Ever finer lengths, then some between
    the last that was too far off and the first that was not; distances fall with the square of the length, so each foretells
    the next. Raises KernelError when none on the ladder is near enough.
    """
    length = size / COARSEST
    failed, off = length * LADDER, np.inf
    while True:
        off = off_at(length)
        if off <= tolerance:
            break
        leap = np.sqrt(off / tolerance) / SHY if np.isfinite(off) else LADDER
        failed, length = length, length / float(np.clip(leap, LADDER, LEAP))
        if length < size / FINEST:
            raise KernelError(f"No mesh keeps within {tolerance:g} mm: the finest tried is {off:.3g} mm off. Allow more.")
    good, reached = length, off
    for _ in range(REFINED):
        room = failed / good
        if room < NARROW:
            break
        middle = good * float(np.clip(SHY * np.sqrt(tolerance / max(reached, NOTHING)), room**0.15, room**0.85))
        off = off_at(middle)
        if off <= tolerance:
            good, reached = middle, off
        else:
            failed = middle
    return good, reached
