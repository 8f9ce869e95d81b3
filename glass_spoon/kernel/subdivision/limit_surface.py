"""Where the vertices of a mesh come to lie on the limit of Catmull-Clark subdivision, and the normals there.

Halstead, Kass, DeRose: Efficient, fair interpolation using Catmull-Clark surfaces, SIGGRAPH 1993, section 3 (masks for a
vertex of valence n with quads round it): position (n^2 v + 4 sum of edge ends + sum of far corners) / (n (n + 5)). Along
boundaries and sharp creases the curve is a uniform cubic B-spline: (a + 4 v + b) / 6. Faces that are no quads, and
creases that end, are refined first until they are: one step makes all faces quads.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, cross_columns, directions, sum_by_index
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.mesh_edits.keep_and_merge import keep_faces
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.vertex_rings import VertexRings, vertex_rings
from glass_spoon.kernel.subdivision.catmull_clark import make_level, subdivide
from glass_spoon.kernel.subdivision.dart_masks import place_darts

_BLOCK = 16384
"""Vertices worked on at a time, so that what lies round them stays in the processor's cache."""

MOST_STEPS = 32
"""Steps after which a crease that is still sharp is taken for sharp: what is left of it is below the last digits."""


@dataclass(frozen=True, eq=False)
class Limit:
    """Limit positions (n, 3) mm and unit normals (n, 3) of the vertices of a mesh of quads.

    Normals at creases and corners are those of one side: zero where the mask gives none.
    """

    positions: Floats
    normals: Floats


def limit_surface(mesh: Mesh, *, hold_corners: bool = True) -> Limit:
    """Return where the vertices (n,) of an all-quad mesh lie on its limit surface, and the normals there.

    Vertices at semi-sharp creases are followed through the steps of these, with the faces round them alone: all that
    their limit depends on. Vertices that are no part of a manifold keep their place. Raises InvalidInput for faces that are
    no quads and edges of more than two faces. Cost: one mask a vertex, and one step of a ring for each unit of sharpness.
    """
    if not mesh.topology.is_quads:
        raise InvalidInput("The faces", "quads", "others as well")
    if mesh.face_count and mesh.topology.edge_face_counts.max() > 2:
        raise InvalidInput("Every edge", "shared by at most two faces", "shared by more")
    limit = _by_masks(mesh, hold_corners=hold_corners)
    waiting = _at_semi_sharp(mesh)
    if not len(waiting):
        return limit
    positions, normals = limit.positions.copy(), limit.normals.copy()
    positions[waiting], normals[waiting] = _followed(mesh, waiting, hold_corners=hold_corners)
    return Limit(positions, normals)


def _at_semi_sharp(mesh: Mesh) -> Ints:
    """Return the vertices (k,) at edges that are sharp for some steps only."""
    if "sharpness" not in mesh.edges:
        return np.zeros(0, dtype=np.int64)
    sharpness = mesh.edges["sharpness"]
    return np.unique(mesh.topology.edges.ends[(sharpness > 0) & np.isfinite(sharpness)].astype(np.int64))


def _followed(mesh: Mesh, vertices: Ints, *, hold_corners: bool) -> tuple[Floats, Floats]:
    """Return limit positions and normals (k, 3) of vertices at semi-sharp creases.

    A step moves a vertex by the faces round it, and these give all of the ring of the next step: the others are left out.
    """
    positions, normals = np.empty((len(vertices), 3)), np.empty((len(vertices), 3))
    rows, here, ring = np.arange(len(vertices)), vertices, mesh
    for step in range(MOST_STEPS + 1):
        ring, here = _ring_of(ring, here)
        unsettled = np.isin(here, _at_semi_sharp(ring)) & (step < MOST_STEPS)
        limit = _by_masks(ring, hold_corners=hold_corners)
        positions[rows[~unsettled]], normals[rows[~unsettled]] = (
            limit.positions[here[~unsettled]],
            limit.normals[here[~unsettled]],
        )
        rows, here = rows[unsettled], here[unsettled]
        if not len(rows):
            break
        level = make_level(ring.topology, ring.edges["sharpness"], hold_corners=hold_corners)
        ring = Mesh(level.topology, level.apply(ring.positions), edges={"sharpness": level.sharpness})
    return positions, normals


def _ring_of(mesh: Mesh, vertices: Ints) -> tuple[Mesh, Ints]:
    """Return the mesh of the faces at some vertices (k,), and the numbers of these in it."""
    wanted = np.zeros(mesh.point_count, dtype=bool)
    wanted[vertices] = True
    faces = np.unique(mesh.topology.face_of_corner[wanted[mesh.topology.face_corners]].astype(np.int64))
    part = keep_faces(Mesh(mesh.topology, mesh.positions, edges=dict(mesh.edges)), faces)
    return part.mesh, part.of_point[vertices]


def _by_masks(mesh: Mesh, *, hold_corners: bool) -> Limit:
    """Return the limit of a mesh whose creases are sharp for ever; others count as smooth."""
    topology = mesh.topology
    positions, normals = mesh.positions.copy(), np.zeros((mesh.point_count, 3))
    ringed = np.zeros(mesh.point_count, dtype=bool)
    columns = [np.ascontiguousarray(column) for column in mesh.positions.T]
    tables = vertex_rings(topology)
    for rings in tables:
        _fill_rings(rings, columns, positions, normals)
        ringed[rings.vertices] = True
    sharp = topology.edge_face_counts == 1
    if "sharpness" in mesh.edges:
        sharp = sharp | np.isinf(mesh.edges["sharpness"])
    ringed[topology.edges.ends[sharp].ravel()] = False
    _on_creases(mesh, sharp, hold_corners=hold_corners, positions=positions)
    # Beside a crease the surface leaves the line along its faces: their mean direction is the tangent plane in the limit
    # of ever finer levels, to the accuracy of one step.
    others = np.flatnonzero(~ringed)
    normals[others] = _face_means(mesh, others)
    _on_darts(mesh, sharp, tables, positions, normals)
    return Limit(positions, normals)


def _on_darts(mesh: Mesh, sharp: Bools, tables: list[VertexRings], positions: Floats, normals: Floats) -> None:
    """Put the vertices at which one sharp line ends where they end up."""
    ends = mesh.topology.edges.ends[sharp].astype(np.int64)
    alone = np.bincount(ends.ravel(), minlength=mesh.point_count) == 1
    far = np.full(mesh.point_count, -1, dtype=np.int64)
    for side in (0, 1):
        mine = alone[ends[:, side]]
        far[ends[mine, side]] = ends[mine, 1 - side]
    for rings in tables if (far >= 0).any() else ():
        dart, places, upright = place_darts(rings, far, mesh.positions, normals)
        positions[rings.vertices[dart]], normals[rings.vertices[dart]] = places, upright


def _fill_rings(rings: VertexRings, columns: list[Floats], positions: Floats, normals: Floats) -> None:
    """Fill the limit of the vertices of one valence from the columns x, y, z (n,) of all positions.

    Tangent masks of the paper: sum over spokes i of a_n cos(2 pi i / n) e_i + (cos(2 pi i / n) + cos(2 pi (i + 1) / n)) f_i,
    with a_n = 1 + cos(2 pi / n) + cos(pi / n) sqrt(2 (9 + cos(2 pi / n))); the other tangent is one spoke further round.
    """
    n = rings.valence
    step = 2 * np.pi / n
    turns = step * (np.arange(n) - np.array([[0.0], [1.0]]))
    factor = 1 + np.cos(step) + np.cos(step / 2) * np.sqrt(2 * (9 + np.cos(step)))
    spokes = np.vstack((np.full(n, 4.0), factor * np.cos(turns)))
    far = np.vstack((np.ones(n), np.cos(turns) + np.cos(turns + step)))
    for start in range(0, len(rings.vertices), _BLOCK):
        part = slice(start, start + _BLOCK)
        vertices = rings.vertices[part]
        first, second = [], []
        for axis, column in enumerate(columns):
            here = column.take(vertices)
            # From the vertex itself: the tangent masks sum to zero, and differences keep their digits far from the origin.
            total, one, other = spokes @ (column.take(rings.spokes[:, part]) - here) + far @ (
                column.take(rings.far[:, part]) - here
            )
            positions[vertices, axis] = here + total / (n * (n + 5))
            first.append(one)
            second.append(other)
        normals[vertices] = directions(np.column_stack(cross_columns(first, second)))


def _face_means(mesh: Mesh, vertices: Ints) -> Floats:
    """Return the direction (k, 3) of the summed area vectors of the faces at some vertices (k,)."""
    if not len(vertices):
        return np.zeros((0, 3))
    row = np.full(mesh.point_count, -1)
    row[vertices] = np.arange(len(vertices))
    of_corner = row.take(mesh.topology.face_corners)
    corners = np.flatnonzero(of_corner >= 0)
    return directions(sum_by_index(of_corner[corners], mesh.face_vectors[corners // 4], len(vertices)))


def _on_creases(mesh: Mesh, sharp: Bools, *, hold_corners: bool, positions: Floats) -> None:
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


def to_limit(mesh: Mesh, levels: int, *, hold_corners: bool = True) -> Mesh:
    """Return the mesh after `levels` steps with its vertices on the limit surface, the normals as attribute "normal".

    A mesh with other faces than quads takes one step at least.
    """
    fine = subdivide(mesh, levels if levels or mesh.topology.is_quads else 1, hold_corners=hold_corners)
    limit = limit_surface(fine, hold_corners=hold_corners)
    return fine.moved(limit.positions, limit.normals)


def settled(mesh: Mesh) -> Mesh:
    """Return the mesh with its vertices on the limit surface and the normals there; unchanged where there is no limit."""
    if not mesh.topology.is_quads or not mesh.face_count or mesh.topology.edge_face_counts.max() > 2:
        return mesh
    limit = limit_surface(mesh)
    return mesh.moved(limit.positions, limit.normals)


def kink_angles(mesh: Mesh, limit: Limit) -> tuple[Ints, Floats]:
    """Return the inner edges (k,) that are no creases, and the angle (k,) in rad between the limit normals at their ends."""
    topology = mesh.topology
    smooth = topology.edge_face_counts == 2
    if "sharpness" in mesh.edges:
        smooth = smooth & (mesh.edges["sharpness"] <= 0)
    edges = np.flatnonzero(smooth)
    a, b = topology.edges.ends[edges].T
    facing = sum(column.take(a) * column.take(b) for column in np.ascontiguousarray(limit.normals.T))
    return edges, np.arccos(np.clip(facing, -1, 1))
