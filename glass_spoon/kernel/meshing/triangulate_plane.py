"""Delaunay triangles inside flat closed loops, with points inside as far apart as those of the rim, all rim edges kept.

Points: Chew, Guaranteed-quality triangular meshes, 1989. Edges: Anglada, An improved incremental algorithm for
constructing restricted Delaunay triangulations, 1997.
"""

from __future__ import annotations

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, Ints
from glass_spoon.kernel.errors import KernelError

LARGEST = 0.75
"""Radius of a triangle's circle over the wished distance of points above which a point is put into its middle."""

NEAREST = 0.62
"""Share of the wished distance that new points keep from others."""

ROUNDS = 40
"""Most rounds of new points; a few do."""

GROWTH = 0.35
"""How much farther apart points may lie for each mm away from the rim."""


def triangulate_plane(rim: Floats, edges: Ints) -> tuple[Floats, Ints]:
    """Return points, the rim's first, and counter-clockwise triangles (t, 3) inside the rim, all rim edges among theirs."""
    spacing = _rim_spacing(rim, edges)
    tree = scipy.spatial.cKDTree(rim)
    guards = _guards(rim, edges, tree)
    points = rim
    for _ in range(ROUNDS):
        triangles = _delaunay(np.concatenate((points, guards)))
        triangles = _inside(points, triangles[(triangles < len(points)).all(axis=1)], rim, edges)
        new = _wanted(points, triangles, tree, spacing, rim, edges)
        if not len(new):
            break
        points = np.concatenate((points, new))
    every = np.concatenate((points, guards))
    triangles = _with_edges(every, _delaunay(every), edges)
    return points, _inside(points, triangles[(triangles < len(points)).all(axis=1)], rim, edges)


def _rim_spacing(rim: Floats, edges: Ints) -> Floats:
    """Return the mean length (n,) of the two rim edges at each rim vertex."""
    size = np.hypot(*(rim[edges[:, 1]] - rim[edges[:, 0]]).T)
    total = np.zeros(len(rim))
    np.add.at(total, edges.ravel(), np.repeat(size, 2))
    return total / 2


def _guards(rim: Floats, edges: Ints, tree: scipy.spatial.cKDTree) -> Floats:
    """Return points (n, 2) just outside the middles of rim edges.

    With them, rim vertices on one straight line lie inside the triangulation, where no flat triangle spans them.
    """
    a, b = rim[edges[:, 0]], rim[edges[:, 1]]
    along = b - a
    outside = (a + b) / 2 + np.column_stack((along[:, 1], -along[:, 0])) * 0.6
    size = np.hypot(*along.T)
    clear = (np.asarray(tree.query(outside)[0]) > 0.55 * size) & ~contains(rim, edges, outside)
    return outside[clear]


def _delaunay(points: Floats) -> Ints:
    """Return counter-clockwise Delaunay triangles (t, 3)."""
    try:
        triangles = scipy.spatial.Delaunay(points).simplices.astype(np.int64)
    except scipy.spatial.QhullError as error:
        raise KernelError("The outline has no area to fill. Draw it wider.") from error
    back = _twice_area(points, triangles) < 0
    triangles[back] = triangles[back][:, ::-1]
    return triangles


def _twice_area(points: Floats, triangles: Ints) -> Floats:
    a, b, c = (points[triangles[:, k]] for k in range(3))
    return np.asarray((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0]))


def _inside(points: Floats, triangles: Ints, rim: Floats, edges: Ints) -> Ints:
    """Return the triangles whose middle lies inside the rim."""
    return triangles[contains(rim, edges, points[triangles].mean(axis=1))]


def contains(rim: Floats, edges: Ints, places: Floats) -> Bools:
    """Say which places (n, 2) lie inside closed loops, by the even-odd rule."""
    a, b = rim[edges[:, 0]], rim[edges[:, 1]]
    result = np.zeros(len(places), dtype=bool)
    block = max(1, 2_000_000 // max(1, len(edges)))
    for start in range(0, len(places), block):
        x, y = (places[start : start + block, axis, None] for axis in (0, 1))
        spans = (a[:, 1] > y) != (b[:, 1] > y)
        with np.errstate(divide="ignore", invalid="ignore"):
            at = a[:, 0] + (y - a[:, 1]) * (b[:, 0] - a[:, 0]) / (b[:, 1] - a[:, 1])
        result[start : start + block] = (spans & (x < at)).sum(axis=1) % 2 == 1
    return result


def _wanted(
    points: Floats, triangles: Ints, tree: scipy.spatial.cKDTree, spacing: Floats, rim: Floats, edges: Ints
) -> Floats:
    """Return new points (n, 2): middles of circles that are too large for where they lie, none too near to another."""
    if not len(triangles):
        return np.zeros((0, 2))
    middle, radius = _circles(points, triangles)
    inside = contains(rim, edges, middle)
    middle, radius = middle[inside], radius[inside]
    away, nearest = (np.asarray(part) for part in tree.query(middle, k=min(3, len(spacing))))
    size = spacing[nearest].mean(axis=1) + GROWTH * away[:, 0]
    ratio = radius / size
    order = np.argsort(-ratio)
    order = order[ratio[order] > LARGEST]
    if not len(order):
        return np.zeros((0, 2))
    own = scipy.spatial.cKDTree(points).query(middle[order])[0]
    order = order[own > NEAREST * size[order]]
    chosen: list[int] = []
    taken = np.zeros(len(middle), dtype=bool)
    among = scipy.spatial.cKDTree(middle[order]) if len(order) else None
    # Greedy by size: each chosen point rules out those nearer than its own distance, so this is one after another.
    for place, k in enumerate(order):
        if not taken[place]:
            chosen.append(k)
            assert among is not None
            taken[among.query_ball_point(middle[k], NEAREST * size[k])] = True
    return middle[chosen]


def _circles(points: Floats, triangles: Ints) -> tuple[Floats, Floats]:
    """Return the middles (t, 2) and radii (t,) of the circles through the corners of triangles."""
    a = points[triangles[:, 0]]
    b, c = points[triangles[:, 1]] - a, points[triangles[:, 2]] - a
    twice = 2 * (b[:, 0] * c[:, 1] - b[:, 1] * c[:, 0])
    twice = np.where(np.abs(twice) < 1e-300, 1e-300, twice)
    bb, cc = (b**2).sum(axis=1), (c**2).sum(axis=1)
    shift = np.column_stack((c[:, 1] * bb - b[:, 1] * cc, b[:, 0] * cc - c[:, 0] * bb)) / twice[:, None]
    return a + shift, np.hypot(*shift.T)


def _with_edges(points: Floats, triangles: Ints, edges: Ints) -> Ints:
    """Return triangles that have all edges (n, 2): those a wanted edge crosses are replaced.

    Anglada: An improved incremental algorithm for constructing restricted Delaunay triangulations, 1997.
    """
    for a, b in edges:
        if not ((triangles == a).any(axis=1) & (triangles == b).any(axis=1)).any():
            triangles = _with_edge(points, triangles, int(a), int(b))
    return triangles


def _side(points: Floats, a: int, b: int, c: Ints) -> Floats:
    """Return on which side of the line from a to b vertices c (...) lie: positive to the left."""
    along, off = points[b] - points[a], points[c] - points[a]
    return np.asarray(along[0] * off[..., 1] - along[1] * off[..., 0])


def _with_edge(points: Floats, triangles: Ints, a: int, b: int) -> Ints:
    """Return triangles with the edge from a to b: the hollow that it crosses is triangulated anew on both sides."""
    sides = np.sign(_side(points, a, b, triangles))
    crossing = np.zeros(len(triangles), dtype=bool)
    for k in range(3):
        p, q = triangles[:, k], triangles[:, (k + 1) % 3]
        apart = (sides[:, k] * sides[:, (k + 1) % 3] < 0) & ~np.isin(p, (a, b)) & ~np.isin(q, (a, b))
        own = np.array([_side(points, int(i), int(j), np.array([a, b])) for i, j in zip(p[apart], q[apart], strict=True)])
        crossing[np.flatnonzero(apart)[own.reshape(-1, 2).prod(axis=1) < 0]] = True
    hollow = triangles[crossing]
    if not len(hollow):
        raise KernelError("The outline touches itself, so it cannot be filled. Draw it without touching itself.")
    border = _border_of(hollow)
    left, right = _chain(border, a, b), _chain(border, b, a)
    new = [*_fan_chain(points, right[1:-1], a, b), *_fan_chain(points, left[1:-1], b, a)]
    return np.concatenate((triangles[~crossing], np.array(new, dtype=np.int64)))


def _border_of(triangles: Ints) -> dict[int, int]:
    """Return for each vertex on the border of triangles the next one, counter-clockwise."""
    directed = {(int(t[k]), int(t[(k + 1) % 3])) for t in triangles for k in range(3)}
    return {p: q for p, q in directed if (q, p) not in directed}


def _chain(border: dict[int, int], start: int, end: int) -> list[int]:
    """Return the vertices of a border from one to another."""
    chain = [start]
    while chain[-1] != end:
        if len(chain) > len(border) + 1:
            raise KernelError("The outline crosses itself, so it cannot be filled. Draw it without crossings.")
        chain.append(border[chain[-1]])
    return chain


def _fan_chain(points: Floats, chain: list[int], a: int, b: int) -> list[list[int]]:
    """Return Delaunay triangles between the line from b to a and a chain of vertices from a to b on its right side."""
    if not chain:
        return []
    best = 0
    for k in range(1, len(chain)):
        middle, radius = _circles(points, np.array([[a, b, chain[best]]]))
        if np.hypot(*(points[chain[k]] - middle[0])) < radius[0]:
            best = k
    c = chain[best]
    triangle = [a, b, c] if _side(points, a, b, np.array(c)) > 0 else [b, a, c]
    first, rest = _fan_chain(points, chain[:best], c, b), _fan_chain(points, chain[best + 1 :], a, c)
    return [triangle, *first, *rest]
