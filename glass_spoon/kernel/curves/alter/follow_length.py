"""Parameters that follow the length of a curve from joint to joint, however its pieces were made."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.edit_knots import join_curves
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve

LENGTH_SHARE = 1e-9
"""Share of its length to which a curve is measured."""


def find_joints(curve: NurbsCurve) -> Floats:
    """Return the inner parameters (n,) at which pieces of a curve are joined: knots of full multiplicity."""
    values, counts = np.unique(curve.knots, return_counts=True)
    joints: Floats = values[1:-1][counts[1:-1] >= curve.degree]
    return joints


def follow_length(curve: NurbsCurve) -> NurbsCurve:
    """Return the same curve over 0 to its length in mm, every piece between joints over its own length.

    Knots move linearly inside a piece, so points, weights and shape stay: at a knot of full multiplicity the speed may
    jump. A piece without length keeps a sliver of the domain.
    """
    stops = np.concatenate(([curve.domain[0]], find_joints(curve), [curve.domain[1]]))
    totals = measure_length(curve, LENGTH_SHARE).at_params(stops)
    sizes = np.maximum(np.diff(totals), LENGTH_SHARE * max(float(totals[-1]), 1e-300))
    ends = np.concatenate(([0.0], np.cumsum(sizes)))
    return NurbsCurve(curve.degree, np.interp(curve.knots, stops, ends), curve.control_points, curve.weights)


def chain_curves(pieces: list[NurbsCurve]) -> NurbsCurve:
    """Return one curve of pieces that meet end to start (`join_curves`), its parameters following the length."""
    return follow_length(join_curves(pieces))
