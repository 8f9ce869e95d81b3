"""Named shapes that many tests use."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.revolve import revolve_curve
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet

UP = np.array([0.0, 0.0, 1.0])
ORIGIN = np.zeros(3)
TURN = 2 * np.pi


def random_curve(rng: np.random.Generator, degree: int, count: int, rational: bool = True) -> NurbsCurve:
    """Return a random clamped curve with simple inner knots."""
    inner = np.sort(rng.random(count - degree - 1)) * 0.9 + 0.05
    knots = np.concatenate((np.zeros(degree + 1), inner, np.ones(degree + 1)))
    weights = rng.random(count) + 0.5 if rational else np.ones(count)
    return NurbsCurve(degree, knots, rng.normal(size=(count, 3)) * 10, weights)


def random_surface(rng: np.random.Generator, degrees: tuple[int, int], counts: tuple[int, int]) -> NurbsSurface:
    """Return a random clamped rational surface."""
    knots = []
    for degree, count in zip(degrees, counts, strict=True):
        inner = np.sort(rng.random(count - degree - 1)) * 0.9 + 0.05
        knots.append(np.concatenate((np.zeros(degree + 1), inner, np.ones(degree + 1))))
    net = rng.normal(size=(*counts, 3)) * 10
    return NurbsSurface(degrees, (knots[0], knots[1]), net, rng.random(counts) + 0.5)


def kettle_profile() -> NurbsCurve:
    """Return an open profile that touches the upright axis at its start and has two sharp points."""
    points = [[0, 0, 0], [40, 0, 0], [74, 0, 0], [82, 0, 34], [62, 0, 106], [46, 0, 146], [53, 0, 158]]
    return interpolate_points(points, [0, 0, 1, 0, 0, 1, 0], start_tangent=[1, 0, 0])


def half_circle(radius: float) -> NurbsCurve:
    """Return the exact half circle in the front plane, from the lower to the upper pole."""
    return make_arc(ORIGIN, [radius, 0, 0], [0, 0, radius], -np.pi / 2, np.pi / 2)


def sphere(radius: float) -> NurbsSurface:
    """Return the exact sphere about the origin."""
    return revolve_curve(half_circle(radius), ORIGIN, UP, TURN)


def cone(radius: float, height: float) -> NurbsSurface:
    """Return the open cone with its tip at the origin, opening upwards."""
    return revolve_curve(make_polyline([[0, 0, 0], [radius, 0, height]]), ORIGIN, UP, TURN)


def torus(major: float, minor: float) -> NurbsSurface:
    """Return the exact torus about the upright axis."""
    ring = make_arc([major, 0, 0], [minor, 0, 0], [0, 0, minor], 0, TURN)
    return revolve_curve(ring, ORIGIN, UP, TURN)


def grid_mesh(columns: int, rows: int, size: float = 1.0) -> Mesh:
    """Return a flat grid of quads."""
    x, y = np.meshgrid(np.arange(columns + 1) * size, np.arange(rows + 1) * size)
    number = np.arange((columns + 1) * (rows + 1)).reshape(rows + 1, columns + 1)
    faces = np.stack((number[:-1, :-1], number[:-1, 1:], number[1:, 1:], number[1:, :-1]), axis=-1).reshape(-1, 4)
    return make_mesh(np.column_stack((x.ravel(), y.ravel(), np.zeros(x.size))), faces)


def cube_mesh(size: float = 2.0) -> Mesh:
    """Return a closed cube of six quads about the origin, facing outwards."""
    corners = np.array([[x, y, z] for z in (-1, 1) for y in (-1, 1) for x in (-1, 1)]) * (size / 2)
    faces = [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]]
    return make_mesh(corners, faces)


def enclosed_by(shape: SurfaceSet) -> float:
    """Return the volume in mm^3 that closed surfaces enclose: by Gauss points in every knot span."""
    nodes, weights = np.polynomial.legendre.leggauss(8)
    total = 0.0
    for surface in shape.surfaces:
        params, masses = [], []
        for axis in (0, 1):
            breaks = np.unique(surface.knots[axis])
            half = np.diff(breaks) / 2
            params.append(((breaks[:-1] + half)[:, None] + half[:, None] * nodes).ravel())
            masses.append((half[:, None] * weights).ravel())
        grid = evaluate_grid(surface, params[0], params[1])
        area = np.cross(grid.along_u, grid.along_v)
        total += float(np.einsum("ijk,ijk,i,j->", grid.points, area, masses[0], masses[1])) / 3
    return total


def slit_mesh(width: float) -> Mesh:
    """Two strips side by side with `width` mm between them: two faces above, four below."""
    above = [[x, 1 + width + y, 0] for y in (0, 1) for x in (0, 2, 4)]
    below = [[x, y, 0] for y in (0, 1) for x in range(5)]
    faces = [[0, 1, 4, 3], [1, 2, 5, 4], *([6 + k, 7 + k, 12 + k, 11 + k] for k in range(4))]
    return make_mesh(np.array(above + below, dtype=float), np.array(faces))


# Shapes named after what is wrong or odd with them.


def empty_mesh() -> Mesh:
    """Return a mesh of nothing."""
    return make_mesh(np.zeros((0, 3)), np.zeros((0, 4), dtype=int))


def one_face() -> Mesh:
    """Return a single quad."""
    return grid_mesh(1, 1)


def dart() -> Mesh:
    """Return one quad with a corner that looks in."""
    return make_mesh([[0, 0, 0], [4, 0, 0], [1, 1, 0], [0, 4, 0]], [[0, 1, 2, 3]])


def fin() -> Mesh:
    """Return three quads at one edge."""
    points = [[0, 0, 0], [0, 2, 0], [2, 0, 0], [2, 2, 0], [-2, 0, 0], [-2, 2, 0], [0, 0, 2], [0, 2, 2]]
    return make_mesh(points, [[0, 2, 3, 1], [4, 0, 1, 5], [0, 1, 7, 6]])


def moebius_strip(count: int = 12) -> Mesh:
    """Return a band twisted once: it has one side."""
    turn = np.linspace(0, TURN, count, endpoint=False)
    rows = []
    for side in (-1, 1):
        reach = 10 + side * np.cos(turn / 2)
        rows.append(np.column_stack((reach * np.cos(turn), reach * np.sin(turn), side * np.sin(turn / 2))))
    own, following = np.arange(count), np.roll(np.arange(count), -1)
    faces = np.column_stack((own, following, following + count, own + count))
    faces[-1] = [count - 1, count, 0, 2 * count - 1]
    return make_mesh(np.vstack(rows), faces)


def two_cubes(shift: tuple[float, float, float]) -> Mesh:
    """Return two cubes of size 2 as one mesh, the second moved by `shift`; places that fall together are one vertex."""
    first = cube_mesh(2.0)
    points = np.vstack((first.positions, first.positions + np.array(shift)))
    corners = first.topology.face_corners.reshape(-1, 4)
    _, kept, numbers = np.unique(points.round(9), axis=0, return_index=True, return_inverse=True)
    return make_mesh(points[kept], numbers.ravel()[np.vstack((corners, corners + 8))])


def touching_in_a_point() -> Mesh:
    """Return two cubes with one common vertex."""
    return two_cubes((2.0, 2.0, 2.0))


def touching_in_an_edge() -> Mesh:
    """Return two cubes with one common edge, which has four faces."""
    return two_cubes((2.0, 2.0, 0.0))


def inside_out() -> Mesh:
    """Return a cube whose faces look in."""
    cube = cube_mesh(2.0)
    return make_mesh(cube.positions, cube.topology.face_corners.reshape(-1, 4)[:, ::-1])


ODD_MESHES = {
    made.__name__: made
    for made in (empty_mesh, one_face, dart, fin, moebius_strip, touching_in_a_point, touching_in_an_edge, inside_out)
}
