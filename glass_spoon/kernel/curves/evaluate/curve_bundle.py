"""Many curves asked at once: what is asked of each is little, and each question of its own costs more than its answer."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.sums_at_places import bundle_rows

_FOUND = np.zeros(0, dtype=np.int64)
"""No spans: they are found."""


class CurveBundle:
    """Curves of any degrees, rational ones among plain ones, with all their points and knots in a row.

    domains: (curves, 2) the first and the last parameter of each.
    """

    def __init__(self, curves: Sequence[NurbsCurve]) -> None:
        """Take the curves, by whose numbers they are asked."""
        counts = np.array([[len(one.control_points), len(one.knots), one.degree, one.is_plain] for one in curves])
        counts = counts.reshape(-1, 4).astype(np.int64)
        firsts = np.cumsum(counts[:, :2], axis=0) - counts[:, :2]
        self._curves = np.column_stack((firsts, counts[:, 1:]))
        self.domains = np.array([one.domain for one in curves]).reshape(-1, 2)
        self._net = np.concatenate([one.homogeneous for one in curves]) if curves else np.zeros((0, 4))
        self._knots = np.concatenate([one.knots for one in curves]) if curves else np.zeros(0)

    def derivatives(self, which: Ints, params: Floats, order: int, spans: Ints | None = None) -> Floats:
        """Return derivatives 0 to `order` of the curves which (n,) at params (n,): (order + 1, n, 3), as those of one curve.

        `spans` chooses the polynomial piece for one-sided values at knots.
        """
        if not len(which):
            return np.zeros((order + 1, 0, 3))
        known = _FOUND if spans is None else spans
        return bundle_rows(self._net, self._knots, self._curves, which, params, known, order)

    def points(self, which: Ints, params: Floats) -> Floats:
        """Return points (n, 3) in mm of the curves which (n,) at params (n,)."""
        return self.derivatives(which, params, 0)[0]

    def of_each(self, params: Sequence[Floats], order: int, spans: Sequence[Ints] | None = None) -> list[Floats]:
        """Return for each curve its derivatives (order + 1, n, 3) at its own params (n,)."""
        counts = [len(own) for own in params]
        which = np.repeat(np.arange(len(counts)), counts)
        together = np.concatenate(params) if params else np.zeros(0)
        values = self.derivatives(which, together, order, None if spans is None else np.concatenate(spans))
        return np.split(values, np.cumsum(counts)[:-1], axis=1)
