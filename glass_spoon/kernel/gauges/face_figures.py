"""The figures of every face that several gauges read: all-quad meshes in one pass over blocks that fit the cache.

The formulas stand in face_quality.py and corner_geometry.py, written over whole arrays; other meshes are read by those.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats
from glass_spoon.kernel.gauges import face_quality
from glass_spoon.kernel.gauges.corner_geometry import CornerGeometry
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.shading import quad_turns

_BLOCK = 8192
"""Faces worked on at a time."""


@dataclass(frozen=True, eq=False)
class FaceFigures:
    """Figures (f,) of every face, and the lengths (h,) in mm of the sides that leave every corner.

    areas: mm^2. normal_x, normal_y, normal_z: the unit normal. least_jacobians: mm^2, of the corners. smallest_corners and
    largest_corners: rad. scaled_jacobians, aspect_ratios, warpages: as in face_quality. cones: mm^3, six times the signed
    volume over the triangles of each face, as files get them, from the first vertex of the mesh.
    """

    mesh: Mesh
    areas: Floats
    normal_x: Floats
    normal_y: Floats
    normal_z: Floats
    least_jacobians: Floats
    smallest_corners: Floats
    largest_corners: Floats
    scaled_jacobians: Floats
    aspect_ratios: Floats
    warpages: Floats
    cones: Floats
    side_lengths: Floats

    @property
    def normals(self) -> list[Floats]:
        """The unit normals as columns x, y, z."""
        return [self.normal_x, self.normal_y, self.normal_z]

    @cached_property
    def edge_lengths(self) -> Floats:
        """The lengths (e,) in mm of the edges."""
        return self.side_lengths.take(self.mesh.topology.edge_corners[:, 0])


def figures_of(mesh: Mesh) -> FaceFigures:
    """Return the figures of any mesh."""
    if mesh.topology.is_quads:
        return figure_quads(mesh)
    geometry = CornerGeometry(mesh)
    smallest, largest = face_quality.corner_range(geometry)
    normal_x, normal_y, normal_z = geometry.normals
    return FaceFigures(
        mesh,
        geometry.areas,
        normal_x,
        normal_y,
        normal_z,
        face_quality.least_jacobians(geometry),
        smallest,
        largest,
        face_quality.scaled_jacobians(geometry),
        face_quality.aspect_ratios(geometry),
        face_quality.warpages(geometry),
        face_quality.fan_cones(geometry),
        geometry.side_lengths,
    )


def figure_quads(mesh: Mesh) -> FaceFigures:
    """Return the figures of an all-quad mesh."""
    arrays = [*(np.empty(mesh.face_count) for _ in range(11)), np.empty(4 * mesh.face_count)]
    figures = FaceFigures(mesh, *arrays)
    quads = mesh.topology.face_corners.reshape(-1, 4)
    columns = [column - column[0] for column in mesh.positions.T] if mesh.point_count else []
    turned = quad_turns(mesh) if mesh.face_count else np.zeros(0, dtype=bool)
    with np.errstate(divide="ignore", invalid="ignore"):
        for start in range(0, mesh.face_count, _BLOCK):
            part = slice(start, start + _BLOCK)
            corners = quads[part].T.astype(np.int64)
            _figure_block(np.array([column.take(corners) for column in columns]), turned[part], figures, part)
    return figures


def _figure_block(p: Floats, turned: Bools, out: FaceFigures, part: slice) -> None:
    """Fill one block from its corners p (3, 4, n); turned (n,): those cut along their second diagonal."""
    scratch = np.empty_like(p[0])
    side, back = np.roll(p, -1, axis=1), np.empty_like(p)
    side -= p
    back[:, 1:], back[:, 0] = side[:, :3], side[:, 3]
    crosses = np.empty_like(p)
    for k, (i, j) in enumerate(((1, 2), (2, 0), (0, 1))):
        np.multiply(back[i], side[j], out=crosses[k])
        crosses[k] -= np.multiply(back[j], side[i], out=scratch)
    normal = crosses[:, 0] + crosses[:, 2]
    size = np.sqrt(_dot(normal, normal))
    normal *= np.reciprocal(np.where(size > 0, size, 1.0))
    out.areas[part] = size / 2
    out.normal_x[part], out.normal_y[part], out.normal_z[part] = normal
    first = np.where(turned, p[:, 1], p[:, 0])
    out.cones[part] = _dot(first, np.where(turned, crosses[:, 2] + crosses[:, 0], crosses[:, 1] + crosses[:, 3]))
    lengths = np.sqrt(_dot(side, side))
    out.side_lengths.reshape(-1, 4)[part] = lengths.T
    np.divide(lengths.max(axis=0) * lengths.sum(axis=0) / 2, size, out=out.aspect_ratios[part])
    out.aspect_ratios[part][~(size > 0)] = np.inf
    product = lengths * np.roll(lengths, 1, axis=0)
    jacobians = _dot(normal[:, None], crosses)
    out.least_jacobians[part] = jacobians.min(axis=0)
    out.scaled_jacobians[part] = np.where(product > 0, jacobians / product, 0.0).min(axis=0)
    cosines = -_dot(side, back) / product
    cosines[~(product > 0)] = 1.0
    _fill_corners(np.clip(cosines, -1.0, 1.0), jacobians < 0, out, part)
    across = np.sqrt(_dot(crosses, crosses))
    opposite = across[:2] * across[2:]
    bent = np.where(opposite > 0, _dot(crosses[:, :2], crosses[:, 2:]) / opposite, 0.0)
    out.warpages[part] = 1 - bent.min(axis=0) ** 3


def _dot(a: Floats, b: Floats) -> Floats:
    """Return the dot product over the first axis, of length three."""
    result = a[0] * b[0]
    result += a[1] * b[1]
    result += a[2] * b[2]
    return np.asarray(result)


def _fill_corners(cosines: Floats, dented: np.ndarray, out: FaceFigures, part: slice) -> None:
    """Fill the smallest and largest corners from cosines (4, n): an angle of a dented corner is over pi."""
    if dented.any():
        angles = np.arccos(cosines)
        angles = np.where(dented, 2 * np.pi - angles, angles)
        out.smallest_corners[part], out.largest_corners[part] = angles.min(axis=0), angles.max(axis=0)
        return
    out.smallest_corners[part] = np.arccos(cosines.max(axis=0))
    out.largest_corners[part] = np.arccos(cosines.min(axis=0))
