"""The polygon mesh as a value: a topology, positions and named attributes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from types import MappingProxyType

import numpy as np
import scipy
from numpy.typing import ArrayLike

from glass_spoon.kernel.arrays import Floats, checked_points, cross, cross_columns, directions, frozen, sum_by_index
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.meshes.attributes import PLACES, Values, typed
from glass_spoon.kernel.meshes.topology import Topology, make_topology

Attributes = Mapping[str, Values]


@dataclass(frozen=True, eq=False)
class Mesh:
    """Positions (n, 3) mm over a topology, with attributes; trusted constructor, see `make_mesh`.

    points: name to (n, ...): "normal". edges: name to (e, ...): "sharpness" (creases; infinite stays sharp for ever).
    corners: name to (h, ...): "uv". faces: name to (f, ...): "piece", "maker". Edge attributes follow the order of
    topology.edges; types and carrying of attributes are those of attributes.py.
    """

    topology: Topology
    positions: Floats
    points: Attributes = field(default_factory=dict)
    edges: Attributes = field(default_factory=dict)
    corners: Attributes = field(default_factory=dict)
    faces: Attributes = field(default_factory=dict)

    def __post_init__(self) -> None:
        """Make arrays and mappings read-only."""
        object.__setattr__(self, "positions", frozen(self.positions))
        for place in PLACES:
            values = {name: typed(place, name, value) for name, value in getattr(self, place).items()}
            object.__setattr__(self, place, MappingProxyType(values))

    @property
    def point_count(self) -> int:
        """Number of vertices."""
        return self.topology.point_count

    @property
    def face_count(self) -> int:
        """Number of faces."""
        return self.topology.face_count

    @cached_property
    def corner_columns(self) -> list[Floats]:
        """The x, the y and the z (h,) of every corner: arithmetic on columns is several times faster than on rows."""
        return [np.ascontiguousarray(self.positions[:, k])[self.topology.face_corners] for k in range(3)]

    @cached_property
    def face_normals(self) -> Floats:
        """Unit normals (f, 3) by Newell's sum; zero for a face without area."""
        return frozen(directions(self.face_vectors))

    @cached_property
    def face_vectors(self) -> Floats:
        """Area vectors (f, 3) in mm^2: half the sum of cross products round each face, taken from its first corner."""
        corners = self.topology.face_corners
        if self.topology.is_quads:
            quads = [column.reshape(-1, 4) for column in self.corner_columns]
            straight, across = ([quad[:, k + 2] - quad[:, k] for quad in quads] for k in (0, 1))
            return frozen(np.column_stack(cross_columns(straight, across)) / 2)
        first = self.positions[corners[self.topology.face_offsets[:-1]]]
        base = np.repeat(first, self.topology.face_sides, axis=0)
        here = self.positions[corners] - base
        there = self.positions[corners[self.topology.next_corner]] - base
        return frozen(_sum_by_face(cross(here, there), self.topology) / 2)

    @cached_property
    def face_centers(self) -> Floats:
        """Means of the corners of each face (f, 3) in mm."""
        if self.topology.is_quads:
            quads = [column.reshape(-1, 4) for column in self.corner_columns]
            return frozen(np.column_stack([quad[:, 0] + quad[:, 1] + quad[:, 2] + quad[:, 3] for quad in quads]) / 4)
        total = _sum_by_face(self.positions[self.topology.face_corners], self.topology)
        return frozen(total / self.topology.face_sides[:, None])

    @cached_property
    def vertex_normals(self) -> Floats:
        """Unit normals (n, 3): area vectors of the faces summed at their vertices."""
        spread = self.face_vectors[self.topology.face_of_corner]
        total = sum_by_index(self.topology.face_corners, spread, self.point_count)
        return frozen(directions(total))

    @cached_property
    def vertex_tree(self) -> scipy.spatial.cKDTree:
        """A search tree over the vertices, shared by all that ask for near ones."""
        return scipy.spatial.cKDTree(
            self.positions, compact_nodes=False, balanced_tree=False
        )  # built in less than half the time

    def moved(self, positions: Floats, normals: Floats | None = None) -> Mesh:
        """Return the mesh with other positions (n, 3); the point normals are replaced or dropped."""
        points = {name: value for name, value in self.points.items() if name != "normal"}
        if normals is not None:
            points["normal"] = normals
        return replace(self, positions=positions, points=points)


def make_mesh(positions: ArrayLike, faces: ArrayLike, *, offsets: ArrayLike | None = None) -> Mesh:
    """Return a mesh of checked positions (n, 3) mm and faces as in `make_topology`.

    Raises InvalidInput for positions that are not finite and faces that make_topology refuses.
    """
    array = checked_points(positions, "Positions", 0)
    return Mesh(make_topology(len(array), faces, offsets=offsets), array)


def check_mesh(mesh: Mesh) -> None:
    """Raise InvalidInput when sizes disagree: an independent check of any result."""
    topology = make_topology(mesh.point_count, mesh.topology.face_corners, offsets=mesh.topology.face_offsets)
    if mesh.positions.shape != (mesh.point_count, 3) or not np.isfinite(mesh.positions).all():
        raise InvalidInput("Positions", f"{mesh.point_count} finite points", f"{mesh.positions.shape}")
    sizes = (
        ("points", mesh.points, mesh.point_count),
        ("edges", mesh.edges, len(topology.edges.ends)),
        ("corners", mesh.corners, len(topology.face_corners)),
        ("faces", mesh.faces, mesh.face_count),
    )
    for place, values, count in sizes:
        for name, value in values.items():
            if len(value) != count:
                raise InvalidInput(f"The attribute {name} on {place}", f"{count} rows", f"{len(value)}")


def _sum_by_face(values: Floats, topology: Topology) -> Floats:
    """Sum corner values (h, k) over each face (f, k)."""
    if not topology.face_count:
        return np.zeros((0, values.shape[1]))
    return np.asarray(np.add.reduceat(values, topology.face_offsets[:-1], axis=0))
