"""B-spline basis functions against The NURBS Book, geomdl and SciPy."""

import numpy as np
import pytest
from geomdl import helpers
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import BSpline

from glass_spoon.kernel.curves.evaluate.basis import basis_derivatives, basis_matrix, find_spans, sparse_basis

# The NURBS Book, 2nd edition, example 2.3 (page 68) and example 2.4 (page 71), from memory.
BOOK_KNOTS = np.array([0, 0, 0, 1, 2, 3, 4, 4, 5, 5, 5], dtype=float)


def test_span_of_the_books_example():
    """u = 5/2 lies in span 4 of degree 2."""
    assert find_spans(BOOK_KNOTS, 2, np.array([2.5]))[0] == 4


def test_values_of_the_books_example():
    """N_2,2 = 1/8, N_3,2 = 6/8, N_4,2 = 1/8 at u = 5/2."""
    assert np.allclose(basis_derivatives(BOOK_KNOTS, 2, np.array([2.5]), 0)[0, 0], [1 / 8, 6 / 8, 1 / 8], atol=1e-15)


def test_derivatives_of_the_books_example():
    """N' = -1/2, 0, 1/2 and N'' = 1, -2, 1 at u = 5/2."""
    values = basis_derivatives(BOOK_KNOTS, 2, np.array([2.5]), 2)[:, 0]
    assert np.allclose(values[1], [-0.5, 0, 0.5], atol=1e-15)
    assert np.allclose(values[2], [1, -2, 1], atol=1e-15)


def test_last_parameter_belongs_to_the_last_span():
    """At u = 5 only the last function is one."""
    assert np.allclose(basis_matrix(BOOK_KNOTS, 2, np.array([5.0]))[0], [0, 0, 0, 0, 0, 0, 0, 1])


def test_derivatives_above_the_degree_are_zero():
    """The third derivative of a quadratic vanishes."""
    assert not basis_derivatives(BOOK_KNOTS, 2, np.array([2.5]), 3)[3].any()


knot_vectors = st.tuples(st.integers(1, 6), st.lists(st.floats(0.05, 0.95), min_size=0, max_size=8)).map(
    lambda pair: (
        pair[0],
        np.concatenate((np.zeros(pair[0] + 1), np.sort(np.unique(np.round(pair[1], 2))), np.ones(pair[0] + 1))),
    )
)


@settings(max_examples=60)
@given(knot_vectors, st.lists(st.floats(0, 1), min_size=1, max_size=9))
def test_partition_of_unity(case, params):
    """The functions sum to one and their derivatives to zero, and none is negative."""
    degree, knots = case
    values = basis_derivatives(knots, degree, np.array(params), degree)
    assert np.allclose(values[0].sum(axis=1), 1, atol=1e-13)
    assert values[0].min() >= -1e-15
    scale = np.abs(values[1]).max() + 1
    assert np.abs(values[1].sum(axis=1)).max() <= 1e-12 * scale


@settings(max_examples=40)
@given(knot_vectors, st.floats(0, 0.999))
def test_agrees_with_geomdl(case, param):
    """Values and derivatives are those of geomdl (an independent A2.2 and A2.3)."""
    degree, knots = case
    span = helpers.find_span_linear(degree, knots.tolist(), len(knots) - degree - 1, param)
    theirs = np.array(helpers.basis_function_ders(degree, knots.tolist(), span, param, degree))
    ours = basis_derivatives(knots, degree, np.array([param]), degree)[:, 0]
    assert np.allclose(ours, theirs, rtol=1e-9, atol=1e-9 * np.abs(theirs).max())


@pytest.mark.parametrize("degree", [1, 2, 3, 5])
def test_sparse_matrix_agrees_with_scipy(degree):
    """SciPy's design matrix is the same."""
    knots = np.concatenate((np.zeros(degree + 1), [0.2, 0.5, 0.5, 0.7] if degree > 1 else [0.2, 0.5], np.ones(degree + 1)))
    params = np.linspace(0, 1, 33)
    theirs = BSpline.design_matrix(params, knots, degree).toarray()
    assert np.allclose(sparse_basis(knots, degree, params).toarray(), theirs, atol=1e-14)
    assert np.allclose(basis_matrix(knots, degree, params), theirs, atol=1e-14)
