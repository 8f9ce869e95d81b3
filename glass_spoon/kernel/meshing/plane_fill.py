"""Quads over a flat outline as a value: how well shaped they are, and evened out."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, Ints

SMOOTHING = 60
"""Rounds in which inner vertices move to the middle of their neighbours."""

UNTANGLING, HALVINGS = 6, 12
"""Rounds in which vertices beside faces that are not convex are moved, and steps of each search."""

STRAIGHT = float(np.radians(5))
"""A corner that is so near to being straight or shut is mended where it can be."""

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


def untangled(fill: PlaneFill, fixed: int) -> PlaneFill:
    """Return a fill whose inner vertices beside faces with a straight corner, or worse, went where the worst corner is best.

    fixed: how many vertices stay. A search by halving steps in eight directions, a vertex at a time: few need it.
    """
    points, faces = fill.points.copy(), fill.faces
    for _ in range(UNTANGLING):
        bad = worst_cosine(points, faces) > np.cos(STRAIGHT)
        vertices = np.unique(faces[bad])
        for vertex in vertices[vertices >= fixed]:
            _best_place(points, faces[(faces == vertex).any(axis=1)], int(vertex))
        if not bad.any():
            break
    return PlaneFill(points, faces)


def _best_place(points: Floats, around: Ints, vertex: int) -> None:
    """Move a vertex to where the worst corner of the faces (k, 4) around it opens most."""
    step = float(np.ptp(points[around].reshape(-1, 2), axis=0).max()) / 4
    best = _worst_turn(points, around)
    for _ in range(HALVINGS):
        tried = points[vertex] + step * DIRECTIONS
        here = points[vertex].copy()
        found = []
        for place in tried:
            points[vertex] = place
            found.append(_worst_turn(points, around))
        k = int(np.argmax(found))
        if found[k] > best:
            best, points[vertex] = found[k], tried[k]
        else:
            points[vertex] = here
            step /= 2


def _worst_turn(points: Floats, quads: Ints) -> float:
    """Return the least sine of the corners of quads, below zero for one that turns back."""
    corners = points[quads]
    ahead, back = np.roll(corners, -1, axis=1) - corners, np.roll(corners, 1, axis=1) - corners
    size = np.maximum(np.hypot(ahead[..., 0], ahead[..., 1]) * np.hypot(back[..., 0], back[..., 1]), 1e-300)
    return float(((ahead[..., 0] * back[..., 1] - ahead[..., 1] * back[..., 0]) / size).min())


def _dented(points: Floats, columns: Ints) -> Bools:
    """Mark quads, their corners as columns (4, q), that turn back or run straight on at a corner."""
    x, y = (np.ascontiguousarray(points[:, axis])[columns] for axis in (0, 1))
    result = np.zeros(columns.shape[1], dtype=bool)
    for k in range(4):
        before, after = (k + 3) % 4, (k + 1) % 4
        turn = (x[after] - x[k]) * (y[before] - y[k]) - (y[after] - y[k]) * (x[before] - x[k])
        result |= turn <= 0
    return result
