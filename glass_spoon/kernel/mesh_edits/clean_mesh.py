"""Take out what a mesh should not have: doubled faces, stray vertices, edges and vertices that are no manifold."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Bools, Ints
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.mesh_edits.keep_and_merge import keep_faces, split_points
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Origin, Reworked, Taken, carry, every, same_edges, unchanged
from glass_spoon.kernel.meshes.topology import Topology


@dataclass(frozen=True, eq=False)
class Cleaned(Reworked):
    """What was done to a mesh: faces taken out, vertices taken out, vertices that were parted, faces turned over.

    touched: (k,) the faces left of those that were doubled, at vertices that were parted, or turned over.
    """

    doubled_faces: int
    stray_points: int
    parted_points: int
    turned_faces: int
    touched: Ints


def clean_mesh(mesh: Mesh) -> Cleaned:
    """Return the mesh without doubled faces and stray vertices, parted where it is no manifold, its faces facing alike."""
    stray = int((np.bincount(mesh.topology.face_corners, minlength=mesh.point_count) == 0).sum())
    kept = single_faces(mesh.topology)
    single = keep_faces(mesh, kept)
    parted = part_non_manifold(single.mesh)
    turned = turn_alike(parted.mesh)
    over = np.zeros(turned.mesh.face_count, dtype=bool) if turned.origin.turned is None else turned.origin.turned
    doubled, apart = mesh.face_count - len(kept), parted.mesh.point_count - single.mesh.point_count
    touched = over | _faces_apart(single.mesh, parted.mesh) | _had_doubles(mesh.topology, kept)
    whole = single.then(parted).then(turned)
    return Cleaned(whole.mesh, whole.origin, doubled, stray, apart, int(over.sum()), np.flatnonzero(touched))


def _faces_apart(single: Mesh, parted: Mesh) -> Bools:
    """Mark the faces (f,) at vertices that were parted."""
    corners, others = parted.topology.face_corners, single.topology.face_corners
    copies = np.bincount(others[np.unique(corners, return_index=True)[1]], minlength=single.point_count)
    result = np.zeros(single.face_count, dtype=bool)
    result[single.topology.face_of_corner[copies[others] > 1]] = True
    return result


def _had_doubles(topology: Topology, kept: Ints) -> Bools:
    """Mark those of the kept faces (k,) whose vertices another face had too."""
    doubled = np.setdiff1d(np.arange(topology.face_count), kept)
    result = np.zeros(len(kept), dtype=bool)
    if len(doubled):
        vertices = np.zeros(topology.point_count, dtype=bool)
        vertices[topology.face_corners[np.isin(topology.face_of_corner, doubled)]] = True
        whole = np.logical_and.reduceat(vertices[topology.face_corners], topology.face_offsets[:-1])
        result = whole[kept]
    return result


def single_faces(topology: Topology) -> Ints:
    """Return the faces (k,) that are the first with their vertices, whichever way round."""
    order = np.lexsort((topology.face_corners, topology.face_of_corner))
    ordered = topology.face_corners[order]
    result: list[Ints] = []
    for sides in np.unique(topology.face_sides):
        faces = np.flatnonzero(topology.face_sides == sides)
        rows = ordered[topology.face_offsets[faces][:, None] + np.arange(sides)]
        result.append(faces[np.unique(rows, axis=0, return_index=True)[1]])
    return np.sort(np.concatenate(result)) if result else np.zeros(0, dtype=np.int64)


def part_non_manifold(mesh: Mesh) -> Reworked:
    """Return the mesh with vertices parted so that every edge has two faces at most and every vertex one fan of faces.

    Corners at one vertex stay together when edges with exactly two faces lead from one to the next.
    """
    topology = mesh.topology
    pair = topology.edge_corners[topology.edge_face_counts == 2].astype(np.int64)
    first, second = pair[:, 0], pair[:, 1]
    alike = topology.face_corners[first] == topology.face_corners[second]
    after = [topology.next_corner[side].astype(np.int64) for side in (first, second)]
    # The corners at both ends of an edge: its own start and the next one, met crosswise unless both run the same way.
    rows = np.concatenate((first, after[0]))
    columns = np.concatenate((np.where(alike, second, after[1]), np.where(alike, after[1], second)))
    count = len(topology.face_corners)
    labels = joined_groups(rows, columns, count)
    fans = int(labels.max(initial=-1)) + 1
    if fans == len(np.unique(topology.face_corners)):
        return unchanged(mesh)
    origin = np.zeros(fans, dtype=np.int64)
    origin[labels] = topology.face_corners
    return split_points(mesh, labels.astype(np.int64), origin)


def turn_alike(mesh: Mesh) -> Reworked:
    """Return the mesh with faces turned over so that neighbours face alike; the fewer faces of a piece are turned.

    A piece that cannot be made so (a band twisted once) keeps what disagrees.
    """
    turned = disagreeing_faces(mesh.topology)
    return reverse_faces(mesh, np.flatnonzero(turned)) if turned.any() else unchanged(mesh)


def disagreeing_faces(topology: Topology) -> np.ndarray:
    """Mark faces (f,) to be turned so that every edge of two faces runs both ways: the fewer of each piece.

    Two-colouring of the graph of faces: each face twice, upright and turned, joined by what its edges ask for.
    """
    count = topology.face_count
    turned = np.zeros(count, dtype=bool)
    if not topology.same_direction.any():
        return turned
    inner = np.flatnonzero(topology.edge_face_counts == 2)
    a, b = topology.edge_faces[inner].astype(np.int64).T
    same = topology.same_direction[inner].astype(np.int64)
    rows, columns = np.concatenate((a, a + count)), np.concatenate((b + same * count, b + (1 - same) * count))
    labels = joined_groups(rows, columns, 2 * count)
    upright, over = labels[:count], labels[count:]
    turned = upright > over
    pieces = topology.components
    mine = np.bincount(pieces, turned)
    whole = np.bincount(pieces)
    flip = (2 * mine > whole)[pieces]
    return (turned ^ flip) & (upright != over)


def reverse_faces(mesh: Mesh, faces: Ints) -> Reworked:
    """Return the mesh with some faces (k,) run the other way round. Its own inverse, but for what is dropped."""
    topology = mesh.topology
    over = np.zeros(mesh.face_count, dtype=bool)
    over[faces] = True
    start, end = topology.face_offsets[:-1][topology.face_of_corner], topology.face_offsets[1:][topology.face_of_corner]
    own = np.arange(len(topology.face_corners))
    order = np.where(over[topology.face_of_corner], start + end - 1 - own, own)
    other = Topology(topology.point_count, topology.face_offsets, topology.face_corners[order])
    origin = Origin(
        topology,
        every(mesh.point_count),
        Taken(order, len(order)),
        np.arange(mesh.face_count),
        same_edges(topology, other),
        turned=over,
    )
    return Reworked(carry(mesh, other, origin), origin)
