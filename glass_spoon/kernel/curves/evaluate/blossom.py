"""The blossom (polar form) of a B-spline as a matrix: one routine behind knot insertion, elevation and splitting.

Ramshaw: Blossoms are polar forms, CAGD 6 (1989). The control point i of a spline of degree p is its blossom at
knots[i+1] .. knots[i+p]; so any change of knots or degree is a set of blossom values, linear in the old control points.
"""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints
from glass_spoon.kernel.curves.evaluate.basis import find_spans


def blossom_matrix(knots: Floats, degree: int, arguments: Floats, spans: Ints) -> Floats:
    """Return the matrix (m, control points) that gives the blossom of piece spans[j] at arguments[j].

    `arguments` is (m, degree): the polar form has as many arguments as the degree, in any order.
    """
    rows = len(arguments)
    weights = np.broadcast_to(np.eye(degree + 1), (rows, degree + 1, degree + 1)).copy()
    for r in range(1, degree + 1):
        index = spans[:, None] - degree + np.arange(r, degree + 1)
        low, high = knots[index], knots[index + degree - r + 1]
        ratio = ((arguments[:, r - 1, None] - low) / (high - low))[:, :, None]
        weights[:, r:] = (1 - ratio) * weights[:, r - 1 : degree] + ratio * weights[:, r:]
    matrix = np.zeros((rows, len(knots) - degree - 1))
    np.put_along_axis(matrix, spans[:, None] - degree + np.arange(degree + 1), weights[:, degree], axis=1)
    return matrix


def conversion_matrix(knots: Floats, degree: int, new_knots: Floats, new_degree: int) -> Floats:
    """Return the matrix (new, old) that rewrites a spline over finer knots or a higher degree.

    The new knots must hold every old knot at least often enough (its multiplicity plus the degree raised).
    Degree elevation averages the blossom over the arguments left out (The NURBS Book, equation 5.36 in polar form).
    """
    count = len(new_knots) - new_degree - 1
    sets = new_knots[np.arange(count)[:, None] + 1 + np.arange(new_degree)]
    spans = find_spans(knots, degree, _inner_params(new_knots, new_degree))
    if new_degree == degree:
        return blossom_matrix(knots, degree, sets, spans)
    if new_degree == degree + 1:
        parts = [blossom_matrix(knots, degree, np.delete(sets, i, axis=1), spans) for i in range(new_degree)]
        return sum(parts[1:], parts[0]) / new_degree
    middle = raised_knots(knots, degree, 1)
    step = conversion_matrix(knots, degree, middle, degree + 1)
    return conversion_matrix(middle, degree + 1, new_knots, new_degree) @ step


def raised_knots(knots: Floats, degree: int, by: int) -> Floats:
    """Return the knots with every distinct value repeated `by` times more: the knots of the elevated spline."""
    distinct, counts = np.unique(knots[: len(knots)], return_counts=True)
    return np.repeat(distinct, np.minimum(counts, degree + 1) + by)


def _inner_params(knots: Floats, degree: int) -> Floats:
    """Return for each control point a parameter inside the widest non-empty span of its support."""
    count = len(knots) - degree - 1
    steps = np.diff(knots)[np.arange(count)[:, None] + np.arange(degree + 1)]
    start = np.arange(count) + steps.argmax(axis=1)
    return (knots[start] + knots[start + 1]) / 2
