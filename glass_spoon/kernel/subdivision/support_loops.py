"""Creases turned into support loops and back, so that a mesh looks the same where edge weights are not understood.

Across a crease of sharpness s the vertex stays for s steps while the next ones come nearer by half in each, to L / 2^s of
the edge length L. From then on it is smoothed, and its limit (a + 4 v + b) / 6 is that of a plain cage whose neighbours lie
at L / 2^s: so far away the support loop belongs (DeRose, Kass, Truong 1998, section 3; limit mask of the cubic B-spline).
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, lengths
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.mesh_edits.cut_beside import cut_beside, predict_beside, touched_faces
from glass_spoon.kernel.mesh_edits.cut_rings import cut_rings, predict_cut_faces, ring_labels
from glass_spoon.kernel.mesh_edits.keep_and_merge import merge_points
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Reworked
from glass_spoon.kernel.subdivision.limit_surface import to_limit

WIDEST = 0.5
"""Largest share of an edge at which a loop is put: beyond the middle it would belong to the other end."""

MOST_COMPARED = 300_000
"""Most faces to which a mesh is refined to be compared; a larger one is compared as it is."""

COMPARED, PLACES = 2, 6000
"""Smoothing level at which two cages are compared, and about as many places of the first."""

NOTHING = 1e-9


@dataclass(frozen=True, eq=False)
class Supported(Reworked):
    """A mesh with support loops in place of sharpness, or back.

    loops: the edges (k,) of loops that were put in, of the role "loop"; the faces between them and what was sharp are of the
    role "strip". deviation: the largest distance in mm between the smoothed meshes before and after.
    """

    loops: Ints
    deviation: float


def creases_to_loops(mesh: Mesh, sharpest: float) -> Supported:
    """Return the mesh with a support loop beside every crease, on both sides, and no sharpness left but on rims.

    sharpest: distance in mm of the loops of creases that stay sharp for ever. Loops run on through the mesh where they close
    beside the creases by themselves; else they close round the ends of these, so that faces that touch no crease stay as
    they are. Raises InvalidInput for a distance that is not above zero, and where there are no creases.
    """
    shares = _wanted_loops(mesh, sharpest)
    if not shares:
        raise InvalidInput("The mesh", "one with creases", "without any")
    creased = _inner_creases(mesh)
    stray = _strays(mesh, shares, creased)
    cut = cut_beside(mesh, creased, _end_shares(mesh, sharpest)) if stray else cut_rings(mesh, shares)
    plain = replace(cut.mesh, edges={name: value for name, value in cut.mesh.edges.items() if name != "sharpness"})
    topology = plain.topology
    creases = (cut.mesh.edges["sharpness"] > 0) & (topology.edge_face_counts == 2)
    strips: Ints = np.unique(topology.edge_faces[creases]).astype(np.int64)
    origin = cut.origin.with_roles({"strip": strips}, {"loop": cut.loops}, len(topology.edges.ends))
    return Supported(plain, origin, cut.loops, smoothed_distance(mesh, plain))


def predict_loop_faces(mesh: Mesh, sharpest: float) -> int:
    """Return how many faces `creases_to_loops` leaves, before it is done."""
    shares, creased = _wanted_loops(mesh, sharpest), _inner_creases(mesh)
    if _strays(mesh, shares, creased):
        return predict_beside(mesh.topology, creased)
    return predict_cut_faces(mesh.topology, shares)


def _inner_creases(mesh: Mesh) -> Bools:
    """Return the edges (e,) between two faces that are sharp."""
    sharpness = mesh.edges.get("sharpness", np.zeros(len(mesh.topology.edges.ends)))
    return np.asarray((sharpness > 0) & (mesh.topology.edge_face_counts == 2))


def _strays(mesh: Mesh, shares: list[tuple[int, Floats]], creased: Bools) -> bool:
    """Say whether rings that are cut would run through faces that touch no crease."""
    ring, _ = ring_labels(mesh.topology)
    is_cut = np.isin(ring, ring[[edge for edge, _ in shares]])
    faces = mesh.topology.face_of_corner[is_cut[mesh.topology.edges.of_corner]]
    return bool((~touched_faces(mesh.topology, creased))[faces].any())


def _end_shares(mesh: Mesh, sharpest: float) -> Floats:
    """Return the shares (e, 2) of all edges near their ends at which loops belong, by the sharpest crease at each vertex."""
    ends = mesh.topology.edges.ends.astype(np.int64)
    sharpness = np.where(_inner_creases(mesh), mesh.edges["sharpness"], 0.0)
    at_vertex = np.zeros(mesh.point_count)
    np.maximum.at(at_vertex, ends.ravel(), np.repeat(sharpness, 2))
    size = np.maximum(lengths(mesh.positions[ends[:, 1]] - mesh.positions[ends[:, 0]]), NOTHING)[:, None]
    value = at_vertex[ends]
    return np.clip(np.where(np.isinf(value), sharpest / size, 2.0 ** -np.minimum(value, 60)), NOTHING, WIDEST)


def _wanted_loops(mesh: Mesh, sharpest: float) -> list[tuple[int, Floats]]:
    """Return where rings are cut for the creases of a mesh: pairs of an edge and shares, none without creases."""
    if not sharpest > 0:
        raise InvalidInput("The distance of the loops", "above 0 mm", f"{sharpest:g} mm")
    sharpness = mesh.edges.get("sharpness", np.zeros(0))
    inner = mesh.topology.edge_face_counts == 2
    if not (len(sharpness) and ((sharpness > 0) & inner).any()):
        return []
    return _loop_shares(mesh, np.where(inner, sharpness, 0.0), sharpest)


def _loop_shares(mesh: Mesh, sharpness: Floats, sharpest: float) -> list[tuple[int, Floats]]:
    """Return where the edges that leave creases are cut: the edge, and the share from its lower vertex.

    An edge leaves a crease at a vertex when it is none itself and lies in a face beside the crease; it is cut once for the
    sharpest crease there.
    """
    topology = mesh.topology
    edge_of, corners = topology.edges.of_corner.astype(np.int64), np.arange(len(topology.face_corners))
    size = lengths(mesh.positions[topology.edges.ends[:, 1]] - mesh.positions[topology.edges.ends[:, 0]])
    share = np.full((len(size), 2), np.inf)  # of each edge, from its lower and from its upper vertex
    crease = sharpness[edge_of] > 0
    for beside, at in ((topology.previous_corner, topology.face_corners), (topology.next_corner, None)):
        side = edge_of[beside[corners[crease]]]
        vertex = at[crease] if at is not None else topology.face_corners[topology.next_corner[crease]]
        value = sharpness[edge_of[crease]]
        with np.errstate(over="ignore"):
            wanted = np.where(np.isinf(value), sharpest / np.maximum(size[side], NOTHING), 2.0 ** -np.minimum(value, 60))
        wanted = np.clip(wanted, NOTHING, WIDEST)
        end = (topology.edges.ends[side, 0] != vertex).astype(np.int64)
        np.minimum.at(share, (side, end), wanted)
    found: list[tuple[int, Floats]] = []
    for edge in np.flatnonzero(share.min(axis=1) < np.inf):
        low, high = share[edge]
        values = [low] if low < np.inf else []
        if high < np.inf and not (low < np.inf and abs(1 - high - low) < 1e-6):
            values.append(1 - high)
        found.append((int(edge), np.array(values)))
    return _ring_means(mesh, found)


def _ring_means(mesh: Mesh, found: list[tuple[int, Floats]]) -> list[tuple[int, Floats]]:
    """Return one cut near each end of every ring: the mean of what its edges ask for, so that loops are not doubled."""
    from_ring: dict[int, list[tuple[int, Floats]]] = {}
    ring, against = ring_labels(mesh.topology)
    for edge, values in found:
        from_ring.setdefault(int(ring[edge]), []).append((edge, 1 - values if against[edge] else values))
    result = []
    for members in from_ring.values():
        every = np.concatenate([values for _, values in members])
        edge = members[0][0]
        cuts = [float(part.mean()) for part in (every[every <= 0.5], every[every > 0.5]) if len(part)]
        run = np.array(cuts)
        result.append((edge, np.sort(1 - run) if against[edge] else run))
    return result


def smoothed_distance(first: Mesh, second: Mesh) -> float:
    """Return the largest distance in mm of limit points of one mesh, up to two steps finer, from the other smoothed mesh.

    Large meshes are refined less, up to MOST_COMPARED faces. Of more than PLACES points the first ones, which are the cage's
    own, and evenly picked others are looked at.
    """
    most = max(first.face_count, second.face_count, 1)
    steps = int(np.clip(np.log(MOST_COMPARED / most) / np.log(4), 0, COMPARED))
    smooth = [to_limit(mesh, steps) for mesh in (first, second)]
    places = smooth[0].positions
    if len(places) > PLACES:
        own = min(first.point_count, PLACES // 2)
        step = -(-(len(places) - own) // (PLACES - own))
        places = np.concatenate((places[:own], places[own::step]))
    return float(NearestOnMesh(smooth[1]).ask(places)[2].max(initial=0.0))


def loops_to_creases(mesh: Mesh, crease: Ints) -> Supported:
    """Return the mesh without the loops beside the crease edges (k,), which carry the sharpness that matches them.

    Every vertex across from a crease, one edge away, is drawn onto the next one behind it; so the whole loop goes. Raises
    InvalidInput where the loop beside the crease does not run along it all the way.
    """
    topology = mesh.topology
    on_crease = np.zeros(mesh.point_count, dtype=bool)
    on_crease[topology.edges.ends[crease].ravel()] = True
    is_crease = np.zeros(len(topology.edges.ends), dtype=bool)
    is_crease[crease] = True
    beside, behind, share = _across(mesh, is_crease, on_crease)
    if not len(beside):
        raise InvalidInput("The crease", "one with loops of quads on both sides", "without")
    target = np.arange(mesh.point_count)
    target[beside] = behind
    if on_crease[behind].any() or np.isin(behind, beside).any():
        raise InvalidInput("The loops beside the crease", "followed by others", "the last before another crease")
    joined = merge_points(mesh, target, None)
    positions = np.empty((joined.mesh.point_count, 3))
    stay = target == np.arange(mesh.point_count)
    positions[joined.of_point[stay]] = mesh.positions[stay]
    result = joined.mesh.moved(positions)
    sharpness = float(np.log2(1 / np.clip(share.mean(), 1e-6, 1.0)))
    found = result.topology.find_edges(joined.of_point[topology.edges.ends[crease]])
    values = result.edges.get("sharpness", np.zeros(len(result.topology.edges.ends))).copy()
    values[found[found >= 0]] = sharpness
    result = replace(result, edges={**result.edges, "sharpness": values})
    return Supported(result, joined.origin, np.zeros(0, dtype=np.int64), smoothed_distance(mesh, result))


def _across(mesh: Mesh, is_crease: np.ndarray, on_crease: np.ndarray) -> tuple[Ints, Ints, Floats]:
    """Return the vertices beside a crease (k,), those straight behind them (k,), and the share (k,) of the way to these."""
    topology = mesh.topology
    found: dict[int, tuple[int, float]] = {}
    for corner in np.flatnonzero(is_crease[topology.edges.of_corner]):
        # Half-edge a b of the crease in quad a b c d: d lies beside a, c beside b; the quad behind c d leads on.
        if topology.face_sides[topology.face_of_corner[corner]] != 4:
            continue
        over = topology.twins[topology.next_corner[topology.next_corner[corner]]]
        if over < 0 or topology.face_sides[topology.face_of_corner[over]] != 4:
            continue
        a, b = corner, topology.next_corner[corner]
        c, d = topology.next_corner[b], topology.previous_corner[a]
        behind_d, behind_c = topology.previous_corner[over], topology.next_corner[topology.next_corner[over]]
        for near, beside, behind in ((a, d, behind_d), (b, c, behind_c)):
            corners = topology.face_corners
            here, middle, far = (int(corners[value]) for value in (near, beside, behind))
            if on_crease[middle]:
                continue
            inner = float(np.linalg.norm(mesh.positions[middle] - mesh.positions[here]))
            outer = float(np.linalg.norm(mesh.positions[far] - mesh.positions[middle]))
            found[middle] = (far, inner / max(inner + outer, NOTHING))
    beside = np.array(sorted(found), dtype=np.int64)
    return beside, np.array([found[v][0] for v in beside], dtype=np.int64), np.array([found[v][1] for v in beside])
