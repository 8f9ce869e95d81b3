"""Where offenders lie: gathered to places, so that each can be looked at by itself."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import AnyInts, Floats, Ints, lengths
from glass_spoon.kernel.gauges.reading import Kind
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.meshes.mesh import Mesh

MOST_PLACES = 500
"""Most places that are told; those with the most offenders come first."""

MOST_GATHERED = 5000
"""Most groups that are looked at for others near them."""


@dataclass(frozen=True)
class Place:
    """Offenders that lie together: their number, the middle (x, y, z) in mm, and how far they reach from it in mm."""

    count: int
    middle: tuple[float, float, float]
    radius: float


def offender_places(mesh: Mesh, kind: Kind, elements: AnyInts) -> list[Place]:
    """Return where elements (k,) of a kind lie, the place of the most first.

    Together are those that share vertices, vertices that share an edge, and groups of which one's middle lies within the
    other's reach, as the two sides of a gap.
    """
    if not len(elements):
        return []
    vertices, of_element = _vertices(mesh, kind, np.asarray(elements, dtype=np.int64))
    labels = _joined_points(mesh, vertices) if kind == "point" else _connected(vertices, of_element, len(elements))
    middles, reach = _spheres(mesh, vertices, labels[of_element])
    if 1 < len(middles) <= MOST_GATHERED:
        labels = _overlapping(middles, reach)[labels]
        middles, reach = _spheres(mesh, vertices, labels[of_element])
    counts = np.bincount(labels)
    order = np.argsort(-counts, kind="stable")[:MOST_PLACES]
    return [
        Place(int(counts[k]), (float(middles[k, 0]), float(middles[k, 1]), float(middles[k, 2])), float(reach[k]))
        for k in order
    ]


def _vertices(mesh: Mesh, kind: Kind, elements: Ints) -> tuple[Ints, Ints]:
    """Return the vertices of elements, and which element each belongs to."""
    topology = mesh.topology
    if kind == "point":
        return elements, np.arange(len(elements))
    if kind == "edge":
        return topology.edges.ends[elements].ravel().astype(np.int64), np.repeat(np.arange(len(elements)), 2)
    corners, owner = topology.corners_of_faces(elements)
    return topology.face_corners[corners].astype(np.int64), owner


def _joined_points(mesh: Mesh, vertices: Ints) -> Ints:
    """Return the group (k,) of each vertex: those that edges join."""
    place = np.full(mesh.point_count, -1, dtype=np.int64)
    place[vertices] = np.arange(len(vertices))
    ends = place[mesh.topology.edges.ends]
    ends = ends[(ends >= 0).all(axis=1)]
    return joined_groups(ends[:, 0], ends[:, 1], len(vertices))


def _connected(vertices: Ints, of_element: Ints, count: int) -> Ints:
    """Return the group (count,) of each element: those that share vertices."""
    used, numbers = np.unique(vertices, return_inverse=True)
    return joined_groups(of_element, count + numbers, count + len(used))[:count]


def _spheres(mesh: Mesh, vertices: Ints, labels: Ints) -> tuple[Floats, Floats]:
    """Return the middles (g, 3) of the boxes of groups of vertices, and how far each reaches from it."""
    count = int(labels.max()) + 1
    low, high = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
    np.minimum.at(low, labels, mesh.positions[vertices])
    np.maximum.at(high, labels, mesh.positions[vertices])
    return (low + high) / 2, lengths(high - low) / 2


def _overlapping(middles: Floats, reach: Floats) -> Ints:
    """Return new numbers (g,) of groups: one for those of which one's middle lies within the other's reach."""
    near = scipy.spatial.cKDTree(middles).query_ball_point(middles, reach)
    rows = np.repeat(np.arange(len(middles)), [len(part) for part in near])
    columns = np.concatenate([np.asarray(part, dtype=np.int64) for part in near])
    return joined_groups(rows, columns, len(middles))
