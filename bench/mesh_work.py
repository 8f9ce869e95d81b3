"""The Mesh chapter: rebuilding, matching counts, gauges, welding beside trimesh, closest points beside trimesh."""

from __future__ import annotations

import tracemalloc
from typing import Any

import numpy as np
import trimesh

from bench.measure import median_seconds
from glass_spoon.kernel.gauges.read_gauges import read_gauges
from glass_spoon.kernel.gauges.reading import Limits
from glass_spoon.kernel.mesh_edits.pair_triangles import pair_triangles
from glass_spoon.kernel.mesh_edits.relax_mesh import relax_mesh
from glass_spoon.kernel.mesh_edits.weld import weld
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.meshing.cut_set import cut_at_kinks
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.kernel.meshing.set_counts import Wish, plan_counts
from glass_spoon.kernel.surfaces.alter.edit_surface import split_surface
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from tests.zoo import torus

ROUND, ALONG = 400, 250


def pieces(columns: int, rows: int) -> SurfaceSet:
    """Return a torus cut into a grid of pieces that share their edges."""
    result = [torus(300, 100)]
    for axis, count in ((0, columns), (1, rows)):
        cut = []
        for piece in result:
            left = piece
            low, high = piece.domain(axis)
            for stop in np.linspace(low, high, count + 1)[1:-1]:
                first, left = split_surface(left, axis, float(stop))
                cut.append(first)
            cut.append(left)
        result = cut
    return SurfaceSet(tuple(result))


def apart(mesh: Mesh) -> Mesh:
    """Return the mesh with a vertex for every corner."""
    return make_mesh(mesh.positions[mesh.topology.face_corners], np.arange(len(mesh.topology.face_corners)).reshape(-1, 4))


def run() -> dict[str, Any]:
    """Return seconds and ratios."""
    surface = torus(300, 100)
    mesh = mesh_surface(surface, ROUND, ALONG)
    us, vs = (np.linspace(*surface.domain(axis), count) for axis, count in ((0, ROUND), (1, ALONG)))
    bare = median_seconds(lambda: evaluate_grid(surface, us, vs), 15)
    rebuilt = median_seconds(lambda: mesh_surface(surface, ROUND, ALONG), 15)
    shape = pieces(20, 10)
    cut = cut_at_kinks(shape)
    cut.shape.edges.number, cut.middle_lengths  # noqa: B018  (measured before the counts are)
    counts = median_seconds(lambda: plan_counts(cut, Wish((7.3, 4.1)), "quads"), 15)
    gauges = median_seconds(lambda: read_gauges(_fresh(mesh), surface, Limits()), 5)
    return {
        "rebuild_100k": {"seconds": rebuilt, "bare_surface": bare, "ratio": rebuilt / bare},
        "counts_of_200_pieces": {"seconds": counts, "pieces": len(shape.surfaces)},
        "all_gauges_100k": {"seconds": gauges},
        "weld_100k": _weld(mesh),
        "nearest_on_mesh": _nearest(mesh),
        "pair_triangles": _pair(mesh_surface(surface, 160, 80)),
        "relax_10k_one_round": _relax(surface),
        "memory": _memory(surface),
    }


def _fresh(mesh: Mesh) -> Mesh:
    """Return a mesh that has nothing worked out yet but its topology."""
    return Mesh(mesh.topology, mesh.positions, dict(mesh.points), dict(mesh.edges), dict(mesh.corners), dict(mesh.faces))


def _relax(surface: Any) -> dict[str, float]:
    """Relax a mesh of ten thousand quads once."""
    mesh = mesh_surface(surface, 128, 80)
    return {"seconds": median_seconds(lambda: relax_mesh(_fresh(mesh), surface, rounds=1), 5)}


def _weld(mesh: Mesh) -> dict[str, float]:
    """Weld all corners of a mesh, and merge them by trimesh."""
    split = apart(mesh)
    faces = split.topology.face_corners.reshape(-1, 4)
    triangles = np.vstack((faces[:, :3], faces[:, [0, 2, 3]]))

    def peer() -> None:
        trimesh.Trimesh(split.positions, triangles, process=False).merge_vertices(digits_vertex=4)

    ours, theirs = median_seconds(lambda: weld(split, 1e-4), 5), median_seconds(peer, 5)
    return {"seconds": ours, "trimesh": theirs, "ratio": theirs / ours}


def _nearest(mesh: Mesh) -> dict[str, float]:
    """Ask for the nearest places of a mesh, and ask trimesh."""
    places = mesh.positions[::40] + np.random.default_rng(1).normal(size=(len(mesh.positions[::40]), 3))
    nearest = NearestOnMesh(mesh)
    other = trimesh.Trimesh(mesh.positions, nearest.triangles[0], process=False)

    def ours() -> None:
        NearestOnMesh(mesh).ask(places)

    own, theirs = (
        median_seconds(ours, 3),
        median_seconds(lambda: trimesh.proximity.closest_point_naive(other, places[:20]), 1),
    )
    return {"seconds": own, "places": float(len(places)), "trimesh_naive_a_place": theirs / 20}


def _pair(mesh: Mesh) -> dict[str, float]:
    """Pair the triangles of a cut mesh."""
    faces = mesh.topology.face_corners.reshape(-1, 4)
    triangles = make_mesh(mesh.positions, np.stack((faces[:, [0, 1, 2]], faces[:, [0, 2, 3]]), axis=1).reshape(-1, 3))
    seconds = median_seconds(lambda: pair_triangles(triangles), 3)
    return {"seconds": seconds, "triangles": float(triangles.face_count), "left": float(pair_triangles(triangles).left)}


def _memory(surface: Any) -> dict[str, float]:
    """Return the most memory that making a mesh takes over the size of its arrays."""
    tracemalloc.start()
    mesh = mesh_surface(surface, 800, 500)
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    arrays = [
        mesh.positions,
        mesh.topology.face_corners,
        mesh.topology.face_offsets,
        *mesh.points.values(),
        *mesh.corners.values(),
    ]
    return {"peak_over_result": peak / sum(array.nbytes for array in arrays)}
