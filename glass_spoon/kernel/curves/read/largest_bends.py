"""The largest bends of many curves at once: those of one degree and one set of knots are looked at together."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats, cross, lengths
from glass_spoon.kernel.curves.evaluate.basis import basis_matrix
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve

PLACES = 64
"""About as many places of a curve are looked at, at least the start and the middle of each knot span."""


def largest_bends(curves: list[NurbsCurve], most: float) -> Floats:
    """Return the largest curvature (curves,) in 1/mm of curves that share knots, none above `most`.

    The NURBS Book, equation 4.8 for the derivatives of rational curves.
    """
    first = curves[0]
    ends = first.breaks
    cells = max(2, PLACES // (len(ends) - 1))
    steps = np.arange(cells) / cells
    params = np.append((ends[:-1, None] + np.diff(ends)[:, None] * steps).ravel(), ends[-1])
    control = np.array([curve.homogeneous for curve in curves])
    value, slope, bend = (basis_matrix(first.knots, first.degree, params, order) @ control for order in range(3))
    weight = value[..., 3:]
    place = value[..., :3] / weight
    speed = (slope[..., :3] - slope[..., 3:] * place) / weight
    change = (bend[..., :3] - 2 * slope[..., 3:] * speed - bend[..., 3:] * place) / weight
    cube, turn = lengths(speed) ** 3, lengths(cross(speed, change))
    found = np.divide(turn, cube, out=np.zeros_like(turn), where=cube > 1e-12 * lengths(place).max() ** 3 + 1e-300)
    return np.minimum(found.max(axis=1), most)
