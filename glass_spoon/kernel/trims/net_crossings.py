"""Where two nets of triangles cross: chains of places, each with its parameters on both.

Each place is the crossing of an edge of one net with a triangle of the other (Möller 1997), so that neighbours have it in
common. Signs are taken from volumes of vertices in one order: neighbours never disagree. The first net is moved by
a hair in an odd direction, so that no vertex lies on the other net by design; what is found is made exact afterwards.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints
from glass_spoon.kernel.trims.surface_net import SurfaceNet, near_cells

HAIR = 1e-6
"""Share of the size by which the first net is moved."""

ODD = np.array([0.5176380902, 0.2928932188, 0.8039153212])
"""The direction in which it is moved: no small whole numbers relate its parts, or diagonals of cells would still meet."""

SPLIT = np.array([[[0, 0], [1, 0], [1, 1]], [[0, 0], [1, 1], [0, 1]]])
"""The two triangles of a cell."""


@dataclass(frozen=True, eq=False)
class Chain:
    """Places (k, 3) in mm in order: params (k, 4) near them on both surfaces; closed: whether it comes back to its start."""

    places: Floats
    params: Floats
    closed: bool


def net_crossings(first: SurfaceNet, second: SurfaceNet) -> list[Chain]:
    """Return the chains of places at which two nets cross."""
    both = np.concatenate((first.points.reshape(-1, 3), second.points.reshape(-1, 3)))
    moved = SurfaceNet(first.us, first.vs, first.points + HAIR * float(np.ptp(both, axis=0).max()) * ODD)
    cells = near_cells(moved, second)
    if not len(cells):
        return []
    mine, theirs = _triangles(moved, cells[:, :2]), _triangles(second, cells[:, 2:])
    # Every triangle of a cell with every one of the other.
    one = np.repeat(mine, 2, axis=1).reshape(-1, 3)
    two = np.tile(theirs, (1, 2, 1)).reshape(-1, 3)
    hits = [_edge_hits(moved, second, one, two), _edge_hits(second, moved, two, one)]
    keys, places, owner = [], [], []
    for side, (pair, edge, face, found) in enumerate(hits):
        params = found[:, :4]
        keys.append(np.column_stack((np.full(len(pair), side), edge, face)))
        places.append(np.hstack((found[:, 4:], params if side == 0 else params[:, [2, 3, 0, 1]])))
        owner.append(pair)
    if not sum(len(part) for part in owner):
        return []
    every, index, number = np.unique(np.concatenate(keys), axis=0, return_index=True, return_inverse=True)
    order = np.argsort(np.concatenate(owner), kind="stable")
    pairs, nodes = np.concatenate(owner)[order], number.reshape(-1)[order]
    _, start, count = np.unique(pairs, return_index=True, return_counts=True)
    links = np.column_stack((nodes[start[count == 2]], nodes[start[count == 2] + 1]))
    return _chains(
        np.unique(np.sort(links[links[:, 0] != links[:, 1]], axis=1), axis=0), np.concatenate(places)[index], len(every)
    )


def _triangles(net: SurfaceNet, cells: Ints) -> Ints:
    """Return the vertices (k, 2, 3) of the triangles of cells (k, 2)."""
    columns = net.points.shape[1]
    corners = cells[:, None, None, :] + SPLIT
    return np.asarray(corners[..., 0] * columns + corners[..., 1])


def _edge_hits(net: SurfaceNet, other: SurfaceNet, mine: Ints, theirs: Ints) -> tuple[Ints, Ints, Ints, Floats]:
    """Return where edges of triangles (k, 3) of a net run through triangles (k, 3) of another.

    The pair, an edge's and a face's number, and the parameters on both with the place (h, 7).
    """
    points, faces = net.points.reshape(-1, 3), other.points.reshape(-1, 3)
    origin = points[0]
    points, faces = points - origin, faces - origin
    found = []
    corner = faces[theirs]
    sides = [_volume(corner[:, 0], corner[:, 1], corner[:, 2], points[mine[:, k]]) for k in range(3)]
    for k in range(3):
        low = np.minimum(mine[:, k], mine[:, (k + 1) % 3])
        high = np.maximum(mine[:, k], mine[:, (k + 1) % 3])
        through = np.flatnonzero((sides[k] > 0) != (sides[(k + 1) % 3] > 0))
        p, q, face = points[low[through]], points[high[through]], theirs[through]
        inside, shares = _inside(p, q, faces, face)
        through, face, p, q = through[inside], face[inside], p[inside], q[inside]
        weights = shares[inside] / shares[inside].sum(axis=1, keepdims=True)
        at = np.einsum("ni,nij->nj", weights, faces[face])
        way = q - p
        along = np.einsum("ij,ij->i", at - p, way) / np.maximum(np.einsum("ij,ij->i", way, way), 1e-300)
        params = np.column_stack(
            (
                _mixed(net, np.column_stack((low[through], high[through])), np.column_stack((1 - along, along))),
                _mixed(other, face, weights),
                at + origin,
            )
        )
        edge = low[through] * len(points) + high[through]
        order = np.sort(face, axis=1)
        found.append((through, edge, order[:, 0] * len(faces) + order[:, 1], params))
    return tuple(np.concatenate(parts) for parts in zip(*found, strict=True))  # type: ignore[return-value]  # four of them


def _mixed(net: SurfaceNet, vertices: Ints, weights: Floats) -> Floats:
    """Return the parameters (n, 2) of places by their weights (n, k) of vertices (n, k)."""
    columns = net.points.shape[1]
    u = (net.us[vertices // columns] * weights).sum(axis=1)
    v = (net.vs[vertices % columns] * weights).sum(axis=1)
    return np.column_stack((u, v))


def _volume(a: Floats, b: Floats, c: Floats, d: Floats) -> Floats:
    """Return six times the signed volumes (n,) of tetrahedra."""
    return np.asarray(np.einsum("ij,ij->i", np.cross(b - a, c - a), d - a))


def _inside(p: Floats, q: Floats, points: Floats, faces: Ints) -> tuple[Bools, Floats]:
    """Say which lines p q (n, 3) run through triangles (n, 3), and return the weights (n, 3) of their corners, unscaled."""
    found = np.empty((len(p), 3))
    for k in range(3):
        a, b = faces[:, (k + 1) % 3], faces[:, (k + 2) % 3]
        swap = a > b
        low, high = points[np.where(swap, b, a)], points[np.where(swap, a, b)]
        found[:, k] = np.where(swap, -1.0, 1.0) * _volume(p, q, low, high)
    inside = (found > 0).all(axis=1) | (found < 0).all(axis=1)
    return np.asarray(inside), found


def _chains(links: Ints, values: Floats, count: int) -> list[Chain]:
    """Return the chains that links (n, 2) between places make; a place has two links at most."""
    beside: list[list[int]] = [[] for _ in range(count)]
    for a, b in links.tolist():
        beside[a].append(b)
        beside[b].append(a)
    seen = np.zeros(count, dtype=bool)
    chains = []
    ends = [node for node, row in enumerate(beside) if len(row) == 1]
    for start in (*ends, *range(count)):
        if seen[start] or not beside[start]:
            continue
        way, here = [start], start
        seen[start] = True
        while True:
            following = [node for node in beside[here] if not seen[node]]
            if not following:
                break
            here = following[0]
            seen[here] = True
            way.append(here)
        closed = len(way) > 2 and len(beside[start]) > 1 and way[0] in beside[way[-1]]
        rows = values[way + way[:1] if closed else way]
        chains.append(Chain(rows[:, :3], rows[:, 3:], closed))
    return chains
