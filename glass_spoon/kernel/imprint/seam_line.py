"""A line on the skin of a mesh along which its edges are to run."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from itertools import product

import numpy as np
import scipy

from glass_spoon.kernel.arrays import BESIDE, Floats, Ints, lengths

NEAR = 3
"""Of so many places of a line the pieces on both sides are looked at for the nearest."""


@dataclass(frozen=True, eq=False)
class SeamLine:
    """A line through places (k, 3) in mm, finely sampled; closed: from the last back to the first."""

    places: Floats
    closed: bool = True

    @cached_property
    def run(self) -> Floats:
        """Its places, for a closed one the first once more at the end."""
        return np.vstack((self.places, self.places[:1])) if self.closed else self.places

    @cached_property
    def way(self) -> Floats:
        """The length in mm from the start to each place of the run."""
        return np.concatenate(([0.0], np.cumsum(lengths(np.diff(self.run, axis=0)))))

    @property
    def length(self) -> float:
        """Its length in mm."""
        return float(self.way[-1])

    @cached_property
    def tree(self) -> scipy.spatial.cKDTree:
        """A tree of its places."""
        return scipy.spatial.cKDTree(self.places)

    def at(self, ways: Floats) -> Floats:
        """Return the places (n, 3) at lengths (n,) from the start; round and round on a closed line."""
        found = np.mod(ways, self.length) if self.closed else ways
        return np.stack([np.interp(found, self.way, column) for column in self.run.T], axis=1)

    def nearest(self, points: Floats) -> tuple[Floats, Floats]:
        """Return how far (n,) from the start the nearest places to points (n, 3) are, and how far (n,) off, in mm."""
        near = self.tree.query(points + BESIDE * self.length, k=min(NEAR, len(self.places)))[1].reshape(len(points), -1)
        best_way, best = np.zeros(len(points)), np.full(len(points), np.inf)
        last = len(self.run) - 2
        for at, step in product(near.T, (-1, 0)):
            k = (at + step) % len(self.places) if self.closed else np.clip(at + step, 0, last)
            k = np.minimum(k, last)
            start, along = self.run[k], self.run[k + 1] - self.run[k]
            size = np.maximum(np.einsum("ni,ni->n", along, along), 1e-300)
            share = np.clip(np.einsum("ni,ni->n", points - start, along) / size, 0, 1)
            away = lengths(start + share[:, None] * along - points)
            nearer = away < best - 1e-12 * self.length
            best = np.where(nearer, away, best)
            best_way = np.where(nearer, self.way[k] + share * (self.way[k + 1] - self.way[k]), best_way)
        return best_way, best

    def refined(self, spacing: float) -> SeamLine:
        """Return the line with places no farther apart than a spacing in mm, all it had among them."""
        parts = np.maximum(1, np.ceil(lengths(np.diff(self.run, axis=0)) / spacing).astype(np.int64))
        first = np.repeat(np.arange(len(parts)), parts)
        share = (np.arange(len(first)) - np.repeat(np.cumsum(parts) - parts, parts)) / parts[first]
        places = self.run[first] + share[:, None] * (self.run[first + 1] - self.run[first])
        return SeamLine(places if self.closed else np.vstack((places, self.run[-1:])), self.closed)


def least_away(lines: list[SeamLine], points: Floats, most: float = np.inf) -> Floats:
    """Return how far (n,) in mm points (n, 3) are from the nearest place of some lines; infinite beyond `most`."""
    away = [np.asarray(line.tree.query(points, distance_upper_bound=most)[0], dtype=np.float64) for line in lines]
    return np.asarray(np.stack(away).min(axis=0))


def nearest_line(lines: list[SeamLine], points: Floats) -> Ints:
    """Return which of some lines is nearest to each point (n, 3)."""
    label = np.repeat(np.arange(len(lines)), [len(line.places) for line in lines])
    tree = scipy.spatial.cKDTree(np.concatenate([line.places for line in lines]))
    found: Ints = label[tree.query(points)[1]]
    return found
