"""Split every face into quads round its centre: topology only, no weights and no coordinates.

Vertices of the finer mesh: the old vertices, then one for each face, then one for each edge.

        v3 ---- e2 ---- v2        the corner h of face f at vertex v gives the quad
        |       |       |         v, edge of h, f, edge of the corner before
        e3 ---- f ----- e1
        |       |       |         edge k gives edges 2k (at its lower vertex) and 2k + 1,
        v0 ---- e0 ---- v1        corner h gives edge 2E + h (from its edge to its face)
"""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.meshes.topology import EdgeTable, Topology


def refine_topology(topology: Topology) -> Topology:
    """Return the topology with one quad for each corner, in corner order; its edges are handed over, not searched."""
    vertices, faces = topology.point_count, topology.face_count
    of_corner = topology.edges.of_corner
    edge_count = len(topology.edges.ends)
    edge_vertex = vertices + faces + of_corner
    before = topology.previous_corner
    quads = np.empty((len(of_corner), 4), dtype=np.int32)
    quads[:, 0] = topology.face_corners
    quads[:, 1] = edge_vertex
    quads[:, 2] = vertices + topology.face_of_corner
    quads[:, 3] = edge_vertex[before]
    offsets = np.arange(len(quads) + 1, dtype=np.int32) * 4
    return Topology(vertices + faces + edge_count, offsets, quads.ravel(), _refine_edges(topology, quads))


def _refine_edges(topology: Topology, quads: np.ndarray) -> EdgeTable:
    """Return the edges of the finer mesh: two for each edge, one for each corner."""
    ends, of_corner = topology.edges.ends, topology.edges.of_corner
    edge_count, corner_count = len(ends), len(of_corner)
    finer = np.empty((2 * edge_count + corner_count, 2), dtype=np.int32)
    middle = topology.point_count + topology.face_count + np.arange(edge_count, dtype=np.int32)
    finer[: 2 * edge_count, 0] = ends.ravel()
    finer[: 2 * edge_count, 1] = np.repeat(middle, 2)
    finer[2 * edge_count :, 0] = quads[:, 2]
    finer[2 * edge_count :, 1] = quads[:, 1]
    before = topology.previous_corner
    numbers = np.empty((corner_count, 4), dtype=np.int32)
    at_lower = ends[of_corner, 0] == topology.face_corners
    numbers[:, 0] = 2 * of_corner + ~at_lower
    numbers[:, 1] = 2 * edge_count + np.arange(corner_count)
    numbers[:, 2] = numbers[before, 1]
    numbers[:, 3] = 2 * of_corner[before] + (ends[of_corner[before], 0] != topology.face_corners)
    return EdgeTable(finer, numbers.ravel())
