"""Join a curve with its mirror image, welded where it meets the mirror."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.edit_knots import join_curves, reverse_curve
from glass_spoon.kernel.curves.alter.place_curve import mirroring, place_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.errors import KernelError

NEAR = 1e-3
"""How far in mm from the mirror an end may lie and still be put onto it."""


def weld_mirrored(curve: NurbsCurve, normal: Floats, at: float) -> NurbsCurve:
    """Return a curve and its image in the mirror x . normal = at (mm), joined at the end that lies on the mirror.

    With both ends there the result is closed. Raises KernelError when no end lies within NEAR of the mirror.
    """
    other = place_curve(curve, mirroring(at * normal, normal))
    off = np.abs(curve.control_points[[0, -1]] @ normal - at)
    if off.min() > NEAR:
        raise KernelError(
            f"The nearer end of the curve is {off.min():.4g} mm off the mirror. Bring it there, or mirror the curve alone."
        )
    if off[1] <= NEAR:
        pieces = [_onto(curve, -1, normal, at), reverse_curve(_onto(other, -1, normal, at))]
    else:
        pieces = [reverse_curve(_onto(other, 0, normal, at)), _onto(curve, 0, normal, at)]
    joined = join_curves(pieces)
    if off.max() > NEAR:
        return joined
    control = joined.control_points.copy()
    control[0] = control[-1] = _on_mirror(control[0], normal, at)
    return NurbsCurve(joined.degree, joined.knots, control, joined.weights)


def _onto(curve: NurbsCurve, index: int, normal: Floats, at: float) -> NurbsCurve:
    """Return the curve with an end put exactly on the mirror."""
    control = curve.control_points.copy()
    control[index] = _on_mirror(control[index], normal, at)
    return NurbsCurve(curve.degree, curve.knots, control, curve.weights)


def _on_mirror(point: Floats, normal: Floats, at: float) -> Floats:
    """Return the point (3,) of the mirror nearest to a point (3,)."""
    return point - (point @ normal - at) * normal
