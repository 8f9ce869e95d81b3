"""Pairs of points that lie near each other."""

from __future__ import annotations

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints, lengths

_SLANT = np.sqrt([0.2, 0.3, 0.5])
"""A direction of length one whose parts have no common measure: no two points of a grid lie at one place along it."""

MOST_BESIDE = 4
"""Times the number of points that pairs side by side along the line may be before the search tree is quicker."""


def coincident(points: Floats) -> Ints:
    """Return for each point (n, 3) the lowest one at exactly the same place, itself for most.

    Equal points are equal along a slanted line, so they stand side by side when sorted along it; where another one comes
    between, which takes a coincidence of rounding, they are left apart.
    """
    order = np.argsort(points @ _SLANT, kind="stable")
    follows = np.ones(len(points), dtype=bool)
    follows[:1] = False
    for column in points.T:  # column by column, which is several times faster than row by row
        placed = column.take(order)
        follows[1:] &= placed[1:] == placed[:-1]
    starts = np.maximum.accumulate(np.where(follows, 0, np.arange(len(points))))
    result = np.empty(len(points), dtype=np.int64)
    result[order] = order[starts]  # sorted stably, the first of equal ones is the lowest
    return result


def near_pairs(points: Floats, distance: float) -> Ints:
    """Return the pairs (k, 2) of points (n, 3) within `distance` of each other, the lower number first.

    Sorted along a slanted line, near points are near in the order: few others are, and those are sorted out by their
    distance. Where many lie side by side along the line the search tree is asked.
    """
    along = points @ _SLANT
    order = np.argsort(along)
    along = along[order]
    reach = distance + 1e-12 * np.abs(along).max(initial=0.0)  # what the products may have lost
    found, step = [], 0
    ahead = np.arange(len(points))
    while len(ahead):
        step += 1
        ahead = ahead[ahead < len(points) - step]
        ahead = ahead[along[ahead + step] - along[ahead] <= reach]
        found.append(np.column_stack((order[ahead], order[ahead + step])))
        if sum(len(part) for part in found) > MOST_BESIDE * len(points):
            return np.asarray(scipy.spatial.cKDTree(points).query_pairs(distance, output_type="ndarray"))
    pairs: Ints = np.sort(np.concatenate(found), axis=1) if found else np.zeros((0, 2), dtype=np.int64)
    return pairs[lengths(points[pairs[:, 0]] - points[pairs[:, 1]]) <= distance]
