"""A curve pulled by control points: a uniform B-spline of chosen degree, with weights and sharp points, open or closed."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import ArrayLike

from glass_spoon.kernel.arrays import Bools, Floats, checked_points
from glass_spoon.kernel.curves.alter.edit_knots import elevate_degree, join_curves
from glass_spoon.kernel.curves.evaluate.blossom import conversion_matrix
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve, from_homogeneous
from glass_spoon.kernel.errors import InvalidInput

MAX_DEGREE = 7


def pulled_curve(
    points: ArrayLike, degree: int, weights: ArrayLike | None = None, sharp: ArrayLike | None = None, *, closed: bool = False
) -> NurbsCurve:
    """Return the curve of control points (n, 3) mm, weights (n,), and `sharp` (n,) marking points that it runs into.

    An open curve starts and ends at its first and last point; a closed one is smooth all round, or starts at its first
    sharp point. Knots are evenly spaced. A run between sharp points with too few points has a lower degree, raised.
    Raises InvalidInput for a degree outside 1 to 7, too few points, and weights that are not positive.
    """
    if not 1 <= degree <= MAX_DEGREE:
        raise InvalidInput("The degree", f"1 to {MAX_DEGREE}", str(degree))
    array = checked_points(points, "Control points", 3 if closed else 2)
    mass = np.ones(len(array)) if weights is None else np.asarray(weights, dtype=np.float64)
    if mass.shape != (len(array),) or not (mass > 0).all() or not np.isfinite(mass).all():
        raise InvalidInput("The weights", f"{len(array)} positive numbers", "otherwise")
    corner = np.zeros(len(array), dtype=bool) if sharp is None else np.asarray(sharp, dtype=bool)
    control = np.column_stack((array * mass[:, None], mass))
    if closed and not corner.any():
        return _periodic(control, min(degree, len(array) - 1))
    if closed:
        first = int(np.argmax(corner))
        control, corner = np.roll(control, -first, axis=0), np.roll(corner, -first)
        control, corner = np.vstack((control, control[:1])), np.append(corner, True)
    return _runs(control, corner, degree)


def _runs(control: Floats, corner: Bools, degree: int) -> NurbsCurve:
    """Return one curve of the runs between sharp points, each with a domain as long as its spans."""
    cuts = np.unique(np.concatenate(([0], np.flatnonzero(corner), [len(control) - 1])))
    runs = [_clamped(control[a : b + 1], min(degree, b - a)) for a, b in pairwise(cuts)]
    if len(runs) == 1:
        return runs[0]
    most = max(run.degree for run in runs)
    return join_curves([elevate_degree(run, most) for run in runs])


def _clamped(control: Floats, degree: int) -> NurbsCurve:
    """Return the open curve of homogeneous points (n, 4)."""
    spans = len(control) - degree
    knots = np.concatenate((np.zeros(degree), np.arange(spans + 1.0), np.full(degree, float(spans))))
    return from_homogeneous(degree, knots, control)


def _periodic(control: Floats, degree: int) -> NurbsCurve:
    """Return the closed curve, as smooth at its seam as elsewhere, rewritten with clamped knots."""
    count = len(control)
    wrapped = np.vstack((control, control[:degree]))
    knots = np.arange(-degree, count + degree + 1.0)
    inner = np.arange(1.0, count)
    clamped = np.concatenate((np.zeros(degree + 1), inner, np.full(degree + 1, float(count))))
    result = conversion_matrix(knots, degree, clamped, degree) @ wrapped
    result[-1] = result[0]
    return from_homogeneous(degree, clamped, result)
