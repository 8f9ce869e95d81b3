"""Boxes of faces, and which of them meet: a tree of boxes over the faces along a space-filling curve (Morton, 1966;
Lauterbach and others, Fast BVH construction on GPUs, 2009).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import AnyInts, Floats, Ints
from glass_spoon.kernel.compiled import compiled

FAN = 4
"""Boxes under each box of the tree."""

_CELLS = 1024
"""Cells along each axis by which boxes are put in order."""

_STACK = 256
"""Boxes that wait at most: with FAN under each, enough for any number of faces."""


@dataclass(frozen=True, eq=False)
class BoxTree:
    """Boxes in the order of a curve through space, and the boxes over every FAN of them, over every FAN of those, and so on.

    order (n,): the number that each box had. boxes (m, 6): lower and upper corners in mm, level by level from the leaves on,
    of which there are two or more. starts (levels + 1,): the first box of each level, and the number of all.
    """

    order: Ints
    boxes: Floats
    starts: Ints


def tree_of_boxes(low: Floats, high: Floats) -> BoxTree:
    """Return the tree over boxes with lower and upper corners (n, 3) in mm, n at least 1."""
    order = np.argsort(_curve_places(low, high), kind="stable")
    counts = [len(order)]
    while counts[-1] > 1 or len(counts) < 2:
        counts.append(-(-counts[-1] // FAN))
    starts = np.concatenate(([0], np.cumsum(counts)))
    return BoxTree(order, _fill_boxes(low, high, order, starts), starts)


def meeting_pairs(first: BoxTree, second: BoxTree) -> Ints:
    """Return pairs (k, 2) of boxes of two trees that meet; of a tree with itself each pair once, and no box with itself."""
    return _meet(first.order, first.boxes, first.starts, second.order, second.boxes, second.starts, first is second)


@compiled
def face_boxes(positions: Floats, corners: AnyInts, offsets: AnyInts) -> tuple[Floats, Floats]:
    """Return lower and upper corners (f, 3) in mm of the boxes of faces; their corners start at `offsets` (f + 1,)."""
    count = len(offsets) - 1
    low, high = np.empty((count, 3)), np.empty((count, 3))
    for face in range(count):
        for axis in range(3):
            least = most = positions[corners[offsets[face]], axis]
            for corner in range(offsets[face] + 1, offsets[face + 1]):
                value = positions[corners[corner], axis]
                least, most = min(least, value), max(most, value)
            low[face, axis], high[face, axis] = least, most
    return low, high


@compiled
def _curve_places(low: Floats, high: Floats) -> Ints:
    """Return the place of the middle of each box along Morton's curve: the bits of the numbers of its cell in turn."""
    least, most = low[0] + high[0], low[0] + high[0]
    for row in range(len(low)):
        for axis in range(3):
            twice = low[row, axis] + high[row, axis]
            least[axis], most[axis] = min(least[axis], twice), max(most[axis], twice)
    span = (most - least).max()
    scale = (_CELLS - 1) / span if span > 0 else 0.0
    places = np.zeros(len(low), dtype=np.int64)
    for row in range(len(low)):
        for axis in range(3):
            cell = int((low[row, axis] + high[row, axis] - least[axis]) * scale)
            for bit in range(10):
                places[row] |= ((cell >> bit) & 1) << (3 * bit + axis)
    return places


@compiled
def _fill_boxes(low: Floats, high: Floats, order: Ints, starts: Ints) -> Floats:
    """Return the boxes (m, 6) of all levels."""
    boxes = np.empty((starts[-1], 6))
    for row in range(len(order)):
        boxes[row, :3], boxes[row, 3:] = low[order[row]], high[order[row]]
    for level in range(1, len(starts) - 1):
        for node in range(starts[level], starts[level + 1]):
            begin = starts[level - 1] + (node - starts[level]) * FAN
            boxes[node] = boxes[begin]
            for under in range(begin + 1, min(begin + FAN, starts[level])):
                for axis in range(3):
                    boxes[node, axis] = min(boxes[node, axis], boxes[under, axis])
                    boxes[node, axis + 3] = max(boxes[node, axis + 3], boxes[under, axis + 3])
    return boxes


@compiled
def _meet(
    order: Ints,
    boxes: Floats,
    starts: Ints,
    others: Ints,
    beside: Floats,
    levels: Ints,
    own: bool,  # noqa: FBT001  (compiled functions take no keywords alone)
) -> Ints:
    """Return the pairs of leaves that meet: for each box over FAN leaves of the first tree, the second is walked down from
    the top to the leaves that meet it, and these are held against its own.
    """
    found = np.empty((8 * len(order) + FAN, 2), dtype=np.int64)
    count = 0
    nodes, depths = np.empty(_STACK, dtype=np.int64), np.empty(_STACK, dtype=np.int64)
    for group in range(starts[1], starts[2]):
        first = (group - starts[1]) * FAN
        last = min(first + FAN, len(order))
        x0, y0, z0 = boxes[group, 0], boxes[group, 1], boxes[group, 2]
        x1, y1, z1 = boxes[group, 3], boxes[group, 4], boxes[group, 5]
        waiting = 1
        nodes[0], depths[0] = levels[-2], len(levels) - 2
        while waiting:
            waiting -= 1
            node, depth = nodes[waiting], depths[waiting]
            begin = levels[depth - 1] + (node - levels[depth]) * FAN
            leaves = FAN ** (depth - 1)
            for under in range(begin, min(begin + FAN, levels[depth])):
                u0, v0, w0 = beside[under, 0], beside[under, 1], beside[under, 2]
                u1, v1, w1 = beside[under, 3], beside[under, 4], beside[under, 5]
                meets = (u0 <= x1) & (v0 <= y1) & (w0 <= z1) & (u1 >= x0) & (v1 >= y0) & (w1 >= z0)
                if not meets or (own and (under - levels[depth - 1] + 1) * leaves <= first):
                    continue
                if depth > 1:
                    nodes[waiting], depths[waiting] = under, depth - 1
                    waiting += 1
                    continue
                if count + FAN > len(found):
                    longer = np.empty((2 * len(found), 2), dtype=np.int64)
                    longer[:count] = found[:count]
                    found = longer
                for leaf in range(first, min(last, under) if own else last):
                    found[count, 0], found[count, 1] = order[leaf], others[under]
                    meets = (u0 <= boxes[leaf, 3]) & (v0 <= boxes[leaf, 4]) & (w0 <= boxes[leaf, 5])
                    count += meets & (u1 >= boxes[leaf, 0]) & (v1 >= boxes[leaf, 1]) & (w1 >= boxes[leaf, 2])
    return found[:count]
