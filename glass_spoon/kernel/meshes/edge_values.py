"""Values of edges carried along when a mesh is made anew from another."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints
from glass_spoon.kernel.meshes.mesh import Attributes
from glass_spoon.kernel.meshes.topology import Indices, Topology


def carry_edges(values: Attributes, old: Ints | Indices, new: Ints | Indices, topology: Topology) -> dict[str, Floats]:
    """Return edge values by name for `topology`, whose edges `new` (k,) come from the edges `old` (k,) of the values.

    An edge with several origins gets the largest value, one without any zero; values below zero count as zero.
    """
    result = {}
    for name, value in values.items():
        laid = np.zeros((len(topology.edges.ends), *value.shape[1:]))
        np.maximum.at(laid, new, value[old])
        result[name] = laid
    return result


def reordered_edges(values: Attributes, before: Topology, after: Topology) -> dict[str, Floats]:
    """Return edge values by name for a topology all of whose edges join vertices that an edge joined before."""
    at = before.find_edges(after.edges.ends)
    return {name: value[at] for name, value in values.items()}
