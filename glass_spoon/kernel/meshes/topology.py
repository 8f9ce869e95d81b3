"""Which corners make which face, and all that follows from it. No coordinates.

A corner is also the half-edge that leaves it: corner h goes from face_corners[h] to the next corner of its face.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
import scipy
from numpy.typing import ArrayLike, NDArray

from glass_spoon.kernel.arrays import AnyInts, Ints, frozen_ints
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.groups import joined_groups

Indices = NDArray[np.int32]


@dataclass(frozen=True, eq=False)
class EdgeTable:
    """The edges of a topology.

    ends: (e, 2) vertices, the lower first. of_corner: (h,) the edge of each half-edge. Non-manifold edges are one entry.
    """

    ends: Indices
    of_corner: Indices


@dataclass(frozen=True, eq=False)
class Topology:
    """Faces over `point_count` vertices; trusted constructor, see `make_topology`.

    face_offsets: (f + 1,) int32, face i holds corners face_offsets[i] .. face_offsets[i + 1]. face_corners: (h,) int32.
    `given_edges` lets an operation that knows the edges hand them over; else they are derived in sorted order.
    """

    point_count: int
    face_offsets: Indices
    face_corners: Indices
    given_edges: EdgeTable | None = field(default=None, repr=False)

    def __post_init__(self) -> None:
        """Make the arrays read-only."""
        object.__setattr__(self, "face_offsets", frozen_ints(self.face_offsets))
        object.__setattr__(self, "face_corners", frozen_ints(self.face_corners))

    @property
    def face_count(self) -> int:
        """Number of faces."""
        return len(self.face_offsets) - 1

    @cached_property
    def key(self) -> str:
        """Hash of the content."""
        digest = hashlib.blake2b(digest_size=16)
        for part in (np.int64(self.point_count).tobytes(), self.face_offsets.tobytes(), self.face_corners.tobytes()):
            digest.update(part)
        return digest.hexdigest()

    @cached_property
    def face_sides(self) -> Indices:
        """Corners of each face (f,)."""
        return frozen_ints(np.diff(self.face_offsets))

    @cached_property
    def is_quads(self) -> bool:
        """True when every face has four corners."""
        return bool((self.face_sides == 4).all())

    @cached_property
    def quad_corners(self) -> Ints:
        """The four corners of all-quad faces as columns (4, f), int64: the form that gathers fastest."""
        columns = self.face_corners.reshape(-1, 4).T.astype(np.int64)
        columns.flags.writeable = False
        return columns

    @cached_property
    def face_of_corner(self) -> Indices:
        """The face of each corner (h,)."""
        return frozen_ints(np.repeat(np.arange(self.face_count, dtype=np.int32), self.face_sides))

    @cached_property
    def next_corner(self) -> Indices:
        """The next corner of the same face (h,)."""
        following = np.arange(1, len(self.face_corners) + 1, dtype=np.int32)
        following[self.face_offsets[1:] - 1] = self.face_offsets[:-1]
        return frozen_ints(following)

    @cached_property
    def previous_corner(self) -> Indices:
        """The corner before of the same face (h,)."""
        before = np.arange(-1, len(self.face_corners) - 1, dtype=np.int32)
        before[self.face_offsets[:-1]] = self.face_offsets[1:] - 1
        return frozen_ints(before)

    def corners_of_faces(self, faces: AnyInts) -> tuple[Ints, Ints]:
        """Return the corners (k,) of some faces (f,), face by face in order, and the place of its face among these (k,)."""
        return _stretches(self.face_offsets[faces], self.face_sides[faces])

    def corners_at(self, points: AnyInts) -> Indices:
        """Return the corners (k,) of faces at some vertices (v,), vertex by vertex in order."""
        corners, starts = self.vertex_corners
        return corners[_stretches(starts[points], starts[points + 1] - starts[points])[0]]

    def spread(self, faces: AnyInts, over: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """Mark the faces (f,) that hang together with some, by way of faces marked `over` (f,) and inner edges that run both
        ways. Cost: linear in what is reached.
        """
        reached = np.zeros(self.face_count, dtype=bool)
        reached[faces] = True
        joined = (self.edge_face_counts == 2) & ~self.same_direction
        while len(faces):
            edges = self.edges.of_corner[self.corners_of_faces(faces)[0]]
            beside = self.edge_faces[edges[joined[edges]]].ravel()
            beside = beside[over[beside] & ~reached[beside]]
            reached[beside] = True
            faces = np.unique(beside)
        return reached

    @cached_property
    def first_corners(self) -> Indices:
        """The lowest corner of each vertex (n,); -1 where no face uses it."""
        first = np.full(self.point_count, -1, dtype=np.int32)
        first[self.face_corners[::-1]] = np.arange(len(self.face_corners), dtype=np.int32)[::-1]
        return frozen_ints(first)

    @cached_property
    def vertex_corners(self) -> tuple[Indices, Indices]:
        """The corners (h,) sorted by vertex, and where those of each vertex start (n + 1,)."""
        corners, starts = _sorted_by(self.face_corners, self.point_count)
        return frozen_ints(corners), frozen_ints(starts)

    @cached_property
    def edges(self) -> EdgeTable:
        """The edges, sorted by their vertices unless they were handed over."""
        if self.given_edges is not None:
            return self.given_edges
        start, end = self.face_corners, self.face_corners[self.next_corner]
        return _edge_table(np.minimum(start, end), np.maximum(start, end), self.point_count)

    @cached_property
    def _edge_keys(self) -> tuple[Ints, Ints]:
        """One number for the ends of each edge, in rising order, and the edges in that order (e,)."""
        low, high = self.edges.ends.astype(np.int64).T
        keys = low * self.point_count + high
        if self.given_edges is None:
            return keys, np.arange(len(keys))
        order = np.argsort(keys)
        return keys[order], order

    def find_edges(self, pairs: Ints | Indices) -> Ints:
        """Return the edge (k,) that joins each pair of vertices (k, 2), in either order; -1 where none does."""
        keys, order = self._edge_keys
        if not len(keys):
            return np.full(len(pairs), -1, dtype=np.int64)
        low, high = np.sort(np.asarray(pairs, dtype=np.int64), axis=1).T
        asked = low * self.point_count + high
        at = np.minimum(np.searchsorted(keys, asked), len(keys) - 1)
        return np.where(keys[at] == asked, order[at], -1)

    @cached_property
    def edge_face_counts(self) -> Indices:
        """Number of faces at each edge (e,): 1 on a boundary, 2 inside, more where the mesh is not a manifold."""
        return frozen_ints(np.bincount(self.edges.of_corner, minlength=len(self.edges.ends)))

    @cached_property
    def edge_corners(self) -> Indices:
        """The first and the last half-edge of each edge (e, 2); the second is -1 on boundaries."""
        count = len(self.edges.ends)
        pair = np.full((count, 2), -1, dtype=np.int32)
        corners = np.arange(len(self.face_corners), dtype=np.int32)
        pair[self.edges.of_corner, 1] = corners
        pair[self.edges.of_corner[::-1], 0] = corners[::-1]
        pair[pair[:, 0] == pair[:, 1], 1] = -1
        return frozen_ints(pair)

    @cached_property
    def edge_faces(self) -> Indices:
        """The faces of the two half-edges of each edge (e, 2); -1 where there is none."""
        return frozen_ints(np.where(self.edge_corners >= 0, self.face_of_corner[self.edge_corners], -1))

    @cached_property
    def neighbours(self) -> Indices:
        """The two faces (k, 2) at each inner edge that runs both ways."""
        return frozen_ints(self.edge_faces[(self.edge_face_counts == 2) & ~self.same_direction])

    @cached_property
    def twins(self) -> Indices:
        """The opposite half-edge (h,); -1 on boundaries, non-manifold edges and edges run twice in one direction."""
        result = np.full(len(self.face_corners), -1, dtype=np.int32)
        pair = self.edge_corners[(self.edge_face_counts == 2) & ~self.same_direction]
        result[pair[:, 0]], result[pair[:, 1]] = pair[:, 1], pair[:, 0]
        return frozen_ints(result)

    @cached_property
    def same_direction(self) -> NDArray[np.bool_]:
        """Mark edges (e,) whose two faces run through them in the same direction: one of the two is inside out."""
        pair = self.edge_corners
        both = pair[:, 1] >= 0
        return both & (self.face_corners[pair[:, 0]] == self.face_corners[pair[:, 1]])

    @cached_property
    def valences(self) -> Indices:
        """Number of edges at each vertex (n,)."""
        return frozen_ints(np.bincount(self.edges.ends.ravel(), minlength=self.point_count))

    @cached_property
    def boundary_edges(self) -> Indices:
        """Edges (k,) with one face only."""
        return frozen_ints(np.flatnonzero(self.edge_face_counts == 1))

    @cached_property
    def on_boundary(self) -> NDArray[np.bool_]:
        """Mark vertices (n,) on a boundary edge."""
        mark = np.zeros(self.point_count, dtype=bool)
        mark[self.edges.ends[self.boundary_edges].ravel()] = True
        return mark

    @cached_property
    def boundary_loops(self) -> list[Ints]:
        """The vertices of each boundary in order, every loop starting at its lowest vertex.

        Found by pointer walks over the boundary only (sequential by nature, short). A vertex where two boundaries touch
        ends a loop early; all edges are still covered.
        """
        corners = self.edge_corners[self.boundary_edges, 0]
        following: dict[int, list[int]] = {}
        for a, b in zip(self.face_corners[corners], self.face_corners[self.next_corner[corners]], strict=True):
            following.setdefault(int(a), []).append(int(b))
        loops = []
        for first in sorted(following):
            while following[first]:
                loop, at = [first], following[first].pop()
                while at != first and following.get(at):
                    loop.append(at)
                    at = following[at].pop()
                loops.append(np.array(loop, dtype=np.int64))
        return loops

    @cached_property
    def components(self) -> Indices:
        """The number of the connected piece of each face (f,), faces connected through edges."""
        pair = self.edge_faces[self.edge_faces[:, 1] >= 0]
        return frozen_ints(joined_groups(pair[:, 0], pair[:, 1], self.face_count))


def _sorted_by(numbers: Indices, count: int) -> tuple[Indices, Indices]:
    """Return the places (n,) of numbers (n,) below `count`, in order of the numbers, and where each number starts
    (count + 1,). Cost: linear.
    """
    rows = np.arange(len(numbers) + 1, dtype=np.int32)
    table = scipy.sparse.csr_array((np.ones(len(numbers), dtype=bool), numbers, rows), shape=(len(numbers), count)).tocsc()
    return table.indices, table.indptr


def _edge_table(low: Indices, high: Indices, count: int) -> EdgeTable:
    """Return the edges of half-edges with lower and higher ends (h,) among `count` vertices, sorted by both."""
    if not len(low):
        return EdgeTable(frozen_ints(np.zeros((0, 2))), frozen_ints(low))
    by_low, starts = _sorted_by(low, count)
    table = scipy.sparse.csr_array((by_low, high.take(by_low), starts), shape=(count, count))
    table.sort_indices()
    first, second = low.take(table.data), table.indices
    fresh = np.ones(len(first), dtype=bool)
    fresh[1:] = (first[1:] != first[:-1]) | (second[1:] != second[:-1])
    of_corner = np.empty(len(first), dtype=np.int32)
    of_corner[table.data] = np.cumsum(fresh, dtype=np.int32) - 1
    return EdgeTable(frozen_ints(np.column_stack((first[fresh], second[fresh]))), frozen_ints(of_corner))


def _stretches(starts: AnyInts, sizes: AnyInts) -> tuple[Ints, Ints]:
    """Return the numbers (k,) in stretches with starts (s,) and sizes (s,), and the stretch of each (k,)."""
    counts = np.asarray(sizes, dtype=np.int64)
    owner = np.repeat(np.arange(len(counts)), counts)
    return (np.asarray(starts, dtype=np.int64) - (np.cumsum(counts) - counts))[owner] + np.arange(len(owner)), owner


def make_topology(point_count: int, faces: ArrayLike | None = None, *, offsets: ArrayLike | None = None) -> Topology:
    """Return the topology of faces: rows of equal length (f, k), or flat corners with `offsets` (f + 1,).

    Raises InvalidInput for faces with fewer than three corners, vertices out of range or repeated inside a face.
    """
    array = np.asarray(faces if faces is not None else np.zeros((0, 4)), dtype=np.int32)
    if array.ndim == 2:
        offsets = np.arange(len(array) + 1) * array.shape[1]
    if offsets is None:
        raise InvalidInput("Faces", "rows of one length, or a flat list with offsets", "flat without offsets")
    topology = Topology(point_count, frozen_ints(np.asarray(offsets)), frozen_ints(array.ravel()))
    if topology.face_count and topology.face_sides.min() < 3:
        raise InvalidInput("A face", "3 corners or more", f"{topology.face_sides.min()}")
    if len(array) and (array.min() < 0 or array.max() >= point_count):
        raise InvalidInput("A corner", f"a vertex from 0 to {point_count - 1}", "outside")
    if topology.is_quads:
        a, b, c, d = topology.face_corners.reshape(-1, 4).T
        if ((a == b) | (a == c) | (a == d) | (b == c) | (b == d) | (c == d)).any():
            raise InvalidInput("A face", "made of different vertices", "using one twice")
        return topology
    order = np.lexsort((topology.face_corners, topology.face_of_corner))
    face, vertex = topology.face_of_corner[order], topology.face_corners[order]
    if ((face[1:] == face[:-1]) & (vertex[1:] == vertex[:-1])).any():
        raise InvalidInput("A face", "made of different vertices", "using one twice")
    return topology
