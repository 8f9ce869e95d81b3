"""Quads over a flat outline as a value: how well shaped they are, and evened out."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, Ints

SMOOTHING = 60
"""Rounds in which inner vertices move to the middle of their neighbours."""

OPENINGS, HALVINGS = 8, 10
"""Rounds in which vertices beside faces with bad corners are moved, and steps of each search."""

STRAIGHT = float(np.radians(5))
"""A corner that is so near to being straight or shut asks for another fill."""

OPEN = float(np.radians(47))
"""A corner farther than this from being straight or shut is good."""

SLENDER = 4.0
"""A face whose longest side is more than so many times its shortest is as bad as one with a bad corner."""

DIRECTIONS = np.array([[np.cos(turn), np.sin(turn)] for turn in np.arange(8) * np.pi / 4])
"""Ways in which a vertex is moved, (8, 2)."""


@dataclass(frozen=True, eq=False)
class PlaneFill:
    """Points (n, 2), those of the rims first and in their order, and quads (f, 4), counter-clockwise."""

    points: Floats
    faces: Ints


def least_angle(fill: PlaneFill) -> float:
    """Return how far in radians the worst corner of a fill is from being straight or shut; 0 where a face is not convex."""
    return float(np.arccos(np.clip(worst_cosine(fill.points, fill.faces).max(), 0, 1)))


def goodness(fill: PlaneFill) -> tuple[float, float]:
    """Return what makes one fill better than another: its worst face, as far as one with corners of OPEN; how even it is."""
    worst = float(_worst_faces(fill.points[fill.faces]))
    return min(worst, float(np.sin(OPEN))), evenness(fill.points, fill.faces)


def worst_cosine(points: Floats, quads: Ints) -> Floats:
    """Return the largest absolute cosine (q,) of the corners of quads; 2 for one that is not convex."""
    corners = points[quads]
    ahead, back = np.roll(corners, -1, axis=1) - corners, np.roll(corners, 1, axis=1) - corners
    size = np.maximum(np.hypot(ahead[..., 0], ahead[..., 1]) * np.hypot(back[..., 0], back[..., 1]), 1e-300)
    cosine = np.abs((ahead * back).sum(axis=2)) / size
    turn = ahead[..., 0] * back[..., 1] - ahead[..., 1] * back[..., 0]
    return np.where((turn > 1e-9 * size).all(axis=1), cosine.max(axis=1), 2.0)


def evenness(points: Floats, faces: Ints) -> float:
    """Return how square faces are on the mean: twice the area over the half sum of squared edges, 1 for squares."""
    corners = points[faces]
    edges = np.roll(corners, -1, axis=1) - corners
    straight, across = corners[:, 2] - corners[:, 0], corners[:, 3] - corners[:, 1]
    twice = straight[:, 0] * across[:, 1] - straight[:, 1] * across[:, 0]
    return float((2 * twice / np.maximum((edges**2).sum(axis=(1, 2)), 1e-300)).mean())


def smoothed(fill: PlaneFill, fixed: int) -> PlaneFill:
    """Move inner vertices to the middle of their neighbours, back where that would turn a face over or make it worse."""
    points, faces = fill.points.copy(), fill.faces
    start, end = faces.ravel(), np.roll(faces, -1, axis=1).ravel()
    ones = np.ones(2 * len(start))
    links = scipy.sparse.coo_array(
        (ones, (np.concatenate((start, end)), np.concatenate((end, start)))), shape=(len(points),) * 2
    ).tocsr()
    share = np.maximum(np.asarray(links.sum(axis=1)).ravel(), 1)
    free = np.arange(len(points)) >= fixed
    columns = np.ascontiguousarray(faces.T)
    was_dented = _dented(points, columns)
    for _ in range(SMOOTHING):
        moved = points + 0.6 * ((links @ points) / share[:, None] - points) * free[:, None]
        for _ in range(4):
            dented = _dented(moved, columns)
            worse = dented & ~was_dented
            if not worse.any():
                break
            moved[faces[worse].ravel()] = points[faces[worse].ravel()]
        else:
            dented = _dented(moved, columns)
        was_dented = dented
        points = moved
    return PlaneFill(points, faces)


def opened(fill: PlaneFill, fixed: int, alike: tuple[Ints, Floats] | None = None) -> PlaneFill:
    """Return a fill whose inner vertices beside bad faces, as `_bad` says, went where the worst face is best.

    fixed: how many vertices stay. A search by halving steps in eight directions, vertices that share no face at once
    (Freitag and Ollivier-Gooch, Tetrahedral mesh improvement using swapping and smoothing, 1997, section 3). alike: the
    images (m, k) of k vertices about the origin, the first row their own, and the matrices (m, 2, 2): they move along.
    """
    points, faces = fill.points.copy(), fill.faces
    order = np.argsort(faces.ravel(), kind="stable")
    starts = np.searchsorted(faces.ravel()[order], np.arange(len(points) + 1))
    for _ in range(OPENINGS):
        bad = _bad(points, faces)
        vertices = np.unique(faces[bad])
        if alike is not None:
            vertices = np.intersect1d(vertices, alike[0][0])
        for apart in _apart(vertices[vertices >= fixed].tolist(), faces, order // 4, starts):
            _to_best_places(points, faces, apart, order // 4, starts)
            if alike is not None:
                own = np.flatnonzero(np.isin(alike[0][0], apart))
                for images, way in zip(alike[0][1:], alike[1][1:], strict=True):
                    points[images[own]] = points[alike[0][0][own]] @ way.T
        if not bad.any():
            break
    return PlaneFill(points, faces)


def _bad(points: Floats, faces: Ints) -> Bools:
    """Mark faces with a corner worse than OPEN, or longer than SLENDER."""
    corners = points[faces]
    sides = np.linalg.norm(np.roll(corners, -1, axis=1) - corners, axis=2)
    return np.asarray((worst_cosine(points, faces) > np.cos(OPEN)) | (sides.max(axis=1) > SLENDER * sides.min(axis=1)))


def _apart(vertices: list[int], faces: Ints, around: Ints, starts: Ints) -> list[Ints]:
    """Return vertices in groups of such as share no face; the faces around vertex k are around[starts[k]:starts[k + 1]]."""
    groups: list[tuple[list[int], set[int]]] = []
    for vertex in vertices:
        own = set(around[starts[vertex] : starts[vertex + 1]].tolist())
        for chosen, taken in groups:
            if not taken & own:
                chosen.append(vertex)
                taken |= own
                break
        else:
            groups.append(([vertex], own))
    return [np.array(chosen) for chosen, _ in groups]


def _to_best_places(points: Floats, faces: Ints, vertices: Ints, around: Ints, starts: Ints) -> None:
    """Move vertices (m,), no two at one face, to where the worst of the faces around each is best."""
    count = starts[vertices + 1] - starts[vertices]
    rows = starts[vertices][:, None] + np.minimum(np.arange(count.max()), count[:, None] - 1)
    own = faces[around[rows]]
    corners, here = points[own], (own == vertices[:, None, None])[:, None, ..., None]
    step = np.ptp(corners.reshape(len(vertices), -1, 2), axis=1).max(axis=1) / 4
    best = _worst_faces(corners)
    for _ in range(HALVINGS):
        tried = points[vertices][:, None] + step[:, None, None] * DIRECTIONS
        found = _worst_faces(np.where(here, tried[:, :, None, None], corners[:, None]))
        k = found.argmax(axis=1)
        top = found[np.arange(len(k)), k]
        better = top > best
        points[vertices[better]] = tried[np.flatnonzero(better), k[better]]
        best = np.where(better, top, best)
        step = np.where(better, step, step / 2)


def _worst_faces(corners: Floats) -> Floats:
    """Return how good the worst is (...) of sets of quads (..., k, 4, 2): the least sine of its corners, below zero for one
    that turns back, less for one that is SLENDER: its corners alone would let it shrink to nothing.
    """
    x, y = corners[..., 0], corners[..., 1]
    dx, dy = (part[..., [1, 2, 3, 0]] - part for part in (x, y))
    size = np.sqrt(dx * dx + dy * dy)
    bx, by, before = (part[..., [3, 0, 1, 2]] for part in (dx, dy, size))
    sine = ((bx * dy - by * dx) / np.maximum(size * before, 1e-300)).min(axis=-1)
    full = np.minimum(1.0, SLENDER * size.min(axis=-1) / np.maximum(size.max(axis=-1), 1e-300))
    return np.asarray(np.where(sine > 0, sine * full, sine).min(axis=-1))


def _dented(points: Floats, columns: Ints) -> Bools:
    """Mark quads, their corners as columns (4, q), that turn back or run straight on at a corner."""
    x, y = (np.ascontiguousarray(points[:, axis])[columns] for axis in (0, 1))
    result = np.zeros(columns.shape[1], dtype=bool)
    for k in range(4):
        before, after = (k + 3) % 4, (k + 1) % 4
        turn = (x[after] - x[k]) * (y[before] - y[k]) - (y[after] - y[k]) * (x[before] - x[k])
        result |= turn <= 0
    return result
