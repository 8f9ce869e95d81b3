"""Rims of a skin rolled over: rows of quads along an arc that leaves the skin without an edge and turns square to it."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, directions, lengths
from glass_spoon.kernel.errors import KernelError, RadiusTooLarge
from glass_spoon.kernel.mesh_edits.assemble import Assembly
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Reworked

LIP = "lip"
"""The role of the faces along a rolled rim."""

LEAST = 0.1
"""Edges of a rolled rim keep this share of their length; a larger radius would fold it."""


def roll_rim(mesh: Mesh, rim: Bools, radius: float, steps: int, *, over: bool = False) -> Reworked:
    """Return a mesh with open edges marked `rim` (e,) rolled over by a radius in mm: a quarter turn of faces in some steps,
    to the back of the skin, or over its front.

    The lip starts at the rim and reaches into the opening by the radius. Raises RadiusTooLarge where it would fold.
    """
    topology = mesh.topology
    edges = np.flatnonzero(rim & (topology.edge_face_counts == 1))
    if not len(edges):
        raise KernelError("No open edge is there to roll over.")
    corner = topology.edge_corners[edges, 0].astype(np.int64)
    start, end = (
        topology.face_corners[corner].astype(np.int64),
        topology.face_corners[topology.next_corner[corner]].astype(np.int64),
    )
    points, (a, b) = _numbered(start, end, mesh.point_count)
    here = mesh.positions[points]
    ahead = directions(mesh.positions[end] - mesh.positions[start])
    along = np.zeros_like(here)
    np.add.at(along, a, ahead)
    np.add.at(along, b, ahead)
    along = directions(along)
    normal = mesh.vertex_normals[points]
    normal = directions(normal - np.einsum("ni,ni->n", normal, along)[:, None] * along)
    into = np.cross(along, normal)
    _check(here, a, b, into, radius)
    side = 1.0 if over else -1.0
    assembly = Assembly(mesh)
    below = points
    corners = np.column_stack((topology.next_corner[corner], corner, corner, topology.next_corner[corner])).astype(np.int64)
    for turn in np.linspace(0, np.pi / 2, steps + 1)[1:]:
        level = assembly.copy_points(points, here + radius * (np.sin(turn) * into + side * (1 - np.cos(turn)) * normal))
        quads = np.column_stack((below[b], below[a], level[a], level[b]))
        assembly.add_faces(quads, corners, topology.face_of_corner[corner].astype(np.int64), LIP)
        below = level
    return assembly.finish()[0]


def _numbered(start: Ints, end: Ints, count: int) -> tuple[Ints, tuple[Ints, Ints]]:
    """Return the points (n,) of edges, and both ends (k,) of each by their place among these."""
    points = np.unique(np.concatenate((start, end)))
    number = np.full(count, -1, dtype=np.int64)
    number[points] = np.arange(len(points))
    return points, (number[start], number[end])


def _check(here: Floats, a: Ints, b: Ints, into: Floats, radius: float) -> None:
    """Raise RadiusTooLarge where edges of the lip would shrink to nothing or turn over."""
    edge, change = here[b] - here[a], into[b] - into[a]
    size = lengths(edge)
    shrink = -np.einsum("ni,ni->n", change, edge) / np.maximum(size * size, 1e-300)
    worst = int(shrink.argmax())
    if radius * shrink[worst] > 1 - LEAST:
        raise RadiusTooLarge(radius, float((1 - LEAST) / shrink[worst]), here[a[worst]])
