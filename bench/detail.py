"""Work on marked faces and edges of 100,000 quads, beside trimesh dividing as many; bodies joined, beside Manifold."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import manifold3d
import numpy as np
import trimesh

from bench.measure import median_seconds
from glass_spoon.kernel.detail.bevel import bevel
from glass_spoon.kernel.detail.bridge import Bridging, bridge
from glass_spoon.kernel.detail.dissolve import dissolve
from glass_spoon.kernel.detail.fill import fill_rims
from glass_spoon.kernel.detail.inset import inset
from glass_spoon.kernel.detail.pull_out import pull_out
from glass_spoon.kernel.detail.shift import distances
from glass_spoon.kernel.imprint.cut_mesh import cut_mesh
from glass_spoon.kernel.imprint.cutters import FlatCutter
from glass_spoon.kernel.imprint.join_solids import join_solids
from glass_spoon.kernel.mesh_edits.gather_meshes import gather_meshes
from glass_spoon.kernel.mesh_edits.open_along import open_along
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from tests.solid_bodies import ball, ring


def patch(mesh: Mesh, count: int) -> np.ndarray:
    """Mark the faces (f,) nearest to a place, so many."""
    away = np.linalg.norm(mesh.face_centers - mesh.face_centers[0], axis=1)
    chosen = np.zeros(mesh.face_count, dtype=bool)
    chosen[np.argsort(away)[:count]] = True
    return chosen


def solid(mesh: Mesh) -> manifold3d.Manifold:
    triangles = np.ascontiguousarray(NearestOnMesh(mesh).triangles[0].astype(np.uint64))
    return manifold3d.Manifold(manifold3d.Mesh64(mesh.positions.copy(), triangles))


def run() -> dict[str, Any]:
    """Return seconds and ratios."""
    result: dict[str, Any] = {}
    body = ring(300, 100, 400, 250)
    no_edges = np.zeros(len(body.topology.edges.ends), dtype=bool)
    for count in (1_000, 10_000):
        chosen = patch(body, count)
        loops = no_edges.copy()
        loops[body.topology.edges.of_corner[np.flatnonzero(chosen[body.topology.face_of_corner])][: count // 4]] = True
        inner = chosen[body.topology.edge_faces].all(axis=1)
        for name, work in {
            "pull out": lambda chosen=chosen: pull_out(body, chosen, 2.0),
            "inset": lambda chosen=chosen: inset(body, chosen, 1.0),
            "inset each": lambda chosen=chosen: inset(body, chosen, 0.3, each=True),
            "fill": lambda chosen=patch(body, count // 100): fill_rims(body, no_edges, chosen, smooth=True),
            "bevel": lambda inner=inner: bevel(body, inner, np.full(len(inner), 0.3), 2),
            "shift": lambda chosen=chosen: distances(body, chosen_points(body, chosen), 20.0, along=True),
        }.items():
            result[f"{name}, {count:,} of 100,000 quads, s"] = median_seconds(work, 3)
    lids = patch(body, 400) | (np.linalg.norm(body.face_centers + body.face_centers[0], axis=1) < 30)
    result["bridge, s"] = median_seconds(lambda: bridge(body, no_edges, lids, Bridging(8)), 3)
    row = np.isclose(np.hypot(*body.positions[body.topology.edges.ends][:, :, :2].transpose(2, 0, 1)), 400).all(axis=1)
    result["remove a loop, s"] = median_seconds(lambda: dissolve(body, row), 3)
    one = trimesh.Trimesh(body.positions, NearestOnMesh(body).triangles[0], process=False)
    result["trimesh divides 10,000 of them, s"] = median_seconds(lambda: one.subdivide(np.arange(20_000)), 3)
    first, second = ball(30, 64), ball(20, 64, (25, 3, 4))
    whole = gather_meshes([first, second])
    ours = median_seconds(lambda: join_solids(whole, (first, second), "unite"), 3)
    alone = median_seconds(lambda: (solid(first) + solid(second)).volume(), 3)
    result["join of two bodies of 50,000 triangles, s"] = ours
    result["join: times of Manifold alone"] = ours / alone
    plane = FlatCutter(np.array([0, 0, 3.0]), np.array([0.1, 0, 1.0]))
    result["slice of 24,576 quads, s"] = median_seconds(lambda: cut_mesh(first, plane, close=True), 3)
    result["ten holes opened in 20,000 quads, s"] = median_seconds(_ten_holes(), 3)
    return result


def _ten_holes() -> Callable[[], object]:
    """Return the work of opening a flat sheet along ten circles."""
    columns, rows = 201, 101
    x, y = np.meshgrid(np.linspace(0, 400, columns), np.linspace(0, 200, rows), indexing="ij")
    first = np.arange(columns * rows).reshape(columns, rows)[:-1, :-1].ravel()
    sheet = make_mesh(
        np.column_stack((x.ravel(), y.ravel(), np.zeros(x.size))),
        np.column_stack((first, first + rows, first + rows + 1, first + 1)),
    )
    turn = np.linspace(0, 2 * np.pi, 480, endpoint=False)
    circle = 12 * np.column_stack((np.cos(turn), np.sin(turn), np.zeros(480)))
    holes = [circle + np.array((60 + 70 * column, 60 + 80 * row, 0)) for row in range(2) for column in range(5)]
    return lambda: open_along(sheet, holes)


def chosen_points(mesh: Mesh, faces: np.ndarray) -> np.ndarray:
    marked = np.zeros(mesh.point_count, dtype=bool)
    marked[mesh.topology.face_corners[faces[mesh.topology.face_of_corner]]] = True
    return marked


if __name__ == "__main__":
    for name, value in run().items():
        print(f"{name}: {value:.3g}")
