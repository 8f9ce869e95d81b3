"""Shape of single faces: corners, scaled Jacobian, aspect ratio, warpage.

Definitions: Stimpson, Ernst, Knupp, Pebay, Thompson: The Verdict Library Reference Manual, Sandia 2007, quad and triangle
metrics. Faces with more sides use the same formulas over all their corners.
"""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats, cross_columns, dot_columns
from glass_spoon.kernel.gauges.corner_geometry import CornerGeometry
from glass_spoon.kernel.meshes.topology import Topology


def _by_face(operation: np.ufunc, values: Floats, topology: Topology) -> Floats:
    """Reduce corner values (h,) to faces (f,)."""
    return np.asarray(operation.reduceat(values, topology.face_offsets[:-1])) if topology.face_count else values[:0]


def scaled_jacobians(geometry: CornerGeometry) -> Floats:
    """Return the scaled Jacobian (f,): the least corner Jacobian over the product of its sides, -1 to 1.

    Triangles are scaled by 2 / sqrt(3), so that an equilateral one gives 1. Faces with a side of no length give 0.
    """
    topology = geometry.mesh.topology
    product = geometry.side_lengths * geometry.preceding(geometry.side_lengths)
    share = np.divide(geometry.jacobians, product, out=np.zeros_like(product), where=product > 0)
    result = _by_face(np.minimum, share, topology)
    return np.where(topology.face_sides == 3, np.clip(result * 2 / np.sqrt(3), -1, 1), result)


def aspect_ratios(geometry: CornerGeometry) -> Floats:
    """Return the aspect ratio (f,): longest side times perimeter over 4 areas (4 sqrt(3) for triangles); 1 is best."""
    topology = geometry.mesh.topology
    longest = _by_face(np.maximum, geometry.side_lengths, topology)
    around = _by_face(np.add, geometry.side_lengths, topology)
    scale = np.where(topology.face_sides == 3, 4 * np.sqrt(3), 4.0)
    area = geometry.areas * scale
    return np.divide(longest * around, area, out=np.full_like(area, np.inf), where=area > 0)


def warpages(geometry: CornerGeometry) -> Floats:
    """Return the warpage (f,): 1 minus the least cubed cosine between opposite corner normals; 0 for flat faces.

    Other than four-sided faces: 1 minus the least cubed cosine between a corner normal and the face's.
    """
    topology = geometry.mesh.topology
    size = np.sqrt(dot_columns(geometry.crosses, geometry.crosses))
    normals = [np.divide(column, size, out=np.zeros_like(size), where=size > 0) for column in geometry.crosses]
    cosines = dot_columns(normals, [geometry.of_face(column) for column in geometry.normals])
    result = 1 - _by_face(np.minimum, cosines, topology) ** 3
    quads = np.flatnonzero(topology.face_sides == 4)
    corners = topology.face_offsets[quads][:, None] + np.arange(4)
    result[quads] = _opposite_warpage([column[corners] for column in normals])
    return result


def _opposite_warpage(normals: list[Floats]) -> Floats:
    """Return the warpage (f,) of quads from their corner normals, columns (f, 4)."""
    pairs = (dot_columns([n[:, k] for n in normals], [n[:, k + 2] for n in normals]) for k in (0, 1))
    return 1 - np.minimum(*pairs) ** 3


def corner_range(geometry: CornerGeometry) -> tuple[Floats, Floats]:
    """Return the smallest and the largest corner (f,) of each face in radians."""
    topology = geometry.mesh.topology
    return _by_face(np.minimum, geometry.angles, topology), _by_face(np.maximum, geometry.angles, topology)


def least_jacobians(geometry: CornerGeometry) -> Floats:
    """Return the least corner Jacobian (f,) of each face in mm^2."""
    return _by_face(np.minimum, geometry.jacobians, geometry.mesh.topology)


def fan_cones(geometry: CornerGeometry) -> Floats:
    """Return six times the signed volume (f,) in mm^3 between the fan of each face and the first vertex of the mesh."""
    mesh, topology = geometry.mesh, geometry.mesh.topology
    columns = [column - origin for column, origin in zip(mesh.corner_columns, mesh.positions[0], strict=True)]
    first = [geometry.of_face(column[topology.face_offsets[:-1]]) for column in columns]
    cones = dot_columns(first, cross_columns(columns, [geometry.following(column) for column in columns]))
    return _by_face(np.add, cones, topology)
