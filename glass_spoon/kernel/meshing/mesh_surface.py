"""A quad mesh of a surface: even, welded where the surface closes, with a mesh edge on every sharp point.

Axis 0 of the surface is "round", axis 1 "along". Poles (edges of the surface that are one point) may lie at the ends of
"along"; each is closed by an all-quad cap or by a fan of triangles.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, directions, owned
from glass_spoon.kernel.errors import CountImpossible, InvalidInput, TooManyFaces
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.topology import Topology, make_topology
from glass_spoon.kernel.meshing.divide_length import (
    Guide,
    Spacing,
    divide_guide,
    has_sharp_seam,
    make_guide,
    run_sizes,
    share_count,
)
from glass_spoon.kernel.meshing.pole_cap import (
    DiscMesh,
    cap_face_count,
    core_sides,
    make_disc,
    make_sectors,
    sector_rings,
    transition_rings,
)
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_rows, surface_points, surface_points_normals
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface

PoleClosing = Literal["quads", "fan"]

MAX_CAP_RING = 1024
"""Most edges of a ring that a cap of quads closes: its core grows with the square of the count."""

CAP_NODES = 65
"""True arc lengths between which inner vertices of a cap are spaced linearly; all lie on the surface exactly."""

NEAR_POLE = 0.01
"""Share of the way along, from a pole, at which it is looked how far round a surface goes there."""

TURN_RAYS = 65
"""Directions from a pole by which it is measured."""

POLE_RADIUS = 1e-9
"""A vertex of the unit disc nearer than this to its middle lies on the pole."""


@dataclass(frozen=True)
class GridLayout:
    """How a surface is laid out in quads, before any coordinate.

    round, along: counts. closed: round and along meet themselves. caps: how many rings the pole cap takes at the start
    and the end of along (0: no pole). closing: how poles are closed. parts: into how many sectors the cap of a piece that
    is open round is cut.
    """

    round: int
    along: int
    closed: tuple[bool, bool]
    caps: tuple[int, int]
    closing: PoleClosing
    parts: int = 1

    @property
    def columns(self) -> int:
        """Vertices on a ring."""
        return self.round if self.closed[0] else self.round + 1

    @property
    def rows(self) -> int:
        """Rings of vertices."""
        return self.along + 1 - sum(self.caps) - (1 if self.closed[1] else 0)

    @property
    def ring_quads(self) -> int:
        """Rings of quads outside the caps."""
        return self.along - sum(self.caps)

    @property
    def face_count(self) -> int:
        """Faces of the whole mesh."""
        one = self.round if self.closing == "fan" else cap_face_count(self.round, whole=self.closed[0], parts=self.parts)
        return self.round * self.ring_quads + one * sum(1 for cap in self.caps if cap)


def mesh_surface(  # noqa: PLR0913  each a size of its own, most by name
    surface: NurbsSurface,
    round_count: int,
    along_count: int,
    spaced: Spacing = "evenly",
    poles: PoleClosing = "quads",
    *,
    crease_sharp: bool = True,
    tolerance: float = 1e-6,
    face_limit: int = 4_000_000,
    bend: float = 0.0,
) -> Mesh:
    """Return the mesh of a surface with `round_count` edges along u and `along_count` along v.

    Spaced "evenly" by true arc length of the longest isocurve, denser by `bend` where that bends, or "by parameter".
    Edges of the surface within
    `tolerance` mm of each other are welded; an edge within it of one point is a pole. Points carry "normal" (of the
    surface), corners "uv" (parameters scaled to 0 .. 1); with `crease_sharp` the edges on sharp points carry an infinite
    "sharpness". Raises InvalidInput for counts below the least, CountImpossible for counts that cannot close a pole or
    carry the sharp points, TooManyFaces above `face_limit` before memory is taken.
    """
    if round_count * along_count > face_limit:
        raise TooManyFaces(round_count * along_count, face_limit)
    guides = make_guide(surface, 0), make_guide(surface, 1)
    layout = plan_layout(surface, guides, round_count, along_count, poles, tolerance)
    if layout.face_count > face_limit:
        raise TooManyFaces(layout.face_count, face_limit)
    sizes = [run_sizes(guide, bend) for guide in guides]
    shares = share_count(sizes[0], round_count), share_count(sizes[1], along_count)
    us, vs = (divide_guide(guide, share, spaced, bend) for guide, share in zip(guides, shares, strict=True))
    return _build(surface, guides, layout, (us, vs), crease_sharp=crease_sharp, spaced=spaced, tolerance=tolerance)


def plan_layout(
    surface: NurbsSurface,
    guides: tuple[Guide, Guide],
    round_count: int,
    along_count: int,
    poles: PoleClosing,
    tolerance: float,
) -> GridLayout:
    """Return the layout that the counts give; raises as `mesh_surface` does."""
    closed = surface.is_closed(0, tolerance), surface.is_closed(1, tolerance)
    for name, count, least in (("round", round_count, 3 if closed[0] else 1), ("along", along_count, 3 if closed[1] else 1)):
        if count < least:
            raise InvalidInput(f"The count {name}", f"{least} or more", str(count))
    has_pole = surface.is_pole(1, 0, tolerance), surface.is_pole(1, -1, tolerance)
    parts = 1 if closed[0] else max([1, *(_quarters(surface, end) for end in (0, -1) if has_pole[end])])
    caps = _cap_rings(guides[1], round_count, along_count, has_pole, poles, 0 if closed[0] else parts)
    return GridLayout(round_count, along_count, closed, caps, poles, parts)


def _quarters(surface: NurbsSurface, end: int) -> int:
    """Return how many quarter turns a surface that is open round makes about a pole, to the nearest, one at least."""
    v_low, v_high = surface.domain(1)
    beside = v_low + NEAR_POLE * (v_high - v_low) if end == 0 else v_high - NEAR_POLE * (v_high - v_low)
    us = np.linspace(*surface.domain(0), TURN_RAYS)
    pole = surface_points(surface, us[:1], np.array([v_low if end == 0 else v_high]))
    return count_quarters(surface_points(surface, us, np.full(len(us), beside)) - pole)


def count_quarters(rays: Floats) -> int:
    """Return how many quarter turns vectors (n, 3) make about what they run round, to the nearest, one at least.

    On a steep cone they lie near each other, yet a face over more than a half turn would be crumpled there.
    """
    way = directions(rays)
    axis = directions(np.cross(way[:-1], way[1:]).sum(axis=0))
    way = directions(way - np.outer(way @ axis, axis))
    turn = float(np.arccos(np.clip((way[1:] * way[:-1]).sum(axis=1), -1, 1)).sum())
    return max(1, round(turn / (np.pi / 2)))


def _cap_rings(
    guide: Guide, round_count: int, along_count: int, has_pole: tuple[bool, bool], poles: PoleClosing, parts: int
) -> tuple[int, int]:
    """Return how many rings each cap takes: none across a sharp point, and never the other cap's half.

    parts: into how many sectors a cap is cut, 0 for a whole disc.
    """
    whole = not parts
    if not any(has_pole):
        return (0, 0)
    if along_count < sum(has_pole):
        raise CountImpossible("A body with two poles needs at least 2 along.", (2,))
    if poles == "fan":
        return (int(has_pole[0]), int(has_pole[1]))
    if round_count % 2 or (whole and round_count < 4):
        least = 4 if whole else 2
        near = tuple(sorted({max(least, round_count - 1), max(least, round_count + 1)}))
        near = tuple(count for count in near if count % 2 == 0)
        raise CountImpossible(
            f"{round_count} round cannot close a pole with quads: the count must be even"
            f" (try {' or '.join(map(str, near))}), or close the poles with a fan.",
            near,
        )
    if round_count > MAX_CAP_RING:
        raise CountImpossible(
            f"{round_count:,} round is too many to close a pole with quads: the core would have"
            f" {cap_face_count(round_count):,} faces. Use at most {MAX_CAP_RING:,}, or close the poles with a fan.",
            (MAX_CAP_RING,),
        )
    shares = share_count(guide.sizes, along_count)
    ideal = core_sides(round_count)[0] // 2 + transition_rings(round_count)
    if not whole:
        ideal = sector_rings(round_count, parts)
    both = len(shares) == 1 and all(has_pole)
    most = (max(1, int(shares[0]) // 2), max(1, int(shares[-1]) // 2)) if both else (int(shares[0]), int(shares[-1]))
    return tuple(min(ideal, room) if pole else 0 for pole, room in zip(has_pole, most, strict=True))  # type: ignore[return-value]


@lru_cache(maxsize=64)
def layout_topology(layout: GridLayout) -> Topology:
    """Return the topology of a layout: vertices ring by ring, then the inner vertices of the start and the end cap."""
    rows, columns = layout.rows, layout.columns
    grid = np.arange(rows * columns).reshape(rows, columns)
    wide = np.hstack((grid, grid[:, :1])) if layout.closed[0] else grid
    tall = np.vstack((wide, wide[:1])) if layout.closed[1] else wide
    quads = np.stack((tall[:-1, :-1], tall[:-1, 1:], tall[1:, 1:], tall[1:, :-1]), axis=-1).reshape(-1, 4)
    total, parts = rows * columns, [quads]
    for end, cap in zip((0, -1), layout.caps, strict=True):
        if cap:
            faces = _cap_faces(layout, grid[end], total)
            parts.append(faces[:, ::-1] if end == 0 else faces)
            total += cap_inner_count(layout)
    if all(part.shape[1] == 4 for part in parts):
        return make_topology(total, np.concatenate(parts))
    sides = np.concatenate([np.full(len(part), part.shape[1]) for part in parts])
    return make_topology(
        total, np.concatenate([part.ravel() for part in parts]), offsets=np.concatenate(([0], np.cumsum(sides)))
    )


def cap_disc(layout: GridLayout) -> DiscMesh:
    """Return the disc or the sector that closes a pole of this layout with quads."""
    return make_disc(layout.round) if layout.closed[0] else make_sectors(layout.round, layout.parts)


def cap_inner_count(layout: GridLayout) -> int:
    """Return the number of vertices inside a cap."""
    return 1 if layout.closing == "fan" else len(cap_disc(layout).places) - layout.columns


def _cap_faces(layout: GridLayout, ring: Ints, first: int) -> Ints:
    """Return the faces of a cap over a ring of vertices, its inner vertices numbered from `first`."""
    if layout.closing == "fan":
        ends = np.roll(ring, -1) if layout.closed[0] else ring[1:]
        starts = ring if layout.closed[0] else ring[:-1]
        return np.column_stack((starts, ends, np.full(len(starts), first)))
    numbers = np.concatenate((ring, first + np.arange(cap_inner_count(layout))))
    return numbers[cap_disc(layout).faces]


@lru_cache(maxsize=64)
def _ring_edges(layout: GridLayout, axis: int, line: int) -> Ints:
    """Return the edges (k,) on one mesh line: ring number `line` (axis 1) or column number `line` (axis 0)."""
    grid = np.arange(layout.rows * layout.columns).reshape(layout.rows, layout.columns)
    vertices = grid[line] if axis == 1 else grid[:, line]
    if layout.closed[1 - axis]:
        vertices = np.append(vertices, vertices[0])
    ends = layout_topology(layout).edges.ends.astype(np.int64)
    count = layout_topology(layout).point_count
    pairs = np.sort(np.column_stack((vertices[:-1], vertices[1:])).astype(np.int64), axis=1)
    return np.flatnonzero(np.isin(ends[:, 0] * count + ends[:, 1], pairs[:, 0] * count + pairs[:, 1]))


def _build(
    surface: NurbsSurface,
    guides: tuple[Guide, Guide],
    layout: GridLayout,
    params: tuple[Floats, Floats],
    *,
    crease_sharp: bool,
    spaced: Spacing,
    tolerance: float,
) -> Mesh:
    """Evaluate the surface at the layout's vertices and gather the attributes."""
    us, vs = params
    ring_vs = vs[layout.caps[0] : layout.caps[0] + layout.rows]
    ring_points, ring_normals = evaluate_rows(surface, us[: layout.columns], ring_vs)
    points, normals = [ring_points], [ring_normals]
    uvs = [_ring_uvs(layout, surface, params)]
    for end, cap in zip((0, -1), layout.caps, strict=True):
        if cap:
            u, v, uv = _cap_params(surface, guides, layout, params, end, spaced)
            inner_points, inner_normals = surface_points_normals(surface, u, v)
            points.append(inner_points)
            normals.append(inner_normals)
            uvs.append(uv[:, ::-1] if end == 0 else uv)
    topology = layout_topology(layout)
    corner_uv = np.concatenate([part.reshape(-1, 2) for part in uvs])
    edges = {"sharpness": _sharpness(guides, layout, params, tolerance)} if crease_sharp else {}
    return Mesh(
        topology,
        owned(np.concatenate(points)),
        points={"normal": owned(np.concatenate(normals))},
        corners={"uv": owned(corner_uv)},
        edges={name: value for name, value in edges.items() if value.any()},
    )


def _scaled(surface: NurbsSurface, axis: int, params: Floats) -> Floats:
    """Return parameters scaled to 0 .. 1."""
    low, high = surface.domain(axis)
    return (params - low) / (high - low)


def _ring_uvs(layout: GridLayout, surface: NurbsSurface, params: tuple[Floats, Floats]) -> Floats:
    """Return the corner uv (quads, 4, 2) of the ring quads; the seam keeps 1, so no quad runs backwards."""
    u = _scaled(surface, 0, params[0])
    v = _scaled(surface, 1, params[1][layout.caps[0] : layout.caps[0] + layout.ring_quads + 1])
    pairs = np.empty((len(v) - 1, len(u) - 1, 4), dtype=np.complex128)
    for corner, (right, up) in enumerate(((0, 0), (1, 0), (1, 1), (0, 1))):
        across, along = u[right : len(u) - 1 + right], v[up : len(v) - 1 + up]
        np.add(across, 1j * along[:, None], out=pairs[:, :, corner])
    return pairs.view(np.float64).reshape(-1, 4, 2)


def _cap_params(
    surface: NurbsSurface,
    guides: tuple[Guide, Guide],
    layout: GridLayout,
    params: tuple[Floats, Floats],
    end: int,
    spaced: Spacing,
) -> tuple[Floats, Floats, Floats]:
    """Return u (k,), v (k,) of the inner vertices of a cap, and the corner uv (faces, sides, 2) of its faces."""
    us, vs = params
    ring_v = float(vs[layout.caps[0]] if end == 0 else vs[len(vs) - 1 - layout.caps[1]])
    pole_v = float(vs[0] if end == 0 else vs[-1])
    steps = np.arange(layout.round + 1) / layout.round
    if layout.closing == "fan":
        v = np.array([pole_v])
        middle = (us[:-1] + us[1:]) / 2
        ring = np.full(layout.round, ring_v)
        corner = np.stack((us[:-1], ring, us[1:], ring, middle, np.full(layout.round, pole_v)), axis=1)
        return us[:1], v, _scaled_pairs(surface, corner.reshape(-1, 3, 2))
    disc = cap_disc(layout)
    whole = 2 * np.pi if layout.closed[0] else np.pi / 2
    radius, turn = np.hypot(*disc.places.T), np.arctan2(disc.places[:, 1], disc.places[:, 0]) % (2 * np.pi) / whole
    turn = np.where(turn > 1 + 1e-9, 0.0, turn)

    def to_u(fraction: Floats) -> Floats:
        if spaced == "by parameter" or len(guides[0].stops) > 2:
            return np.interp(fraction, steps, us)
        return _even_params(guides[0], 0.0, guides[0].arc.length, fraction)

    pole_s, ring_s = guides[1].arc.at_params(np.array([pole_v, ring_v]))
    v_all = _even_params(guides[1], float(pole_s), float(ring_s), np.minimum(radius, 1.0))
    vertex_u = to_u(np.clip(turn, 0, 1))
    vertex_u[: layout.columns], v_all[: layout.columns] = us[: layout.columns], ring_v
    low, high = surface.domain(0)
    inner = slice(layout.columns, None)
    corner = np.stack((vertex_u[disc.faces], v_all[disc.faces]), axis=-1)
    if layout.closed[0]:
        around = turn[disc.faces]
        corner[..., 0] += np.rint(around[:, :1] - around) * (high - low)
    _share_pole(corner[..., 0], radius[disc.faces] < POLE_RADIUS)
    return vertex_u[inner], v_all[inner], _scaled_pairs(surface, corner)


def _even_params(guide: Guide, start: float, end: float, fractions: Floats) -> Floats:
    """Return parameters (n,) at fractions (n,) of the way between two arc lengths in mm."""
    nodes = np.linspace(0.0, 1.0, CAP_NODES)
    return np.interp(fractions, nodes, guide.arc.to_params(start + (end - start) * nodes))


def _share_pole(corner_u: Floats, at_pole: Bools) -> None:
    """Give corners (f, 4) on the pole itself, where u means nothing, the mean of their face's other corners."""
    faces = at_pole.any(axis=1)
    rest = np.where(at_pole[faces], 0.0, corner_u[faces]).sum(axis=1) / (~at_pole[faces]).sum(axis=1)
    corner_u[faces] = np.where(at_pole[faces], rest[:, None], corner_u[faces])


def _scaled_pairs(surface: NurbsSurface, pairs: Floats) -> Floats:
    """Return (..., 2) parameters scaled to 0 .. 1 by their axes."""
    return np.stack((_scaled(surface, 0, pairs[..., 0]), _scaled(surface, 1, pairs[..., 1])), axis=-1)


def _sharpness(guides: tuple[Guide, Guide], layout: GridLayout, params: tuple[Floats, Floats], tolerance: float) -> Floats:
    """Return the crease of every edge (e,): infinite on mesh lines through sharp points, zero elsewhere."""
    result = np.zeros(len(layout_topology(layout).edges.ends))
    for axis, (guide, values) in enumerate(zip(guides, params, strict=True)):
        first = layout.caps[0] if axis == 1 else 0
        lines = np.searchsorted(values, guide.stops[1:-1]) - first
        if layout.closed[axis] and has_sharp_seam(guide, tolerance):
            lines = np.append(lines, 0)
        for line in lines:
            result[_ring_edges(layout, axis, int(line))] = np.inf
    return result
