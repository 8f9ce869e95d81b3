"""A cubic curve through points, with sharp points, chosen ends, open or closed."""

from __future__ import annotations

from itertools import pairwise
from typing import Literal

import numpy as np
import scipy
from numpy.typing import ArrayLike

from glass_spoon.kernel.arrays import Bools, Floats, checked_points, lengths
from glass_spoon.kernel.curves.alter.edit_knots import join_curves
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.errors import InvalidInput

Spacing = Literal["chordal", "centripetal", "uniform"]


def interpolate_points(
    points: ArrayLike,
    sharp: ArrayLike | None = None,
    *,
    closed: bool = False,
    spacing: Spacing = "chordal",
    start_tangent: ArrayLike | None = None,
    end_tangent: ArrayLike | None = None,
) -> NurbsCurve:
    """Return the C2 cubic through points (n, 3) mm, broken at the `sharp` ones (n,) bool.

    Every run between sharp points is a cubic spline with natural ends (second derivative zero) or, at the two ends of
    the curve, clamped to a tangent (3,) when one is given; only its direction counts. A closed curve without sharp
    points is periodic; one with them starts at its first sharp point. The NURBS Book, section 9.2 (parameters: equations
    9.5 and 9.6). Raises InvalidInput for fewer than two points (three when closed) or neighbours that coincide.
    """
    array = checked_points(points, "Points", 3 if closed else 2)
    corner = np.zeros(len(array), dtype=bool) if sharp is None else np.asarray(sharp, dtype=bool).copy()
    if corner.shape != (len(array),):
        raise InvalidInput("The sharp points", f"{len(array)} yes-or-no values", f"{corner.size}")
    if closed:
        array, corner = _close(array, corner)
    _check_apart(array, closed=closed)
    if closed and not corner.any():
        return _periodic(array, spacing)
    cuts = np.unique(np.concatenate(([0], np.flatnonzero(corner), [len(array) - 1])))
    runs = [array[a : b + 1] for a, b in pairwise(cuts)]
    tangents: list[list[ArrayLike | None]] = [[None, None] for _ in runs]
    tangents[0][0], tangents[-1][1] = start_tangent, end_tangent
    return join_curves([_run(run, spacing, *ends) for run, ends in zip(runs, tangents, strict=True)])


def _close(points: Floats, corner: Bools) -> tuple[Floats, Bools]:
    """Turn the points so that a sharp one comes first, and repeat the first at the end."""
    first = int(np.argmax(corner)) if corner.any() else 0
    array, corner = np.roll(points, -first, axis=0), np.roll(corner, -first)
    return np.vstack((array, array[:1])), np.append(corner, corner[0])


def _check_apart(points: Floats, *, closed: bool) -> None:
    """Raise InvalidInput when two neighbours coincide."""
    steps = lengths(np.diff(points, axis=0))
    if (steps <= 1e-12 * max(float(np.abs(points).max()), 1e-300)).any():
        at = int(np.argmin(steps))
        other = 1 if closed and at == len(steps) - 1 else at + 2
        raise InvalidInput(f"Point {other}", f"apart from point {at + 1}", "at the same place")


def _params(points: Floats, spacing: Spacing) -> Floats:
    """Return parameters (n,) scaled to the length: totals of chords, of their roots (centripetal), or evenly (uniform)."""
    chords = lengths(np.diff(points, axis=0))
    steps = chords ** {"chordal": 1.0, "centripetal": 0.5, "uniform": 0.0}[spacing]
    return np.concatenate(([0.0], np.cumsum(steps))) * (chords.sum() / steps.sum())


def _run(points: Floats, spacing: Spacing, start: ArrayLike | None, end: ArrayLike | None) -> NurbsCurve:
    """Return the cubic through one smooth run of points."""
    params = _params(points, spacing)
    ends = (_end_condition(start, params), _end_condition(end, params))
    spline = scipy.interpolate.make_interp_spline(params, points, k=3, bc_type=ends)  # type: ignore[arg-type]  # the stubs know no lists of derivatives
    control = np.asarray(spline.c).copy()
    control[0], control[-1] = points[0], points[-1]
    return NurbsCurve(3, spline.t, control, np.ones(len(control)))


def _end_condition(tangent: ArrayLike | None, params: Floats) -> list[tuple[int, Floats]]:
    """Return SciPy's end condition: second derivative zero, or a first derivative of unit speed along the tangent."""
    if tangent is None:
        return [(2, np.zeros(3))]
    vector = np.asarray(tangent, dtype=np.float64)
    size = float(lengths(vector))
    if not size > 0 or not np.isfinite(size):
        raise InvalidInput("An end tangent", "a direction", "a zero vector")
    return [(1, vector / size)]


def _periodic(points: Floats, spacing: Spacing) -> NurbsCurve:
    """Return the closed cubic, C2 at its seam too, with clamped knots."""
    params = _params(points, spacing)
    pieces = scipy.interpolate.CubicSpline(params, points, bc_type="periodic")
    return from_polynomials(pieces)


def from_polynomials(pieces: scipy.interpolate.PPoly | scipy.interpolate.CubicSpline) -> NurbsCurve:
    """Return the C2 cubic B-spline with clamped knots of a piecewise cubic (4, m, 3).

    The knots are simple, so the control points follow from the values at the breaks and the two end derivatives.
    """
    ends = ([(1, pieces(pieces.x[0], 1))], [(1, pieces(pieces.x[-1], 1))])
    spline = scipy.interpolate.make_interp_spline(pieces.x, pieces(pieces.x), k=3, bc_type=ends)  # type: ignore[arg-type]  # the stubs know no lists of derivatives
    control = np.asarray(spline.c).copy()
    control[0] = control[-1] = pieces(pieces.x[0])
    return NurbsCurve(3, spline.t, control, np.ones(len(control)))
