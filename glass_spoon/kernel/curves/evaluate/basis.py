"""B-spline basis functions and their derivatives, for many parameters at once.

Piegl, Tiller: The NURBS Book, 2nd edition, section 2.5, algorithms A2.1 to A2.3, each written over arrays of parameters.
"""

from __future__ import annotations

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints


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
    table = _triangle(knots, degree, params, spans)
    if order == 0:
        return table[degree].T[None]
    result = np.zeros((order + 1, degree + 1, len(params)))
    result[0] = table[degree]
    for k in range(1, min(order, degree) + 1):
        result[k] = _derivative(knots, degree, spans, table[degree - k], k)
    return result.transpose(0, 2, 1)


def _triangle(knots: Floats, degree: int, params: Floats, spans: Ints) -> list[Floats]:
    """Return the functions of every degree 0 to `degree`: entry p has shape (p + 1, n) (A2.2).

    left[j] = t - u_{i+1-j} and right[j] = u_{i+j} - t, as in the book; each degree is one row of array steps.
    """
    around = knots.take(spans + np.arange(1 - degree, degree + 1)[:, None])
    left = params - around[:degree]  # j from the degree down to 1
    right = around[degree:] - params  # j from 1 up
    table = [np.ones((1, len(params)))]
    for p in range(1, degree + 1):
        before, after = left[degree - p :], right[:p]
        share = table[-1] / (after + before)
        row = np.zeros((p + 1, len(params)))
        np.multiply(before, share, out=row[1:])
        row[:-1] += after * share
        table.append(row)
    return table


def _derivative(knots: Floats, degree: int, spans: Ints, lower: Floats, k: int) -> Floats:
    """Raise functions of degree - k (degree - k + 1, n) to k-th derivatives of degree functions (equation 2.9, k times).

    N'_{i,q} = q (N_{i,q-1} / (u_{i+q} - u_i) - N_{i+1,q-1} / (u_{i+q+1} - u_{i+1}))
    """
    values = lower
    for q in range(degree - k + 1, degree + 1):
        around = knots.take(spans + np.arange(1 - q, q + 1)[:, None])
        scaled = q * values / (around[q:] - around[:q])
        values = np.zeros((q + 1, len(spans)))
        values[1:] = scaled
        values[:-1] -= scaled
    return values


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
