"""Rails: the edges that leave a row of marked edges to either side, over which the row can slide.

d       d'            The row runs from a to b: a face with a half-edge a to b lies on its left. From a the edge
|       |             of that face before a is a rail to the left, from b the one after b. At a point that has
--- a ===== b ---         four edges both faces beside it name the same rail; elsewhere a point has several.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, directions, lengths, owned, sum_by_index
from glass_spoon.kernel.detail.true_up import loops_of
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Reworked, same_elements

MOST = 0.999
"""A row slides no farther over its rails than this share: there it would lie on the next one."""


@dataclass(frozen=True, eq=False)
class Rails:
    """Ways (k, 3) in mm from points (k,) of rows to the far ends of their rails on one side: to the middle of several.

    far (k,): the far end of one of them; room: the shortest rail, in mm.
    """

    points: Ints
    ways: Floats
    far: Ints
    room: float


@dataclass(frozen=True, eq=False)
class Slid(Reworked):
    """A mesh with rows slid. points (k,): those of the rows; farthest: how far one went, in mm."""

    points: Ints
    farthest: float


def rails_of(mesh: Mesh, edges: Bools, side: int) -> Rails:
    """Return the rails of rows of marked edges (e,) on one side: 1 on the left of their way, -1 on the right.

    Rows run from the lowest of their points on. Raises KernelError where they branch, or have no rails on that side.
    """
    topology = mesh.topology
    rows = loops_of(mesh, edges, closed=None)
    start = np.concatenate([row[:-1] for row in rows])
    end = np.concatenate([row[1:] for row in rows])
    if side < 0:
        start, end = end, start
    corner = _corner_of(mesh, start, end)
    beside = corner >= 0
    at, ahead = corner[beside], topology.next_corner[corner[beside]]
    points = np.concatenate((topology.face_corners[at], topology.face_corners[ahead])).astype(np.int64)
    far = topology.face_corners[np.concatenate((topology.previous_corner[at], topology.next_corner[ahead]))].astype(np.int64)
    open_rail = ~edges[topology.find_edges(np.column_stack((points, far)))]
    points, far = points[open_rail], far[open_rail]
    if not len(points):
        raise KernelError("No faces lie on that side of the marked edges. Slide them to the other side.")
    own, first, number = np.unique(points, return_index=True, return_inverse=True)
    reach = mesh.positions[far] - mesh.positions[points]
    ways = sum_by_index(number, reach, len(own)) / np.bincount(number)[:, None]
    return Rails(own, ways, far[first], float(lengths(reach).min()))


def slide(mesh: Mesh, edges: Bools, *, share: float | None = None, distance: float | None = None) -> Slid:
    """Return the mesh with rows of marked edges (e,) slid over their rails: by a share of each, or a distance in mm on it.

    Above zero to the left of the rows' way, below to the right. Raises KernelError where a rail is shorter.
    """
    size = share if share is not None else float(distance or 0.0)
    rails = rails_of(mesh, edges, 1 if size >= 0 else -1)
    if share is not None:
        if abs(share) > MOST:
            raise KernelError(f"A share of {abs(share):g} passes the next edges. Take less than 1.")
        moved = abs(share) * rails.ways
    else:
        if abs(size) > MOST * rails.room:
            raise KernelError(
                f"{abs(size):g} mm passes the next edges: the shortest way there is {rails.room:.4g} mm. Slide less far."
            )
        moved = abs(size) * directions(rails.ways)
    places = mesh.positions.copy()
    places[rails.points] += moved
    done = mesh.moved(owned(places))
    return Slid(done, same_elements(mesh.topology), rails.points, float(lengths(moved).max(initial=0.0)))


def _corner_of(mesh: Mesh, start: Ints, end: Ints) -> Ints:
    """Return the corner (k,) at which a face's edge leaves `start` for `end`, -1 for none."""
    topology = mesh.topology
    both = topology.edge_corners[topology.find_edges(np.column_stack((start, end)))].astype(np.int64)
    leaves = (both >= 0) & (topology.face_corners[both] == start[:, None])
    at: Ints = np.where(leaves, both, -1).max(axis=1)
    return at
