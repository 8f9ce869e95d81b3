"""Rims of holes as rows of points: those that are open, and those that groups of faces leave when they are taken out."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, cross, directions
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.mesh_loops import chains_of


@dataclass(frozen=True, eq=False)
class Rim:
    """A closed rim: points (k,) in the order in which new faces that close it would run, and the corners (k,) of the faces
    beside it whose edges they face.
    """

    points: Ints
    corners: Ints


def rims_of(mesh: Mesh, edges: Bools, gone: Bools) -> list[Rim]:
    """Return the closed rims along marked edges (e,), and about faces (f,) that go.

    Raises KernelError where these run into each other, or where an edge has faces on both sides that stay.
    """
    topology = mesh.topology
    stays = ~gone[topology.face_of_corner]
    twin = topology.twins
    open_side = stays & ((twin < 0) | gone[topology.face_of_corner[np.maximum(twin, 0)]])
    open_side &= topology.edge_face_counts[topology.edges.of_corner] <= 2
    wanted = edges[topology.edges.of_corner]
    beside_gone = np.zeros(len(topology.face_corners), dtype=bool)
    inner = twin >= 0
    beside_gone[inner] = gone[topology.face_of_corner[twin[inner]]]
    if (wanted & stays & ~open_side).any():
        raise KernelError("Marked edges have faces on both sides: mark open rims, or the faces to be taken out.")
    at = np.flatnonzero(open_side & (wanted | beside_gone))
    start, end = topology.face_corners[topology.next_corner[at]], topology.face_corners[at]
    if len(np.unique(start)) != len(start):
        raise KernelError("Rims touch each other in a point. Take out a face more there, or clean the mesh.")
    corner_at = dict(zip(start.tolist(), at.tolist(), strict=True))
    rows = chains_of(dict(zip(start.tolist(), end.tolist(), strict=True)))
    if not all(closed for _, closed in rows):
        raise KernelError("A rim is not closed: mark the whole of it.")
    return [
        Rim(np.array(row, dtype=np.int64), np.array([corner_at[point] for point in row], dtype=np.int64)) for row, _ in rows
    ]


def tangents(mesh: Mesh, rim: Rim) -> Floats:
    """Return the unit ways (k, 3) in which the faces beside a rim would go on beyond its points."""
    topology = mesh.topology
    start = mesh.positions[topology.face_corners[rim.corners]]
    end = mesh.positions[topology.face_corners[topology.next_corner[rim.corners]]]
    out = directions(cross(end - start, mesh.face_normals[topology.face_of_corner[rim.corners]]))
    found: Floats = directions(out + np.roll(out, 1, axis=0))
    return found
