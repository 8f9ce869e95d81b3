"""Make several vertices one, and leave faces out: the mesh that is left carries its attributes along."""

from __future__ import annotations

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, Ints, frozen_ints
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Origin, Reworked, Sources, Taken, Weighted, carry
from glass_spoon.kernel.meshes.topology import Topology


def merge_points(mesh: Mesh, labels: Ints, positions: Floats | None = None) -> Reworked:
    """Return the mesh with the vertices that share a label (n,) made one, at `positions` (labels, 3) or at their mean.

    Corners that fall together are left out; so are faces with fewer than three corners left or one vertex twice, and
    vertices that only such faces used.
    """
    first, of_point = _numbered(labels)
    corners = of_point[mesh.topology.face_corners]
    kept = corners != corners[mesh.topology.previous_corner]
    return _rebuilt(mesh, corners, kept, _members(of_point, first), positions)


def _numbered(labels: Ints) -> tuple[Ints, Ints]:
    """Return the first vertex (k,) of each label, in the order of the labels, and the number (n,) of each vertex's label."""
    own = np.arange(len(labels))
    if len(labels) and labels.min() >= 0 and (labels <= own).all() and (labels[labels] == labels).all():
        first = np.flatnonzero(labels == own)  # the label of each is the lowest with it: no sorting
        number = np.empty(len(labels), dtype=np.int64)
        number[first] = np.arange(len(first))
        return first, number[labels]
    _, first, of_point = np.unique(labels, return_index=True, return_inverse=True)
    return first, of_point


def _members(of_point: Ints, first: Ints) -> Sources:
    """Return the sources of vertices that old ones (n,) became; first: the lowest of each."""
    count = len(first)
    if count == len(of_point):
        return Taken(first, count)
    sizes = np.bincount(of_point, minlength=count)
    shape = (count, len(of_point))
    weights = scipy.sparse.csr_array((1 / sizes[of_point], (of_point, np.arange(len(of_point)))), shape=shape)
    return Weighted(weights, joined=True)


def keep_faces(mesh: Mesh, faces: Ints) -> Reworked:
    """Return the mesh of some faces (k,), in the order of the old ones, without the vertices that only others used."""
    chosen = np.zeros(mesh.face_count, dtype=bool)
    chosen[faces] = True
    corners = mesh.topology.face_corners.astype(np.int64)
    return _rebuilt(
        mesh, corners, chosen[mesh.topology.face_of_corner], Taken(np.arange(mesh.point_count), mesh.point_count)
    )


def drop_stray_points(mesh: Mesh) -> Reworked:
    """Return the mesh without the vertices that no face uses."""
    return keep_faces(mesh, np.arange(mesh.face_count))


def split_points(mesh: Mesh, corners: Ints, origin: Ints) -> Reworked:
    """Return the mesh with other vertices at its corners (h,), each a copy of the old vertex `origin` (k,) of it."""
    return _rebuilt(mesh, corners, np.ones(len(corners), dtype=bool), Taken(origin, mesh.point_count))


def _rebuilt(mesh: Mesh, corners: Ints, kept: Bools, points: Sources, positions: Floats | None = None) -> Reworked:
    """Return the mesh of the corners (h,) that are kept, over vertices that come from `points`; unused ones are left out."""
    faces, offsets, held = _whole_faces(mesh.topology, corners, kept)
    taken = corners[held]
    used = np.flatnonzero(np.bincount(taken, minlength=1) > 0)
    number = np.zeros(int(taken.max(initial=-1)) + 1, dtype=np.int32)
    number[used] = np.arange(len(used))
    topology = Topology(len(used), frozen_ints(offsets), frozen_ints(number[taken]))
    origin = Origin(
        mesh.topology,
        _some(points, used),
        Taken(held, len(mesh.topology.face_corners)),
        faces,
        lambda: _edge_origins(mesh.topology, topology, held),
    )
    return Reworked(carry(mesh, topology, origin, None if positions is None else positions[used]), origin)


def _some(points: Sources, used: Ints) -> Sources:
    """Return the sources of some of the elements (k,)."""
    if isinstance(points, Taken):
        return Taken(points.first[used], points.count)
    return points if len(used) == points.matrix.shape[0] else Weighted(points.matrix[used], joined=True)


def _whole_faces(topology: Topology, corners: Ints, kept: Bools) -> tuple[Ints, Ints, Ints]:
    """Return the faces with three different corners or more left, their offsets, and their corners among the old ones."""
    if topology.is_quads and topology.face_count and kept.all():
        quads = corners.reshape(-1, 4)
        good = (quads[:, 0] != quads[:, 2]) & (quads[:, 1] != quads[:, 3])
        faces = np.flatnonzero(good)
        return faces, np.arange(len(faces) + 1) * 4, np.flatnonzero(np.repeat(good, 4))
    sides = np.bincount(topology.face_of_corner[kept], minlength=topology.face_count)
    keys = topology.face_of_corner.astype(np.int64) * (int(corners.max(initial=0)) + 1) + corners
    ordered = np.sort(keys[kept])
    twice = ordered[1:][ordered[1:] == ordered[:-1]] // (int(corners.max(initial=0)) + 1)
    good = sides >= 3
    good[twice] = False
    faces = np.flatnonzero(good)
    held = np.flatnonzero(kept & good[topology.face_of_corner])
    return faces, np.concatenate(([0], np.cumsum(sides[faces]))), held


def _edge_origins(before: Topology, after: Topology, held: Ints) -> Ints:
    """Return pairs (2h, 2) of an edge and an old edge it came from, where the corners of `after` are the old ones `held`.

    The old edge of a corner is the one that leaves it, and the last before the next corner that is kept.
    """
    if not len(held):
        return np.zeros((0, 2), dtype=np.int64)
    following = np.append(held[1:], -1)
    following[after.face_offsets[1:] - 1] = held[after.face_offsets[:-1]]
    corners = np.concatenate((held, before.previous_corner[following]))
    return np.column_stack((np.tile(after.edges.of_corner, 2), before.edges.of_corner[corners])).astype(np.int64)
