"""Areas, normals, least Jacobians and least angles of all-quad meshes in one pass over blocks that fit the cache.

The same figures as CornerGeometry gives, to the six digits of float32 and several times as fast; what follows a drag is
read from here.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Singles, cross_columns, dot_columns, packed_rows
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
    quads = mesh.topology.face_corners.reshape(-1, 4)
    rows = packed_rows([column - column[0] for column in mesh.positions.T])
    areas, x, y, z, jacobians, cosines = (np.empty(mesh.face_count, dtype=np.float32) for _ in range(6))
    scan = QuadScan(areas, [x, y, z], jacobians, cosines)
    with np.errstate(invalid="ignore", divide="ignore"):
        for start in range(0, mesh.face_count, _BLOCK):
            part = slice(start, start + _BLOCK)
            corners = rows.take(quads[part].T, mode="clip").view(np.float32).reshape(4, -1, 4)
            _scan_block([[corner[:, axis] for axis in range(3)] for corner in corners], scan, part)
    return scan


def _scan_block(p: list[list[Singles]], scan: QuadScan, part: slice) -> None:
    """Fill one block from its four corners, each three columns.

    The areas of the two triangles that either diagonal cuts add up to the same, so the Jacobians of opposite corners do.
    """
    normal = cross_columns(*([b - a for a, b in zip(p[k], p[k + 2], strict=True)] for k in (0, 1)))
    size = np.sqrt(dot_columns(normal, normal))
    scan.areas[part] = size / 2
    inverse = np.reciprocal(np.where(size > 0, size, np.float32(1)))
    for column, unit in zip(normal, scan.normals, strict=True):
        column *= inverse
        unit[part] = column
    sides = [[b - a for a, b in zip(p[k], p[(k + 1) % 4], strict=True)] for k in range(4)]
    jacobians = [dot_columns(cross_columns(sides[k - 1], sides[k]), normal) for k in (0, 1)]
    jacobians += [size - jacobians[0], size - jacobians[1]]
    inverses = [np.reciprocal(np.sqrt(dot_columns(side, side))) for side in sides]
    cosine: Singles = np.full(len(size), -1.0, dtype=np.float32)
    for k, jacobian in enumerate(jacobians):
        angle = dot_columns(sides[k - 1], sides[k])
        angle *= inverses[k - 1]
        angle *= inverses[k]
        np.negative(angle, out=angle)
        dented = jacobian < 0
        if dented.any():
            angle[dented] = -1.0
        np.maximum(cosine, angle, out=cosine)
    cosine[np.isnan(cosine)] = 1.0
    least = np.minimum(np.minimum(jacobians[0], jacobians[1]), np.minimum(jacobians[2], jacobians[3]))
    scan.least_jacobians[part], scan.largest_cosines[part] = least, cosine
