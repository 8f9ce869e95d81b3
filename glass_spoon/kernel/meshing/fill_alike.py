"""Fills of flat outlines that are symmetric: one part between two rays is filled, and its copies close the whole.

o---o---o ray 1   Turned onto itself n times, an outline falls into n sectors about its middle; mirrored, into two halves.
|   |   |         Rays run through vertices of the rims alone, so that no rim is divided; along them come new vertices, as
o---+---o         many on a ray as on its image. A half may be symmetric again.
|   |   |
o---o---o ray 0
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import islice, pairwise

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshing.plane_fill import PlaneFill, least_angle, opened, smoothed
from glass_spoon.kernel.meshing.triangulate_plane import contains

ALIKE = 1e-6
"""How far apart vertices may lie, at size one, that are each other's images."""

CLEAR = 0.6
"""How near a ray may pass by a rim that it does not cross, in edges of that rim."""

OPEN_MIDDLE = (np.radians(44), np.radians(136))
"""Between which a part's corner is in the middle, where the outline has no hole there; half a turn is none."""

TRIES = (5, 2, 1)
"""Ways to cut that are tried: of the whole, of a part, of a part of that, whose own parts are filled as they are."""

Fill = Callable[[list[Floats]], PlaneFill]
"""How a part is filled."""


@dataclass(frozen=True, eq=False)
class _Plan:
    """Rims (n, 2) about the middle, their loops as numbers, and how a part comes to its copies: matrices (m, 2, 2)."""

    points: Floats
    loops: list[Ints]
    copies: Floats
    mirrored: bool


def symmetric_fill(loops: list[Floats], fill: Fill, good: float, depth: int = 0) -> PlaneFill | None:
    """Return the fill of loops at size one whose symmetry is that of the loops; None where they have none that can be kept.

    loops: as for `fill_plane`. Turns of the highest order come first, then mirrors; the first whose worst corner is off
    being straight or shut by `good` rad is taken, otherwise the best. depth: how often what is filled was cut.
    """
    if depth >= len(TRIES):
        return None
    middle = _middle(loops)
    points = np.concatenate(loops) - middle
    ends = np.cumsum([0, *(len(loop) for loop in loops)])
    numbers = [np.arange(low, high) for low, high in pairwise(ends)]
    found: list[PlaneFill] = []
    for plan, part in islice(_cuts(points, numbers), TRIES[depth]):
        try:
            done = _closed(plan, fill(part))
        except KernelError:
            continue  # a part is too narrow; the whole may not be
        if done is not None:
            found.append(PlaneFill(np.concatenate((*loops, middle + done.points[len(points) :])), done.faces))
            if least_angle(done) >= good:
                return found[-1]
    return max(found, key=least_angle, default=None)


def _cuts(points: Floats, loops: list[Ints]) -> Iterator[tuple[_Plan, list[Floats]]]:
    """Yield ways to cut loops into parts alike, and a part, one for each symmetry."""
    for copies, mirrored in _symmetries(points, loops):
        plan = _Plan(points, loops, copies, mirrored)
        parts = (_part(plan, rays) for rays in _rays(plan))
        yield from islice(((plan, part) for part in parts if part is not None), 1)


def _middle(loops: list[Floats]) -> Floats:
    """Return the middle (2,) of the area inside loops."""
    total, moment = 0.0, np.zeros(2)
    for loop in loops:
        ahead = np.roll(loop, -1, axis=0)
        twice = loop[:, 0] * ahead[:, 1] - ahead[:, 0] * loop[:, 1]
        total += float(twice.sum())
        moment += twice @ (loop + ahead) / 3
    return moment / total


def _symmetries(points: Floats, loops: list[Ints]) -> Iterator[tuple[Floats, bool]]:
    """Yield the ways (m, 2, 2) in which points lie as before, and whether they mirror: turns first, the most of them."""
    tree = scipy.spatial.cKDTree(points)

    def alike(way: Floats) -> bool:
        return float(np.max(tree.query(points @ way.T)[0])) < ALIKE

    count = len(loops[0])
    order = next((n for n in range(count, 1, -1) if count % n == 0 and alike(_turned(2 * np.pi / n))), 1)
    inside = bool(contains(points, _edges(loops), np.zeros((1, 2)))[0])
    for n in range(order, 2, -1):
        if order % n == 0 and (not inside or OPEN_MIDDLE[0] <= 2 * np.pi / n <= OPEN_MIDDLE[1]):
            yield np.array([_turned(2 * np.pi * k / n) for k in range(n)]), False
    for at in points[loops[0][: count // 2 + 1]]:
        along = at / max(float(np.hypot(*at)), 1e-12)
        mirror = 2 * np.outer(along, along) - np.eye(2)
        if alike(mirror):
            yield np.array([np.eye(2), mirror]), True
    if order % 2 == 0:
        yield np.array([np.eye(2), -np.eye(2)]), False


def _turned(angle: float) -> Floats:
    """Return the matrix (2, 2) of a turn."""
    return np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])


def _edges(loops: list[Ints]) -> Ints:
    """Return the edges (n, 2) of loops of numbers."""
    return np.concatenate([np.column_stack((loop, np.roll(loop, -1))) for loop in loops])


def _rays(plan: _Plan) -> list[tuple[Ints, Ints]]:
    """Return pairs of rays as the vertices on each, from the middle out: those that cross the fewest rims first."""
    found: list[tuple[tuple[int, float], tuple[Ints, Ints]]] = []
    first = plan.loops[0]
    starts = first[: len(first) // len(plan.copies)] if not plan.mirrored else first
    for at in plan.points[starts]:
        along = at / max(float(np.hypot(*at)), 1e-12)
        if plan.mirrored and float(np.abs(plan.copies[1] @ along - along).max()) > ALIKE:
            continue
        rays = [along, -along if plan.mirrored else plan.copies[1] @ along]
        own = [_on_ray(plan, ray) for ray in rays]
        if all(part is not None for part in own):
            (a, clear), (b, _) = own  # type: ignore[misc]  # neither is None
            found.append(((len(a) + len(b), -min(clear, 2.0)), (a, b)))
    return [rays for _, rays in sorted(found, key=lambda one: one[0])]


def _on_ray(plan: _Plan, along: Floats) -> tuple[Ints, float] | None:
    """Return the vertices that lie on a ray from the middle, from there out, and how far it passes by others, in edges.

    None where it runs through an edge, along one, or too near by.
    """
    out = plan.points @ along
    off = plan.points @ np.array([-along[1], along[0]])
    on = (np.abs(off) < ALIKE) & (out > ALIKE)
    edges = _edges(plan.loops)
    a, b = edges.T
    size = np.hypot(*(plan.points[b] - plan.points[a]).T)
    crossed = (off[a] * off[b] < 0) & ~on[a] & ~on[b]
    share = off[a][crossed] / (off[a][crossed] - off[b][crossed])
    if (out[a][crossed] * (1 - share) + out[b][crossed] * share > -ALIKE).any() or (on[a] & on[b]).any():
        return None
    beside = ~on & (out > 0)
    near = np.zeros(len(out))
    near[a] = size
    clear = float((np.abs(off[beside]) / near[beside]).min(initial=np.inf))
    if clear < CLEAR:
        return None
    vertices = np.flatnonzero(on)
    return vertices[np.argsort(out[vertices])], clear


def _part(plan: _Plan, rays: tuple[Ints, Ints]) -> list[Floats] | None:
    """Return the loops of the part between two rays; None where a loop of it would have an odd count of edges."""
    points = plan.points
    chains, holes = _chains(plan, rays)
    if chains is None:
        return None
    inside = len(rays[0]) % 2 == 1
    ways = [[(-1, int(ray[0]))] if inside else [] for ray in rays]
    for way, ray in zip(ways, rays, strict=True):
        way += [(int(a), int(b)) for a, b in zip(ray[inside::2], ray[inside + 1 :: 2], strict=True)]
    size = np.zeros(len(points))
    edges = _edges(plan.loops)
    size[edges[:, 0]] = np.hypot(*(points[edges[:, 1]] - points[edges[:, 0]]).T)
    counts = [[_count_along(points, size, *pair) for pair in way] for way in ways]
    if not plan.mirrored:
        counts[1] = counts[0]
    loops = _walked(chains, ways)
    if loops is None:
        return None
    result = []
    for loop in loops:
        odd = sum(len(chains[k]) - 1 if ray < 0 else counts[ray][k] for ray, k in loop) % 2
        if odd and not plan.mirrored:
            return None
        if odd:
            longest = max((one for one in loop if one[0] >= 0), key=lambda one: counts[one[0]][one[1]])
            counts[longest[0]][longest[1]] += 1
        places: list[Floats] = []
        for side, step in loop:
            if side < 0:
                places.append(points[chains[step][:-1]])
                continue
            low, high = (points[number] if number >= 0 else np.zeros(2) for number in ways[side][step])
            share = np.arange(counts[side][step])[:, None] / counts[side][step]
            # The same places on a ray as on its image, whichever way it is walked.
            places.append(low + (high - low) * share if side == 0 else high + (low - high) * share)
        result.append(np.concatenate(places))
    outline = max(range(len(result)), key=lambda k: float(np.ptp(result[k], axis=0).max()))
    return [result[outline], *(one for k, one in enumerate(result) if k != outline), *(points[hole] for hole in holes)]


def _count_along(points: Floats, size: Floats, low: int, high: int) -> int:
    """Return how many edges a ray has between two vertices, -1 for the middle: an even number, for the corners' sake."""
    start = points[low] if low >= 0 else np.zeros(2)
    wish = size[high] if low < 0 else (size[low] + size[high]) / 2
    return max(2, 2 * round(float(np.hypot(*(points[high] - start))) / max(float(wish), 1e-12) / 2))


def _chains(plan: _Plan, rays: tuple[Ints, Ints]) -> tuple[list[Ints] | None, list[Ints]]:
    """Return the stretches of rims inside the part, from ray to ray, and the loops inside it that meet none."""
    points = plan.points
    on = np.zeros(len(points), dtype=bool)
    on[np.concatenate(rays)] = True
    first = points[rays[0][-1]]
    wide = np.pi if plan.mirrored else 2 * np.pi / len(plan.copies)
    angle = (np.arctan2(points[:, 1], points[:, 0]) - np.arctan2(first[1], first[0])) % (2 * np.pi)
    within = ~on & (angle < wide)
    chains: list[Ints] = []
    holes: list[Ints] = []
    for loop in plan.loops:
        own = np.flatnonzero(on[loop])
        if not len(own):
            if within[loop].all():
                holes.append(loop)
            elif within[loop].any():
                return None, []
            continue
        around = np.roll(loop, -int(own[0]))
        cuts = np.append(np.flatnonzero(on[around]), len(around))
        closed = np.append(around, around[0])
        for a, b in pairwise(cuts):
            inner = within[closed[a + 1 : b]]
            if b - a < 2 or inner.any() != inner.all():
                return None, []
            if inner.all():
                chains.append(closed[a : b + 1])
    return chains, holes


def _walked(chains: list[Ints], ways: list[list[tuple[int, int]]]) -> list[list[tuple[int, int]]] | None:
    """Return loops of steps (-1, chain), or (ray, stretch of it): out along ray 0, in along ray 1; None where they do not
    close.
    """
    start_of = {int(chain[0]): k for k, chain in enumerate(chains)}
    out = {low: (k, high) for k, (low, high) in enumerate(ways[0])}
    back = {high: (k, low) for k, (low, high) in enumerate(ways[1])}
    left, loops = set(range(len(chains))), []
    while left:
        first = min(left)
        loop, at = [], first
        while True:
            if at not in left:
                return None
            left.discard(at)
            loop.append((-1, at))
            end = int(chains[at][-1])
            if end in back:
                k, end = back[end]
                loop.append((1, k))
            if (end in out) and (end < 0 or loop[-1][0] < 0):
                k, end = out[end]
                loop.append((0, k))
            if end not in start_of:
                return None
            at = start_of[end]
            if at == first:
                break
        loops.append(loop)
    return loops


def _closed(plan: _Plan, part: PlaneFill) -> PlaneFill | None:
    """Return the copies of a part as one fill, vertices of the rims first; None where they do not fit."""
    count = len(plan.points)
    copies = [part.points @ way.T for way in plan.copies]
    every = np.concatenate((plan.points, *copies))
    first = _first_alike(every)
    faces = []
    for k in range(len(copies)):
        own = part.faces + count + k * len(part.points)
        faces.append(own[:, ::-1] if plan.mirrored and k else own)
    images = first[count + np.arange(len(copies))[:, None] * len(part.points) + np.arange(len(part.points))]
    faces_now = first[np.concatenate(faces)]
    kept = np.union1d(np.arange(count), faces_now)
    if (first[:count] != np.arange(count)).any() or len(np.unique(faces_now)) != len(kept):
        return None
    number = np.zeros(len(every), dtype=np.int64)
    number[kept] = np.arange(len(kept))
    fill = PlaneFill(every[kept], number[faces_now])
    return max((opened(one, count, (number[images], plan.copies)) for one in (fill, smoothed(fill, count))), key=least_angle)


def _first_alike(points: Floats) -> Ints:
    """Return for each point (n,) the first that lies where it does."""
    pairs = scipy.spatial.cKDTree(points).query_pairs(10 * ALIKE, output_type="ndarray")
    first = np.arange(len(points))
    np.minimum.at(first, pairs[:, 1], pairs[:, 0])
    return first[first]
