"""Open rims drawn on: rows of quads from marked rim edges to places, on in the surface, or to a curve."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, cross, directions, sum_by_index
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.detail.on_curve import places_on_curve, shares_along
from glass_spoon.kernel.detail.true_up import loops_of
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.mesh_edits.assemble import Assembly
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Reworked

SHARPEST = 0.2
"""A rim point at a corner goes out by at most 1 / SHARPEST times the distance, so that its edges keep theirs."""


@dataclass(frozen=True, eq=False)
class RimEdges:
    """Marked open edges as corners (k,) of the faces beside them, and the points (m,) along them; start and end (k,): where
    each begins and ends, as numbers among the points.
    """

    corners: Ints
    points: Ints
    start: Ints
    end: Ints


def rim_of(mesh: Mesh, edges: Bools) -> RimEdges:
    """Return marked edges (e,) as a rim; KernelError for none, or where one has faces on both sides."""
    topology = mesh.topology
    corners = np.flatnonzero(edges[topology.edges.of_corner])
    if not len(corners):
        raise KernelError("The marks hold no edges of this mesh. Pick others.")
    if (topology.edge_face_counts[topology.edges.of_corner[corners]] != 1).any():
        raise KernelError("Marked edges have faces on both sides: mark edges of an open rim.")
    ends = np.column_stack((topology.face_corners[corners], topology.face_corners[topology.next_corner[corners]]))
    points, number = np.unique(ends.astype(np.int64), return_inverse=True)
    number = number.reshape(-1, 2)
    return RimEdges(corners, points, number[:, 0], number[:, 1])


def onward(mesh: Mesh, rim: RimEdges) -> Floats:
    """Return how far (m, 3) rim points go for the rim to go on by 1 mm in the surface, its edges alike at bends."""
    places = mesh.positions[rim.points]
    along = places[rim.end] - places[rim.start]
    out = directions(cross(along, mesh.face_normals[mesh.topology.face_of_corner[rim.corners]]))
    both = sum_by_index(np.concatenate((rim.start, rim.end)), np.concatenate((out, out)), len(rim.points))
    mean = directions(both)
    least = np.full(len(rim.points), np.inf)
    for side in (rim.start, rim.end):
        np.minimum.at(least, side, np.einsum("ki,ki->k", mean[side], out))
    ways: Floats = mean / np.maximum(least, SHARPEST)[:, None]
    return ways


def onto_curve(mesh: Mesh, edges: Bools, rim: RimEdges, curve: NurbsCurve) -> Floats:
    """Return the places (m, 3) on a curve to which rim points go: by shares of the rim's length, the nearest way round.

    Raises KernelError for a closed rim and an open curve, or the other way round, and for rims in several pieces.
    """
    rows = loops_of(mesh, edges, closed=None)
    if len(rows) != 1:
        raise KernelError("The marked rim is in several pieces. Mark one for each curve.")
    row = rows[0]
    closed = bool(row[0] == row[-1])
    row = row[:-1] if closed else row
    own = mesh.positions[row]
    places = places_on_curve(own, shares_along(own, closed=closed), curve, closed=closed)
    result = np.empty((len(rim.points), 3))
    result[np.searchsorted(rim.points, row)] = places
    return result


def skirt(mesh: Mesh, rim: RimEdges, ends: Floats, rows: int) -> Reworked:
    """Return the mesh with rows of quads from a rim to places (m, 3) of its points; roles: "side", and "rim" for the last
    row's edges.
    """
    topology = mesh.topology
    made = Assembly(mesh)
    last = rim.points
    starts = mesh.positions[rim.points]
    beside = topology.next_corner[rim.corners]
    for row in range(1, rows + 1):
        fresh = made.copy_points(rim.points, starts + row / rows * (ends - starts))
        quads = np.column_stack((last[rim.end], last[rim.start], fresh[rim.start], fresh[rim.end]))
        corners = np.column_stack((beside, rim.corners, rim.corners, beside)).astype(np.int64)
        made.add_faces(quads, corners, topology.face_of_corner[rim.corners].astype(np.int64), "side")
        last = fresh
    made.name_edges(np.column_stack((last[rim.start], last[rim.end])), "rim")
    return made.finish()[0]
