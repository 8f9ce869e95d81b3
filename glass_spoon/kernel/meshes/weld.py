"""Weld vertices that lie within a distance: what it would do is told before it is done.

Distances from each vertex to its nearest other one, sorted, show a jump where doubled vertices end and real detail begins;
a weld distance inside the jump is safe.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from glass_spoon.kernel.arrays import Ints
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.meshes.merge_points import Merged, merge_points
from glass_spoon.kernel.meshes.mesh import Mesh

WeldPoints = Literal["all", "open"]
"""Every vertex, or only those on open edges."""

LEAST_JUMP = 8.0
"""How many times larger the distances have to be beyond a jump for what lies below it to count as doubled."""

NOTHING_SHARE = 1e-9
"""Distances below this share of the size of the mesh count as none."""


@dataclass(frozen=True, eq=False)
class WeldPlan:
    """What a weld would do.

    labels: (n,) the lowest vertex that each becomes one with. merged: vertices that go. features: edges that shrink to a
    point, detail that is lost. faces: faces that vanish. safe: the distances in mm between which only doubled vertices
    merge; (0, d) where none are doubled.
    """

    labels: Ints
    merged: int
    features: int
    faces: int
    safe: tuple[float, float]

    @property
    def collapses(self) -> bool:
        """True when the weld takes detail: edges shrink to points."""
        return self.features > 0


def plan_weld(mesh: Mesh, distance: float, points: WeldPoints = "all") -> WeldPlan:
    """Return what welding vertices within `distance` mm would do; chains of near vertices become one.

    Raises InvalidInput for a distance below zero.
    """
    if not distance >= 0:
        raise InvalidInput("The weld distance", "zero or more", f"{distance:g} mm")
    chosen = np.flatnonzero(mesh.topology.on_boundary) if points == "open" else np.arange(mesh.point_count)
    labels = np.arange(mesh.point_count)
    if len(chosen):
        pairs = chosen[cKDTree(mesh.positions[chosen]).query_pairs(distance, output_type="ndarray")]
        graph = coo_array((np.ones(len(pairs), dtype=np.int8), (pairs[:, 0], pairs[:, 1])), shape=(mesh.point_count,) * 2)
        groups = connected_components(graph, directed=False)[1]
        first = np.full(mesh.point_count, mesh.point_count)
        np.minimum.at(first, groups, np.arange(mesh.point_count))
        labels = first[groups]
    merged = int((labels != np.arange(mesh.point_count)).sum())
    ends = labels[mesh.topology.edges.ends]
    features = int((ends[:, 0] == ends[:, 1]).sum())
    left = merge_points(mesh, labels).mesh.face_count if features else mesh.face_count
    return WeldPlan(labels, merged, features, mesh.face_count - left, safe_distances(mesh, chosen))


def safe_distances(mesh: Mesh, chosen: Ints | None = None) -> tuple[float, float]:
    """Return the distances in mm that lie inside the widest jump of nearest distances, (0, least) where there is no jump.

    The jump is looked for among the distances from each vertex (of `chosen`) to the nearest, and the lengths of edges.
    """
    chosen = np.arange(mesh.point_count) if chosen is None else chosen
    if len(chosen) < 2:
        return 0.0, np.inf
    nearest = np.asarray(cKDTree(mesh.positions[chosen]).query(mesh.positions[chosen], k=2)[0])[:, 1]
    ends = mesh.positions[mesh.topology.edges.ends]
    edges = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    size = float(np.ptp(mesh.positions, axis=0).max()) or 1.0
    values = np.unique(np.concatenate((nearest, edges[edges > 0])))
    floor = NOTHING_SHARE * size
    ladder = np.concatenate(([floor], values[values > floor]))
    if len(ladder) == 1:
        return 0.0, np.inf
    ratio = ladder[1:] / ladder[:-1]
    if not (nearest <= floor).any():
        ratio[0] = 0.0  # nothing lies together: the first distance is no jump
    ratio[ladder[:-1] >= nearest.max()] = 0.0
    widest = int(np.argmax(ratio))
    if ratio[widest] < LEAST_JUMP:
        return 0.0, float(ladder[1])
    return (0.0 if widest == 0 else float(ladder[widest])), float(ladder[widest + 1])


def weld(mesh: Mesh, distance: float, points: WeldPoints = "all") -> Merged:
    """Return the mesh with vertices within `distance` mm made one, at their mean; faces without area that result are gone.

    Inverse: none. Cost: a tree over the vertices. Raises as `plan_weld`.
    """
    return merge_points(mesh, plan_weld(mesh, distance, points).labels)
