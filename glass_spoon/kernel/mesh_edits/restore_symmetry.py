"""A mesh made symmetric again: points are paired with those across a plane, and both put where one mirrors the other."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints, lengths
from glass_spoon.kernel.meshes.mesh import Mesh

Leading = Literal["both", "near", "far"]
"""Which side is right: the mean of both, that on which the plane looks back, or that to which it faces."""

REACH = 0.75
"""A point and its image across count as a pair within this share of the shortest edge at either of them, for no distance."""


MOST_LEFT = 5000
"""Points that are left to be paired by their neighbours, at most: a mesh with more is no longer alike on both sides."""


@dataclass(frozen=True, eq=False)
class Restored:
    """Where points (n, 3) are in mm; pairs: how many; alone: points (k,) that have none across; off: how far in mm one of a
    pair was from the image of the other, at most.
    """

    places: Floats
    pairs: int
    alone: Ints
    off: float


def restore_symmetry(mesh: Mesh, origin: Floats, normal: Floats, leading: Leading = "both", within: float = 0.0) -> Restored:
    """Return where points go so that those across a plane, by a place (3,) and its unit normal (3,), mirror each other.

    A point pairs with that nearest to its image, if it is nearest the other way round too and within a distance in mm, 0 for
    a share of the edges there; one that is farther off, with that among the pairs of its neighbours. One that pairs with
    itself goes into the plane.
    """
    places = mesh.positions
    side = (places - origin) @ normal
    images = places - 2 * np.outer(side, normal)
    if not len(places):
        return Restored(places, 0, np.zeros(0, dtype=np.int64), 0.0)
    found = scipy.spatial.cKDTree(places).query(images)
    far, partner = np.asarray(found[0], dtype=np.float64), np.asarray(found[1], dtype=np.int64)
    reach = np.full(len(places), within) if within > 0 else REACH * _shortest(mesh)
    paired = (partner[partner] == np.arange(len(places))) & (far <= np.minimum(reach, reach[partner]))
    partner = _by_neighbours(mesh, np.where(paired, partner, -1), images)
    far = lengths(places[partner] - images)
    paired = (partner >= 0) & ((far <= within) if within > 0 else True)
    goal = places.copy()
    goal[paired] = (places[paired] + images[partner[paired]]) / 2
    if leading != "both":
        leads = side < 0 if leading == "near" else side > 0
        follows = paired & ~leads & leads[partner]
        goal[paired & leads] = places[paired & leads]
        goal[follows] = images[partner[follows]]
    alone = paired & (partner == np.arange(len(places)))
    goal[alone] = places[alone] - np.outer(side[alone], normal)
    result = np.where(paired[:, None], goal, places)
    off = float(far[paired & ~alone].max(initial=0.0))
    return Restored(result, int((paired & (partner > np.arange(len(places)))).sum()), np.flatnonzero(~paired), off)


def _by_neighbours(mesh: Mesh, partner: Ints, images: Floats) -> Ints:
    """Return the pairs (n,) of points, -1 for none, with those of points that lie among paired ones on both sides.

    Points that are left take, of the neighbours of their neighbours' pairs, the one that most of these share, the nearest of
    equals; it counts when it is so both ways. Sequential by nature, over the few points that are left.
    """
    result = partner.copy()
    if not 0 < (result < 0).sum() <= MOST_LEFT:
        return result
    ends = mesh.topology.edges.ends.astype(np.int64)
    shape = (mesh.point_count,) * 2
    graph = scipy.sparse.csr_array(
        (np.ones(2 * len(ends)), (np.concatenate(ends.T), np.concatenate(ends.T[::-1]))), shape=shape
    )
    beside = np.split(graph.indices.astype(np.int64), graph.indptr[1:-1])
    while True:
        wished: dict[int, int] = {}
        for point in np.flatnonzero(result < 0).tolist():
            pairs = result[beside[point]]
            near = np.concatenate([beside[pair] for pair in pairs[pairs >= 0].tolist()] or [np.zeros(0, dtype=np.int64)])
            open_ones, shared = np.unique(near[result[near] < 0], return_counts=True)
            if len(open_ones):
                away = lengths(mesh.positions[open_ones] - images[point])
                wished[point] = int(open_ones[np.lexsort((away, -shared))[0]])
        found = [(point, other) for point, other in wished.items() if wished.get(other) == point]
        if not found:
            return result
        for point, other in found:
            result[point] = other


def _shortest(mesh: Mesh) -> Floats:
    """Return the length (n,) in mm of the shortest edge at each point, infinite for one without."""
    ends = mesh.topology.edges.ends.astype(np.int64)
    size = lengths(mesh.positions[ends[:, 1]] - mesh.positions[ends[:, 0]])
    result = np.full(mesh.point_count, np.inf)
    np.minimum.at(result, ends.ravel(), np.repeat(size, 2))
    return result
