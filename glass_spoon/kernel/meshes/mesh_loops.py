"""Loops of mesh edges: rims, and edge loops that run on across vertices of four edges."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, first_least, lengths
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.topology import Topology


@dataclass(frozen=True, eq=False)
class VertexLoop:
    """Vertices (k,) one after another along edges; closed: the last is joined to the first."""

    vertices: Ints
    closed: bool


def chains_of(following: dict[int, int]) -> list[tuple[list[int], bool]]:
    """Return the rows that steps from one number to the next make, and whether each is closed: open ones come first.

    following: at most one number after each, and at most one before it. A closed row has its first number once.
    """
    rows: list[tuple[list[int], bool]] = []
    left = set(following)
    for first in [*sorted(set(following) - set(following.values())), *sorted(following)]:
        if first not in left:
            continue
        row, at = [first], first
        while at in left:
            left.discard(at)
            at = following[at]
            row.append(at)
        closed = at == first
        rows.append((row[:-1] if closed else row, closed))
    return rows


def usual_edge(mesh: Mesh, faces: Bools) -> float:
    """Return the middle length in mm of the edges of some faces (f,), those between two of them counted twice."""
    corners = np.flatnonzero(faces[mesh.topology.face_of_corner])
    ends = mesh.topology.edges.ends[mesh.topology.edges.of_corner[corners]]
    return float(np.median(lengths(mesh.positions[ends[:, 1]] - mesh.positions[ends[:, 0]])))


def faces_marked(mesh: Mesh, faces: Ints) -> Bools:
    """Mark faces (f,) that are given by number."""
    result = np.zeros(mesh.face_count, dtype=bool)
    result[faces] = True
    return result


def nearest_edge(mesh: Mesh, place: Floats) -> int:
    """Return the edge whose nearest place is nearest to `place` (3,) mm; InvalidInput for a mesh without edges."""
    ends = mesh.topology.edges.ends
    if not len(ends):
        raise InvalidInput("The mesh", "one with edges", "empty")
    a, b = mesh.positions[ends[:, 0]], mesh.positions[ends[:, 1]]
    along = b - a
    size = np.maximum(np.einsum("ij,ij->i", along, along), 1e-300)
    share = np.clip(np.einsum("ij,ij->i", place - a, along) / size, 0, 1)
    return int(first_least(np.linalg.norm(a + share[:, None] * along - place, axis=1)))


def edge_loop(topology: Topology, edge: int) -> VertexLoop:
    """Return the edge loop through an edge: at a vertex of four edges and four faces it runs straight on, elsewhere it ends.

    An open edge runs along the rim.
    """
    ends = topology.edges.ends[edge]
    if topology.edge_face_counts[edge] != 2:
        for rim in topology.boundary_loops:
            if ends[0] in rim and ends[1] in rim:
                return VertexLoop(rim, closed=True)
    edge_of: dict[int, list[tuple[int, int]]] = {}
    for number, (a, b) in enumerate(topology.edges.ends.tolist()):
        edge_of.setdefault(a, []).append((number, b))
        edge_of.setdefault(b, []).append((number, a))
    faces_of_edge = _faces_by_edge(topology)
    forward = _walk(edge_of, faces_of_edge, edge, int(ends[0]), int(ends[1]))
    if forward[-1] == forward[0]:
        return VertexLoop(np.array(forward[:-1], dtype=np.int64), closed=True)
    backward = _walk(edge_of, faces_of_edge, edge, int(ends[1]), int(ends[0]))
    return VertexLoop(np.array([*backward[:1:-1], *forward], dtype=np.int64), closed=False)


def _faces_by_edge(topology: Topology) -> list[set[int]]:
    """Return the faces beside each edge."""
    result: list[set[int]] = [set() for _ in range(len(topology.edges.ends))]
    for edge, face in zip(topology.edges.of_corner.tolist(), topology.face_of_corner.tolist(), strict=True):
        result[edge].add(face)
    return result


def _walk(edge_of: dict[int, list[tuple[int, int]]], faces: list[set[int]], edge: int, start: int, vertex: int) -> list[int]:
    """Return the vertices from `start` over `edge` to `vertex` and straight on, until it ends or comes back to `start`."""
    chain = [start, vertex]
    while vertex != start:
        around = edge_of[vertex]
        if len(around) != 4 or any(len(faces[number]) != 2 for number, _ in around):
            break
        across = [(number, other) for number, other in around if number != edge and not faces[number] & faces[edge]]
        if len(across) != 1:
            break
        edge, vertex = across[0]
        chain.append(vertex)
    return chain
