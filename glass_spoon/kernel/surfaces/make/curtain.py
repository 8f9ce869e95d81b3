"""A curve let fall along a way: the surface that cuts where the curve is seen to run."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats, directions, lengths
from glass_spoon.kernel.curves.alter.work_on_ends import extend_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points, find_kinks
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, surface_from_homogeneous

KINK = np.radians(5)
"""A curve has a corner where its direction turns by more."""


def curtain(curve: NurbsCurve, way: Floats, low: Floats, high: Floats) -> NurbsSurface:
    """Return the surface of a curve let fall along a way (3,), through all of a box from low (3,) to high (3,) mm.

    An open curve runs on straight at its ends past the box. Raises KernelError for a closed curve, one with corners, or
    one that is seen as a point.
    """
    down = directions(way)
    if curve.is_closed(1e-6 * float(np.ptp(curve.control_points, axis=0).max() or 1.0)):
        raise KernelError("The curve is closed: Extrude it, Mesh that body and Subtract it; or Open a skin along it.")
    if len(find_kinks(curve, KINK)):
        raise KernelError("The curve has corners: Round them first, or slice twice.")
    corners = np.array([[low[0], low[1], low[2]], [high[0], high[1], high[2]]])
    reach = float(lengths(corners[1:] - corners[:1])[0]) + float(np.abs(curve.control_points - corners.mean(axis=0)).max())
    flat = curve_points(curve, np.linspace(*curve.domain, 33))
    flat = flat - np.outer(flat @ down, down)
    if float(np.ptp(flat, axis=0).max()) < 1e-6 * reach:
        raise KernelError("Seen that way the curve is a point: choose another side to look from.")
    long = extend_curve(extend_curve(curve, "start", 2 * reach), "end", 2 * reach)
    net = long.homogeneous
    falls = [np.column_stack((net[:, :3] + step * reach * net[:, 3:] * down, net[:, 3])) for step in (-2.0, 2.0)]
    return surface_from_homogeneous((long.degree, 1), (long.knots, np.array([0.0, 0.0, 1.0, 1.0])), np.stack(falls, axis=1))
