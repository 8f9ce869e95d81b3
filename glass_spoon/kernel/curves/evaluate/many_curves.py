"""Points and derivatives of many curves at once: what is asked of each alone would cost as much as the asking."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints
from glass_spoon.kernel.curves.evaluate.basis import basis_derivatives, find_spans
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import rational_derivatives


def curves_derivatives(
    curves: Sequence[NurbsCurve], params: Sequence[Floats], order: int, spans: Sequence[Ints] | None = None
) -> list[Floats]:
    """Return for each curve the derivatives 0 to `order` (order + 1, n, 3) at its parameters (n,), as `curve_derivatives`.

    Curves of one degree are evaluated together, over their knots one after another. spans: of each curve's own knots.
    """
    kinds: dict[tuple[int, bool], list[int]] = {}
    for number, curve in enumerate(curves):
        kinds.setdefault((curve.degree, curve.is_plain), []).append(number)
    found: list[Floats] = [np.zeros(0)] * len(curves)
    for (degree, is_plain), members in kinds.items():
        own = [curves[number] for number in members]
        here = [params[number] for number in members]
        if spans is None:
            which = [find_spans(curve.knots, degree, at) for curve, at in zip(own, here, strict=True)]
        else:
            which = [spans[number] for number in members]
        firsts = np.cumsum([0, *(len(curve.knots) for curve in own)])
        # A curve has as many knots more than points as its degree and one: so much room is left behind its points.
        room = np.zeros((3 if is_plain else 4, degree + 1))
        columns = np.concatenate([part for curve in own for part in (curve.columns, room)], axis=1)
        every = np.concatenate([part + first for part, first in zip(which, firsts, strict=False)])
        knots = np.concatenate([curve.knots for curve in own])
        basis = basis_derivatives(knots, degree, np.concatenate(here), order, every).transpose(0, 2, 1)
        near = columns.take(every + np.arange(-degree, 1)[:, None], axis=1)
        weighted = np.einsum("krn,crn->ckn", basis, near)
        values = weighted.transpose(1, 2, 0) if is_plain else rational_derivatives(weighted)
        ends = np.cumsum([len(at) for at in here])[:-1]
        for number, part in zip(members, np.split(values, ends, axis=1), strict=True):
            found[number] = np.ascontiguousarray(part)
    return found


def curves_points(curves: Sequence[NurbsCurve], params: Sequence[Floats]) -> list[Floats]:
    """Return for each curve its points (n, 3) in mm at its parameters (n,)."""
    return [values[0] for values in curves_derivatives(curves, params, 0)]
