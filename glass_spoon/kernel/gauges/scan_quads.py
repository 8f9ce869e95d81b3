"""Areas, normals, least Jacobians and least angles of all-quad meshes in one pass over blocks that fit the cache.

The same figures as CornerGeometry gives, to the six digits of float32 and several times as fast; what follows a drag is
read from here.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Singles, cross_columns, dot_columns
from glass_spoon.kernel.meshes.mesh import Mesh

_BLOCK = 16384
"""Faces worked on at a time."""


@dataclass(frozen=True, eq=False)
class QuadScan:
    """Figures (f,) of every quad: area in mm^2, unit normal as columns, least corner Jacobian and largest cosine."""

    areas: Singles
    normals: list[Singles]
    least_jacobians: Singles
    largest_cosines: Singles


def scan_quads(mesh: Mesh) -> QuadScan:
    """Return the figures of an all-quad mesh; dented corners count as angles over 180 degrees, sides of no length as 0."""
    corners = mesh.topology.quad_corners
    axes = [(mesh.positions[:, k] - mesh.positions[:, k].mean()).astype(np.float32) for k in range(3)]
    areas, x, y, z, jacobians, cosines = (np.empty(mesh.face_count, dtype=np.float32) for _ in range(6))
    scan = QuadScan(areas, [x, y, z], jacobians, cosines)
    with np.errstate(invalid="ignore", divide="ignore"):
        for start in range(0, mesh.face_count, _BLOCK):
            part = slice(start, start + _BLOCK)
            _scan_block([[axis.take(corner[part], mode="clip") for axis in axes] for corner in corners], scan, part)
    return scan


def _scan_block(p: list[list[Singles]], scan: QuadScan, part: slice) -> None:
    """Fill one block from its four corners, each three columns."""
    normal = cross_columns(*([b - a for a, b in zip(p[k], p[k + 2], strict=True)] for k in (0, 1)))
    size = np.sqrt(dot_columns(normal, normal))
    scan.areas[part] = size / 2
    for column, unit in zip(normal, scan.normals, strict=True):
        column /= np.where(size > 0, size, 1.0)
        unit[part] = column
    sides = [[b - a for a, b in zip(p[k], p[(k + 1) % 4], strict=True)] for k in range(4)]
    lengths = [np.sqrt(dot_columns(side, side)) for side in sides]
    jacobian: Singles | None = None
    cosine: Singles = np.full(len(size), -1.0, dtype=np.float32)
    for k in range(4):
        here = dot_columns(cross_columns(sides[k - 1], sides[k]), normal)
        angle = -dot_columns(sides[k - 1], sides[k]) / (lengths[k - 1] * lengths[k])
        dented = here < 0
        if dented.any():
            angle[dented] = -1.0
        jacobian = here if jacobian is None else np.minimum(jacobian, here)
        np.maximum(cosine, angle, out=cosine)
    cosine[np.isnan(cosine)] = 1.0
    scan.least_jacobians[part], scan.largest_cosines[part] = jacobian, cosine
