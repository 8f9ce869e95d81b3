"""Where two closed meshes meet, and which of their faces stay when they are united, subtracted or met.

The crossing itself is Manifold's (Lalish and others, Manifold, a library of exact predicates for solids, 2022): faces with
four corners are handed over as two triangles, and each triangle of the result names the face that it is a part of.
"""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass
from itertools import combinations, pairwise
from typing import Literal

import manifold3d
import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, cross_columns, dot_columns
from glass_spoon.kernel.errors import KernelError, NotClosed
from glass_spoon.kernel.gauges.crossings import crossing_faces
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.mesh_loops import chains_of

Meeting = Literal["unite", "subtract", "meet"]

WHOLE = 1e-6
"""A face stays whole where all but this share of its area does, and is gone where no more is left."""


TOUCHING = "The bodies touch along a line or in a point, and have no clean seam there. Move one of them a little."

TOUCH = 1e-9
"""Bodies that share no more of their volume only touch."""


@dataclass(frozen=True, eq=False)
class Share:
    """What a meeting leaves of one mesh. whole (f,): faces that stay as they are; gone (f,): of which nothing stays; the
    others are crossed. points (n,): the points that stay.
    """

    whole: Bools
    gone: Bools
    points: Bools


@dataclass(frozen=True, eq=False)
class Met:
    """Two closed meshes that meet. seams: closed lines (k, 3) in mm, in which their skins cross, each place once; first and
    second: what stays of the two; volume: of the result in mm³.
    """

    seams: list[Floats]
    first: Share
    second: Share
    volume: float


def meet_solids(first: Mesh, second: Mesh, how: Meeting) -> Met:
    """Return where two closed meshes cross and what stays of them; raises KernelError for one that is not closed."""
    solids = [_solid(mesh, name) for mesh, name in ((first, "first"), (second, "second"))]
    a, b = (solid for solid, _ in solids)
    result = a + b if how == "unite" else a - b if how == "subtract" else a ^ b
    if how == "subtract" and result.volume() >= (1 - TOUCH) * a.volume():
        return Met([], _untouched(first, stays=True), _untouched(second, stays=False), float(a.volume()))
    if how == "unite" and result.volume() <= (1 + TOUCH) * max(a.volume(), b.volume()):
        larger = a.volume() >= b.volume()  # the other lies in it, and may touch it from inside
        return Met([], _untouched(first, stays=larger), _untouched(second, stays=not larger), float(result.volume()))
    if how == "meet" and result.volume() <= TOUCH * min(a.volume(), b.volume()):
        raise KernelError("The bodies do not overlap: nothing would be left.")
    given = result.to_mesh64()
    points = np.asarray(given.vert_properties)[:, :3]
    triangles = np.asarray(given.tri_verts).astype(np.int64).reshape(-1, 3)
    triangles = _joined(triangles, given, len(points))
    faces = np.asarray(given.face_id, dtype=np.int64)
    bounds = np.asarray(given.run_index, dtype=np.int64) // 3
    side = np.full(len(triangles), -1)
    for number, (start, stop) in zip(given.run_original_id, pairwise(bounds.tolist()), strict=True):
        side[start:stop] = 0 if number == solids[0][1] else 1
    seams = _chained(_seam_edges(triangles, side), points)
    shares = [_share(mesh, points, triangles[side == k], faces[side == k]) for k, mesh in enumerate((first, second))]
    return Met(seams, shares[0], shares[1], float(result.volume()))


def count_together(meshes: list[Mesh]) -> int:
    """Return how many of some meshes are closed bodies that run into another of them, touch it with a face, or lie in it."""
    low, high = (np.array([which(mesh.positions, axis=0) for mesh in meshes]) for which in (np.min, np.max))
    near = TOUCH * float((high - low).max())
    meet = ((low[:, None] <= high[None] + near) & (low[None] <= high[:, None] + near)).all(axis=2)
    meet &= ~np.eye(len(meshes), dtype=bool)
    solids: dict[int, manifold3d.Manifold] = {}
    for number in np.flatnonzero(meet.any(axis=1)).tolist():
        with suppress(KernelError):
            solids[number] = _solid(meshes[number], "first")[0]
    together: set[int] = set()
    for a, b in combinations(solids, 2):
        if meet[a, b] and not {a, b} <= together:
            apart = len(solids[a].decompose()) + len(solids[b].decompose())
            together |= {a, b} if len((solids[a] + solids[b]).decompose()) < apart else set()
    return len(together)


def _solid(mesh: Mesh, name: str) -> tuple[manifold3d.Manifold, int]:
    """Return a mesh as a solid, and the number by which its triangles are known."""
    open_edges = int((mesh.topology.edge_face_counts != 2).sum())
    if open_edges or not mesh.face_count:
        raise NotClosed(int(name == "second"), open_edges)
    if mesh.topology.same_direction.any():
        raise KernelError(f"Faces of the {name} body look against each other. Clean it first.")
    if int(mesh.topology.components.max()) > 0 and len(crossing_faces(mesh)):
        raise KernelError(f"Parts of the {name} body run into each other. Fuse them first.")
    triangles, faces = NearestOnMesh(mesh).triangles
    number = int(manifold3d.Manifold.reserve_ids(1))
    solid = manifold3d.Manifold(
        manifold3d.Mesh64(
            mesh.positions.astype(np.float64, copy=True),
            np.ascontiguousarray(triangles.astype(np.uint64)),
            run_index=np.array([0, 3 * len(triangles)], dtype=np.uint64),
            run_original_id=np.array([number], dtype=np.uint32),
            face_id=faces.astype(np.uint64),
        )
    )
    if solid.status() != manifold3d.Error.NoError:
        raise KernelError(f"The {name} body touches itself in a point or an edge. Clean it first.")
    if solid.volume() <= 0:
        raise KernelError(f"The {name} body is inside out. Turn it over first.")
    return solid, number


def _joined(triangles: Ints, given: manifold3d.Mesh64, count: int) -> Ints:
    """Return the triangles over vertices that are one where they were only parted for their properties."""
    label = np.arange(count)
    if len(given.merge_from_vert):
        label[np.asarray(given.merge_from_vert, dtype=np.int64)] = np.asarray(given.merge_to_vert, dtype=np.int64)
    return label[triangles]


def _seam_edges(triangles: Ints, side: Ints) -> Ints:
    """Return the edges (k, 2) between triangles of the two bodies, as they run in those of the first."""
    size = int(triangles.max(initial=0)) + 1
    both = np.ones(size, dtype=bool)
    for own in (0, 1):
        used = np.zeros(size, dtype=bool)
        used[triangles[side == own]] = True
        both &= used
    a, b, c = (both[corner] for corner in triangles.T)
    near = (a & b) | (b & c) | (c & a)  # only edges of vertices that both have can lie on a seam
    triangles, side = triangles[near], side[near]
    start, end = triangles.ravel(), np.roll(triangles, -1, axis=1).ravel()
    owner = np.repeat(side, 3)
    ahead, back = start * size + end, end * size + start
    order = np.argsort(ahead)
    at = order[np.clip(np.searchsorted(ahead[order], back), 0, max(len(order) - 1, 0))] if len(order) else order
    seam = (ahead[at] == back) & (owner == 0) & (owner[at] == 1)
    return np.column_stack((start[seam], end[seam]))


def _chained(edges: Ints, points: Floats) -> list[Floats]:
    """Return closed lines of edges (k, 2); raises KernelError where lines touch."""
    following = dict(edges.tolist())
    if len(following) != len(edges) or len(np.unique(edges[:, 1])) != len(edges):
        raise KernelError(TOUCHING)
    rows = chains_of(following)
    if not all(closed for _, closed in rows):
        raise KernelError(TOUCHING)
    return [points[np.array(row)] for row, _ in rows]


def _untouched(mesh: Mesh, *, stays: bool) -> Share:
    """Return that all of a mesh stays, or nothing."""
    faces = np.full(mesh.face_count, stays)
    return Share(faces, ~faces, np.full(mesh.point_count, stays))


def _share(mesh: Mesh, points: Floats, triangles: Ints, faces: Ints) -> Share:
    """Return what stays of a mesh, by the areas of its parts."""
    left = np.bincount(faces, weights=_areas(points, triangles), minlength=mesh.face_count)
    own, owner = NearestOnMesh(mesh).triangles
    there = left > 0  # of the others nothing stays, whatever they measure
    some = there[owner]
    before = np.bincount(owner[some], weights=_areas(mesh.positions, own[some]), minlength=mesh.face_count)
    known = np.zeros(mesh.point_count, dtype=bool)
    if len(triangles):
        # Points that stay keep their place to the last digit: they are found by it.
        used = np.zeros(len(points), dtype=bool)
        used[triangles] = True
        known = _are_among(mesh.positions, points[used])
    return Share(there & (left >= (1 - WHOLE) * before), left <= WHOLE * before, known)


def _areas(points: Floats, triangles: Ints) -> Floats:
    """Return twice the areas (t,) of triangles (t, 3) of points (n, 3)."""
    columns = [np.ascontiguousarray(column) for column in points.T]
    a, b, c = (np.ascontiguousarray(corner) for corner in triangles.T)
    first, second = ([column.take(end) - column.take(a) for column in columns] for end in (b, c))
    normal = cross_columns(first, second)
    return np.asarray(np.sqrt(dot_columns(normal, normal)))


def _are_among(places: Floats, others: Floats) -> Bools:
    """Mark places (n, 3) that are to the last digit one of others (m, 3)."""
    # Rows are sought by a number made of their bits, then compared.
    keys, known = (
        (np.ascontiguousarray(rows + 0.0).view(np.uint64) * _PRIMES).sum(axis=1, dtype=np.uint64)
        for rows in (places, others)
    )
    order = np.argsort(known)
    at = order[np.clip(np.searchsorted(known[order], keys), 0, len(order) - 1)]
    return np.asarray((others[at] == places).all(axis=1))


_PRIMES = np.array([0x9E3779B97F4A7C15, 0xC2B2AE3D27D4EB4F, 0x165667B19E3779F9], dtype=np.uint64)
"""Large odd numbers that mix the bits of three coordinates."""
