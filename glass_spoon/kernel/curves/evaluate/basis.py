"""B-spline basis functions and their derivatives, for many parameters at once.

Piegl, Tiller: The NURBS Book, 2nd edition, section 2.5, algorithms A2.1 to A2.3.
"""

from __future__ import annotations

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints
from glass_spoon.kernel.curves.evaluate.sums_at_places import basis_rows


def find_spans(knots: Floats, degree: int, params: Floats) -> Ints:
    """Return the knot span index i (n,) with knots[i] <= t < knots[i+1] (A2.1).

    The last parameter of the domain belongs to the last span that is not empty; parameters outside use the end spans.
    """
    last = int(np.searchsorted(knots, knots[len(knots) - degree - 1], side="left")) - 1
    spans = np.searchsorted(knots, params, side="right") - 1
    return np.minimum(np.maximum(spans, degree), max(last, degree))


def basis_derivatives(knots: Floats, degree: int, params: Floats, order: int, spans: Ints | None = None) -> Floats:
    """Return derivatives 0 to `order` of the degree + 1 functions that do not vanish (A2.3).

    Shape (order + 1, n, degree + 1): entry [k, j, r] is the k-th derivative of function spans[j] - degree + r at params[j].
    `spans` chooses the polynomial piece, for one-sided values at knots; None finds it. Those above the degree are zero.
    """
    spans = find_spans(knots, degree, params) if spans is None else spans
    return basis_rows(knots, degree, params, spans, order)


def basis_matrix(knots: Floats, degree: int, params: Floats, order: int = 0) -> Floats:
    """Return the dense matrix (n, control points) of the `order`-th derivatives of all basis functions."""
    spans = find_spans(knots, degree, params)
    values = basis_derivatives(knots, degree, params, order, spans)[order]
    matrix = np.zeros((len(params), len(knots) - degree - 1))
    np.put_along_axis(matrix, spans[:, None] - degree + np.arange(degree + 1), values, axis=1)
    return matrix


def sparse_basis(knots: Floats, degree: int, params: Floats, order: int = 0) -> scipy.sparse.csr_array:
    """Return the matrix (n, control points) of the `order`-th derivatives of all basis functions as a sparse array."""
    spans = find_spans(knots, degree, params)
    values = basis_derivatives(knots, degree, params, order, spans)[order]
    columns = (spans[:, None] - degree + np.arange(degree + 1)).ravel()
    starts = np.arange(len(params) + 1) * (degree + 1)
    return scipy.sparse.csr_array((values.ravel(), columns, starts), shape=(len(params), len(knots) - degree - 1))
