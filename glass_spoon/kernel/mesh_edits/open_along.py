"""Openings in a skin of quads along closed curves that lie on it: edges follow the curve, and all stays quads.

The faces that an outline crosses or holds, and those whose points lie too near to it, are taken out as a block without inner
corners where that is near enough; its border and as many places on the outline are joined by rows of quads, which are then
smoothed with two rings of points round them. Every other face stays as it was. A round hole in a regular grid has four
points of five edges, where the block had its corners.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, Ints, cross, lengths, owned
from glass_spoon.kernel.errors import FacesTooLarge, KernelError
from glass_spoon.kernel.mesh_edits.draw_points import Drawing, points_about
from glass_spoon.kernel.mesh_edits.outline_on_skin import OutlineRing, OutlineRings, SeenOutline, rim_off, ring_for
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.mesh_loops import faces_marked, usual_edge
from glass_spoon.kernel.meshes.origin import Origin, Reworked, Taken, Weighted, carry, unchanged
from glass_spoon.kernel.meshes.topology import Topology, make_topology
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points_normals
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet

Host = NurbsSurface | SurfaceSet | None

APART = 0.5
"""Points of the skin nearer to an outline than this share of a usual edge go, so that no row is thinner."""

LYING = 0.5
"""An outline farther off the skin than this share of a usual edge does not lie on it."""

FAR = 3.0
"""Edges from the outline within which it is told directly which points it holds."""

FILLED = 2.5
"""Inner corners of the block are filled where the face there reaches no farther from the outline, in edges."""

ROUNDS, NEARED, CHECKED = 40, 5, 10
"""Rounds of smoothing, and after how many of them points are brought back onto the faces, and onto the surface itself."""

MOVED = 2
"""Rings of points about an opening that are smoothed with it."""

WORST = np.radians(20)
"""A corner narrower than this is not given: the faces are too large for the opening."""

RIM, BAND = "rim", "band"
"""Roles: the edges along an outline, and the faces that were made about it."""


@dataclass(frozen=True, eq=False)
class Opened(Reworked):
    """A skin with its openings. rims: how many; off: how far in mm the middles of rim edges lie off the outlines at most;
    odd: points (k,) of other than four edges that were made.
    """

    rims: int
    off: float
    odd: Ints


def open_along(mesh: Mesh, outlines: list[Floats], host: Host = None) -> Opened:
    """Return a mesh opened along closed outlines (n, 3) mm, finely sampled, that lie on it; the faces inside go.

    host: the surface that the points belong on. Outlines far enough apart are opened at once, each as if it were alone.
    Raises KernelError, with what to do, for an outline that does not lie on the mesh, reaches its rim or a crease, goes too
    far round a body, crosses another, or is too small for the faces there.
    """
    done, off = unchanged(mesh), 0.0
    waiting = [(f"Outline {k}" if len(outlines) > 1 else "The outline", outline) for k, outline in enumerate(outlines, 1)]
    while waiting:
        step, own_off, waiting = _open_apart(done.mesh, waiting, host)
        done, off = done.then(step), max(off, own_off)
    topology = done.mesh.topology
    made = np.zeros(topology.point_count, dtype=bool)
    made[topology.face_corners[done.origin.faces_in(BAND)[topology.face_of_corner]]] = True
    inner = made & ~topology.on_boundary
    odd: Ints = np.flatnonzero(inner & (topology.valences != 4))
    return Opened(done.mesh, done.origin, len(outlines), off, odd)


@dataclass(frozen=True, eq=False)
class _Hole:
    """An opening to be made. gone (f,): its block; border (k,): the points about it, in order; ring: as many places on the
    outline; first (k, 3): these on the skin; rows: of quads between.
    """

    name: str
    outline: Floats
    gone: Bools
    border: Ints
    ring: OutlineRing
    first: Floats
    rows: int

    @classmethod
    def of(cls, near: NearestOnMesh, host: Host, name: str, outline: Floats) -> _Hole:
        """Look where an outline lies on a mesh."""
        mesh = near.mesh
        places, faces, away = near.ask(outline)
        edge = usual_edge(mesh, faces_marked(mesh, faces))
        if float(away.max()) > LYING * edge:
            raise KernelError(
                f"{name} lies up to {float(away.max()):.3g} mm off the mesh. Project it onto the surface first, or carry it."
            )
        plane = SeenOutline.through(places, mesh.face_normals[faces], name)
        gone = _block(mesh, plane, faces, edge, name)
        border = _border(mesh.topology, gone, name)
        ring = ring_for(plane, mesh.positions[border], outline)
        first = _foot(host, mesh, faces, ring.places, near)[0]
        rows = max(1, round(float(lengths(mesh.positions[border] - first).mean()) / edge))
        return cls(name, outline, gone, border, ring, first, rows)


Waiting = list[tuple[str, Floats]]
"""Outlines with their names."""


def _open_apart(mesh: Mesh, waiting: Waiting, host: Host) -> tuple[Reworked, float, Waiting]:
    """Open along the outlines that lie clear of each other; return the change, how far its rims are off, and what waits."""
    near = NearestOnMesh(mesh)
    taken, holes, later = np.zeros(mesh.point_count, dtype=bool), [], []
    for name, outline in waiting:
        hole = _Hole.of(near, host, name, outline)
        reach = points_about(mesh.topology, hole.gone, MOVED + 1)
        if (reach & taken).any():
            later.append((name, outline))
        else:
            taken |= reach
            holes.append(hole)
    made, rims = _with_bands(mesh, holes, near)
    done = _smoothed(mesh, made, host, near, holes, rims)
    off = max(rim_off(hole.outline, done.mesh.positions[rim]) for hole, rim in zip(holes, rims, strict=True))
    return done, off, later


def _block(mesh: Mesh, plane: SeenOutline, crossed: Ints, edge: float, name: str) -> Bools:
    """Mark the faces (f,) that go: those that the outline crosses, those inside, and those too near outside."""
    topology = mesh.topology
    points, away = _near_points(mesh, plane.places, FAR * edge)
    facing = mesh.vertex_normals[points] @ plane.normal > 0
    close, distance = points[facing], away[facing]
    taken = np.zeros(mesh.point_count, dtype=bool)
    taken[close] = plane.holds(mesh.positions[close]) | (distance < APART * edge)
    gone = np.zeros(mesh.face_count, dtype=bool)
    gone[topology.face_of_corner[taken[topology.face_corners]]] = True
    gone[crossed] = True
    gone |= _deep_inside(mesh, plane, gone)
    if gone.all():
        raise KernelError(f"{name} would leave nothing of the mesh: pick the smaller side, or a finer mesh.")
    from_outline = np.full(mesh.point_count, np.inf)
    from_outline[points] = away
    gone = _filled(topology, gone, from_outline, FILLED * edge)
    sharp = mesh.edges.get("sharpness")
    if sharp is not None:
        both = gone[topology.edge_faces].all(axis=1) & (topology.edge_faces[:, 1] >= 0)
        if (both & (sharp > 0)).any():
            raise FacesTooLarge(f"{name} reaches over a crease, or too near to one.")
    return gone


def _near_points(mesh: Mesh, outline: Floats, reach: float) -> tuple[Ints, Floats]:
    """Return the points (k,) of a mesh within `reach` mm of places (n, 3) of an outline, and how far off they are (k,)."""
    boxed = np.ones(mesh.point_count, dtype=bool)
    for along, line in zip(mesh.positions.T, outline.T, strict=True):
        boxed &= (along >= line.min() - reach) & (along <= line.max() + reach)
    points = np.flatnonzero(boxed)
    away = np.asarray(scipy.spatial.cKDTree(outline).query(mesh.positions[points], distance_upper_bound=reach)[0])
    near = np.isfinite(away)
    return points[near], away[near]


def _deep_inside(mesh: Mesh, plane: SeenOutline, gone: Bools) -> Bools:
    """Mark the faces beyond the outline's neighbourhood that hang together with points which the outline holds."""
    topology = mesh.topology
    starts = topology.vertex_corners[1]
    of_gone = topology.face_corners[topology.corners_of_faces(np.flatnonzero(gone))[0]]
    points, counts = np.unique(of_gone, return_counts=True)
    border = points[counts < np.diff(starts)[points]]
    held = border[plane.holds(mesh.positions[border])]
    faces = np.unique(topology.face_of_corner[topology.corners_at(held)])
    return topology.spread(faces[~gone[faces]], ~gone)


def _filled(topology: Topology, gone: Bools, away: Floats, most: float) -> Bools:
    """Return the block with its inner corners filled: faces with two sides or more on it, and those at pinched points."""
    near = np.ones(len(gone), dtype=bool)
    near[topology.face_of_corner[(away > most)[topology.face_corners]]] = False
    gone = gone.copy()
    for _ in range(24):
        more = _with_two_sides(topology, gone, near) | _at_pinched_points(topology, gone)
        if not more.any():
            return gone
        gone |= more
    return gone


def _with_two_sides(topology: Topology, gone: Bools, near: Bools) -> Bools:
    """Mark the faces (f,) outside a block with more than two sides on it, or two where they are near."""
    pair = topology.neighbours
    first, second = gone[pair[:, 0]], gone[pair[:, 1]]
    edge = np.flatnonzero(first != second)
    faces, sides = np.unique(np.where(first[edge], pair[edge, 1], pair[edge, 0]), return_counts=True)
    found = np.zeros(len(gone), dtype=bool)
    found[faces[(sides > 2) | ((sides == 2) & near[faces])]] = True
    return found


def _at_pinched_points(topology: Topology, gone: Bools) -> Bools:
    """Mark the faces (f,) outside a block at points where its border touches itself."""
    edges = topology.edge_faces
    border = np.flatnonzero((edges[:, 1] >= 0) & (gone[edges[:, 0]] != gone[edges[:, 1]]))
    points, counts = np.unique(topology.edges.ends[border], return_counts=True)
    found = np.zeros(len(gone), dtype=bool)
    if (counts > 2).any():
        pinched = np.zeros(topology.point_count, dtype=bool)
        pinched[points[counts > 2]] = True
        found[topology.face_of_corner[pinched[topology.face_corners]]] = True
    return found & ~gone


def _border(topology: Topology, gone: Bools, name: str) -> Ints:
    """Return the points (k,) of the border of a block in order, the block on the left."""
    own = np.flatnonzero(gone[topology.face_of_corner])
    edges = topology.edges.of_corner[own]
    if (topology.edge_face_counts[edges] != 2).any():
        raise FacesTooLarge(f"{name} comes too near to the rim of the mesh.")
    counts = np.bincount(edges, minlength=len(topology.edges.ends))
    rim = own[counts[edges] == 1]
    start, end = topology.face_corners[rim], topology.face_corners[topology.next_corner[rim]]
    if not len(rim) or len(np.unique(start)) != len(start):
        raise FacesTooLarge(f"{name} cannot be opened here.")
    following = dict(zip(start.tolist(), end.tolist(), strict=True))
    walk = [int(start[0])]
    while (ahead := following[walk[-1]]) != walk[0]:
        walk.append(ahead)
    if len(walk) != len(start):
        raise KernelError(f"{name} parts the mesh, or holds another opening: move it, or open along both as one.")
    return np.array(walk, dtype=np.int64)


def _foot(host: Host, mesh: Mesh, faces: Ints, points: Floats, near: NearestOnMesh) -> tuple[Floats, Floats | None]:
    """Return the nearest places (k, 3) and the normals (k, 3) there of the surfaces about some faces."""
    if isinstance(host, SurfaceSet):
        pieces = np.unique(mesh.faces["piece"][faces]) if "piece" in mesh.faces else np.arange(len(host.surfaces))
        surfaces = [host.surfaces[piece] for piece in pieces.tolist() if piece < len(host.surfaces)]
    else:
        surfaces = [] if host is None else [host]
    if not surfaces:
        return near.ask(points)[0], None
    best, normals, least = points.copy(), np.zeros_like(points), np.full(len(points), np.inf)
    for surface in surfaces:
        u, v, away = closest_points(surface, points)
        nearer = away < least
        found, out = surface_points_normals(surface, u[nearer], v[nearer])
        best[nearer], normals[nearer], least[nearer] = found, out, away[nearer]
    return best, normals


def _with_bands(mesh: Mesh, holes: list[_Hole], near: NearestOnMesh) -> tuple[Reworked, list[Ints]]:
    """Return the mesh without some blocks, with rows of quads from the border of each to its ring of places; and the points
    of the rings.
    """
    topology = mesh.topology
    gone = np.any([hole.gone for hole in holes], axis=0)
    kept_corners = np.flatnonzero(~gone[topology.face_of_corner])
    used = np.unique(topology.face_corners[kept_corners]).astype(np.int64)
    number = np.full(mesh.point_count, -1, dtype=np.int64)
    number[used] = np.arange(len(used))
    fresh, quads, rims, own_points, own_quads = [], [], [], [], []
    first, local = len(used), 0
    for hole in holes:
        count, rows, start = len(hole.border), hole.rows, mesh.positions[hole.border]
        shares = np.arange(1, rows + 1)[:, None, None] / rows
        places = (start + shares * (hole.first - start)).reshape(-1, 3)
        table = np.concatenate((number[hole.border][None], first + np.arange(rows * count).reshape(rows, count)))
        quads.append(_rows_of_quads(table))
        own_quads.append(_rows_of_quads(local + np.arange((rows + 1) * count).reshape(rows + 1, count)))
        own_points += [start, places]
        fresh.append(places)
        rims.append(table[-1])
        first, local = first + len(places), local + (rows + 1) * count
    every = np.concatenate(quads)
    points = np.concatenate(fresh)
    corners = np.concatenate((number[topology.face_corners[kept_corners]], every.ravel()))
    if topology.is_quads:
        after = make_topology(len(used) + len(points), corners.reshape(-1, 4))
    else:
        sides = np.concatenate((topology.face_sides[~gone], np.full(len(every), 4)))
        after = make_topology(len(used) + len(points), corners, offsets=np.concatenate(([0], np.cumsum(sides))))
    at_point, at_corner, of_face = _mixed(near, np.concatenate(own_points), np.concatenate(own_quads))
    new = np.concatenate([np.repeat([False, True], [len(hole.border), len(hole.border) * hole.rows]) for hole in holes])
    sources = scipy.sparse.vstack((Taken(used, mesh.point_count).matrix, at_point[np.flatnonzero(new)])).tocsr()
    values = scipy.sparse.vstack((Taken(kept_corners, len(topology.face_corners)).matrix, at_corner)).tocsr()
    old = np.full(after.point_count, -1, dtype=np.int64)
    old[: len(used)] = used
    ends = old[after.edges.ends]
    known = (ends >= 0).all(axis=1)
    same = np.full(len(ends), -1, dtype=np.int64)
    same[known] = topology.find_edges(ends[known])
    pairs = np.column_stack((np.flatnonzero(same >= 0), same[same >= 0])).astype(np.int64)
    origin = Origin(
        topology,
        Weighted(scipy.sparse.csr_array(sources)),
        Weighted(scipy.sparse.csr_array(values)),
        np.concatenate((np.flatnonzero(~gone), of_face)),
        pairs,
    )
    band = np.arange(after.face_count) >= after.face_count - len(every)
    rim = after.find_edges(np.concatenate([np.column_stack((ring, np.roll(ring, -1))) for ring in rims]))
    origin = origin.with_roles({BAND: band}, {RIM: rim}, len(after.edges.ends))
    positions = np.concatenate((mesh.positions[used], points))
    return Reworked(carry(mesh, after, origin, owned(positions)), origin), rims


def _rows_of_quads(table: Ints) -> Ints:
    """Return the quads between rows (r, k) of points that run round and round."""
    ahead = np.roll(table, -1, axis=1)
    return np.stack((table[:-1], ahead[:-1], ahead[1:], table[1:]), axis=-1).reshape(-1, 4)


def _mixed(near: NearestOnMesh, points: Floats, quads: Ints) -> tuple[scipy.sparse.csr_array, scipy.sparse.csr_array, Ints]:
    """Return by which weights of old points new ones (n,), and of old corners the corners of quads (4 q,), are mixed, and
    the old face (q,) on which the middle of each quad lies.
    """
    mesh = near.mesh
    weights, corners = near.weights(points)
    rows = np.repeat(np.arange(len(points)), 3)
    ends = mesh.topology.face_corners[corners].ravel()
    shape = (len(points), mesh.point_count)
    at_point = scipy.sparse.csr_array(scipy.sparse.coo_array((weights.ravel(), (rows, ends)), shape=shape))
    used = quads.ravel()
    rows = np.repeat(np.arange(len(used)), 3)
    shape = (len(used), len(mesh.topology.face_corners))
    at_corner = scipy.sparse.csr_array(
        scipy.sparse.coo_array((weights[used].ravel(), (rows, corners[used].ravel())), shape=shape)
    )
    return at_point, at_corner, near.ask(points[quads].mean(axis=1))[1]


def _smoothed(
    before: Mesh, made: Reworked, host: Host, near: NearestOnMesh, holes: list[_Hole], rims: list[Ints]
) -> Reworked:
    """Return the change with its bands smoothed on the surface; raises KernelError where a corner stays too narrow."""
    mesh, topology = made.mesh, made.mesh.topology
    band = made.origin.faces_in(BAND)
    drawing = Drawing.of(topology, _loose(mesh, band), band)
    loose_points, faces = drawing.points, drawing.faces
    old_faces = np.unique(made.origin.faces[faces])
    places = mesh.positions.copy()
    rings = OutlineRings.of([hole.ring for hole in holes])
    beside = np.concatenate([_inwards(topology, rim) for rim in rims])
    points = np.concatenate((loose_points, *rims))
    normals: Floats | None = None
    for number_of_round in range(1, ROUNDS + 1):
        rings.slide(places[beside])
        drawn = drawing.drawn(places)
        places[points] = np.concatenate((drawn, rings.places))
        if number_of_round % NEARED == 0:
            where = host if number_of_round % CHECKED == 0 else None  # between, the faces are near enough
            places[points], normals = _foot(where, before, old_faces, places[points], near)
    known = before.points.get("normal")
    moved = mesh.moved(owned(places))
    if known is not None and normals is not None:  # of the surface: all that is new, or was moved, has a new one
        value = known[made.origin.points.first]
        value[points] = normals
        moved = replace(moved, points={**moved.points, "normal": owned(value)})
    _check(moved, faces, holes, rims)
    return Reworked(moved, made.origin)


def _inwards(topology: Topology, rim: Ints) -> Ints:
    """Return for each point (k,) of a rim the point that the edge off it leads to."""
    ends = topology.edges.ends
    on = np.zeros(topology.point_count, dtype=bool)
    on[rim] = True
    across = ends[on[ends].sum(axis=1) == 1]
    result = np.zeros(topology.point_count, dtype=np.int64)
    own = np.where(on[across[:, 0]], across[:, 0], across[:, 1])
    result[own] = np.where(on[across[:, 0]], across[:, 1], across[:, 0])
    return result[rim]


def _loose(mesh: Mesh, band: Bools) -> Bools:
    """Mark the points (n,) that are smoothed: those of the band and of rings about it, not on rims or creases."""
    topology = mesh.topology
    loose = points_about(topology, band, MOVED - 1)
    sharp = mesh.edges.get("sharpness")
    if sharp is not None:
        loose[topology.edges.ends[sharp > 0]] = False
    return loose


def _check(mesh: Mesh, faces: Ints, holes: list[_Hole], rims: list[Ints]) -> None:
    """Raise KernelError where a face about an opening has a corner that nobody wants."""
    topology = mesh.topology
    at = np.flatnonzero(np.isin(topology.face_of_corner, faces))
    here = mesh.positions[topology.face_corners[at]]
    ahead = mesh.positions[topology.face_corners[topology.next_corner[at]]] - here
    behind = mesh.positions[topology.face_corners[topology.previous_corner[at]]] - here
    normal = mesh.face_normals[topology.face_of_corner[at]]
    turn = np.arctan2(np.einsum("ci,ci->c", cross(ahead, behind), normal), np.einsum("ci,ci->c", ahead, behind))
    if float(turn.min()) < WORST:
        place = here[int(turn.argmin())]
        name = holes[int(np.argmin([lengths(mesh.positions[rim] - place).min() for rim in rims]))].name
        raise FacesTooLarge(
            f"{name} does not fit the faces there: a corner would have {np.degrees(float(turn.min())):.0f}°."
        )
