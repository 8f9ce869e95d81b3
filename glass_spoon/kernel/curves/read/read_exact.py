"""Recognise curves that are exactly circular arcs."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats, cross, lengths
from glass_spoon.kernel.curves.evaluate.closest_on_curve import span_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives


@dataclass(frozen=True, eq=False)
class CircleArc:
    """A circular arc: centre (3,), radius in mm, unit normal (3,), start point (3,), and the angle run through, positive."""

    center: Floats
    radius: float
    normal: Floats
    start: Floats
    sweep: float


def find_arc(curve: NurbsCurve, tolerance: float = 1e-9) -> CircleArc | None:
    """Return the circular arc that a curve is, to `tolerance` of its radius; None when it is none, or over a whole turn."""
    if curve.degree < 2:
        return None
    params = span_params(curve, 5)
    params[0], params[-1] = curve.domain
    values = curve_derivatives(curve, params, 2)
    speed = lengths(values[1])
    if not speed.min() > 0:
        return None
    across = cross(values[1], values[2])
    bend = lengths(across) / speed**3
    if not bend.min() > 0 or np.ptp(bend) > 1e-6 * bend.mean():
        return None
    normal = across[0] / lengths(across[0])
    radius = 1 / float(bend.mean())
    center = values[0, 0] + radius * np.cross(normal, values[1, 0] / speed[0])
    out = values[0] - center
    off = np.maximum(np.abs(lengths(out) - radius), np.abs(out @ normal)).max()
    if off > tolerance * radius + 1e-12:
        return None
    steps = np.arctan2(cross(out[:-1], out[1:]) @ normal, np.einsum("ij,ij->i", out[:-1], out[1:]))
    if not (steps > 0).all() or steps.sum() > 2 * np.pi + 1e-9:
        return None
    return CircleArc(center, radius, normal, values[0, 0], float(steps.sum()))
