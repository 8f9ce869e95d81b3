"""Arc length of a curve and its inverse."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, lengths
from glass_spoon.kernel.curves.evaluate.basis import find_spans
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.curve_bundle import CurveBundle
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives

_MANY = np.polynomial.legendre.leggauss(10)
_SOME = np.polynomial.legendre.leggauss(6)
_FEW = np.polynomial.legendre.leggauss(4)
"""Nodes and weights for a whole cell, for a small part of one, and for the short way of a Newton step."""


MOST_CELLS = 20_000
"""Cells that may still be halved at once; a curve that needs more is taken as it is then."""


@dataclass(frozen=True, eq=False)
class ArcLength:
    """A table of arc length along a curve.

    params (m + 1,) and totals (m + 1,) in mm at cell ends; inside a cell a Gauss rule of ten points is exact to `tolerance`.
    """

    curve: NurbsCurve
    params: Floats
    totals: Floats

    @property
    def length(self) -> float:
        """Whole length in mm."""
        return float(self.totals[-1])

    def at_params(self, params: Floats) -> Floats:
        """Return the length (n,) in mm from the start to params (n,)."""
        cell = np.clip(np.searchsorted(self.params, params, side="right") - 1, 0, len(self.params) - 2)
        return self.totals[cell] + length_between(self.curve, self.params[cell], params)

    def to_params(self, wanted: Floats, tolerance: float = 1e-10) -> Floats:
        """Return the parameters (n,) at which the length is `wanted` (n,) mm, by safeguarded Newton steps.

        `tolerance` is relative to the whole length; where the curve stands still (zero speed) the step bisects.
        """
        wanted = np.clip(wanted, 0.0, self.length)
        cell = np.clip(np.searchsorted(self.totals, wanted, side="right") - 1, 0, len(self.params) - 2)
        low, high = self.params[cell].copy(), self.params[cell + 1].copy()
        start, rest = low.copy(), wanted - self.totals[cell]
        spans = find_spans(self.curve.knots, self.curve.degree, (low + high) / 2)
        size = self.totals[cell + 1] - self.totals[cell]
        params = low + (high - low) * self._first_guess(cell, np.divide(rest, size, out=np.zeros_like(rest), where=size > 0))
        error = length_between(self.curve, start, params, spans) - rest
        for _ in range(60):
            if np.abs(error).max(initial=0.0) <= tolerance * self.length:
                break
            low, high = np.where(error < 0, params, low), np.where(error > 0, params, high)
            speed = lengths(curve_derivatives(self.curve, params, 1, spans)[1])
            step = params - np.divide(error, speed, out=np.full_like(error, np.inf), where=speed > 0)
            inside = (step >= low) & (step <= high)
            before, params = params, np.where(inside, step, (low + high) / 2)
            error = error + length_between(self.curve, before, params, spans, _FEW)
        # The ends exactly: beside a pole, even by a rounding, a surface has no direction that could be told.
        return np.where(wanted <= 0, self.params[0], np.where(wanted >= self.length, self.params[-1], params))

    def _first_guess(self, cell: Ints, share: Floats) -> Floats:
        """Return the fraction (n,) of a cell at which about `share` (n,) of its length is reached.

        Cubic Hermite inverse from the speeds at both ends of the cell; the plain share where those are no help.
        """
        first, last = self._end_slopes[0, cell], self._end_slopes[1, cell]
        square, cube = share**2, share**3
        guess = (cube - 2 * square + share) * first + (3 * square - 2 * cube) + (cube - square) * last
        return np.clip(guess, 0.0, 1.0)

    @cached_property
    def _end_slopes(self) -> Floats:
        """Mean speed over the speed at the start and the end of each cell (2, m), 1 where that is far too slow."""
        spans = find_spans(self.curve.knots, self.curve.degree, (self.params[:-1] + self.params[1:]) / 2)
        size, width = np.diff(self.totals), np.diff(self.params)
        ends = np.concatenate((self.params[:-1], self.params[1:]))
        speed = lengths(curve_derivatives(self.curve, ends, 1, np.tile(spans, 2))[1]).reshape(2, -1) * width
        return np.divide(size, speed, out=np.ones_like(speed), where=speed > size / 3)


def measure_length(curve: NurbsCurve, tolerance: float = 1e-11) -> ArcLength:
    """Return the arc-length table of a curve; `tolerance` is relative to the length of its control polygon.

    Gauss-Legendre over each knot span, halved until two halves agree with the whole (at most 24 times).
    """
    scale = float(lengths(np.diff(curve.control_points, axis=0)).sum()) or 1.0
    low, high = curve.breaks[:-1], curve.breaks[1:]
    done: list[tuple[Floats, Floats]] = []
    for _ in range(24):
        middle = (low + high) / 2
        spans = find_spans(curve.knots, curve.degree, middle)
        whole = length_between(curve, low, high, spans)
        halves = length_between(curve, low, middle, spans) + length_between(curve, middle, high, spans)
        good = np.abs(whole - halves) <= tolerance * scale
        done.append((low[good], halves[good]))
        low, high = (
            np.concatenate((low[~good], middle[~good])),
            np.concatenate((middle[~good], high[~good])),
        )
        if not len(low) or len(low) > MOST_CELLS:
            break
    if len(low):
        done.append((low, length_between(curve, low, high)))
    starts = np.concatenate([part[0] for part in done])
    order = np.argsort(starts)
    parts = np.concatenate([part[1] for part in done])[order]
    totals = np.concatenate(([0.0], np.cumsum(parts)))
    return ArcLength(curve, np.append(starts[order], curve.domain[1]), totals)


def length_between(
    curve: NurbsCurve, low: Floats, high: Floats, spans: Ints | None = None, rule: tuple[Floats, Floats] = _MANY
) -> Floats:
    """Return the lengths (n,) in mm from low (n,) to high (n,), each pair inside one knot span, by a Gauss rule."""
    half = (high - low) / 2
    nodes = (low + half)[:, None] + half[:, None] * rule[0]
    if spans is None:
        spans = find_spans(curve.knots, curve.degree, low + half)
    repeated = np.repeat(spans, len(rule[0]))
    speed = lengths(curve_derivatives(curve, nodes.ravel(), 1, repeated)[1]).reshape(nodes.shape)
    return half * (speed @ rule[1])


def lengths_between(
    bundle: CurveBundle, lows: Sequence[Floats], highs: Sequence[Floats], spans: Sequence[Ints]
) -> list[Floats]:
    """Return for each of many curves the lengths (n,) in mm from low (n,) to high (n,), each a small part of a span."""
    nodes, weights = _SOME
    counts = [len(low) for low in lows]
    which, low, high = np.repeat(np.arange(len(counts)), counts), np.concatenate(lows), np.concatenate(highs)
    half = (high - low) / 2
    places = ((low + half)[:, None] + half[:, None] * nodes).ravel()
    owners, pieces = (np.repeat(each, len(nodes)) for each in (which, np.concatenate(spans)))
    speeds = lengths(bundle.derivatives(owners, places, 1, pieces)[1]).reshape(len(half), -1)
    return np.split(half * (speeds @ weights), np.cumsum(counts)[:-1])
