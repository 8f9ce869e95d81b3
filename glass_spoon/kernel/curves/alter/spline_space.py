"""Splines of one axis: where they are sought, where they are checked, and how they get finer."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate.basis import basis_matrix

DEGREE = 3
"""The least degree of what is written anew."""
CHECKS = np.array([0.25, 0.5, 0.75])
"""Shares of a span at which it is held against what it follows."""
SHARE = 0.3
"""Spans in which it is farther off than this share of the tolerance are halved."""
NARROWEST = 1e-6
"""Spans of less than this share of the whole are not halved."""


@dataclass(frozen=True)
class SplineSpace:
    """Splines of an axis: their degree, their knots, and the parameters at which they are sought and checked."""

    degree: int
    knots: Floats

    @classmethod
    def over(cls, knots: Floats, degree: int, least: int = DEGREE) -> SplineSpace:
        """Return the splines over the spans of others, as smooth as those are, of degree `least` at least."""
        own = max(degree, least)
        values, counts = np.unique(knots[degree + 1 : -degree - 1], return_counts=True)
        inner = np.repeat(values, np.minimum(counts + own - degree, own))
        return cls(own, np.concatenate((np.full(own + 1, knots[0]), inner, np.full(own + 1, knots[-1]))))

    def halved(self, off: Floats, tolerance: float) -> SplineSpace:
        """Return the splines with those spans halved in which something is off (spans,) by more than a share of mm."""
        edges = np.unique(self.knots)
        wide = np.diff(edges) > NARROWEST * (edges[-1] - edges[0])
        middles = ((edges[:-1] + edges[1:]) / 2)[(off > tolerance * SHARE) & wide]
        return SplineSpace(self.degree, np.sort(np.concatenate((self.knots, middles))))

    def with_knots(self, values: Floats, smooth: int) -> SplineSpace:
        """Return the splines that may be no smoother than C`smooth` at some parameters (k,) inside the domain."""
        low, high = self.knots[[0, -1]]
        near = np.abs(self.knots[:, None] - values).min(axis=1, initial=np.inf) < NARROWEST * (high - low)
        inside = values[(values > low + NARROWEST * (high - low)) & (values < high - NARROWEST * (high - low))]
        already = np.abs(self.knots - inside[:, None]) < NARROWEST * (high - low)
        counts = np.maximum(already.sum(axis=1), self.degree - smooth)
        places = np.where(already.any(axis=1), self.knots[already.argmax(axis=1)], inside)
        kept = self.knots[~near | (self.knots <= low) | (self.knots >= high)]
        return SplineSpace(self.degree, np.sort(np.concatenate((kept, np.repeat(places, counts)))))

    def by_span(self, off: Floats) -> Floats:
        """Return the largest (spans,) of what is off at the parameters in between (n,)."""
        return off.reshape(-1, len(CHECKS)).max(axis=1)

    @property
    def places(self) -> Floats:
        """The abscissae (n,) of the control points: at knots of full multiplicity one of them lies on the knot."""
        found = np.stack([self.knots[k + 1 : len(self.knots) - self.degree + k] for k in range(self.degree)]).mean(axis=0)
        return np.clip(found, self.knots[0], self.knots[-1])

    @property
    def between(self) -> Floats:
        """Parameters inside all spans."""
        edges = np.unique(self.knots)
        return (edges[:-1, None] + np.diff(edges)[:, None] * CHECKS).ravel()

    def solve(self, values: Floats) -> Floats:
        """Return control points (n, ...) of the splines through values (n, ...) at the places."""
        matrix = basis_matrix(self.knots, self.degree, self.places)
        found = np.linalg.solve(matrix, values.reshape(len(values), -1))
        return np.asarray(found.reshape(values.shape))
