"""Open edges that nearly meet: small gaps between them, and vertices that lie on open edges of others.

----a---------------b----      the upper faces know no vertex v between a and b: a gap, or a split that
    ------v------              no one sees; welding vertices cannot close it before v is put into a-b
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, Ints, directions, lengths
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Origin, Reworked, Weighted, carry, same_elements
from glass_spoon.kernel.meshes.topology import Topology, make_topology

SMALL_SHARE = 0.25
"""A gap narrower than this share of the edges along it is small: it is hardly meant. Common practice, no source."""

OUTWARD = 0.2
"""Cosine from which a way leads out of the faces: gaps lie outside of both."""


@dataclass(frozen=True, eq=False)
class Meetings:
    """Open vertices (k,) near open edges (k,) that are not theirs.

    shares: (k,) where along the edge, 0 to 1 from its first end as its face runs. distances: (k,) mm. feet: (k, 3) mm.
    """

    vertices: Ints
    edges: Ints
    shares: Floats
    distances: Floats
    feet: Floats

    def where(self, chosen: Bools | Ints) -> Meetings:
        """Return some of them."""
        vertices, edges = self.vertices[chosen], self.edges[chosen]
        return Meetings(vertices, edges, self.shares[chosen], self.distances[chosen], self.feet[chosen])


@dataclass(frozen=True, eq=False)
class Gaps:
    """Small gaps between open edges. edges: (k,) along them. of_edge: (k,) the number of the gap; widths: (gaps,) mm."""

    edges: Ints
    of_edge: Ints
    widths: Floats


def meetings(mesh: Mesh, reach: Floats | float) -> Meetings:
    """Return the open vertices within `reach` mm (of each open edge, or of all) of open edges that do not end at them."""
    topology = mesh.topology
    edges = topology.boundary_edges
    if not len(edges):
        nothing = np.zeros(0, dtype=np.int64)
        return Meetings(nothing, nothing, np.zeros(0), np.zeros(0), np.zeros((0, 3)))
    corners = topology.edge_corners[edges, 0]
    ends = np.column_stack((topology.face_corners[corners], topology.face_corners[topology.next_corner[corners]]))
    start, along = mesh.positions[ends[:, 0]], mesh.positions[ends[:, 1]] - mesh.positions[ends[:, 0]]
    size, reach = lengths(along), np.broadcast_to(reach, len(edges))
    rim = np.flatnonzero(topology.on_boundary)
    near = scipy.spatial.cKDTree(mesh.positions[rim]).query_ball_point(
        start + along / 2, size / 2 + reach, return_sorted=False
    )
    counts = np.array([len(part) for part in near])
    edge = np.repeat(np.arange(len(edges)), counts)
    vertex = rim[np.concatenate([np.asarray(part, dtype=np.int64) for part in near])]
    share = np.einsum("ij,ij->i", mesh.positions[vertex] - start[edge], along[edge]) / np.maximum(size[edge] ** 2, 1e-300)
    share = share.clip(0.0, 1.0)
    feet = start[edge] + share[:, None] * along[edge]
    distance = lengths(mesh.positions[vertex] - feet)
    good = (distance <= reach[edge]) & (vertex[:, None] != ends[edge]).all(axis=1)
    return Meetings(vertex[good], edges[edge[good]].astype(np.int64), share[good], distance[good], feet[good])


def find_gaps(mesh: Mesh, floor: float) -> Gaps:
    """Return the small gaps between open edges: narrower than a quarter of the edges along them, outside of their faces.

    Vertices within `floor` mm of others are no gaps: they are doubled, and counted as such.
    """
    topology = mesh.topology
    edges = topology.boundary_edges
    size = lengths(np.diff(mesh.positions[topology.edges.ends[edges]], axis=1)[:, 0])
    found = meetings(mesh, SMALL_SHARE * size)
    if len(found.vertices):
        found = found.where(found.distances <= SMALL_SHARE * _rim_sizes(mesh)[found.vertices])
        found = found.where(~_doubled(mesh, found, floor) & _leads_out(mesh, found, floor))
    if not len(found.vertices):
        return Gaps(np.zeros(0, dtype=np.int64), np.zeros(0, dtype=np.int64), np.zeros(0))
    return _grouped(mesh, found)


def _rim_sizes(mesh: Mesh) -> Floats:
    """Return the mean length (n,) in mm of the open edges at each vertex; infinite where there is none."""
    ends = mesh.topology.edges.ends[mesh.topology.boundary_edges]
    size = lengths(mesh.positions[ends[:, 1]] - mesh.positions[ends[:, 0]])
    count = np.bincount(ends.ravel(), minlength=mesh.point_count)
    total = np.bincount(ends.ravel(), np.repeat(size, 2), mesh.point_count)
    return np.where(count > 0, total / np.maximum(count, 1), np.inf)


def _doubled(mesh: Mesh, found: Meetings, floor: float) -> Bools:
    """Mark meetings of a vertex with an end of the edge that lies within `floor` mm of it."""
    ends = mesh.positions[mesh.topology.edges.ends[found.edges]]
    return np.asarray((lengths(ends - mesh.positions[found.vertices][:, None]) <= floor).any(axis=1))


def _leads_out(mesh: Mesh, found: Meetings, floor: float) -> Bools:
    """Mark meetings whose way from the vertex leads out of its faces, or is shorter than `floor` mm."""
    topology = mesh.topology
    corners = topology.edge_corners[topology.boundary_edges, 0]
    first, last = topology.face_corners[corners], topology.face_corners[topology.next_corner[corners]]
    normal = mesh.face_normals[topology.face_of_corner[corners]]
    out = np.cross(mesh.positions[last] - mesh.positions[first], normal)
    total = np.zeros((mesh.point_count, 3))
    for ends in (first, last):
        np.add.at(total, ends, out)
    way = found.feet - mesh.positions[found.vertices]
    outward = np.einsum("ij,ij->i", directions(way), directions(total[found.vertices]))
    return np.asarray((outward >= OUTWARD) | (found.distances <= floor))


def _grouped(mesh: Mesh, found: Meetings) -> Gaps:
    """Gather meetings to gaps: those that share a vertex or an open edge, or whose vertices follow each other on a rim."""
    topology = mesh.topology
    met = np.zeros(mesh.point_count, dtype=bool)
    met[found.vertices] = True
    rim = topology.edges.ends[topology.boundary_edges]
    both = met[rim].all(axis=1)
    target = topology.edges.ends[found.edges].astype(np.int64)
    first = np.concatenate((rim[both, 0], target[:, 0], found.vertices))
    second = np.concatenate((rim[both, 1], target[:, 1], target[:, 0]))
    labels = joined_groups(first, second, mesh.point_count)
    across = (found.shares > 0) & (found.shares < 1)
    edges = np.unique(np.concatenate((topology.boundary_edges[both], found.edges[across])))
    numbers, of_edge = np.unique(labels[topology.edges.ends[edges, 0]], return_inverse=True)
    widths = np.zeros(len(numbers))
    np.maximum.at(widths, np.searchsorted(numbers, labels[found.vertices]), found.distances)
    return Gaps(edges, of_edge, widths)


@dataclass(frozen=True, eq=False)
class PutIn(Reworked):
    """A mesh whose faces know the vertices on their open edges. vertices: (k,) those that were put in."""

    vertices: Ints


def put_points_in(mesh: Mesh, distance: float) -> PutIn:
    """Return the mesh with open vertices put into the open edges that they lie on, within `distance` mm.

    Faces get more sides; edges bend to the vertices, which stay. Vertices near an end of the edge are left to the weld.
    Values at corners are laid along the edge, sharpness of a cut edge stays on its parts. Inverse: none. Raises InvalidInput
    for a distance below zero.
    """
    if not distance >= 0:
        raise InvalidInput("The weld distance", "zero or more", f"{distance:g} mm")
    topology = mesh.topology
    found = meetings(mesh, distance)
    ends = mesh.positions[topology.edges.ends[found.edges]]
    inside = (lengths(ends - mesh.positions[found.vertices][:, None]) > distance).all(axis=1)
    inside &= ~_in_face(topology, found)
    found = found.where(inside & (found.shares > 0) & (found.shares < 1))
    if not len(found.vertices):
        return PutIn(mesh, same_elements(topology), np.zeros(0, dtype=np.int64))
    nearest = found.where(np.lexsort((found.distances, found.vertices)))
    found = nearest.where(np.unique(nearest.vertices, return_index=True)[1])
    done = _with_points(mesh, found)
    return PutIn(done.mesh, done.origin, found.vertices)


def _in_face(topology: Topology, found: Meetings) -> Bools:
    """Mark meetings whose vertex is one of the face at the edge already: that face would use it twice."""
    face = topology.edge_faces[found.edges, 0]
    pairs = topology.face_of_corner.astype(np.int64) * topology.point_count + topology.face_corners
    return np.isin(face.astype(np.int64) * topology.point_count + found.vertices, pairs)


def _with_points(mesh: Mesh, found: Meetings) -> Reworked:
    """Return the mesh with each vertex of the meetings as a corner after the one that starts its edge."""
    topology = mesh.topology
    start = topology.edge_corners[found.edges, 0].astype(np.int64)
    order = np.lexsort((found.shares, start))
    found, start = found.where(order), start[order]
    count = len(topology.face_corners)
    place = np.concatenate((np.arange(count, dtype=float), start + 0.5))
    sequence = np.argsort(place, kind="stable")
    corners = np.concatenate((topology.face_corners, found.vertices))[sequence]
    sides = topology.face_sides + np.bincount(topology.face_of_corner[start], minlength=mesh.face_count)
    other = make_topology(mesh.point_count, corners, offsets=np.concatenate(([0], np.cumsum(sides))))
    # A corner that was put in lies between the one that starts the edge and the next, at its share of the way.
    inner = np.arange(count, count + len(start))
    rows = np.concatenate((np.arange(count), inner, inner))
    columns = np.concatenate((np.arange(count), start, topology.next_corner[start]))
    shares = np.concatenate((np.ones(count), 1 - found.shares, found.shares))
    laid = scipy.sparse.csr_array((shares, (rows, columns)), shape=(count + len(start), count))
    source = np.concatenate((np.arange(count), start))[sequence]
    edges = np.column_stack((other.edges.of_corner, topology.edges.of_corner[source])).astype(np.int64)
    same = same_elements(topology)
    origin = Origin(topology, same.points, Weighted(laid[sequence]), same.faces, edges)
    return Reworked(carry(mesh, other, origin), origin)
