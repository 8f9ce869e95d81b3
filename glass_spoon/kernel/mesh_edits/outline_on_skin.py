"""A closed outline on a skin: what it holds, and places along it that may slide."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, Ints, directions, first_least, lengths
from glass_spoon.kernel.errors import KernelError

TURNED = 0.2
"""Cosine of the largest angle between the skin along an outline and the middle of it: beyond, it has no plain inside."""

SLID = 0.5
"""How far places on an outline go in a round towards those nearest to the row beside them, and evenly apart."""

CORNER = np.radians(25)
"""An outline has a corner where its samples turn by more."""


@dataclass(frozen=True, eq=False)
class SeenOutline:
    """An outline seen along the mean normal of the skin about it. flat (n, 2): its places; it runs counter-clockwise."""

    origin: Floats
    frame: Floats
    flat: Floats
    places: Floats
    normal: Floats
    backwards: bool

    @classmethod
    def through(cls, places: Floats, normals: Floats, name: str) -> SeenOutline:
        """Look at an outline; KernelError where the skin turns away too far."""
        mean = directions(normals.sum(axis=0))
        if float((normals @ mean).min()) < TURNED:
            raise KernelError(
                f"{name} goes too far round the body to have an inside. Cut the body in halves, or use a smaller one."
            )
        aside = directions(np.cross(mean, np.eye(3)[int(first_least(np.abs(mean)))]))
        frame = np.stack((aside, np.cross(mean, aside)))
        origin = places.mean(axis=0)
        flat = (places - origin) @ frame.T
        ahead = np.roll(flat, -1, axis=0)
        area = float((flat[:, 0] * ahead[:, 1] - flat[:, 1] * ahead[:, 0]).sum())
        if area == 0:
            raise KernelError(f"{name} encloses nothing.")
        return cls(origin, frame, flat if area > 0 else flat[::-1], places, mean, area < 0)

    def holds(self, points: Floats) -> Bools:
        """Mark the points (k,) of (k, 3) that lie inside, seen so: by how often a ray to the right meets the outline."""
        x, y = ((points - self.origin) @ self.frame.T).T
        (ax, ay), (bx, by) = self.flat.T, np.roll(self.flat, -1, axis=0).T
        found = np.zeros(len(points), dtype=bool)
        for start in range(0, len(points), 4096):
            py = y[start : start + 4096, None]
            point, side = np.nonzero((ay <= py) != (by <= py))
            share = (y[start + point] - ay[side]) / (by[side] - ay[side])
            met = ax[side] + share * (bx[side] - ax[side]) > x[start + point]
            found[start : start + 4096] = np.bincount(point[met], minlength=len(py)) % 2 == 1
        return found


@dataclass(frozen=True, eq=False)
class OutlineRing:
    """Places on an outline by their shares (k,) of the way round it, in order. closed (m + 1, 3): its samples, the first
    once more at the end; way (m + 1,) in mm; tree: of its samples. held: those at its sharp corners, which stay.
    """

    closed: Floats
    way: Floats
    shares: Floats
    held: Bools
    tree: scipy.spatial.cKDTree

    @property
    def places(self) -> Floats:
        """The places (k, 3)."""
        return OutlineRings.of([self]).places


@dataclass(eq=False)
class OutlineRings:
    """Several rings (r,), whose places (k,) slide together. shares (k,): of all rings, one after the other; ring (k,): whose
    each place is; lengths (r,) in mm; closed (s, 3): the samples of all; begins (s,): where each is on a way through all.
    """

    rings: list[OutlineRing]
    shares: Floats
    ring: Ints
    lengths: Floats
    closed: Floats
    begins: Floats

    @classmethod
    def of(cls, rings: list[OutlineRing]) -> OutlineRings:
        """Return rings that lie clear of each other, together."""
        sizes = np.array([ring.way[-1] for ring in rings])
        ring = np.repeat(np.arange(len(rings)), [len(one.shares) for one in rings])
        begins = np.concatenate([2.0 * k + one.way / one.way[-1] for k, one in enumerate(rings)])
        closed = np.concatenate([one.closed for one in rings])
        return cls(rings, np.concatenate([one.shares for one in rings]), ring, sizes, closed, begins)

    @cached_property
    def _counts(self) -> Ints:
        """The number of places of each ring (r,)."""
        return np.bincount(self.ring, minlength=len(self.rings))

    @cached_property
    def _held(self) -> Bools:
        """Mark the places (k,) that stay."""
        return np.concatenate([one.held for one in self.rings])

    @cached_property
    def _beside(self) -> tuple[Ints, Ints]:
        """The places (k,) behind and ahead of each on its ring."""
        ends = np.cumsum(self._counts)
        behind, ahead = np.arange(-1, len(self.ring) - 1), np.arange(1, len(self.ring) + 1)
        behind[ends - self._counts], ahead[ends - 1] = ends - 1, ends - self._counts
        return behind, ahead

    @property
    def places(self) -> Floats:
        """The places (k, 3)."""
        at = 2.0 * self.ring + self.shares % 1.0
        step = np.searchsorted(self.begins, at, side="right") - 1
        step -= step == np.append(np.flatnonzero(np.diff(self.begins) > 0.5), len(self.begins) - 1)[self.ring]
        low, high = self.begins[step], self.begins[step + 1]
        share = ((at - low) / np.where(high > low, high - low, 1.0))[:, None]
        return np.asarray((1 - share) * self.closed[step] + share * self.closed[step + 1])

    def slide(self, towards: Floats) -> None:
        """Let each place go some way to that nearest to a point (k, 3) and to its neighbours' middle."""
        parts = np.split(towards, np.cumsum(self._counts)[:-1])
        nearest = np.concatenate(
            [one.way[:-1][one.tree.query(part)[1]] / one.way[-1] for one, part in zip(self.rings, parts, strict=True)]
        )
        step = (1 / self._counts)[self.ring]
        to_near = np.minimum(np.maximum((nearest - self.shares + 0.5) % 1.0 - 0.5, -step), step)
        behind, ahead = self._beside
        before, after = self.shares[behind] - (behind >= np.arange(len(behind))), self.shares[ahead] + 0.0
        after += ahead <= np.arange(len(ahead))
        moved = self.shares + SLID * (to_near + (before + after) / 2 - self.shares) / 2
        moved = np.minimum(np.maximum(moved, before + 0.2 * step), after - 0.2 * step)
        self.shares = np.where(self._held, self.shares, moved)


def ring_for(plane: SeenOutline, border: Floats, outline: Floats) -> OutlineRing:
    """Return as many places on an outline as the border (k, 3) has, even by length, turned to lie nearest.

    A sharp corner of the outline gets a place of its own.
    """
    line = outline[::-1] if plane.backwards else outline
    closed = np.vstack((line, line[:1]))
    way = np.concatenate(([0.0], np.cumsum(lengths(np.diff(closed, axis=0)))))
    count = len(border)
    tree = scipy.spatial.cKDTree(line)
    near = way[:-1][tree.query(border)[1]] / way[-1]
    even = np.arange(count) / count
    shares = even + np.angle(np.exp(2j * np.pi * (near - even)).mean()) / (2 * np.pi)
    corners = way[:-1][sharp_places(line)] / way[-1]
    held = np.zeros(count, dtype=bool)
    if 0 < len(corners) <= count:
        shares, held = _through_corners(shares, corners)
    return OutlineRing(closed, way, shares, held, tree)


def sharp_places(line: Floats) -> Ints:
    """Return the numbers (k,) of the samples at which an outline turns by more than CORNER."""
    ahead = directions(np.roll(line, -1, axis=0) - line)
    turn = np.einsum("ni,ni->n", ahead, np.roll(ahead, 1, axis=0))
    return np.flatnonzero(turn < np.cos(CORNER))


def _through_corners(shares: Floats, corners: Floats) -> tuple[Floats, Bools]:
    """Return shares (k,) of the way round, one at each corner and even between, and which are at corners."""
    count = len(shares)
    first = shares[0]
    wanted = np.sort((corners - first) % 1.0)
    at = np.rint(wanted * count).astype(np.int64)
    for k in range(1, len(at)):
        at[k] = max(at[k], at[k - 1] + 1)
    held = np.zeros(count, dtype=bool)
    if at[-1] - at[0] >= count:
        return shares, held
    numbers = np.concatenate((at, [at[0] + count]))
    ends = np.concatenate((wanted, [wanted[0] + 1.0]))
    every = np.arange(at[0], at[0] + count)
    held[at % count] = True
    # Numbers that went past the last are those of the first places, one way round less.
    result = np.empty(count)
    result[every % count] = np.interp(every, numbers, ends) + first - (every >= count)
    return result, held


def rim_off(outline: Floats, ring: Floats) -> float:
    """Return how far in mm the middles of the rim's edges lie off the outline at most."""
    middles = (ring + np.roll(ring, -1, axis=0)) / 2
    closed = np.vstack((outline, outline[:1]))
    start, run = closed[:-1], np.diff(closed, axis=0)
    nearest = scipy.spatial.cKDTree(outline).query(middles)[1]
    best = np.full(len(middles), np.inf)
    for step in (-1, 0):
        k = (nearest + step) % len(outline)
        share = np.einsum("ni,ni->n", middles - start[k], run[k]) / np.maximum(np.einsum("ni,ni->n", run[k], run[k]), 1e-300)
        best = np.minimum(best, lengths(start[k] + np.clip(share, 0, 1)[:, None] * run[k] - middles))
    return float(best.max())
