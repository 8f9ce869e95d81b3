"""Marked places moved, turned or scaled about their own frame, with a falloff over the distance from them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, directions, lengths
from glass_spoon.kernel.curves.alter.frame import Frame
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshes.mesh import Mesh


def frame_of(mesh: Mesh, marked: Bools) -> Frame:
    """Return the frame of marked points (n,): at their middle, its last axis along their mean normal, the first level."""
    if not marked.any():
        raise KernelError("The marks hold no points of this mesh. Pick others.")
    normal = directions(mesh.vertex_normals[marked].sum(axis=0))
    if not np.abs(normal).max() > 0:
        normal = np.array([0.0, 0.0, 1.0])
    level = np.cross([0.0, 0.0, 1.0], normal)
    aside = directions(level) if float(np.abs(level).max()) > 1e-9 else np.array([1.0, 0.0, 0.0])
    return Frame(mesh.positions[marked].mean(axis=0), np.stack((aside, np.cross(normal, aside), normal)))


def distances(mesh: Mesh, marked: Bools, reach: float, *, along: bool) -> Floats:
    """Return how far (n,) in mm each point is from the marked ones: along edges, or in space; infinite beyond the reach."""
    sources = np.flatnonzero(marked)
    result = np.full(mesh.point_count, np.inf)
    result[sources] = 0.0
    if reach <= 0:
        return result
    if not along:
        away = scipy.spatial.cKDTree(mesh.positions[sources]).query(mesh.positions, distance_upper_bound=reach)[0]
        return np.minimum(result, np.asarray(away, dtype=np.float64))
    ends = mesh.topology.edges.ends.astype(np.int64)
    size = np.maximum(lengths(mesh.positions[ends[:, 1]] - mesh.positions[ends[:, 0]]), 1e-12)
    graph = scipy.sparse.csr_array(scipy.sparse.coo_array((size, (ends[:, 0], ends[:, 1])), shape=(mesh.point_count,) * 2))
    found: Floats = scipy.sparse.csgraph.dijkstra(graph, directed=False, indices=sources, min_only=True, limit=reach)
    return found


def shift(mesh: Mesh, weights: Floats, move: Callable[[Floats], Floats]) -> Floats:
    """Return where points (n, 3) are when each goes its weight (n,) of the way that `move` takes it."""
    places = mesh.positions.copy()
    own = weights > 0
    places[own] += weights[own, None] * (move(mesh.positions[own]) - mesh.positions[own])
    return places


def fading(distance: Floats, reach: float, law: Callable[[Floats], Floats]) -> Floats:
    """Return weights (n,) by a law over the share of the reach: 1 where marked, 0 beyond it."""
    if reach <= 0:
        return (distance <= 0).astype(np.float64)
    share = np.minimum(distance / reach, 1.0)
    return np.where(np.isfinite(distance), np.clip(law(share), -10.0, 10.0), 0.0)


OPPOSITE = 0.05
"""A point lies across a plane from another where it is within this share of the shortest edge there of its mirror image."""


def opposite_points(mesh: Mesh, marked: Bools, turn: Floats) -> Bools:
    """Return the points (n,) that lie across from marked ones (n,), as coordinates times `turn` (3,) say.

    Raises KernelError where a marked point has none across: the mesh is not alike on both sides there.
    """
    ends = mesh.topology.edges.ends
    shortest = float(lengths(mesh.positions[ends[:, 1]] - mesh.positions[ends[:, 0]]).min(initial=np.inf))
    away, found = scipy.spatial.cKDTree(mesh.positions).query(mesh.positions[marked] * turn)
    lost = int(np.count_nonzero(away > OPPOSITE * shortest))
    if lost:
        raise KernelError(f"{lost:,} of the marked points have none across the middle: the mesh is not alike there.")
    result = np.zeros(mesh.point_count, dtype=bool)
    result[found] = True
    return result
