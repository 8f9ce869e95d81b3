"""Loops of edges laid in: across rings, beside marked edges at a distance, and faces divided by the cuts of their rings."""

from __future__ import annotations

from collections import deque
from typing import Literal

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, Ints, lengths
from glass_spoon.kernel.detail.rails import rails_of
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.mesh_edits.cut_beside import BOTH_MOST, cut_beside
from glass_spoon.kernel.mesh_edits.cut_rings import Cut, cut_rings, ring_labels
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.topology import Topology

Sides = Literal["both", "left", "right"]

NEAREST = 1e-6
"""A loop lies no nearer to marked edges than this share of the edges that it crosses."""


def lay_across(topology: Topology, chosen: Bools, count: int, share: float | None) -> list[tuple[int, Floats]]:
    """Return the cuts (`cut_rings`) that lay loops across the rings of marked edges (e,): evenly, or one at a share."""
    ring, against = ring_labels(topology)
    shares = np.arange(1, count + 1) / (count + 1) if share is None else np.array([share])
    _, first = np.unique(ring, return_index=True)
    wanted = np.isin(ring[first], ring[chosen])
    return [(edge, shares if not against[edge] else 1 - shares) for edge in first[wanted].tolist()]


def lay_beside(mesh: Mesh, edges: Bools, distance: float, sides: Sides) -> Cut:
    """Return the mesh with loops beside marked edges (e,), at a distance in mm along the edges that they cross.

    both: on both sides, and round the ends of rows. left, right: on one side of rows that run from the lowest of their
    points on; the loop goes on through its ring of quads. Raises KernelError where an edge that is crossed is too short.
    """
    if sides == "both":
        return _both(mesh, edges, distance)
    return _one_side(mesh, edges, distance, 1 if sides == "left" else -1)


def room_beside(mesh: Mesh, edges: Bools) -> float:
    """Return how far in mm loops on both sides of marked edges (e,) may lie from these at most."""
    ends = mesh.topology.edges.ends.astype(np.int64)
    on = np.zeros(mesh.point_count, dtype=bool)
    on[ends[edges].ravel()] = True
    touching = on[ends] & ~edges[:, None]
    size = lengths(mesh.positions[ends[:, 1]] - mesh.positions[ends[:, 0]])
    share = np.where(touching.all(axis=1), BOTH_MOST, 1 - NEAREST)
    found = (size * share)[touching.any(axis=1)]
    if not len(found):
        raise KernelError("No edge leaves the marked ones: there is nothing beside them to cut. Mark fewer edges.")
    return float(found.min())


def _both(mesh: Mesh, edges: Bools, distance: float) -> Cut:
    """Return the mesh with loops on both sides."""
    _refuse(distance, room_beside(mesh, edges))
    ends = mesh.topology.edges.ends
    size = np.maximum(lengths(mesh.positions[ends[:, 1]] - mesh.positions[ends[:, 0]]), 1e-300)
    return cut_beside(mesh, edges, np.repeat((distance / size)[:, None], 2, axis=1))


def _one_side(mesh: Mesh, edges: Bools, distance: float, side: int) -> Cut:
    """Return the mesh with a loop on one side of each row, every edge that leaves the row there cut at the distance."""
    topology = mesh.topology
    rails = rails_of(mesh, edges, side)
    _refuse(distance, rails.room * (1 - NEAREST))
    on = np.zeros(mesh.point_count, dtype=bool)
    on[rails.points] = True
    found = topology.find_edges(np.column_stack((rails.points, rails.far)))
    if on[rails.far].any():
        raise KernelError("Marked rows lie side by side. Mark one of them, or lay the loops on both sides.")
    size = lengths(mesh.positions[rails.far] - mesh.positions[rails.points])
    own = np.full(len(topology.edges.ends), np.nan)
    from_low = topology.edges.ends[found, 0] == rails.points
    own[found] = np.where(from_low, distance / size, 1 - distance / size)
    ring, _ = ring_labels(topology)
    _, first = np.unique(ring[found], return_index=True)
    return cut_rings(mesh, [(int(found[k]), np.array([own[found[k]]])) for k in first], own)


def _refuse(distance: float, room: float) -> None:
    """Raise KernelError for a distance above the room that there is."""
    if distance > room:
        raise KernelError(f"The edges beside are too short for {distance:g} mm: {0.99 * room:.4g} mm fit.")


def lay_through(topology: Topology, faces: Bools, across: int, along: int) -> list[tuple[int, Floats]]:
    """Return the cuts (`cut_rings`) that divide marked quads (f,) in so many, counted from each piece's lowest quad.

    across: over its first side and what runs with it, along: over its second. The cuts go on through their rings. Raises
    KernelError where nothing marked is a quad, or where rings of both ways are one.
    """
    own = np.flatnonzero(faces & (topology.face_sides == 4))
    if not len(own):
        raise KernelError("The marks hold no quads of this mesh. Mark others.")
    ring, _ = ring_labels(topology)
    corner = topology.face_offsets[own].astype(np.int64)
    pairs = np.column_stack([ring[topology.edges.of_corner[corner + k]] for k in (0, 1)])
    way = dict.fromkeys(np.unique(pairs).tolist(), True) if across == along else _two_ways(pairs)
    counts = {True: across, False: along}
    result = []
    for label, runs_across in way.items():
        count = counts[runs_across]
        edge = int(np.flatnonzero(ring == label)[0])
        if count > 1:
            result.append((edge, np.arange(1, count) / count))
    return result


def _two_ways(pairs: Ints) -> dict[int, bool]:
    """Return for each ring of pairs (k, 2) that cross whether it runs with the first of the first pair that it hangs on."""
    crossing: dict[int, set[int]] = {}
    for first, second in pairs.tolist():
        crossing.setdefault(first, set()).add(second)
        crossing.setdefault(second, set()).add(first)
    way: dict[int, bool] = {}
    for start in pairs[:, 0].tolist():
        if start in way:
            continue
        way[start], queue = True, deque([start])
        while queue:
            here = queue.popleft()
            for other in sorted(crossing[here]):
                if other not in way:
                    way[other] = not way[here]
                    queue.append(other)
                elif way[other] == way[here]:
                    raise KernelError(
                        "Rows of the marked faces cross themselves. Divide them into as many both ways, or mark fewer."
                    )
    return way


def every_second(topology: Topology, edges: Bools) -> Bools:
    """Mark the edges (e,) of every second loop beside marked ones (e,), over the rings that these are part of.

    Marked loops stay, and open edges. Where loops from both ends meet side by side, only the first goes.
    """
    count = len(topology.edges.ends)
    corner = topology.face_offsets[:-1][topology.face_sides == 4].astype(np.int64)
    pairs = np.concatenate([topology.edges.of_corner[np.column_stack((corner + k, corner + k + 2))] for k in (0, 1)])
    graph = scipy.sparse.csr_array((np.ones(len(pairs)), pairs.T), shape=(count, count))
    steps = scipy.sparse.csgraph.dijkstra(
        graph, directed=False, indices=np.flatnonzero(edges), unweighted=True, min_only=True
    )
    inner = topology.edge_face_counts == 2
    found = np.isfinite(steps) & (np.mod(np.where(np.isfinite(steps), steps, 0), 2) == 1) & inner
    level = pairs[found[pairs].all(axis=1)]
    ends = topology.edges.ends[level].astype(np.int64)
    found[level[ends[:, 0].min(axis=1) < ends[:, 1].min(axis=1), 1]] = False
    found[level[ends[:, 0].min(axis=1) > ends[:, 1].min(axis=1), 0]] = False
    return np.asarray(found)
