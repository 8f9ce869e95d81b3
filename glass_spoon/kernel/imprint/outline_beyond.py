"""An open curve made the outline of one side of a body: run on straight past it, and closed round that side."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats, directions, lengths
from glass_spoon.kernel.curves.alter.edit_knots import join_curves
from glass_spoon.kernel.curves.alter.work_on_ends import extend_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.errors import KernelError

LEAST_FACING = 0.2
"""A side is not told by a way that the curve, from end to end, faces by a smaller cosine."""

PAST = 0.75
"""How far past the body the outline runs, as a share of the body's diagonal."""


def outline_beyond(curve: NurbsCurve, way: Floats, side: Floats, low: Floats, high: Floats) -> NurbsCurve:
    """Return the closed curve, in a plane square to a way (3,), that holds what of a box from low to high (3,) mm lies to
    one side (3,) of an open curve, seen that way.

    Raises KernelError where the curve runs to that side, so that it has none.
    """
    down = directions(way)
    middle, size = (low + high) / 2, float(lengths((high - low)[None])[0])
    trace = curve_points(curve, np.linspace(*curve.domain, 65))
    reach = PAST * size + float(lengths(trace - middle).max())
    net = curve.control_points
    flat = NurbsCurve(curve.degree, curve.knots, net - np.outer(net @ down, down), curve.weights)
    long = extend_curve(extend_curve(flat, "start", reach), "end", reach)
    start, end = curve_points(long, np.array(long.domain))
    ends = curve_points(flat, np.array(flat.domain))
    across = np.cross(down, directions(ends[1] - ends[0]))
    facing = float(across @ side)
    if abs(facing) < LEAST_FACING:
        raise KernelError("The curve runs along that way: it has no such side. Keep another side.")
    off = directions(across * np.sign(facing)) * (reach + float(np.abs((trace - middle) @ across).max()))
    return join_curves([long, make_polyline([end, end + off, start + off, start])])
