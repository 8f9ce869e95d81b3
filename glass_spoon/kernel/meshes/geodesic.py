"""The shortest line on a mesh between two places: a string pulled taut over its triangles.

Dijkstra's way from edge to edge, over some places on each within the ellipse that a way along the edges bounds, chooses the
triangles that it runs through. Laid flat side by side, the shortest line through them is found exactly by the funnel
algorithm (Lee & Preparata 1984). Where that turns about a point with less than half a turn of faces on its other side, the
string is taken over to that side, and pulled again, until nothing gets shorter (Xin & Wang, Efficiently determining a
locally exact shortest path on polyhedral surfaces, 2007).
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints, lengths
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.funnel import Portal, funnel
from glass_spoon.kernel.meshes.mesh import Mesh

MOST_PULLS = 400
"""Times a string is pulled again, at most."""

MOST_ARCS = 600_000
"""Ways between places on the edges of triangles that are looked at, about; on larger meshes there are fewer places."""

NEAR = 1e-9
"""What is shorter than this share of the mesh's size is nothing."""


@dataclass(frozen=True, eq=False)
class ShortestLine:
    """Places (n, 3) in mm from end to end: where the line crosses edges. off: how far (2,) in mm the ends asked for lay off
    the mesh.
    """

    places: Floats
    off: tuple[float, float]

    @property
    def length(self) -> float:
        """Its length in mm."""
        return float(lengths(np.diff(self.places, axis=0)).sum())


def shortest_line(mesh: Mesh, start: Floats, end: Floats) -> ShortestLine:
    """Return the line on a mesh, no shorter one near it, between the places on it nearest to two (3,) mm.

    Raises KernelError where no faces lead from one to the other, or where both are one place. Cost: Dijkstra's over the
    edges, and for each pull linear in the triangles that the string crosses.
    """
    nearest = NearestOnMesh(mesh)
    found, faces, away = nearest.ask(np.stack((start, end)))
    triangles, owner = nearest.triangles
    size = float(np.ptp(mesh.positions, axis=0).max())
    if np.linalg.norm(found[1] - found[0]) <= NEAR * size:
        raise KernelError("Both ends are the same place on the mesh. Move them apart.")
    at = [_triangle_at(mesh, triangles, owner, face, place) for face, place in zip(faces.tolist(), found, strict=True)]
    taut = _Taut(mesh, triangles, found, at)
    return ShortestLine(taut.pulled(), (float(away[0]), float(away[1])))


def _triangle_at(mesh: Mesh, triangles: Ints, owner: Ints, face: int, place: Floats) -> int:
    """Return the triangle of a face that holds a place best."""
    own = np.flatnonzero(owner == face)
    corners = mesh.positions[triangles[own]]
    sides = np.roll(corners, -1, axis=1) - corners
    normal = np.cross(sides[:, 0], sides[:, 1])
    heights = np.einsum("tki,ti->tk", np.cross(sides, place - corners), normal)
    return int(own[np.argmax(heights.min(axis=1) / np.maximum(np.einsum("ti,ti->t", normal, normal), 1e-300))])


class _Taut:
    """A string over triangles (t, 3) of a mesh between two places (2, 3) in two of them."""

    def __init__(self, mesh: Mesh, triangles: Ints, ends: Floats, at: list[int]) -> None:
        self.points, self.triangles, self.ends, self.at = mesh.positions, triangles, ends, at
        sides = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
        self.size = float(np.ptp(mesh.positions, axis=0).max())
        count = len(triangles)
        low, high = sides.min(axis=1), sides.max(axis=1)
        keys = low * np.int64(len(self.points)) + high
        order = np.argsort(keys, kind="stable")
        same = np.flatnonzero(keys[order][1:] == keys[order][:-1])
        one, two = order[same], order[same + 1]
        self.neighbours = np.full((count, 3), -1)
        self.neighbours[one % count, one // count] = two % count
        self.neighbours[two % count, two // count] = one % count
        self._corners = np.argsort(triangles.ravel(), kind="stable")
        self._starts = np.searchsorted(triangles.ravel()[self._corners], np.arange(len(self.points) + 1))
        first = order[np.concatenate(([True], keys[order][1:] != keys[order][:-1]))]
        self.edges = np.column_stack((low, high))[first]
        self.edge_of = np.empty((count, 3), dtype=np.int64)
        number = np.cumsum(np.concatenate(([True], keys[order][1:] != keys[order][:-1]))) - 1
        self.edge_of[order % count, order // count] = number

        self.holding = [
            {beside for point in triangles[triangle].tolist() for beside in self.fan(point) if self._holds(beside, end)}
            for end, triangle in enumerate(at)
        ]

    def beside(self, triangle: int) -> list[int]:
        """Return the triangles that share an edge with one."""
        return [other for other in self.neighbours[triangle].tolist() if other >= 0]

    def fan(self, point: int) -> list[int]:
        """Return the triangles about a point."""
        return (self._corners[self._starts[point] : self._starts[point + 1]] // 3).tolist()

    def pulled(self) -> Floats:
        """Return the places (n, 3) of the taut string."""
        strip = self._first_strip()
        places, bends = self._funnel(strip)
        best = float(lengths(np.diff(places, axis=0)).sum())
        tried: set[tuple[int, ...]] = set()
        for _ in range(MOST_PULLS):
            moved = False
            other = self._all_over(strip, bends)
            if other is not None:
                found, turns = self._funnel(other)
                length = float(lengths(np.diff(found, axis=0)).sum())
                if length < best * (1 - 1e-12):
                    strip, places, bends, best = other, found, turns, length
                    continue
            for point, low, high in bends:
                other = self._over(strip, point, low, high)
                if other is None or tuple(other) in tried:
                    continue
                tried.add(tuple(other))
                found, turns = self._funnel(other)
                length = float(lengths(np.diff(found, axis=0)).sum())
                if length < best * (1 - 1e-12):
                    strip, places, bends, best, moved = other, found, turns, length, True
                    break
            if not moved:
                break
        return _without_doubles(places)

    def _along_edges(self) -> float:
        """Return the length in mm of the shortest way along the edges, by Dijkstra."""
        steps = lengths(self.points[self.edges[:, 1]] - self.points[self.edges[:, 0]])
        count = len(self.points)
        graph = scipy.sparse.csr_array((steps, (self.edges[:, 0], self.edges[:, 1])), shape=(count, count))
        one, other = self.triangles[self.at[0]], self.triangles[self.at[1]]
        far = scipy.sparse.csgraph.dijkstra(graph, directed=False, indices=one)
        whole = far[:, other] + lengths(self.points[one] - self.ends[0])[:, None]
        least = float((whole + lengths(self.points[other] - self.ends[1])[None, :]).min())
        if not np.isfinite(least):
            raise KernelError("No faces lead from one end to the other: they are on pieces of their own. Choose one piece.")
        return least

    def _first_strip(self) -> list[int]:
        """Return triangles, each beside the next, that a short way from the first to the last runs through."""
        least = self._along_edges()
        from_ends = lengths(self.points - self.ends[0]) + lengths(self.points - self.ends[1])
        # Of triangles that a way no longer than that runs through, some point is no farther from the ends than a side more.
        corners = self.points[self.triangles]
        long = lengths(np.roll(corners, -1, axis=1) - corners).max(axis=1)
        near = from_ends[self.triangles].min(axis=1) <= least + 2 * long
        near[self.at] = True
        chosen = np.flatnonzero(near)
        between = next((k for k in (4, 3, 2, 1) if len(chosen) * (3 + 3 * k) * (2 + 3 * k) / 2 <= MOST_ARCS), 0)
        nodes, places = self._nodes(chosen, between)
        graph = self._graph(nodes, places, chosen)
        start, end = len(places), len(places) + 1
        far, before = scipy.sparse.csgraph.dijkstra(graph, directed=False, indices=[start], return_predecessors=True)
        far, before = far[0], before[0]
        if not np.isfinite(far[end]):
            raise KernelError("The mesh hangs together in points alone there. Clean it first.")
        way = [int(before[end])]
        while before[way[-1]] != start:
            way.append(int(before[way[-1]]))
        return self._strip_of(way[::-1], nodes, chosen)

    def _nodes(self, chosen: Ints, between: int) -> tuple[Ints, Floats]:
        """Return the numbers (t, 3 + 3 k) of the places at corners and on edges of some triangles, and all places."""
        count, edges = len(self.points), self.edges
        on_edges = count + np.arange(len(edges) * between).reshape(len(edges), between)
        shares = (np.arange(between) + 1) / (between + 1)
        ends = self.points[edges]
        laid = ends[:, :1] + shares[None, :, None] * (ends[:, 1:] - ends[:, :1])
        nodes = np.concatenate((self.triangles[chosen], on_edges[self.edge_of[chosen]].reshape(len(chosen), -1)), axis=1)
        return nodes, np.concatenate((self.points, laid.reshape(-1, 3)))

    def _graph(self, nodes: Ints, places: Floats, chosen: Ints) -> scipy.sparse.csr_array:
        """Return the ways across each triangle between its places, and those from both ends, numbered behind all places."""
        between = nodes.shape[1] // 3 - 1
        of_edge = [{edge, (edge + 1) % 3, *range(3 + edge * between, 3 + (edge + 1) * between)} for edge in range(3)]
        one, two = np.triu_indices(nodes.shape[1], 1)
        across = [not any({a, b} <= own for own in of_edge) for a, b in zip(one.tolist(), two.tolist(), strict=True)]
        one, two = one[across], two[across]
        # Across a triangle each way is its own; along an edge there is one for both beside it.
        edges = np.unique(self.edge_of[chosen])
        inner = len(self.points) + edges[:, None] * between + np.arange(between)
        along = np.concatenate((self.edges[edges, :1], inner, self.edges[edges, 1:]), axis=1)
        starts = np.concatenate((nodes[:, one].ravel(), along[:, :-1].ravel()))
        ends = np.concatenate((nodes[:, two].ravel(), along[:, 1:].ravel()))
        steps = lengths(places[ends] - places[starts])
        for number, (place, triangle) in enumerate(zip(self.ends, self.at, strict=True)):
            own = nodes[int(np.searchsorted(chosen, triangle))]
            starts = np.concatenate((starts, own))
            ends = np.concatenate((ends, np.full(len(own), len(places) + number)))
            steps = np.concatenate((steps, lengths(places[own] - place)))
        size = len(places) + 2
        return scipy.sparse.csr_array((np.maximum(steps, 1e-300), (starts, ends)), shape=(size, size))

    def _strip_of(self, way: list[int], nodes: Ints, chosen: Ints) -> list[int]:
        """Return triangles, each beside the next, from the first to the last about the places of a way."""
        order = np.argsort(nodes.ravel(), kind="stable")
        ordered = nodes.ravel()[order]

        def holding(node: int) -> set[int]:
            low, high = np.searchsorted(ordered, (node, node + 1))
            return set(chosen[order[low:high] // nodes.shape[1]].tolist())

        strip = [self.at[0]]
        held = [holding(node) for node in way]
        for place, own in enumerate(held):
            goal = {self.at[1]} if place == len(way) - 1 else own & held[place + 1]
            path = self._through(strip[-1], goal, own)
            if path is None:
                raise KernelError("The mesh hangs together in a point alone there. Clean it first.")
            strip += path[1:]
        return self._trimmed(strip)

    def _through(self, start: int, goal: set[int], allowed: set[int], *, direct: bool = True) -> list[int] | None:
        """Return the fewest triangles from one to one of others, each beside the next, among those allowed; not straight
        over a common edge unless `direct`. None where there are none.
        """
        if start in goal:
            return [start]
        came, queue = {start: start}, [start]
        for now in queue:
            for other in self.beside(now):
                if other not in allowed or other in came or (not direct and now == start and other in goal):
                    continue
                came[other] = now
                if other in goal:
                    path = [other]
                    while path[-1] != start:
                        path.append(came[path[-1]])
                    return path[::-1]
                queue.append(other)
        return None

    def _all_over(self, strip: list[int], bends: list[tuple[int, int, int]]) -> list[int] | None:
        """Return the strip taken over to the other side of all points it turns about; None where fewer than two can be."""
        taken, limit = 0, len(strip)
        for point, low, high in sorted(bends, key=lambda bend: -bend[1]):
            if high >= limit:
                continue
            other = self._path_over(strip[low : high + 1], point)
            if other is not None:
                strip = [*strip[:low], *other, *strip[high + 1 :]]
                taken, limit = taken + 1, low
        return self._trimmed(strip) if taken > 1 else None

    def _over(self, strip: list[int], point: int, low: int, high: int) -> list[int] | None:
        """Return the strip taken over to the other side of a point that its triangles `low` to `high` go round, or None."""
        path = self._path_over(strip[low : high + 1], point)
        return None if path is None else self._trimmed([*strip[:low], *path, *strip[high + 1 :]])

    def _path_over(self, part: list[int], point: int) -> list[int] | None:
        """Return triangles about a point from the first to the last of some, the other way round; None where it is open."""
        if len(part) < 2:
            return None
        allowed = set(self.fan(point)) - set(part[1:-1])
        return self._through(part[0], {part[-1]}, allowed, direct=len(part) > 2)

    def _trimmed(self, strip: list[int]) -> list[int]:
        """Return a strip that comes through no triangle twice, and begins and ends in the last and the first that hold its
        ends: an end on an edge, or a point, is in several.
        """
        strip = _without_loops(strip)
        first = max(place for place, triangle in enumerate(strip) if place == 0 or triangle in self.holding[0])
        strip = strip[first:]
        last = min(place for place, triangle in enumerate(strip) if place == len(strip) - 1 or triangle in self.holding[1])
        return strip[: last + 1]

    def _holds(self, triangle: int, end: int) -> bool:
        """Say whether an end lies in a triangle, or on its border."""
        corners = self.points[self.triangles[triangle]]
        shares = _shares(corners, self.ends[end])
        off = np.linalg.norm(shares @ corners - self.ends[end])
        return bool(shares.min() >= -1e-9 and off <= NEAR * self.size)

    def _funnel(self, strip: list[int]) -> tuple[Floats, list[tuple[int, int, int]]]:
        """Return the shortest line (n, 3) through a strip, and the points that it turns about with the triangles of the
        strip, from one to another, that hold them.
        """
        flat, portals, goal = self._laid_flat(strip)
        return self._in_space(strip, flat, portals, goal, funnel(portals, goal))

    def _laid_flat(self, strip: list[int]) -> tuple[list[tuple[int, int]], list[Portal], Floats]:
        """Return the points at the left and right of each edge crossed, where these lie flat with the start at zero, and
        where the end lies.
        """
        places: dict[int, Floats] = {}
        first = self.triangles[strip[0]]
        sides = self.points[first[1:]] - self.points[first[0]]
        way = _unit(sides[0])
        across = _unit(np.cross(np.cross(sides[0], sides[1]), way))
        for point in first.tolist():
            away = self.points[point] - self.ends[0]
            near = float(away @ away) <= (NEAR * self.size) ** 2  # an end that lies on a point is that point
            places[point] = np.zeros(2) if near else np.array([away @ way, away @ across])
        edges: list[tuple[int, int]] = []
        portals: list[Portal] = []
        for now, following in pairwise(strip):
            mine, other = self.triangles[now].tolist(), self.triangles[following].tolist()
            shared = [point for point in mine if point in other]
            # The corners run to the left round a triangle: over the edge p to q one goes with p at the right.
            if mine[(mine.index(shared[0]) + 1) % 3] != shared[1]:
                shared.reverse()
            right, left = shared
            far = next(point for point in other if point not in shared)
            laid = self._unfolded((places[right], places[left]), (right, left), far)
            places = {right: places[right], left: places[left], far: laid}
            edges.append((left, right))
            portals.append((places[left], places[right]))
        corners = self.triangles[strip[-1]].tolist()
        away = lengths(self.points[corners] - self.ends[1])
        if away.min() <= NEAR * self.size:
            return edges, portals, places[corners[int(np.argmin(away))]]
        shares = _shares(self.points[corners], self.ends[1])
        return edges, portals, shares @ np.stack([places[point] for point in corners])

    def _unfolded(self, edge: tuple[Floats, Floats], ends: tuple[int, int], far: int) -> Floats:
        """Return where a third point of a triangle lies flat, beyond an edge whose right and left lie there already."""
        right, left = edge
        side = self.points[ends[1]] - self.points[ends[0]]
        length = float(np.linalg.norm(side))
        away = self.points[far] - self.points[ends[0]]
        along = float(away @ side) / length
        out = float(np.sqrt(max(float(away @ away) - along * along, 0.0)))
        way = (left - right) / length
        # The strip runs away from the edge: with its left end ahead, that is to the right of the way to it.
        return right + along * way + out * np.array([way[1], -way[0]])

    def _in_space(
        self,
        strip: list[int],
        edges: list[tuple[int, int]],
        portals: list[Portal],
        goal: Floats,
        corners: list[tuple[Floats, int]],
    ) -> tuple[Floats, list[tuple[int, int, int]]]:
        """Return a line that turns at corners as places on the mesh, and what it turns about."""
        bends: list[tuple[int, int, int]] = []
        stops = [(np.zeros(2), -1), *corners, (goal, len(portals))]
        places = [self.ends[0]]
        for (here, low), (there, high) in pairwise(stops):
            for number in range(low + 1, min(high, len(portals) - 1) + 1):
                left, right = portals[number]
                share = _crossing(here, there, right, left)
                one, two = edges[number][1], edges[number][0]
                places.append(self.points[one] + share * (self.points[two] - self.points[one]))
        places.append(self.ends[1])
        for turned, number in corners:
            left, right = portals[number]
            point = edges[number][0] if np.array_equal(turned, left) else edges[number][1]
            held = [place for place, triangle in enumerate(strip) if point in self.triangles[triangle]]
            low = high = number
            while low - 1 in held:
                low -= 1
            while high + 1 in held:
                high += 1
            bends.append((point, low, high))
        return np.array(places), bends


def _crossing(here: Floats, there: Floats, start: Floats, end: Floats) -> float:
    """Return the share of an edge at which a flat line crosses it, 0 to 1."""
    way, edge = there - here, end - start
    bottom = way[0] * edge[1] - way[1] * edge[0]
    if abs(bottom) < 1e-300:
        return 0.0 if np.linalg.norm(there - start) <= np.linalg.norm(there - end) else 1.0
    away = here - start
    return float(np.clip((way[0] * away[1] - way[1] * away[0]) / bottom, 0.0, 1.0))


def _unit(vector: Floats) -> Floats:
    return np.asarray(vector / max(float(np.linalg.norm(vector)), 1e-300))


def _shares(corners: Floats, place: Floats) -> Floats:
    """Return the shares (3,) of the corners (3, 3) of a triangle that mix to a place in it."""
    rows = np.column_stack((corners[1] - corners[0], corners[2] - corners[0]))
    found = np.linalg.lstsq(rows, place - corners[0], rcond=None)[0]
    return np.array([1 - found.sum(), *found])


def _without_loops(strip: list[int]) -> list[int]:
    """Return a strip that comes through no triangle twice."""
    kept: list[int] = []
    at: dict[int, int] = {}
    for triangle in strip:
        if triangle in at:
            for gone in kept[at[triangle] + 1 :]:
                del at[gone]
            del kept[at[triangle] + 1 :]
        else:
            at[triangle] = len(kept)
            kept.append(triangle)
    return kept


def _without_doubles(places: Floats) -> Floats:
    """Return places without those that lie on the one before, both ends kept."""
    size = max(float(np.ptp(places, axis=0).max()), 1e-300)
    kept = [places[0]]
    for place in places[1:-1]:
        if np.linalg.norm(place - kept[-1]) > NEAR * size:
            kept.append(place)
    if len(kept) > 1 and np.linalg.norm(places[-1] - kept[-1]) <= NEAR * size:
        kept.pop()
    return np.array([*kept, places[-1]])
