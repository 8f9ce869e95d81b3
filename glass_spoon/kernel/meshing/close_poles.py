"""Close the surfaces of a set that run to one point side by side: by a disc of quads, or by a fan of triangles."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Ints, lengths
from glass_spoon.kernel.errors import CountImpossible
from glass_spoon.kernel.meshing.cut_set import CutSet, Fan
from glass_spoon.kernel.meshing.fan_params import cap_params, face_turns, ring_of, unwrapped
from glass_spoon.kernel.meshing.mesh_surface import MAX_CAP_RING, PoleClosing, count_quarters
from glass_spoon.kernel.meshing.pole_cap import DiscMesh, core_sides, make_disc, make_sectors, make_tip, transition_rings
from glass_spoon.kernel.meshing.set_parts import Grid, Parts, scaled_params
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points_normals

TIP = np.cos(np.radians(20))
"""A pole is a tip when the normals there lean from their mean by 20 degrees or more."""

ON_SIDE = 1e-9
"""A vertex of a sector nearer than this to a side lies on it."""


def cap_size(fan: Fan, counts: Ints, poles: PoleClosing) -> int:
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


def close_pole(parts: Parts, cut: CutSet, fan: Fan, grids: list[Grid], counts: Ints, poles: PoleClosing) -> None:
    """Close a fan about its point."""
    cap = cap_size(fan, counts, poles)
    rings = [ring_of(sector, grids[sector.piece], cap) for sector in fan.sectors]
    ring = np.concatenate([numbers[:-1] for numbers in rings] + ([] if fan.closed else [rings[-1][-1:]]))
    rim = _rim_count(fan, counts)
    if poles == "fan":
        disc = _fan_disc(rim, closed=fan.closed)
    else:
        closed = make_tip if _is_tip(parts, fan, grids) else make_disc
        disc = closed(rim) if fan.closed else make_sectors(rim, _quarters(parts, fan, grids, ring), cap)
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
        u, v = cap_params(sector, grids[sector.piece], cap, turn[chosen] - starts[number], radius[chosen])
        points[chosen], normals[chosen] = surface_points_normals(cut.pieces[sector.piece], u, v)
    first = parts.add_vertices(points[inner], normals[inner])
    numbers = np.where(sides >= 0, sides, 0)
    numbers[: len(ring)] = ring
    numbers[inner] = first + np.arange(int(inner.sum()))
    faces = disc.faces
    middle = face_turns(turn[faces], rim, closed=fan.closed)
    of_face = np.clip(np.searchsorted(starts, middle, side="right") - 1, 0, len(fan.sectors) - 1)
    for number, sector in enumerate(fan.sectors):
        own = faces[of_face == number]
        local = unwrapped(turn[own], middle[of_face == number], rim, closed=fan.closed) - starts[number]
        u, v = cap_params(sector, grids[sector.piece], cap, local.ravel(), radius[own].ravel())
        uv = scaled_params(cut, sector.piece, u, v).reshape(*own.shape, 2)
        outward = (sector.axis == 0) == (sector.end == -1)
        flip = outward != sector.forward
        turned = slice(None, None, -1 if flip else 1)
        parts.add_faces(numbers[own][:, turned], uv[:, turned], cut.parents[sector.piece])


def _quarters(parts: Parts, fan: Fan, grids: list[Grid], ring: Ints) -> int:
    """Return how many quarter turns an open fan makes about its point."""
    points = np.concatenate(parts.points)
    pole = points[ring_of(fan.sectors[0], grids[fan.sectors[0].piece], 0)[0]]
    return count_quarters(points[ring] - pole)


def _is_tip(parts: Parts, fan: Fan, grids: list[Grid]) -> bool:
    """Say whether a fan runs to a tip, as a cone does: normals at the pole differ from side to side."""
    poles = np.concatenate([ring_of(sector, grids[sector.piece], 0) for sector in fan.sectors])
    return bool(lengths(np.concatenate(parts.normals)[poles].mean(axis=0)) < TIP)


def _side_vertices(fan: Fan, grids: list[Grid], cap: int, disc: DiscMesh, ring: int) -> Ints:
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


def _fan_disc(rim: int, *, closed: bool) -> DiscMesh:
    """Return the fan of triangles over a ring, as make_disc and make_sector return theirs."""
    angles = np.linspace(0, 2 * np.pi if closed else np.pi / 2, rim + 1)[: rim if closed else rim + 1]
    places = np.vstack((np.column_stack((np.cos(angles), np.sin(angles))), [[0.0, 0.0]]))
    ring = np.arange(len(angles))
    ends = np.roll(ring, -1) if closed else ring[1:]
    starts = ring if closed else ring[:-1]
    return DiscMesh(places, np.column_stack((starts, ends, np.full(rim, len(angles)))))
