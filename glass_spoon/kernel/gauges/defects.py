"""What is broken in a mesh: open, doubled and non-manifold edges, folds, doubled and stray points, odd valences."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, dot_lanes, packed_rows
from glass_spoon.kernel.gauges.face_figures import FaceFigures
from glass_spoon.kernel.gauges.reading import Limits, Reading
from glass_spoon.kernel.mesh_edits.clean_mesh import disagreeing_faces
from glass_spoon.kernel.mesh_edits.open_edges import find_gaps
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.near_points import near_pairs
from glass_spoon.kernel.meshes.topology import Topology

FOLD_COSINE = -0.5
"""Faces whose normals differ by more than 120 degrees across an edge are folded over each other (the cosine)."""

USUAL_VALENCES = (3, 4, 5)
"""Edges at an inner vertex that smoothing carries well; fewer or more pinch. Common practice, no source."""

KNIFE_COSINE = -0.9
"""The same across an edge that is marked sharp for ever: a wedge of less than 26 degrees."""


def read_open_edges(topology: Topology) -> Reading:
    """Read the number of edges with one face only. No limit: an open rim is often meant."""
    return Reading("open_edges", float(len(topology.boundary_edges)), kind="edge", offenders=topology.boundary_edges)


def read_small_gaps(mesh: Mesh, limits: Limits) -> Reading:
    """Read the number of small gaps between open edges, vertices that touch open edges of others among them."""
    gaps = find_gaps(mesh, limits.weld_distance)
    return Reading("small_gaps", float(len(gaps.widths)), "", 0.0, kind="edge", offenders=gaps.edges)


def read_crowded_edges(topology: Topology) -> Reading:
    """Read the number of edges with three faces or more: the mesh is not a manifold there."""
    crowded: Ints = np.flatnonzero(topology.edge_face_counts > 2)
    return Reading("crowded_edges", float(len(crowded)), "", 0.0, kind="edge", offenders=crowded)


def nearest_twins(mesh: Mesh, distance: float) -> Ints:
    """Return for each vertex (n,) the lowest vertex within `distance` mm of it: itself where it stands alone."""
    first = np.arange(mesh.point_count)
    pairs = near_pairs(mesh.positions, distance)
    for _ in range(2):
        np.minimum.at(first, pairs[:, 1], first[pairs[:, 0]])
    return first


def read_doubled(mesh: Mesh, limits: Limits) -> tuple[Reading, Reading]:
    """Read the number of vertices within the weld distance of another, and of edges that lie on another: unwelded seams."""
    twins = nearest_twins(mesh, limits.weld_distance)
    points: Ints = np.flatnonzero(twins != np.arange(mesh.point_count))
    edges: Ints = np.zeros(0, dtype=np.int64)
    if len(points):  # edges of vertices that all stand apart lie apart
        ends = np.sort(twins[mesh.topology.edges.ends], axis=1)
        keys = ends[:, 0].astype(np.int64) * mesh.point_count + ends[:, 1]
        edges = np.setdiff1d(np.arange(len(keys)), np.unique(keys, return_index=True)[1])
    return (
        Reading("doubled_points", float(len(points)), "", 0.0, kind="point", offenders=points),
        Reading("doubled_edges", float(len(edges)), "", 0.0, kind="edge", offenders=edges),
    )


def read_stray_points(topology: Topology) -> Reading:
    """Read the number of vertices that no face uses."""
    stray: Ints = np.flatnonzero(np.bincount(topology.face_corners, minlength=topology.point_count) == 0)
    return Reading("stray_points", float(len(stray)), "", 0.0, kind="point", offenders=stray)


def read_folded(figures: FaceFigures) -> Reading:
    """Read the number of faces that are dented into themselves, folded over a neighbour, or turned inside out.

    Dented: a corner Jacobian that is not positive. Folded: a normal more than 120 degrees from that of two neighbours or
    more, or from its only neighbour; across an edge that is sharp for ever, which may be a knife's, more than 154. Inside
    out: it runs through a shared edge in the same direction as its neighbour; of such a pair the face in the smaller
    orientation class of its component is counted.
    """
    return folded_reading(figures.mesh, figures.least_jacobians <= 0, figures.normals)


def folded_reading(mesh: Mesh, dented: Bools, normals: list[Floats]) -> Reading:
    """Return the reading of `read_folded` from the dented faces (f,) and the unit normals of all, columns (f,)."""
    topology = mesh.topology
    bad = dented.copy()
    pair, rows = topology.neighbours, packed_rows(normals)
    first, second = (rows.take(faces, mode="clip").view(np.float32) for faces in pair.T)
    facing = dot_lanes(first, second, first)
    least: Floats | float = FOLD_COSINE
    if "sharpness" in mesh.edges:
        inner = (topology.edge_face_counts == 2) & ~topology.same_direction
        least = np.where(np.isinf(mesh.edges["sharpness"][inner]), KNIFE_COSINE, FOLD_COSINE)
    folds = np.flatnonzero(facing < least)
    if len(folds):
        against = np.bincount(pair[folds].ravel(), minlength=topology.face_count)
        neighbours = np.bincount(pair.ravel(), minlength=topology.face_count)
        bad |= (against >= 2) | ((against == 1) & (neighbours == 1))
    bad |= disagreeing_faces(topology)
    return Reading("folded", float(bad.sum()), "", 0.0, kind="face", offenders=np.flatnonzero(bad))


def read_odd_valences(topology: Topology) -> Reading:
    """Read the number of inner vertices whose count of edges is unusual. No limit: some are needed."""
    inner = ~topology.on_boundary & (topology.valences > 0)
    odd: Ints = np.flatnonzero(inner & ~np.isin(topology.valences, USUAL_VALENCES))
    return Reading("odd_valences", float(len(odd)), kind="point", offenders=odd)
