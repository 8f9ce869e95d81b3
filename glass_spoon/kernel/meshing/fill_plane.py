"""Quads that fill a flat outline, with or without holes, without changing its rim.

      o---o---o      1 every second vertex of the rim makes a coarse outline, filled with triangles
      |   |   |      2 neighbouring triangles are paired to quads, best first
      o---+---o      3 each face is divided about its middle: a triangle into three quads, a quad into four; the middles
      |   |   |        of the rim's edges are the vertices left out at first
      o---o---o      4 inner vertices are moved to the middle of their neighbours as long as no face turns over

Outlines of a simpler kind take the lines of `fill_simple`; the best shaped of what fits is taken.
"""

from __future__ import annotations

from functools import partial

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.mesh_edits.pair_triangles import best_matching
from glass_spoon.kernel.meshing.fill_alike import symmetric_fill
from glass_spoon.kernel.meshing.fill_simple import simple_fills
from glass_spoon.kernel.meshing.plane_fill import (
    STRAIGHT,
    PlaneFill,
    goodness,
    least_angle,
    opened,
    smoothed,
    worst_cosine,
)
from glass_spoon.kernel.meshing.rim_rows import rim_rows
from glass_spoon.kernel.meshing.triangulate_plane import triangulate_plane
from glass_spoon.kernel.remembered import Remembered

GOOD_ANGLE = np.radians(18)
"""Worst angle that a fill of a simpler kind may have; below it triangles are paired."""

SQUARE_ENOUGH = 0.94
"""Largest cosine of a corner of a quad of two triangles."""

GOOD_ENOUGH = float(np.radians(44.9))
"""The worst angle with which a symmetric fill, or one with rows along its rims, is taken at once."""

FEW = 8
"""Vertices of an outline that is too small to be cut in parts."""

CORNER = float(np.radians(40))
"""A rim that turns by more at a vertex has a corner there; by less, it runs on."""

DIGITS = 10
"""Digits of outlines that count: with more, what is symmetric would be filled by chance, otherwise at another size."""


def fill_plane(loops: list[Floats]) -> PlaneFill:
    """Return quads that fill the area on the left of closed loops, each (n, 2) of an even count of at least four.

    The first loop is the outline, counter-clockwise; others are holes, clockwise. Raises KernelError for loops that cross.
    """
    if any(len(loop) % 2 or len(loop) < 4 for loop in loops):
        raise KernelError("A rim to be filled with quads needs an even count of edges, four at least.")
    low = loops[0].min(axis=0)
    size = float(np.ptp(loops[0], axis=0).max())
    if not size > 0:
        raise KernelError("The outline has no area to fill. Draw it wider.")
    unit = [np.round((loop - low) / size, DIGITS) + 0.0 for loop in loops]
    fill = _fills.get(tuple(loop.tobytes() for loop in unit), lambda: _fill_unit(unit))
    rim = np.concatenate(loops)
    return PlaneFill(np.concatenate((rim, low + fill.points[len(rim) :] * size)), fill.faces)


_fills: Remembered[PlaneFill] = Remembered(32)
"""The fills of the outlines that came last, at size one: slats and tiles of one shape are filled once."""


def _fill_unit(loops: list[Floats], depth: int = 0) -> PlaneFill:
    """Fill an outline of size one, or a part of one that was cut `depth` times."""
    simple = max(simple_fills(loops), key=least_angle, default=None)
    fixed = sum(len(loop) for loop in loops)
    fewest = min(len(loop) for loop in loops) == 4  # every second vertex of it would be no outline
    if simple is not None and least_angle(simple) > (0.0 if fewest else GOOD_ANGLE):
        return simple
    if fewest:
        raise KernelError("A rim of four edges is too coarse for the shape of its flat end. Use shorter edges there.")
    alike = None
    if len(loops) > 1 or len(loops[0]) > FEW:
        alike = symmetric_fill(loops, partial(_fill_unit, depth=depth + 1), GOOD_ENOUGH, depth)
    if alike is not None and least_angle(alike) >= GOOD_ENOUGH:
        return alike
    rows = _with_rows(loops)
    if rows is not None:
        rows = opened(smoothed(rows, fixed), fixed)
        if least_angle(rows) >= GOOD_ENOUGH:
            return rows
    fill = _paired_fill(loops)
    if least_angle(fill) <= STRAIGHT:
        # Where a tip is narrow it matters which of its vertices the coarse outline has: the others are tried.
        other = _turned_back(_filled_from([np.roll(loop, -1, axis=0) for loop in loops]), loops, [1] * len(loops))
        fill = max((fill, other), key=_soundness)
    found = [opened(fill, fixed), *(one for one in (rows, alike) if one is not None)]
    return max(found, key=goodness)


def _with_rows(loops: list[Floats]) -> PlaneFill | None:
    """Return a fill with a row of quads along rims, and what they leave filled by pairs; None where no rim has room."""
    rows = rim_rows(loops)
    if not any(rows):
        return None
    try:
        inner = _paired_fill([row.loop if row is not None else loop for row, loop in zip(rows, loops, strict=True)])
    except KernelError:
        return None  # what the rows leave is too narrow; the whole may not be
    if least_angle(inner) <= STRAIGHT:
        return None
    rim, points, faces = sum(map(len, loops)), [*loops], []
    first, at, following = 0, 0, rim
    number = np.empty(len(inner.points), dtype=np.int64)
    for row, loop in zip(rows, loops, strict=True):
        count = len(loop) if row is None else len(row.loop)
        own = first + np.arange(len(loop))
        if row is not None:
            points.append(row.loop)
            own = following + np.arange(count)
            faces.append(np.where(row.quads < len(loop), first + row.quads, following + row.quads - len(loop)))
            following += count
        number[at : at + count] = own
        first, at = first + len(loop), at + count
    number[at:] = following + np.arange(len(inner.points) - at)
    faces.append(number[inner.faces])
    return PlaneFill(np.concatenate((*points, inner.points[at:])), np.concatenate(faces))


def _paired_fill(loops: list[Floats]) -> PlaneFill:
    """Return the fill of paired triangles, its coarse outline of the every second vertices with more corners."""
    turns = [_turns(loop) for loop in loops]
    odd = [int((np.abs(turn[1::2]) > CORNER).sum() > (np.abs(turn[::2]) > CORNER).sum()) for turn in turns]
    return _turned_back(_filled_from([np.roll(loop, -k, axis=0) for k, loop in zip(odd, loops, strict=True)]), loops, odd)


def _filled_from(loops: list[Floats]) -> PlaneFill:
    """Return the fill of paired triangles, its coarse outline of every second vertex from the first on."""
    coarse = [loop[::2] for loop in loops]
    points, triangles = triangulate_plane(np.concatenate(coarse), _closed_edges([len(loop) for loop in coarse]))
    straight = np.concatenate([_turns(loop)[::2] for loop in loops]) < CORNER
    return smoothed(_divided(points, _paired(points, triangles, straight), loops), sum(len(loop) for loop in loops))


def _turns(loop: Floats) -> Floats:
    """Return by how much in radians a loop (n, 2) turns at each vertex (n,); below zero where it looks inwards."""
    ahead, back = np.roll(loop, -1, axis=0) - loop, loop - np.roll(loop, 1, axis=0)
    return np.asarray(np.arctan2(back[:, 0] * ahead[:, 1] - back[:, 1] * ahead[:, 0], (ahead * back).sum(axis=1)))


def _turned_back(fill: PlaneFill, loops: list[Floats], steps: list[int]) -> PlaneFill:
    """Return a fill of loops that started some steps later with the vertices of the rims in their own order."""
    starts = np.cumsum([0, *(len(loop) for loop in loops)])
    order = [first + np.roll(np.arange(len(loop)), step) for first, loop, step in zip(starts, loops, steps, strict=False)]
    old = np.concatenate((*order, np.arange(starts[-1], len(fill.points))))
    number = np.empty(len(old), dtype=np.int64)
    number[old] = np.arange(len(old))
    return PlaneFill(fill.points[old], number[fill.faces])


def _soundness(fill: PlaneFill) -> tuple[int, float]:
    """Return what makes one fill better than another: fewer faces that are not convex, then their worst corner."""
    cosines = worst_cosine(fill.points, fill.faces)
    return -int((cosines > 1).sum()), -float(np.where(cosines > 1, 0.0, cosines).max())


def _closed_edges(sizes: list[int]) -> Ints:
    """Return the edges (n, 2) of closed loops of given sizes, numbered on."""
    edges, first = [], 0
    for size in sizes:
        numbers = first + np.arange(size)
        edges.append(np.column_stack((numbers, np.roll(numbers, -1))))
        first += size
    return np.concatenate(edges)


def _paired(points: Floats, triangles: Ints, straight: Bools) -> list[Ints]:
    """Return quads (q, 4) of neighbouring triangles, as many as can be and well shaped, and the triangles (t, 3) left.

    straight (k,): vertices of the rim at which it runs on, so that one face alone would have no corner there.
    """
    size = len(points)
    start, end = triangles.ravel(), np.roll(triangles, -1, axis=1).ravel()
    key, backward = start * size + end, end * size + start
    order = np.argsort(key)
    at = np.clip(np.searchsorted(key[order], backward), 0, len(key) - 1)
    found = (key[order][at] == backward) & (start < end)
    here, there = np.flatnonzero(found), order[at[found]]
    first, second = here // 3, there // 3
    a, b = start[here], end[here]
    c, d = triangles[first].sum(axis=1) - a - b, triangles[second].sum(axis=1) - a - b
    quads = np.column_stack((a, d, b, c))
    shape = worst_cosine(points, quads)
    few = np.zeros(size, dtype=bool)
    few[: len(straight)] = straight
    few &= np.bincount(triangles.ravel(), minlength=size) <= 2
    fit = (shape < SQUARE_ENOUGH) & ~few[a] & ~few[b]
    pairs = np.column_stack((first, second))[fit]
    chosen = best_matching(pairs, 1 - shape[fit], points[triangles].mean(axis=1))
    used = np.zeros(len(triangles), dtype=bool)
    used[pairs[chosen].ravel()] = True
    return [quads[fit][chosen], triangles[~used]]


def _divided(points: Floats, faces: list[Ints], loops: list[Floats]) -> PlaneFill:
    """Divide faces about their middles; vertices of the rims come first, in their order, as they were given."""
    total = len(points)
    starts = np.concatenate([part.ravel() for part in faces])
    ends = np.concatenate([np.roll(part, -1, axis=1).ravel() for part in faces])
    keys = np.minimum(starts, ends) * total + np.maximum(starts, ends)
    edges, of_corner = np.unique(keys, return_inverse=True)
    low, high = edges // total, edges % total
    centers = [points[part].mean(axis=1) for part in faces]
    every = np.concatenate((points, (points[low] + points[high]) / 2, *centers))
    quads, corner, face = [], 0, total + len(edges)
    for part in faces:
        sides = part.shape[1]
        middles = total + of_corner[corner : corner + part.size].reshape(part.shape)
        center = (face + np.arange(len(part)))[:, None] + np.zeros_like(part)
        quads.append(np.stack((part, middles, center, np.roll(middles, 1, axis=1)), axis=2).reshape(-1, 4))
        corner, face = corner + part.size, face + len(part)
        assert sides in (3, 4)
    return _rims_first(every, np.concatenate(quads), loops, total, edges)


def _rims_first(points: Floats, quads: Ints, loops: list[Floats], total: int, edges: Ints) -> PlaneFill:
    """Renumber so that the vertices of the rims come first, and put them where they were."""
    order, first = [], 0
    for loop in loops:
        size = len(loop) // 2
        coarse = first + np.arange(size)
        following = np.roll(coarse, -1)
        keys = np.minimum(coarse, following) * total + np.maximum(coarse, following)
        at = np.clip(np.searchsorted(edges, keys), 0, len(edges) - 1)
        if (edges[at] != keys).any():
            raise KernelError("The rim of a flat end is too uneven, or too narrow, to be filled. Use shorter edges there.")
        order.append(np.column_stack((coarse, total + at)).ravel())
        first += size
    rim = np.concatenate(order)
    rest = np.setdiff1d(np.arange(len(points)), rim)
    number = np.empty(len(points), dtype=np.int64)
    number[np.concatenate((rim, rest))] = np.arange(len(points))
    placed = np.concatenate((np.concatenate(loops), points[rest]))
    return PlaneFill(placed, number[quads])
