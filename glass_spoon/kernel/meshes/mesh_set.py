"""A quad mesh of a set of surfaces: counts agree along chains of facing edges, shared edges share their vertices.

      +---+---+---+---+---+
      |   |   |   :   |   |      all edges across a chain take one count; a vertex on a shared edge is one vertex by
      +---+---+---+---+---+      construction, so nothing is welded by distance
      |   |   |   :   |   |
      +---+---+---+---+---+

Surfaces are cut at their sharp points first, so that an edge of the mesh runs along each. Surfaces that run to one point
side by side (a flat end, a dome) are closed there together, by the disc of `pole_cap` or by a fan of triangles.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from glass_spoon.kernel.arrays import Floats, Ints, directions, lengths, owned, sum_by_index
from glass_spoon.kernel.curves.place_curve import Placement, moving
from glass_spoon.kernel.errors import CountImpossible, TooManyFaces
from glass_spoon.kernel.meshes.cut_set import CutSet, Fan, Sector, cut_at_kinks, fan_plane, find_fans
from glass_spoon.kernel.meshes.divide_length import KINK_ANGLE, SHAPE_DIGITS
from glass_spoon.kernel.meshes.fill_plane import fill_plane
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.mesh_surface import MAX_CAP_RING, PoleClosing
from glass_spoon.kernel.meshes.pole_cap import DiscMesh, core_sides, make_disc, make_sector, transition_rings
from glass_spoon.kernel.meshes.repeat_mesh import repeat_mesh
from glass_spoon.kernel.meshes.set_counts import Wish, plan_counts
from glass_spoon.kernel.meshes.topology import make_topology
from glass_spoon.kernel.remembered import Remembered
from glass_spoon.kernel.surfaces.edit_surface import place_surface
from glass_spoon.kernel.surfaces.evaluate_surface import surface_points_normals, surfaces_points_normals
from glass_spoon.kernel.surfaces.surface_set import (
    EdgeName,
    FlatCap,
    SurfaceSet,
    edge_loops,
)

Scalar = TypeVar("Scalar", np.float64, np.int64)


PARAM_DIGITS = 9
"""Parameters that agree to so many digits are one."""

ON_SIDE = 1e-9
"""A vertex of a sector nearer than this to a side lies on it."""


def mesh_set(
    shape: SurfaceSet,
    wish: Wish,
    poles: PoleClosing = "quads",
    crease_sharp: bool = True,
    face_limit: int = 4_000_000,
) -> Mesh:
    """Return one mesh of all surfaces, with edges of about the wished lengths, even along the edges of each piece.

    Points carry "normal", corners "uv" (parameters of their surface, 0 .. 1), faces "piece" (the number of their surface;
    caps are numbered on).
    With `crease_sharp` edges along which pieces do not meet smoothly carry an infinite "sharpness". Surfaces keep their
    sides: see `orient_set`. Raises TooManyFaces before memory is taken, CountImpossible for a pole too large for quads.
    """
    if len(shape.pattern) > 1 and _stand_apart(shape):
        # Copies that share nothing are meshed once.
        first = shape.surfaces[0]
        start = first.control_points[0, 0]
        one = SurfaceSet((place_surface(first, moving(-start)),), shape.tolerance, (), shape.counts[:1])
        key = (_content(one), wish, poles, crease_sharp, face_limit)
        try:
            mesh = _copied.get(key, lambda: mesh_set(one, wish, poles, crease_sharp, face_limit // len(shape.pattern)))
            return repeat_mesh(mesh, tuple(Placement(move.matrix, move.apply(start)) for move in shape.pattern))
        except TooManyFaces as error:
            raise TooManyFaces(error.predicted * len(shape.pattern), face_limit) from error
    cut = cut_at_kinks(shape)
    fans = find_fans(cut)
    counts = plan_counts(cut, fans, wish, poles)
    predicted = int(counts.prod(axis=1).sum())
    if predicted > face_limit:
        raise TooManyFaces(predicted, face_limit)
    return _assemble(cut, fans, counts, poles, crease_sharp, wish.bend)


_copied: Remembered[Mesh] = Remembered(8)
"""The meshes of what was repeated last, at the origin: copies that only move are not meshed again."""


def _content(one: SurfaceSet) -> bytes:
    """Return the content of a set of one surface, to twelve digits of its size."""
    surface = one.surfaces[0]
    net = np.round(surface.control_points / (surface.size or 1.0), SHAPE_DIGITS) + 0.0
    parts = (
        *surface.knots,
        surface.weights,
        net,
        np.array([float(f"{surface.size:.12g}"), one.tolerance]),
        np.array(one.counts),
    )
    return bytes(surface.degrees) + b"|".join(part.tobytes() for part in parts)


def _stand_apart(shape: SurfaceSet) -> bool:
    """Say whether no corner of one surface meets one of another, so that they share no edge."""
    corners = np.concatenate([surface.control_points[[0, 0, -1, -1], [0, -1, 0, -1]] for surface in shape.surfaces])
    pairs = cKDTree(corners).query_pairs(2 * shape.tolerance, output_type="ndarray")
    return bool((pairs[:, 0] // 4 == pairs[:, 1] // 4).all())


@dataclass(eq=False)
class _Parts:
    """A mesh in the making: vertices of all grids and caps, before shared ones are one."""

    points: list[Floats]
    normals: list[Floats]
    faces: list[Ints]
    uvs: list[Floats]
    owners: list[Ints]
    total: int = 0

    def add_vertices(self, points: Floats, normals: Floats) -> int:
        """Keep vertices (n, 3); return the number of the first."""
        first = self.total
        self.points.append(points)
        self.normals.append(normals)
        self.total += len(points)
        return first


@dataclass(frozen=True, eq=False)
class _Grid:
    """The grid of a piece: vertex numbers and parameters u, v, each (nu + 1, nv + 1)."""

    numbers: Ints
    u: Floats
    v: Floats


def _assemble(cut: CutSet, fans: list[Fan], counts: Ints, poles: PoleClosing, crease_sharp: bool, bend: float = 0.0) -> Mesh:
    """Evaluate all grids, close the fans, make shared vertices one, and gather the attributes."""
    parts = _Parts([], [], [], [], [])
    names = cut.shape.edges.names
    even = cut.shape.edges.even_params(np.array([counts[name.piece, name.axis] for name in names]), bend)
    grids = _make_grids(cut, [_grid_params(cut, piece, counts[piece], even) for piece in range(len(cut.pieces))], parts)
    flat = {id(fan): fan_plane(cut, fan) for fan in fans} if poles == "quads" else {}
    caps = {
        sector.piece: int(counts[sector.piece, 1 - sector.axis]) if flat.get(id(fan)) else _cap_size(fan, counts, poles)
        for fan in fans
        for sector in fan.sectors
    }
    at = {sector.piece: sector for fan in fans for sector in fan.sectors}
    for piece, grid in enumerate(grids):
        _add_quads(parts, cut, piece, grid, at.get(piece), caps.get(piece, 0))
    labels = _merge(parts.total, grids, cut)
    normals = np.concatenate(parts.normals)
    for fan in fans:
        plane = flat.get(id(fan))
        if plane:
            _add_flat_end(parts, cut, fan, grids, plane)
        else:
            _add_cap(parts, cut, fan, grids, counts, poles)
    for number, cap in enumerate(cut.shape.caps):
        _fill_cap(parts, cut, number, cap, grids)
    labels = np.concatenate((labels, labels.max() + 1 + np.arange(parts.total - len(labels))))
    return _finish(parts, labels, cut, grids, normals, crease_sharp)


def _grid_params(cut: CutSet, piece: int, counts: Ints, even: list[Floats]) -> tuple[Floats, Floats]:
    """Return u and v (nu + 1, nv + 1) of a piece's grid: even by length along its four edges, blended between them."""
    surface, edges = cut.pieces[piece], cut.shape.edges
    params: list[list[Floats]] = []
    for axis in (0, 1):
        rows = [edges.number[EdgeName(piece, axis, end)] for end in (0, -1)]  # type: ignore[arg-type]  # 0 or -1
        solid = [row for row in rows if not edges.is_pole[row]]
        plain = np.linspace(*surface.domain(axis), int(counts[axis]) + 1)
        # An edge that is one point takes the parameters of the edge across.
        both = [even[row] if not edges.is_pole[row] else even[solid[0]] if solid else plain for row in rows]
        params.append(both)
    (u_first, u_last), (v_first, v_last) = params
    s, t = (np.linspace(0.0, 1.0, int(count) + 1) for count in counts)
    return u_first[:, None] * (1 - t) + u_last[:, None] * t, v_first * (1 - s[:, None]) + v_last * s[:, None]


def _make_grids(cut: CutSet, params: list[tuple[Floats, Floats]], parts: _Parts) -> list[_Grid]:
    """Evaluate all grids; pieces that share knots and parameters, as those of a pattern do, by one product of matrices."""
    groups: dict[bytes, list[int]] = {}
    for piece, (u, v) in enumerate(params):
        surface = cut.pieces[piece]
        key = b"".join((bytes(surface.degrees), surface.knots[0].tobytes(), b"|", surface.knots[1].tobytes()))
        key += b"|".join((np.round(u, PARAM_DIGITS).tobytes(), np.round(v, PARAM_DIGITS).tobytes()))
        groups.setdefault(key, []).append(piece)
    values: list[tuple[Floats, Floats]] = [(np.zeros(0), np.zeros(0))] * len(params)
    for pieces in groups.values():
        u, v = params[pieces[0]]
        alike = surfaces_points_normals([cut.pieces[piece] for piece in pieces], u.ravel(), v.ravel())
        for piece, value in zip(pieces, alike, strict=True):
            values[piece] = value
    grids = []
    for (u, v), (points, normals) in zip(params, values, strict=True):
        first = parts.add_vertices(points, normals)
        grids.append(_Grid(first + np.arange(u.size).reshape(u.shape), u, v))
    return grids


def _cap_size(fan: Fan, counts: Ints, poles: PoleClosing) -> int:
    """Return how many rings of a fan its cap takes."""
    first = fan.sectors[0]
    if poles == "fan":
        return 1
    rim = _rim_count(fan, counts)
    if rim > MAX_CAP_RING:
        raise CountImpossible(f"{rim:,} edges round a pole are too many to be closed with quads. Use longer edges.")
    rows = int(counts[first.piece, 1 - first.axis])
    return min(core_sides(rim)[0] // 2 + transition_rings(rim), rows) if fan.closed else rows


def _rim_count(fan: Fan, counts: Ints) -> int:
    return int(sum(counts[sector.piece, sector.axis] for sector in fan.sectors))


def _add_quads(parts: _Parts, cut: CutSet, piece: int, grid: _Grid, sector: Sector | None, cap: int) -> None:
    """Keep the quads of a grid, without those that a cap takes the place of."""
    numbers, uv = grid.numbers, _scaled(cut, piece, grid.u, grid.v)
    if sector is not None:
        kept = slice(cap, None) if sector.end == 0 else slice(None, numbers.shape[1 - sector.axis] - cap)
        part = (slice(None), kept) if sector.axis == 0 else (kept, slice(None))
        numbers, uv = numbers[part], uv[part]
    _add_faces(parts, _quads(numbers), _quads(uv), cut.parents[piece])


def _quads(rows: NDArray[Scalar]) -> NDArray[Scalar]:
    """Return the corners (faces, 4, ...) of the quads of a grid (m, n, ...), counter-clockwise in u and v."""
    corners = (rows[:-1, :-1], rows[1:, :-1], rows[1:, 1:], rows[:-1, 1:])
    return np.stack(corners, axis=2).reshape(-1, 4, *rows.shape[2:])


def _add_faces(parts: _Parts, faces: Ints, uv: Floats, owner: int) -> None:
    if len(faces):
        parts.faces.append(faces)
        parts.uvs.append(uv)
        parts.owners.append(np.full(len(faces), owner))


def _scaled(cut: CutSet, piece: int, u: Floats, v: Floats) -> Floats:
    """Return parameters (..., 2) of the surface that a piece was cut from, scaled to 0 .. 1."""
    result = []
    for axis, params in enumerate((u, v)):
        low, high = cut.pieces[piece].domain(axis)
        first, last = cut.place[piece, axis]
        result.append(first + (params - low) / (high - low) * (last - first))
    return np.stack(result, axis=-1)


def _merge(total: int, grids: list[_Grid], cut: CutSet) -> Ints:
    """Return for each vertex (total,) the number of the one that it is with others: on shared edges, and at poles."""
    pairs = [np.zeros((2, 0), dtype=np.int64)]
    for name, pole in zip(cut.shape.edges.names, cut.shape.edges.is_pole, strict=True):
        if pole:
            row = _edge_numbers(grids[name.piece], name)
            pairs.append(np.stack((row[:-1], row[1:])))
    for pair in cut.shape.shared:
        rows = [_edge_numbers(grids[name.piece], name) for name in (pair.first, pair.second)]
        pairs.append(np.stack((rows[0], rows[1][::-1] if pair.reversed else rows[1])))
    rows, columns = np.concatenate(pairs, axis=1)
    graph = coo_array((np.ones(len(rows), dtype=np.int8), (rows, columns)), shape=(total, total))
    return np.asarray(connected_components(graph, directed=False)[1], dtype=np.int64)


def _edge_numbers(grid: _Grid, name: EdgeName) -> Ints:
    """Return the vertices on an edge, as the edge runs."""
    return np.asarray(np.take(grid.numbers, name.end, axis=1 - name.axis))


def _add_cap(parts: _Parts, cut: CutSet, fan: Fan, grids: list[_Grid], counts: Ints, poles: PoleClosing) -> None:
    """Close a fan about its point."""
    cap = _cap_size(fan, counts, poles)
    rings = [_ring_of(sector, grids[sector.piece], cap) for sector in fan.sectors]
    ring = np.concatenate([numbers[:-1] for numbers in rings] + ([] if fan.closed else [rings[-1][-1:]]))
    rim = _rim_count(fan, counts)
    if poles == "fan":
        disc = _fan_disc(rim, fan.closed)
    else:
        disc = make_disc(rim) if fan.closed else make_sector(rim, cap - rim // 2)
    whole = 2 * np.pi if fan.closed else np.pi / 2
    radius = np.minimum(np.hypot(*disc.places.T), 1.0)
    turn = np.clip(np.arctan2(disc.places[:, 1], disc.places[:, 0]) % (2 * np.pi) / whole, 0, 1) * rim
    turn[: len(ring)] = np.arange(len(ring))
    starts = np.concatenate(([0], np.cumsum([counts[sector.piece, sector.axis] for sector in fan.sectors])))
    owner = np.clip(np.searchsorted(starts, turn, side="right") - 1, 0, len(fan.sectors) - 1)
    sides = _side_vertices(fan, grids, cap, disc, len(ring))
    inner = (np.arange(len(disc.places)) >= len(ring)) & (sides < 0)
    points, normals = np.empty((len(turn), 3)), np.empty((len(turn), 3))
    for number, sector in enumerate(fan.sectors):
        chosen = np.flatnonzero((owner == number) & inner)
        u, v = _cap_params(sector, grids[sector.piece], cap, turn[chosen] - starts[number], radius[chosen])
        points[chosen], normals[chosen] = surface_points_normals(cut.pieces[sector.piece], u, v)
    first = parts.add_vertices(points[inner], normals[inner])
    numbers = np.where(sides >= 0, sides, 0)
    numbers[: len(ring)] = ring
    numbers[inner] = first + np.arange(int(inner.sum()))
    faces = disc.faces
    middle = _face_turns(turn[faces], rim, fan.closed)
    of_face = np.clip(np.searchsorted(starts, middle, side="right") - 1, 0, len(fan.sectors) - 1)
    for number, sector in enumerate(fan.sectors):
        own = faces[of_face == number]
        local = _unwrapped(turn[own], middle[of_face == number], rim, fan.closed) - starts[number]
        u, v = _cap_params(sector, grids[sector.piece], cap, local.ravel(), radius[own].ravel())
        uv = _scaled(cut, sector.piece, u, v).reshape(*own.shape, 2)
        outward = (sector.axis == 0) == (sector.end == -1)
        flip = outward != sector.forward
        _add_faces(
            parts,
            numbers[own][:, ::-1] if flip else numbers[own],
            uv[:, ::-1] if flip else uv,
            cut.parents[sector.piece],
        )


def _side_vertices(fan: Fan, grids: list[_Grid], cap: int, disc: DiscMesh, ring: int) -> Ints:
    """Return for each vertex of a sector's cap the vertex of the straight side that it is, -1 for others."""
    found = np.full(len(disc.places), -1)
    if fan.closed:
        return found
    for sector, at_start, axis in ((fan.sectors[0], True, 1), (fan.sectors[-1], False, 0)):
        grid = grids[sector.piece].numbers if sector.axis == 0 else grids[sector.piece].numbers.T
        side = grid[0 if at_start == sector.forward else -1]
        from_pole = side if sector.end == 0 else side[::-1]
        on_side = np.flatnonzero(np.abs(disc.places[:, axis]) < ON_SIDE)
        found[on_side] = from_pole[np.rint(disc.places[on_side, 1 - axis] * cap).astype(int)]
    found[:ring] = -1
    return found


def _add_flat_end(parts: _Parts, cut: CutSet, fan: Fan, grids: list[_Grid], plane: FlatCap) -> None:
    """Fill a fan that lies in a plane as its outline suits: a grid between four corners, a ring, a disc, or pairs."""
    sectors = [(sector, grids[sector.piece]) for sector in fan.sectors]
    rings = [_ring_of(sector, grid, grid.numbers.shape[1 - sector.axis] - 1) for sector, grid in sectors]
    ring = np.concatenate([numbers[:-1] for numbers in rings])
    places = np.concatenate(parts.points)[ring]
    # Axes that go with the outline, so that a turned copy is filled alike.
    right = directions(places[0] - plane.origin)
    axes = np.stack((right, np.cross(plane.normal, right)))
    outline = (places - plane.origin) @ axes.T
    back = _loop_area(outline) < 0
    order = np.roll(np.arange(len(ring))[::-1], 1) if back else np.arange(len(ring))
    fill = fill_plane([outline[order]])
    inner = plane.origin + fill.points[len(ring) :] @ axes
    first = parts.add_vertices(inner, np.broadcast_to(plane.normal, inner.shape))
    vertices = np.concatenate((ring[order], first + np.arange(len(inner))))
    sector = fan.sectors[0]
    net = np.take(cut.pieces[sector.piece].control_points, sector.end, axis=1 - sector.axis)
    turn, radius = _polar(outline, (net[0] - plane.origin) @ axes.T, fill.points)
    turn[: len(ring)], radius[: len(ring)] = order, 1.0
    _add_sector_faces(parts, cut, fan, grids, vertices, fill.faces, (turn, radius))


def _polar(outline: Floats, pole: Floats, places: Floats) -> tuple[Floats, Floats]:
    """Return how far round an outline (n, 2) places (k, 2) lie, in its edges, and their shares of the way out from the pole.

    Directions from the pole are taken to run round once; where an outline turns back on itself the values are only near.
    """
    rays = outline - pole
    angles = np.unwrap(np.arctan2(rays[:, 1], rays[:, 0]))
    forward = 1.0 if angles[-1] >= angles[0] else -1.0
    angles = np.maximum.accumulate(forward * angles)
    here = places - pole
    asked = forward * np.arctan2(here[:, 1], here[:, 0])
    asked = angles[0] + (asked - angles[0]) % (2 * np.pi)
    steps = np.append(np.arange(len(outline)), len(outline)).astype(np.float64)
    turn = np.interp(asked, np.append(angles, angles[0] + 2 * np.pi), steps)
    closed = np.vstack((rays, rays[:1]))
    low = np.minimum(np.floor(turn).astype(int), len(outline) - 1)
    share = (turn - low)[:, None]
    reach = np.hypot(*(closed[low] * (1 - share) + closed[low + 1] * share).T)
    return turn, np.clip(np.hypot(*here.T) / np.maximum(reach, 1e-12), 0.0, 1.0)


def _add_sector_faces(
    parts: _Parts, cut: CutSet, fan: Fan, grids: list[_Grid], vertices: Ints, faces: Ints, polar: tuple[Floats, Floats]
) -> None:
    """Keep the faces (f, 4) of a flat end with the parameters of the sectors that they lie on."""
    turn, radius = polar
    sizes = [grids[sector.piece].numbers.shape[sector.axis] - 1 for sector in fan.sectors]
    starts = np.concatenate(([0], np.cumsum(sizes)))
    rim = int(starts[-1])
    middle = _face_turns(turn[faces], rim, closed=True)
    of_face = np.clip(np.searchsorted(starts, middle, side="right") - 1, 0, len(fan.sectors) - 1)
    for number, sector in enumerate(fan.sectors):
        own = faces[of_face == number]
        grid = grids[sector.piece]
        local = _unwrapped(turn[own], middle[of_face == number], rim, closed=True) - starts[number]
        rows = grid.numbers.shape[1 - sector.axis] - 1
        u, v = _cap_params(sector, grid, rows, local.ravel(), radius[own].ravel())
        _add_faces(parts, vertices[own], _scaled(cut, sector.piece, u, v).reshape(*own.shape, 2), cut.parents[sector.piece])


def _fill_cap(parts: _Parts, cut: CutSet, number: int, cap: FlatCap, grids: list[_Grid]) -> None:
    """Fill a flat cap with quads."""
    loops = edge_loops(cut.shape, cut.shape.rims[number])
    if not loops:
        return
    every = np.concatenate(parts.points)
    axes = plane_axes(cap.normal)
    numbered, flat = [], []
    for loop in loops:
        runs = [_edge_numbers(grids[name.piece], name) for name, _ in loop]
        ring = np.concatenate([(run if forward else run[::-1])[:-1] for run, (_, forward) in zip(runs, loop, strict=True)])
        numbered.append(ring)
        flat.append((every[ring] - cap.origin) @ axes.T)
    order = np.argsort([-abs(_loop_area(loop)) for loop in flat])
    rings, outlines = [], []
    for place, k in enumerate(order):
        back = (_loop_area(flat[k]) > 0) != (place == 0)
        # Every second vertex counts in a fill: corners, which start the runs of a rim, stay among them.
        rings.append(np.roll(numbered[k][::-1], 1) if back else numbered[k])
        outlines.append(np.roll(flat[k][::-1], 1, axis=0) if back else flat[k])
    fill = fill_plane(outlines)
    rim = sum(len(ring) for ring in rings)
    inner = cap.origin + fill.points[rim:] @ axes
    first = parts.add_vertices(inner, np.broadcast_to(cap.normal, inner.shape))
    vertices = np.concatenate((*rings, first + np.arange(len(inner))))
    low = fill.points.min(axis=0)
    uv = (fill.points - low) / max(float(np.ptp(fill.points, axis=0).max()), 1e-12)
    _add_faces(parts, vertices[fill.faces], uv[fill.faces], len(cut.original) + number)


def plane_axes(normal: Floats) -> Floats:
    """Return two unit axes (2, 3) of a plane, right-handed with its normal (3,)."""
    right = directions(np.cross(np.eye(3)[int(np.argmin(np.abs(normal)))], normal))
    return np.stack((right, np.cross(normal, right)))


def _loop_area(loop: Floats) -> float:
    """Return the signed area of a flat loop (n, 2)."""
    ahead = np.roll(loop, -1, axis=0)
    return float(loop[:, 0] @ ahead[:, 1] - loop[:, 1] @ ahead[:, 0]) / 2


def _fan_disc(rim: int, closed: bool) -> DiscMesh:
    """Return the fan of triangles over a ring, as make_disc and make_sector return theirs."""
    angles = np.linspace(0, 2 * np.pi if closed else np.pi / 2, rim + 1)[: rim if closed else rim + 1]
    places = np.vstack((np.column_stack((np.cos(angles), np.sin(angles))), [[0.0, 0.0]]))
    ring = np.arange(len(angles))
    ends = np.roll(ring, -1) if closed else ring[1:]
    starts = ring if closed else ring[:-1]
    return DiscMesh(places, np.column_stack((starts, ends, np.full(rim, len(angles)))))


def _face_turns(turns: Floats, rim: int, closed: bool) -> Floats:
    """Return the mean place round (f,) of the corners (f, k) of faces."""
    if closed:
        turns = turns + np.rint((turns[:, :1] - turns) / rim) * rim
        return np.asarray(turns.mean(axis=1) % rim)
    return np.asarray(turns.mean(axis=1))


def _unwrapped(turns: Floats, middle: Floats, rim: int, closed: bool) -> Floats:
    """Return places round (f, k) moved by whole turns to the middles (f,) of their faces."""
    return turns + np.rint((middle[:, None] - turns) / rim) * rim if closed else turns


def _ring_of(sector: Sector, grid: _Grid, cap: int) -> Ints:
    """Return the vertices of the ring that the cap stands on, along the fan."""
    row = cap if sector.end == 0 else grid.numbers.shape[1 - sector.axis] - 1 - cap
    ring = np.take(grid.numbers, row, axis=1 - sector.axis)
    return ring if sector.forward else ring[::-1]


def _cap_params(sector: Sector, grid: _Grid, cap: int, along: Floats, radius: Floats) -> tuple[Floats, Floats]:
    """Return u and v (n,) at places along the rim, counted in edges from the sector's start, and shares of the radius."""
    u, v = (grid.u, grid.v) if sector.axis == 0 else (grid.u.T, grid.v.T)
    if sector.end == 0:
        u, v = u[:, : cap + 1], v[:, : cap + 1]
    else:
        u, v = u[:, ::-1][:, : cap + 1], v[:, ::-1][:, : cap + 1]
    count = u.shape[0] - 1
    x = np.clip(along if sector.forward else count - along, 0, count)
    return _bilinear(u, x, radius * cap), _bilinear(v, x, radius * cap)


def _bilinear(values: Floats, x: Floats, y: Floats) -> Floats:
    """Return values (m, n) interpolated at places x, y (k,) counted in rows and columns."""
    i = np.clip(np.floor(x).astype(int), 0, values.shape[0] - 2)
    j = np.clip(np.floor(y).astype(int), 0, values.shape[1] - 2)
    a, b = x - i, y - j
    low = values[i, j] * (1 - a) + values[i + 1, j] * a
    high = values[i, j + 1] * (1 - a) + values[i + 1, j + 1] * a
    return np.asarray(low * (1 - b) + high * b)


def _finish(parts: _Parts, labels: Ints, cut: CutSet, grids: list[_Grid], normals: Floats, crease_sharp: bool) -> Mesh:
    """Return the mesh of the parts with shared vertices made one and unused ones left out."""
    _drop_closed_strips(parts, labels)
    corners = np.concatenate([labels[faces].ravel() for faces in parts.faces])
    sides = np.concatenate([np.full(len(faces), faces.shape[1]) for faces in parts.faces])
    used, numbered = np.unique(corners, return_inverse=True)
    first = np.full(int(labels.max()) + 1, -1)
    first[labels[::-1]] = np.arange(len(labels))[::-1]
    points = np.concatenate(parts.points)[first[used]]
    merged = directions(sum_by_index(labels, np.concatenate(parts.normals), int(labels.max()) + 1))[used]
    offsets = None if (sides == 4).all() else np.concatenate(([0], np.cumsum(sides)))
    topology = make_topology(len(used), numbered.reshape(-1, 4) if offsets is None else numbered, offsets=offsets)
    edges: dict[str, Floats] = {}
    if crease_sharp:
        renumber = np.full(int(labels.max()) + 1, -1)
        renumber[used] = np.arange(len(used))
        sharp = _sharp_pairs(cut, grids, normals, renumber[labels])
        if len(sharp):
            ends = np.sort(topology.edges.ends.astype(np.int64), axis=1)
            keys = ends[:, 0] * len(used) + ends[:, 1]
            sharpness = np.where(np.isin(keys, sharp[:, 0] * len(used) + sharp[:, 1]), np.inf, 0.0)
            edges["sharpness"] = sharpness
    uv = np.concatenate([part.reshape(-1, 2) for part in parts.uvs])
    return Mesh(
        topology,
        owned(points),
        points={"normal": owned(merged)},
        corners={"uv": owned(uv)},
        edges=edges,
        faces={"piece": np.concatenate(parts.owners).astype(np.float64)},
    )


def _drop_closed_strips(parts: _Parts, labels: Ints) -> None:
    """Leave out faces whose sides fell together: a piece narrower than the distance within which edges are shared."""
    for number, faces in enumerate(parts.faces):
        own = labels[faces]
        kept = (own == np.roll(own, -1, axis=1)).sum(axis=1) < faces.shape[1] - 2
        if not kept.all():
            parts.faces[number], parts.uvs[number] = faces[kept], parts.uvs[number][kept]
            parts.owners[number] = parts.owners[number][kept]


def _sharp_pairs(cut: CutSet, grids: list[_Grid], normals: Floats, numbers: Ints) -> Ints:
    """Return the vertex pairs (n, 2), lower first, along shared edges at which the normals of both sides differ."""
    found = [np.zeros((0, 2), dtype=np.int64)]
    for pair in cut.shape.shared:
        rows = [_edge_numbers(grids[name.piece], name) for name in (pair.first, pair.second)]
        second = rows[1][::-1] if pair.reversed else rows[1]
        apart = lengths(normals[rows[0]] - normals[second])
        if float(np.median(apart)) > 2 * np.sin(KINK_ANGLE / 2):
            found.append(_row_pairs(numbers[rows[0]]))
    for cap, rim in zip(cut.shape.caps, cut.shape.rims, strict=True):
        for name in rim:
            row = _edge_numbers(grids[name.piece], name)
            if float(np.median(lengths(normals[row] - cap.normal))) > 2 * np.sin(KINK_ANGLE / 2):
                found.append(_row_pairs(numbers[row]))
    return np.concatenate(found)


def _row_pairs(row: Ints) -> Ints:
    """Return the pairs (n, 2) of neighbours in a row of vertices, lower first; vertices no face uses are left out."""
    row = row[row >= 0]
    return np.sort(np.column_stack((row[:-1], row[1:])), axis=1)
