"""A bicubic rational surface of 20 x 20 control points, points + first derivatives + normals on 1000 x 1000."""

from __future__ import annotations

import numpy as np

from bench.measure import median_seconds
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface


def make() -> NurbsSurface:
    rng = np.random.default_rng(0)
    knots = np.concatenate((np.zeros(3), np.linspace(0, 1, 18), np.ones(3)))
    return NurbsSurface((3, 3), (knots, knots), rng.random((20, 20, 3)), rng.random((20, 20)) + 0.5)


def run() -> dict[str, float]:
    surface, params = make(), np.linspace(0, 1, 1000)
    ours = median_seconds(lambda: evaluate_grid(surface, params, params), 7) / 1e6
    return {
        "ours_us_per_point": ours * 1e6,
        **_against("splinepy", ours, _splinepy(surface)),
        **_against("geomdl", ours, _geomdl(surface)),
    }


def _against(name: str, ours: float, theirs: float) -> dict[str, float]:
    return {f"{name}_us_per_point": theirs * 1e6, f"times_faster_than_{name}": theirs / ours}


def _splinepy(surface: NurbsSurface, side: int = 250) -> float:
    import splinepy

    peer = splinepy.NURBS(
        degrees=list(surface.degrees),
        knot_vectors=[knots.tolist() for knots in surface.knots],
        control_points=surface.control_points.transpose(1, 0, 2).reshape(-1, 3),
        weights=surface.weights.T.reshape(-1, 1),
    )
    grid = np.linspace(0, 1, side)
    queries = np.array(np.meshgrid(grid, grid, indexing="ij")).reshape(2, -1).T.copy()

    def work() -> object:
        points = peer.evaluate(queries, nthreads=1)
        u = peer.derivative(queries, [1, 0], nthreads=1)
        v = peer.derivative(queries, [0, 1], nthreads=1)
        normals = np.cross(u, v)
        return points, normals / np.linalg.norm(normals, axis=1, keepdims=True)

    check = evaluate_grid(surface, grid, grid)
    assert np.allclose(work()[0], check.points.reshape(-1, 3), atol=1e-10)  # type: ignore[index]
    return median_seconds(work, 3) / side**2


def _geomdl(surface: NurbsSurface, side: int = 30) -> float:
    from geomdl import NURBS

    peer = NURBS.Surface()
    peer.degree_u, peer.degree_v = surface.degrees
    peer.ctrlpts_size_u, peer.ctrlpts_size_v = surface.weights.shape
    peer.ctrlptsw = surface.homogeneous.reshape(-1, 4).tolist()
    peer.knotvector_u, peer.knotvector_v = (knots.tolist() for knots in surface.knots)
    grid = np.linspace(0, 1, side).tolist()
    return median_seconds(lambda: [peer.derivatives(u, v, 1) for u in grid for v in grid], 3) / side**2
