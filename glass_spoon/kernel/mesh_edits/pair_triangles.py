"""Triangles joined to quads by the best pairing over the whole mesh: as many pairs as there can be, then the best shaped.

A pairing of triangles is a matching in the graph of triangles that share an edge; one of greatest weight is found by
Edmonds' blossom method (Galil: Efficient algorithms for finding maximum matching in graphs, ACM Computing Surveys 18, 1986,
in the library rustworkx). Its time grows with the cube of the count, so that a large mesh is paired patch by patch, the
patches cut anew where the seams of the first ones lay: each patch is then the best for what lies round it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import rustworkx

from glass_spoon.kernel.arrays import AnyInts, Bools, Floats, Ints, cross, directions, lengths
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Origin, Reworked, Taken, carry, every, same_edges
from glass_spoon.kernel.meshes.topology import make_topology

WHOLE = 3000
"""Triangles that are paired at once; more are taken patch by patch."""

PATCH = 500
"""Triangles of a patch."""

SWEEPS = 3
"""Times that a large mesh is cut into patches, each time elsewhere."""

GRAIN = 1_000_000
"""Weights are whole numbers up to this."""


@dataclass(frozen=True, eq=False)
class Paired(Reworked):
    """A mesh with triangles joined: pairs made (of the role "pair"), triangles left, and the least shape (0 to 1) of one."""

    pairs: int
    left: int
    worst: float


def pair_triangles(mesh: Mesh, largest_turn: float = np.pi, held: Bools | None = None) -> Paired:
    """Return the mesh with neighbouring triangles joined to convex quads; other faces stay.

    Neighbours whose normals differ by more than `largest_turn` rad, edges `held` (e,) and edges with sharpness stay apart.
    The quad of a pair starts at the corner of its first triangle that its second does not touch; corner values follow.
    Raises InvalidInput for an angle that is not above zero.
    """
    if not largest_turn > 0:
        raise InvalidInput("The largest turn between paired triangles", "above 0°", f"{np.degrees(largest_turn):g}°")
    edges, quads, shape = _candidates(mesh, largest_turn, held)
    faces = mesh.topology.edge_faces[edges].astype(np.int64)
    chosen = best_matching(faces, shape, mesh.face_centers)
    kept = np.ones(mesh.face_count, dtype=bool)
    kept[faces[chosen].ravel()] = False
    left = int((kept & (mesh.topology.face_sides == 3)).sum())
    result = _joined(mesh, np.flatnonzero(kept), quads[chosen], faces[chosen, 0])
    return Paired(result.mesh, result.origin, len(chosen), left, float(shape[chosen].min(initial=1.0)))


def _candidates(mesh: Mesh, largest_turn: float, held: Bools | None) -> tuple[Ints, Ints, Floats]:
    """Return edges (k,) between two triangles that may be taken out, the corners (k, 4) of the quads, and their shapes."""
    topology = mesh.topology
    pair = topology.edge_corners.astype(np.int64)
    good = (topology.edge_face_counts == 2) & ~topology.same_direction
    faces = topology.edge_faces
    good &= (topology.face_sides[faces[:, 0]] == 3) & (topology.face_sides[faces[:, 1]] == 3)
    if held is not None:
        good &= ~held
    if "sharpness" in mesh.edges:
        good &= mesh.edges["sharpness"] <= 0
    edges = np.flatnonzero(good)
    normals = mesh.face_normals
    facing = np.einsum("ij,ij->i", normals[faces[edges, 0]], normals[faces[edges, 1]])
    edges = edges[facing >= np.cos(min(largest_turn, np.pi)) - 1e-12]
    first, second = pair[edges].T
    following, before = topology.next_corner.astype(np.int64), topology.previous_corner.astype(np.int64)
    # First triangle a b c with the shared edge a b, second b a d: the quad c a d b.
    quads = np.column_stack((before[first], first, before[second], following[first]))
    shape = quad_shapes(mesh.positions[topology.face_corners[quads]])
    return edges[shape > 0], quads[shape > 0], shape[shape > 0]


def quad_shapes(points: Floats) -> Floats:
    """Return how square quads (k, 4, 3) are, 1 to 0: one less the worst corner's share of a right angle it is off.

    Remacle and others: Blossom-Quad, Int. J. Numer. Meth. Engng 89 (2012), equation 1. Not above zero: not convex.
    """
    ahead = directions(np.roll(points, -1, axis=1) - points)
    back = directions(np.roll(points, 1, axis=1) - points)
    normal = directions(cross(points[:, 2] - points[:, 0], points[:, 3] - points[:, 1]))
    sine = np.einsum("kij,kj->ki", cross(ahead, back), normal)
    cosine = np.einsum("kij,kij->ki", ahead, back)
    angle = np.arctan2(np.copysign(lengths(cross(ahead, back)), sine), cosine)
    angle = np.where(angle < 0, angle + 2 * np.pi, angle)
    result: Floats = np.maximum(1 - 2 / np.pi * np.abs(np.pi / 2 - angle).max(axis=1), 0.0)
    return result


def best_matching(ends: Ints, weights: Floats, places: Floats) -> Ints:
    """Return edges (m,) of a graph with edges (k, 2), no two at one node: most of them, then the greatest sum of weights.

    weights (k,), 0 to 1. places (n, 3) of the nodes cut a graph too large to be done at once into patches.
    """
    if not len(ends):
        return np.zeros(0, dtype=np.int64)
    count = len(places)
    labels = joined_groups(ends[:, 0], ends[:, 1], count)
    sizes = np.bincount(labels)
    partner_edge = np.full(count, -1, dtype=np.int64)
    settled = _match_plainly(ends, weights, labels, partner_edge)
    whole = settled | (sizes[labels[ends[:, 0]]] <= WHOLE)
    _match_groups(ends, weights, np.flatnonzero(whole), labels.astype(np.int64), partner_edge)
    large = np.flatnonzero(~whole)
    for sweep in range(SWEEPS if len(large) else 0):
        nodes = np.unique(ends[large])
        patches = np.full(count, -1, dtype=np.int64)
        patches[nodes] = _patches(places[nodes], sweep)
        _free_inside(ends, patches, partner_edge)
        inside = patches[ends[large, 0]] == patches[ends[large, 1]]
        _match_groups(ends, weights, large[inside], patches, partner_edge)
    if len(large):
        _augment(ends, large, partner_edge)
    return np.unique(partner_edge[partner_edge >= 0])


def _match_plainly(ends: Ints, weights: Floats, labels: AnyInts, partner_edge: Ints) -> Bools:
    """Match the groups in which the best edge of every node is the best of its other end too, and mark their edges (k,).

    No matching is greater: half the best weight of every node, summed, is reached. So it is where quads were cut.
    """
    count = len(partner_edge)
    grains = np.rint(weights * GRAIN)
    best = np.zeros(count)
    np.maximum.at(best, ends.ravel(), np.repeat(grains, 2))
    top = np.flatnonzero((grains[:, None] == best[ends]).all(axis=1))
    alone = np.bincount(ends[top].ravel(), minlength=count) == 1
    unsettled = np.zeros(int(labels.max()) + 1, dtype=bool)
    nodes = np.unique(ends)
    unsettled[labels[nodes[~alone[nodes]]]] = True
    mine = top[~unsettled[labels[ends[top, 0]]]]
    partner_edge[ends[mine].ravel()] = np.repeat(mine, 2)
    return np.asarray(~unsettled[labels[ends[:, 0]]])


Came = dict[int, tuple[int, int]]
"""Of each node that a search reached: the edge outside the pairs over which it came, and the node from where."""


def _augment(ends: Ints, edges: Ints, partner_edge: Ints) -> None:
    """Pair free nodes over chains of edges that lie in turn outside and inside the pairs, shortest first (Berge 1957).

    A search from node to node for each node that patches left alone, few of them; odd rings are not shrunk, so that a chain
    through one may be missed.
    """
    nodes = np.unique(ends[edges])
    free = nodes[partner_edge[nodes] < 0].tolist()
    if not free:
        return
    graph = _Graph.of(ends, edges, partner_edge)
    for start in free:
        if graph.mate[start] < 0:
            graph.swap_along(*graph.chain_from(start))
    partner_edge[:] = graph.partner_edge


@dataclass(frozen=True, eq=False)
class _Graph:
    """A graph as plain lists, which single steps read faster than arrays: where the edges of each node start, their numbers
    and other ends, and of each node the edge to its partner and the partner, -1 for none.
    """

    starts: list[int]
    edges: list[int]
    others: list[int]
    partner_edge: list[int]
    mate: list[int]

    @classmethod
    def of(cls, ends: Ints, edges: Ints, partner_edge: Ints) -> _Graph:
        """Return the graph of some edges (k,) of ends (e, 2)."""
        here, there = ends[edges].T.reshape(-1), ends[edges, ::-1].T.reshape(-1)
        order = np.argsort(here, kind="stable")
        starts = np.searchsorted(here[order], np.arange(len(partner_edge) + 1))
        mate = np.where(partner_edge >= 0, ends[partner_edge].sum(axis=1) - np.arange(len(partner_edge)), -1)
        rows = (starts, np.tile(edges, 2)[order], there[order], partner_edge, mate)
        return cls(*(row.tolist() for row in rows))

    def chain_from(self, start: int) -> tuple[Came, int]:
        """Return the way to the nearest free node over edges in turn outside and inside the pairs, and it; -1 for none."""
        starts, edges, others, partner_edge, mate = self.starts, self.edges, self.others, self.partner_edge, self.mate
        came: Came = {}
        seen, waiting = {start}, [start]
        while waiting:
            following = []
            for node in waiting:
                for at in range(starts[node], starts[node + 1]):
                    other = others[at]
                    if other in seen or partner_edge[node] == edges[at]:
                        continue
                    seen.add(other)
                    came[other] = (edges[at], node)
                    if mate[other] < 0:
                        return came, other
                    if mate[other] not in seen:
                        seen.add(mate[other])
                        following.append(mate[other])
            waiting = following
        return came, -1

    def swap_along(self, came: Came, found: int) -> None:
        """Pair the nodes along a chain back to its start the other way; nothing for -1."""
        while found >= 0:
            edge, node = came[found]
            before = self.mate[node]
            self.partner_edge[found] = self.partner_edge[node] = edge
            self.mate[found], self.mate[node] = node, found
            found = before


def _free_inside(ends: Ints, patches: Ints, partner_edge: Ints) -> None:
    """Take back the pairs whose both nodes lie in one patch; pairs across a seam stay and hold their nodes."""
    matched = np.unique(partner_edge[partner_edge >= 0])
    inside = matched[(patches[ends[matched, 0]] == patches[ends[matched, 1]]) & (patches[ends[matched, 0]] >= 0)]
    partner_edge[ends[inside].ravel()] = -1


def _patches(places: Floats, sweep: int) -> Ints:
    """Return the number of the patch of each place (n, 3): halves of halves across the longest extent, cut off-centre.

    Each sweep cuts at other shares, so that seams do not fall together.
    """
    labels = np.zeros(len(places), dtype=np.int64)
    share = (0.5, 0.38, 0.62)[sweep % 3]
    waiting, following = [np.arange(len(places))], 1
    while waiting:
        own = waiting.pop()
        if len(own) <= PATCH:
            continue
        axis = int(np.argmax(np.ptp(places[own], axis=0)))
        order = own[np.argsort(places[own, axis], kind="stable")]
        at = int(len(own) * share)
        labels[order[at:]] = following
        following += 1
        waiting += [order[:at], order[at:]]
    return labels


def _match_groups(ends: Ints, weights: Floats, edges: Ints, groups: Ints, partner_edge: Ints) -> None:
    """Match the free nodes of each group among the edges given; the edge of each matched node is written down."""
    free = edges[(partner_edge[ends[edges]] < 0).all(axis=1)]
    order = free[np.argsort(groups[ends[free, 0]], kind="stable")]
    own = groups[ends[order, 0]]
    cuts = np.flatnonzero(np.diff(own)) + 1
    for part in np.split(order, cuts):
        if len(part):
            found = part[_match(ends[part], weights[part])]
            partner_edge[ends[found].ravel()] = np.repeat(found, 2)


def _match(ends: Ints, weights: Floats) -> Ints:
    """Return the edges of a greatest matching of one graph, most edges first."""
    nodes, local = np.unique(ends, return_inverse=True)
    local = local.reshape(-1, 2)
    graph = rustworkx.PyGraph(multigraph=False)
    graph.add_nodes_from(range(len(nodes)))
    whole = np.rint(weights * GRAIN).astype(np.int64) + 1
    graph.add_edges_from(list(zip(local[:, 0].tolist(), local[:, 1].tolist(), whole.tolist(), strict=True)))
    found = rustworkx.max_weight_matching(graph, max_cardinality=True, weight_fn=int)
    chosen = np.sort(np.array(list(found), dtype=np.int64).reshape(-1, 2), axis=1) @ [len(nodes), 1]
    rows = np.sort(local, axis=1) @ [len(nodes), 1]
    order = np.argsort(rows, kind="stable")
    return np.asarray(np.sort(order[np.searchsorted(rows[order], chosen)]))


def _joined(mesh: Mesh, kept: Ints, quads: Ints, firsts: Ints) -> Reworked:
    """Return the mesh of faces kept and quads of corners (m, 4), each in place of its first triangle (m,), in order."""
    topology = mesh.topology
    order = np.argsort(np.concatenate((kept, firsts)), kind="stable")
    sides = np.concatenate((topology.face_sides[kept], np.full(len(quads), 4)))[order]
    offsets = np.concatenate(([0], np.cumsum(sides)))
    starts = np.concatenate((topology.face_offsets[kept].astype(np.int64), np.full(len(quads), -1)))
    corners = np.empty(int(offsets[-1]), dtype=np.int64)
    single = np.flatnonzero(starts[order] >= 0)
    for count in np.unique(sides[single]) if len(single) else ():
        rows = single[sides[single] == count]
        corners[offsets[rows][:, None] + np.arange(count)] = starts[order][rows][:, None] + np.arange(count)
    joined = np.flatnonzero(starts[order] < 0)
    corners[offsets[joined][:, None] + np.arange(4)] = quads[order[joined] - len(kept)]
    made = make_topology(topology.point_count, topology.face_corners[corners], offsets=offsets)
    origin = Origin(
        topology,
        every(topology.point_count),
        Taken(corners, len(topology.face_corners)),
        np.concatenate((kept, firsts))[order],
        same_edges(topology, made),
    ).with_roles({"pair": joined}, {}, len(made.edges.ends))
    return Reworked(carry(mesh, made, origin), origin)
