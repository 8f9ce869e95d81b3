"""Groups that pairs join, against networkx."""

from __future__ import annotations

import networkx
import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from glass_spoon.kernel.groups import joined_groups


@given(st.integers(1, 30), st.lists(st.tuples(st.integers(0, 29), st.integers(0, 29)), max_size=40))
def test_groups_are_connected_components_numbered_by_their_lowest(count: int, pairs: list[tuple[int, int]]) -> None:
    """networkx's connected components are the same, and numbers rise by lowest member."""
    pairs = [(a % count, b % count) for a, b in pairs]
    groups = joined_groups([a for a, _ in pairs], [b for _, b in pairs], count)
    graph = networkx.Graph(pairs)
    graph.add_nodes_from(range(count))
    found = {frozenset(np.flatnonzero(groups == k).tolist()) for k in range(groups.max() + 1)}
    assert found == {frozenset(part) for part in networkx.connected_components(graph)}
    lowest = [int(np.flatnonzero(groups == k)[0]) for k in range(groups.max() + 1)]
    assert lowest == sorted(lowest)
