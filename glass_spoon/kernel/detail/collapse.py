"""Marked edges, faces and strips drawn together to points."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.mesh_edits.clean_mesh import part_non_manifold
from glass_spoon.kernel.mesh_edits.keep_and_merge import merge_points
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Reworked


@dataclass(frozen=True, eq=False)
class Collapsed(Reworked):
    """A mesh with edges drawn together. pieces: how many became a point each; gone: faces that went; odd: faces that are
    no quads now and were before.
    """

    pieces: int
    gone: int
    odd: int


def collapse(mesh: Mesh, edges: Bools) -> Collapsed:
    """Return the mesh with each piece of marked edges (e,) that hangs together drawn to the middle of its points.

    A strip's edges become a point each, so that the strip closes to a row of edges. Points on open rims pull their piece
    onto the rim. Raises KernelError where nothing would be left, where more than two faces would meet at an edge, or where
    faces would only touch in a point.
    """
    topology = mesh.topology
    if not edges.any():
        raise KernelError("The marks hold no edges of this mesh. Pick others.")
    ends = topology.edges.ends[edges].astype(np.int64)
    labels = joined_groups(ends[:, 0], ends[:, 1], mesh.point_count)
    done = merge_points(mesh, labels, _middles(mesh, labels))
    if not done.mesh.face_count:
        raise KernelError("Nothing would be left. Mark fewer edges.")
    before = int(topology.edge_face_counts.max(initial=0))
    if int(done.mesh.topology.edge_face_counts.max(initial=0)) > max(2, before):
        raise KernelError("More than two faces would meet at an edge: faces would lie on one another. Mark other edges.")
    if _touching(done.mesh) > _touching(mesh):
        raise KernelError(
            "The body would be pinched to where it only touches itself in a point. Mark edges that do not run round it."
        )
    was = topology.face_sides[done.origin.faces] == 4
    odd = int((was & (done.mesh.topology.face_sides != 4)).sum())
    pieces = int((np.bincount(labels[np.unique(ends)], minlength=1) > 0).sum())
    return Collapsed(done.mesh, done.origin, pieces, mesh.face_count - done.mesh.face_count, odd)


def _touching(mesh: Mesh) -> int:
    """Return how many points more a mesh would have were its faces parted where they only touch."""
    return part_non_manifold(mesh).mesh.point_count - mesh.point_count


def _middles(mesh: Mesh, labels: np.ndarray) -> Floats:
    """Return the middle of each label's points, of those on open rims alone where it has some, in the order of labels."""
    topology = mesh.topology
    at_rim = np.zeros(mesh.point_count, dtype=bool)
    at_rim[topology.edges.ends[topology.boundary_edges].ravel()] = True
    _, number = np.unique(labels, return_inverse=True)
    some = np.bincount(number, at_rim) > 0
    weight = np.where(some[number], at_rim, 1).astype(np.float64)
    total = np.stack([np.bincount(number, weight * column) for column in mesh.positions.T], axis=1)
    middles: Floats = total / np.bincount(number, weight)[:, None]
    return middles
