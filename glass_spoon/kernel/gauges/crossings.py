"""Faces that run through others, of one mesh and of two.

Two faces cross when each has corners on both sides of the other's plane and the parts of the common line that lie in them
overlap (Möller, A fast triangle-triangle intersection test, 1997); or when they lie in one plane, face the same way and
overlap. Faces that only touch, as a rib that stands on a wall or two boxes side by side, do not. Faces of more than three
sides count as the triangles that files get.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from glass_spoon.kernel.arrays import AnyInts, Bools, Floats, Ints, directions, lengths
from glass_spoon.kernel.compiled import compiled
from glass_spoon.kernel.gauges.crossing_edges import cross_along_edges
from glass_spoon.kernel.gauges.faces_met import Faces, part_in_plane, reach_beside, unit_normals
from glass_spoon.kernel.gauges.near_boxes import meeting_pairs
from glass_spoon.kernel.gauges.reading import Reading
from glass_spoon.kernel.meshes.mesh import Mesh

TOUCH = 1e-3
"""How far a face must reach through another, as a share of the smaller one's size: less is touching."""

SAME_WAY = 0.5
"""Faces that share a vertex are neighbours of one skin unless their normals differ by more than 60 degrees (the cosine)."""

_BLOCK = 100_000
"""Pairs of triangles held against each other at a time."""


def crossing_faces(mesh: Mesh) -> Ints:
    """Return the faces of a mesh that run through others of it."""
    if mesh.face_count < 2:
        return np.zeros(0, dtype=np.int64)
    faces = Faces(mesh)
    pairs = meeting_pairs(faces.tree, faces.tree)
    pairs = _slanted_meet(faces, faces, pairs[~_are_neighbours(mesh, pairs)])
    return np.unique(pairs[_cross(faces, faces, pairs)])


def crossing_others(mesh: Mesh, others: list[Mesh]) -> Ints:
    """Return the faces of a mesh that run through faces of other meshes."""
    found = [np.zeros(0, dtype=np.int64)]
    for other in others:
        if mesh.face_count and other.face_count and _reach_meets(mesh, other):
            faces, beside = Faces(mesh), Faces(other)
            pairs = _slanted_meet(faces, beside, meeting_pairs(faces.tree, beside.tree))
            found.append(pairs[_cross(faces, beside, pairs), 0])
    return np.unique(np.concatenate(found))


def read_crossings(mesh: Mesh) -> Reading:
    """Read the number of faces that run through others of the mesh."""
    faces = crossing_faces(mesh)
    return Reading("crossings", float(len(faces)), "", 0.0, kind="face", offenders=faces)


def read_crossing_others(mesh: Mesh, others: list[Mesh]) -> Reading:
    """Read the number of faces that run through other meshes. No limit: parts are often let into each other."""
    faces = crossing_others(mesh, others)
    return Reading("crossing_others", float(len(faces)), kind="face", offenders=faces)


def _reach_meets(first: Mesh, second: Mesh) -> bool:
    """Say whether the boxes of two meshes meet."""
    low = np.maximum(first.positions.min(axis=0), second.positions.min(axis=0))
    high = np.minimum(first.positions.max(axis=0), second.positions.max(axis=0))
    return bool((low <= high).all())


def _slanted_meet(first: Faces, second: Faces, pairs: Ints) -> Ints:
    """Return the pairs whose boxes along the faces meet, by the axes of both (Gottschalk, Lin and Manocha, OBBTree, 1996):
    what no such axis parts is left to the triangles.
    """
    if not len(pairs):
        return pairs
    (one, mine), (two, theirs) = (np.unique(side, return_inverse=True) for side in pairs.T)
    middle, axes, half = (value[mine] for value in _slanted_boxes(first, one))
    other, turned, sides = (value[theirs] for value in _slanted_boxes(second, two))
    between = other - middle
    touch = TOUCH * np.minimum(first.sizes_of(pairs[:, 0]), second.sizes_of(pairs[:, 1]))[:, None]
    turns = np.abs(axes @ turned.swapaxes(1, 2))
    apart = np.abs(np.einsum("kji,ki->kj", axes, between)) > touch + half + np.einsum("kjn,kn->kj", turns, sides)
    apart |= np.abs(np.einsum("kni,ki->kn", turned, between)) > touch + sides + np.einsum("kjn,kj->kn", turns, half)
    return np.asarray(pairs[~apart.any(axis=1)])


def _slanted_boxes(faces: Faces, members: Ints) -> tuple[Floats, Floats, Floats]:
    """Return boxes along `members` (m,): middles (m, 3), axes (m, 3, 3), one a row, and half sides (m, 3), in mm."""
    topology = faces.mesh.topology
    counts = topology.face_sides[members].astype(np.int64)
    starts = np.cumsum(counts) - counts
    places, owner = topology.corners_of_faces(members)
    middles = faces.middles_of(members)
    corners = faces.mesh.positions[topology.face_corners[places]] - middles[owner]
    normal = faces.mesh.face_normals[members]
    along = _longestreach_beside(corners, owner, starts, counts)
    first = directions(along - np.einsum("mi,mi->m", along, normal)[:, None] * normal)
    axes = np.stack((first, np.cross(normal, first), normal), axis=1)
    spread = np.einsum("cji,ci->cj", axes[owner], corners)
    low, high = (which.reduceat(spread, starts, axis=0) for which in (np.minimum, np.maximum))
    return middles + np.einsum("mj,mji->mi", (low + high) / 2, axes), axes, (high - low) / 2


def _longestreach_beside(corners: Floats, owner: Ints, starts: Ints, counts: Ints) -> Floats:
    """Return the longest side (m, 3) of each face, from its corners in order."""
    following = np.arange(1, len(corners) + 1)
    following[starts + counts - 1] = starts
    sides = corners[following] - corners
    order = np.lexsort((lengths(sides), owner))
    return np.asarray(sides[order[starts + counts - 1]])


def _are_neighbours(mesh: Mesh, pairs: Ints) -> Bools:
    """Mark pairs that share an edge, or one vertex where the skin goes on over it."""
    topology = mesh.topology
    return _share_skin(pairs, topology.face_corners, topology.face_offsets, mesh.face_normals)


@compiled
def _share_skin(pairs: Ints, corners: AnyInts, offsets: AnyInts, normals: Floats) -> Bools:
    """Mark pairs (k, 2) of faces that share two vertices, or one over which their normals (f, 3) differ by at most 60°."""
    result = np.empty(len(pairs), dtype=np.bool_)
    for row in range(len(pairs)):
        a, b = pairs[row, 0], pairs[row, 1]
        shared = 0
        for mine in range(offsets[a], offsets[a + 1]):
            point = corners[mine]
            for other in range(offsets[b], offsets[b + 1]):
                shared += point == corners[other]
            if shared >= 2:
                break
        turn = normals[a, 0] * normals[b, 0] + normals[a, 1] * normals[b, 1] + normals[a, 2] * normals[b, 2]
        result[row] = shared >= 2 or (shared == 1 and turn >= SAME_WAY)
    return result


def _cross(first: Faces, second: Faces, pairs: Ints) -> Bools:
    """Mark the pairs (k,) of faces of two meshes that cross."""
    result = np.zeros(len(pairs), dtype=bool)
    if not len(pairs):
        return result
    mine, starts, counts = first.triangles
    theirs, other_starts, other_counts = second.triangles
    a, b = pairs.T
    touch = TOUCH * np.minimum(first.sizes_of(a), second.sizes_of(b))
    both = counts[a] * other_counts[b]
    owner = np.repeat(np.arange(len(pairs)), both)
    within = np.arange(len(owner)) - np.repeat(np.cumsum(both) - both, both)
    rows = starts[a][owner] + within // other_counts[b][owner]
    columns = other_starts[b][owner] + within % other_counts[b][owner]
    through = np.zeros(len(owner), dtype=bool)
    reach = _straddles(first, second, rows, columns, a[owner], b[owner], touch[owner])
    for start in range(0, len(reach), _BLOCK):
        part = reach[start : start + _BLOCK]
        p, q, slack = mine[rows[part]], theirs[columns[part]], touch[owner[part]]
        through[part] = _triangles_cross(p, q, slack) | _lie_together(p, q, slack)
    through |= cross_along_edges(first, second, (rows, columns), (a[owner], b[owner]), touch[owner])
    result[owner[through]] = True
    return result


def _straddles(first: Faces, second: Faces, rows: Ints, columns: Ints, a: Ints, b: Ints, touch: Floats) -> Ints:
    """Return the pairs of triangles that may cross: the whole face of each reaches to both sides of the other's plane, or
    lies in it.
    """
    keep: NDArray[np.int64] = np.arange(len(rows))
    for triangles, faces, of_plane, of_face in (
        (second.triangles[0], first, columns, a),
        (first.triangles[0], second, rows, b),
    ):
        low, high = reach_beside(faces, of_face[keep], triangles[of_plane[keep]])
        slack = touch[keep]
        keep = keep[((low < -slack) & (high > slack)) | ((low >= -slack) & (high <= slack))]
    return keep


def _triangles_cross(p: Floats, q: Floats, touch: Floats) -> Bools:
    """Mark triangles p and q (n, 3, 3) that share more than `touch` (n,) mm of the line in which their planes meet."""
    along = np.cross(unit_normals(p), unit_normals(q))
    size = lengths(along)
    line = along / np.where(size > 1e-9, size, 1.0)[:, None]
    places = [np.einsum("nij,nj->ni", corners - p[:, :1], line) for corners in (p, q)]
    low, high = part_in_plane(p, q, places[0], touch)
    other_low, other_high = part_in_plane(q, p, places[1], touch)
    return (size > 1e-9) & (np.minimum(high, other_high) - np.maximum(low, other_low) > touch)


def _lie_together(p: Floats, q: Floats, touch: Floats) -> Bools:
    """Mark triangles (n, 3, 3) that lie in one plane, face the same way and overlap by more than `touch` (n,) mm."""
    normal, other = unit_normals(p), unit_normals(q)
    off = np.abs(np.einsum("nij,nj->ni", q - p[:, :1], normal)).max(axis=1)
    together = (off <= touch) & (np.einsum("ni,ni->n", normal, other) > 0)
    for rim in (p, q):
        for i, j in ((0, 1), (1, 2), (2, 0)):
            side = np.cross(normal, rim[:, j] - rim[:, i])
            size = lengths(side)
            side /= np.where(size > 0, size, 1.0)[:, None]
            mine = np.einsum("nij,nj->ni", p, side)
            theirs = np.einsum("nij,nj->ni", q, side)
            shared = np.minimum(mine.max(axis=1), theirs.max(axis=1)) - np.maximum(mine.min(axis=1), theirs.min(axis=1))
            together &= shared > touch
    return together
