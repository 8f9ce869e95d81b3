"""All gauges of a mesh in one call."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from glass_spoon.kernel.gauges import defects, face_quality, smoothed_shape, whole_mesh
from glass_spoon.kernel.gauges.corner_geometry import CornerGeometry
from glass_spoon.kernel.gauges.deviation import MAX_PLACES, read_off_surface
from glass_spoon.kernel.gauges.reading import Limits, Reading
from glass_spoon.kernel.gauges.scan_quads import scan_quads
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.surfaces.surface import NurbsSurface
from glass_spoon.kernel.surfaces.surface_set import SurfaceSet

PREVIEW_PLACES, PREVIEW_FOOT = 400, 1e-3
"""Places measured against the surface while something is dragged, and how near in mm their feet are found."""


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
    geometry = CornerGeometry(mesh)
    return [
        whole_mesh.read_evenness(geometry, limits),
        face_quality.read_smallest_corner(geometry, limits),
        defects.read_folded(geometry),
    ]


def _scanned_shape(mesh: Mesh, limits: Limits) -> list[Reading]:
    """Return the same of an all-quad mesh, from one pass; evenness and corner name no offenders."""
    scan = scan_quads(mesh)
    corner = float(np.arccos(np.clip(scan.largest_cosines.max(), -1.0, 1.0)))
    return [
        Reading("evenness", whole_mesh.mean_ratio(scan.areas.astype(np.float64)), "", limits.evenness, True),
        Reading("smallest_corner", corner, "rad", limits.smallest_corner, True),
        defects.folded_reading(mesh.topology, scan.least_jacobians <= 0, scan.normals),  # type: ignore[arg-type]  # float32 serves,
    ]


def read_gauges(
    mesh: Mesh,
    surface: NurbsSurface | SurfaceSet | None,
    limits: Limits,
    most: int = MAX_PLACES,
    progress: Callable[[float], None] = lambda share: None,
) -> list[Reading]:
    """Return every reading of a mesh; the distance from the surface only where there is one.

    `most` limits the places measured against the surface. `progress` is told the share (0 to 1) of readings taken.
    """
    geometry = CornerGeometry(mesh)
    topology = mesh.topology
    gauges: list[Callable[[], Reading]] = [
        lambda: whole_mesh.read_four_sided(topology, limits),
        lambda: whole_mesh.read_evenness(geometry, limits),
        lambda: whole_mesh.read_edge_evenness(geometry, limits),
        lambda: face_quality.read_smallest_corner(geometry, limits),
        lambda: face_quality.read_largest_corner(geometry, limits),
        lambda: face_quality.read_scaled_jacobian(geometry, limits),
        lambda: face_quality.read_aspect_ratio(geometry, limits),
        lambda: face_quality.read_warpage(geometry, limits),
        lambda: defects.read_open_edges(topology),
        lambda: defects.read_doubled_edges(mesh, limits),
        lambda: defects.read_crowded_edges(topology),
        lambda: defects.read_folded(geometry),
        lambda: defects.read_doubled_points(mesh, limits),
        lambda: defects.read_stray_points(topology),
        lambda: defects.read_odd_valences(topology),
        lambda: whole_mesh.read_face_count(topology, limits),
        lambda: whole_mesh.read_area(geometry),
        lambda: whole_mesh.read_volume(mesh),
        lambda: smoothed_shape.read_kinks(mesh, limits),
        lambda: smoothed_shape.read_odd_on_bends(mesh),
        lambda: smoothed_shape.read_close_loops(geometry),
        lambda: smoothed_shape.read_symmetry(mesh, 0),
        lambda: smoothed_shape.read_symmetry(mesh, 1),
        lambda: smoothed_shape.read_edge_range(geometry)[0],
        lambda: smoothed_shape.read_edge_range(geometry)[1],
    ]
    readings = []
    for number, gauge in enumerate(gauges, 1):
        readings.append(gauge())
        progress(number / (len(gauges) + 2))
    if surface is not None:
        readings.extend(read_off_surface(mesh, surface, limits, most))
        readings.append(smoothed_shape.read_smoothed_off(mesh, surface, limits))
        readings.append(smoothed_shape.read_silhouette(mesh, surface, limits))
    return readings
