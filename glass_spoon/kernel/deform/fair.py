"""Bumps of a mesh taken out in place: points go towards the middle of their neighbours and, further, back again.

Two steps a round, the second outwards and a little longer than the first, let short bumps go and keep what is long (Taubin,
A signal processing approach to fair surface design, SIGGRAPH 1995).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, cross, directions
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.shading import cut_triangles

PASSED = 0.02
"""Frequency, of the 0 to 2 that a mesh knows, that is neither lessened nor strengthened."""

MOST_STEPS = 8
"""Steps by which a volume is brought back: each is Newton's, so few serve."""


@dataclass(frozen=True, eq=False)
class Faired:
    """Where points (n, 3) are in mm, and by how much of itself the volume changed, NaN for an open mesh."""

    places: Floats
    volume: float


def fair_mesh(
    mesh: Mesh,
    rounds: int,
    strength: float = 1.0,
    weights: Floats | None = None,
    held: Bools | None = None,
    *,
    keeps_volume: bool = True,
) -> Faired:
    """Return where points go in so many rounds of strength 0 to 1, each by its weight (n,) of 0 to 1; held (n,) stay.

    Points of a rim take the middle of their two neighbours on it, so that a rim is faired as a line; the volume of a closed
    mesh stays, where it is to be kept.
    """
    if not 0 < strength <= 1:
        raise InvalidInput("The strength", "above 0, at most 1", f"{strength:.4g}")
    share = np.ones(mesh.point_count) if weights is None else np.clip(weights, 0.0, 1.0)
    share = np.where(np.zeros(mesh.point_count, dtype=bool) if held is None else held, 0.0, share)
    towards = _middles(mesh)
    inward = 0.5 * strength
    outward = 1 / (PASSED - 1 / inward)
    places = mesh.positions
    for _ in range(rounds):
        for step in (inward, outward):
            places = places + (step * share)[:, None] * (towards @ places - places)
    closed = bool((mesh.topology.edge_face_counts == 2).all()) and mesh.face_count > 0
    if not closed or not keeps_volume:
        return Faired(places, float("nan"))
    wanted = enclosed_volume(mesh)
    return Faired(*_kept_volume(mesh.moved(places), share, wanted))


def _middles(mesh: Mesh) -> scipy.sparse.csr_array:
    """Return the matrix (n, n) that takes points to the middles of their neighbours: on a rim of those along it."""
    topology, count = mesh.topology, mesh.point_count
    ends = topology.edges.ends.astype(np.int64)
    rim = topology.edge_face_counts == 1
    on_rim = np.zeros(count, dtype=bool)
    on_rim[ends[rim].ravel()] = True
    rows, columns = np.concatenate((ends, ends[:, ::-1])).T
    stays = ~on_rim[rows] | np.concatenate((rim, rim))
    graph = scipy.sparse.coo_array((np.ones(int(stays.sum())), (rows[stays], columns[stays])), shape=(count, count))
    matrix = scipy.sparse.csr_array(graph)
    near = np.asarray(matrix.sum(axis=1)).ravel()
    lone = np.flatnonzero(near == 0)
    whole = matrix + scipy.sparse.csr_array((np.ones(len(lone)), (lone, lone)), shape=(count, count))
    return scipy.sparse.csr_array(scipy.sparse.diags_array(1 / np.maximum(near, 1.0)) @ whole)


def _kept_volume(mesh: Mesh, share: Floats, wanted: float) -> tuple[Floats, float]:
    """Return places moved along the normals, each by its share, until the volume is as wanted; and what it is off."""
    scale = max(abs(wanted), 1e-300)
    for _ in range(MOST_STEPS):
        off = enclosed_volume(mesh) - wanted
        if abs(off) <= 1e-13 * scale:
            break
        vectors = _vertex_areas(mesh)
        way = directions(vectors) * share[:, None]
        grown = float(np.einsum("ni,ni->", vectors, way))
        if not abs(grown) > 0:
            break
        mesh = mesh.moved(mesh.positions - (off / grown) * way)
    return mesh.positions, (enclosed_volume(mesh) - wanted) / scale


def _vertex_areas(mesh: Mesh) -> Floats:
    """Return by which vector (n, 3) the volume grows as each point moves: a third of the area vectors of its triangles."""
    corners = cut_triangles(mesh, mesh.topology.face_corners)
    a, b, c = (mesh.positions[corners[:, k]] for k in range(3))
    area = cross(b - a, c - a) / 6
    result = np.zeros_like(mesh.positions)
    for k in range(3):
        np.add.at(result, corners[:, k], area)
    return result
