"""Quads between two rows of points of different counts: strips side by side, with pairs of points of three edges where the
count changes by two.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints
from glass_spoon.kernel.errors import KernelError

CALM = 4
"""A strip loses or gains two edges for every so many of its longer row, where there are strips enough; else for every 3."""

MOST_STRIPS = 12
"""Strips more than wanted that counts may need to change."""


def strip_counts(start: int, end: int, strips: int) -> list[int] | None:
    """Return the counts of edges of each row from a border to a seam over some strips; None where so few cannot change it.

    The counts differ by an even number.
    """
    counts, left = [start], (end - start) // 2
    for strip in range(strips):
        here = counts[-1]
        share = -(-abs(left) // (strips - strip))
        if left < 0:
            step = min(share, here // 3)
            left, here = left + step, here - 2 * step
        else:
            step = min(share, here)
            left, here = left - step, here + 2 * step
        counts.append(here)
    return counts if left == 0 else None


def strips_needed(pairs: list[tuple[int, int]], least: int) -> int:
    """Return how many strips take all the pairs (from, to) of counts; raises KernelError where counts differ too far."""
    for strips in range(least, least + MOST_STRIPS):
        rows = [strip_counts(start, end, strips) for start, end in pairs]
        if all(row is not None and _is_calm(row) for row in rows):
            return strips
    for strips in range(least, least + MOST_STRIPS):
        if all(strip_counts(start, end, strips) is not None for start, end in pairs):
            return strips
    raise KernelError("Faces on the two sides of the seam differ too much in size. Make them more alike.")


def _is_calm(counts: list[int]) -> bool:
    return all(abs(b - a) // 2 * CALM <= max(a, b) for a, b in pairwise(counts))


@dataclass(frozen=True, eq=False)
class Strips:
    """Quads (q, 4) over rows of points, counted on from the border's first; rows: numbers of each row's points, both ends
    among them. shares (n, 2): how far along its row and how far from the border to the seam each point lies, 0 to 1.
    """

    quads: Ints
    rows: list[Ints]
    shares: Floats


def strips_between(counts: list[int]) -> Strips:
    """Return the strips between rows of given counts of edges, the border's first, the seam's last.

    Quads run on from the border on the side where the seam is on the left of one who walks along the border.
    """
    rows, shares, quads = [], [], []
    total = 0
    for number, count in enumerate(counts):
        rows.append(total + np.arange(count + 1))
        shares.append(np.column_stack((np.arange(count + 1) / count, np.full(count + 1, number / (len(counts) - 1)))))
        total += count + 1
    for number in range(len(counts) - 1):
        faces, inner = _strip(rows[number], rows[number + 1], total)
        if len(inner):
            height = (number + 0.5) / (len(counts) - 1)
            shares.append(np.column_stack((inner, np.full(len(inner), height))))
            total += len(inner)
        quads.append(faces)
    return Strips(np.concatenate(quads), rows, np.concatenate(shares))


def _strip(low: Ints, high: Ints, first: int) -> tuple[Ints, Floats]:
    """Return the quads between two rows, and how far along each point inside lies; these are numbered from `first`."""
    if len(low) < len(high):
        turned, between = _strip(high, low, first)
        return turned[:, ::-1], between
    count, fewer = len(low) - 1, len(high) - 1
    changes = (count - fewer) // 2
    wide = np.zeros(fewer, dtype=bool)
    if changes:
        wide[((np.arange(changes) + 0.5) * fewer / changes).astype(np.int64)] = True
    step = np.where(wide, 3, 1)
    start = np.concatenate(([0], np.cumsum(step)))[:-1]
    plain = np.flatnonzero(~wide)
    quads = [np.column_stack((low[start[plain]], low[start[plain] + 1], high[plain + 1], high[plain]))]
    inner: list[float] = []
    for number, at in enumerate(np.flatnonzero(wide).tolist()):
        p, q = first + 2 * number, first + 2 * number + 1
        a, b, c, d = (int(low[start[at] + k]) for k in range(4))
        left, right = int(high[at]), int(high[at + 1])
        quads.append(np.array([(a, b, p, left), (b, c, q, p), (c, d, right, q), (left, p, q, right)]))
        inner += [float(start[at] + 1) / count, float(start[at] + 2) / count]
    return np.concatenate(quads), np.array(inner)


def nearest_turn(low: Floats, high: Floats) -> int:
    """Return by how many points one ring (m, 3) is to be turned to lie nearest to another (k, 3), share by share."""
    shares = np.arange(len(low)) / len(low)
    best, found = np.inf, 0
    for turn in range(len(high)):
        at = (shares * len(high) + turn) % len(high)
        here = high[at.astype(np.int64)]
        ahead = high[(at.astype(np.int64) + 1) % len(high)]
        places = here + (at % 1)[:, None] * (ahead - here)
        away = float(((places - low) ** 2).sum())
        if away < best - 1e-9 * max(best if np.isfinite(best) else 0.0, 1e-300):
            best, found = away, turn
    return found
