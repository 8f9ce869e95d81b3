"""Even out the vertices of a mesh on the surface that it came from: they slide, features stay.

A vertex is drawn to the middle of its faces, weighted by their areas (area-weighted Laplacian smoothing; Botsch and others:
Polygon Mesh Processing, 2010, section 4.2), then brought back to the surface. Along creases and rims it is drawn to the
middle of its two neighbours there, and brought back to the line that the crease ran along.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, cross, cross_columns, dot_columns, lengths, sum_by_index
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.mesh_edits.shape_guard import ShapeGuard
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_feet, closest_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet

SHARP_TURN = float(np.radians(45)) - 1e-6
"""A line that turns by so much at a vertex keeps it: 45°, as in the middle of a rounding, whatever the last digits are."""

CHECK = 4
"""Rounds after which the shape is compared with what it was."""

RETRIES = 4
"""Times that a step is taken back at vertices whose faces it would dent."""

FOOT = 1e-8
"""How near feet on the surface are found in the end, as a share of its size."""

ROUGH = 1e-2
"""How near they are found in a round, as a share of the side of a face: each lies on the surface, and is moved again."""

AHEAD, BEHIND = np.array([1, 2, 3, 0]), np.array([3, 0, 1, 2])
"""The next and the last corner of each corner of a quad."""

Host = NurbsSurface | SurfaceSet | None


AT_EDGE = 1e-9
"""Share of its domain within which a place lies at an edge of a surface."""


@dataclass(frozen=True, eq=False)
class Relaxed:
    """A relaxed mesh; evenness before and after; the farthest in mm that it lies from the mesh it was, and that from it."""

    mesh: Mesh
    before: float
    after: float
    off: float
    rounds: int


@dataclass(frozen=True, eq=False)
class _Line:
    """Vertices (k,) on creases or rims that may slide, and the two neighbours (k, 2) of each along the line."""

    vertices: Ints
    neighbours: Ints


def relax_mesh(
    mesh: Mesh, host: Host, strength: float = 0.5, rounds: int = 20, held: Bools | None = None, most_off: float = np.inf
) -> Relaxed:
    """Return the mesh with its vertices evened out on `host`, or on the mesh itself where there is none.

    strength (0 to 1): share of the way that a vertex goes in a round. held (n,): vertices that stay. most_off: how far in
    mm the faces may come off the mesh as it was, and it off them, or as far as it lies off its host: vertices that slide off
    a thin rim or a tip are put back. The evenest of the checked rounds is kept, so that evenness never falls. Raises
    InvalidInput for a strength outside 0 to 1 or fewer than one round.
    """
    if not 0 < strength <= 1:
        raise InvalidInput("The strength", "above 0, at most 1", f"{strength:g}")
    if rounds < 1:
        raise InvalidInput("The number of rounds", "1 or more", f"{rounds}")
    surface = _Surface(mesh, host)
    line, fixed = _feature_lines(mesh, held, host)
    guard = ShapeGuard(mesh, np.maximum(surface.own_distances(), most_off))
    best, best_value = mesh.positions, face_evenness_of(mesh)
    before, kept_off, used = best_value, 0.0, 0
    current, dented = mesh.positions, _dents(mesh)
    for number in range(1, rounds + 1):
        there = _drawn(mesh.moved(current), line, fixed, strength)
        there = surface.bring_back(there, line, fixed)
        current = _undented(mesh, current, there, dented)
        if number % CHECK and number < rounds:
            continue
        current, off = _kept_in_shape(mesh, guard, current, fixed, dented)
        value = face_evenness_of(mesh.moved(current))
        if value > best_value:
            best, best_value, used, kept_off = current, value, number, off
    if used == 0:
        return Relaxed(mesh, before, before, 0.0, 0)
    return Relaxed(surface.finished(best), before, best_value, kept_off, used)


def _kept_in_shape(mesh: Mesh, guard: ShapeGuard, places: Floats, fixed: Bools, dented: Bools) -> tuple[Floats, float]:
    """Return the places (n, 3) with what strayed put back where it was, and the farthest in mm that the shape is off.

    Vertices put back are fixed from now on, in `fixed`. Each time there are more of them, until all is as it was.
    """
    places = places.copy()
    while True:
        strayed = guard.strayed(places)
        back = strayed.vertices & (places != mesh.positions).any(axis=1)
        bad = _dents(mesh.moved(places)) & ~dented
        back[mesh.topology.face_corners[bad[mesh.topology.face_of_corner]]] = True
        back &= (places != mesh.positions).any(axis=1)
        if not back.any():
            return places, strayed.farthest
        fixed |= back
        places[back] = mesh.positions[back]


def face_evenness_of(mesh: Mesh) -> float:
    """Return the geometric over the arithmetic mean of the face areas: the gauge that a relaxed mesh must not lower."""
    areas = lengths(mesh.face_vectors)
    if not len(areas) or areas.min() <= 0:
        return 0.0
    return float(np.exp(np.log(areas).mean()) / areas.mean())


def _by_region(pieces: Ints, host: Host) -> Ints:
    """Return the numbers of pieces (n,), those that fill a region together under the first of them."""
    result = pieces.copy()
    for region in host.regions if isinstance(host, SurfaceSet) else ():
        result[np.isin(pieces, region)] = region[0]
    return result


def _feature_lines(mesh: Mesh, held: Bools | None, host: Host) -> tuple[_Line, Bools]:
    """Return the vertices that slide along creases and rims, and those (n,) that stay: ends, crossings, sharp turns.

    Edges between surfaces that fill a region together are none.
    """
    topology = mesh.topology
    is_line = topology.edge_face_counts != 2
    if "sharpness" in mesh.edges:
        is_line = is_line | (mesh.edges["sharpness"] > 0)
    if "piece" in mesh.faces:
        own = _by_region(mesh.faces["piece"].astype(np.int64), host)[topology.edge_faces]
        is_line = is_line | ((topology.edge_faces[:, 1] >= 0) & (own[:, 0] != own[:, 1]))
    ends = topology.edges.ends[is_line].astype(np.int64)
    count = np.bincount(ends.ravel(), minlength=mesh.point_count)
    both = np.concatenate((ends, ends[:, ::-1]))
    both = both[np.argsort(both[:, 0], kind="stable")]
    vertices = np.flatnonzero(count == 2)
    first = np.searchsorted(both[:, 0], vertices)
    neighbours = np.column_stack((both[first, 1], both[np.minimum(first + 1, len(both) - 1), 1])) if len(both) else both
    fixed = (count > 0) & (count != 2)
    if held is not None:
        fixed |= held
    here = mesh.positions[vertices]
    sides = [mesh.positions[neighbours[:, k]] - here for k in (0, 1)] if len(vertices) else [here, here]
    size = lengths(sides[0]) * lengths(sides[1])
    turn = np.einsum("ij,ij->i", sides[0], sides[1]) / np.maximum(size, 1e-300)
    fixed[vertices[turn > -np.cos(SHARP_TURN)]] = True
    sliding = ~fixed[vertices]
    return _Line(vertices[sliding], neighbours[sliding]), fixed


def _drawn(mesh: Mesh, line: _Line, fixed: Bools, strength: float) -> Floats:
    """Return where the vertices (n, 3) are drawn to."""
    topology = mesh.topology
    areas = lengths(mesh.face_vectors)
    rows = np.column_stack((mesh.face_centers * areas[:, None], areas))[topology.face_of_corner]
    total = sum_by_index(topology.face_corners, rows, mesh.point_count)
    target = mesh.positions.copy()
    used = total[:, 3] > 0
    target[used] = total[used, :3] / total[used, 3:]
    # Near equal areas the middle of the neighbours squares the faces: half of each.
    ends = topology.edges.ends
    around = sum_by_index(ends.ravel(), mesh.positions[ends[:, ::-1]].reshape(-1, 3), mesh.point_count)
    valence = np.maximum(topology.valences, 1)[:, None]
    target = 0.5 * target + 0.5 * np.where(topology.valences[:, None] > 0, around / valence, mesh.positions)
    if len(line.vertices):
        target[line.vertices] = mesh.positions[line.neighbours].mean(axis=1)
    target[fixed] = mesh.positions[fixed]
    return np.asarray(mesh.positions + strength * (target - mesh.positions))


class _Surface:
    """Where the vertices of a mesh belong: its surfaces by piece, planes for caps, or the faces of the mesh itself."""

    def __init__(self, mesh: Mesh, host: Host) -> None:
        self._mesh, self._host = mesh, host
        topology = mesh.topology
        corner = np.full(mesh.point_count, -1, dtype=np.int64)
        corner[topology.face_corners[::-1]] = np.arange(len(topology.face_corners))[::-1]
        self._corner = corner
        self._pieces = mesh.faces.get("piece", np.zeros(mesh.face_count)).astype(np.int64)
        self._piece = np.where(corner >= 0, self._pieces[topology.face_of_corner[corner]], -1)
        self._nearest = NearestOnMesh(mesh)
        self._on_surface = (
            host is not None and "uv" in mesh.corners and (isinstance(host, NurbsSurface) or "piece" in mesh.faces)
        )
        self._rough = ROUGH * float(np.sqrt(lengths(mesh.face_vectors).mean())) if mesh.face_count else 0.0
        self._uv = mesh.corners["uv"][corner].copy() if self._on_surface else np.zeros((mesh.point_count, 2))

    def own_distances(self) -> Floats:
        """Return how far in mm the middle of each face (f,) lies off its surface, the most of those around it."""
        topology = self._mesh.topology
        own = np.zeros(self._mesh.face_count)
        if not self._on_surface or not self._mesh.face_count:
            return own
        uv = np.add.reduceat(self._mesh.corners["uv"], topology.face_offsets[:-1], axis=0) / topology.face_sides[:, None]
        for piece in np.unique(self._pieces):
            surface, faces = self._surface(int(piece)), np.flatnonzero(self._pieces == piece)
            if surface is None:
                continue
            low, size = _domain(surface)
            start = tuple((low + uv[faces] * size).T)
            own[faces] = closest_points(surface, self._mesh.face_centers[faces], start, FOOT * surface.size)[2]  # type: ignore[arg-type]  # a pair
        at_vertices = np.zeros(self._mesh.point_count)
        np.maximum.at(at_vertices, topology.face_corners, own[topology.face_of_corner])
        return np.maximum.reduceat(at_vertices[topology.face_corners], topology.face_offsets[:-1])

    def bring_back(self, places: Floats, line: _Line, fixed: Bools) -> Floats:
        """Return the places (n, 3) on the host, those of creases on their line."""
        result = places.copy()
        loose = ~fixed & (self._corner >= 0)
        if len(line.vertices):
            result[line.vertices] = self._on_line(places[line.vertices], line)
            loose[line.vertices] = False
        free = np.flatnonzero(loose)
        if not self._on_surface:
            if len(free):
                result[free] = self._nearest.ask(places[free])[0]
            return result
        beyond = np.zeros(len(places), dtype=bool)
        for piece in np.unique(self._piece[free]):
            own = free[self._piece[free] == piece]
            result[own] = self._foot(int(piece), own, places[own])
            beyond[own] = (np.abs(self._uv[own] - 0.5) >= 0.5 - AT_EDGE).any(axis=1)
        self._cross(result, places, np.flatnonzero(beyond))
        return result

    def _cross(self, result: Floats, places: Floats, vertices: Ints) -> None:
        """Let vertices at an edge of their piece go on over others that fill its region, where these are nearer."""
        for region in self._host.regions if isinstance(self._host, SurfaceSet) else ():
            own = vertices[np.isin(self._piece[vertices], region)]
            for piece in region:
                surface = self._host.surfaces[piece]  # type: ignore[union-attr]  # a set
                asked = own[self._piece[own] != piece]
                if not len(asked):
                    continue
                u, v, away, feet = closest_feet(surface, places[asked], None, max(self._rough, FOOT * surface.size))
                nearer = away < lengths(result[asked] - places[asked]) - FOOT * surface.size
                low, size = _domain(surface)
                moved = asked[nearer]
                result[moved], self._piece[moved] = feet[nearer], piece
                self._uv[moved] = (np.column_stack((u, v))[nearer] - low) / size

    def _surface(self, piece: int) -> NurbsSurface | None:
        """Return the surface of a piece; None for a cap."""
        if isinstance(self._host, NurbsSurface):
            return self._host
        return self._host.surfaces[piece] if piece < len(self._host.surfaces) else None  # type: ignore[union-attr]  # a set

    def _foot(self, piece: int, vertices: Ints, places: Floats) -> Floats:
        """Return the nearest places of a piece, and keep where they were found as the next start."""
        surface = self._surface(piece)
        if surface is None:
            cap = self._host.caps[piece - len(self._host.surfaces)]  # type: ignore[union-attr]  # a set
            return np.asarray(places - np.outer((places - cap.origin) @ cap.normal, cap.normal))
        low, size = _domain(surface)
        start = (low[0] + self._uv[vertices, 0] * size[0], low[1] + self._uv[vertices, 1] * size[1])
        u, v, _, feet = closest_feet(surface, places, start, max(self._rough, FOOT * surface.size))
        self._uv[vertices] = (np.column_stack((u, v)) - low) / size
        return feet

    def _on_line(self, places: Floats, line: _Line) -> Floats:
        """Return the nearest places on the sides of the line that met at each vertex in the mesh as it came.

        A vertex slides at most as far as its neighbours were: far enough, as it is drawn to the middle of the two.
        """
        here = self._mesh.positions[line.vertices]
        best, least = here.copy(), np.full(len(here), np.inf)
        for k in (0, 1):
            side = self._mesh.positions[line.neighbours[:, k]] - here
            size = np.maximum(np.einsum("ij,ij->i", side, side), 1e-300)
            share = np.clip(np.einsum("ij,ij->i", places - here, side) / size, 0.0, 0.9)
            foot = here + share[:, None] * side
            away = lengths(foot - places)
            nearer = away < least
            best[nearer], least[nearer] = foot[nearer], away[nearer]
        return best

    def finished(self, positions: Floats) -> Mesh:
        """Return the mesh at these positions, its UVs where the vertices went."""
        moved = self._mesh.moved(positions)
        if not self._on_surface:
            return moved
        topology, uv = self._mesh.topology, self._mesh.corners["uv"].copy()
        pieces = (
            self._mesh.faces["piece"].astype(np.int64)
            if "piece" in self._mesh.faces
            else np.zeros(self._mesh.face_count, int)
        )
        owner = pieces[topology.face_of_corner]
        gone = lengths(positions - self._mesh.positions) > 0
        for piece in np.unique(owner):
            surface = self._surface(int(piece))
            own = np.flatnonzero((owner == piece) & gone[topology.face_corners])
            if surface is None or not len(own):
                continue
            low, size = _domain(surface)
            start = tuple((low + uv[own] * size).T)
            u, v, _ = closest_points(surface, positions[topology.face_corners[own]], start, FOOT * surface.size)  # type: ignore[arg-type]  # a pair
            found = (np.column_stack((u, v)) - low) / size
            # Across the seam of a closed surface the value nearest to the old one is meant.
            closed = np.array([surface.is_closed(axis, 1e-9 * surface.size) for axis in (0, 1)])
            uv[own] = found + np.where(closed, np.rint(uv[own] - found), 0.0)
        return replace(moved, corners={**moved.corners, "uv": uv})


def _domain(surface: NurbsSurface) -> tuple[Floats, Floats]:
    """Return the starts (2,) and sizes (2,) of a surface's domain."""
    ends = np.array([surface.domain(axis) for axis in (0, 1)])
    return ends[:, 0], ends[:, 1] - ends[:, 0]


def _dents(mesh: Mesh) -> Bools:
    """Mark faces (f,) with a corner that turns the wrong way."""
    topology = mesh.topology
    if topology.is_quads:
        columns = [column.reshape(-1, 4) for column in mesh.corner_columns]
        ahead = [np.take(column, AHEAD, axis=1) - column for column in columns]
        back = [-np.take(side, BEHIND, axis=1) for side in ahead]
        turn = dot_columns(cross_columns(ahead, back), [column[:, None] for column in mesh.face_vectors.T])
        return np.asarray((turn <= 0).any(axis=1))
    here = mesh.positions[topology.face_corners]
    ahead_of = mesh.positions[topology.face_corners[topology.next_corner]] - here
    back_of = mesh.positions[topology.face_corners[topology.previous_corner]] - here
    turn = np.einsum("ij,ij->i", cross(ahead_of, back_of), mesh.face_vectors[topology.face_of_corner])
    found = np.zeros(mesh.face_count, dtype=bool)
    found[topology.face_of_corner[turn <= 0]] = True
    return found


def _undented(mesh: Mesh, before: Floats, after: Floats, dented: Bools) -> Floats:
    """Return the places after a step, those of faces that it would dent anew taken back."""
    topology = mesh.topology
    for _ in range(RETRIES):
        bad = _dents(mesh.moved(after)) & ~dented
        if not bad.any():
            return after
        vertices = np.unique(topology.face_corners[bad[topology.face_of_corner]])
        after = after.copy()
        after[vertices] = before[vertices]
    return before if (_dents(mesh.moved(after)) & ~dented).any() else after
