"""Areas of polygons, and what lies inside them."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints


def signed_area(polygon: Floats) -> float:
    """Return the area of a polygon (n, 2), positive where it runs counter-clockwise."""
    ahead = np.roll(polygon, -1, axis=0)
    return float(polygon[:, 0] @ ahead[:, 1] - polygon[:, 1] @ ahead[:, 0]) / 2


def crossings(polygon: Floats, places: Floats) -> Ints:
    """Return how often (n,) a line to the right of places (n, 2) crosses a polygon (k, 2)."""
    a, b = polygon, np.roll(polygon, -1, axis=0)
    found = np.zeros(len(places), dtype=np.int64)
    for start in range(0, len(places), 4096):
        y = places[start : start + 4096, 1:]
        over = (a[:, 1] > y) != (b[:, 1] > y)
        rise = np.where(b[:, 1] == a[:, 1], 1.0, b[:, 1] - a[:, 1])
        at = a[:, 0] + (y - a[:, 1]) / rise * (b[:, 0] - a[:, 0])
        found[start : start + 4096] = (over & (at > places[start : start + 4096, :1])).sum(axis=1)
    return found
