"""The array types of the kernel, and the making of read-only arrays."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, TypeVar

import numpy as np
from numpy.typing import ArrayLike, NDArray

from glass_spoon.kernel.compiled import compiled
from glass_spoon.kernel.errors import InvalidInput

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
AnyInts = NDArray[np.int32] | NDArray[np.int64]
Singles = NDArray[np.float32]
Bools = NDArray[np.bool_]
Real = TypeVar("Real", NDArray[np.float64], NDArray[np.float32])

ALIKE = 1e-12
"""Numbers no farther apart than this share of the largest are alike."""

_FEW = 2048
"""Rows up to which a loop over them costs less than steps over their columns."""

BESIDE = 1e-8 * np.array([0.48, 0.64, 0.6])
"""How far beside a place the nearest of something is sought, in sizes of it: between two that are as near, rounding would
choose, and otherwise at another size.
"""


def frozen(values: ArrayLike) -> Floats:
    """Return a read-only float64 copy, or the array itself when it is one already."""
    array = np.asarray(values, dtype=np.float64)
    if array.flags.writeable:
        array = array.copy()
        array.flags.writeable = False
    return array


def owned(values: Floats) -> Floats:
    """Return an array that its maker gives away, made read-only in place, so that `frozen` need not copy it."""
    values.flags.writeable = False
    return values


def frozen_ints(values: ArrayLike) -> NDArray[np.int32]:
    """Return a read-only int32 copy, or the array itself when it is one already."""
    array = np.asarray(values, dtype=np.int32)
    if array.flags.writeable:
        array = array.copy()
        array.flags.writeable = False
    return array


def checked_points(points: ArrayLike, name: str, least: int) -> Floats:
    """Return points (n, 3) as float64.

    Raises InvalidInput when the shape is another, a number is not finite, or there are fewer than `least`.
    """
    array = np.asarray(points, dtype=np.float64)
    if array.ndim != 2 or array.shape[1] != 3:
        raise InvalidInput(name, "rows of x, y, z", f"an array of shape {array.shape}")
    if not np.isfinite(array).all():
        raise InvalidInput(name, "finite numbers", "not finite (NaN or infinite)")
    if len(array) < least:
        raise InvalidInput(name, f"at least {least} points", f"{len(array)}")
    return array


def lengths(vectors: Floats) -> Floats:
    """Return the Euclidean length of vectors (..., 3), shape (...)."""
    if vectors.size < _FEW:
        return np.asarray(np.sqrt(np.vecdot(vectors, vectors)))
    return np.asarray(np.sqrt(np.einsum("...i,...i->...", vectors, vectors)))


def directions(vectors: Floats) -> Floats:
    """Return vectors (..., 3) scaled to length one; zero vectors stay zero."""
    size = lengths(vectors)[..., None]
    return np.divide(vectors, size, out=np.zeros_like(vectors), where=size > 0)


def cross(a: Floats, b: Floats) -> Floats:
    """Return the cross product of (..., 3) arrays, several times faster than numpy.cross."""
    if a.shape == b.shape and a.ndim == 2 and len(a) <= _FEW and a.dtype == b.dtype == np.float64:
        return _cross_rows(a, b)
    result = np.empty((3, *np.broadcast_shapes(a.shape, b.shape)[:-1]))
    for k, (i, j) in enumerate(((1, 2), (2, 0), (0, 1))):
        np.multiply(a[..., i], b[..., j], out=result[k])
        result[k] -= a[..., j] * b[..., i]
    return np.moveaxis(result, 0, -1)


@compiled
def _cross_rows(a: Floats, b: Floats) -> Floats:
    """Return the cross product of rows (n, 3)."""
    result = np.empty_like(a)
    for i in range(len(a)):
        result[i, 0] = a[i, 1] * b[i, 2] - a[i, 2] * b[i, 1]
        result[i, 1] = a[i, 2] * b[i, 0] - a[i, 0] * b[i, 2]
        result[i, 2] = a[i, 0] * b[i, 1] - a[i, 1] * b[i, 0]
    return result


def first_least(values: ArrayLike, alike: float = ALIKE) -> Ints:
    """Return which of values (..., k) is the first that is no more than `alike` of the least above it: rounding does not
    choose between places that are as near, nor another size of the same shape.
    """
    found = np.asarray(values, dtype=np.float64)
    least = found.min(axis=-1, keepdims=True)
    result: Ints = (found <= least + alike * np.abs(found).max(axis=-1, keepdims=True)).argmax(axis=-1)
    return result


def sum_by_index(index: AnyInts, values: Floats, count: int) -> Floats:
    """Return the sums (count, k) of the rows of values (n, k) that share an index (n,)."""
    columns = [np.bincount(index, column, count) for column in values.T]
    return np.column_stack(columns).astype(np.float64, copy=False)


def cross_columns(a: list[Real], b: list[Real]) -> list[Real]:
    """Return the cross product of vectors given as columns x, y, z."""
    scratch = np.empty_like(a[0])
    result = []
    for i, j in ((1, 2), (2, 0), (0, 1)):
        column = a[i] * b[j]
        np.multiply(a[j], b[i], out=scratch)
        column -= scratch
        result.append(column)
    return result


def dot_columns(a: list[Real], b: list[Real]) -> Real:
    """Return the dot product of vectors given as columns x, y, z."""
    result = a[0] * b[0]
    scratch = a[1] * b[1]
    result += scratch
    np.multiply(a[2], b[2], out=scratch)
    result += scratch
    return result


def packed_rows(columns: Sequence[NDArray[np.floating[Any]]]) -> NDArray[np.complex128]:
    """Return vectors given as columns x, y, z (n,) as items of 16 bytes, x y z 0 in float32.

    Such rows are gathered by one `take`, several times faster than three columns; `view(np.float32)` shows the lanes.
    """
    lanes = np.zeros((len(columns[0]), 4), dtype=np.float32)
    for axis, column in enumerate(columns):
        lanes[:, axis] = column
    return lanes.view(np.complex128).ravel()


def dot_lanes(a: Singles, b: Singles, scratch: Singles) -> Singles:
    """Return the dot products (n,) of vectors (4n,), each x y z 0; `scratch` (4n,) is written over.

    The lanes are summed by a matrix product, which is faster than any reduction over a short axis.
    """
    return np.multiply(a, b, out=scratch).reshape(-1, 4) @ _LANES


_LANES = np.ones(4, dtype=np.float32)
