"""Rewrite a curve without changing its shape: insert knots, raise the degree, split, reverse, re-parametrise."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import ArrayLike

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate.blossom import conversion_matrix, raised_knots
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve, from_homogeneous
from glass_spoon.kernel.errors import InvalidInput


def insert_knots(curve: NurbsCurve, params: ArrayLike) -> NurbsCurve:
    """Return the same curve with knots added at params (k,), repeats allowed (The NURBS Book, section 5.2 and 5.3).

    Raises InvalidInput when a parameter lies outside the open domain or its multiplicity would pass the degree.
    """
    added = np.sort(np.asarray(params, dtype=np.float64).ravel())
    low, high = curve.domain
    if len(added) and not ((added > low) & (added < high)).all():
        raise InvalidInput("A new knot", f"between {low:g} and {high:g}", "outside")
    knots = np.sort(np.concatenate((curve.knots, added)))
    if len(added) and np.unique(knots, return_counts=True)[1][1:-1].max() > curve.degree:
        raise InvalidInput("A new knot", f"repeated at most {curve.degree} times", "repeated more often")
    matrix = conversion_matrix(curve.knots, curve.degree, knots, curve.degree)
    return from_homogeneous(curve.degree, knots, matrix @ curve.homogeneous)


def elevate_degree(curve: NurbsCurve, degree: int) -> NurbsCurve:
    """Return the same curve written with a higher degree (The NURBS Book, section 5.5).

    Raises InvalidInput when `degree` is below the curve's own.
    """
    if degree < curve.degree:
        raise InvalidInput("The new degree", f"{curve.degree} or more", str(degree))
    if degree == curve.degree:
        return curve
    knots = raised_knots(curve.knots, curve.degree, degree - curve.degree)
    matrix = conversion_matrix(curve.knots, curve.degree, knots, degree)
    return from_homogeneous(degree, knots, matrix @ curve.homogeneous)


def split_curve(curve: NurbsCurve, param: float) -> tuple[NurbsCurve, NurbsCurve]:
    """Return the two pieces of a curve, before and after an inner parameter; each keeps its parameters."""
    before, after = cut_curve(curve, [param])
    return before, after


def cut_curve(curve: NurbsCurve, params: Sequence[float]) -> list[NurbsCurve]:
    """Return the pieces of a curve between inner parameters, which rise; each keeps its parameters."""
    p = curve.degree
    missing = [p - int(np.count_nonzero(curve.knots == param)) for param in params]
    full = insert_knots(curve, np.repeat(params, missing))
    firsts = np.searchsorted(full.knots, params, side="left").tolist()
    pieces = []
    for k, (start, end) in enumerate(pairwise([0, *firsts, len(full.knots) - p])):
        # Between two cuts stand the knots of both, each of them once more than in the whole.
        knots = full.knots[start : end + p]
        knots = knots if k == len(firsts) else np.append(knots, params[k])
        knots = np.insert(knots, 0, params[k - 1]) if k else knots
        pieces.append(from_homogeneous(p, knots, full.homogeneous[max(start - 1, 0) : end if k < len(firsts) else None]))
    return pieces


def trim_curve(curve: NurbsCurve, start: float, end: float) -> NurbsCurve:
    """Return the piece between two parameters of the domain, start < end."""
    low, high = curve.domain
    if not low <= start < end <= high:
        raise InvalidInput("The piece", f"inside {low:g} to {high:g}", f"{start:g} to {end:g}")
    piece = curve if end == high else split_curve(curve, end)[0]
    return piece if start == low else split_curve(piece, start)[1]


def reverse_curve(curve: NurbsCurve) -> NurbsCurve:
    """Return the curve run through from its end; its own inverse."""
    low, high = curve.domain
    return NurbsCurve(curve.degree, low + high - curve.knots[::-1], curve.control_points[::-1], curve.weights[::-1])


def rescale_domain(curve: NurbsCurve, start: float, end: float) -> NurbsCurve:
    """Return the curve with its domain moved linearly to start .. end."""
    low, high = curve.domain
    knots = start + (curve.knots - low) * ((end - start) / (high - low))
    knots[: curve.degree + 1], knots[-curve.degree - 1 :] = start, end
    return NurbsCurve(curve.degree, knots, curve.control_points, curve.weights)


def join_curves(pieces: list[NurbsCurve]) -> NurbsCurve:
    """Return one curve of pieces that meet end to start; every joint is a knot of full multiplicity.

    Pieces are raised to the highest degree among them and scaled to one weight at the joints; a joint takes its place
    from the earlier piece. Parameters run on: each piece keeps the length of its domain.
    """
    degree = max(piece.degree for piece in pieces)
    raised = [elevate_degree(piece, degree) for piece in pieces]
    knots: list[Floats] = []
    control: list[Floats] = []
    at, weight = raised[0].domain[0], raised[0].weights[0]
    for number, piece in enumerate(raised):
        moved = rescale_domain(piece, at, at + piece.domain[1] - piece.domain[0])
        points = moved.homogeneous * (weight / moved.weights[0])
        knots.append(moved.knots[(0 if number == 0 else degree + 1) : -1])
        control.append(points if number == 0 else points[1:])
        at, weight = moved.domain[1], points[-1, 3]
    return from_homogeneous(degree, np.append(np.concatenate(knots), at), np.vstack(control))


def bezier_pieces(curve: NurbsCurve) -> Floats:
    """Return the homogeneous control points (pieces, degree + 1, 4) of every polynomial piece, by full knots."""
    values, counts = np.unique(curve.knots, return_counts=True)
    full = insert_knots(curve, np.repeat(values[1:-1], curve.degree - counts[1:-1]))
    pieces = len(values) - 1
    index = np.arange(pieces)[:, None] * curve.degree + np.arange(curve.degree + 1)
    return full.homogeneous[index]
