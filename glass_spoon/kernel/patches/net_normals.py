"""The normals of a net: at its meetings, and along the stretches between them."""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats, cross, directions, lengths
from glass_spoon.kernel.curves.evaluate.least_twist import carried
from glass_spoon.kernel.patches.stretch import Stretch

PARALLEL = 0.02
"""Sine of the angle up to which curves at a meeting span no plane."""
TWISTED = 0.3
"""How much an even turn of the normals weighs beside the bends of the curves."""


def meeting_normals(meetings: Floats, stretches: list[Stretch]) -> Floats:
    """Return unit normals (n, 3) at the meetings, all to one side: of the plane that the stretches there span."""
    ways: list[list[Floats]] = [[] for _ in meetings]
    for one in stretches:
        for node, way in zip((one.start, one.end), one.ways, strict=True):
            ways[node].append(way)
    normals = np.full((len(meetings), 3), np.nan)
    for node, own in enumerate(ways):
        if len(own) > 1:
            _, spread, axes = np.linalg.svd(np.array(own))
            if len(spread) > 1 and spread[1] > PARALLEL:
                normals[node] = axes[2]
    around: list[list[_Leaving]] = [[] for _ in meetings]
    for one, turn in zip(stretches, _turns(stretches), strict=True):
        around[one.start].append((one.end, one, turn))
        around[one.end].append((one.start, one, turn.T))
    _face_alike(normals, around)
    return normals


_Leaving = tuple[int, Stretch, Floats]
"""A meeting that a stretch leads to, the stretch, and the turn (3, 3) that takes what is square to it there."""


def _turns(stretches: list[Stretch]) -> Floats:
    """Return the turns (n, 3, 3) that carry what is square to stretches from their starts to their ends, square all the
    way: it turns about them as little as may be.
    """
    steps = directions(np.diff(np.array([one.places[1] for one in stretches]), axis=1))
    first, last = steps[:, 0], steps[:, -1]
    axis = np.eye(3)[np.abs(first).argmin(axis=1)]
    start = end = directions(cross(first, axis))
    for step in steps.transpose(1, 0, 2)[1:]:  # all stretches at once
        end = directions(_square(end, step))
    begun, ended = (np.stack((way, up, cross(way, up)), axis=2) for way, up in ((first, start), (last, end)))
    return np.asarray(ended @ begun.transpose(0, 2, 1))


def _face_alike(normals: Floats, around: list[list[_Leaving]]) -> None:
    """Turn normals to one side, from meeting to meeting; those not known yet are carried along the stretches."""
    known = np.isfinite(normals[:, 0])
    seen: set[int] = set()
    for seed in [*np.flatnonzero(known).tolist(), *range(len(normals))]:
        if seed in seen or not around[seed]:
            continue
        if not np.isfinite(normals[seed]).all():
            normals[seed] = _some_normal(around[seed][0])
        if (
            seed == next(iter(np.flatnonzero(known).tolist()), seed)
            and normals[seed][int(np.abs(normals[seed]).argmax())] < 0
        ):
            normals[seed] = -normals[seed]
        seen.add(seed)
        queue = deque([seed])
        while queue:
            node = queue.popleft()
            for other, _, turn in around[node]:
                if other in seen:
                    continue
                taken = turn @ normals[node]
                if np.isfinite(normals[other]).all():
                    normals[other] = normals[other] if normals[other] @ taken >= 0 else -normals[other]
                else:
                    normals[other] = taken
                seen.add(other)
                queue.append(other)


def _some_normal(leaving: _Leaving) -> Floats:
    """Return a normal square to a stretch where it leaves: that of the plane nearest to it, if it is not straight."""
    other, one, _ = leaving
    way = one.ways[1 if other == one.start != one.end else 0]
    points = one.places[1]
    middle = points - points.mean(axis=0)
    _, spread, axes = np.linalg.svd(middle, full_matrices=False)
    axis = axes[2] if spread[1] > PARALLEL * spread[0] else np.eye(3)[int(np.abs(way).argmin())]
    square = axis - (axis @ way) * way
    length = float(np.linalg.norm(square))
    return (
        np.asarray(square / length) if length > PARALLEL else directions(np.cross(way, np.eye(3)[int(np.abs(way).argmin())]))
    )


@dataclass(frozen=True, eq=False)
class Frames:
    """Frames along stretches (n) that twist least (Bishop 1975), from the normals at their starts.

    params, totals: (n, PLACES) parameters, and lengths so far in mm. along, normals: unit directions (n, PLACES, 3).
    angles: (n,) radians by which the normals at the ends are turned from them.
    """

    params: Floats
    totals: Floats
    along: Floats
    normals: Floats
    angles: Floats

    @property
    def lengths(self) -> Floats:
        """The lengths (n,) of the stretches in mm."""
        return self.totals[:, -1]


def carry_frames(stretches: Sequence[Stretch], normals: Floats) -> Frames:
    """Return the frames of stretches between meetings with unit normals (n, 3)."""
    params = np.array([one.places[0] for one in stretches])
    points = np.array([one.places[1] for one in stretches])
    ways = np.array([one.ways for one in stretches])
    along = directions(np.gradient(points, axis=1))
    along[:, 0], along[:, -1] = ways[:, 0], -ways[:, 1]
    steps = np.diff(points, axis=1)
    totals = np.concatenate((np.zeros((len(points), 1)), np.cumsum(lengths(steps), axis=1)), axis=1)
    moved = np.empty_like(points)
    moved[:, 0] = _square(normals[[one.start for one in stretches]], along[:, 0])
    for k in range(points.shape[1] - 1):  # all stretches at once
        moved[:, k + 1] = _square(carried(moved[:, k], steps[:, k], along[:, k], along[:, k + 1]), along[:, k + 1])
    last = _square(normals[[one.end for one in stretches]], along[:, -1])
    turned = np.arctan2(_dot(last, cross(along[:, -1], moved[:, -1])), _dot(last, moved[:, -1]))
    return Frames(params, totals, along, moved, turned)


def turned_normals(frames: Frames, first: Floats, last: Floats) -> Floats:
    """Return unit normals (n, PLACES, 3) that lead from those at the starts to those at the ends.

    first, last: (n,) how fast they turn there, rad/mm; they run as a cubic in between.
    """
    length = frames.lengths[:, None]
    t = frames.totals / length
    ends = length * (first[:, None] * t * (1 - t) ** 2 + last[:, None] * t * t * (t - 1))
    angle = (ends + frames.angles[:, None] * t * t * (3 - 2 * t))[..., None]
    side = cross(frames.along, frames.normals)
    return directions(np.cos(angle) * frames.normals + np.sin(angle) * side)


def end_turns(stretches: Sequence[Stretch], frames: Frames, normals: Floats, bends: Floats) -> tuple[Floats, Floats]:
    """Return how fast the normals turn about the stretches at both ends (n,), rad/mm, where bends (m, 3, 3) are known.

    There they are symmetric, so that patches on both sides of both curves meet without a crease.
    """
    found = []
    for end, nodes in ((0, [one.start for one in stretches]), (-1, [one.end for one in stretches])):
        way = frames.along[:, end]
        found.append(-np.einsum("ni,nij,nj->n", way, bends[nodes], cross(way, normals[nodes])))
    return found[0], found[1]


def meeting_bends(stretches: Sequence[Stretch], frames: Frames, normals: Floats) -> Floats:
    """Return second fundamental forms (m, 3, 3) in 1/mm at the meetings: they have the bends of all stretches there, and
    turn nearest to evenly along them.
    """
    nodes = np.array([[one.start, one.end] for one in stretches]).T.ravel()
    along = np.concatenate((frames.along[:, 0], frames.along[:, -1]))
    own = np.array([one.bends for one in stretches]).transpose(1, 0, 2).reshape(-1, 3)
    right = directions(cross(np.eye(3)[np.abs(normals).argmin(axis=1)], normals))  # the finite ones alone are used
    axes = np.stack((right, cross(normals, right)), axis=1)
    first = np.einsum("nki,ni->nk", axes[nodes], along)
    second = np.stack((first[:, 1], -first[:, 0]), axis=1)  # a quarter turn to the right of it
    straight = np.stack((first[:, 0] ** 2, first[:, 1] ** 2, 2 * first[:, 0] * first[:, 1]), axis=1)
    mixed = np.stack((first * second).T, axis=1)
    mixed = np.column_stack((mixed, first[:, 0] * second[:, 1] + first[:, 1] * second[:, 0]))
    even = np.tile(-TWISTED * frames.angles / frames.lengths, 2)
    rows, aims = np.stack((straight, TWISTED * mixed), axis=1), np.stack((_dot(own, normals[nodes]), even), axis=1)
    bends = np.zeros((len(normals), 3, 3))
    order = np.argsort(nodes, kind="stable")
    for ends in np.split(order, np.flatnonzero(np.diff(nodes[order])) + 1):
        node = int(nodes[ends[0]])
        if not np.isfinite(normals[node]).all():
            continue
        a, b, c = np.linalg.lstsq(rows[ends].reshape(-1, 3), aims[ends].ravel(), rcond=None)[0]
        bends[node] = axes[node].T @ np.array([[a, c], [c, b]]) @ axes[node]
    return bends


def _dot(a: Floats, b: Floats) -> Floats:
    """Return the products (n,) of rows of vectors (n, 3)."""
    return np.asarray(np.einsum("ni,ni->n", a, b))


def _square(normals: Floats, along: Floats) -> Floats:
    """Return normals (n, 3) made square to directions (n, 3)."""
    square = normals - _dot(normals, along)[:, None] * along
    size = lengths(square)[:, None]
    return np.where(size > 1e-9, square / np.where(size > 1e-9, size, 1.0), normals)
