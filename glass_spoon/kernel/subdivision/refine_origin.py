"""Where the elements of a mesh one step finer come from (see `refine_topology` for how they are numbered)."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, Ints
from glass_spoon.kernel.meshes.origin import Origin, Sources
from glass_spoon.kernel.meshes.topology import Topology


@dataclass(frozen=True, eq=False)
class RefinedCorners:
    """The corners (4 h,) of a finer mesh: each corner kept, the middles of its sides, and the middle of its face."""

    topology: Topology

    def mix(self, values: Floats) -> Floats:
        """Return corner values (4 h, ...): corners kept, edges halved, faces averaged."""
        topology, flat = self.topology, values.reshape(len(values), -1)
        middle = (flat + flat[topology.next_corner]) / 2
        if topology.is_quads:
            center = np.repeat(flat.reshape(-1, 4, flat.shape[1]).mean(axis=1), 4, axis=0)
        else:
            total = np.add.reduceat(flat, topology.face_offsets[:-1], axis=0)
            center = (total / topology.face_sides[:, None])[topology.face_of_corner]
        laid = np.stack((flat, middle, center, middle[topology.previous_corner]), axis=1)
        return laid.reshape(-1, *values.shape[1:])

    @cached_property
    def first(self) -> Ints:
        """The corner whose quad it is."""
        return np.repeat(np.arange(len(self.topology.face_corners)), 4)

    @cached_property
    def between(self) -> Bools | None:
        """All but the corners that were kept."""
        return np.tile([False, True, True, True], len(self.topology.face_corners))

    @cached_property
    def matrix(self) -> scipy.sparse.csr_array:
        """Weights (4 h, h)."""
        topology, count = self.topology, len(self.topology.face_corners)
        own = scipy.sparse.eye_array(count, format="csr")
        ahead = scipy.sparse.csr_array((np.ones(count), (np.arange(count), topology.next_corner)), shape=(count, count))
        back = scipy.sparse.csr_array((np.ones(count), (np.arange(count), topology.previous_corner)), shape=(count, count))
        in_face = scipy.sparse.csr_array(
            (1 / topology.face_sides[topology.face_of_corner], (topology.face_of_corner, np.arange(count))),
            shape=(topology.face_count, count),
        )
        middle = in_face[topology.face_of_corner]
        stacked = scipy.sparse.vstack((own, (own + ahead) / 2, middle, (own + back) / 2), format="csr")
        order = np.arange(4 * count).reshape(4, count).T.ravel()
        return scipy.sparse.csr_array(stacked[order])


def refine_origin(topology: Topology, points: Sources) -> Origin:
    """Return where the elements of the mesh one step finer come from; points: where its vertices do."""

    def pairs() -> Ints:
        edges = np.arange(2 * len(topology.edges.ends))
        return np.column_stack((edges, edges // 2))

    return Origin(topology, points, RefinedCorners(topology), topology.face_of_corner.astype(np.int64), pairs)
