"""All gauges of a mesh in one call."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, as_completed

import numpy as np

from glass_spoon.kernel.gauges import crossings, defects, face_readings, smoothed_shape, whole_mesh
from glass_spoon.kernel.gauges.deviation import MAX_PLACES, read_off_surface
from glass_spoon.kernel.gauges.face_figures import figures_of
from glass_spoon.kernel.gauges.reading import Limits, Reading
from glass_spoon.kernel.gauges.scan_quads import scan_quads
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet

PREVIEW_PLACES, PREVIEW_FOOT = 400, 1e-3
"""Places measured against the surface while something is dragged, and how near in mm their feet are found."""

GAUGE_FOOT = 1e-5
"""How near in mm feet are found for the gauges: distances are then off by less, far below what a gauge shows."""

THREADS = 2
"""Threads that read one mesh: NumPy lets go of the interpreter while it works on long arrays."""

ORDER = (
    "four_sided",
    "evenness",
    "edge_evenness",
    "smallest_corner",
    "largest_corner",
    "scaled_jacobian",
    "aspect_ratio",
    "warpage",
    "open_edges",
    "small_gaps",
    "doubled_edges",
    "crowded_edges",
    "folded",
    "crossings",
    "doubled_points",
    "stray_points",
    "odd_valences",
    "face_budget",
    "area",
    "volume",
    "kinks",
    "odd_on_bends",
    "close_loops",
    "symmetry_x",
    "symmetry_y",
    "shortest_edge",
    "longest_edge",
    "off_surface",
    "off_surface_mean",
    "smoothed_off",
    "silhouette",
)
"""The codes of all readings, in the order in which they are given."""


def read_quick_gauges(mesh: Mesh, surface: NurbsSurface | SurfaceSet | None, limits: Limits) -> list[Reading]:
    """Return the readings that follow a drag: four-sided, evenness, corners, folds, distance at a sample of places."""
    shape = _scanned_shape(mesh, limits) if mesh.topology.is_quads and mesh.face_count else _full_shape(mesh, limits)
    readings = [
        whole_mesh.read_four_sided(mesh.topology, limits),
        *shape,
        defects.read_open_edges(mesh.topology),
        whole_mesh.read_face_count(mesh.topology, limits),
    ]
    if surface is not None:
        readings.extend(read_off_surface(mesh, surface, limits, PREVIEW_PLACES, PREVIEW_FOOT)[:1])
    return readings


def _full_shape(mesh: Mesh, limits: Limits) -> list[Reading]:
    """Return evenness, smallest corner and folds of any mesh."""
    figures = figures_of(mesh)
    return [
        whole_mesh.read_evenness(figures, limits),
        face_readings.read_smallest_corner(figures, limits),
        defects.read_folded(figures),
    ]


def _scanned_shape(mesh: Mesh, limits: Limits) -> list[Reading]:
    """Return the same of an all-quad mesh, from one pass; evenness and corner name no offenders."""
    scan = scan_quads(mesh)
    corner = float(np.arccos(np.clip(scan.largest_cosines.max(), -1.0, 1.0)))
    return [
        Reading("evenness", whole_mesh.mean_ratio(scan.areas.astype(np.float64)), "", limits.evenness, at_least=True),
        Reading("smallest_corner", corner, "rad", limits.smallest_corner, at_least=True),
        defects.folded_reading(mesh, scan.least_jacobians <= 0, scan.normals),  # type: ignore[arg-type]  # float32 serves,
    ]


def read_gauges(
    mesh: Mesh,
    surface: NurbsSurface | SurfaceSet | None,
    limits: Limits,
    most: int = MAX_PLACES,
    progress: Callable[[float], None] = lambda share: None,
) -> list[Reading]:
    """Return every reading of a mesh; the distance from the surface only where there is one.

    `most` limits the places measured against the surface. `progress` is told the share (0 to 1) of the
    work done.
    """
    tasks: list[Callable[[], list[Reading]]] = [
        lambda: _smoothed_readings(mesh, surface, limits),
        lambda: _near_readings(mesh, surface, limits),
        lambda: [crossings.read_crossings(mesh)],
        lambda: _shape_readings(mesh, limits),
    ]
    if surface is not None:
        tasks.append(lambda: list(read_off_surface(mesh, surface, limits, most, GAUGE_FOOT)))
    readings: list[Reading] = []
    with ThreadPoolExecutor(THREADS) as threads:
        waiting = [threads.submit(task) for task in tasks]
        try:
            for number, done in enumerate(as_completed(waiting), 1):
                readings.extend(done.result())
                progress(number / len(tasks))
        except BaseException:
            threads.shutdown(wait=False, cancel_futures=True)
            raise
    return sorted(readings, key=lambda reading: ORDER.index(reading.code))


def _shape_readings(mesh: Mesh, limits: Limits) -> list[Reading]:
    """Return what the faces and edges tell by themselves."""
    topology, figures = mesh.topology, figures_of(mesh)
    return [
        whole_mesh.read_four_sided(topology, limits),
        whole_mesh.read_evenness(figures, limits),
        whole_mesh.read_edge_evenness(figures, limits),
        face_readings.read_smallest_corner(figures, limits),
        face_readings.read_largest_corner(figures, limits),
        face_readings.read_scaled_jacobian(figures, limits),
        face_readings.read_aspect_ratio(figures, limits),
        face_readings.read_warpage(figures, limits),
        defects.read_open_edges(topology),
        defects.read_crowded_edges(topology),
        defects.read_folded(figures),
        defects.read_stray_points(topology),
        defects.read_odd_valences(topology),
        whole_mesh.read_face_count(topology, limits),
        whole_mesh.read_area(figures),
        whole_mesh.read_volume(figures),
        smoothed_shape.read_odd_on_bends(figures),
        smoothed_shape.read_close_loops(figures),
        *smoothed_shape.read_edge_range(figures),
    ]


def _smoothed_readings(mesh: Mesh, surface: NurbsSurface | SurfaceSet | None, limits: Limits) -> list[Reading]:
    """Return what the limit of smoothing tells."""
    smoothed = smoothed_shape.Smoothed(mesh)
    kinks = smoothed_shape.read_kinks(smoothed, limits)
    return [kinks] if surface is None else [kinks, smoothed_shape.read_smoothed_off(smoothed, surface, limits)]


def _near_readings(mesh: Mesh, surface: NurbsSurface | SurfaceSet | None, limits: Limits) -> list[Reading]:
    """Return what is found by looking for near vertices and faces."""
    readings = [
        *defects.read_doubled(mesh, limits),
        defects.read_small_gaps(mesh, limits),
        *(smoothed_shape.read_symmetry(mesh, axis) for axis in (0, 1)),
    ]
    return readings if surface is None else [*readings, smoothed_shape.read_silhouette(mesh, surface, limits)]
