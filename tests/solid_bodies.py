"""Closed bodies of quads for tests: boxes, balls, rods, rings, all grown from the six sides of a box or from a torus."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh

Place = tuple[float, float, float]
MIDDLE = (0.0, 0.0, 0.0)


def lattice(counts: tuple[int, int, int]) -> tuple[np.ndarray, np.ndarray]:
    """Return points (n, 3) on a box from -1 to 1, and its quads, facing out."""
    numbers: dict[tuple[int, ...], int] = {}
    quads = []
    for axis in range(3):
        u, v = (axis + 1) % 3, (axis + 2) % 3
        for side in (0, 1):
            for a in range(counts[u]):
                for b in range(counts[v]):
                    corners = []
                    for step in ((0, 0), (1, 0), (1, 1), (0, 1)):
                        place = [0, 0, 0]
                        place[axis], place[u], place[v] = side * counts[axis], a + step[0], b + step[1]
                        corners.append(numbers.setdefault(tuple(place), len(numbers)))
                    quads.append(corners if side else corners[::-1])
    return np.array(list(numbers)) / np.array(counts) * 2 - 1, np.array(quads)


def box(half: Place, counts: tuple[int, int, int], at: Place = MIDDLE) -> Mesh:
    places, quads = lattice(counts)
    return make_mesh(places * half + np.array(at), quads)


def ball(radius: float, count: int, at: Place = MIDDLE) -> Mesh:
    places, quads = lattice((count, count, count))
    places = np.tan(places * np.pi / 4)
    return make_mesh(places / np.linalg.norm(places, axis=1)[:, None] * radius + np.array(at), quads)


def rod(radius: float, height: float, around: int, along: int, at: Place = MIDDLE) -> Mesh:
    """Return a rod along z; around: faces to each of the four sides of its ends."""
    places, quads = lattice((around, around, along))
    x, y = places[:, 0], places[:, 1]
    out = np.maximum(np.abs(x), np.abs(y))
    level = np.where(np.abs(x) >= np.abs(y), np.where(x >= 0, 0, np.pi), np.where(y >= 0, np.pi / 2, -np.pi / 2))
    small, large = np.where(np.abs(x) >= np.abs(y), (y, x), (-x, y))
    turn = level + small / np.where(large == 0, 1, large) * np.pi / 4
    share = out**3
    square = np.column_stack((x * np.sqrt(1 - y * y / 2), y * np.sqrt(1 - x * x / 2)))
    disc = out[:, None] * np.column_stack((np.cos(turn), np.sin(turn)))
    flat = (1 - share)[:, None] * square + share[:, None] * disc
    return make_mesh(np.column_stack((flat * radius, places[:, 2] * height / 2)) + np.array(at), quads)


def ring(major: float, minor: float, around: int, across: int, at: Place = MIDDLE) -> Mesh:
    a, b = np.meshgrid(np.arange(around) / around * 2 * np.pi, np.arange(across) / across * 2 * np.pi, indexing="ij")
    out = major + minor * np.cos(b)
    places = np.stack((out * np.cos(a), out * np.sin(a), minor * np.sin(b)), axis=-1).reshape(-1, 3)
    i, j = np.meshgrid(np.arange(around), np.arange(across), indexing="ij")

    def number(i: np.ndarray, j: np.ndarray) -> np.ndarray:
        return (i % around) * across + j % across

    quads = np.stack((number(i, j), number(i + 1, j), number(i + 1, j + 1), number(i, j + 1)), axis=-1)
    return make_mesh(places + np.array(at), quads.reshape(-1, 4))


def turned(mesh: Mesh, rng: np.random.Generator, reach: float) -> Mesh:
    """Return a mesh turned any way and moved by up to `reach` mm along each axis."""
    matrix = np.linalg.qr(rng.normal(size=(3, 3)))[0]
    matrix *= np.sign(np.linalg.det(matrix))
    return make_mesh(mesh.positions @ matrix.T + rng.uniform(-reach, reach, 3), mesh.topology.face_corners.reshape(-1, 4))


def scaled(mesh: Mesh, factor: float) -> Mesh:
    return make_mesh(mesh.positions * factor, mesh.topology.face_corners.reshape(-1, 4))


def volume(mesh: Mesh) -> float:
    return float(enclosed_volume(mesh))


def euler(mesh: Mesh) -> int:
    return mesh.point_count - len(mesh.topology.edges.ends) + mesh.face_count
