"""Normals for showing a mesh: smooth across faces, broken at creases; and faces cut into triangles."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from glass_spoon.kernel.arrays import (
    AnyInts,
    Bools,
    Floats,
    Ints,
    Singles,
    cross_columns,
    directions,
    dot_columns,
    dot_lanes,
    packed_rows,
    sum_by_index,
)
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.topology import Topology


@dataclass(frozen=True, eq=False)
class ShadeVertices:
    """Vertices split where a crease runs through them, or where a corner attribute jumps.

    of_corner: (h,) the shade vertex of each corner. source: (s,) the mesh vertex of each; the first ones are the mesh's own.
    """

    of_corner: AnyInts
    source: Ints


def split_at_creases(topology: Topology, sharp: Bools | None) -> ShadeVertices:
    """Split vertices along `sharp` edges (e,): corners stay together when faces meet across edges that are not sharp."""
    if sharp is None or not sharp.any():
        return ShadeVertices(topology.face_corners, np.arange(topology.point_count))
    return _split_cached(_Crease(topology, np.packbits(sharp).tobytes(), sharp))


@dataclass(frozen=True, eq=False)
class _Crease:
    """A topology and its sharp edges, compared by content so that the last splits are found again."""

    topology: Topology
    bits: bytes
    sharp: Bools

    def __hash__(self) -> int:
        return hash((self.topology.key, self.bits))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Crease) and (self.topology.key, self.bits) == (other.topology.key, other.bits)


@lru_cache(maxsize=16)
def _split_cached(crease: _Crease) -> ShadeVertices:
    topology, sharp = crease.topology, crease.sharp
    touched = np.zeros(topology.point_count, dtype=bool)
    touched[topology.edges.ends[sharp].ravel()] = True
    soft = touched[topology.face_corners] & (topology.twins >= 0) & ~sharp[topology.edges.of_corner]
    corner = np.flatnonzero(soft)
    beside = topology.next_corner[topology.twins[corner]]
    count = len(topology.face_corners)
    return _number_groups(topology, touched[topology.face_corners], joined_groups(corner, beside, count))


def _number_groups(topology: Topology, split: Bools, group: AnyInts) -> ShadeVertices:
    """Return shade vertices: a vertex's first group of `split` corners (h,) keeps its number."""
    of_corner = topology.face_corners.astype(np.int64)
    corners = np.flatnonzero(split)
    names, first, inverse = np.unique(group[corners], return_index=True, return_inverse=True)
    owner = of_corner[corners[first]]
    order = np.lexsort((names, owner))
    is_first = np.ones(len(order), dtype=bool)
    is_first[1:] = owner[order][1:] != owner[order][:-1]
    number = np.empty(len(names), dtype=np.int64)
    number[order[is_first]] = owner[order[is_first]]
    extra = order[~is_first]
    number[extra] = topology.point_count + np.arange(len(extra))
    of_corner[corners] = number[inverse]
    return ShadeVertices(of_corner, np.concatenate((np.arange(topology.point_count), owner[extra])))


def split_at_jumps(shade: ShadeVertices, values: Floats, tolerance: float = 1e-9) -> ShadeVertices:
    """Split shade vertices further where corner values (h, k), such as uv, differ by more than `tolerance`."""
    first = np.zeros(len(shade.source), dtype=np.int64)
    first[shade.of_corner[::-1]] = np.arange(len(shade.of_corner))[::-1]
    jump = np.zeros(len(values), dtype=bool)
    at = first[shade.of_corner]
    for column in values.T:
        jump |= np.abs(column - column[at]) > tolerance
    odd = np.flatnonzero(jump)
    if not len(odd):
        return shade
    rows = np.column_stack((shade.of_corner[odd], np.rint(values[odd] / tolerance)))
    unique, inverse = np.unique(rows, axis=0, return_inverse=True)
    of_corner = shade.of_corner.astype(np.int64)
    of_corner[odd] = len(shade.source) + inverse.ravel()
    return ShadeVertices(of_corner, np.concatenate((shade.source, shade.source[unique[:, 0].astype(np.int64)])))


BENT = np.radians(50)
"""Faces that turn by more are shaded apart, crease or not (radians): a ring of eight sides is still round."""


def sharp_edges(mesh: Mesh) -> Bools | None:
    """Mark the edges (e,) at which shading breaks: with a sharpness, or bent by more than BENT where the mesh is not as a
    surface gave it; None when there are none.
    """
    values = mesh.edges.get("sharpness")
    sharp = None if values is None else values > 0
    if "normal" in mesh.points and "maker" not in mesh.edges:
        return sharp
    topology = mesh.topology
    pair = topology.edge_faces
    columns = [np.ascontiguousarray(column) for column in mesh.face_normals.T]
    facing = dot_columns([column.take(pair[:, 0]) for column in columns], [column.take(pair[:, 1]) for column in columns])
    bent = (facing < np.cos(BENT)) & (topology.edge_face_counts == 2) & ~topology.same_direction
    if not bent.any():
        return sharp
    return bent if sharp is None else sharp | bent


def shade_normals(mesh: Mesh, shade: ShadeVertices) -> Floats:
    """Return unit normals (s, 3): the points' own where they have some and no crease splits them, else summed from faces."""
    whole = mesh.points.get("normal")
    if len(shade.source) == mesh.point_count:
        return mesh.vertex_normals if whole is None else whole
    split = np.zeros(mesh.point_count, dtype=bool)
    split[shade.source[mesh.point_count :]] = True
    normals = (mesh.vertex_normals if whole is None else whole)[shade.source].copy()
    corners = np.flatnonzero(split[mesh.topology.face_corners])
    vectors = mesh.face_vectors[mesh.topology.face_of_corner[corners]]
    total = sum_by_index(shade.of_corner[corners], vectors, len(normals))
    mask = split[shade.source]
    normals[mask] = directions(total[mask])
    return normals


def cut_triangles(mesh: Mesh, of_corner: AnyInts) -> AnyInts:
    """Return triangles (t, 3) of the vertices `of_corner` (h,): quads along the shorter upright diagonal.

    A quad gives two triangles, in face order; a face of more sides a fan from its first corner.
    """
    if not mesh.topology.is_quads:
        return of_corner[fan_corners(mesh.topology)]
    quads, turn = of_corner.reshape(-1, 4), quad_turns(mesh)
    triangles = quads[:, [0, 1, 2, 0, 2, 3]]
    if turn.any():
        triangles[turn] = quads[turn][:, [1, 2, 3, 1, 3, 0]]
    return triangles.reshape(-1, 3)


TIE = 1e-4
"""Diagonals whose squares differ by less than this share are equal: even meshes are then cut one way throughout."""

_BLOCK = 16384
"""Quads looked at a time, so that the intermediate arrays stay in the processor's cache."""


def quad_turns(mesh: Mesh) -> Bools:
    """Mark the quads (f,) of an all-quad mesh that are cut along their second diagonal, in files and for the volume."""
    quads, rows = mesh.topology.face_corners.reshape(-1, 4), packed_rows(list((mesh.positions - mesh.positions[:1]).T))
    turn = np.empty(len(quads), dtype=bool)
    corners = np.empty((4, min(_BLOCK, len(quads))), dtype=np.complex128)
    for start in range(0, len(quads), _BLOCK):
        part = quads[start : start + _BLOCK]
        block = corners if len(part) == corners.shape[1] else np.empty((4, len(part)), dtype=np.complex128)
        rows.take(part.T, mode="clip", out=block)
        turn[start : start + _BLOCK] = _block_turns(block.view(np.float32))
    return turn


def _block_turns(corners: Singles) -> Bools:
    """Mark the quads, corners (4, 4n) of x y z 0, whose second diagonal is shorter, or the only upright one."""
    diagonals = corners[2:] - corners[:2]
    scratch = np.empty_like(diagonals[0])
    straight, across = diagonals
    ss, aa = dot_lanes(straight, straight, scratch), dot_lanes(across, across, scratch)
    turn = aa < ss * np.float32(1 - TIE)
    dented = np.flatnonzero(_is_dented(corners, diagonals, (ss, aa), scratch))
    if len(dented):
        few = np.ascontiguousarray(corners.reshape(4, -1, 4)[:, dented, :3].transpose(0, 2, 1))
        turn[dented] = _is_upright(few, 1) & (turn[dented] | ~_is_upright(few, 0))
    return turn


def _is_dented(corners: Singles, diagonals: Singles, squares: tuple[Singles, Singles], scratch: Singles) -> Bools:
    """Mark quads that may not be convex: where the diagonals, seen along the face normal, do not cross inside.

    With N = s x a, s `straight`, a `across` and p = b - a the first side, the crossing divides s at (p x a) . N / N . N
    and a at (p x s) . N / N . N turned round; by Lagrange's identity these are dot products:
    (p x a) . (s x a) = (ps)(aa) - (pa)(as). `squares` are ss and aa.
    """
    (straight, across), (ss, aa) = diagonals, squares
    side = corners[1] - corners[0]
    sa, ps, pa = (dot_lanes(x, y, scratch) for x, y in ((straight, across), (side, straight), (side, across)))
    total, at_straight, at_across = ss * aa - sa * sa, ps * aa - pa * sa, sa * ps - ss * pa
    least, most = np.minimum(at_straight, at_across), np.maximum(at_straight, at_across)
    return ~((least > 0) & (most < total))


def _is_upright(quads: Singles, start: int) -> Bools:
    """Say whether the diagonal from corner `start` cuts quads, columns (4, 3, n), into two triangles facing alike."""
    a, b, c, d = (quads[(start + k) % 4] for k in range(4))
    ab, ac, ad = (list(other - a) for other in (b, c, d))
    return dot_columns(cross_columns(ab, ac), cross_columns(ac, ad)) > 0


def fan_corners(topology: Topology) -> Ints:
    """Return the corners (t, 3) of the fan of each face from its first corner."""
    count = topology.face_sides - 2
    face = np.repeat(np.arange(topology.face_count), count)
    step = np.arange(len(face)) - np.repeat(np.concatenate(([0], np.cumsum(count)[:-1])), count)
    first = topology.face_offsets[face]
    return np.column_stack((first, first + step + 1, first + step + 2)).astype(np.int64)
