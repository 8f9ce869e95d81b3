"""Weld vertices that lie within a distance: what it would do is told before it is done.

Distances from each vertex to its nearest other one, sorted, show a jump where doubled vertices end and real detail begins;
a weld distance inside the jump is safe.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.spatial import cKDTree

from glass_spoon.kernel.arrays import Floats, Ints, lengths
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.meshes.merge_points import merge_points
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.near_points import near_pairs
from glass_spoon.kernel.meshes.open_edges import PutIn, put_points_in
from glass_spoon.kernel.meshes.origin import Reworked, same_elements

WeldPoints = Literal["all", "open", "edges"]
"""Every vertex, only those on open edges, or those and the open edges that they lie on."""

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
    chosen = np.arange(mesh.point_count) if points == "all" else np.flatnonzero(mesh.topology.on_boundary)
    labels = np.arange(mesh.point_count)
    near = near_pairs(mesh.positions[chosen], distance)
    if len(near):
        pairs = chosen[near]
        groups = joined_groups(pairs[:, 0], pairs[:, 1], mesh.point_count)
        first = np.full(mesh.point_count, mesh.point_count)
        np.minimum.at(first, groups, np.arange(mesh.point_count))
        labels = first[groups]
    merged = int((labels != np.arange(mesh.point_count)).sum())
    ends = labels[mesh.topology.edges.ends]
    features = int((ends[:, 0] == ends[:, 1]).sum())
    left = merge_points(mesh, labels).mesh.face_count if features else mesh.face_count
    return WeldPlan(labels, merged, features, mesh.face_count - left, safe_distances(mesh, chosen, near))


def safe_distances(mesh: Mesh, chosen: Ints | None = None, near: Ints | None = None) -> tuple[float, float]:
    """Return the distances in mm that lie inside the widest jump of nearest distances, (0, least) where there is no jump.

    The jump is looked for among the distances from each vertex (of `chosen`) to the nearest, and the lengths of edges.
    near: pairs (k, 2) of `chosen`, all those within some distance, where they are known.
    """
    chosen = np.arange(mesh.point_count) if chosen is None else chosen
    if len(chosen) < 2:
        return 0.0, np.inf
    nearest = _nearest_distances(mesh.positions[chosen], np.zeros((0, 2), dtype=np.int64) if near is None else near)
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


def _nearest_distances(points: Floats, near: Ints) -> Floats:
    """Return the distance (n,) from each point to the nearest other one; near: all pairs (k, 2) within some distance."""
    nearest = np.full(len(points), np.inf)
    apart = lengths(points[near[:, 0]] - points[near[:, 1]])
    for side in near.T:
        np.minimum.at(nearest, side, apart)
    alone = np.flatnonzero(np.isinf(nearest))
    if len(alone):
        tree = cKDTree(points, balanced_tree=False, compact_nodes=False)
        nearest[alone] = np.asarray(tree.query(points[alone], k=2)[0])[:, 1]
    return nearest


@dataclass(frozen=True, eq=False)
class Welded(Reworked):
    """A mesh that was welded of another. plan: what was done. put_in: vertices put into open edges.

    places: (k,) the vertices that several became, or that were put in.
    """

    plan: WeldPlan
    put_in: int
    places: Ints


def weld(mesh: Mesh, distance: float, points: WeldPoints = "all") -> Welded:
    """Return the mesh with vertices within `distance` mm made one, at their mean; faces without area that result are gone.

    With "edges" vertices on open edges of others are put into these first. Inverse: none. Cost: a sort of the vertices.
    Raises as `plan_weld`.
    """
    nothing = np.zeros(0, dtype=np.int64)
    put = put_points_in(mesh, distance) if points == "edges" else PutIn(mesh, same_elements(mesh.topology), nothing)
    plan = plan_weld(put.mesh, distance, points)
    merged = merge_points(put.mesh, plan.labels)
    several = plan.labels[plan.labels != np.arange(len(plan.labels))]
    places = np.unique(merged.of_point[np.concatenate((several, put.vertices))])
    whole = put.then(merged) if points == "edges" else merged
    return Welded(whole.mesh, whole.origin, plan, len(put.vertices), places[places >= 0])
