"""Fill what is flat in a set of surfaces with quads, as its outline suits: flat ends of fans, and flat caps with holes."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, directions
from glass_spoon.kernel.meshing.cut_set import CutSet, Fan
from glass_spoon.kernel.meshing.fan_params import cap_params, face_turns, ring_of, unwrapped
from glass_spoon.kernel.meshing.fill_plane import fill_plane
from glass_spoon.kernel.meshing.set_parts import Grid, Parts, edge_numbers, scaled_params
from glass_spoon.kernel.surfaces.make.polygons import signed_area
from glass_spoon.kernel.surfaces.sets.surface_set import EdgeName, FlatCap, edge_loops, nested_loops, plane_axes


def close_flat_end(parts: Parts, cut: CutSet, fan: Fan, grids: list[Grid], plane: FlatCap) -> None:
    """Fill a fan that lies in a plane as its outline suits: a grid between four corners, a ring, a disc, or pairs."""
    sectors = [(sector, grids[sector.piece]) for sector in fan.sectors]
    rings = [ring_of(sector, grid, grid.numbers.shape[1 - sector.axis] - 1) for sector, grid in sectors]
    ring = np.concatenate([numbers[:-1] for numbers in rings])
    places = np.concatenate(parts.points)[ring]
    # Axes that go with the outline, so that a turned copy is filled alike.
    right = directions(places[0] - plane.origin)
    axes = np.stack((right, np.cross(plane.normal, right)))
    outline = (places - plane.origin) @ axes.T
    back = signed_area(outline) < 0
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
    parts: Parts, cut: CutSet, fan: Fan, grids: list[Grid], vertices: Ints, faces: Ints, polar: tuple[Floats, Floats]
) -> None:
    """Keep the faces (f, 4) of a flat end with the parameters of the sectors that they lie on."""
    turn, radius = polar
    sizes = [grids[sector.piece].numbers.shape[sector.axis] - 1 for sector in fan.sectors]
    starts = np.concatenate(([0], np.cumsum(sizes)))
    rim = int(starts[-1])
    middle = face_turns(turn[faces], rim, closed=True)
    of_face = np.clip(np.searchsorted(starts, middle, side="right") - 1, 0, len(fan.sectors) - 1)
    for number, sector in enumerate(fan.sectors):
        own = faces[of_face == number]
        grid = grids[sector.piece]
        local = unwrapped(turn[own], middle[of_face == number], rim, closed=True) - starts[number]
        rows = grid.numbers.shape[1 - sector.axis] - 1
        u, v = cap_params(sector, grid, rows, local.ravel(), radius[own].ravel())
        parts.add_faces(
            vertices[own], scaled_params(cut, sector.piece, u, v).reshape(*own.shape, 2), cut.parents[sector.piece]
        )


def fill_cap(parts: Parts, cut: CutSet, number: int, cap: FlatCap, grids: list[Grid]) -> None:
    """Fill a flat cap with quads: each of its outlines with the holes in it."""
    loops = edge_loops(cut.shape, cut.shape.rims[number])
    part_of = {name: k for k, part in enumerate(nested_loops(cut.shape, _names(loops), cap.normal)) for name in part}
    for k in sorted(set(part_of.values())):
        own = [loop for loop in loops if part_of[loop[0][0]] == k]
        _fill_outline(parts, cut, number, cap, grids, own)


def _names(loops: list[list[tuple[EdgeName, bool]]]) -> list[list[EdgeName]]:
    return [[name for name, _ in loop] for loop in loops]


def _fill_outline(
    parts: Parts, cut: CutSet, number: int, cap: FlatCap, grids: list[Grid], loops: list[list[tuple[EdgeName, bool]]]
) -> None:
    """Fill one outline of a cap, with its holes."""
    rings, outlines = seen_rings(parts, grids, loops, cap.origin, plane_axes(cap.normal))
    fill = fill_plane(outlines)
    rim = sum(len(ring) for ring in rings)
    inner = cap.origin + fill.points[rim:] @ plane_axes(cap.normal)
    first = parts.add_vertices(inner, np.broadcast_to(cap.normal, inner.shape))
    vertices = np.concatenate((*rings, first + np.arange(len(inner))))
    low = fill.points.min(axis=0)
    uv = (fill.points - low) / max(float(np.ptp(fill.points, axis=0).max()), 1e-12)
    parts.add_faces(vertices[fill.faces], uv[fill.faces], len(cut.original) + number)


def seen_rings(
    parts: Parts, grids: list[Grid], loops: list[list[tuple[EdgeName, bool]]], origin: Floats, axes: Floats
) -> tuple[list[Ints], list[Floats]]:
    """Return the vertices of loops, and where they are seen on two axes (2, 3) from an origin: the outline first and
    counter-clockwise, holes clockwise, as `fill_plane` takes them.
    """
    every = np.concatenate(parts.points)
    numbered, flat = [], []
    for loop in loops:
        runs = [edge_numbers(grids[name.piece], name) for name, _ in loop]
        ring = np.concatenate([(run if forward else run[::-1])[:-1] for run, (_, forward) in zip(runs, loop, strict=True)])
        numbered.append(ring)
        flat.append((every[ring] - origin) @ axes.T)
    order = np.argsort([-abs(signed_area(loop)) for loop in flat])
    rings, outlines = [], []
    for place, k in enumerate(order):
        back = (signed_area(flat[k]) > 0) != (place == 0)
        # Every second vertex counts in a fill: corners, which start the runs of a rim, stay among them.
        rings.append(np.roll(numbered[k][::-1], 1) if back else numbered[k])
        outlines.append(np.roll(flat[k][::-1], 1, axis=0) if back else flat[k])
    return rings, outlines
