"""Groups of things that pairs join: connected components."""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import ArrayLike

from glass_spoon.kernel.arrays import Ints


def joined_groups(first: ArrayLike, second: ArrayLike, count: int) -> Ints:
    """Return the group (count,) of each of `count` things: pairs of `first` (k,) and `second` (k,) join them.

    Groups are numbered from 0 in the order of their lowest member. Cost: linear in things and pairs.

    >>> joined_groups([3, 1], [0, 2], 5).tolist()
    [0, 1, 1, 0, 2]
    """
    rows, columns = np.asarray(first, dtype=np.int32), np.asarray(second, dtype=np.int32)
    graph = scipy.sparse.coo_array((np.ones(len(rows), dtype=np.int8), (rows, columns)), shape=(count, count))
    return np.asarray(scipy.sparse.csgraph.connected_components(graph, directed=False)[1], dtype=np.int64)
