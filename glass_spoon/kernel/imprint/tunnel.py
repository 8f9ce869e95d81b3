"""Openings right through closed bodies: outlines let fall along a way are taken out, the walls between the rims of quads."""

from __future__ import annotations

from itertools import pairwise, permutations

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, directions, lengths
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points, find_kinks
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.gauges.crossings import crossing_faces
from glass_spoon.kernel.imprint.cut_mesh import holds_place
from glass_spoon.kernel.imprint.join_solids import JoinedSolids, Rounding, Shape, join_solids
from glass_spoon.kernel.imprint.skins import REACH
from glass_spoon.kernel.mesh_edits.clean_mesh import reverse_faces
from glass_spoon.kernel.mesh_edits.gather_meshes import gather_meshes
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.meshes.mesh_loops import faces_marked, usual_edge
from glass_spoon.kernel.meshing.fill_plane import fill_plane
from glass_spoon.kernel.surfaces.evaluate.extents import curve_trace
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, surface_from_homogeneous
from glass_spoon.kernel.surfaces.make.curtain import KINK
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet, plane_axes

FEWEST = 16
"""Edges round a wall, at least."""

SAMPLES = 2048
"""Places by which an outline is measured."""

BEYOND = REACH + 2.0
"""A wall reaches past the body at both ends by so many edges: its flat ends are no part of what lies near a rim."""


def tunnel(
    mesh: Mesh, curves: list[NurbsCurve], way: Floats, shape: Shape = None, rounding: Rounding | None = None
) -> JoinedSolids:
    """Return a closed body with closed curves, let fall along a way (3,), taken out right through it: the change is of the
    mesh and the walls, whose faces and points follow its own, a piece for each curve.

    Edges round a wall are about as long as those of the mesh where it is seen first. shape: what the mesh stands for. Raises
    KernelError as join_solids does, and where the walls meet.
    """
    walls = [wall_along(curve, way, mesh) for curve in curves]
    body = gather_meshes([wall for wall, _ in walls])
    if len(walls) > 1 and (len(crossing_faces(body)) or _nested([curve_trace(curve) for curve in curves], way)):
        raise KernelError("The curves cross, or one holds another: draw them apart, or open along one after the other.")
    inner = reverse_faces(body, np.arange(body.face_count)).mesh
    sides = SurfaceSet(tuple(side for _, side in walls)) if len(walls) > 1 else walls[0][1]
    return join_solids(gather_meshes([mesh, inner]), (mesh, body), "subtract", (shape, sides), rounding)


def _nested(traces: list[Floats], way: Floats) -> bool:
    """Return whether one of some outlines (n, 3) holds another, seen along a way (3,)."""
    frame = plane_axes(directions(way))
    flat = [trace @ frame.T for trace in traces]
    return any(holds_place(outer, inner[0]) for outer, inner in permutations(flat, 2))


def wall_along(curve: NurbsCurve, way: Floats, mesh: Mesh) -> tuple[Mesh, NurbsSurface]:
    """Return the closed body between two flat ends that a closed curve is the outline of, seen along a way (3,), through all
    of a mesh; and the surface that its sides lie on.
    """
    down = directions(way)
    depth = mesh.positions @ down
    params, total = _even_places(curve, _edge_where_seen(mesh, curve, down), down)
    reach = BEYOND * total / len(params)
    low, high = float(depth.min()) - reach, float(depth.max()) + reach
    rim = _flattened(curve_points(curve, params), down, 0.0)
    frame = plane_axes(down)
    flat = rim @ frame.T
    area = float((flat[:, 0] * np.roll(flat[:, 1], -1) - flat[:, 1] * np.roll(flat[:, 0], -1)).sum()) / 2
    if abs(area) < 1e-9 * total**2:
        raise KernelError("Seen that way the outline encloses nothing: choose another side to look from.")
    if area < 0:
        rim, flat = rim[::-1], flat[::-1]
    rows = max(1, round((high - low) / (total / len(rim))))
    levels = low + np.arange(rows + 1)[:, None, None] / rows * (high - low) * np.ones(1)
    filled = fill_plane([flat])
    inner = filled.points[len(flat) :] @ frame
    points = np.concatenate(((rim + levels * down).reshape(-1, 3), inner + low * down, inner + high * down))
    quads = _quads(len(rim), rows, filled.faces, len(inner))
    net = curve.homogeneous
    sides = [
        np.column_stack((net[:, :3] + (at * net[:, 3] - net[:, :3] @ down)[:, None] * down, net[:, 3])) for at in (low, high)
    ]
    knots = np.array([0.0, 0.0, 1.0, 1.0])
    return make_mesh(points, quads), surface_from_homogeneous(
        (curve.degree, 1), (curve.knots, knots), np.stack(sides, axis=1)
    )


def _quads(around: int, rows: int, ends: Ints, inner: int) -> Ints:
    """Return the quads of a body of rows of points round and round, its ends filled alike; all look out."""
    table = np.arange(around * (rows + 1)).reshape(rows + 1, around)
    ahead = np.roll(table, -1, axis=1)
    side = np.stack((table[:-1], ahead[:-1], ahead[1:], table[1:]), axis=-1).reshape(-1, 4)
    first = around * (rows + 1)
    numbers = [np.concatenate((table[level], first + step * inner + np.arange(inner))) for level, step in ((0, 0), (-1, 1))]
    return np.concatenate((side, numbers[0][ends][:, ::-1], numbers[1][ends]))


def _flattened(points: Floats, down: Floats, level: float) -> Floats:
    """Return points (n, 3) moved along a way to one level of it."""
    return points + np.outer(level - points @ down, down)


def _edge_where_seen(mesh: Mesh, curve: NurbsCurve, down: Floats) -> float:
    """Return the usual length of an edge of the faces that an outline is seen on, in mm."""
    places = curve_points(curve, np.linspace(*curve.domain, 64, endpoint=False))
    faces = NearestOnMesh(mesh).seen(places, down)[1]
    if (faces < 0).all():
        raise KernelError("Seen that way no outline lies on the body: move it over the body, or look from another side.")
    return usual_edge(mesh, faces_marked(mesh, faces[faces >= 0]))


def _even_places(curve: NurbsCurve, edge: float, down: Floats) -> tuple[Floats, float]:
    """Return parameters (n,) of an even count of places round a closed curve, evenly apart as seen along a way between its
    corners, each with a place of its own; and its length seen so, in mm.
    """
    stops = np.unique(np.concatenate((curve.domain, find_kinks(curve, KINK))))
    runs = []
    for start, end in pairwise(stops.tolist()):
        params = np.linspace(start, end, SAMPLES // (len(stops) - 1) + 2)
        places = _flattened(curve_points(curve, params), down, 0.0)
        runs.append((params, np.concatenate(([0.0], np.cumsum(lengths(np.diff(places, axis=0)))))))
    total = sum(float(way[-1]) for _, way in runs)
    step = min(edge, total / FEWEST)
    counts = [max(1, round(float(way[-1]) / step)) for _, way in runs]
    if sum(counts) % 2:
        counts[int(np.argmax([way[-1] for _, way in runs]))] += 1
    parts = [
        np.interp(np.arange(count) / count * way[-1], way, params) for (params, way), count in zip(runs, counts, strict=True)
    ]
    return np.concatenate(parts), total
