"""Edges taken out: the faces on both sides become one, and points that then lie on a plain edge go; quads stay quads."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, lengths
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.mesh_edits.assemble import Assembly
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Reworked, unchanged
from glass_spoon.kernel.meshes.topology import Topology

JOINED = "band"
"""The role of faces that several became."""

ROUNDS = 64
"""How often loops are looked for that change nothing."""

TRIES = 4
"""How often that is done with a smaller tolerance where it went too far."""


@dataclass(frozen=True, eq=False)
class Dissolved(Reworked):
    """Edges taken out. edges: how many; loops: how many pieces of them; off: how far in mm a point that went is at most from
    what is there now.
    """

    edges: int
    loops: int
    off: float


def dissolve(mesh: Mesh, chosen: Bools) -> Dissolved:
    """Return the mesh without marked edges (e,). Open rims and creases stay, and points where these turn off.

    Raises KernelError where the faces about marked edges become none with one plain outline.
    """
    topology = mesh.topology
    chosen = chosen & (topology.edge_face_counts == 2)
    if not chosen.any():
        raise KernelError("The marks hold no edges with faces on both sides. Mark loops inside the mesh.")
    pair = topology.edge_faces[chosen].astype(np.int64)
    group = joined_groups(pair[:, 0], pair[:, 1], mesh.face_count)
    worked = np.zeros(mesh.face_count, dtype=bool)
    worked[pair.ravel()] = True
    ends = topology.edges.ends.astype(np.int64)
    left = np.bincount(ends[~chosen].ravel(), minlength=mesh.point_count)
    taken = np.zeros(mesh.point_count, dtype=bool)
    taken[ends[chosen].ravel()] = True
    plain = taken & (left == 2)
    build = Assembly(mesh)
    build.gone = worked
    off = _add_outlines(build, (chosen, plain), group)
    done, _ = build.finish()
    return Dissolved(done.mesh, done.origin, int(chosen.sum()), _loops(topology, chosen), off)


def _loops(topology: Topology, chosen: Bools) -> int:
    """Return of how many pieces that hang together marked edges (e,) are."""
    ends = topology.edges.ends[chosen].astype(np.int64)
    label = joined_groups(ends[:, 0], ends[:, 1], topology.point_count)
    return len(np.unique(label[ends[:, 0]]))


def _add_outlines(build: Assembly, marked: tuple[Bools, Bools], group: Ints) -> float:
    """Add the faces that groups of faces become; return how far in mm points that went were off at most."""
    mesh, topology = build.mesh, build.mesh.topology
    chosen, plain = marked
    at = np.flatnonzero(build.gone[topology.face_of_corner] & ~chosen[topology.edges.of_corner])
    owner = group[topology.face_of_corner[at]]
    start = topology.face_corners[at].astype(np.int64)
    end = topology.face_corners[topology.next_corner[at]].astype(np.int64)
    order = np.argsort(owner, kind="stable")
    bounds = np.flatnonzero(np.diff(owner[order], prepend=-1, append=-2))
    by_sides: dict[int, list[tuple[list[int], list[int], int]]] = {}
    gone: list[tuple[int, int, int]] = []
    parts: list[tuple[int, int, int]] = []
    for first, last in zip(bounds[:-1].tolist(), bounds[1:].tolist(), strict=True):
        own = order[first:last]
        loop = _walk(start[own].tolist(), end[own].tolist(), at[own].tolist())
        kept = [k for k, (point, _) in enumerate(loop) if not plain[point]]
        if len(kept) < 3:
            raise KernelError("Taking these edges out leaves a face of fewer than three corners. Mark fewer of them.")
        for a, b in zip(kept, [*kept[1:], kept[0] + len(loop)], strict=True):
            ends = loop[a][0], loop[b % len(loop)][0]
            gone += [(loop[k % len(loop)][0], *ends) for k in range(a + 1, b)]
            if b - a > 1:
                parts += [(*ends, int(topology.edges.of_corner[loop[k % len(loop)][1]])) for k in range(a, b)]
        points, corners = [loop[k][0] for k in kept], [loop[k][1] for k in kept]
        by_sides.setdefault(len(kept), []).append((points, corners, int(topology.face_of_corner[corners[0]])))
    for found in by_sides.values():
        rows = [np.array([one[k] for one in found], dtype=np.int64) for k in range(3)]
        build.add_faces(rows[0], rows[1], rows[2], JOINED)
    if not gone:
        return 0.0
    joined = np.array(parts, dtype=np.int64)
    build.continue_edges(joined[:, :2], joined[:, 2])
    point, low, high = mesh.positions[np.array(gone)].transpose(1, 0, 2)
    return float(_off_chord(point, low, high).max())


def _walk(start: list[int], end: list[int], corners: list[int]) -> list[tuple[int, int]]:
    """Return the points and corners of a closed outline in order; raises KernelError where it is none."""
    following = {a: (b, corner) for a, b, corner in zip(start, end, corners, strict=True)}
    if len(following) != len(start):
        raise KernelError("Taking these edges out leaves a face that touches itself. Mark whole loops, or fewer edges.")
    loop, here = [], start[0]
    while True:
        there, corner = following.pop(here)
        loop.append((here, corner))
        here = there
        if here == start[0]:
            break
    if following:
        raise KernelError("Taking these edges out leaves a face with a hole in it. Mark whole loops, or fewer edges.")
    return loop


def _off_chord(point: Floats, low: Floats, high: Floats) -> Floats:
    """Return how far (k,) points (k, 3) are from the lines between two others, in mm."""
    run = high - low
    share = np.einsum("ki,ki->k", point - low, run) / np.maximum(np.einsum("ki,ki->k", run, run), 1e-300)
    return np.asarray(lengths(low + np.clip(share, 0, 1)[:, None] * run - point))


def dissolve_idle(mesh: Mesh, tolerance: float, held: Bools | None = None) -> Dissolved:
    """Return the mesh without the loops that change its shape by no more than a tolerance in mm, the idlest first.

    held (e,): edges that stay, as open rims, creases and the borders of pieces do. A loop is the edges that face each other
    across a row of quads, turned by a right angle: all that run on through points of four edges. No point of the mesh is
    farther than the tolerance from what is left.
    """
    stays = _fixed(mesh) if held is None else _fixed(mesh) | held
    tried = tolerance
    for _ in range(TRIES):
        done, count, loops = _without_idle(mesh, stays, tried)
        off = float(NearestOnMesh(done.mesh).ask(mesh.positions)[2].max(initial=0.0))
        if off <= tolerance:
            return Dissolved(done.mesh, done.origin, count, loops, off)
        tried *= 0.95 * tolerance / off  # rows that cross each other add up
    nothing = unchanged(mesh)
    return Dissolved(nothing.mesh, nothing.origin, 0, 0, 0.0)


def _without_idle(mesh: Mesh, stays: Bools, tolerance: float) -> tuple[Reworked, int, int]:
    """Return the mesh without loops, by what is added up along rows, and how many edges and loops went."""
    done: Reworked = unchanged(mesh)
    count, loops, off = 0, 0, np.zeros(mesh.point_count)
    for _ in range(ROUNDS):
        here = done.mesh
        chosen, off = _idle_loops(here, stays, off, tolerance)
        if not chosen.any():
            break
        step = dissolve(here, chosen)
        count, loops = count + step.edges, loops + step.loops
        off = off[step.origin.points.first]
        stays = _carried(stays, step)
        done = done.then(step)
    return done, count, loops


def _fixed(mesh: Mesh) -> Bools:
    """Mark the edges (e,) that stay in any case."""
    topology = mesh.topology
    fixed = topology.edge_face_counts != 2
    sharp = mesh.edges.get("sharpness")
    if sharp is not None:
        fixed = fixed | (sharp > 0)
    piece = mesh.faces.get("piece")
    if piece is not None:
        pair = topology.edge_faces
        fixed = fixed | ((pair[:, 1] >= 0) & (piece[pair[:, 0]] != piece[np.maximum(pair[:, 1], 0)]))
    return np.asarray(fixed)


def _carried(marked: Bools, step: Reworked) -> Bools:
    """Return the marks of edges after a change."""
    result = np.zeros(len(step.mesh.topology.edges.ends), dtype=bool)
    new, old = step.origin.edges.T
    result[new[marked[old]]] = True
    return result


def _idle_loops(mesh: Mesh, stays: Bools, off: Floats, tolerance: float) -> tuple[Bools, Floats]:
    """Mark the edges (e,) of loops that can go at once, and return how far (n,) points are off when they went."""
    topology = mesh.topology
    label, across = _straight_loops(topology)
    count = int(label.max(initial=-1)) + 1
    ends = topology.edges.ends.astype(np.int64)
    bad = np.zeros(count, dtype=bool)
    bad[label[stays]] = True
    point_loops = np.concatenate((label, label))
    points = np.concatenate(ends.T)
    whole = (topology.valences == 4) & ~topology.on_boundary
    bad_point = ~whole & ~_rim_ends(topology)
    bad[point_loops[bad_point[points]]] = True
    deviation = np.zeros(count)
    low, high, own, at = across
    chord = _off_chord(mesh.positions[at], mesh.positions[low], mesh.positions[high])
    np.maximum.at(deviation, own, chord + off[at])
    touched = np.zeros(count, dtype=bool)
    touched[own] = True
    good = np.flatnonzero(~bad & touched & (deviation <= tolerance))
    beside = _beside(topology, label)
    taken, blocked = np.zeros(count, dtype=bool), np.zeros(count, dtype=bool)
    for loop in good[np.argsort(deviation[good], kind="stable")].tolist():
        if not blocked[loop]:
            taken[loop] = True
            blocked[beside.get(loop, [])] = True
    later = off.copy()
    went = taken[own]
    for points in (low[went], high[went]):
        np.maximum.at(later, points, deviation[own[went]])
    return taken[label], later


def _rim_ends(topology: Topology) -> Bools:
    """Mark the points (n,) on open rims with three edges: a loop may end there."""
    return np.asarray(topology.on_boundary & (topology.valences == 3))


def _straight_loops(topology: Topology) -> tuple[Ints, tuple[Ints, ...]]:
    """Return the loop (e,) of each edge, and where edges cross loops: the points on both sides, the loop, and its point."""
    twin, ahead = topology.twins, topology.next_corner
    corners = np.arange(len(topology.face_corners))
    edge = topology.edges.of_corner.astype(np.int64)
    valence, inner = topology.valences, ~topology.on_boundary
    # Across a point of four edges: onto the next edge of the face, over it, and onto the next again.
    first = ahead[corners]
    over = np.where(twin[first] >= 0, twin[first], 0)
    onward = ahead[over]
    point = topology.face_corners[first]
    fine = (twin[first] >= 0) & (valence[point] == 4) & inner[point]
    label = joined_groups(edge[fine], edge[onward[fine]], len(topology.edges.ends))
    label = np.unique(label, return_inverse=True)[1].ravel()
    here = topology.face_corners[corners].astype(np.int64)
    there = topology.face_corners[first].astype(np.int64)
    beyond = topology.face_corners[ahead[onward]].astype(np.int64)
    side = label[edge[first]]
    inside = (here[fine], beyond[fine], side[fine], there[fine])
    return label, tuple(np.concatenate(both) for both in zip(inside, _across_rims(topology, label), strict=True))


def _across_rims(topology: Topology, label: Ints) -> tuple[Ints, Ints, Ints, Ints]:
    """Return where open rims cross the ends of loops: the points on both sides, the loop, and its point."""
    rim = np.flatnonzero(topology.twins < 0)
    start = topology.face_corners[rim].astype(np.int64)
    end = topology.face_corners[topology.next_corner[rim]].astype(np.int64)
    onward = np.full(topology.point_count, -1, dtype=np.int64)
    onward[start] = end
    ends = topology.edges.ends.astype(np.int64)
    inner = np.flatnonzero(topology.edge_face_counts == 2)
    of_point = np.full(topology.point_count, -1, dtype=np.int64)
    of_point[ends[inner].ravel()] = np.repeat(label[inner], 2)
    good = _rim_ends(topology)[end] & (onward[end] >= 0) & (of_point[end] >= 0)
    return start[good], onward[end[good]], of_point[end[good]], end[good]


def _beside(topology: Topology, label: Ints) -> dict[int, list[int]]:
    """Return for each loop those on the other sides of the faces beside it, and those that cross it."""
    of_corner, ahead = label[topology.edges.of_corner], topology.next_corner
    others = np.concatenate((of_corner[ahead], of_corner[ahead[ahead]]))
    pairs = np.unique(np.sort(np.column_stack((np.tile(of_corner, 2), others)), axis=1), axis=0)
    result: dict[int, list[int]] = {}
    for a, b in pairs[pairs[:, 0] != pairs[:, 1]].tolist():
        result.setdefault(a, []).append(b)
        result.setdefault(b, []).append(a)
    return result
