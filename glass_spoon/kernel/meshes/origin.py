"""A change of mesh as a value: the new mesh, and where every point, corner, face and edge of it came from.

`carry` brings all attributes over by the rules that they declare (attributes.py), `then` joins changes that follow one
another. Roles say what each new face or edge is to the change that made it: kept, top, side, rim, strip …
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Protocol

import numpy as np
import scipy

from glass_spoon.kernel.arrays import AnyInts, Bools, Floats, Ints, owned
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.meshes.attributes import Place, Values, rule_of
from glass_spoon.kernel.meshes.mesh import Attributes, Mesh
from glass_spoon.kernel.meshes.topology import Topology

KEPT = "kept"
"""The role of what a change did not make."""


class Sources(Protocol):
    """Where new elements (k,) come from among old ones."""

    def mix(self, values: Floats) -> Floats:
        """Return the values (k, ...) mixed by weight."""

    @property
    def first(self) -> Ints:
        """The first source (k,) of each, the lowest of several."""

    @property
    def between(self) -> Bools | None:
        """Marks those (k,) that lie between several old elements; None for none. Those made of several are not between."""

    @property
    def matrix(self) -> scipy.sparse.csr_array:
        """Weights (k, old) that sum to one in each row."""


@dataclass(frozen=True, eq=False)
class Taken:
    """Each new element is one old element, `first` (k,), of `count`."""

    first: Ints
    count: int
    between: None = None

    def mix(self, values: Floats) -> Floats:
        """Return the values of the old elements."""
        return values[self.first]

    @property
    def matrix(self) -> scipy.sparse.csr_array:
        """A one in each row."""
        rows = np.arange(len(self.first) + 1)
        return scipy.sparse.csr_array((np.ones(len(self.first)), self.first, rows), shape=(len(self.first), self.count))


@dataclass(frozen=True, eq=False)
class Weighted:
    """New elements are mixtures of old ones, by a matrix (k, old). joined: a row of several is what these became, not
    something between them.
    """

    matrix: scipy.sparse.csr_array
    joined: bool = False

    def mix(self, values: Floats) -> Floats:
        """Return the values mixed by weight."""
        mixed = self.matrix @ values.reshape(len(values), -1)
        result: Floats = np.asarray(mixed).reshape(-1, *values.shape[1:])
        return result

    @cached_property
    def first(self) -> Ints:
        """The lowest source of each row."""
        rows = np.repeat(np.arange(self.matrix.shape[0]), np.diff(self.matrix.indptr))
        result = np.full(self.matrix.shape[0], self.matrix.shape[1], dtype=np.int64)
        np.minimum.at(result, rows, self.matrix.indices)
        return result

    @property
    def between(self) -> Bools | None:
        """Rows of several sources, unless these became one."""
        several: Bools = np.diff(self.matrix.indptr) > 1
        return None if self.joined or not several.any() else several


@dataclass(frozen=True, eq=False)
class Origin:
    """Where the elements of a mesh came from, among those of a mesh with the topology `before`.

    faces: (f,) the old face, -1 for none. pairs: (k, 2) of a new edge and an old one that it is, or is part of; or what
    works them out, since only edges that bear values need them. turned: faces (f,) that run the other way round, None for
    none. roles: names, "kept" first; face_roles (f,) and edge_roles (e,) are numbers of them, None where all are kept.
    """

    before: Topology
    points: Sources
    corners: Sources
    faces: Ints
    pairs: Ints | Callable[[], Ints]
    turned: Bools | None = None
    roles: tuple[str, ...] = (KEPT,)
    face_roles: Ints | None = None
    edge_roles: Ints | None = None

    @cached_property
    def edges(self) -> Ints:
        """The pairs (k, 2) of a new edge and an old one that it is, or is part of."""
        return self.pairs() if callable(self.pairs) else self.pairs

    @cached_property
    def of_point(self) -> Ints:
        """The new vertex of each old one (n,), -1 where it is gone; of a vertex that was parted the last."""
        result = np.full(self.before.point_count, -1, dtype=np.int64)
        if isinstance(self.points, Taken):
            result[self.points.first] = np.arange(len(self.points.first))
        else:
            matrix = self.points.matrix
            several = self.points.between
            rows = np.repeat(np.arange(matrix.shape[0]), np.diff(matrix.indptr))
            own = np.ones(len(rows), dtype=bool) if several is None else ~several[rows]
            result[matrix.indices[own]] = rows[own]
        return result

    def faces_in(self, role: str) -> Bools:
        """Mark the faces (f,) of a role."""
        return self._in(role, self.face_roles, len(self.faces))

    def edges_in(self, role: str, count: int) -> Bools:
        """Mark the edges (e,) of a role among as many as there are."""
        return self._in(role, self.edge_roles, count)

    def _in(self, role: str, numbers: Ints | None, count: int) -> Bools:
        if role not in self.roles:
            return np.zeros(count, dtype=bool)
        return np.asarray((np.zeros(count) if numbers is None else numbers) == self.roles.index(role))

    def with_roles(self, faces: Mapping[str, Bools | Ints], edges: Mapping[str, Bools | Ints], edge_count: int) -> Origin:
        """Return the origin with roles given to some faces and edges, as masks or numbers, in place of those it had."""
        names = (KEPT, *dict.fromkeys((*faces, *edges)))
        both = []
        for chosen, count in ((faces, len(self.faces)), (edges, edge_count)):
            numbers = np.zeros(count, dtype=np.int64)
            for name, own in chosen.items():
                numbers[own] = names.index(name)
            both.append(numbers)
        return replace(self, roles=names, face_roles=both[0], edge_roles=both[1])

    def then(self, following: Origin) -> Origin:
        """Return the origin of what `following` made, among the elements before this change."""
        gone = following.faces < 0
        faces = np.where(gone, -1, self.faces[np.maximum(following.faces, 0)])
        turned = following.turned
        if self.turned is not None:
            own = self.turned[np.maximum(following.faces, 0)] & ~gone
            turned = own if turned is None else own ^ turned
        names, face_roles, edge_roles = self._roles_then(following)
        return Origin(
            self.before,
            _joined(self.points, following.points),
            _joined(self.corners, following.corners),
            faces,
            lambda: _joined_pairs(self.edges, following.edges),
            turned,
            names,
            face_roles,
            edge_roles,
        )

    def _roles_then(self, following: Origin) -> tuple[tuple[str, ...], Ints | None, Ints | None]:
        """Return the roles after another change: its own, and for what it kept those from before."""
        if self.face_roles is None and self.edge_roles is None:
            return following.roles, following.face_roles, following.edge_roles
        names = (*following.roles, *(name for name in self.roles if name not in following.roles))
        own = np.array([names.index(name) for name in self.roles])
        faces = np.zeros(len(following.faces), dtype=np.int64) if following.face_roles is None else following.face_roles
        if self.face_roles is not None:
            before = np.where(following.faces >= 0, own[self.face_roles[np.maximum(following.faces, 0)]], 0)
            faces = np.where(faces == 0, before, faces)
        edges = following.edge_roles
        if self.edge_roles is not None:
            count = int(following.edges[:, 0].max(initial=-1)) + 1 if edges is None else len(edges)
            earlier = np.zeros(count, dtype=np.int64)
            np.maximum.at(earlier, following.edges[:, 0], own[self.edge_roles[following.edges[:, 1]]])
            edges = earlier if edges is None else np.where(edges == 0, earlier, edges)
        return names, faces, edges


@dataclass(frozen=True, eq=False)
class Reworked:
    """A mesh made of another, and where it all came from."""

    mesh: Mesh
    origin: Origin

    def edges_in(self, role: str) -> Bools:
        """Mark the edges (e,) of a role."""
        return self.origin.edges_in(role, len(self.mesh.topology.edges.ends))

    @property
    def of_point(self) -> Ints:
        """The new vertex of each old one (n,), -1 where it is gone."""
        return self.origin.of_point

    @property
    def faces(self) -> Ints:
        """The old face (f,) of each, -1 for none."""
        return self.origin.faces

    def then(self, following: Reworked) -> Reworked:
        """Return both changes as one."""
        return Reworked(following.mesh, self.origin.then(following.origin))


def unchanged(mesh: Mesh) -> Reworked:
    """Return a mesh as a change that changed nothing."""
    return Reworked(mesh, same_elements(mesh.topology))


def same_elements(topology: Topology) -> Origin:
    """Return the origin of a mesh with the elements of another: only positions or values differ."""
    return Origin(
        topology,
        every(topology.point_count),
        every(len(topology.face_corners)),
        np.arange(topology.face_count),
        lambda: np.arange(len(topology.edges.ends))[:, None].repeat(2, axis=1),
    )


def same_edges(before: Topology, after: Topology) -> Ints:
    """Return the pairs (e, 2) of the edges of a topology that all join vertices which an edge joined before."""
    return np.column_stack((np.arange(len(after.edges.ends)), before.find_edges(after.edges.ends))).astype(np.int64)


def every(count: int) -> Taken:
    """Return the sources of elements that are all what they were."""
    return Taken(np.arange(count), count)


def carry(mesh: Mesh, topology: Topology, origin: Origin, positions: Floats | None = None) -> Mesh:
    """Return a mesh with a new topology, every attribute of the old one brought over by its rule.

    positions: (n, 3) in mm, where they are not those of the sources, mixed. What a rule cannot bring over is dropped. Points
    that have lost faces beyond a crease have the normals of those that are left.
    """
    made = Mesh(
        topology,
        origin.points.mix(mesh.positions) if positions is None else positions,
        _carried("points", mesh.points, origin.points, origin),
        _carried_edges(mesh.edges, origin, topology),
        _carried("corners", mesh.corners, origin.corners, origin),
        {name: _of_faces(value, origin.faces) for name, value in mesh.faces.items()},
    )
    return _faced_by_what_is_left(made, mesh, origin.points.first) if "normal" in made.points else made


def _faced_by_what_is_left(made: Mesh, mesh: Mesh, first: Ints) -> Mesh:
    """Return a mesh whose points on new rims that were at creases have the normals of their faces: that of a crease lies
    between its two sides, of which one is gone.
    """
    sharp, topology = mesh.edges.get("sharpness"), made.topology
    if sharp is None or not len(topology.boundary_edges):
        return made
    at_crease = np.zeros(mesh.point_count, dtype=bool)
    at_crease[mesh.topology.edges.ends[sharp > 0]] = True
    on_rim = np.zeros(made.point_count, dtype=bool)
    on_rim[topology.edges.ends[topology.boundary_edges]] = True
    before = np.bincount(mesh.topology.face_corners, minlength=mesh.point_count)
    lost = np.bincount(topology.face_corners, minlength=made.point_count) < before[first]
    bare = np.flatnonzero(on_rim & lost & at_crease[first])
    if not len(bare):
        return made
    normals = made.points["normal"].copy()
    normals[bare] = made.vertex_normals[bare]
    return replace(made, points={**made.points, "normal": owned(normals)})


def _carried(place: Place, values: Attributes, sources: Sources, origin: Origin) -> dict[str, Values]:
    """Return the values of points or corners, by name."""
    result: dict[str, Values] = {}
    for name, value in values.items():
        rule = rule_of(place, name)
        if rule.carrying == "mixed":
            result[name] = sources.mix(value)
        elif rule.carrying != "facing":
            result[name] = value[sources.first]
        elif sources.between is None and (origin.turned is None or origin.turned.all() or not origin.turned.any()):
            over = origin.turned is not None and len(origin.turned) > 0 and bool(origin.turned.all())
            result[name] = -value[sources.first] if over else value[sources.first]
    return result


def _of_faces(values: Values, faces: Ints) -> Values:
    """Return the values (f, ...) of old faces; zero for a face that has none."""
    if not (faces < 0).any():
        return values[faces]
    result = np.zeros((len(faces), *values.shape[1:]), dtype=values.dtype)
    result[faces >= 0] = values[faces[faces >= 0]]
    return result


def _carried_edges(values: Attributes, origin: Origin, topology: Topology) -> dict[str, Values]:
    """Return edge values by name; an edge of no old one has zero, and values below zero count as zero."""
    result: dict[str, Values] = {}
    if not values:
        return result
    new, old = origin.edges.T
    for name, value in values.items():
        laid = np.zeros((len(topology.edges.ends), *value.shape[1:]), dtype=value.dtype)
        if rule_of("edges", name).carrying == "largest":
            np.maximum.at(laid, new, value[old])
        else:
            laid[new[::-1]] = value[old[::-1]]  # the first of several is written last
        result[name] = laid
    return result


def _joined(first: Sources, following: Sources) -> Sources:
    """Return the sources of two changes that follow one another."""
    if isinstance(first, Taken) and isinstance(following, Taken):
        return Taken(first.first[following.first], first.count)
    joined = all(part.between is None for part in (first, following))
    if isinstance(following, Taken):
        return Weighted(first.matrix[following.first], joined)
    return Weighted(scipy.sparse.csr_array(following.matrix @ first.matrix), joined)


def _joined_pairs(first: AnyInts, following: AnyInts) -> Ints:
    """Return the pairs (k, 2) of a newest and an oldest edge, of pairs (new, old) of two changes."""
    if not len(first) or not len(following):
        return np.zeros((0, 2), dtype=np.int64)
    middle = int(max(first[:, 0].max(), following[:, 1].max())) + 1
    newer = _relation(following, (int(following[:, 0].max()) + 1, middle))
    older = _relation(first, (middle, int(first[:, 1].max()) + 1))
    found = scipy.sparse.coo_array(newer @ older)
    return np.column_stack((found.row, found.col)).astype(np.int64)


def _relation(pairs: AnyInts, shape: tuple[int, int]) -> scipy.sparse.csr_array:
    """Return pairs as a matrix."""
    return scipy.sparse.csr_array((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=shape)


def check_origin(reworked: Reworked) -> None:
    """Raise InvalidInput where an origin cannot be one: an independent check of any change, for tests."""
    mesh, origin = reworked.mesh, reworked.origin
    topology, before = mesh.topology, origin.before
    for name, sources, count, old in (
        ("points", origin.points, mesh.point_count, before.point_count),
        ("corners", origin.corners, len(topology.face_corners), len(before.face_corners)),
    ):
        matrix = sources.matrix
        if matrix.shape != (count, old):
            raise InvalidInput(f"The origin of {name}", f"{count} of {old}", f"{matrix.shape}")
        if not np.allclose(np.asarray(matrix.sum(axis=1)), 1.0, atol=1e-12):
            raise InvalidInput(f"The weights of {name}", "a sum of one", "another")
    if len(origin.faces) != mesh.face_count or (len(origin.faces) and origin.faces.max() >= before.face_count):
        raise InvalidInput("The origin of faces", f"{mesh.face_count} of {before.face_count}", f"{len(origin.faces)}")
    for side, count in ((origin.edges[:, 0], len(topology.edges.ends)), (origin.edges[:, 1], len(before.edges.ends))):
        if len(side) and (side.min() < 0 or side.max() >= count):
            raise InvalidInput("The pairs of edges", f"below {count}", f"{side.min()} to {side.max()}")
    for numbers, count in ((origin.face_roles, mesh.face_count), (origin.edge_roles, len(topology.edges.ends))):
        if numbers is not None and (len(numbers) != count or numbers.max(initial=0) >= len(origin.roles)):
            raise InvalidInput("The roles", f"{count} numbers of names", f"{len(numbers)}")
