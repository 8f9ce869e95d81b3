"""Curves that are another one moved, or moved and turned about the upright."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve

CONGRUENT = 1e-9
"""Share of its size by which a copy may be off."""


def placement_of_copy(first: NurbsCurve, other: NurbsCurve, *, turned: bool) -> Placement | None:
    """Return the move that brings one curve onto another, turned about the upright if `turned`; None where none does."""
    alike = first.degree == other.degree and first.control_points.shape == other.control_points.shape
    if not (alike and np.array_equal(first.weights, other.weights) and np.array_equal(first.knots, other.knots)):
        return None
    start = first.control_points[0]
    own, there = first.control_points - start, other.control_points - other.control_points[0]
    matrix = np.eye(3)
    if turned:
        farthest = int(np.argmax(np.hypot(own[:, 0], own[:, 1])))
        before, after = (complex(*away[farthest, :2]) for away in (own, there))
        turn = after / before if abs(before) > 0 else 1.0 + 0j
        turn = turn / abs(turn) if abs(turn) > 0 else 1.0 + 0j
        matrix[:2, :2] = [[turn.real, -turn.imag], [turn.imag, turn.real]]
    off = lengths(own @ matrix.T - there).max()
    if off > CONGRUENT * (1.0 + float(lengths(own).max())):
        return None
    return Placement(matrix, other.control_points[0] - matrix @ start)
