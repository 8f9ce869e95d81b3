"""Parameters of a curve over its length, from a table: for many questions to one curve."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.compiled import compiled
from glass_spoon.kernel.curves.evaluate.arc_length import lengths_between, measure_length
from glass_spoon.kernel.curves.evaluate.basis import find_spans
from glass_spoon.kernel.curves.evaluate.closest_on_curve import span_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.curve_bundle import CurveBundle

PLACES = 160
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
        low, high = self.domain
        return np.minimum(np.maximum(self.follow(np.minimum(np.maximum(totals, 0.0), self.length)), low), high)

    def reversed(self) -> Pace:
        """Return that of the same curve run through from its end, over the same domain."""
        ends = sum(self.domain)
        return Pace(self.length, self.domain, lambda totals: ends - self.follow(self.length - totals))


def keep_pace(curve: NurbsCurve) -> Pace:
    """Return the parameters of a curve over its length."""
    return keep_paces([curve])[0]


def keep_paces(curves: Sequence[NurbsCurve]) -> list[Pace]:
    """Return the parameters of curves over their lengths, all read at once."""
    if not curves:
        return []
    bundle = CurveBundle(curves)
    params = [span_params(curve, -(-PLACES // (len(curve.breaks) - 1))) for curve in curves]
    lows, highs = [part[:-1] for part in params], [part[1:] for part in params]
    # A speed may jump at a knot: each cell is read within its own span.
    spans = [find_spans(one.knots, one.degree, (a + b) / 2) for one, a, b in zip(curves, lows, highs, strict=True)]
    firsts, lasts = ([lengths(own[1]) for own in bundle.of_each(ends, 1, spans)] for ends in (lows, highs))
    cells = lengths_between(bundle, lows, highs, spans)
    return [_pace(*parts) for parts in zip(curves, lows, highs, firsts, lasts, cells, strict=True)]


def _pace(curve: NurbsCurve, low: Floats, high: Floats, first: Floats, last: Floats, steps: Floats) -> Pace:
    """Return the parameters of a curve over its length, from its speeds at both ends of cells and the cells' lengths."""
    if min(first.min(), last.min()) < SLOW * first.mean() or not steps.any():
        arc = measure_length(curve)
        return Pace(arc.length, curve.domain, arc.to_params)
    some = steps > 0  # a cut right beside a knot leaves a span in which cells have no width
    low, high, first, last, steps = (part[some] for part in (low, high, first, last, steps))
    totals = np.concatenate(([0.0], np.cumsum(steps)))
    mean, first, last = (high - low) / steps, 1 / first, 1 / last
    cubics = np.stack(((first + last - 2 * mean) / steps**2, (3 * mean - 2 * first - last) / steps, first, low), axis=1)
    return Pace(float(totals[-1]), curve.domain, lambda wanted: cubics_at(totals, cubics, wanted))


@compiled
def cubics_at(starts: Floats, cubics: Floats, places: Floats) -> Floats:
    """Return what cubics (m, 4), highest power first, from starts (m + 1,) on are at places (n,) between the first and the
    last.
    """
    found = np.empty(len(places))
    for i in range(len(places)):
        low = min(max(np.searchsorted(starts, places[i], side="right") - 1, 0), len(cubics) - 1)
        on = places[i] - starts[low]
        found[i] = ((cubics[low, 0] * on + cubics[low, 1]) * on + cubics[low, 2]) * on + cubics[low, 3]
    return found
