"""Where a surface is sharp: isocurves across which its tangent turns at once."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.alter.round_corners import SHARP_ANGLE
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import closed_at_kink, find_kinks, tangent_sides
from glass_spoon.kernel.surfaces.alter.edit_surface import isocurves
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_derivatives
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface

FLAT = 1e-6
"""A tangent whose sine to the direction across is below this leaves the normal open."""


POINT = 1e-9
"""Share of the size of a surface below which an isocurve is one point."""


def surface_kinks(surface: NurbsSurface, axis: int) -> Floats:
    """Return the inner parameters (k,) of an axis at which isocurves along it have sharp points."""
    inner = surface.knots[axis][surface.degrees[axis] + 1 : -surface.degrees[axis] - 1]
    if not len(inner) or np.unique(inner, return_counts=True)[1].max() < surface.degrees[axis]:
        return np.zeros(0)
    return find_creases(surface, axis, _looked_at(surface, 1 - axis), SHARP_ANGLE)


def find_creases(surface: NurbsSurface, axis: int, across: Floats, angle: float) -> Floats:
    """Return the inner parameters (k,) of an axis at which isocurves along it, at `across` (m,), are sharp.

    An edge of the surface is sharp where its tangent turns by more than `angle` radians at once. Inside, the normal must
    turn too: of a loft between unlike sections the isocurves may turn within the smooth surface, which is no crease.
    """
    found = []
    ends = surface.domain(1 - axis)
    for row, place in zip(isocurves(surface, axis, across), across.tolist(), strict=True):
        if float(np.ptp(row.control_points, axis=0).max()) <= POINT * surface.size:
            continue  # a pole has no direction that could turn
        kinks = find_kinks(row, angle)
        if len(kinks) and place not in ends:
            kinks = kinks[_normals_turn(surface, axis, row, kinks, place) > angle]
        found.append(kinks)
    return np.unique(np.concatenate(found))


def _normals_turn(surface: NurbsSurface, axis: int, row: NurbsCurve, kinks: Floats, place: float) -> Floats:
    """Return by how much the normal turns (k,) rad across knots of an isocurve; as much as its tangent where it has none."""
    before, after = tangent_sides(row, kinks)
    beside = np.full(len(kinks), place)
    u, v = (kinks, beside) if axis == 0 else (beside, kinks)
    over = surface_derivatives(surface, u, v, 1)[(0, 1) if axis == 0 else (1, 0)]
    normals = [np.cross(tangent, over) for tangent in (before, after)]
    lost = np.minimum(*(lengths(normal) for normal in normals)) <= FLAT * np.maximum(lengths(over), 1e-300)
    one, two = (np.where(lost[:, None], tangent, normal) for tangent, normal in zip((before, after), normals, strict=True))
    return np.arctan2(lengths(np.cross(one, two)), np.einsum("ij,ij->i", one, two))


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
