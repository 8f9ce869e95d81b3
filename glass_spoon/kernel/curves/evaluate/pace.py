"""Parameters of a curve over its length, from a table: for many questions to one curve."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.evaluate.arc_length import length_between, measure_length
from glass_spoon.kernel.curves.evaluate.closest_on_curve import span_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives

PLACES = 64
"""Places of a table at least, the curve's own breaks among them."""
SLOW = 1e-3
"""Share of its mean speed below which a curve is followed exactly at each question."""


@dataclass(frozen=True, eq=False)
class Pace:
    """The length of a curve in mm, and its parameters (n,) at lengths (n,) in mm from its start.

    Exact at the table's places, a smooth cubic between them; the same from both ends.
    """

    length: float
    domain: tuple[float, float]
    follow: Callable[[Floats], Floats]

    def at(self, totals: Floats) -> Floats:
        """Return the parameters (n,) at lengths (n,)."""
        return np.clip(self.follow(np.clip(totals, 0.0, self.length)), *self.domain)

    def reversed(self) -> Pace:
        """Return that of the same curve run through from its end, over the same domain."""
        ends = sum(self.domain)
        return Pace(self.length, self.domain, lambda totals: ends - self.follow(self.length - totals))


def keep_pace(curve: NurbsCurve) -> Pace:
    """Return the parameters of a curve over its length."""
    params = span_params(curve, -(-PLACES // (len(curve.breaks) - 1)))
    speed = lengths(curve_derivatives(curve, params, 1)[1])
    if speed.min() < SLOW * speed.mean():
        arc = measure_length(curve)
        return Pace(arc.length, curve.domain, arc.to_params)
    totals = np.concatenate(([0.0], np.cumsum(length_between(curve, params[:-1], params[1:]))))
    return Pace(float(totals[-1]), curve.domain, scipy.interpolate.CubicHermiteSpline(totals, params, 1 / speed))
