"""Patches of quads in place of a corner: as many sides as meet there, each of as many steps, on a ball where their rims lie
on one.
"""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints

ON_BALL = 1e-6
"""Rims lie on a ball that they miss by no more than this share of its radius."""


def patch(sides: int, steps: int) -> tuple[list[Ints], Floats]:
    """Return the faces of a patch whose rim has some sides of as many steps, and the weights (k, rim) of its inner points.

    Each corner has a square grid of half the steps; an odd count leaves a row between them, and a face of as many sides as
    the patch in the middle. Rim points are numbered first, from each corner on.
    """
    half = steps // 2
    odd = steps % 2
    count = sides * steps
    numbers: dict[tuple[int, int, int], int] = {}
    weights: list[Floats] = []

    def rim(at: int) -> int:
        return at % count

    def inner(side: int, i: int, j: int) -> int:
        """Return the number of a point of the grid of a corner: i along its own side, j along the one before it."""
        if j == 0:
            return rim(side * steps + i)
        if i == 0:
            return rim(side * steps - j)
        if not odd and i == half and j == half:
            side, i, j = 0, half, half
        elif not odd and j == half:  # on the spoke between this corner's grid and that before it
            side, i, j = (side - 1) % sides, half, i
        key = (side, i, j)
        if key not in numbers:
            numbers[key] = count + len(numbers)
            weights.append(_mixed(side, i, j, sides, steps))
        return numbers[key]

    quads = [
        (inner(k, i, j), inner(k, i + 1, j), inner(k, i + 1, j + 1), inner(k, i, j + 1))
        for k in range(sides)
        for i in range(half)
        for j in range(half)
    ]
    faces: list[Ints] = []
    if odd:
        for k in range(sides):
            ahead = (k + 1) % sides
            quads += [
                (inner(k, half, j), inner(ahead, j, half), inner(ahead, j + 1, half), inner(k, half, j + 1))
                for j in range(half)
            ]
        faces.append(np.array([[inner(k, half, half) for k in range(sides)]]))
    faces.insert(0, np.array(quads, dtype=np.int64))
    return [part for part in faces if len(part)], np.array(weights).reshape(len(weights), count)


def _mixed(side: int, i: int, j: int, sides: int, steps: int) -> Floats:
    """Return the weights (rim,) of an inner point: between the rim points that face it across the patch."""
    count = sides * steps
    half = steps / 2
    result = np.zeros(count)
    middle = np.full(count, 1.0 / count)
    u, v = i / half, j / half
    low, high = np.zeros(count), np.zeros(count)
    low[(side * steps + i) % count] = 1.0
    high[(side * steps - j) % count] = 1.0
    corner = np.zeros(count)
    corner[(side * steps) % count] = 1.0
    # Coons over the grid of the corner; its inner sides run straight from the middles of the rim's sides to the middle.
    own, other = np.zeros(count), np.zeros(count)
    for target, at in ((own, side * steps + half), (other, side * steps - half)):
        target[int(np.floor(at)) % count] += 0.5
        target[int(np.ceil(at)) % count] += 0.5
    right = (1 - v) * own + v * middle
    top = (1 - u) * other + u * middle
    ruled_v = (1 - v) * low + v * top
    ruled_u = (1 - u) * high + u * right
    plain = (1 - u) * (1 - v) * corner + u * (1 - v) * own + (1 - u) * v * other + u * v * middle
    result += ruled_u + ruled_v - plain
    return result


def balls(points: Floats) -> tuple[Floats, Floats]:
    """Return the middles (c, 3) and radii (c,) of the balls on which rows of points (c, k, 3) lie; radius 0 for none."""
    middle = points.mean(axis=1, keepdims=True)
    away = points - middle
    size = np.maximum(np.abs(away).max(axis=(1, 2)), 1e-300)[:, None, None]
    rows = np.concatenate((2 * away / size, np.ones((*points.shape[:2], 1))), axis=2)
    wanted = ((away / size) ** 2).sum(axis=2)
    values, vectors = np.linalg.eigh(np.einsum("cki,ckj->cij", rows, rows))
    fixed = values[:, 0] > 1e-9 * values[:, -1]
    inverse = np.where(fixed[:, None], 1 / np.maximum(values, 1e-300), 0.0)
    right = np.einsum("cki,ck->ci", rows, wanted)
    found = np.einsum("cij,cj->ci", vectors, np.einsum("cij,ci->cj", vectors, right) * inverse)
    radius = np.sqrt(np.maximum(found[:, 3] + (found[:, :3] ** 2).sum(axis=1), 0.0)) * size[:, 0, 0]
    centre = middle[:, 0] + size[:, 0] * found[:, :3]
    off = np.abs(np.linalg.norm(points - centre[:, None], axis=2) - radius[:, None]).max(axis=1)
    return centre, np.where(fixed & (off <= ON_BALL * radius), radius, 0.0)
