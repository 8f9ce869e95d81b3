"""Basis functions and what they weigh, place by place: most questions are asked at so few places that array steps cost more
than their answers.

Piegl, Tiller: The NURBS Book, 2nd edition, algorithms A2.1 to A2.3, A4.2 and A4.4.
"""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import AnyInts, Floats
from glass_spoon.kernel.compiled import compiled


@compiled
def basis_at(knots: Floats, degree: int, param: float, span: int, table: Floats, out: Floats) -> None:
    """Write derivatives 0 to len(out) - 1 of the degree + 1 functions at one parameter to `out`, zero above the degree.

    table (degree + 1, degree + 1): room for the functions of every lower degree.
    """
    table[0, 0] = 1.0
    for p in range(1, degree + 1):
        kept = 0.0
        for r in range(p):
            after, before = knots[span + r + 1] - param, param - knots[span + 1 - p + r]
            share = table[p - 1, r] / (after + before)
            table[p, r] = kept + after * share
            kept = before * share
        table[p, p] = kept
    for k in range(len(out)):
        if k > degree:
            out[k, :] = 0.0
            continue
        for r in range(degree - k + 1):
            out[k, r] = table[degree - k, r]
        for q in range(degree - k + 1, degree + 1):
            kept = 0.0
            for r in range(q):
                scaled = q * out[k, r] / (knots[span + r + 1] - knots[span + 1 - q + r])
                out[k, r] = kept - scaled
                kept = scaled
            out[k, q] = kept


@compiled
def span_of(knots: Floats, degree: int, param: float) -> int:
    """Return the span of one parameter: the last one that is not empty has the end of the domain, and what lies beyond."""
    low, high = degree, len(knots) - degree - 1
    while high > low + 1 and knots[high - 1] == knots[high]:
        high -= 1
    while high - low > 1:
        middle = (low + high) // 2
        if knots[middle] <= param:
            low = middle
        else:
            high = middle
    return low


@compiled
def basis_rows(knots: Floats, degree: int, params: Floats, spans: AnyInts, order: int) -> Floats:
    """Return derivatives (order + 1, n, degree + 1) of the functions that do not vanish, at params (n,) in spans (n,)."""
    result = np.empty((order + 1, len(params), degree + 1))
    table, own = np.empty((degree + 1, degree + 1)), np.empty((order + 1, degree + 1))
    for i in range(len(params)):
        basis_at(knots, degree, params[i], spans[i], table, own)
        result[:, i, :] = own
    return result


@compiled
def curve_rows(net: Floats, knots: Floats, degree: int, params: Floats, spans: AnyInts, order: int) -> Floats:
    """Return derivatives (order + 1, n, 3) of a curve at params (n,) in their spans (n,); without any (0,) they are found.

    net: (points, 3) of a plain curve, (points, 4) homogeneous.
    """
    result = np.empty((order + 1, len(params), 3))
    table, basis = np.empty((degree + 1, degree + 1)), np.empty((order + 1, degree + 1))
    masses = np.empty(order + 1)
    for i in range(len(params)):
        span = spans[i] if len(spans) else span_of(knots, degree, params[i])
        basis_at(knots, degree, params[i], span, table, basis)
        if net.shape[1] == 4:
            sum_weighted(net, span - degree, degree, basis, masses, result, i)
        else:
            sum_plain(net, span - degree, degree, basis, result, i)
    return result


@compiled
def bundle_rows(
    net: Floats, knots: Floats, curves: AnyInts, which: AnyInts, params: Floats, spans: AnyInts, order: int
) -> Floats:
    """Return derivatives (order + 1, n, 3) of the curves which (n,) of many, as `curve_rows` does for one.

    net: (points, 4) of all in turn, homogeneous; knots: those of all in turn. curves: (curves, 5) the first point and the
    first knot of each, how many knots it has, its degree, and whether it is plain.
    """
    result = np.empty((order + 1, len(params), 3))
    most = curves[:, 3].max() + 1
    table, basis, masses = np.empty((most, most)), np.empty((order + 1, most)), np.empty(order + 1)
    for i in range(len(params)):
        point, knot, count, degree, plain = curves[which[i]]
        own = knots[knot : knot + count]
        span = spans[i] if len(spans) else span_of(own, degree, params[i])
        basis_at(own, degree, params[i], span, table, basis)
        if plain:
            sum_plain(net, point + span - degree, degree, basis, result, i)
        else:
            sum_weighted(net, point + span - degree, degree, basis, masses, result, i)
    return result


@compiled
def sum_plain(net: Floats, first: int, degree: int, basis: Floats, out: Floats, at: int) -> None:
    """Write the sums of points from the first on by derivatives of functions (order + 1, ...) to out[:, at]."""
    for k in range(len(basis)):
        x, y, z = 0.0, 0.0, 0.0
        for r in range(degree + 1):
            share = basis[k, r]
            x += share * net[first + r, 0]
            y += share * net[first + r, 1]
            z += share * net[first + r, 2]
        out[k, at, 0], out[k, at, 1], out[k, at, 2] = x, y, z


@compiled
def sum_weighted(net: Floats, first: int, degree: int, basis: Floats, masses: Floats, out: Floats, at: int) -> None:
    """Write derivatives of a place from homogeneous points to out[:, at] (equation 4.8); masses (order + 1,): room."""
    sum_plain(net, first, degree, basis, out, at)
    for k in range(len(basis)):
        masses[k] = 0.0
        for r in range(degree + 1):
            masses[k] += basis[k, r] * net[first + r, 3]
        ways = 1.0
        for j in range(1, k + 1):
            ways = ways * (k + 1 - j) / j
            for axis in range(3):
                out[k, at, axis] -= ways * masses[j] * out[k - j, at, axis]
        for axis in range(3):
            out[k, at, axis] /= masses[0]


@compiled
def surface_rows(
    net: Floats, knots_u: Floats, knots_v: Floats, degrees: tuple[int, int], us: Floats, vs: Floats, order: int
) -> Floats:
    """Return derivatives of a surface at u (n,), v (n,), up to a total order of 0, 1 or 2: (1, 3 or 6, n, 3).

    In the order of S, S_u, S_v, S_uu, S_uv, S_vv. net: (nu, nv, 3) of a plain surface, (nu, nv, 4) homogeneous.
    """
    (p, q), plain = degrees, net.shape[2] == 3
    result = np.empty(((order + 1) * (order + 2) // 2, len(us), 3))
    table_u, table_v = np.empty((p + 1, p + 1)), np.empty((q + 1, q + 1))
    basis_u, basis_v = np.empty((order + 1, p + 1)), np.empty((order + 1, q + 1))
    weighted, row = np.zeros((order + 1, order + 1, 4)), np.empty((order + 1, 4))
    for i in range(len(us)):
        span_u, span_v = span_of(knots_u, p, us[i]), span_of(knots_v, q, vs[i])
        basis_at(knots_u, p, us[i], span_u, table_u, basis_u)
        basis_at(knots_v, q, vs[i], span_v, table_v, basis_v)
        sum_net(net[span_u - p : span_u + 1, span_v - q : span_v + 1], basis_u, basis_v, row, weighted)
        if plain:
            weighted[0, 0, 3] = 1.0
        divide_weights(weighted, result[:, i])
    return result


@compiled
def sum_net(net: Floats, basis_u: Floats, basis_v: Floats, row: Floats, out: Floats) -> None:
    """Write the sums of a net (p + 1, q + 1, 3 or 4) by derivatives of functions (order + 1, ...) to `out`, by order."""
    order, width = len(basis_u) - 1, net.shape[2]
    out[:] = 0.0
    for a in range(net.shape[0]):
        row[:] = 0.0
        for b in range(net.shape[1]):
            for axis in range(width):
                for along in range(order + 1):
                    row[along, axis] += basis_v[along, b] * net[a, b, axis]
        for k in range(order + 1):
            for along in range(order + 1 - k):
                for axis in range(width):
                    out[k, along, axis] += basis_u[k, a] * row[along, axis]


@compiled
def divide_weights(weighted: Floats, out: Floats) -> None:
    """Write derivatives of a place (1, 3 or 6, 3) from its homogeneous sums by their orders (equation 4.20)."""
    order, over = len(weighted) - 1, 1.0 / weighted[0, 0, 3]
    for axis in range(3):
        out[0, axis] = weighted[0, 0, axis] * over
        if order > 0:
            out[1, axis] = (weighted[1, 0, axis] - weighted[1, 0, 3] * out[0, axis]) * over
            out[2, axis] = (weighted[0, 1, axis] - weighted[0, 1, 3] * out[0, axis]) * over
        if order > 1:
            twice_u = weighted[2, 0, axis] - 2 * weighted[1, 0, 3] * out[1, axis] - weighted[2, 0, 3] * out[0, axis]
            mixed = weighted[1, 1, axis] - weighted[1, 0, 3] * out[2, axis] - weighted[0, 1, 3] * out[1, axis]
            twice_v = weighted[0, 2, axis] - 2 * weighted[0, 1, 3] * out[2, axis] - weighted[0, 2, 3] * out[0, axis]
            out[3, axis] = twice_u * over
            out[4, axis] = (mixed - weighted[1, 1, 3] * out[0, axis]) * over
            out[5, axis] = twice_v * over
