"""Vectors and angles at every corner of any mesh, column by column."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from glass_spoon.kernel.arrays import Floats, cross_columns, dot_columns, lengths
from glass_spoon.kernel.meshes.mesh import Mesh


@dataclass(frozen=True, eq=False)
class CornerGeometry:
    """Figures for each corner h of a mesh: the side that leaves it, its cross product with the side that comes in.

    Vectors are three columns x, y, z, each (h,).
    """

    mesh: Mesh

    def following(self, values: Floats) -> Floats:
        """Return the values (h,) of the next corner of the same face."""
        return values[self.mesh.topology.next_corner]

    def preceding(self, values: Floats) -> Floats:
        """Return the values (h,) of the corner before of the same face."""
        return values[self.mesh.topology.previous_corner]

    def of_face(self, values: Floats) -> Floats:
        """Return face values (f,) at every corner (h,)."""
        return np.repeat(values, self.mesh.topology.face_sides)

    @cached_property
    def sides(self) -> list[Floats]:
        """Vectors in mm from each corner to the next."""
        return [self.following(column) - column for column in self.mesh.corner_columns]

    @cached_property
    def side_lengths(self) -> Floats:
        """Lengths (h,) in mm of the sides."""
        return np.sqrt(dot_columns(self.sides, self.sides))

    @cached_property
    def back(self) -> list[Floats]:
        """Vectors from each corner to the one before."""
        return [-self.preceding(column) for column in self.sides]

    @cached_property
    def crosses(self) -> list[Floats]:
        """Cross products of the side out and the side back: the normal of the corner, scaled."""
        return cross_columns(self.sides, self.back)

    @cached_property
    def normals(self) -> list[Floats]:
        """Unit normals of the faces, columns (f,)."""
        return [np.ascontiguousarray(column) for column in self.mesh.face_normals.T]

    @cached_property
    def jacobians(self) -> Floats:
        """Corner Jacobians (h,) in mm^2: `crosses` along the normal of the face."""
        return dot_columns(self.crosses, [self.of_face(column) for column in self.normals])

    @cached_property
    def angles(self) -> Floats:
        """Corner angles (h,) in radians, 0 to 2 pi: over pi where the corner is dented."""
        bend = np.sqrt(dot_columns(self.crosses, self.crosses))
        angle = np.arctan2(np.where(self.jacobians < 0, -bend, bend), dot_columns(self.sides, self.back))
        return np.where(angle < 0, angle + 2 * np.pi, angle)

    @cached_property
    def areas(self) -> Floats:
        """Face areas (f,) in mm^2: the length of the area vector, exact for flat faces."""
        return lengths(self.mesh.face_vectors)
