"""Fills of flat outlines of the simpler kinds, whose lines run more evenly than those of paired triangles.

An outline with four corners takes a grid, a round one the disc of `pole_cap`, one with a single hole of as many vertices
a ring.
"""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats, first_least
from glass_spoon.kernel.meshing.plane_fill import PlaneFill, evenness, smoothed
from glass_spoon.kernel.meshing.pole_cap import DiscMesh, make_disc

MOST_DISC = 640
"""Most vertices of a rim that is filled by a disc: forty thousand faces, about a second."""

TURNED = 64
"""Vertices of the loop on which turns of a disc are tried."""

MOST_TURNS = 16
"""Places to which the core of a disc is turned."""

CORNER_TURN = np.radians(40)
"""An outline that turns by more at a vertex has a corner there."""


def simple_fills(loops: list[Floats]) -> list[PlaneFill]:
    """Return the fills of the simpler kinds that an outline may take."""
    if len(loops) == 1:
        return _as_grid(loops[0]) or _as_disc(loops[0])
    if len(loops) == 2 and len(loops[0]) == len(loops[1]):
        return _as_ring(loops[0], loops[1])
    return []


def _as_grid(loop: Floats) -> list[PlaneFill]:
    """Return the grid over an outline of four corners with as many vertices on facing sides."""
    back, ahead = loop - np.roll(loop, 1, axis=0), np.roll(loop, -1, axis=0) - loop
    turn = np.arctan2(back[:, 0] * ahead[:, 1] - back[:, 1] * ahead[:, 0], (back * ahead).sum(axis=1))
    corners = np.flatnonzero(turn > CORNER_TURN)
    if len(corners) != 4 or turn.min() < -CORNER_TURN:
        return []
    sizes = np.diff(np.append(corners, corners[0] + len(loop)))
    if sizes[0] != sizes[2] or sizes[1] != sizes[3]:
        return []
    around = np.roll(np.arange(len(loop)), -corners[0])
    across, up = int(sizes[0]), int(sizes[1])
    rim = np.append(around, around[0])
    low, right = rim[: across + 1], rim[across : across + up + 1]
    high, left = rim[across + up : 2 * across + up + 1][::-1], rim[2 * across + up :][::-1]
    s, t = np.linspace(0, 1, across + 1)[:, None], np.linspace(0, 1, up + 1)[None, :]
    points = np.empty((across + 1, up + 1, 2))
    for axis in (0, 1):
        edge = [loop[side, axis] for side in (low, high, left, right)]
        # Coons' patch: both ruled surfaces less the bilinear one through the corners.
        points[..., axis] = (
            (1 - t) * edge[0][:, None] + t * edge[1][:, None] + (1 - s) * edge[2] + s * edge[3]
            - (1 - s) * (1 - t) * edge[0][0] - s * (1 - t) * edge[0][-1] - (1 - s) * t * edge[1][0] - s * t * edge[1][-1]
        )  # fmt: skip
    numbers = np.empty((across + 1, up + 1), dtype=np.int64)
    numbers[1:-1, 1:-1] = len(loop) + np.arange((across - 1) * (up - 1)).reshape(across - 1, up - 1)
    numbers[:, 0], numbers[:, -1], numbers[0], numbers[-1] = low, high, left, right
    placed = np.concatenate((loop, points[1:-1, 1:-1].reshape(-1, 2)))
    faces = np.stack((numbers[:-1, :-1], numbers[1:, :-1], numbers[1:, 1:], numbers[:-1, 1:]), axis=2).reshape(-1, 4)
    return [PlaneFill(placed, faces)]


def _as_disc(loop: Floats) -> list[PlaneFill]:
    """Return the disc over an outline that its middle sees all of, its core turned to where its corners fit best."""
    count = len(loop)
    middle = _area_middle(loop)
    rays = loop - middle
    ahead = np.roll(rays, -1, axis=0)
    if count > MOST_DISC or (rays[:, 0] * ahead[:, 1] - rays[:, 1] * ahead[:, 0]).min() <= 0:
        return []
    disc = make_disc(count)
    shift = _best_turn(loop, middle)
    points = _laid_on(disc, loop, middle, shift)
    number = np.concatenate(((np.arange(count) + shift) % count, np.arange(count, len(points))))
    points[:count] = loop
    return [smoothed(PlaneFill(points, number[disc.faces]), count)]


def _laid_on(disc: DiscMesh, loop: Floats, middle: Floats, shift: int) -> Floats:
    """Return the points of a disc drawn along rays to a loop with as many vertices, turned by `shift` of them."""
    count = len(loop)
    place = np.arctan2(disc.places[:, 1], disc.places[:, 0]) % (2 * np.pi) / (2 * np.pi) * count
    place[:count] = np.arange(count)
    closed = np.vstack((loop, loop[:1]))
    at = (place + shift) % count
    on_rim = np.column_stack([np.interp(at, np.arange(count + 1), closed[:, axis]) for axis in (0, 1)])
    points: Floats = middle + np.hypot(*disc.places.T)[:, None] * (on_rim - middle)
    return points


def _best_turn(loop: Floats, middle: Floats) -> int:
    """Return by how many vertices a disc is turned for its faces to be squarest; tried on a coarser loop of a large one."""
    count = len(loop)
    some = min(count, TURNED)
    coarse = loop[np.arange(some) * count // some]
    disc = make_disc(some)
    turns = range(0, some, max(1, some // MOST_TURNS))
    even = [evenness(_laid_on(disc, coarse, middle, shift), disc.faces) for shift in turns]
    return turns[int(first_least(-np.array(even), 1e-6))] * count // some


def _as_ring(loop: Floats, hole: Floats) -> list[PlaneFill]:
    """Return rings of quads between an outline and a hole with as many vertices, which its middle sees all of."""
    count = len(loop)
    inner = hole[::-1]
    middle = _area_middle(inner)
    angle = [np.unwrap(np.arctan2(*(part - middle).T[::-1])) for part in (loop, inner)]
    if min(float(np.diff(np.append(turn, turn[0] + 2 * np.pi)).min()) for turn in angle) <= 0:
        return []
    first = [np.mod(turn, 2 * np.pi) for turn in angle]
    # Of all ways to start the hole the one whose lines lean least.
    leans = [np.abs(np.angle(np.exp(1j * (np.roll(first[1], -shift) - first[0])))).sum() for shift in range(count)]
    shift = int(first_least(leans, 1e-6))
    order = (np.arange(count) + shift) % count
    gap = float(np.hypot(*(loop - inner[order]).T).mean())
    step = float(
        (np.hypot(*(np.roll(loop, -1, axis=0) - loop).T).mean() + np.hypot(*(np.roll(inner, -1, 0) - inner).T).mean()) / 2
    )
    rows = max(1, round(gap / step))
    shares = np.linspace(0, 1, rows + 1)[1:-1, None, None]
    rings = loop + shares * (inner[order] - loop)
    outline = np.arange(count)
    inside = 2 * count + np.arange(count * (rows - 1)).reshape(rows - 1, count)
    rim = 2 * count - 1 - order
    numbers = np.vstack((outline, inside, rim))
    following = np.roll(numbers, -1, axis=1)
    faces = np.stack((numbers[:-1], following[:-1], following[1:], numbers[1:]), axis=2).reshape(-1, 4)
    return [PlaneFill(np.concatenate((loop, hole, rings.reshape(-1, 2))), faces)]


def _area_middle(loop: Floats) -> Floats:
    """Return the centroid (2,) of the area of a loop."""
    ahead = np.roll(loop, -1, axis=0)
    twice = loop[:, 0] * ahead[:, 1] - loop[:, 1] * ahead[:, 0]
    middle: Floats = ((loop + ahead) * twice[:, None]).sum(axis=0) / (3 * twice.sum())
    return middle
