"""Where a surface is sharp: isocurves across which its tangent turns at once."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate_curve import closed_at_kink, find_kinks
from glass_spoon.kernel.curves.round_corners import SHARP_ANGLE
from glass_spoon.kernel.surfaces.edit_surface import isocurves
from glass_spoon.kernel.surfaces.surface import NurbsSurface


def surface_kinks(surface: NurbsSurface, axis: int) -> Floats:
    """Return the inner parameters (k,) of an axis at which isocurves along it have sharp points."""
    inner = surface.knots[axis][surface.degrees[axis] + 1 : -surface.degrees[axis] - 1]
    if not len(inner) or np.unique(inner, return_counts=True)[1].max() < surface.degrees[axis]:
        return np.zeros(0)
    found = [find_kinks(row, SHARP_ANGLE) for row in isocurves(surface, axis, _looked_at(surface, 1 - axis))]
    return np.unique(np.concatenate(found))


def is_smooth_ring(surface: NurbsSurface, axis: int, tolerance: float = 1e-6) -> bool:
    """Say whether an axis comes back to its start without a sharp point there."""
    if not surface.is_closed(axis, tolerance):
        return False
    rows = isocurves(surface, axis, _looked_at(surface, 1 - axis)[1:-1])
    return not any(closed_at_kink(row, SHARP_ANGLE) for row in rows)


def _looked_at(surface: NurbsSurface, axis: int) -> Floats:
    """Return parameters across which sharpness is looked for: an odd one between all knots, ends included."""
    breaks = np.unique(surface.knots[axis])
    return np.unique(np.concatenate((breaks, breaks[:-1] + 0.4 * np.diff(breaks))))
