"""Marked edges turned on: the edge between two quads goes on to the next pair of facing corners of the six about it.

d --- a --- e          d --- a --- e
|     |     |          | '-.       |      the same six corners, the same two quads' worth of faces, the flow of the
|     |     |    ->    |     '-.   |      edges turned by a step; the other way it joins d and f's neighbours.
c --- b --- f          c --- b --- f
"""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import AnyInts, Bools, Ints
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.mesh_edits.assemble import Assembly
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Reworked


def turn_edges(mesh: Mesh, edges: Bools, *, back: bool = False) -> Reworked:
    """Return the mesh with marked edges (e,) turned by a step, each between two quads, or between two triangles.

    The new edges have the role "turned", the faces beside them "beside". back: the other way round. Raises KernelError for
    an edge on a rim, between other faces, or where two marked edges have a face in common.
    """
    topology = mesh.topology
    corner = np.flatnonzero(edges[topology.edges.of_corner])
    twin = topology.twins[corner].astype(np.int64)
    if not len(corner):
        raise KernelError("The marks hold no edges of this mesh. Pick others.")
    if (twin < 0).any():
        raise KernelError("An edge on a rim has nothing to turn in. Mark edges between two faces.")
    corner, twin = corner[corner < twin], twin[corner < twin]
    one, two = (topology.face_of_corner[at].astype(np.int64) for at in (corner, twin))
    both = np.concatenate((one, two))
    if len(np.unique(both)) != len(both):
        raise KernelError("Two marked edges have a face in common. Turn one of them here, and the other in a line after it.")
    sides = topology.face_sides
    for count in (3, 4):
        if ((sides[one] == count) & (sides[two] == count)).all():
            return _turned(mesh, _about(topology.next_corner, corner, twin, count), both, back=back)
    raise KernelError("Edges turn between two quads, or between two triangles. Mark others.")


def _about(following: AnyInts, corner: Ints, twin: Ints, count: int) -> Ints:
    """Return the corners (k, 2 count - 2) about both faces of edges in a ring, that of the edge's end first: those of one
    face, then those of the other, each without the last, which is the first of the next.
    """
    rows = []
    for first in (corner, twin):
        at = following[first]
        for _ in range(count - 1):
            rows.append(at)
            at = following[at]
    return np.column_stack(rows).astype(np.int64)


def _turned(mesh: Mesh, ring: Ints, gone: Ints, *, back: bool) -> Reworked:
    """Return the mesh with the faces `gone` anew from rings of corners (k, r), the new edge a step on or back."""
    topology = mesh.topology
    half = ring.shape[1] // 2
    step = -1 if back else 1
    turned = np.roll(ring, -step, axis=1)
    first = turned[:, : half + 1]
    second = np.column_stack((turned[:, half:], turned[:, :1]))
    ends = topology.face_corners[first[:, [0, -1]]].astype(np.int64)
    refuse_doubled(mesh, ends)
    _refuse_thin(mesh, topology.face_corners[ring[:, [0, half]]].astype(np.int64), ends)
    made = Assembly(mesh)
    made.gone[gone] = True
    for part in (first, second):
        made.add_faces(
            topology.face_corners[part].astype(np.int64),
            part,
            topology.face_of_corner[part[:, 0]].astype(np.int64),
            "beside",
        )
    made.name_edges(ends, "turned")
    return made.finish()[0]


def _refuse_thin(mesh: Mesh, old: Ints, new: Ints) -> None:
    """Raise KernelError where a point inside the mesh is left with two edges: old and new ends (k, 2) of turned ones."""
    count = mesh.point_count
    valence = mesh.topology.valences - np.bincount(old.ravel(), minlength=count) + np.bincount(new.ravel(), minlength=count)
    touched = np.unique(old)
    if (valence[touched] < 3)[~mesh.topology.on_boundary[touched]].any():
        raise KernelError(
            "A point would be left with two edges only. Turn other edges, or collapse one of its edges instead."
        )


def refuse_doubled(mesh: Mesh, ends: Ints, gone: Bools | None = None) -> None:
    """Raise KernelError where the new edges (k, 2) are there already, and not among those (e,) that go, or twice."""
    low_high = np.sort(ends, axis=1)
    there = mesh.topology.find_edges(ends)
    if ((there >= 0) & (True if gone is None else ~gone[there])).any() or len(np.unique(low_high, axis=0)) != len(ends):
        raise KernelError("A turned edge would lie on one that is there. Turn it the other way round, or mark others.")
