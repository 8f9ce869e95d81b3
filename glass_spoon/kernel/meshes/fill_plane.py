"""Quads that fill a flat outline, with or without holes, without changing its rim.

      o---o---o      1 every second vertex of the rim makes a coarse outline; points inside, as far apart as the rim's
      |   |   |        are, and Delaunay triangles over them (Chew: Guaranteed-quality triangular meshes, 1989)
      o---+---o      2 neighbouring triangles are paired to quads, best first
      |   |   |      3 each face is divided about its middle: a triangle into three quads, a quad into four; the middles
      o---o---o        of the rim's edges are the vertices left out at first
                     4 inner vertices are moved to the middle of their neighbours as long as no face turns over

Outlines of a simpler kind take lines that run more evenly: one with four corners a grid, a round one the disc of
`pole_cap`, one with a single hole of as many vertices a ring; the best shaped of what fits is taken.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_array
from scipy.spatial import Delaunay, QhullError, cKDTree

from glass_spoon.kernel.arrays import Bools, Floats, Ints
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshes.pole_cap import make_disc

LARGEST = 0.75
"""Radius of a triangle's circle over the wished distance of points above which a point is put into its middle."""

NEAREST = 0.62
"""Share of the wished distance that new points keep from others."""

ROUNDS = 40
"""Most rounds of new points; a few do."""

SMOOTHING = 60
"""Rounds in which inner vertices move to the middle of their neighbours."""

GROWTH = 0.35
"""How much farther apart points may lie for each mm away from the rim."""

MOST_DISC = 256
"""Most vertices of a rim that is filled by a disc."""

MOST_TURNS = 16
"""Places to which the core of a disc is turned."""

CORNER_TURN = np.radians(40)
"""An outline that turns by more at a vertex has a corner there."""

GOOD_ANGLE = np.radians(18)
"""Worst angle that a fill of a simpler kind may have; below it triangles are paired."""


@dataclass(frozen=True, eq=False)
class PlaneFill:
    """Points (n, 2), those of the rims first and in their order, and quads (f, 4), counter-clockwise."""

    points: Floats
    faces: Ints


def fill_plane(loops: list[Floats]) -> PlaneFill:
    """Return quads that fill the area on the left of closed loops, each (n, 2) of an even count of at least four.

    The first loop is the outline, counter-clockwise; others are holes, clockwise. Raises KernelError for loops that cross.
    """
    if any(len(loop) % 2 or len(loop) < 4 for loop in loops):
        raise KernelError("A rim to be filled with quads needs an even count of edges, four at least.")
    simple = [fill for fill in _simple_fills(loops) if _least_angle(fill) > GOOD_ANGLE]
    if simple:
        return max(simple, key=_least_angle)
    coarse = [loop[::2] for loop in loops]
    rim = np.concatenate(coarse)
    rim_edges = _closed_edges([len(loop) for loop in coarse])
    points, triangles = _triangulate(rim, rim_edges)
    return _smoothed(_divided(points, _paired(points, triangles), loops), sum(len(loop) for loop in loops))


def _simple_fills(loops: list[Floats]) -> list[PlaneFill]:
    """Return the fills of the simpler kinds that an outline may take."""
    if len(loops) == 1:
        return _as_grid(loops[0]) or _as_disc(loops[0])
    if len(loops) == 2 and len(loops[0]) == len(loops[1]):
        return _as_ring(loops[0], loops[1])
    return []


def _least_angle(fill: PlaneFill) -> float:
    """Return how far in radians the worst corner of a fill is from being straight or shut; 0 where a face is not convex."""
    return float(np.arccos(np.clip(_worst_cosine(fill.points, fill.faces).max(), 0, 1)))


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
    radius = np.hypot(*disc.places.T)
    place = np.arctan2(disc.places[:, 1], disc.places[:, 0]) % (2 * np.pi) / (2 * np.pi) * count
    place[:count] = np.arange(count)
    closed = np.vstack((loop, loop[:1]))
    tried = []
    for shift in range(0, count, max(1, count // MOST_TURNS)):
        at = (place + shift) % count
        on_rim = np.column_stack([np.interp(at, np.arange(count + 1), closed[:, axis]) for axis in (0, 1)])
        points = middle + radius[:, None] * (on_rim - middle)
        tried.append((_evenness(points, disc.faces), shift, points))
    _, shift, points = max(tried, key=lambda entry: entry[0])
    number = np.concatenate(((np.arange(count) + shift) % count, np.arange(count, len(points))))
    points[:count] = loop
    return [_smoothed(PlaneFill(points, number[disc.faces]), count)]


def _evenness(points: Floats, faces: Ints) -> float:
    """Return how square faces are on the mean: twice the area over the half sum of squared edges, 1 for squares."""
    corners = points[faces]
    edges = np.roll(corners, -1, axis=1) - corners
    straight, across = corners[:, 2] - corners[:, 0], corners[:, 3] - corners[:, 1]
    twice = straight[:, 0] * across[:, 1] - straight[:, 1] * across[:, 0]
    return float((2 * twice / np.maximum((edges**2).sum(axis=(1, 2)), 1e-300)).mean())


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
    shift = int(np.argmin(leans))
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


def _closed_edges(sizes: list[int]) -> Ints:
    """Return the edges (n, 2) of closed loops of given sizes, numbered on."""
    edges, first = [], 0
    for size in sizes:
        numbers = first + np.arange(size)
        edges.append(np.column_stack((numbers, np.roll(numbers, -1))))
        first += size
    return np.concatenate(edges)


def _triangulate(rim: Floats, edges: Ints) -> tuple[Floats, Ints]:
    """Return points, the rim's first, and counter-clockwise triangles (t, 3) inside the rim, all rim edges among theirs."""
    spacing = _rim_spacing(rim, edges)
    tree = cKDTree(rim)
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


def _guards(rim: Floats, edges: Ints, tree: cKDTree) -> Floats:
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
        triangles = Delaunay(points).simplices.astype(np.int64)
    except QhullError as error:
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


def _wanted(points: Floats, triangles: Ints, tree: cKDTree, spacing: Floats, rim: Floats, edges: Ints) -> Floats:
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
    own = cKDTree(points).query(middle[order])[0]
    order = order[own > NEAREST * size[order]]
    chosen: list[int] = []
    taken = np.zeros(len(middle), dtype=bool)
    among = cKDTree(middle[order]) if len(order) else None
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


def _paired(points: Floats, triangles: Ints) -> list[Ints]:
    """Return quads (q, 4) of neighbouring triangles, best shaped first, and the triangles (t, 3) that are left."""
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
    shape = _worst_cosine(points, quads)
    used, kept = np.zeros(len(triangles), dtype=bool), []
    # Greedy by shape: a triangle is used once, so this is one after another.
    for k in np.argsort(shape):
        if shape[k] < 0.94 and not used[first[k]] and not used[second[k]]:
            used[first[k]] = used[second[k]] = True
            kept.append(k)
    return [quads[kept], triangles[~used]]


def _worst_cosine(points: Floats, quads: Ints) -> Floats:
    """Return the largest absolute cosine (q,) of the corners of quads; 2 for one that is not convex."""
    corners = points[quads]
    ahead, back = np.roll(corners, -1, axis=1) - corners, np.roll(corners, 1, axis=1) - corners
    size = np.maximum(np.hypot(ahead[..., 0], ahead[..., 1]) * np.hypot(back[..., 0], back[..., 1]), 1e-300)
    cosine = np.abs((ahead * back).sum(axis=2)) / size
    turn = ahead[..., 0] * back[..., 1] - ahead[..., 1] * back[..., 0]
    return np.where((turn > 1e-9 * size).all(axis=1), cosine.max(axis=1), 2.0)


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


def _smoothed(fill: PlaneFill, fixed: int) -> PlaneFill:
    """Move inner vertices to the middle of their neighbours, back where that would turn a face over or make it worse."""
    points, faces = fill.points.copy(), fill.faces
    start, end = faces.ravel(), np.roll(faces, -1, axis=1).ravel()
    ones = np.ones(2 * len(start))
    links = coo_array((ones, (np.concatenate((start, end)), np.concatenate((end, start)))), shape=(len(points),) * 2).tocsr()
    share = np.maximum(np.asarray(links.sum(axis=1)).ravel(), 1)
    free = np.arange(len(points)) >= fixed
    for _ in range(SMOOTHING):
        moved = points + 0.6 * ((links @ points) / share[:, None] - points) * free[:, None]
        for _ in range(4):
            worse = (_worst_cosine(moved, faces) >= 1.0) & (_worst_cosine(points, faces) < 1.0)
            if not worse.any():
                break
            moved[faces[worse].ravel()] = points[faces[worse].ravel()]
        points = moved
    return PlaneFill(points, faces)
