"""What a mesh is once it is smoothed: kinks, odd faces on bends, loops too close, and how far it is from what was drawn."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, lengths
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.gauges.deviation import point_deviation, smoothed_deviation
from glass_spoon.kernel.gauges.face_figures import FaceFigures
from glass_spoon.kernel.gauges.reading import Limits, Reading
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh, nearest_in_triangles
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.subdivision.catmull_clark import subdivide
from glass_spoon.kernel.subdivision.limit_surface import Limit, kink_angles, limit_surface
from glass_spoon.kernel.surfaces.alter.edit_surface import isocurves
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet

BEND = np.radians(5)
"""Faces that turn by more across an edge lie on a bend there (radians)."""

USED_LEVELS = 6
"""Most levels of smoothing: a loop nearer than 2^-6 of its neighbour's distance cannot be told from the edge it supports."""

SILHOUETTES, OUTLINE_PLACES = 4, 4000
"""Isocurves of each surface whose outlines are compared, and about as many places of all together."""

EXACT_FACES = 20_000
"""Largest mesh from which distances are exact."""

MIRRORED = 2000
"""About as many vertices are mirrored."""

SMOOTHED_PLACES = 10_000
"""About as many vertices of a large mesh, smoothed, are measured against the surface."""

MOST_FACES = 120_000
"""Largest mesh whose limit is read; above it the figures would take longer than they are worth."""


@dataclass(frozen=True, eq=False)
class Smoothed:
    """A mesh whose limit is worked out once for all that ask."""

    mesh: Mesh

    @property
    def has_limit(self) -> bool:
        """True where no edge has more than two faces, and there are not too many faces."""
        topology = self.mesh.topology
        return 0 < topology.face_count <= MOST_FACES and topology.edge_face_counts.max() <= 2

    @cached_property
    def limit(self) -> Limit:
        """Where the vertices lie on the limit of smoothing; triangles and many-sided faces become quads in a step."""
        if self.mesh.topology.is_quads:
            return limit_surface(self.mesh)
        whole = limit_surface(subdivide(self.mesh, 1))
        return Limit(whole.positions[: self.mesh.point_count], whole.normals[: self.mesh.point_count])


def read_kinks(smoothed: Smoothed, limits: Limits) -> Reading:
    """Read the largest angle in radians between the limit normals at the ends of an edge that is no crease.

    NaN for a mesh without faces, with edges of more than two faces, or too large.
    """
    mesh = smoothed.mesh
    if not smoothed.has_limit:
        return Reading("kinks", float("nan"), "rad", limits.kink, kind="edge")
    edges, angles = kink_angles(mesh, smoothed.limit)
    held = _on_creases(mesh)
    if held.any():
        free = ~held[mesh.topology.edges.ends[edges]].any(axis=1)
        edges, angles = edges[free], angles[free]
    value = float(angles.max(initial=0.0))
    return Reading("kinks", value, "rad", limits.kink, kind="edge", offenders=edges[angles > limits.kink])


def _on_creases(mesh: Mesh) -> np.ndarray:
    """Mark vertices (n,) on creases and rims, where the normals of one side say nothing of the other."""
    topology = mesh.topology
    sharp = topology.edge_face_counts != 2
    if "sharpness" in mesh.edges:
        sharp = sharp | (mesh.edges["sharpness"] > 0)
    found = np.zeros(mesh.point_count, dtype=bool)
    found[topology.edges.ends[sharp].ravel()] = True
    return found


def read_odd_on_bends(figures: FaceFigures) -> Reading:
    """Read the number of triangles and many-sided faces on a bend, where smoothing shows them."""
    topology = figures.mesh.topology
    on_bend = np.zeros(topology.face_count, dtype=bool)
    if not topology.is_quads:
        a, b = topology.neighbours.T
        bent = sum(column.take(a) * column.take(b) for column in figures.normals) < np.cos(BEND)
        on_bend[a[bent]] = on_bend[b[bent]] = True
    odd: Ints = np.flatnonzero(on_bend & (topology.face_sides != 4))
    return Reading("odd_on_bends", float(len(odd)), "", 0.0, kind="face", offenders=odd)


def read_close_loops(figures: FaceFigures) -> Reading:
    """Read the number of faces of strips so thin beside their neighbours that six levels of smoothing cannot use them."""
    topology = figures.mesh.topology
    if not topology.is_quads or not topology.face_count:
        return Reading("close_loops", float("nan"), kind="face")
    width, twins = _strip_widths(figures.side_lengths), topology.twins
    thin = np.flatnonzero((width < width.take(twins, mode="wrap") * 2.0**-USED_LEVELS) & (twins >= 0))
    faces: Ints = np.unique(thin // 4).astype(np.int64)
    return Reading("close_loops", float(len(faces)), "", 0.0, kind="face", offenders=faces)


def _strip_widths(side_lengths: Floats) -> Floats:
    """Return twice the width (h,) of the strip that each quad has along each of its sides, from the sides beside it."""
    a, b, c, d = side_lengths.reshape(-1, 4).T
    rows = np.empty((len(a), 4))
    rows[:, 0] = rows[:, 2] = b + d
    rows[:, 1] = rows[:, 3] = a + c
    return rows.ravel()


def widening(mesh: Mesh) -> float:
    """Return how many times wider the thinnest strip of an all-quad mesh must be for smoothing to use it; 1 or more.

    What it gains its neighbour loses, which is left out: the result is a little more than is needed.
    """
    topology = mesh.topology
    if not topology.is_quads or not topology.face_count:
        return 1.0
    ends = mesh.positions[topology.edges.ends]
    width = _strip_widths(lengths(ends[:, 1] - ends[:, 0])[topology.edges.of_corner])
    inner = topology.twins >= 0
    ratio = width[topology.twins[inner]] * 2.0**-USED_LEVELS / np.maximum(width[inner], np.finfo(float).tiny)
    return max(1.0, float(ratio.max(initial=1.0)))


def read_smoothed_off(smoothed: Smoothed, surface: NurbsSurface | SurfaceSet, limits: Limits) -> Reading:
    """Read the largest distance in mm of the smoothed shape from the surface; NaN where it cannot be smoothed."""
    mesh = smoothed.mesh
    if mesh.face_count > MOST_FACES or (mesh.face_count and mesh.topology.edge_face_counts.max() > 2):
        return Reading("smoothed_off", float("nan"), "mm")
    if smoothed.has_limit and mesh.face_count >= MOST_FACES // 8:
        off = point_deviation(mesh.moved(smoothed.limit.positions), surface, SMOOTHED_PLACES)
    else:
        off = smoothed_deviation(mesh, surface, 0 if mesh.face_count >= MOST_FACES // 8 else 1)
    return Reading("smoothed_off", off, "mm")


def read_silhouette(mesh: Mesh, surface: NurbsSurface | SurfaceSet, limits: Limits) -> Reading:
    """Read the largest distance in mm of the drawn outlines (isocurves along the surface) from the mesh."""
    surfaces = surface.surfaces if isinstance(surface, SurfaceSet) else (surface,)
    count = int(np.clip(OUTLINE_PLACES / (SILHOUETTES * max(len(surfaces), 1)), 5, 257))
    places = np.concatenate([_outlines(one, count) for one in surfaces]) if surfaces else np.zeros((0, 3))
    if not mesh.face_count or not len(places):
        return Reading("silhouette", float("nan"), "mm", limits.off_surface)
    away = _distances(mesh, places)
    return Reading("silhouette", float(away.max()), "mm", limits.off_surface)


def _outlines(surface: NurbsSurface, count: int) -> Floats:
    """Return `count` places along each of some isocurves of a surface, at even shares round: (n, 3)."""
    low, high = surface.domain(0)
    rows = isocurves(surface, 1, np.linspace(low, high, SILHOUETTES + 1)[:-1])
    params = np.linspace(*surface.domain(1), count)
    return np.concatenate([curve_points(row, params) for row in rows])


def _distances(mesh: Mesh, places: Floats) -> Floats:
    """Return the distance (n,) in mm of places from a mesh: exact, of large ones from the faces at the nearest vertex."""
    if mesh.face_count <= EXACT_FACES:
        return NearestOnMesh(mesh).ask(places)[2]
    topology = mesh.topology
    nearest = np.asarray(mesh.vertex_tree.query(places)[1])
    order, starts = topology.vertex_corners
    counts = np.diff(starts)[nearest]
    rows = np.repeat(np.arange(len(places)), counts)
    within = np.arange(len(rows)) - np.repeat(np.cumsum(counts) - counts, counts)
    corner = order[starts[nearest][rows] + within]
    around = [topology.previous_corner[corner], corner, topology.next_corner[corner]]
    triangles = np.stack([mesh.positions[topology.face_corners[k]] for k in around], axis=1)
    off = lengths(nearest_in_triangles(places[rows], triangles) - places[rows])
    result = np.full(len(places), np.inf)
    np.minimum.at(result, rows, off)
    return result


def read_symmetry(mesh: Mesh, axis: int) -> Reading:
    """Read how far in mm the mesh is from its mirror image across the plane through its middle, square to an axis.

    The largest distance of a mirrored vertex from the mesh.
    """
    code = f"symmetry_{'xyz'[axis]}"
    if not mesh.face_count or mesh.face_count > MOST_FACES:
        return Reading(code, float("nan"), "mm")
    middle = (mesh.positions[:, axis].min() + mesh.positions[:, axis].max()) / 2
    mirrored = mesh.positions.copy()
    mirrored[:, axis] = 2 * middle - mirrored[:, axis]
    step = max(1, mesh.point_count // MIRRORED)
    away = _distances(mesh, mirrored[::step])
    return Reading(code, float(away.max(initial=0.0)), "mm")


def read_edge_range(figures: FaceFigures) -> tuple[Reading, Reading]:
    """Read the shortest and the longest edge in mm."""
    values = figures.side_lengths if len(figures.side_lengths) else np.array([float("nan")])
    return Reading("shortest_edge", float(values.min()), "mm"), Reading("longest_edge", float(values.max()), "mm")
