"""Catmull-Clark of a 40 x 40 grid to level 4 (409,600 quads): first build, and moved points on a known cage."""

from __future__ import annotations

import ctypes

import numpy as np

from bench.measure import median_seconds
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.subdivision import catmull_clark

LEVEL = 4


def make() -> Mesh:
    side = 40
    x, y = np.meshgrid(np.arange(side + 1.0), np.arange(side + 1.0))
    number = np.arange((side + 1) ** 2).reshape(side + 1, -1)
    faces = np.stack((number[:-1, :-1], number[:-1, 1:], number[1:, 1:], number[1:, :-1]), axis=-1).reshape(-1, 4)
    return make_mesh(np.column_stack((x.ravel(), y.ravel(), np.sin(x.ravel() * 0.3) * np.cos(y.ravel() * 0.2))), faces)


def forget() -> None:
    catmull_clark._cache = catmull_clark._LevelCache(size=24)


def run() -> dict[str, float]:
    mesh = make()
    first = median_seconds(lambda: catmull_clark.subdivide(make(), LEVEL, hold_corners=False), 5, forget)
    catmull_clark.subdivide(mesh, LEVEL, hold_corners=False)
    moved = mesh.moved(mesh.positions + 0.01)
    again = median_seconds(lambda: catmull_clark.subdivide(moved, LEVEL, hold_corners=False), 9)
    theirs = median_seconds(lambda: peer(mesh), 3)
    return {
        "faces": catmull_clark.subdivide(mesh, LEVEL, hold_corners=False).face_count,
        "first_build_s": first,
        "moved_points_s": again,
        "pyopensubdiv_ctypes_s": theirs,
        "first_build_times_faster": theirs / first,
        "moved_points_times_faster": theirs / again,
    }


def peer(mesh: Mesh) -> tuple[np.ndarray, np.ndarray]:
    """Call pyOpenSubdiv's shared library with numpy pointers, without its Python lists."""
    from pyOpenSubdiv.clib import load_library

    library = load_library.load_library()
    pointer = ctypes.c_void_p
    positions = np.ascontiguousarray(mesh.positions, dtype=np.float32)
    corners = np.ascontiguousarray(mesh.topology.face_corners, dtype=np.int32)
    sides = np.ascontiguousarray(mesh.topology.face_sides, dtype=np.int32)
    library.subdivider_settings.argtypes = [ctypes.c_int, ctypes.c_int]
    library.subdivider_settings(LEVEL, 0)
    library.subdivider_refine_topology.argtypes = [ctypes.c_int, ctypes.c_int, pointer, pointer, pointer]
    library.subdivider_refine_topology(
        len(positions), len(sides), positions.ctypes.data, corners.ctypes.data, sides.ctypes.data
    )
    points = np.zeros((library.nn_verts(), 3), dtype=np.float32)
    faces = np.zeros((library.nn_faces(), 4), dtype=np.int32)
    library.new_vertices.argtypes = library.new_faces.argtypes = [pointer]
    library.new_vertices(points.ctypes.data)
    library.new_faces(faces.ctypes.data)
    return points, faces
