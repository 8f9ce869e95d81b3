"""A mesh put together of faces that stay and faces that are added, with the origin of every element."""

from __future__ import annotations

from functools import partial

import numpy as np
import scipy

from glass_spoon.kernel.arrays import AnyInts, Bools, Floats, Ints, owned
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Origin, Reworked, Sources, Taken, Weighted, carry
from glass_spoon.kernel.meshes.topology import Topology, make_topology


class Assembly:
    """Collects points and faces over a mesh; new points are numbered on after its own. All its faces stay but for `gone`.

    gone (f,): faces that do not stay. corner_points (h,): the points at the corners of faces that stay; change them to let a
    face hang on new points. same: points that are another, by number.
    """

    def __init__(self, mesh: Mesh) -> None:
        self.mesh = mesh
        self.gone: Bools = np.zeros(mesh.face_count, dtype=bool)
        self.corner_points: Ints = mesh.topology.face_corners.astype(np.int64)
        self.same: dict[int, int] = {}
        self._fresh: list[Floats] = []
        self.count = mesh.point_count
        self._mixed: list[tuple[Ints, Ints, Floats]] = []
        self._faces: list[tuple[Ints, Ints, Floats, Ints, str]] = []
        self._lines: list[tuple[str, Ints]] = []
        self._named: list[tuple[str, Bools]] = []
        self._pairs: list[tuple[Ints, Ints]] = []

    @property
    def places(self) -> Floats:
        """The places (n, 3) of all points, old and new."""
        return np.concatenate((self.mesh.positions, *self._fresh))

    def add_points(self, places: Floats) -> Ints:
        """Add points (k, 3); return their numbers. What they are mixed of is said by `mix`."""
        self._fresh.append(places)
        self.count += len(places)
        return np.arange(self.count - len(places), self.count)

    def mix(self, points: Ints, columns: Ints, weights: Floats) -> None:
        """Say that new points (k,) are mixed of old ones (k, m) by weights (k, m). What was said first holds."""
        self._mixed.append((points, columns, weights))

    def copy_points(self, points: Ints, places: Floats | None = None) -> Ints:
        """Add a point of its own for each old one (k,), at places (k, 3) or where it is; return their numbers."""
        new = self.add_points(self.mesh.positions[points] if places is None else places)
        self.mix(new, points[:, None], np.ones((len(points), 1)))
        return new

    def add_faces(self, faces: Ints, corners: Ints, old: Ints, role: str, weights: Floats | None = None) -> None:
        """Add faces (q, s) over numbers of points. corners (q, s) are the old ones that theirs take values of, or (q, s, m)
        mixed by weights (q, s, m); old (q,): the faces that they take values of.
        """
        if not len(faces):
            return
        if weights is None:
            corners = corners[..., None]
            weights = np.ones(corners.shape)
        width = corners.shape[-1]
        self._faces.append((faces, corners.reshape(-1, width), weights.reshape(-1, width), old, role))

    def name_faces(self, faces: Bools, role: str) -> None:
        """Give faces (f,) that stay a role."""
        self._named.append((role, faces))

    def name_edges(self, ends: Ints, role: str) -> None:
        """Give edges (e, 2) a role."""
        self._lines.append((role, ends))

    def continue_edges(self, ends: Ints, old: Ints) -> None:
        """Say that edges (e, 2) are old ones (e,), or parts of them, with their values."""
        self._pairs.append((ends, old))

    def finish(self, positions: Floats | None = None) -> tuple[Reworked, Ints]:
        """Return the change, and the new number (n,) of each point, old and added; -1 for those that are gone.

        positions: (n, 3) of all points, where they are not where they were added.
        """
        topology = self.mesh.topology
        held = np.flatnonzero(~self.gone[topology.face_of_corner])
        flat = np.concatenate((self.corner_points[held], *(faces.ravel() for faces, *_ in self._faces)))
        alias = np.arange(self.count)
        if self.same:
            alias[list(self.same)] = list(self.same.values())
            flat = alias[flat]
        there = np.zeros(self.count, dtype=bool)
        there[flat] = True
        used = np.flatnonzero(there)
        number = np.where(there, np.cumsum(there) - 1, -1)[alias]
        sides = [topology.face_sides[~self.gone].astype(np.int64)]
        sides += [np.full(len(faces), faces.shape[1]) for faces, *_ in self._faces]
        after = _topology(len(used), number[flat], np.concatenate(sides))
        points = self._point_sources(used)
        old = np.concatenate((np.flatnonzero(~self.gone), *(faces for *_, faces, _ in self._faces)))
        pairs = partial(self._edge_pairs, after, points, number)  # only where edges bear values
        origin = Origin(topology, points, self._corner_sources(held), old, pairs)
        origin = self._with_roles(origin, after, number)
        places = (self.places if positions is None else positions)[used]
        return Reworked(carry(self.mesh, after, origin, owned(places)), origin), number

    def _point_sources(self, used: Ints) -> Weighted:
        """Return by which weights of old points the used ones are mixed."""
        count = self.mesh.point_count
        row_of = np.full(self.count, -1, dtype=np.int64)
        row_of[used] = np.arange(len(used))
        old = np.flatnonzero(used < count)
        rows, columns, values = [old], [used[old]], [np.ones(len(old))]
        said = np.zeros(self.count, dtype=bool)
        for points, sources, weights in self._mixed:
            own = (row_of[points] >= 0) & ~said[points]
            said[points] = True
            width = sources.shape[1]
            rows.append(np.repeat(row_of[points[own]], width))
            columns.append(sources[own].ravel())
            values.append(weights[own].ravel())
        shape = (len(used), count)
        parts = (np.concatenate(values), (np.concatenate(rows), np.concatenate(columns)))
        return Weighted(_summed(scipy.sparse.coo_array(parts, shape=shape)))

    def _corner_sources(self, held: Ints) -> Sources:
        """Return by which weights of old corners the new ones are mixed."""
        parts = [(corners, weights) for _, corners, weights, *_ in self._faces]
        count = len(self.mesh.topology.face_corners)
        columns = np.concatenate((held, *(corners.ravel() for corners, _ in parts)))
        if all(corners.shape[1] == 1 for corners, _ in parts):
            return Taken(columns, count)
        values = np.concatenate((np.ones(len(held)), *(weights.ravel() for _, weights in parts)))
        widths = [np.ones(len(held), dtype=np.int64), *(np.full(len(c), c.shape[1]) for c, _ in parts)]
        starts = np.concatenate(([0], np.cumsum(np.concatenate(widths))))
        return Weighted(_summed(scipy.sparse.csr_array((values, columns, starts), shape=(len(starts) - 1, count))))

    def _edge_pairs(self, after: Topology, points: Weighted, number: Ints) -> Ints:
        """Return the pairs (k, 2) of new and old edges: between points that are old ones or their copies, and those said."""
        topology = self.mesh.topology
        single = np.diff(points.matrix.indptr) == 1
        source = np.where(single, points.first, -1)
        ends = source[after.edges.ends]
        known = (ends >= 0).all(axis=1) & (ends[:, 0] != ends[:, 1])
        same = np.full(len(ends), -1, dtype=np.int64)
        same[known] = topology.find_edges(ends[known])
        pairs = [np.column_stack((np.flatnonzero(same >= 0), same[same >= 0]))]
        for parts, old in self._pairs:
            found = after.find_edges(number[parts])
            pairs.append(np.column_stack((found, old))[found >= 0])
        return np.concatenate(pairs).astype(np.int64)

    def _with_roles(self, origin: Origin, after: Topology, number: Ints) -> Origin:
        """Return the origin with the roles of added faces and named edges."""
        faces = {role: np.flatnonzero(own[~self.gone]) for role, own in self._named}
        first = after.face_count - sum(len(part) for part, *_ in self._faces)
        for part, *_, role in self._faces:
            own = first + np.arange(len(part))
            faces[role] = np.concatenate((faces.get(role, own[:0]), own))
            first += len(part)
        edges: dict[str, Ints] = {}
        for role, ends in self._lines:
            found = after.find_edges(number[ends])
            edges[role] = np.concatenate((edges.get(role, found[:0]), found[found >= 0]))
        return origin.with_roles(faces, edges, len(after.edges.ends))


def one_corner(topology: Topology, point_of_corner: AnyInts | None = None) -> Ints:
    """Return a corner (n,) at each point, -1 for one that no face uses."""
    corners = topology.face_corners if point_of_corner is None else point_of_corner
    result = np.full(topology.point_count, -1, dtype=np.int64)
    result[corners[::-1]] = np.arange(len(corners))[::-1]
    return result


def _summed(matrix: scipy.sparse.coo_array | scipy.sparse.csr_array) -> scipy.sparse.csr_array:
    """Return a matrix by rows, entries of one place added up."""
    result = matrix.tocsr()
    result.sum_duplicates()
    return result


def _topology(points: int, corners: Ints, sides: Ints) -> Topology:
    """Return the topology of faces of some numbers of sides, one after another."""
    if (sides == 4).all():
        return make_topology(points, corners.reshape(-1, 4))
    return make_topology(points, corners, offsets=np.concatenate(([0], np.cumsum(sides))))
