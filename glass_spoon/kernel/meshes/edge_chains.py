"""Edges of a mesh, or the diagonals of its faces, put together to lines that run straight on where they cross."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence

import numpy as np

from glass_spoon.kernel.arrays import Bools, Ints
from glass_spoon.kernel.meshes.mesh_loops import VertexLoop
from glass_spoon.kernel.meshes.topology import Topology

Tokens = frozenset[int]
"""What lies on both sides of the end of a segment: two that share none lie across from each other."""


def edge_chains(topology: Topology, chosen: Bools) -> list[VertexLoop]:
    """Return the marked edges (e,) as lines: they run on where two meet, and across where four do; else they end."""
    numbers = np.flatnonzero(chosen)
    ends = topology.edges.ends[numbers].astype(np.int64)
    beside = [frozenset(int(face) for face in faces if face >= 0) for faces in topology.edge_faces[numbers]]
    return _chained(ends, [(one, one) for one in beside])


def diagonal_chains(topology: Topology, chosen: Bools) -> list[VertexLoop]:
    """Return both diagonals of the marked faces (f,) with four sides as lines."""
    ends: list[tuple[int, int]] = []
    beside: list[tuple[Tokens, Tokens]] = []
    sides = np.diff(topology.face_offsets)
    for face in np.flatnonzero(chosen & (sides == 4)).tolist():
        corners = np.arange(topology.face_offsets[face], topology.face_offsets[face] + 4)
        points = topology.face_corners[corners].tolist()
        edges = topology.edges.of_corner[corners].tolist()  # from each corner to the next
        for k in (0, 1):
            ends.append((points[k], points[k + 2]))
            beside.append((frozenset((edges[k - 1], edges[k])), frozenset((edges[k + 1], edges[(k + 2) % 4]))))
    return _chained(np.array(ends, dtype=np.int64).reshape(-1, 2), beside)


def _chained(ends: Ints, beside: Sequence[tuple[Tokens, Tokens]]) -> list[VertexLoop]:
    """Return segments with ends (k, 2) put together."""
    meeting: dict[int, list[tuple[int, int]]] = defaultdict(list)
    for number, (a, b) in enumerate(ends.tolist()):
        meeting[a].append((number, 0))
        meeting[b].append((number, 1))
    onward: dict[tuple[int, int], tuple[int, int]] = {}
    for there in meeting.values():
        for one in there:
            across = [
                other
                for other in there
                if other != one and (len(there) == 2 or not beside[one[0]][one[1]] & beside[other[0]][other[1]])
            ]
            if len(across) == 1:
                onward[one] = across[0]
    onward = {one: other for one, other in onward.items() if onward.get(other) == one}
    seen: set[int] = set()
    found = []
    starts = [(number, end) for number in range(len(ends)) for end in (0, 1) if (number, end) not in onward]
    for start in [*starts, *((number, 0) for number in range(len(ends)))]:
        if start[0] in seen:
            continue
        way, at = [int(ends[start])], start
        while at[0] not in seen:
            seen.add(at[0])
            far = (at[0], 1 - at[1])
            way.append(int(ends[far]))
            if far not in onward:
                break
            at = onward[far]
        closed = len(way) > 3 and way[0] == way[-1] and start in onward
        found.append(VertexLoop(np.array(way[:-1] if closed else way, dtype=np.int64), closed=closed))
    return found
