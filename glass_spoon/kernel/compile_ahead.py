"""python -m glass_spoon.kernel.compile_ahead: compiles what is compiled on its first call, so that nobody waits."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import cross
from glass_spoon.kernel.curves.evaluate.basis import basis_derivatives
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.gauges.crossings import crossing_faces, crossing_others
from glass_spoon.kernel.meshes.mesh import make_mesh
from glass_spoon.kernel.patches.fill_net import fill_net
from glass_spoon.kernel.surfaces.evaluate.surface import make_surface
from glass_spoon.kernel.trims.touching_ball import equations, frames


def load_compiled() -> None:
    """Evaluate a small curve and surface, roll a ball over it, fill a small net, read a mesh, as all of them are."""
    middle, knots = np.array([0.5]), np.array([0.0, 0.0, 1.0, 1.0])
    curve_derivatives(make_polyline([[0, 0, 0], [1, 0, 0]]), middle, 1)
    basis_derivatives(knots, 1, middle, 1)
    square = make_surface((1, 1), (knots, knots), [[[0, 0, 0], [0, 1, 0]], [[1, 0, 0], [1, 1, 0]]])
    patch = frames(square, np.full((1, 2), 0.5))
    equations(patch, patch, middle, cross(patch[0], patch[1]), patch[1], middle, chord=False)
    corners = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0.5], [0, 1, 0]])
    fill_net([make_polyline(np.roll(corners, -k, axis=0)[:2]) for k in range(4)], 1e-6)
    sheet = make_mesh(np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [2, 0, 0]]), [[0, 1, 2, 3], [1, 4, 2, 0]])
    crossing_faces(sheet)
    crossing_others(sheet, [sheet])


if __name__ == "__main__":
    load_compiled()
