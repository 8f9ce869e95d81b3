"""Does a mesh whose vertices were moved keep the shape it had? Measured both ways, between the vertices too.

o---o---o              o---o--.
        o     moved            o    vertices that slid off a thin rim still lie on the surface, but no face
o---o---o              o---o--'     reaches the rim any more: the old mesh lies far from the new
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, lengths
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.mesh import Mesh


@dataclass(frozen=True, eq=False)
class Strayed:
    """What lies too far from the old shape: vertices (n,) at fault, and the farthest in mm that anything lies from it."""

    vertices: Bools
    farthest: float


@dataclass(frozen=True, eq=False)
class ShapeGuard:
    """The shape of a mesh, to be kept. allowed: (f,) mm that places near each face may lie apart."""

    mesh: Mesh
    allowed: Floats

    @cached_property
    def _nearest(self) -> NearestOnMesh:
        return NearestOnMesh(self.mesh)

    @cached_property
    def _at_vertices(self) -> Floats:
        """The most allowed (n,) by the faces at each vertex."""
        topology = self.mesh.topology
        most = np.zeros(topology.point_count)
        np.maximum.at(most, topology.face_corners, self.allowed[topology.face_of_corner])
        return most

    def strayed(self, positions: Floats) -> Strayed:
        """Return what lies too far with the vertices at `positions` (n, 3): places of the new from the old, and back."""
        new = self.mesh.moved(positions)
        topology = self.mesh.topology
        moved = lengths(positions - self.mesh.positions) > 0
        faces = np.unique(topology.face_of_corner[moved[topology.face_corners]]).astype(np.int64)
        if not len(faces):
            return Strayed(np.zeros(topology.point_count, dtype=bool), 0.0)
        touched = np.zeros(topology.face_count, dtype=bool)
        touched[faces] = True
        edges = np.unique(topology.edges.of_corner[touched[topology.face_of_corner]]).astype(np.int64)
        fault = np.zeros(topology.point_count, dtype=bool)
        farthest = 0.0
        for ask, source in ((self._nearest, new), (NearestOnMesh(new), self.mesh)):
            places = np.concatenate((_middles(source, edges), source.face_centers[faces], source.positions))
            _, near, away = ask.ask(places)
            bad = away > self.allowed[near]
            bad[len(edges) + len(faces) :] = away[len(edges) + len(faces) :] > self._at_vertices
            self._blame(fault, edges[bad[: len(edges)]], faces[bad[len(edges) : len(edges) + len(faces)]])
            fault |= bad[len(edges) + len(faces) :]
            farthest = max(farthest, float(away.max(initial=0.0)))
        return Strayed(fault, farthest)

    def _blame(self, fault: Bools, edges: Ints, faces: Ints) -> None:
        """Mark the vertices of edges and faces."""
        topology = self.mesh.topology
        fault[topology.edges.ends[edges].ravel()] = True
        chosen = np.zeros(topology.face_count, dtype=bool)
        chosen[faces] = True
        fault[topology.face_corners[chosen[topology.face_of_corner]]] = True


def _middles(mesh: Mesh, edges: Ints) -> Floats:
    """Return the middles (k, 3) of edges (k,)."""
    return np.asarray(mesh.positions[mesh.topology.edges.ends[edges]].mean(axis=1))
