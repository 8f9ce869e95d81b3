"""Readings of the shape of single faces."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.gauges.face_figures import FaceFigures
from glass_spoon.kernel.gauges.reading import Limits, Reading


def _least(code: str, values: Floats, unit: str, limit: float) -> Reading:
    """Read the least of values (f,), with the faces under the limit."""
    value = float(values.min()) if len(values) else float("nan")
    return Reading(code, value, unit, limit, at_least=True, kind="face", offenders=np.flatnonzero(values < limit))


def _largest(code: str, values: Floats, unit: str, limit: float) -> Reading:
    """Read the largest of values (f,), with the faces over the limit."""
    value = float(values.max()) if len(values) else float("nan")
    return Reading(code, value, unit, limit, kind="face", offenders=np.flatnonzero(values > limit))


def read_smallest_corner(figures: FaceFigures, limits: Limits) -> Reading:
    """Read the smallest corner angle in radians."""
    return _least("smallest_corner", figures.smallest_corners, "rad", limits.smallest_corner)


def read_largest_corner(figures: FaceFigures, limits: Limits) -> Reading:
    """Read the largest corner angle in radians."""
    return _largest("largest_corner", figures.largest_corners, "rad", limits.largest_corner)


def read_scaled_jacobian(figures: FaceFigures, limits: Limits) -> Reading:
    """Read the least scaled Jacobian."""
    return _least("scaled_jacobian", figures.scaled_jacobians, "", limits.scaled_jacobian)


def read_aspect_ratio(figures: FaceFigures, limits: Limits) -> Reading:
    """Read the largest aspect ratio."""
    return _largest("aspect_ratio", figures.aspect_ratios, "", limits.aspect_ratio)


def read_warpage(figures: FaceFigures, limits: Limits) -> Reading:
    """Read the largest warpage."""
    return _largest("warpage", figures.warpages, "", limits.warpage)
