"""Cut edge rings: new edge loops near chosen ends of edges, run through all quads of the ring.

d ------- c        cuts of a ring lie at shares of its edges, from either end; both facing sides of a quad take the same
|   :     |        cuts, so that quads become quads. A face that is no quad stops a ring and takes the new vertices on
a ------- b        its side.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Origin, Reworked, Sources, Weighted, carry, same_elements
from glass_spoon.kernel.meshes.topology import Topology, make_topology


def ring_labels(topology: Topology) -> tuple[Ints, Ints]:
    """Return the ring (e,) of each edge and whether it runs against it (e,), 0 or 1: facing sides of quads run alike.

    A ring that meets itself the other way round (a twisted band) is labelled as if it did not.
    """
    count = len(topology.edges.ends)
    quads = np.flatnonzero(topology.face_sides == 4)
    corners = topology.face_offsets[quads].astype(np.int64)
    rows, columns, against = [], [], []
    runs_up = topology.face_corners == topology.edges.ends[topology.edges.of_corner, 0]
    for side in (0, 1):
        first, second = corners + side, corners + side + 2
        rows.append(topology.edges.of_corner[first])
        columns.append(topology.edges.of_corner[second])
        against.append(runs_up[first] == runs_up[second])  # facing half-edges run opposite ways round the quad
    a, b, flip = (np.concatenate(part).astype(np.int64) for part in (rows, columns, against))
    # Every edge twice, as it runs and against it: an edge joins the copy of the facing one that runs alike.
    facing = np.concatenate((b + flip * count, b + (1 - flip) * count))
    labels = joined_groups(np.concatenate((a, a + count)), facing, 2 * count)
    forward, backward = labels[:count], labels[count:]
    ring = np.minimum(forward, backward)
    return ring, (forward > backward).astype(np.int64)


@dataclass(frozen=True, eq=False)
class Cut(Reworked):
    """A mesh with rings cut. loops: (k,) the new edges that run along the cuts, of the role "loop"."""

    loops: Ints


def cut_rings(mesh: Mesh, shares: list[tuple[int, Floats]], own: Floats | None = None) -> Cut:
    """Return the mesh with rings cut.

    shares: pairs of an edge and the shares (k,) of the way, from its lower vertex, at which its ring is cut. All edges of
    the ring take these shares of their own length. Cuts of one ring from several edges are taken together; shares that
    agree to 1e-9 are one. Positions and values are linear between those of the old mesh.
    own (e,): the share, from its lower vertex, at which an edge of a ring with one cut is cut in place of the ring's; nan
    for none.
    """
    ring, against, cuts = _cuts(mesh.topology, shares)
    if not cuts:
        return Cut(mesh, same_elements(mesh.topology), np.zeros(0, dtype=np.int64))
    return _Builder(mesh, ring, against, cuts, own).build()


def predict_cut_faces(topology: Topology, shares: list[tuple[int, Floats]]) -> int:
    """Return how many faces `cut_rings` leaves, before it is done."""
    ring, _, cuts = _cuts(topology, shares)
    table = np.zeros(int(ring.max(initial=-1)) + 1, dtype=np.int64)
    for label, values in cuts.items():
        table[label] = len(values)
    count = table[ring]
    corner = topology.face_offsets[:-1][topology.face_sides == 4].astype(np.int64)
    sides = [count[topology.edges.of_corner[corner + k]] + 1 for k in (0, 1)]
    return int((sides[0] * sides[1]).sum()) + int((topology.face_sides != 4).sum())


def _cuts(topology: Topology, shares: list[tuple[int, Floats]]) -> tuple[Ints, Ints, dict[int, Floats]]:
    """Return `ring_labels`, and the shares at which each ring is cut, as it runs."""
    ring, against = ring_labels(topology)
    wanted: dict[int, list[float]] = {}
    for edge, values in shares:
        run = 1 - np.asarray(values) if against[edge] else np.asarray(values)
        wanted.setdefault(int(ring[edge]), []).extend(float(value) for value in run if 1e-9 < value < 1 - 1e-9)
    return ring, against, {label: np.unique(np.round(values, 9)) for label, values in wanted.items() if values}


class _Builder:
    """Puts the finer mesh together, group of faces by group: quads with the same numbers of cuts are done at once."""

    def __init__(self, mesh: Mesh, ring: Ints, against: Ints, cuts: dict[int, Floats], single: Floats | None) -> None:
        self.mesh, self.topology = mesh, mesh.topology
        table = np.zeros(int(ring.max(initial=-1)) + 1, dtype=np.int64)
        for label, values in cuts.items():
            table[label] = len(values)
        self.count = table[ring]
        most = int(table.max())
        self.shares = np.full((len(ring), most), np.nan)
        for label, values in cuts.items():
            own = np.flatnonzero(ring == label)
            rows = np.where(against[own, None] == 1, (1 - values)[::-1], values)
            self.shares[own, : len(values)] = rows
        if single is not None:
            alone = (self.count == 1) & np.isfinite(single)
            self.shares[alone, 0] = single[alone]
        self.first_on_edge = mesh.point_count + np.cumsum(self.count) - self.count
        self.total = mesh.point_count + int(self.count.sum())
        # New points as rows (old vertices a, b, weights) of the edges first; those inside faces follow.
        edge = np.repeat(np.arange(len(ring)), self.count)
        at = np.arange(len(edge)) - (np.cumsum(self.count) - self.count)[edge]
        t = self.shares[edge, at]
        ends = self.topology.edges.ends[edge].astype(np.int64)
        self.sources = [np.column_stack((ends, ends))]
        self.weights = [np.column_stack((1 - t, t, 0 * t, 0 * t))]
        self.faces: list[tuple[Ints, Ints, Ints, Floats]] = []  # old face, vertices, offsets step, corner weights
        self.others: list[tuple[int, list[int], list[tuple[int, int, float]]]] = []
        self.loops: list[Ints] = []

    def along(self, corner: Ints) -> tuple[Ints, Floats]:
        """Return the vertices (k, c) that half-edges (k,) pass, all with c cuts, and their shares (k, c) from the start."""
        edge = self.topology.edges.of_corner[corner].astype(np.int64)
        count = int(self.count[edge[0]])
        numbers = self.first_on_edge[edge][:, None] + np.arange(count)
        shares = self.shares[edge, :count]
        down = self.topology.face_corners[corner] != self.topology.edges.ends[edge, 0]
        numbers[down], shares[down] = numbers[down, ::-1], 1 - shares[down, ::-1]
        return numbers, shares

    def build(self) -> Cut:
        topology = self.topology
        quads = np.flatnonzero(topology.face_sides == 4)
        corner = topology.face_offsets[quads].astype(np.int64)
        counts = np.column_stack([self.count[topology.edges.of_corner[corner + k]] for k in (0, 1)])
        for nu, nv in np.unique(counts, axis=0) if len(quads) else ():
            own = np.flatnonzero((counts == (nu, nv)).all(axis=1))
            self._quads(quads[own], corner[own], int(nu), int(nv))
        for face in np.flatnonzero(topology.face_sides != 4):
            self._other(int(face))
        return self._finish()

    def _quads(self, faces: Ints, corner: Ints, nu: int, nv: int) -> None:
        """Keep the grid of quads (k,) with nu cuts along their first side and nv along their second."""
        k = len(faces)
        numbers = np.empty((k, nu + 2, nv + 2), dtype=np.int64)
        vertices = self.topology.face_corners
        numbers[:, 0, 0], numbers[:, -1, 0] = vertices[corner], vertices[corner + 1]
        numbers[:, -1, -1], numbers[:, 0, -1] = vertices[corner + 2], vertices[corner + 3]
        low, high = np.zeros((k, nu + 2)), np.zeros((k, nu + 2))  # shares along the first side and the one facing it
        left, right = np.zeros((k, nv + 2)), np.zeros((k, nv + 2))
        for side in (low, high, left, right):
            side[:, -1] = 1
        if nu:
            numbers[:, 1:-1, 0], low[:, 1:-1] = self.along(corner)
            far, share = self.along(corner + 2)
            numbers[:, 1:-1, -1], high[:, 1:-1] = far[:, ::-1], 1 - share[:, ::-1]
        if nv:
            numbers[:, -1, 1:-1], right[:, 1:-1] = self.along(corner + 1)
            far, share = self.along(corner + 3)
            numbers[:, 0, 1:-1], left[:, 1:-1] = far[:, ::-1], 1 - share[:, ::-1]
        # Where the lines of both families meet: shares of the facing sides blended by each other.
        u = low[:, :, None] + (high - low)[:, :, None] * left[:, None, :]
        v = left[:, None, :] + (right - left)[:, None, :] * low[:, :, None]
        weights = np.stack(((1 - u) * (1 - v), u * (1 - v), u * v, (1 - u) * v), axis=-1)
        if nu and nv:
            numbers[:, 1:-1, 1:-1] = self.total + np.arange(k * nu * nv).reshape(k, nu, nv)
            self.total += k * nu * nv
            corners = vertices[corner[:, None] + np.arange(4)].astype(np.int64)
            self.sources.append(np.repeat(corners, nu * nv, axis=0))
            self.weights.append(weights[:, 1:-1, 1:-1].reshape(-1, 4))
        grid = np.stack((numbers[:, :-1, :-1], numbers[:, 1:, :-1], numbers[:, 1:, 1:], numbers[:, :-1, 1:]), axis=-1)
        mixed = np.stack((weights[:, :-1, :-1], weights[:, 1:, :-1], weights[:, 1:, 1:], weights[:, :-1, 1:]), axis=-2)
        pieces = (nu + 1) * (nv + 1)
        self.faces.append(
            (np.repeat(faces, pieces), grid.reshape(-1, 4), np.repeat(corner, pieces), mixed.reshape(-1, 4, 4))
        )
        for lines in (numbers[:, 1:-1, :], numbers[:, :, 1:-1].transpose(0, 2, 1)):
            self.loops.append(np.stack((lines[..., :-1], lines[..., 1:]), axis=-1).reshape(-1, 2))

    def _other(self, face: int) -> None:
        """Keep a face that is no quad, with the new vertices on its sides."""
        start, end = (int(value) for value in self.topology.face_offsets[face : face + 2])
        row: list[int] = []
        source: list[tuple[int, int, float]] = []
        for corner in range(start, end):
            following = start if corner + 1 == end else corner + 1
            row.append(int(self.topology.face_corners[corner]))
            source.append((corner, corner, 0.0))
            if self.count[self.topology.edges.of_corner[corner]]:
                numbers, shares = self.along(np.array([corner]))
                row += numbers[0].tolist()
                source += [(corner, following, float(t)) for t in shares[0]]
        self.others.append((face, row, source))

    def _finish(self) -> Cut:
        """Return the mesh and the edges along the cuts."""
        mesh = self.mesh
        sources, weights = np.concatenate(self.sources), np.concatenate(self.weights)
        quads = np.concatenate([part[1] for part in self.faces]) if self.faces else np.zeros((0, 4), dtype=np.int64)
        owner = np.concatenate(
            [part[0] for part in self.faces] + [np.array([other[0] for other in self.others], dtype=np.int64)]
        )
        sides = np.concatenate((np.full(len(quads), 4), [len(other[1]) for other in self.others])).astype(np.int64)
        flat = np.concatenate([quads.ravel()] + [np.array(other[1], dtype=np.int64) for other in self.others])
        # Faces in the order of those they came from.
        order = np.argsort(owner, kind="stable")
        starts = np.concatenate(([0], np.cumsum(sides)))[:-1]
        offsets = np.concatenate(([0], np.cumsum(sides[order])))
        corner_rows = np.repeat(starts[order], sides[order]) + (np.arange(len(flat)) - np.repeat(offsets[:-1], sides[order]))
        topology = make_topology(self.total, flat[corner_rows], offsets=offsets)

        parts = self._old_edge_parts()
        loops = np.concatenate(self.loops) if self.loops else np.zeros((0, 2), dtype=np.int64)
        along = topology.find_edges(loops)
        origin = Origin(
            mesh.topology,
            self._point_sources(sources, weights),
            self._corner_sources(corner_rows),
            owner[order],
            np.column_stack((topology.find_edges(parts[:, :2]), parts[:, 2])).astype(np.int64),
        ).with_roles({}, {"loop": along}, len(topology.edges.ends))
        return Cut(carry(mesh, topology, origin), origin, along)

    def _point_sources(self, sources: Ints, weights: Floats) -> Sources:
        """Return where the points come from: the old ones, then those between up to four of them."""
        old, new = self.mesh.point_count, len(sources)
        rows = np.concatenate((np.arange(old), np.repeat(np.arange(old, old + new), 4)))
        columns, values = np.concatenate((np.arange(old), sources.ravel())), np.concatenate((np.ones(old), weights.ravel()))
        used = values != 0
        return Weighted(scipy.sparse.csr_array((values[used], (rows[used], columns[used])), shape=(old + new, old)))

    def _corner_sources(self, order: Ints) -> Sources:
        """Return where the corners come from, in an order: mixtures of the corners of their old faces."""
        columns = [(corner[:, None] + np.arange(4))[:, None].repeat(4, axis=1) for _, _, corner, _ in self.faces]
        flat = [part.reshape(-1, 4) for part in columns]
        shares = [share.reshape(-1, 4) for _, _, _, share in self.faces]
        for _, _, source in self.others:
            rows = np.array([(a, b, a, a) for a, b, _ in source], dtype=np.int64)
            flat.append(rows)
            shares.append(np.array([(1 - t, t, 0.0, 0.0) for _, _, t in source]))
        every_column, every_share = np.concatenate(flat), np.concatenate(shares)
        rows = np.repeat(np.arange(len(every_column)), 4)
        used = every_share.ravel() != 0
        shape = (len(every_column), len(self.topology.face_corners))
        matrix = scipy.sparse.csr_array((every_share.ravel()[used], (rows[used], every_column.ravel()[used])), shape=shape)
        return Weighted(matrix[order])

    def _old_edge_parts(self) -> Ints:
        """Return the parts of all old edges: both ends and the edge (k, 3)."""
        ends = self.topology.edges.ends.astype(np.int64)
        rows = []
        for count in np.unique(self.count):
            own = np.flatnonzero(self.count == count)
            line = np.column_stack((ends[own, 0], self.first_on_edge[own][:, None] + np.arange(count), ends[own, 1]))
            pairs = np.stack((line[:, :-1], line[:, 1:]), axis=-1).reshape(-1, 2)
            rows.append(np.column_stack((pairs, np.repeat(own, count + 1))))
        return np.concatenate(rows)
