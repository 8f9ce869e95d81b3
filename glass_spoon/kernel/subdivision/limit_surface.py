"""Where the vertices of a mesh come to lie on the limit of Catmull-Clark subdivision, and the normals there.

Halstead, Kass, DeRose: Efficient, fair interpolation using Catmull-Clark surfaces, SIGGRAPH 1993, section 3 (masks for a
vertex of valence n with quads round it): position (n^2 v + 4 sum of edge ends + sum of far corners) / (n (n + 5)). Along
boundaries and sharp creases the curve is a uniform cubic B-spline: (a + 4 v + b) / 6. Faces that are no quads, and
creases that end, are refined first until they are: one step makes all faces quads.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, cross, directions, sum_by_index
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.subdivision.catmull_clark import subdivide

SETTLED = 6
"""Steps after which a semi-sharp crease is taken for smooth or for sharp."""


@dataclass(frozen=True, eq=False)
class Limit:
    """Limit positions (n, 3) mm and unit normals (n, 3) of the vertices of a mesh of quads.

    Normals at creases and corners are those of one side: zero where the mask gives none.
    """

    positions: Floats
    normals: Floats


def limit_surface(mesh: Mesh, hold_corners: bool = True) -> Limit:
    """Return where the vertices (n,) of an all-quad mesh lie on its limit surface.

    Edges with sharpness are taken as sharp for ever, or as smooth below one half: subdivide until they are settled.
    Raises InvalidInput for faces that are no quads and edges of more than two faces.
    """
    positions, sharp = _limit_positions(mesh, hold_corners)
    normals = _inner_normals(mesh)
    on_line = np.zeros(mesh.point_count, dtype=bool)
    on_line[mesh.topology.edges.ends[sharp].ravel()] = True
    if on_line.any():
        # Beside a crease the surface leaves the line along its faces: their mean direction is the tangent plane in the limit
        # of ever finer levels, to the accuracy of one step.
        normals[on_line] = mesh.vertex_normals[on_line]
    return Limit(positions, normals)


def limit_positions(mesh: Mesh, hold_corners: bool = True) -> Floats:
    """Return the positions (n, 3) of `limit_surface` alone, in half the time; raises as it does."""
    return _limit_positions(mesh, hold_corners)[0]


def _limit_positions(mesh: Mesh, hold_corners: bool) -> tuple[Floats, Bools]:
    """Return the limit positions (n, 3), and the edges (e,) that are taken as sharp."""
    topology = mesh.topology
    if not topology.is_quads:
        raise InvalidInput("The faces", "quads", "others as well")
    if topology.face_count and topology.edge_face_counts.max() > 2:
        raise InvalidInput("Every edge", "shared by at most two faces", "shared by more")
    sharp = topology.edge_face_counts == 1
    if "sharpness" in mesh.edges:
        sharp = sharp | (mesh.edges["sharpness"] >= 0.5)
    positions = _inner_positions(mesh)
    _on_creases(mesh, sharp, hold_corners, positions)
    return positions, sharp


def _inner_positions(mesh: Mesh) -> Floats:
    """Return the smooth mask at every vertex (n, 3)."""
    topology = mesh.topology
    n = np.maximum(topology.valences, 1).astype(np.float64)[:, None]
    near, far = _neighbour_sums(mesh)
    return np.asarray((n**2 * mesh.positions + 4 * near + far) / (n * (n + 5)))


def _neighbour_sums(mesh: Mesh) -> tuple[Floats, Floats]:
    """Return the sums (n, 3) of the other ends of edges, and of the far corners of quads."""
    topology = mesh.topology
    ends = topology.edges.ends
    near = sum_by_index(ends.ravel(), mesh.positions[ends[:, ::-1]].reshape(-1, 3), mesh.point_count)
    far_corner = topology.face_corners.reshape(-1, 4)[:, [2, 3, 0, 1]].ravel()
    far = sum_by_index(topology.face_corners, mesh.positions[far_corner], mesh.point_count)
    return near, far


def _inner_normals(mesh: Mesh) -> Floats:
    """Return unit normals (n, 3) by the two tangent masks of the paper, summed round each vertex.

    Tangent: sum over spokes i of a_n cos(2 pi i / n) e_i + (cos(2 pi i / n) + cos(2 pi (i + 1) / n)) f_i, with
    a_n = 1 + cos(2 pi / n) + cos(pi / n) sqrt(2 (9 + cos(2 pi / n))); the other tangent is one spoke further round.
    """
    topology = mesh.topology
    place = _turns(mesh)
    n = np.maximum(topology.valences, 1).astype(np.float64)
    angle = 2 * np.pi / n
    factor = 1 + np.cos(angle) + np.cos(angle / 2) * np.sqrt(2 * (9 + np.cos(angle)))
    start = topology.face_corners
    spoke = mesh.positions[start[topology.next_corner]]
    far = mesh.positions[start.reshape(-1, 4)[:, [2, 3, 0, 1]].ravel()]
    step = angle[start]
    tangents = []
    for shift in (0.0, 1.0):
        turn = (place - shift) * step
        weight = np.cos(turn)
        between = np.cos(turn) + np.cos(turn + step)
        parts = (factor[start] * weight)[:, None] * spoke + between[:, None] * far
        tangents.append(sum_by_index(start, parts, mesh.point_count))
    return directions(cross(tangents[0], tangents[1]))


def _turns(mesh: Mesh) -> Floats:
    """Return for each corner (h,) how many spokes it comes after the first corner of its vertex, counter-clockwise.

    From corner h the next one round its vertex is the twin of the edge that comes in. All vertices are walked at once, one
    spoke a round, so that the rounds are as many as the largest valence.
    """
    topology = mesh.topology
    count = len(topology.face_corners)
    after = topology.twins[topology.previous_corner].astype(np.int64)
    turn = np.full(count, -1.0)
    first = np.full(mesh.point_count, -1, dtype=np.int64)
    first[topology.face_corners[::-1]] = np.arange(count)[::-1]
    # At a rim the walk has to start where nothing comes before, or it would stop half way.
    lone = np.flatnonzero(topology.twins < 0)
    first[topology.face_corners[lone]] = lone
    here = first[first >= 0]
    step = 0.0
    while len(here):
        here = here[turn[here] < 0]
        turn[here] = step
        here = after[here]
        here = here[here >= 0]
        step += 1.0
    return np.maximum(turn, 0.0)


def _on_creases(mesh: Mesh, sharp: Bools, hold_corners: bool, positions: Floats) -> None:
    """Put the vertices of sharp lines where their curve ends up; corners and crossings stay where they are."""
    topology = mesh.topology
    ends = topology.edges.ends[sharp].astype(np.int64)
    count = np.bincount(ends.ravel(), minlength=mesh.point_count)
    total = sum_by_index(ends.ravel(), mesh.positions[ends[:, ::-1]].reshape(-1, 3), mesh.point_count)
    line = count == 2
    corner = count > 2
    if hold_corners:
        corner = corner | ((topology.valences == 2) & topology.on_boundary)
    positions[line] = (total[line] + 4 * mesh.positions[line]) / 6
    positions[corner] = mesh.positions[corner]


def to_limit(mesh: Mesh, levels: int, hold_corners: bool = True) -> Mesh:
    """Return the mesh after `levels` steps with its vertices on the limit surface, the normals as attribute "normal".

    A mesh with other faces than quads takes one step at least.
    """
    fine = subdivide(mesh, levels if levels or mesh.topology.is_quads else 1, hold_corners)
    limit = limit_surface(fine, hold_corners)
    return fine.moved(limit.positions, limit.normals)


def kink_angles(mesh: Mesh, hold_corners: bool = True) -> tuple[Ints, Floats]:
    """Return the inner edges (k,) that are no creases of an all-quad mesh, and the angle (k,) rad between limit normals."""
    topology = mesh.topology
    limit = limit_surface(mesh, hold_corners)
    smooth = topology.edge_face_counts == 2
    if "sharpness" in mesh.edges:
        smooth = smooth & (mesh.edges["sharpness"] <= 0)
    edges = np.flatnonzero(smooth)
    a, b = topology.edges.ends[edges].T
    facing = np.einsum("ij,ij->i", limit.normals[a], limit.normals[b])
    return edges, np.arccos(np.clip(facing, -1, 1))
