"""Move the points of a cage so that its smoothed shape, not the cage itself, passes through the places they had.

Halstead, Kass, DeRose: Efficient, fair interpolation using Catmull-Clark surfaces, SIGGRAPH 1993: the limit positions are a
linear map of the points; that system is solved here by plain iteration p <- p + (s - limit(p)), which converges because the
map's eigenvalues lie between 1/9 and 1 on regular meshes (the limit mask's symbol (4 + 2 cos a)(4 + 2 cos b) / 36).
"""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.subdivision.limit_surface import limit_surface

MOST_ROUNDS = 60
"""Most rounds; smooth shapes need ten."""


def fit_smoothed(mesh: Mesh, tolerance: float, *, hold_corners: bool = True) -> tuple[Mesh, float]:
    """Return an all-quad mesh whose limit points lie within `tolerance` mm of the old points, and the largest distance left.

    Raises InvalidInput as `limit_surface` does. Cost: one limit mask a round.
    """
    wanted = mesh.positions
    current, best, least = mesh, mesh, np.inf
    for _ in range(MOST_ROUNDS):
        missing = wanted - limit_surface(current, hold_corners=hold_corners).positions
        off = float(lengths(missing).max(initial=0.0))
        if off < least:
            best, least = current, off
        if off <= tolerance or off > 4 * least:
            break
        current = current.moved(current.positions + missing)
    normals = mesh.points.get("normal")
    return best.moved(best.positions, normals), least
