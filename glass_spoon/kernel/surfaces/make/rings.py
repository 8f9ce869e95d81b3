"""Rings that a skin is drawn over: round, oval, or rectangles with rounded corners, level at given heights."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from math import pi

import numpy as np
import scipy

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.curves.alter.place_curve import moving, place_curve
from glass_spoon.kernel.curves.evaluate.arc_length import ArcLength, measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.fit_function import CHECKS
from glass_spoon.kernel.curves.make.flat_shapes import make_elliptic_arc, make_rectangle
from glass_spoon.kernel.curves.make.interpolate import from_polynomials
from glass_spoon.kernel.errors import InvalidInput

FIRST_SPANS, MOST_SPANS = 16, 256


ROUNDEST = 0.98
"""Share of half a ring's width that its corners may take."""


@dataclass(frozen=True)
class Ring:
    """A ring: height, width (along x), depth (along y) in mm; corner: radius in mm of a rounded rectangle, None if round."""

    height: float
    width: float
    depth: float
    corner: float | None = None


def fitting_ring(ring: Ring) -> Ring:
    """Return the ring with corners that fit it: a little straight is left of each side, so that it runs as others do."""
    if ring.corner is None or min(ring.width, ring.depth) <= 0:
        return ring
    most = ROUNDEST * min(ring.width, ring.depth) / 2
    return replace(ring, corner=most) if ring.corner > most else ring


def ring_curve(ring: Ring) -> NurbsCurve:
    """Return a ring about the z axis, started at its right-hand middle, run counter-clockwise.

    Corners that do not fit are as round as the ring allows (`fitting_ring`). Raises InvalidInput for a width or depth not
    above 0.
    """
    if min(ring.width, ring.depth) <= 0:
        raise InvalidInput(
            f"The ring at {ring.height:g} mm", "above 0 mm wide and deep", f"{ring.width:g} by {ring.depth:g} mm"
        )
    ring = fitting_ring(ring)
    lift = moving([0.0, 0.0, ring.height])
    if ring.corner is None:
        return place_curve(make_elliptic_arc((0, 0), ring.width / 2, ring.depth / 2, 0.0, 0.0, 2 * pi), lift)
    return place_curve(make_rectangle(ring.width, ring.depth, ring.corner), lift)


def even_rings(rings: list[Ring], tolerance: float, spans: int | None = None) -> list[NurbsCurve]:
    """Return rings written as smooth cubics over even steps of their length, within `tolerance` mm.

    Rings of several shapes run at several speeds where their sides and corners join; lofted as they are, they would leave
    faint creases. All take one number of spans: `spans`, or as many as the worst needs, doubled up to MOST_SPANS.
    """
    if spans:
        return [_ring_fit(ring, spans)[0] for ring in rings]
    count = FIRST_SPANS
    while count < MOST_SPANS and max(_ring_fit(ring, count)[1] for ring in rings) > tolerance:
        count *= 2
    return [_ring_fit(ring, count)[0] for ring in rings]


@lru_cache(maxsize=1024)
def _ring_fit(ring: Ring, count: int) -> tuple[NurbsCurve, float]:
    """Return the periodic cubic through places at even shares of a ring's length, and about how far in mm it is off.

    Both run by length, so places at equal shares are no nearer than the curves are.
    """
    arc = _ring_arc(ring)
    shares = np.linspace(0.0, 1.0, count + 1)
    places = curve_points(arc.curve, arc.to_params(shares * arc.length))
    places[-1] = places[0]
    fit = from_polynomials(scipy.interpolate.CubicSpline(shares, places, bc_type="periodic"))
    between = (np.arange(count)[:, None] + CHECKS).ravel() / count
    apart = curve_points(fit, between) - curve_points(arc.curve, arc.to_params(between * arc.length))
    return fit, float(lengths(apart).max())


@lru_cache(maxsize=1024)
def _ring_arc(ring: Ring) -> ArcLength:
    """Return the arc length of a ring."""
    return measure_length(ring_curve(ring), 1e-8)
