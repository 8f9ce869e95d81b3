"""Vectors and angles at every corner of a mesh, worked out once for all gauges."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from glass_spoon.kernel.arrays import Floats, cross, lengths
from glass_spoon.kernel.meshes.mesh import Mesh


@dataclass(frozen=True, eq=False)
class CornerGeometry:
    """Figures for each corner h of a mesh: the side that leaves it, its cross product with the side that comes in."""

    mesh: Mesh

    @cached_property
    def sides(self) -> Floats:
        """Vectors (h, 3) in mm from each corner to the next."""
        corners = self.mesh.topology.face_corners
        return self.mesh.positions[corners[self.mesh.topology.next_corner]] - self.mesh.positions[corners]

    @cached_property
    def side_lengths(self) -> Floats:
        """Lengths (h,) in mm of the sides."""
        return lengths(self.sides)

    @cached_property
    def back(self) -> Floats:
        """Vectors (h, 3) from each corner to the one before."""
        return -self.sides[self.mesh.topology.previous_corner]

    @cached_property
    def crosses(self) -> Floats:
        """Cross products (h, 3) of the side out and the side back: the normal of the corner, scaled."""
        return cross(self.sides, self.back)

    @cached_property
    def jacobians(self) -> Floats:
        """Corner Jacobians (h,) in mm^2: `crosses` along the normal of the face."""
        normals = np.repeat(self.mesh.face_normals, self.mesh.topology.face_sides, axis=0)
        return np.einsum("ij,ij->i", self.crosses, normals)

    @cached_property
    def angles(self) -> Floats:
        """Corner angles (h,) in radians, 0 to 2 pi: over pi where the corner is dented."""
        dot = np.einsum("ij,ij->i", self.sides, self.back)
        bend = lengths(self.crosses) * np.where(self.jacobians < 0, -1.0, 1.0)
        angle = np.arctan2(bend, dot)
        return np.where(angle < 0, angle + 2 * np.pi, angle)

    @cached_property
    def edge_lengths(self) -> Floats:
        """Lengths (e,) in mm of the edges."""
        ends = self.mesh.positions[self.mesh.topology.edges.ends]
        return lengths(ends[:, 1] - ends[:, 0])

    @cached_property
    def areas(self) -> Floats:
        """Face areas (f,) in mm^2: the length of the area vector, exact for flat faces."""
        return lengths(self.mesh.face_vectors)
