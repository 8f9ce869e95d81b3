"""Weld vertices that lie within a distance: what it would do is told before it is done.

Distances from each vertex to its nearest other one, sorted, show a jump where doubled vertices end and real detail begins;
a weld distance inside the jump is safe.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints, lengths
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.mesh_edits.keep_and_merge import merge_points
from glass_spoon.kernel.mesh_edits.open_edges import put_points_in
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.near_points import coincident, near_pairs
from glass_spoon.kernel.meshes.origin import Reworked

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
    places = mesh.positions[chosen]
    same = coincident(places)
    single = np.flatnonzero(same == np.arange(len(same)))
    near = single[near_pairs(places[single], distance)]
    labels = np.arange(mesh.point_count)
    labels[chosen] = chosen[_lowest(same, near)]
    merged = int((labels != np.arange(mesh.point_count)).sum())
    features = _collapsed_edges(mesh, labels)
    left = merge_points(mesh, labels).mesh.face_count if features else mesh.face_count
    return WeldPlan(labels, merged, features, mesh.face_count - left, _safe(mesh, places, same, near))


def _lowest(same: Ints, near: Ints) -> Ints:
    """Return the lowest member (n,) of each one's group: those at one place, and those that pairs (k, 2) join."""
    if not len(near):
        return same
    groups = joined_groups(near[:, 0], near[:, 1], len(same))
    first = np.full(len(same), len(same))
    np.minimum.at(first, groups, np.arange(len(same)))
    return first[groups][same]


def _collapsed_edges(mesh: Mesh, labels: Ints) -> int:
    """Return how many edges shrink to a point when vertices with one label become one."""
    corners = labels[mesh.topology.face_corners]
    if not (corners == corners[mesh.topology.next_corner]).any():
        return 0
    ends = labels[mesh.topology.edges.ends]
    return int((ends[:, 0] == ends[:, 1]).sum())


def safe_distances(mesh: Mesh) -> tuple[float, float]:
    """Return the distances in mm that lie inside the widest jump of nearest distances, (0, least) where there is no jump.

    The jump is looked for among the distances from each vertex to the nearest, and the lengths of edges.
    """
    same = coincident(mesh.positions)
    return _safe(mesh, mesh.positions, same, np.zeros((0, 2), dtype=np.int64))


def _safe(mesh: Mesh, places: Floats, same: Ints, near: Ints) -> tuple[float, float]:
    """Return `safe_distances` among some vertices at places (n, 3).

    same: (n,) the lowest one at each place. near: all pairs (k, 2) of these lowest ones within some distance.
    """
    if len(places) < 2:
        return 0.0, np.inf
    size = max(float(np.ptp(column)) for column in mesh.positions.T) or 1.0
    floor = NOTHING_SHARE * size
    single = np.bincount(same, minlength=len(same)) == 1
    nearest = _nearest_distances(places, same, np.flatnonzero(single), near)
    corners = mesh.topology.face_corners
    edges = lengths(mesh.positions[corners[mesh.topology.next_corner]] - mesh.positions[corners])
    together = not single.all() or bool((nearest <= floor).any())
    widest = float(nearest.max(initial=0.0))
    values = np.concatenate((nearest, edges))
    values = values[values > floor]
    if not len(values):
        return 0.0, np.inf
    least = float(values.min())
    below, above, ratio = _widest_jump(np.concatenate((values, [floor])) if together else values, widest)
    if ratio < LEAST_JUMP:
        return 0.0, least
    return (0.0 if below <= floor else below), above


def _widest_jump(values: Floats, end: float) -> tuple[float, float, float]:
    """Return both sides of the widest jump between values (n,) that follow one another, and their ratio.

    The jump begins below `end`. Values are dealt out by size to bins half as wide as the least jump that counts: every
    such jump lies between the highest of one bin and the lowest of the next one that is not empty. Nothing is sorted.
    """
    number = np.floor(np.log2(values) * (2 / np.log2(LEAST_JUMP))).astype(np.int64)
    number -= number.min()
    count = int(number.max()) + 1
    low, high = np.full(count, np.inf), np.zeros(count)
    np.minimum.at(low, number, values)
    np.maximum.at(high, number, values)
    filled = np.flatnonzero(high)
    below, above = high[filled[:-1]], low[filled[1:]]
    ratio = np.where(below < end, above / below, 0.0)
    if not len(ratio):
        return 0.0, 0.0, 0.0
    at = int(np.argmax(ratio))
    return float(below[at]), float(above[at]), float(ratio[at])


FEW = 64
"""Points whose nearest other one is looked for among all, without a search tree."""


def _nearest_distances(points: Floats, same: Ints, single: Ints, near: Ints) -> Floats:
    """Return the distance (k,) from each point `single` (k,), which shares its place with none, to the nearest other one.

    near: all pairs of points (the lowest one of each place) within some distance.
    """
    nearest = np.full(len(points), np.inf)
    apart = lengths(points[near[:, 0]] - points[near[:, 1]])
    for side in near.T:
        np.minimum.at(nearest, side, apart)
    alone = single[np.isinf(nearest[single])]
    others = points[same == np.arange(len(same))]
    if len(alone) and len(alone) <= FEW:
        for point in alone.tolist():
            away = lengths(others - points[point])
            nearest[point] = np.partition(away, 1)[1]  # the least is its own
    elif len(alone):
        tree = scipy.spatial.cKDTree(others, balanced_tree=False, compact_nodes=False)
        nearest[alone] = np.asarray(tree.query(points[alone], k=2)[0])[:, 1]
    return nearest[single]


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
    put = put_points_in(mesh, distance) if points == "edges" else None
    plan = plan_weld(mesh if put is None else put.mesh, distance, points)
    merged = merge_points(mesh if put is None else put.mesh, plan.labels)
    touched = plan.labels != np.arange(len(plan.labels))
    touched[plan.labels[touched]] = True
    touched[[] if put is None else put.vertices] = True
    at = merged.of_point[touched]
    places = np.flatnonzero(np.bincount(at[at >= 0], minlength=merged.mesh.point_count))
    whole = merged if put is None else put.then(merged)
    return Welded(whole.mesh, whole.origin, plan, 0 if put is None else len(put.vertices), places)
