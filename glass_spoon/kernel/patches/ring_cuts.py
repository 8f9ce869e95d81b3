"""Where a ring between a boundary and that of a hole in it is cut across: at the corners of both, and evenly between."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.errors import KernelError, place_text
from glass_spoon.kernel.patches.region import Loop

PLACES = 720
"""Places of each boundary that are looked at."""
BESIDE = 0.45
"""Share of the mean way between corners within which those of both lie across from each other."""
TOUCHING = 1 / PLACES
"""Share of the boundary's length within which both meet."""
NARROW = 0.02
"""Share of a boundary's length below which two jumps of its bend are cut as one."""
MOST_CUTS = 12
"""Most corners and jumps of a boundary at which it is cut; of more, jumps are left."""
WIDEST = 0.3
"""Largest share of the way round between cuts."""


@dataclass(frozen=True)
class Place:
    """A place of a boundary: a share of one of its sides by number; a corner is 0 of the side that begins there."""

    side: int
    share: float


def cuts_across(outer: Loop, inner: Loop) -> list[tuple[Place, Place]]:
    """Return the places on both boundaries, which run the same way round, between which to cut, in their order.

    Raises KernelError where one does not lie round the other, or they meet.
    """
    one, other = (_Round(loop) for loop in (outer, inner))
    axis, middle = outer.normal, other.points.mean(axis=0)
    turns = [each.turns(axis, middle) for each in (one, other)]
    if round(float(turns[0][-1] - turns[0][0])) != 1:
        raise KernelError("Its two loops lie beside each other, not one round the other. Patch each alone, or Loft them.")
    away, places = (np.asarray(found) for found in scipy.spatial.cKDTree(other.points).query(one.points))
    if away.min() < TOUCHING * outer.length:
        raise KernelError(
            f"The hole meets the boundary at {place_text(one.points[away.argmin()])}: make it smaller, or move it inwards."
        )
    if any((np.diff(found) <= 0).any() for found in turns):
        first = int(away.argmin())
        turns = [one.shares - one.shares[first], other.shares - other.shares[places[first]]]
    for each, phases in zip((one, other), turns, strict=True):
        each.set_phases(phases)
    ends = _ends(one.corners, other.corners, BESIDE / max(len(one.corners), len(other.corners), 1))
    if min(gap for _, _, _, gap in _gaps(ends)) <= 0:
        ends = _ends(one.corners, other.corners, 0.0)  # corners across from each other in another order: each for itself
    every = []
    for a, b, along, beside in _gaps(ends):
        count = max(1, int(np.ceil(along / WIDEST - 1e-9)))
        every += [(a + along * k / count, b + beside * k / count) for k in range(count)]
    return [(one.place(a), other.place(b)) for a, b in every]


def kept_apart(shares: list[float], *, keep: bool) -> list[float]:
    """Return shares of a way round, in order, of which those nearer than NARROW are one half way; keep: the first stays."""
    found = list(shares)
    while len(found) > 1:
        gaps = np.diff([*found, 1.0 + found[0]])
        nearest = int(gaps.argmin())
        if gaps[nearest] >= NARROW:
            break
        after = (nearest + 1) % len(found)
        middle = (found[nearest] + float(gaps[nearest]) / 2) % 1.0
        middle = found[0] if keep and 0 in (nearest, after) else middle
        found = sorted([*(share for k, share in enumerate(found) if k not in (nearest, after)), middle])
    return found


def _ends(corners: list[float], others: list[float], beside: float) -> list[tuple[float, float]]:
    """Return the phases on both boundaries of cuts at their corners: one for two within a share beside each other."""
    found, left = [], list(others)
    for phase in corners:
        near = min(left, key=lambda there: _apart(there, phase), default=None)
        if near is not None and _apart(near, phase) <= beside:
            left.remove(near)
            found.append((phase, near))
        else:
            found.append((phase, phase))
    return sorted([*found, *((phase, phase) for phase in left)]) or [(0.0, 0.0)]


def _gaps(ends: list[tuple[float, float]]) -> list[tuple[float, float, float, float]]:
    """Return each cut's phases, and how far the next lies from it on both boundaries."""
    result = []
    for (a, b), (c, d) in pairwise([*ends, (ends[0][0] + 1, ends[0][1] + 1)]):
        result.append((a, b, c - a, d - b + round(c - a - (d - b))))
    return result


def _apart(a: float, b: float) -> float:
    return abs((a - b + 0.5) % 1 - 0.5)


class _Round:
    """A boundary with the share of its length (PLACES + 1,) and points there, both ends, and a phase to it."""

    def __init__(self, loop: Loop) -> None:
        self.loop = loop
        ends = np.concatenate(([0.0], np.cumsum([side.length for side in loop.sides])))
        self.ends = ends / ends[-1]
        even = np.linspace(0, 1, PLACES + 1)
        between = even[np.abs(even[:, None] - self.ends).min(axis=1) > 1e-6]
        self.shares = np.sort(np.concatenate((between, self.ends)))
        which = np.clip(np.searchsorted(self.ends, self.shares, side="right") - 1, 0, len(loop.sides) - 1)
        self.points = np.empty((len(self.shares), 3))
        for number, side in enumerate(loop.sides):
            own = which == number
            low, high = self.ends[number : number + 2]
            self.points[own] = side.points((self.shares[own] - low) / (high - low))

    def turns(self, axis: Floats, middle: Floats) -> Floats:
        """Return by what share of a turn about an axis through a middle each place has gone on."""
        right = np.cross(axis, np.eye(3)[int(np.abs(axis).argmin())])
        right /= np.linalg.norm(right)
        arm = self.points - middle
        return np.asarray(np.unwrap(np.arctan2(arm @ np.cross(axis, right), arm @ right)) / (2 * np.pi))

    def set_phases(self, phases: Floats) -> None:
        """Take what place has which phase, rising by one from the first to the last place."""
        self.phases = phases
        smooth = len(self.loop.sides) == 1 and abs(float(self.loop.angles[0]) - np.pi) < 0.4
        corners = [] if smooth else np.interp(self.ends[:-1], self.shares, phases).tolist()
        self._sides = {corner % 1: side for side, corner in enumerate(corners)}
        sudden = list[float]()
        for side, (low, high) in zip(self.loop.sides, pairwise(self.ends), strict=True):
            sudden += (low + side.jumps * (high - low)).tolist()
        if smooth and self.loop.sides[0].jumps_at_start:
            sudden = [0.0, *sudden]
        sudden = kept_apart(sorted(sudden), keep=False)
        if len(sudden) + len(corners) > MOST_CUTS:
            sudden = []
        self.corners = sorted([*self._sides, *(phase % 1 for phase in np.interp(sudden, self.shares, phases).tolist())])

    def place(self, phase: float) -> Place:
        """Return the place at a phase; a corner's own is given back exactly."""
        for corner, side in self._sides.items():
            if _apart(corner, phase) < 1e-9:
                return Place(side, 0.0)
        first = float(self.phases[0])
        share = float(np.interp((phase - first) % 1 + first, self.phases, self.shares)) % 1
        side = int(np.clip(np.searchsorted(self.ends, share, side="right") - 1, 0, len(self.loop.sides) - 1))
        return Place(side, (share - self.ends[side]) / (self.ends[side + 1] - self.ends[side]))
