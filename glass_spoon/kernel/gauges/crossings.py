"""Faces that run through others, of one mesh and of two.

Two faces cross when each has corners on both sides of the other's plane and the parts of the common line that lie in them
overlap (Möller, A fast triangle-triangle intersection test, 1997); or when they lie in one plane, face the same way and
overlap. Faces that only touch, as a rib that stands on a wall or two boxes side by side, do not. Faces of more than three
sides count as the triangles that files get.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import scipy
from numpy.typing import NDArray

from glass_spoon.kernel.arrays import Bools, Floats, Ints, directions, dot_lanes, lengths, packed_rows
from glass_spoon.kernel.gauges.reading import Reading
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.shading import cut_triangles

TOUCH = 1e-3
"""How far a face must reach through another, as a share of the smaller one's size: less is touching."""

SAME_WAY = 0.5
"""Faces that share a vertex are neighbours of one skin unless their normals differ by more than 60 degrees (the cosine)."""

LEVEL = 4.0
"""Faces are sought by classes of size; from one to the next they grow by this."""

_SLACK = 1e-6
"""How far boxes are drawn out, as a share of all that there is: they are held against each other in float32."""

_BLOCK = 100_000
"""Pairs of triangles held against each other at a time."""


@dataclass(frozen=True, eq=False)
class _Faces:
    """The faces of a mesh with their boxes: low and high (f, 3), and half their longest sides, reach (f,), in mm."""

    mesh: Mesh

    @cached_property
    def low(self) -> Floats:
        return self._least(np.minimum)

    @cached_property
    def high(self) -> Floats:
        return self._least(np.maximum)

    def _least(self, which: np.ufunc) -> Floats:
        topology = self.mesh.topology
        corners = self.mesh.positions.take(topology.face_corners, axis=0)
        if topology.is_quads:
            quads = corners.reshape(-1, 4, 3)
            return np.asarray(which(which(quads[:, 0], quads[:, 1]), which(quads[:, 2], quads[:, 3])))
        return np.asarray(which.reduceat(corners, topology.face_offsets[:-1].astype(np.int64), axis=0))

    @cached_property
    def middles(self) -> Floats:
        return (self.low + self.high) / 2

    @cached_property
    def reach(self) -> Floats:
        extent = (self.high - self.low).T
        return np.maximum(np.maximum(extent[0], extent[1]), extent[2]) / 2

    @cached_property
    def classes(self) -> list[tuple[float, Ints, scipy.spatial.cKDTree]]:
        """Faces of like size: the longest reach, the faces, and a tree of their middles."""
        largest = self.reach.max()
        steps = np.floor(np.log(np.maximum(self.reach, 1e-9 * largest) / largest) / np.log(LEVEL)) if largest > 0 else []
        found: list[tuple[float, Ints, scipy.spatial.cKDTree]] = []
        for step in np.unique(steps):
            members = np.flatnonzero(steps == step)
            tree = scipy.spatial.cKDTree(self.middles[members], balanced_tree=False, compact_nodes=False)
            found.append((float(self.reach[members].max()), members, tree))
        return found

    def rows(self, origin: Floats, slack: float) -> tuple[NDArray[np.complex128], NDArray[np.complex128]]:
        """Return the lower and the upper corners of the boxes, drawn out by `slack` mm, as packed rows."""
        return packed_rows(list((self.low - origin - slack).T)), packed_rows(list((self.high - origin + slack).T))

    @cached_property
    def triangles(self) -> tuple[Floats, Ints, Ints]:
        """Triangles (t, 3, 3) in mm in the order of the faces, the first of each face (f,), and their number (f,)."""
        topology = self.mesh.topology
        corners = cut_triangles(self.mesh, topology.face_corners)
        counts = topology.face_sides.astype(np.int64) - 2
        return self.mesh.positions[corners], np.cumsum(counts) - counts, counts


def crossing_faces(mesh: Mesh) -> Ints:
    """Return the faces of a mesh that run through others of it."""
    if mesh.face_count < 2:
        return np.zeros(0, dtype=np.int64)
    faces = _Faces(mesh)
    pairs = _boxes_meet(faces, faces, _near_own(faces))
    pairs = _slanted_meet(faces, faces, pairs[~_are_neighbours(mesh, pairs)])
    return np.unique(pairs[_cross(faces, faces, pairs)])


def crossing_others(mesh: Mesh, others: list[Mesh]) -> Ints:
    """Return the faces of a mesh that run through faces of other meshes."""
    found = [np.zeros(0, dtype=np.int64)]
    for other in others:
        if mesh.face_count and other.face_count and _reach_meets(mesh, other):
            faces, beside = _Faces(mesh), _Faces(other)
            pairs = _slanted_meet(faces, beside, _boxes_meet(faces, beside, _near_others(faces, beside)))
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


def _near_own(faces: _Faces) -> Ints:
    """Return pairs (k, 2) of faces whose boxes may meet, each once."""
    found = [np.zeros((0, 2), dtype=np.int64)]
    for place, (reach, members, tree) in enumerate(faces.classes):
        found.append(members[tree.query_pairs(2 * reach, np.inf, output_type="ndarray")])
        for larger, others, beside in faces.classes[place + 1 :]:
            found.append(_between(members, tree, others, beside, reach + larger))
    return np.concatenate(found)


def _near_others(faces: _Faces, beside: _Faces) -> Ints:
    """Return pairs (k, 2) of faces of two meshes whose boxes may meet."""
    found = [np.zeros((0, 2), dtype=np.int64)]
    for reach, members, tree in faces.classes:
        for larger, others, second in beside.classes:
            found.append(_between(members, tree, others, second, reach + larger))
    return np.concatenate(found)


def _between(members: Ints, tree: scipy.spatial.cKDTree, others: Ints, beside: scipy.spatial.cKDTree, reach: float) -> Ints:
    """Return pairs of the members of two trees within `reach` mm of each other along every axis."""
    near = tree.sparse_distance_matrix(beside, reach, np.inf, output_type="coo_matrix")
    return np.column_stack((members[near.row], others[near.col]))


def _boxes_meet(first: _Faces, second: _Faces, pairs: Ints) -> Ints:
    """Return the pairs whose boxes meet."""
    origin = first.low.min(axis=0)
    size = max(float(np.abs(faces.high - origin).max()) for faces in (first, second))
    low, high = first.rows(origin, _SLACK * size)
    other_low, other_high = (low, high) if second is first else second.rows(origin, _SLACK * size)
    a, b = pairs.T
    under = low.take(a).view(np.float32) <= other_high.take(b).view(np.float32)
    under &= other_low.take(b).view(np.float32) <= high.take(a).view(np.float32)
    meet: Ints = np.flatnonzero(under.view(np.uint32) == _ALL_FOUR)
    return pairs.take(meet, axis=0)


_ALL_FOUR = np.uint32(0x01010101)
"""Four booleans that are all true, read as one number."""


def _slanted_meet(first: _Faces, second: _Faces, pairs: Ints) -> Ints:
    """Return the pairs whose boxes along the faces meet, by the axes of both (Gottschalk, Lin and Manocha, OBBTree, 1996):
    what no such axis parts is left to the triangles.
    """
    if not len(pairs):
        return pairs
    (one, mine), (two, theirs) = (np.unique(side, return_inverse=True) for side in pairs.T)
    middle, axes, half = (value[mine] for value in _slanted_boxes(first, one))
    other, turned, sides = (value[theirs] for value in _slanted_boxes(second, two))
    between = other - middle
    touch = TOUCH * 2 * np.minimum(first.reach[pairs[:, 0]], second.reach[pairs[:, 1]])[:, None]
    turns = np.abs(axes @ turned.swapaxes(1, 2))
    apart = np.abs(np.einsum("kji,ki->kj", axes, between)) > touch + half + np.einsum("kjn,kn->kj", turns, sides)
    apart |= np.abs(np.einsum("kni,ki->kn", turned, between)) > touch + sides + np.einsum("kjn,kj->kn", turns, half)
    return np.asarray(pairs[~apart.any(axis=1)])


def _slanted_boxes(faces: _Faces, members: Ints) -> tuple[Floats, Floats, Floats]:
    """Return boxes along `members` (m,): middles (m, 3), axes (m, 3, 3), one a row, and half sides (m, 3), in mm."""
    topology = faces.mesh.topology
    counts = topology.face_sides[members].astype(np.int64)
    starts = np.cumsum(counts) - counts
    places, owner = topology.corners_of_faces(members)
    middles = faces.middles[members]
    corners = faces.mesh.positions[topology.face_corners[places]] - middles[owner]
    normal = faces.mesh.face_normals[members]
    along = _longest_sides(corners, owner, starts, counts)
    first = directions(along - np.einsum("mi,mi->m", along, normal)[:, None] * normal)
    axes = np.stack((first, np.cross(normal, first), normal), axis=1)
    spread = np.einsum("cji,ci->cj", axes[owner], corners)
    low, high = (which.reduceat(spread, starts, axis=0) for which in (np.minimum, np.maximum))
    return middles + np.einsum("mj,mji->mi", (low + high) / 2, axes), axes, (high - low) / 2


def _longest_sides(corners: Floats, owner: Ints, starts: Ints, counts: Ints) -> Floats:
    """Return the longest side (m, 3) of each face, from its corners in order."""
    following = np.arange(1, len(corners) + 1)
    following[starts + counts - 1] = starts
    sides = corners[following] - corners
    order = np.lexsort((lengths(sides), owner))
    return np.asarray(sides[order[starts + counts - 1]])


def _are_neighbours(mesh: Mesh, pairs: Ints) -> Bools:
    """Mark pairs that share an edge, or one vertex where the skin goes on over it."""
    shared = _shared_vertices(mesh, pairs)
    one = np.flatnonzero(shared == 1)
    a, b = pairs[one].T
    normals = packed_rows(list(mesh.face_normals.T))
    mine = normals.take(a).view(np.float32)
    flat = dot_lanes(mine, normals.take(b).view(np.float32), np.empty_like(mine)) >= SAME_WAY
    result: Bools = shared >= 2
    result[one[flat]] = True
    return result


def _shared_vertices(mesh: Mesh, pairs: Ints) -> Ints:
    """Return how many vertices (k,) the faces of pairs share."""
    topology = mesh.topology
    if topology.is_quads:
        table = topology.face_corners.reshape(-1, 4)
        first, second = table.take(pairs[:, 0], axis=0), table.take(pairs[:, 1], axis=0)
        return sum(
            ((first == np.roll(second, turn, axis=1)).sum(axis=1) for turn in range(4)), np.zeros(len(pairs), np.int64)
        )
    corners = topology.face_corners
    of_face = scipy.sparse.csr_array(
        (np.ones(len(corners), np.int64), corners, topology.face_offsets), (topology.face_count, mesh.point_count)
    )
    return np.asarray(of_face[pairs[:, 0]].multiply(of_face[pairs[:, 1]]).sum(axis=1))


def _cross(first: _Faces, second: _Faces, pairs: Ints) -> Bools:
    """Mark the pairs (k,) of faces of two meshes that cross."""
    result = np.zeros(len(pairs), dtype=bool)
    if not len(pairs):
        return result
    mine, starts, counts = first.triangles
    theirs, other_starts, other_counts = second.triangles
    a, b = pairs.T
    touch = TOUCH * 2 * np.minimum(first.reach[a], second.reach[b])
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
    result[owner[through]] = True
    return result


def _straddles(first: _Faces, second: _Faces, rows: Ints, columns: Ints, a: Ints, b: Ints, touch: Floats) -> Ints:
    """Return the pairs of triangles that may cross: the whole face of each reaches to both sides of the other's plane, or
    lies in it.
    """
    keep: NDArray[np.int64] = np.arange(len(rows))
    for triangles, faces, of_plane, of_face in (
        (second.triangles[0], first, columns, a),
        (first.triangles[0], second, rows, b),
    ):
        low, high = _sides(faces, of_face[keep], triangles[of_plane[keep]])
        slack = touch[keep]
        keep = keep[((low < -slack) & (high > slack)) | ((low >= -slack) & (high <= slack))]
    return keep


def _sides(faces: _Faces, of_face: Ints, planes: Floats) -> tuple[Floats, Floats]:
    """Return how far the corners of faces (n,) reach below and above the planes of triangles (n, 3, 3), in mm."""
    normal = _unit_normals(planes)
    triangles, starts, counts = faces.triangles
    low, high = np.full(len(of_face), np.inf), np.full(len(of_face), -np.inf)
    for step in range(int(counts.max(initial=0))):
        there = np.flatnonzero(counts[of_face] > step)
        corners = triangles[starts[of_face[there]] + step] - planes[there, :1]
        along = np.einsum("nij,nj->ni", corners, normal[there])
        low[there] = np.minimum(low[there], along.min(axis=1))
        high[there] = np.maximum(high[there], along.max(axis=1))
    return low, high


def _unit_normals(triangles: Floats) -> Floats:
    """Return the unit normals (n, 3) of triangles, zero where one has no area."""
    return directions(np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]))


def _triangles_cross(p: Floats, q: Floats, touch: Floats) -> Bools:
    """Mark triangles p and q (n, 3, 3) that share more than `touch` (n,) mm of the line in which their planes meet."""
    along = np.cross(_unit_normals(p), _unit_normals(q))
    size = lengths(along)
    line = along / np.where(size > 1e-9, size, 1.0)[:, None]
    places = [np.einsum("nij,nj->ni", corners - p[:, :1], line) for corners in (p, q)]
    low, high = _part_in_plane(p, q, places[0], touch)
    other_low, other_high = _part_in_plane(q, p, places[1], touch)
    return (size > 1e-9) & (np.minimum(high, other_high) - np.maximum(low, other_low) > touch)


def _part_in_plane(p: Floats, q: Floats, place: Floats, touch: Floats) -> tuple[Floats, Floats]:
    """Return from where to where (n,) the triangles p lie in the planes of q, by the places (n, 3) of their corners along a
    line in mm; inf to -inf for nowhere.
    """
    off = np.einsum("nij,nj->ni", p - q[:, :1], _unit_normals(q))
    off[np.abs(off) <= 1e-3 * touch[:, None]] = 0.0
    low, high = np.full(len(p), np.inf), np.full(len(p), -np.inf)
    for i, j in ((0, 1), (1, 2), (2, 0)):
        step = off[:, i] - off[:, j]
        cuts = (off[:, i] * off[:, j] <= 0) & (step != 0)
        share = off[:, i] / np.where(step != 0, step, 1.0)
        at = place[:, i] + share * (place[:, j] - place[:, i])
        low, high = np.where(cuts, np.minimum(low, at), low), np.where(cuts, np.maximum(high, at), high)
    return low, high


def _lie_together(p: Floats, q: Floats, touch: Floats) -> Bools:
    """Mark triangles (n, 3, 3) that lie in one plane, face the same way and overlap by more than `touch` (n,) mm."""
    normal, other = _unit_normals(p), _unit_normals(q)
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
