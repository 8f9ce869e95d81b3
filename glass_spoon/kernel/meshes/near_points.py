"""Pairs of points that lie near each other."""

from __future__ import annotations

import numpy as np
from scipy.spatial import cKDTree

from glass_spoon.kernel.arrays import Floats, Ints, lengths

_SLANT = np.sqrt([0.2, 0.3, 0.5])
"""A direction of length one whose parts have no common measure: no two points of a grid lie at one place along it."""

MOST_BESIDE = 4
"""Times the number of points that pairs side by side along the line may be before the search tree is quicker."""


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
            return np.asarray(cKDTree(points).query_pairs(distance, output_type="ndarray"))
    pairs: Ints = np.sort(np.concatenate(found), axis=1) if found else np.zeros((0, 2), dtype=np.int64)
    return pairs[lengths(points[pairs[:, 0]] - points[pairs[:, 1]]) <= distance]
