"""The all-quad cap that closes a pole: a core of squares growing out to the ring.

      outline of the core        transition rings        the ring of n vertices
      +--+--+--+--+                each n quads            n even, n = 2 (a + b)
      |  |  |  |  |  a columns
      +--+--+--+--+  b rows, nearly square

Four vertices, the corners of the core, have three edges; every other inner vertex has four. Places in the disc come from
one linear system (Tutte: How to draw a graph, 1963), whose solution on a convex outline never folds.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints, frozen

TRANSITION_SHARE = 1 / (2 * np.pi) - 1 / 8
"""Transition rings for each vertex of the ring: with them edges across the disc are as long as edges round it."""

EVENING_ROUNDS = 1
"""Solutions after the first. More would even the edges further, at the price of corners over 135 degrees in the core."""


@dataclass(frozen=True, eq=False)
class DiscMesh:
    """A quad mesh of the unit disc, or of its sector from angle 0 to a quarter turn.

    The first vertices are the ring, in order. places: (m, 2). faces: (f, 4), counter-clockwise.
    """

    places: Floats
    faces: Ints


def transition_rings(count: int) -> int:
    """Return how many rings of quads lie between the core and a ring of `count` edges."""
    return max(1, round(TRANSITION_SHARE * count))


def core_sides(count: int, *, whole: bool = True) -> tuple[int, int]:
    """Return the columns and rows of the core within a ring of `count` edges (even); of a sector if not `whole`."""
    return (count // 4, count // 2 - count // 4) if whole else (count // 2, count // 2)


def cap_face_count(count: int, *, whole: bool = True, parts: int = 1) -> int:
    """Return the number of quads of the cap of a ring of `count` edges; of a sector of so many parts if not `whole`."""
    if not whole:
        radial = sector_rings(count, parts)
        return sum((own // 2) ** 2 + own * (radial - own // 2) for own in part_counts(count, parts))
    columns, rows = core_sides(count, whole=whole)
    return columns * rows + count * transition_rings(count)


def part_counts(count: int, parts: int) -> list[int]:
    """Return how many edges (even, at least 2) of an open ring of `count` each part of its sector takes."""
    parts = max(1, min(parts, count // 2))
    pairs = [count // 2 // parts + (1 if number < count // 2 % parts else 0) for number in range(parts)]
    return [2 * pair for pair in pairs]


def sector_rings(count: int, parts: int) -> int:
    """Return how many edges lead from an open ring of `count` edges to the pole, where its sector has so many parts."""
    most = max(part_counts(count, parts))
    return most // 2 + transition_rings(most)


@lru_cache(maxsize=64)
def make_disc(count: int) -> DiscMesh:
    """Return the cap of a closed ring of `count` vertices (even, at least 4) as a mesh of the unit disc."""
    return _disc(count, *core_sides(count), held=False)


@lru_cache(maxsize=64)
def make_tip(count: int) -> DiscMesh:
    """Return the same with a vertex in the middle, where the tip of a cone is; without one for fewer than 8 vertices."""
    columns = 2 * (count // 8)
    return _disc(count, columns, count // 2 - columns, held=True) if count >= 8 else make_disc(count)


def _disc(count: int, columns: int, rows: int, *, held: bool) -> DiscMesh:
    """Return the cap with a core of so many columns and rows; `held` puts the vertex nearest to the middle there."""
    core = _core(columns, rows, count * transition_rings(count))
    outline = np.concatenate((core[0, :-1], core[:-1, -1], core[-1, :0:-1], core[:0:-1, 0]))
    circles = np.vstack([np.arange(count * transition_rings(count)).reshape(-1, count), outline])
    faces = np.concatenate((_quads(circles, np.roll(circles, -1, axis=1)), _grid_quads(core)))
    angles = 2 * np.pi * np.arange(count) / count
    fixed, rim = np.arange(count), np.column_stack((np.cos(angles), np.sin(angles)))
    if held:
        fixed, rim = np.append(fixed, core[rows // 2, columns // 2]), np.vstack((rim, [0.0, 0.0]))
    return _place(faces, fixed, rim)


@lru_cache(maxsize=64)
def make_sector(count: int, rings: int | None = None) -> DiscMesh:
    """Return the cap of an open ring of `count` edges (even, at least 2) as a mesh of a quarter of the unit disc.

    Its straight sides have count / 2 + rings edges each, `transition_rings` of them when None.
    """
    side, rings = count // 2, transition_rings(count) if rings is None else rings
    core = _core(side, side, (count + 1) * rings)
    outline = np.concatenate((core[:, -1], core[-1, -2::-1]))
    circles = np.vstack([np.arange((count + 1) * rings).reshape(rings, -1), outline])
    faces = np.concatenate((_quads(circles[:, :-1], circles[:, 1:]), _grid_quads(core)))
    angles = np.pi / 2 * np.arange(count + 1) / count
    steps = np.linspace(1, 0, side + rings + 1)[1:, None]
    fixed = np.concatenate((circles[0], circles[1:, 0], core[0, -2::-1], circles[1:, -1], core[-2:0:-1, 0]))
    places = np.concatenate((np.column_stack((np.cos(angles), np.sin(angles))), steps * [[1, 0]], steps[:-1] * [[0, 1]]))
    return _place(faces, fixed, places)


@lru_cache(maxsize=64)
def make_sectors(count: int, parts: int, radial: int | None = None) -> DiscMesh:
    """Return the cap of an open ring of `count` edges as sectors side by side, all within a quarter of the unit disc.

    radial: edges from the ring to the pole, `sector_rings` when None; one sector is made where these are too few. Each part
    is made as a quarter and pressed together, so that drawn over a wide angle its faces are as they should be: one core
    alone would turn back at the pole where the angle is more than about a half turn.
    """
    radial = sector_rings(count, parts) if radial is None else radial
    counts = part_counts(count, parts)
    if len(counts) == 1 or max(counts) // 2 >= radial:
        return make_sector(count, radial - count // 2)
    starts = np.concatenate(([0], np.cumsum(counts)))
    turns, radii, faces, total = [], [], [], 0
    for own, start in zip(counts, starts[:-1], strict=True):
        disc = make_sector(own, radial - own // 2)
        radius = np.hypot(*disc.places.T)
        angle = np.arctan2(disc.places[:, 1], disc.places[:, 0]) / (np.pi / 2)
        turns.append(np.where(radius < ROUNDING, 0.0, start + own * angle) / count)
        radii.append(radius)
        faces.append(disc.faces + total)
        total += len(disc.places)
    turn, radius = np.concatenate(turns), np.concatenate(radii)
    keys = np.round(np.column_stack((turn, radius)), 9) + 0.0
    # The ring comes first, in its order; vertices on the lines between parts are one.
    order = np.lexsort((keys[:, 0], -keys[:, 1]))
    unique, of_vertex = _first_of_each(keys[order])
    number = np.empty(total, dtype=np.int64)
    number[order] = of_vertex
    turn, radius = turn[order][unique], radius[order][unique]
    places = np.column_stack((radius * np.cos(turn * np.pi / 2), radius * np.sin(turn * np.pi / 2)))
    return DiscMesh(frozen(places), number[np.concatenate(faces)])


ROUNDING = 1e-9
"""Places of the unit disc nearer than this are one."""


def _first_of_each(rows: Floats) -> tuple[Ints, Ints]:
    """Return the first of each run of equal rows (n, k), and the number of the run of each row."""
    new = np.concatenate(([True], (np.diff(rows, axis=0) != 0).any(axis=1)))
    return np.flatnonzero(new), np.cumsum(new) - 1


def _core(columns: int, rows: int, first: int) -> Ints:
    """Return the vertex numbers (rows + 1, columns + 1) of the core."""
    return first + np.arange((columns + 1) * (rows + 1)).reshape(rows + 1, columns + 1)


def _quads(circles: Ints, following: Ints) -> Ints:
    """Return quads (f, 4) between neighbouring circles, outer to inner."""
    return np.stack((circles[:-1], following[:-1], following[1:], circles[1:]), axis=-1).reshape(-1, 4)


def _grid_quads(core: Ints) -> Ints:
    """Return the quads (f, 4) of the core."""
    return np.stack((core[:-1, :-1], core[:-1, 1:], core[1:, 1:], core[1:, :-1]), axis=-1).reshape(-1, 4)


def _place(faces: Ints, fixed: Ints, rim: Floats) -> DiscMesh:
    """Place the inner vertices at weighted means of their neighbours, the vertices `fixed` (k,) at `rim` (k, 2).

    Solved a few times, with weights that grow with the length of the edge, so that edges even out; positive weights and a
    convex rim keep every solution free of folds.
    """
    total = int(faces.max()) + 1
    start, end = faces.ravel(), np.roll(faces, -1, axis=1).ravel()
    pairs = np.unique(np.sort(np.column_stack((start, end)), axis=1), axis=0)
    rows, columns = np.concatenate((pairs, pairs[:, ::-1])).T
    free = np.setdiff1d(np.arange(total), fixed)
    places = np.zeros((total, 2))
    places[fixed] = rim
    stiff = np.ones(len(pairs))
    for _ in range(EVENING_ROUNDS + 1):
        weights = scipy.sparse.coo_array((np.tile(stiff, 2), (rows, columns)), shape=(total, total)).tocsr()
        system = (scipy.sparse.diags_array(np.asarray(weights.sum(axis=1)).ravel()) - weights).tocsr()[free]
        if len(free):
            places[free] = scipy.sparse.linalg.spsolve(system[:, free].tocsc(), -(system[:, fixed] @ rim)).reshape(-1, 2)
        size = np.hypot(*(places[pairs[:, 0]] - places[pairs[:, 1]]).T)
        stiff *= np.sqrt(size / size.mean())
    return DiscMesh(frozen(places), faces)
