"""The corners round every inner vertex of a mesh of quads, in order: many vertices of one valence are a table."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Ints
from glass_spoon.kernel.meshes.topology import Topology


@dataclass(frozen=True, eq=False)
class VertexRings:
    """Inner vertices (m,) of one valence k, and what lies round each, counter-clockwise from its lowest corner.

    spokes: (k, m) the other ends of the edges. far: (k, m) the corner across the face between spoke i and spoke i + 1.

            far 1 --- spoke 1 --- far 0
              |          |          |
            spoke 2 -- vertex -- spoke 0
    """

    vertices: Ints
    spokes: Ints
    far: Ints

    @property
    def valence(self) -> int:
        """The number of spokes."""
        return len(self.spokes)


def vertex_rings(topology: Topology) -> list[VertexRings]:
    """Return the rings of all vertices of quads that have faces all round, one table a valence.

    Vertices on a rim, where faces disagree about their side, or where two fans touch are left out. The walk takes as many
    rounds as the valence, for all vertices of it at once: from a corner the next one round its vertex is the twin of the
    half-edge that comes in.
    """
    corners = topology.face_corners
    first = topology.first_corners.astype(np.int64)
    around = topology.twins.take(topology.previous_corner).astype(np.int64)
    valences = topology.valences
    whole = (first >= 0) & ~topology.on_boundary & (np.bincount(corners, minlength=topology.point_count) == valences)
    return [
        _ring(topology, np.flatnonzero(whole & (valences == k)), first, around, int(k)) for k in np.unique(valences[whole])
    ]


def _ring(topology: Topology, vertices: Ints, first: Ints, around: Ints, valence: int) -> VertexRings:
    """Walk round vertices of one valence; those where the walk does not close are dropped."""
    corners = topology.face_corners
    spokes, far = (np.empty((valence, len(vertices)), dtype=np.int64) for _ in range(2))
    here = start = first[vertices]
    closed = np.ones(len(vertices), dtype=bool)
    for step in range(valence):
        face = here & ~3  # four corners a face
        spokes[step] = corners.take(face | ((here + 1) & 3))
        far[step] = corners.take(face | ((here + 2) & 3))
        here = around.take(here)
        closed &= (here >= 0) & ((here != start) | (step == valence - 1))
    closed &= here == start
    if closed.all():
        return VertexRings(vertices, spokes, far)
    return VertexRings(vertices[closed], spokes[:, closed], far[:, closed])
