"""Revolve a curve about an axis: exact rational surfaces."""

from __future__ import annotations

from math import pi

import numpy as np
import scipy
from numpy.typing import ArrayLike

from glass_spoon.kernel.arrays import Floats, cross, directions, lengths
from glass_spoon.kernel.curves.alter.edit_knots import reverse_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.line_and_arc import unit_arc
from glass_spoon.kernel.errors import CrossesAxis, InvalidInput
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface


def revolve_curve(
    profile: NurbsCurve, origin: ArrayLike, axis: ArrayLike, angle: float, tolerance: float = 1e-6
) -> NurbsSurface:
    """Return the surface of a profile turned about an axis by `angle` radians: u round, v along the profile.

    origin (3,) mm and axis (3,) place the axis; points within `tolerance` mm of it lie on it exactly. The surface faces
    away from the axis, whichever way the profile was drawn. The NURBS Book, section 8.5 (algorithm A8.1).
    Raises CrossesAxis, with the places, for a profile on both sides of the axis; InvalidInput for a zero axis, an angle
    of zero or over a whole turn, or a profile that lies on the axis.
    """
    place, unit = np.asarray(origin, dtype=np.float64), directions(np.asarray(axis, dtype=np.float64))
    if not lengths(unit) > 0 or not np.isfinite(unit).all():
        raise InvalidInput("The axis", "a direction", "a zero vector")
    if not 0 < abs(angle) <= 2 * pi + 1e-12:
        raise InvalidInput("The angle", "above 0° and at most 360°", f"{np.degrees(angle):g}°")
    _check_side(profile, place, unit, tolerance)
    if _faces_inward(profile, place, unit) != (angle < 0):
        profile = reverse_curve(profile)
    return _turn(profile, place, unit, float(np.clip(angle, -2 * pi, 2 * pi)), tolerance)


def _turn(profile: NurbsCurve, place: Floats, unit: Floats, angle: float, tolerance: float) -> NurbsSurface:
    """Turn every control point on its own exact arc."""
    angles, weights, knots = unit_arc(angle)
    foot = place + ((profile.control_points - place) @ unit)[:, None] * unit
    x_axis = profile.control_points - foot
    near = lengths(x_axis) <= tolerance
    x_axis[near] = 0.0
    y_axis = cross(np.broadcast_to(unit, x_axis.shape), x_axis)
    cosines, sines = np.cos(angles) / weights, np.sin(angles) / weights
    net = foot + cosines[:, None, None] * x_axis + sines[:, None, None] * y_axis
    if abs(abs(angle) - 2 * pi) < 1e-12:
        net[-1] = net[0]
    return NurbsSurface((2, profile.degree), (knots, profile.knots), net, np.outer(weights, profile.weights))


def _radial(profile: NurbsCurve, place: Floats, unit: Floats) -> tuple[Floats, Floats]:
    """Return the part of the control points across the axis (n, 3) and the direction (3,) of the farthest one."""
    offset = profile.control_points - place
    across = offset - (offset @ unit)[:, None] * unit
    return across, directions(across[int(np.argmax(lengths(across)))])


def _check_side(profile: NurbsCurve, place: Floats, unit: Floats, tolerance: float) -> None:
    """Raise CrossesAxis unless the profile stays on one side; exact roots of the signed distance's numerator."""
    across, side = _radial(profile, place, unit)
    distance = across @ side
    if np.abs(distance).max() <= tolerance:
        raise InvalidInput("The profile", "away from the axis", "on the axis")
    if distance.min() >= -tolerance or lengths(across - distance[:, None] * side).max() > tolerance:
        return
    spline = scipy.interpolate.BSpline(profile.knots, distance * profile.weights, profile.degree)
    low, high = profile.domain
    roots = np.asarray(scipy.interpolate.PPoly.from_spline(spline.tck).roots(extrapolate=False))
    stops = np.unique(np.concatenate(([low], roots[np.isfinite(roots)], profile.breaks, [high])))
    middle = spline((stops[:-1] + stops[1:]) / 2)
    behind = np.flatnonzero(middle < -tolerance)
    if not len(behind):
        return
    ends = np.unique(np.concatenate((stops[behind], stops[behind + 1])))
    crossing = ends[np.abs(spline(ends)) <= max(tolerance, 1e-9 * np.abs(distance).max())]
    raise CrossesAxis(curve_points(profile, crossing if len(crossing) else ends))


def _faces_inward(profile: NurbsCurve, place: Floats, unit: Floats) -> bool:
    """Say whether the profile runs so that u round and v along give normals towards the axis.

    The signed volume under the profile, half the integral of r^2 dh, decides: a profile drawn upwards faces outwards.
    """
    params = np.linspace(*profile.domain, 257)
    offset = curve_points(profile, params) - place
    height = offset @ unit
    squared = np.einsum("ij,ij->i", offset, offset) - height**2
    volume = float(((squared[1:] + squared[:-1]) / 2) @ np.diff(height))
    scale = float(squared.max()) * float(lengths(np.diff(profile.control_points, axis=0)).sum())
    if abs(volume) > 1e-9 * scale:
        return volume < 0
    return bool(np.sqrt(max(squared[-1], 0.0)) > np.sqrt(max(squared[0], 0.0)))
