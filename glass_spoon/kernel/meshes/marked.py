"""Marks: named selections of points, edges or faces of a mesh, found by rule, and worked on as sets.

A mark holds for one mesh; the rule that made it is asked again of the next.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import Literal

import numpy as np
import scipy

from glass_spoon.kernel.arrays import AnyInts, Bools, Floats, Ints, directions, first_least, lengths
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.mesh_loops import edge_loop, nearest_edge
from glass_spoon.kernel.meshes.topology import Topology

MarkKind = Literal["point", "edge", "face"]
Meeting = Literal["with", "without", "within"]
"""Joined with another mark, the other taken away, or only what both hold."""


@dataclass(frozen=True, eq=False)
class Mark:
    """Marked elements of one kind of a mesh with a given topology: indices (k,), ascending."""

    kind: MarkKind
    indices: Ints
    topology: Topology

    def __len__(self) -> int:
        """Return how many elements are marked."""
        return len(self.indices)

    @cached_property
    def mask(self) -> Bools:
        """Mark all elements of the kind."""
        size = {"point": self.topology.point_count, "edge": len(self.topology.edges.ends), "face": self.topology.face_count}
        found = np.zeros(size[self.kind], dtype=bool)
        found[self.indices] = True
        return found

    def points(self) -> Bools:
        """Mark the vertices (n,) that the mark touches."""
        if self.kind == "point":
            return self.mask
        found = np.zeros(self.topology.point_count, dtype=bool)
        if self.kind == "edge":
            found[self.topology.edges.ends[self.indices].ravel()] = True
        else:
            found[self.topology.face_corners[self.mask[self.topology.face_of_corner]]] = True
        return found

    def edges(self) -> Bools:
        """Mark the edges (e,): of faces all their sides, of points those between two of them."""
        if self.kind == "edge":
            return self.mask
        if self.kind == "point":
            return np.asarray(self.mask[self.topology.edges.ends].all(axis=1))
        found = np.zeros(len(self.topology.edges.ends), dtype=bool)
        found[self.topology.edges.of_corner[self.mask[self.topology.face_of_corner]]] = True
        return found

    def faces(self) -> Bools:
        """Mark the faces (f,): of edges those beside them, of points those with all corners among them."""
        if self.kind == "face":
            return self.mask
        found = np.zeros(self.topology.face_count, dtype=bool)
        if self.kind == "edge":
            beside = self.topology.edge_faces[self.indices]
            found[beside[beside >= 0]] = True
        elif self.topology.face_count:
            inside = self.mask[self.topology.face_corners]
            found = np.logical_and.reduceat(inside, self.topology.face_offsets[:-1])
        return found


LEVEL = 1e-6
"""Rims count as equally high within this share of the mesh's size."""


def make_mark(kind: MarkKind, mesh: Mesh, chosen: AnyInts | Bools) -> Mark:
    """Return a mark of elements given by number or as a mask."""
    numbers = np.flatnonzero(chosen) if chosen.dtype == bool else np.unique(chosen).astype(np.int64)
    return Mark(kind, numbers, mesh.topology)


def mark_loop(mesh: Mesh, place: Floats) -> Mark:
    """Return the edge loop through the edge nearest to a place (3,) mm."""
    loop = edge_loop(mesh.topology, nearest_edge(mesh, place))
    following = np.roll(loop.vertices, -1) if loop.closed else loop.vertices[1:]
    return make_mark("edge", mesh, edges_between(mesh.topology, loop.vertices[: len(following)], following))


def mark_ring(mesh: Mesh, place: Floats) -> Mark:
    """Return the edge ring through the edge nearest to a place (3,) mm: the edges that face each other across quads."""
    return make_mark("edge", mesh, edge_ring(mesh.topology, nearest_edge(mesh, place)))


def mark_strip(mesh: Mesh, place: Floats) -> Mark:
    """Return the faces that the edge ring through the edge nearest to a place (3,) mm runs across."""
    ring = edge_ring(mesh.topology, nearest_edge(mesh, place))
    inside = np.zeros(len(mesh.topology.edges.ends), dtype=bool)
    inside[ring] = True
    sides = inside[mesh.topology.edges.of_corner]
    counted = np.bincount(mesh.topology.face_of_corner, sides, mesh.face_count)
    return make_mark("face", mesh, (counted >= 2) & (mesh.topology.face_sides == 4))


def edge_ring(topology: Topology, edge: int) -> Ints:
    """Return the edges (k,) of the ring through an edge, in order; it ends at faces that are no quads and at rims.

    A walk from quad to quad, sequential by nature.
    """
    half_edges = topology.edge_corners[edge]
    ring = [edge]
    for start, side in zip(half_edges.tolist(), (1, 0), strict=True):
        found: list[int] = []
        corner = start
        while corner >= 0 and topology.face_sides[topology.face_of_corner[corner]] == 4:
            across = int(topology.next_corner[topology.next_corner[corner]])
            number = int(topology.edges.of_corner[across])
            if number == edge:
                return np.array(ring + found, dtype=np.int64)
            found.append(number)
            corner = int(topology.twins[across])
        ring = ring + found if side else found[::-1] + ring
    return np.array(ring, dtype=np.int64)


def edges_between(topology: Topology, first: Ints, second: Ints) -> Ints:
    """Return the edges (k,) that join vertices `first` (k,) and `second` (k,); InvalidInput where there is none."""
    found = topology.find_edges(np.column_stack((first, second)))
    if (found < 0).any():
        raise InvalidInput("The vertices", "joined by edges", "apart")
    return found


def mark_rim(mesh: Mesh) -> Mark:
    """Return the edges with one face only."""
    return make_mark("edge", mesh, mesh.topology.boundary_edges)


def mark_sharper(mesh: Mesh, angle: float) -> Mark:
    """Return the inner edges at which the faces turn by more than `angle` rad; those marked sharp count as well."""
    topology = mesh.topology
    pair = topology.edge_faces
    inner = (topology.edge_face_counts == 2) & ~topology.same_direction
    facing = np.einsum("ij,ij->i", mesh.face_normals[pair[:, 0]], mesh.face_normals[pair[:, 1]])
    return make_mark("edge", mesh, inner & (facing < np.cos(angle) - 1e-12))


def keep_running(mesh: Mesh, mark: Mark, way: Floats, angle: float, *, across: bool = False) -> Mark:
    """Return marked edges that run within `angle` rad of a direction (3,), whichever way round; across: of square to it."""
    ends = mesh.positions[mesh.topology.edges.ends[mark.indices]]
    along = np.abs(directions(ends[:, 1] - ends[:, 0]) @ directions(way[None])[0])
    keep = along <= np.sin(angle) + 1e-12 if across else along >= np.cos(angle) - 1e-12
    return make_mark("edge", mesh, mark.indices[keep])


def mark_end_rims(mesh: Mesh, *, top: bool) -> Mark:
    """Return the open rim that lies lowest, or highest, by the middle of its points; all that lie as low or as high."""
    topology = mesh.topology
    edges = np.flatnonzero(topology.edge_face_counts == 1)
    ends = topology.edges.ends[edges].astype(np.int64)
    if not len(edges):
        return make_mark("edge", mesh, edges)
    group = np.unique(joined_groups(ends[:, 0], ends[:, 1], mesh.point_count)[ends[:, 0]], return_inverse=True)[1].ravel()
    heights = np.bincount(group, mesh.positions[ends, 2].mean(axis=1)) / np.bincount(group)
    level = heights.max() if top else heights.min()
    return make_mark(
        "edge", mesh, edges[np.abs(heights - level)[group] <= LEVEL * float(np.ptp(mesh.positions, axis=0).max())]
    )


def mark_corners(mesh: Mesh, angle: float) -> Mark:
    """Return the points at which three or more edges that are open or sharper than `angle` rad meet, and those at which
    two of them turn by more than it.
    """
    topology = mesh.topology
    sharp = mark_sharper(mesh, angle).mask | (topology.edge_face_counts == 1)
    ends = topology.edges.ends[sharp].astype(np.int64)
    count = np.bincount(ends.ravel(), minlength=mesh.point_count)
    ways = directions(mesh.positions[ends[:, 1]] - mesh.positions[ends[:, 0]])
    # Two edges that go straight on leave a point in opposite ways: what is left of both together tells how they turn.
    left = np.zeros_like(mesh.positions)
    np.add.at(left, ends[:, 0], ways)
    np.subtract.at(left, ends[:, 1], ways)
    turning = lengths(left) > 2 * np.sin(angle / 2) + 1e-12
    return make_mark("point", mesh, (count >= 3) | ((count == 2) & turning))


def mark_creases(mesh: Mesh) -> Mark:
    """Return the edges that carry sharpness."""
    sharp = mesh.edges.get("sharpness")
    return make_mark("edge", mesh, np.zeros(0, dtype=np.int64) if sharp is None else sharp > 0)


def mark_borders(mesh: Mesh, kinds: Ints | None = None) -> Mark:
    """Return the edges between faces of different pieces, or of pieces of different kinds (p,)."""
    pair = mesh.topology.edge_faces
    piece = mesh.faces.get("piece", np.zeros(mesh.face_count)).astype(np.int64)
    if kinds is not None:
        piece = kinds[np.clip(piece, 0, len(kinds) - 1)]
    apart: Bools = np.not_equal(piece[pair[:, 0]], piece[pair[:, 1]])
    return make_mark("edge", mesh, apart & (pair[:, 1] >= 0))


def mark_facing(mesh: Mesh, direction: Floats, angle: float) -> Mark:
    """Return the faces whose normal lies within `angle` rad of a direction (3,)."""
    size = float(np.linalg.norm(direction))
    if size == 0:
        raise InvalidInput("The direction", "a direction", "a zero vector")
    facing: Floats = mesh.face_normals @ (direction / size)
    return make_mark("face", mesh, np.flatnonzero(facing >= np.cos(angle) - 1e-12))


def mark_sideways(mesh: Mesh, angle: float) -> Mark:
    """Return the faces whose normal lies within `angle` rad of the level: the walls of what stands upright."""
    level = np.abs(mesh.face_normals[:, 2]) <= np.sin(min(angle, np.pi / 2)) + 1e-12
    return make_mark("face", mesh, np.flatnonzero(level & mesh.face_normals.any(axis=1)))


def mark_outline(mesh: Mesh, marks: list[Mark]) -> Mark:
    """Return the edges that have a face of some marks on one side and another, or none, on the other."""
    held = np.zeros(mesh.face_count + 1, dtype=bool)  # the last stands for no face
    for mark in marks:
        held[:-1] |= mark.faces()
    beside = held[mesh.topology.edge_faces]
    return make_mark("edge", mesh, np.flatnonzero(beside[:, 0] != beside[:, 1]))


def mark_box(mesh: Mesh, low: Floats, high: Floats, kind: MarkKind = "face") -> Mark:
    """Return the elements with their middle between two corners (3,) mm of an upright box."""
    middles = element_middles(mesh, kind)
    inside = (middles >= np.minimum(low, high)) & (middles <= np.maximum(low, high))
    return make_mark(kind, mesh, np.flatnonzero(inside.all(axis=1)))


SurfaceSide = Literal["every", "start", "end", "first", "last"]
"""A side of a surface: where v is least or greatest (start, end), where u is (first, last), or any of these."""

_ON_SIDE = 1e-9
"""How far parameters, scaled to 0 .. 1, may be from the side of their surface."""


def mark_surface_edges(mesh: Mesh, side: SurfaceSide) -> Mark:
    """Return the edges that lie on a side of the surface, or of the surfaces, which the mesh stands for.

    Told by the corner attribute "uv"; a mesh without one has none. A side that shrinks to a point has no edges.
    """
    topology = mesh.topology
    uv = mesh.corners.get("uv")
    if uv is None:
        return make_mark("edge", mesh, np.zeros(0, dtype=np.int64))
    found = np.zeros(len(topology.face_corners), dtype=bool)
    for name, axis, value in (("start", 1, 0.0), ("end", 1, 1.0), ("first", 0, 0.0), ("last", 0, 1.0)):
        if side in ("every", name):
            there = np.abs(uv[:, axis] - value) <= _ON_SIDE
            found |= there & there[topology.next_corner]
    return make_mark("edge", mesh, np.unique(topology.edges.of_corner[found]))


def mark_pieces(mesh: Mesh, pieces: Ints) -> Mark:
    """Return the faces of some pieces, by number."""
    piece = mesh.faces.get("piece", np.zeros(mesh.face_count))
    return make_mark("face", mesh, np.isin(piece, pieces))


def mark_made(mesh: Mesh, pieces: Ints, makers: Ints) -> Mark:
    """Return the faces of some pieces, by number, and those that carry one of the numbers of makers (k,)."""
    found = mark_pieces(mesh, pieces).mask
    if len(makers) and "maker" in mesh.faces:
        found = found | np.isin(mesh.faces["maker"], makers)
    return make_mark("face", mesh, found)


def mark_made_edges(mesh: Mesh, makers: Ints) -> Mark:
    """Return the edges that carry one of the numbers of makers (k,)."""
    carried = mesh.edges.get("maker", np.zeros(len(mesh.topology.edges.ends), dtype=np.int32))
    return make_mark("edge", mesh, np.isin(carried, makers) & (carried > 0))


def mark_nearest(mesh: Mesh, places: Floats, kind: MarkKind) -> Mark:
    """Return for each place (k, 3) mm the element whose middle is nearest."""
    if not len(element_middles(mesh, kind)):
        return make_mark(kind, mesh, np.zeros(0, dtype=np.int64))
    return make_mark(kind, mesh, nearest_elements(mesh, places, kind))


def mark_path(mesh: Mesh, places: Floats) -> Mark:
    """Return the edges of the shortest way over edges through the points nearest to places (k, 3), one after another.

    Dijkstra's search; where points do not hang together that part is left out.
    """
    ends = mesh.topology.edges.ends.astype(np.int64)
    if len(places) < 2 or not len(ends):
        return make_mark("edge", mesh, np.zeros(0, dtype=np.int64))
    size = np.maximum(lengths(mesh.positions[ends[:, 1]] - mesh.positions[ends[:, 0]]), 1e-12)
    graph = scipy.sparse.csr_array(scipy.sparse.coo_array((size, (ends[:, 0], ends[:, 1])), shape=(mesh.point_count,) * 2))
    stops = nearest_elements(mesh, places, "point")
    chain: list[tuple[int, int]] = []
    for start, stop in pairwise(stops.tolist()):
        came = scipy.sparse.csgraph.dijkstra(graph, directed=False, indices=start, return_predecessors=True)[1]
        at = stop
        while at != start and came[at] >= 0:
            chain.append((at, int(came[at])))
            at = int(came[at])
    return make_mark("edge", mesh, mesh.topology.find_edges(np.array(chain, dtype=np.int64).reshape(-1, 2)))


def nearest_elements(mesh: Mesh, places: Floats, kind: MarkKind) -> Ints:
    """Return the element (k,) whose middle is nearest to each place (k, 3)."""
    middles = element_middles(mesh, kind)
    return first_least(np.sqrt(((middles[None] - places[:, None]) ** 2).sum(axis=2)))


def element_middles(mesh: Mesh, kind: MarkKind) -> Floats:
    """Return the middle (k, 3) in mm of every element of a kind."""
    if kind == "point":
        return mesh.positions
    if kind == "edge":
        return np.asarray(mesh.positions[mesh.topology.edges.ends].mean(axis=1))
    return mesh.face_centers


def grow(mark: Mark, rings: int) -> Mark:
    """Return the mark grown by `rings` of neighbours, those that share a vertex; below zero it shrinks by as many."""
    if rings == 0:
        return mark
    topology = mark.topology
    mask = mark.mask if rings > 0 else ~mark.mask
    for _ in range(abs(rings)):
        touched = Mark(mark.kind, np.flatnonzero(mask), topology).points()
        if mark.kind == "point":
            ends = topology.edges.ends
            beside = touched[ends].any(axis=1)
            mask = mask.copy()
            mask[ends[beside].ravel()] = True
        elif mark.kind == "edge":
            mask = np.asarray(touched[topology.edges.ends].any(axis=1))
        else:
            mask = np.asarray(np.logical_or.reduceat(touched[topology.face_corners], topology.face_offsets[:-1]))
    return Mark(mark.kind, np.flatnonzero(mask if rings > 0 else ~mask), topology)


def meet(mark: Mark, other: Mark, how: Meeting) -> Mark:
    """Return a mark joined with another, without it, or only what both hold; the other is read as the kind of the first."""
    mask = {"point": other.points, "edge": other.edges, "face": other.faces}[mark.kind]()
    joined = {"with": mark.mask | mask, "without": mark.mask & ~mask, "within": mark.mask & mask}[how]
    return Mark(mark.kind, np.flatnonzero(joined), mark.topology)


def as_kind(mark: Mark, kind: MarkKind) -> Mark:
    """Return the mark read as another kind: what touches it, lies between it, or beside it."""
    mask = {"point": mark.points, "edge": mark.edges, "face": mark.faces}[kind]()
    return Mark(kind, np.flatnonzero(mask), mark.topology)


def mark_level(mesh: Mesh, height: float, reach: float) -> Mark:
    """Return the edges with both ends within `reach` mm of a height in mm."""
    near = np.abs(mesh.positions[:, 2] - height) <= reach + 1e-9
    return make_mark("edge", mesh, np.asarray(near[mesh.topology.edges.ends].all(axis=1)))


def mark_all(mesh: Mesh) -> Mark:
    """Return all faces."""
    return make_mark("face", mesh, np.arange(mesh.face_count))
