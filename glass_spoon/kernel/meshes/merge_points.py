"""Make several vertices one, and leave faces out: the mesh that is left carries its attributes along."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints
from glass_spoon.kernel.meshes.edge_values import carry_edges
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.topology import Topology, make_topology


@dataclass(frozen=True, eq=False)
class Merged:
    """A mesh made of another. of_point: (n,) new vertex of each old one, -1 where gone. faces: (f,) old face of each."""

    mesh: Mesh
    of_point: Ints
    faces: Ints


def merge_points(mesh: Mesh, labels: Ints, positions: Floats | None = None) -> Merged:
    """Return the mesh with the vertices that share a label (n,) made one, at `positions` (labels, 3) or at their mean.

    Corners that fall together are left out; so are faces with fewer than three corners left or one vertex twice, and
    vertices that only such faces used. Point values of the first vertex stay, sharpness of edges that become one is the
    largest.
    """
    _, first, of_point = np.unique(labels, return_index=True, return_inverse=True)
    count = len(first)
    if positions is None:
        weight = np.bincount(of_point, minlength=count)[:, None]
        positions = np.column_stack([np.bincount(of_point, column, count) for column in mesh.positions.T]) / weight
    corners = of_point[mesh.topology.face_corners]
    kept = corners != corners[mesh.topology.previous_corner]
    return _rebuilt(mesh, corners, kept, of_point, positions, first)


def keep_faces(mesh: Mesh, faces: Ints) -> Merged:
    """Return the mesh of some faces (k,), in the order of the old ones, without the vertices that only others used."""
    chosen = np.zeros(mesh.face_count, dtype=bool)
    chosen[faces] = True
    every = np.arange(mesh.point_count)
    corners = mesh.topology.face_corners.astype(np.int64)
    return _rebuilt(mesh, corners, chosen[mesh.topology.face_of_corner], every, mesh.positions, every)


def drop_stray_points(mesh: Mesh) -> Merged:
    """Return the mesh without the vertices that no face uses."""
    return keep_faces(mesh, np.arange(mesh.face_count))


def split_points(mesh: Mesh, corners: Ints, origin: Ints) -> Merged:
    """Return the mesh with other vertices at its corners (h,), each a copy of the old vertex `origin` (k,) of it."""
    return _rebuilt(mesh, corners, np.ones(len(corners), dtype=bool), None, mesh.positions[origin], origin)


def _rebuilt(mesh: Mesh, corners: Ints, kept: Bools, of_point: Ints | None, positions: Floats, first: Ints) -> Merged:
    """Return the mesh of the corners (h,) that are kept, over vertices at `positions`, each with the values of `first`."""
    faces, offsets, held = _whole_faces(mesh.topology, corners, kept)
    used, numbered = np.unique(corners[held], return_inverse=True)
    topology = make_topology(len(used), numbered, offsets=offsets)
    renumber = np.full(len(positions), -1, dtype=np.int64)
    renumber[used] = np.arange(len(used))
    result = Mesh(
        topology,
        positions[used],
        points={name: value[first[used]] for name, value in mesh.points.items()},
        edges=carry_edges(mesh.edges, *_edge_origins(mesh.topology, topology, held), topology) if mesh.edges else {},
        corners={name: value[held] for name, value in mesh.corners.items()},
        faces={name: value[faces] for name, value in mesh.faces.items()},
    )
    old = renumber[of_point] if of_point is not None else np.full(mesh.point_count, -1, dtype=np.int64)
    return Merged(result, old, faces)


def _whole_faces(topology: Topology, corners: Ints, kept: Bools) -> tuple[Ints, Ints, Ints]:
    """Return the faces with three different corners or more left, their offsets, and their corners among the old ones."""
    sides = np.bincount(topology.face_of_corner[kept], minlength=topology.face_count)
    keys = topology.face_of_corner.astype(np.int64) * (int(corners.max(initial=0)) + 1) + corners
    ordered = np.sort(keys[kept])
    twice = ordered[1:][ordered[1:] == ordered[:-1]] // (int(corners.max(initial=0)) + 1)
    good = sides >= 3
    good[twice] = False
    faces = np.flatnonzero(good)
    held = np.flatnonzero(kept & good[topology.face_of_corner])
    return faces, np.concatenate(([0], np.cumsum(sides[faces]))), held


def _edge_origins(before: Topology, after: Topology, held: Ints) -> tuple[Ints, Ints]:
    """Return pairs of an old edge (2h,) and the edge (2h,) it became, where the corners of `after` are the old ones `held`.

    The old edge of a corner is the one that leaves it, and the last before the next corner that is kept.
    """
    following = np.append(held[1:], -1)
    following[after.face_offsets[1:] - 1] = held[after.face_offsets[:-1]]
    corners = np.concatenate((held, before.previous_corner[following]))
    return before.edges.of_corner[corners], np.tile(after.edges.of_corner, 2)
