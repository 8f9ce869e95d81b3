"""Copies of one body joined where their rims meet, so that a cell with matching ends becomes one skin whatever the count."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints, lengths, sum_by_index
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.mesh_edits.keep_and_merge import merge_points
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Reworked

BESIDE = 0.5
"""Points of rims that stay apart by less than this share of a usual edge of the rims were meant to meet."""


@dataclass(frozen=True, eq=False)
class Joined(Reworked):
    """Copies joined. merged: points that became one with others. missed: points (k,) of the new mesh on rims of two copies
    that come near each other and stayed apart; gap: the largest such distance in mm, 0 for none.
    """

    merged: int
    missed: Ints
    gap: float


def join_copies(mesh: Mesh, times: int, distance: float, blend: float = 0.0) -> Joined:
    """Return the mesh of `times` copies, one after another as `repeat_mesh` lays them, with points of rims joined.

    Points on open edges of two different copies become one at their mean where they lie within `distance` mm: the nearest
    ones of each other, so that no copy is joined with itself and nothing collapses. blend: how far in mm along its edges
    each copy gives way to where its rims went, less and less, so that ends that differ run into each other without a step.
    Raises InvalidInput for a distance or a blend below zero.
    """
    for value, name in ((distance, "The distance of the joints"), (blend, "The blend of the joints")):
        if not value >= 0:
            raise InvalidInput(name, "zero or more", f"{value:g} mm")
    rim = np.flatnonzero(mesh.topology.on_boundary)
    owner = rim // max(1, mesh.point_count // times)
    first, second = _mutual(mesh.positions[rim], owner, distance)
    labels = np.arange(mesh.point_count)
    if len(first):
        groups = joined_groups(first, second, len(rim))
        lowest = np.full(len(rim), len(rim))
        np.minimum.at(lowest, groups, np.arange(len(rim)))
        labels[rim] = rim[lowest[groups]]
        if blend > 0:
            mesh = mesh.moved(_blended(mesh, rim, owner, (first, second), groups, blend))
    merged = merge_points(mesh, labels)
    left = np.setdiff1d(np.arange(len(rim)), np.concatenate((first, second)))
    missed, gap = _missed(mesh, rim, owner, left)
    at = merged.of_point[missed]
    count = int((labels != np.arange(mesh.point_count)).sum())
    return Joined(merged.mesh, merged.origin, count, np.unique(at[at >= 0]), gap)


def _mutual(places: Floats, owner: Ints, distance: float) -> tuple[Ints, Ints]:
    """Return pairs of places (n, 3) of two owners within `distance` mm, each the other's nearest of its owner."""
    if len(places) < 2:
        return np.zeros(0, dtype=np.int64), np.zeros(0, dtype=np.int64)
    pairs = scipy.spatial.cKDTree(places).query_pairs(_reached(places, distance), output_type="ndarray").astype(np.int64)
    pairs = pairs[owner[pairs[:, 0]] != owner[pairs[:, 1]]]
    away = lengths(places[pairs[:, 0]] - places[pairs[:, 1]])
    both = np.concatenate((pairs, pairs[:, ::-1]))
    apart = np.concatenate((away, away))
    order = np.lexsort((apart, owner[both[:, 1]], both[:, 0]))
    leads = both[order, 0] * (owner.max() + 1) + owner[both[order, 1]]
    nearest = order[np.flatnonzero(np.diff(leads, prepend=-1))]
    chosen = np.zeros(len(both), dtype=bool)
    chosen[nearest] = True
    kept = pairs[chosen[: len(pairs)] & chosen[len(pairs) :]]
    return kept[:, 0], kept[:, 1]


def _blended(mesh: Mesh, rim: Ints, owner: Ints, pairs: tuple[Ints, Ints], groups: Ints, reach: float) -> Floats:
    """Return the points (n, 3) with joined ones of rims at their mean, and what lies within reach of them drawn along.

    rim, owner, groups (r,): points on rims, the copy of each and what it becomes one with; pairs of those. Joints that no
    copy shares are blended at once; of several that reach a point each has its say, together at most the whole.
    """
    here = mesh.positions[rim]
    mean = sum_by_index(groups, here, len(rim)) / np.maximum(np.bincount(groups, minlength=len(rim)), 1)[:, None]
    gone = mean[groups] - here
    ends = mesh.topology.edges.ends.astype(np.int64)
    size = np.maximum(lengths(mesh.positions[ends[:, 1]] - mesh.positions[ends[:, 0]]), 1e-12)
    graph = scipy.sparse.coo_array((size, (ends[:, 0], ends[:, 1])), shape=(mesh.point_count,) * 2).tocsr()
    total, weights = np.zeros_like(mesh.positions), np.zeros(mesh.point_count)
    for own in _apart(owner, pairs):
        sources = rim[own]
        move = np.zeros_like(mesh.positions)
        move[sources] = gone[own]
        away, _, nearest = scipy.sparse.csgraph.dijkstra(
            graph, directed=False, indices=sources, limit=reach, min_only=True, return_predecessors=True
        )
        near = np.isfinite(away)
        share = np.where(near, (1 + np.cos(np.pi * np.where(near, away, 0.0) / reach)) / 2, 0.0)
        total[near] += share[near, None] * move[nearest[near]]
        weights += share
    return np.asarray(mesh.positions + total / np.maximum(weights, 1.0)[:, None])


def _apart(owner: Ints, pairs: tuple[Ints, Ints]) -> list[Ints]:
    """Return joined points of rims in groups of joints, those of each group between copies that are in no other of it."""
    keys = np.sort(np.column_stack((owner[pairs[0]], owner[pairs[1]])), axis=1)
    joints, of_pair = np.unique(keys, axis=0, return_inverse=True)
    found: list[tuple[set[int], list[int]]] = []
    for number, copies in enumerate(joints.tolist()):
        for taken, own in found:
            if not taken & set(copies):
                taken |= set(copies)
                own.append(number)
                break
        else:
            found.append((set(copies), [number]))
    both = [np.isin(of_pair.ravel(), own) for _, own in found]
    return [np.unique(np.concatenate((pairs[0][own], pairs[1][own]))) for own in both]


def _reached(places: Floats, distance: float) -> float:
    """Return the distance, with room for how places of turned copies are rounded."""
    return float(distance + 1e-12 * np.abs(places).max(initial=0.0))


def _missed(mesh: Mesh, rim: Ints, owner: Ints, left: Ints) -> tuple[Ints, float]:
    """Return points of rims that were left and lie near a rim of another copy, and the largest distance in mm."""
    if not len(left):
        return np.zeros(0, dtype=np.int64), 0.0
    ends = mesh.positions[mesh.topology.edges.ends[mesh.topology.boundary_edges]]
    reach = BESIDE * float(np.median(lengths(ends[:, 1] - ends[:, 0])))
    places = mesh.positions[rim]
    pairs = scipy.spatial.cKDTree(places).query_pairs(reach, output_type="ndarray").astype(np.int64)
    pairs = pairs[owner[pairs[:, 0]] != owner[pairs[:, 1]]]
    is_left = np.zeros(len(rim), dtype=bool)
    is_left[left] = True
    pairs = pairs[is_left[pairs].any(axis=1)]
    if not len(pairs):
        return np.zeros(0, dtype=np.int64), 0.0
    nearest = np.full(len(rim), np.inf)
    away = lengths(places[pairs[:, 0]] - places[pairs[:, 1]])
    for side in pairs.T:
        np.minimum.at(nearest, side, away)
    found = np.flatnonzero(is_left & np.isfinite(nearest))
    return rim[found], float(nearest[found].max(initial=0.0))
