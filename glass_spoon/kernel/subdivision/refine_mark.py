"""A mark on a cage, as it lies on the mesh some steps finer (see `refine_topology` for how elements are numbered)."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.meshes.marked import Mark
from glass_spoon.kernel.subdivision.refine_topology import refine_topology


def refine_mark(mark: Mark, levels: int) -> Mark:
    """Return the mark after `levels` steps: vertices stay, an edge is its two halves, a face the quads of its corners."""
    for _ in range(levels):
        topology = mark.topology
        finer = refine_topology(topology)
        if mark.kind == "edge":
            indices = (2 * mark.indices[:, None] + np.arange(2)).ravel()
        elif mark.kind == "face":
            indices = np.flatnonzero(mark.mask[topology.face_of_corner])
        else:
            indices = mark.indices
        mark = Mark(mark.kind, indices, finer)
    return mark
