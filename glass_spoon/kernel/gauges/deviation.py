"""How far a mesh lies from the surface that it stands for."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints
from glass_spoon.kernel.gauges.reading import Limits, Reading
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.surfaces.closest_points import closest_points
from glass_spoon.kernel.surfaces.surface import NurbsSurface

MAX_PLACES = 20_000
"""Most places measured; larger meshes are measured at evenly picked faces."""


def face_deviations(
    mesh: Mesh, surface: NurbsSurface, most: int = MAX_PLACES, tolerance: float = 1e-7
) -> tuple[Ints, Floats]:
    """Return the faces looked at (k,) and the distance (k,) in mm of their farther place from the surface.

    Each face is measured at its centre and at its first corner, by true closest points. Corner attribute "uv" gives the
    search its start; without it the nearest of a fine grid does. All faces are measured up to `most` / 2 of them. Feet are
    found within `tolerance` mm; the distances are then exact to its square.
    """
    count = mesh.face_count
    step = max(1, -(-2 * count // most))
    faces = np.arange(0, count, step)
    offsets = mesh.topology.face_offsets[faces]
    places = np.concatenate((_centers(mesh, faces), mesh.positions[mesh.topology.face_corners[offsets]]))
    start = None
    if "uv" in mesh.corners:
        uv = mesh.corners["uv"]
        both = np.concatenate((_mean_uv(mesh, uv, faces), uv[offsets]))
        lows, highs = zip(*(surface.domain(axis) for axis in (0, 1)), strict=True)
        start = tuple(lows[axis] + both[:, axis] * (highs[axis] - lows[axis]) for axis in (0, 1))
    distance = closest_points(surface, places, start, tolerance)[2]  # type: ignore[arg-type]
    return faces, np.maximum(distance[: len(faces)], distance[len(faces) :])


def _centers(mesh: Mesh, faces: Ints) -> Floats:
    """Return the centres (k, 3) of some faces."""
    if len(faces) == mesh.face_count or not mesh.topology.is_quads:
        return mesh.face_centers[faces]
    return mesh.positions[mesh.topology.face_corners.reshape(-1, 4)[faces]].mean(axis=1)


def _mean_uv(mesh: Mesh, uv: Floats, faces: Ints) -> Floats:
    """Return the mean corner uv (k, 2) of some faces."""
    if mesh.topology.is_quads:
        return uv.reshape(-1, 4, 2)[faces].mean(axis=1)
    total = np.add.reduceat(uv, mesh.topology.face_offsets[:-1], axis=0)
    return total[faces] / mesh.topology.face_sides[faces][:, None]


def read_off_surface(
    mesh: Mesh, surface: NurbsSurface, limits: Limits, most: int = MAX_PLACES, tolerance: float = 1e-7
) -> tuple[Reading, Reading]:
    """Read the largest and the mean distance in mm from the surface; see `face_deviations`."""
    faces, distance = face_deviations(mesh, surface, most, tolerance)
    largest = float(distance.max()) if len(distance) else float("nan")
    mean = float(distance.mean()) if len(distance) else float("nan")
    bad = faces[distance > limits.off_surface]
    return (
        Reading("off_surface", largest, "mm", limits.off_surface, False, "face", bad),
        Reading("off_surface_mean", mean, "mm"),
    )
