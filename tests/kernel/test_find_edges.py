"""Edges found by their ends."""

from __future__ import annotations

import networkx as nx
import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from glass_spoon.kernel.meshes.topology import make_topology

GRID = make_topology(9, [[0, 1, 4, 3], [1, 2, 5, 4], [3, 4, 7, 6], [4, 5, 8, 7]])


def test_an_edge_is_found_by_its_ends_in_either_order():
    """The direction in which the two ends are given does not matter."""
    ends = GRID.edges.ends
    every = np.arange(len(ends))
    assert (GRID.find_edges(ends) == every).all()
    assert (GRID.find_edges(ends[:, ::-1]) == every).all()


def test_pairs_that_no_edge_joins_are_told():
    """Diagonals and points alone give -1, also on a topology without edges."""
    assert GRID.find_edges(np.array([[0, 4], [0, 1], [8, 0]])).tolist()[::2] == [-1, -1]
    assert make_topology(4).find_edges(np.array([[0, 1]])).tolist() == [-1]


@given(st.permutations(range(9)), st.lists(st.tuples(st.integers(0, 8), st.integers(0, 8)), max_size=20))
def test_edges_are_those_of_a_graph_whatever_the_numbering(numbers, pairs):
    """networkx finds an edge wherever the topology does, under any numbering."""
    order = np.array(numbers)
    topology = make_topology(9, order[GRID.face_corners].reshape(-1, 4))
    graph = nx.Graph([tuple(pair) for pair in order[GRID.edges.ends].tolist()])
    found = topology.find_edges(np.array(pairs, dtype=np.int64).reshape(-1, 2))
    for pair, edge in zip(pairs, found.tolist(), strict=True):
        assert (edge >= 0) == graph.has_edge(*pair)
        if edge >= 0:
            assert sorted(topology.edges.ends[edge].tolist()) == sorted(pair)
