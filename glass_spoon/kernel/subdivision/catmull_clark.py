"""Catmull-Clark subdivision with boundaries and creases, as sparse matrices cached by topology.

Catmull, Clark: Recursively generated B-spline surfaces on arbitrary topological meshes, CAD 10 (1978).
Creases, sharp and semi-sharp: DeRose, Kass, Truong: Subdivision surfaces in character animation, SIGGRAPH 1998.
Boundary edges are creases of infinite sharpness; a vertex of one face only is a corner when `hold_corners` is set.
"""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass, replace
from functools import cached_property
from threading import Lock

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, Ints
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Weighted, carry
from glass_spoon.kernel.meshes.topology import Topology
from glass_spoon.kernel.subdivision.refine_origin import refine_origin
from glass_spoon.kernel.subdivision.refine_topology import refine_topology

MAX_LEVEL = 6


@dataclass(frozen=True, eq=False)
class Level:
    """One step of refinement: the finer topology and the matrices that place its points.

    faces: (f, n), the face points from the old points. rest: (n + e, n + f), the old vertices' and the edges' points from
    old points and face points. sharpness: (e', ) of the finer edges.
    """

    topology: Topology
    faces: scipy.sparse.csr_array
    rest: scipy.sparse.csr_array
    sharpness: Floats

    def apply(self, positions: Floats) -> Floats:
        """Return the points of the finer mesh (vertices, faces, edges) from the old ones, any number of columns."""
        old = len(positions)
        joined = np.empty((old + self.faces.shape[0], positions.shape[1]))
        joined[:old] = positions
        joined[old:] = self.faces @ positions
        moved = self.rest @ joined
        return np.concatenate((moved[:old], joined[old:], moved[old:]))


@dataclass(frozen=True, eq=False)
class LevelPoints:
    """Where the points of a finer mesh come from: nowhere are they single old points."""

    level: Level

    def mix(self, values: Floats) -> Floats:
        """Return values placed as positions are."""
        return self.level.apply(values.reshape(len(values), -1)).reshape(-1, *values.shape[1:])

    @cached_property
    def matrix(self) -> scipy.sparse.csr_array:
        """Weights (n + f + e, n)."""
        old = self.level.faces.shape[1]
        moved = self.level.rest @ scipy.sparse.vstack((scipy.sparse.eye_array(old), self.level.faces), format="csr")
        return scipy.sparse.csr_array(scipy.sparse.vstack((moved[:old], self.level.faces, moved[old:]), format="csr"))

    @cached_property
    def first(self) -> Ints:
        """The lowest source of each."""
        return Weighted(self.matrix).first

    @property
    def between(self) -> Bools | None:
        """All."""
        return np.ones(self.level.topology.point_count, dtype=bool)


class _LevelCache:
    """The levels of the topologies used last, by content; safe for threads."""

    def __init__(self, size: int) -> None:
        self._size, self._lock = size, Lock()
        self._levels: OrderedDict[tuple[str, bytes, bool], Level] = OrderedDict()

    def get(self, topology: Topology, sharpness: Floats, *, hold_corners: bool) -> Level:
        key = (topology.key, sharpness.tobytes() if sharpness.any() else b"", hold_corners)
        with self._lock:
            if key in self._levels:
                self._levels.move_to_end(key)
                return self._levels[key]
        level = make_level(topology, sharpness, hold_corners=hold_corners)
        with self._lock:
            self._levels[key] = level
            while len(self._levels) > self._size:
                self._levels.popitem(last=False)
        return level


_cache = _LevelCache(size=24)


def subdivide(mesh: Mesh, levels: int, *, hold_corners: bool = True) -> Mesh:
    """Return the mesh after 0 to 6 steps of Catmull-Clark.

    Reads the edge attribute "sharpness" ((e,), zero where missing). Corner attributes are carried linearly, face
    attributes copied, point attributes other than "normal" smoothed like positions; normals are dropped.
    Raises InvalidInput for a level outside 0 to 6 and for edges with more than two faces.
    """
    if not 0 <= levels <= MAX_LEVEL:
        raise InvalidInput("The smoothing level", f"0 to {MAX_LEVEL}", str(levels))
    for _ in range(levels):
        mesh = _step(mesh, hold_corners=hold_corners)
    return mesh


def split_plain(mesh: Mesh, levels: int) -> Mesh:
    """Return the mesh with every face divided about its middle `levels` times and nothing rounded.

    Edges are halved, so their sharpness stays what it was; all values are carried linearly, "normal" is dropped. Raises
    InvalidInput for a level outside 0 to 6.
    """
    if not 0 <= levels <= MAX_LEVEL:
        raise InvalidInput("The level", f"0 to {MAX_LEVEL}", str(levels))
    for _ in range(levels):
        origin = refine_origin(mesh.topology, Weighted(_plain_matrix(mesh.topology)))
        mesh = carry(mesh, refine_topology(mesh.topology), origin)
    return mesh


def _plain_matrix(topology: Topology) -> scipy.sparse.csr_array:
    """Return the weights (n + f + e, n) of points kept, then the means of faces, then the middles of edges."""
    ends, count = topology.edges.ends, len(topology.edges.ends)
    middles = scipy.sparse.csr_array(
        (np.full(2 * count, 0.5), ends.ravel(), 2 * np.arange(count + 1)), shape=(count, topology.point_count)
    )
    return scipy.sparse.csr_array(
        scipy.sparse.vstack((scipy.sparse.eye_array(topology.point_count), _face_matrix(topology), middles), format="csr")
    )


def predict_faces(topology: Topology, levels: int) -> int:
    """Return the face count after `levels` steps."""
    return topology.face_count if levels == 0 else len(topology.face_corners) * 4 ** (levels - 1)


def _step(mesh: Mesh, *, hold_corners: bool) -> Mesh:
    """Return the mesh one level finer."""
    topology = mesh.topology
    sharpness = mesh.edges.get("sharpness")
    level = _cache.get(
        topology, np.zeros(len(topology.edges.ends)) if sharpness is None else sharpness, hold_corners=hold_corners
    )
    origin = refine_origin(topology, LevelPoints(level))
    finer = carry(mesh, level.topology, origin)
    edges = {name: value for name, value in finer.edges.items() if name != "sharpness"}
    return replace(finer, edges=edges | ({"sharpness": level.sharpness} if level.sharpness.any() else {}))


def make_level(topology: Topology, sharpness: Floats, *, hold_corners: bool) -> Level:
    """Return one refinement step of a topology with edge sharpness (e,).

    Raises InvalidInput when an edge has more than two faces.
    """
    if topology.face_count and topology.edge_face_counts.max() > 2:
        raise InvalidInput("Every edge", "shared by at most two faces", "shared by more")
    sharp = np.where(topology.edge_face_counts == 1, np.inf, np.maximum(sharpness, 0.0))
    return Level(
        refine_topology(topology),
        _face_matrix(topology),
        _rest_matrix(topology, sharp, hold_corners=hold_corners),
        _finer_sharpness(topology, sharpness),
    )


def _face_matrix(topology: Topology) -> scipy.sparse.csr_array:
    """Return the means of the corners of each face."""
    weights = 1.0 / topology.face_sides[topology.face_of_corner]
    shape = (topology.face_count, topology.point_count)
    return scipy.sparse.csr_array((weights, topology.face_corners, topology.face_offsets), shape=shape)


def _rest_matrix(topology: Topology, sharp: Floats, *, hold_corners: bool) -> scipy.sparse.csr_array:
    """Return the rows of the old vertices, then those of the edges, over old points and face points."""
    rows, columns, values = zip(*_vertex_entries(topology, sharp, hold_corners=hold_corners), strict=True)
    count, width = topology.point_count, topology.point_count + topology.face_count
    vertices = scipy.sparse.coo_array(
        (np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))), shape=(count, width)
    ).tocsr()
    return scipy.sparse.vstack((vertices, _edge_matrix(topology, sharp)), format="csr")


def _edge_matrix(topology: Topology, sharp: Floats) -> scipy.sparse.csr_array:
    """Return the edge points: a quarter of ends and faces, or the middle, or a blend by sharpness below one."""
    crease = np.minimum(sharp, 1.0)
    count = len(sharp)
    columns = np.empty((count, 4), dtype=np.int32)
    columns[:, :2] = topology.edges.ends
    columns[:, 2:] = np.maximum(topology.edge_faces, 0) + topology.point_count
    values = np.empty((count, 4))
    values[:, :2] = (0.25 + 0.25 * crease)[:, None]
    values[:, 2:] = (0.25 - 0.25 * crease)[:, None]
    shape = (count, topology.point_count + topology.face_count)
    return scipy.sparse.csr_array((values.ravel(), columns.ravel(), np.arange(count + 1) * 4), shape=shape)


def _vertex_entries(topology: Topology, sharp: Floats, *, hold_corners: bool) -> list[tuple[np.ndarray, ...]]:
    """Return (rows, columns, values) parts of the vertex rows.

    Smooth: (n - 2)/n v + 1/n^2 (neighbours + faces). Crease (two sharp edges): 3/4 v + 1/8 of each other end.
    Corner (three or more, or held): v. Between levels the rules blend by the mean sharpness of the sharp edges.
    """
    ends, count = topology.edges.ends, topology.point_count
    is_sharp = sharp > 0
    sharp_ends = ends[is_sharp]
    sharp_count = np.bincount(sharp_ends.ravel(), minlength=count)
    crease, corner = _rule_shares(topology, sharp, sharp_count, hold_corners=hold_corners)
    smooth = 1.0 - crease - corner
    n = np.maximum(topology.valences, 1).astype(np.float64)
    every = np.arange(count)
    entries: list[tuple[np.ndarray, ...]] = [(every, every, smooth * (n - 2) / n + 0.75 * crease + corner)]
    share = smooth / n**2
    for a, b in ((0, 1), (1, 0)):
        entries.append((ends[:, a], ends[:, b], share[ends[:, a]]))
        entries.append((sharp_ends[:, a], sharp_ends[:, b], 0.125 * crease[sharp_ends[:, a]]))
    entries.append((topology.face_corners, count + topology.face_of_corner, share[topology.face_corners]))
    return [tuple(part[entry[2] != 0] for part in entry) for entry in entries]


def _rule_shares(topology: Topology, sharp: Floats, sharp_count: np.ndarray, *, hold_corners: bool) -> tuple[Floats, Floats]:
    """Return the shares (n,) of the crease rule and of the corner rule at each vertex."""
    count = topology.point_count
    ends = topology.edges.ends
    finite = np.where(np.isinf(sharp), 1e6, sharp)
    total = np.bincount(ends.ravel(), np.repeat(finite, 2), count)
    mean = np.minimum(total / np.maximum(sharp_count, 1), 1.0)
    fixed: Bools = (topology.valences == 0) | (sharp_count > 2)
    corner = np.where(sharp_count > 2, mean, 0.0)
    corner[topology.valences == 0] = 1.0
    if hold_corners:
        lone = (topology.valences == 2) & topology.on_boundary
        corner[lone], fixed = 1.0, fixed | lone
    return np.where((sharp_count == 2) & ~fixed, mean, 0.0), corner


def _finer_sharpness(topology: Topology, sharpness: Floats) -> Floats:
    """Return the sharpness of the finer edges: each half of an edge one less, at least zero."""
    result = np.zeros(2 * len(sharpness) + len(topology.face_corners))
    result[: 2 * len(sharpness)] = np.repeat(np.maximum(sharpness - 1, 0), 2)
    return result
