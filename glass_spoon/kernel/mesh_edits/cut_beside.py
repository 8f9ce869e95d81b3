"""Loops beside chosen edges and nowhere else: they run along the edges on both sides and close round their ends.

    o-------o-------o        Every edge that leaves a chosen one is cut near it. A face with a chosen edge gives a strip
    |   .---|---.   |        along it (a), a face that only touches the end of one a small quad round that corner (b).
    | b | a | a | b |        What is left of a quad is quads again: one, or two and more where corners were taken off.
    o---o===o===o---o        === chosen
    |   '---|---'   |
    o-------o-------o

Where the loops of `cut_rings` close by themselves they are the better ones, as their lines run on through the mesh.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, Ints
from glass_spoon.kernel.mesh_edits.cut_rings import Cut
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Origin, Weighted, carry
from glass_spoon.kernel.meshes.topology import Topology, make_topology

BOTH_MOST = 0.4
"""Largest share of an edge that is cut near both of its ends."""

Place = tuple[str, int]
"""A vertex of what a face becomes: ("own", corner), ("ahead" or "back", corner) on the edge that leaves the corner so, or
("inner", corner) inside the face near it."""


@dataclass(frozen=True)
class Template:
    """What a face becomes: polygons of places, and the pairs of places along the loops."""

    polygons: tuple[tuple[Place, ...], ...]
    loops: tuple[tuple[Place, Place], ...]


def touched_faces(topology: Topology, chosen: Bools) -> Bools:
    """Return the faces (f,) with a vertex on chosen edges (e,)."""
    on = np.zeros(topology.point_count, dtype=bool)
    on[topology.edges.ends[chosen].ravel()] = True
    found = np.zeros(topology.face_count, dtype=bool)
    found[topology.face_of_corner[on[topology.face_corners]]] = True
    return found


def cut_beside(mesh: Mesh, chosen: Bools, shares: Floats) -> Cut:
    """Return the mesh with loops beside chosen edges (e,), on both sides and round their ends, the rest as it was.

    shares: (e, 2) of each edge, from its lower and from its upper vertex, at which it is cut near a chosen one; read at
    every edge with such an end. Values are linear between those of the old mesh.
    """
    return _Beside(mesh, chosen, shares).build()


def predict_beside(topology: Topology, chosen: Bools) -> int:
    """Return how many faces `cut_beside` leaves, before it is done."""
    total = topology.face_count
    for pattern, faces, _ in _groups(topology, chosen):
        total += len(faces) * (len(template_of(*pattern).polygons) - 1)
    return total


def _groups(topology: Topology, chosen: Bools) -> Iterator[tuple[tuple[tuple[bool, ...], tuple[bool, ...]], Ints, Ints]]:
    """Yield the faces of each pattern of chosen sides and touched corners, the pattern, and their first corners."""
    on = np.zeros(topology.point_count, dtype=bool)
    on[topology.edges.ends[chosen].ravel()] = True
    touched = np.flatnonzero(touched_faces(topology, chosen))
    for sides in np.unique(topology.face_sides[touched]):
        faces = touched[topology.face_sides[touched] == sides]
        first = topology.face_offsets[faces].astype(np.int64)
        corners = first[:, None] + np.arange(int(sides))
        flags = np.column_stack((chosen[topology.edges.of_corner[corners]], on[topology.face_corners[corners]]))
        rows, which = np.unique(flags, axis=0, return_inverse=True)
        for number, row in enumerate(rows):
            own = which.ravel() == number
            yield (tuple(row[: int(sides)].tolist()), tuple(row[int(sides) :].tolist())), faces[own], first[own]


@cache
def template_of(chosen: tuple[bool, ...], touched: tuple[bool, ...]) -> Template:
    """Return what a face becomes: chosen: whether each side is, from its corner on; touched: whether each corner is."""
    count = len(chosen)
    polygons: list[tuple[Place, ...]] = []
    loops: list[tuple[Place, Place]] = []
    middle: list[Place] = []
    alone = [touched[k] and not chosen[k] and not chosen[k - 1] for k in range(count)]
    for k in range(count):
        if not touched[k]:
            middle.append(("own", k))
        elif alone[k]:
            polygons.append((("own", k), ("ahead", k), ("inner", k), ("back", k)))
            loops += [(("ahead", k), ("inner", k)), (("inner", k), ("back", k))]
            middle += [("back", k), ("inner", k), ("ahead", k)]
        else:
            middle.append(_beside(chosen, k))
        if chosen[k]:
            following = (k + 1) % count
            ends = _beside(chosen, k), _beside(chosen, following)
            polygons.append((("own", k), ("own", following), ends[1], ends[0]))
            loops.append(ends)
    return Template((*polygons, *(_filled(middle, alone) if count == 4 else [tuple(middle)])), tuple(loops))


def _beside(chosen: tuple[bool, ...], corner: int) -> Place:
    """Return the place beside chosen sides at a corner: on the side that is none, or inside where both are."""
    if chosen[corner] and chosen[corner - 1]:
        return "inner", corner
    return ("back", corner) if chosen[corner] else ("ahead", corner)


def _filled(middle: list[Place], alone: list[bool]) -> list[tuple[Place, ...]]:
    """Return quads over what is left of a quad where some corners were taken off alone."""
    single = {place[1]: place for place in middle if not alone[place[1]]}
    inner = {k: ("inner", k) for k in range(4) if alone[k]}
    points = [inner[k] if alone[k] else single[k] for k in range(4)]
    count = sum(alone)
    if count == 0:
        return [tuple(points)]
    if count == 2 and alone[0] == alone[2]:
        k = alone.index(True)
        far, side, other = (k + 2) % 4, single[(k + 1) % 4], single[(k + 3) % 4]
        return [
            (("ahead", k), side, ("back", far), inner[far]),
            (inner[far], ("ahead", far), other, ("back", k)),
            (("back", k), inner[k], ("ahead", k), inner[far]),
        ]
    found: list[tuple[Place, ...]] = [
        (("ahead", k), ("back", (k + 1) % 4), inner[(k + 1) % 4], inner[k])
        for k in range(4)
        if alone[k] and alone[(k + 1) % 4]
    ]
    if count == 4:
        return [*found, tuple(points)]
    # The corners taken off stand in a row: what is left has six sides, and is halved from its middle corner on.
    first = next(k for k in range(4) if alone[k] and not alone[k - 1])
    last = (first + count - 1) % 4
    row: list[Place] = [inner[(first + step) % 4] for step in range(count)]
    row += [("ahead", last), *(single[(last + 1 + step) % 4] for step in range(4 - count)), ("back", first)]
    turn = (count - 1) // 2 if count != 2 else 0
    ring = row[turn:] + row[:turn]
    return [*found, tuple(ring[:4]), (ring[3], ring[4], ring[5], ring[0])]


class _Beside:
    """Puts the finer mesh together, the faces of one pattern at once."""

    def __init__(self, mesh: Mesh, chosen: Bools, shares: Floats) -> None:
        self.mesh, self.topology, self.chosen = mesh, mesh.topology, chosen
        on = np.zeros(mesh.point_count, dtype=bool)
        ends = self.topology.edges.ends.astype(np.int64)
        on[ends[chosen].ravel()] = True
        self.cut: Bools = np.logical_and(on[ends], ~chosen[:, None])
        both: Bools = np.all(self.cut, axis=1)
        self.shares = np.where(both[:, None], np.minimum(shares, BOTH_MOST), shares)
        edge, end = np.nonzero(self.cut)
        self.number = np.full(self.cut.shape, -1, dtype=np.int64)
        self.number[edge, end] = mesh.point_count + np.arange(len(edge))
        self.total = mesh.point_count + len(edge)
        t = self.shares[edge, end]
        self.sources = [np.column_stack((ends[edge, end], ends[edge, 1 - end], ends[edge, end], ends[edge, end]))]
        self.weights = [np.column_stack((1 - t, t, 0 * t, 0 * t))]
        self.polygons: list[Ints] = []
        self.owners: list[Ints] = []
        self.mixes: list[tuple[Ints, Floats]] = []
        self.loops: list[Ints] = [np.zeros((0, 2), dtype=np.int64)]

    def build(self) -> Cut:
        """Return the mesh and the edges of the loops."""
        left = np.flatnonzero(~touched_faces(self.topology, self.chosen))
        for sides in np.unique(self.topology.face_sides[left]):
            faces = left[self.topology.face_sides[left] == sides]
            corners = self.topology.face_offsets[faces].astype(np.int64)[:, None] + np.arange(int(sides))
            self._keep(self.topology.face_corners[corners].astype(np.int64), faces, corners, np.eye(int(sides))[None])
        for pattern, faces, first in _groups(self.topology, self.chosen):
            self._divide(template_of(*pattern), len(pattern[0]), faces, first)
        return self._finish()

    def _keep(self, vertices: Ints, faces: Ints, corners: Ints, mixes: Floats) -> None:
        """Keep polygons (k, n) of old faces (k,); mixes (k or 1, n, m): of the old corners (k, m) for each of their own."""
        self.polygons.append(vertices)
        self.owners.append(faces)
        self.mixes.append(
            (
                np.repeat(corners[:, None], vertices.shape[1], axis=1),
                np.broadcast_to(mixes, (*vertices.shape, corners.shape[1])),
            )
        )

    def _divide(self, template: Template, sides: int, faces: Ints, first: Ints) -> None:
        """Keep what faces (k,) of one pattern become."""
        corners = first[:, None] + np.arange(sides)
        own = self.topology.face_corners[corners].astype(np.int64)
        ahead = self._shares_at(corners, own)
        back = self._shares_at(np.roll(corners, 1, axis=1), own)
        places = {place for polygon in template.polygons for place in polygon}
        numbers: dict[Place, Ints] = {}
        mixes: dict[Place, Floats] = {}
        for kind, k in sorted(places):
            mix = np.zeros((len(faces), sides))
            after, before, u, v = (k + 1) % sides, (k - 1) % sides, ahead[0][:, k], back[0][:, k]
            if kind == "own":
                mix[:, k] = 1
                numbers[kind, k] = own[:, k]
            elif kind == "ahead":
                mix[:, k], mix[:, after] = 1 - u, u
                numbers[kind, k] = ahead[1][:, k]
            elif kind == "back":
                mix[:, k], mix[:, before] = 1 - v, v
                numbers[kind, k] = back[1][:, k]
            else:
                across = (k + 2) % sides if sides == 4 else k
                share = u * v if sides == 4 else -u * v
                mix[:, k] = (1 - u) * (1 - v)
                mix[:, after] += u * (1 - v) if sides == 4 else u
                mix[:, before] += (1 - u) * v if sides == 4 else v
                mix[:, across] += share
                numbers[kind, k] = self._inner(own, mix)
            mixes[kind, k] = mix
        for polygon in template.polygons:
            vertices = np.column_stack([numbers[place] for place in polygon])
            self._keep(vertices, faces, corners, np.stack([mixes[place] for place in polygon], axis=1))
        self.loops += [np.column_stack((numbers[a], numbers[b])) for a, b in template.loops]

    def _shares_at(self, corners: Ints, vertices: Ints) -> tuple[Floats, Ints]:
        """Return the shares (k, n) of the edges of half-edges (k, n) near vertices of theirs, and the vertices there."""
        edge = self.topology.edges.of_corner[corners].astype(np.int64)
        end = (self.topology.edges.ends[edge, 0] != vertices).astype(np.int64)
        return self.shares[edge, end], self.number[edge, end]

    def _inner(self, own: Ints, mix: Floats) -> Ints:
        """Make new vertices inside faces from their own (k, n); return their numbers (k,)."""
        count, sides = own.shape
        numbers = self.total + np.arange(count)
        self.total += count
        used = np.argsort(-np.abs(mix), axis=1, kind="stable")[:, :4]
        rows = np.arange(count)[:, None]
        sources, weights = own[rows, used], mix[rows, used]
        spare = max(0, 4 - sides)
        self.sources.append(np.pad(sources, ((0, 0), (0, spare)), mode="edge"))
        self.weights.append(np.pad(weights, ((0, 0), (0, spare))))
        return numbers

    def _finish(self) -> Cut:
        """Return the mesh of the polygons, in the order of the faces that they came from."""
        mesh = self.mesh
        owner = np.concatenate(self.owners).astype(np.int64)
        sides = np.concatenate([np.full(len(part), part.shape[1]) for part in self.polygons])
        flat = np.concatenate([part.ravel() for part in self.polygons])
        order = np.argsort(owner, kind="stable")
        starts = np.concatenate(([0], np.cumsum(sides)))[:-1]
        offsets = np.concatenate(([0], np.cumsum(sides[order])))
        corner_rows = np.repeat(starts[order], sides[order]) + (np.arange(len(flat)) - np.repeat(offsets[:-1], sides[order]))
        topology = make_topology(self.total, flat[corner_rows], offsets=offsets)
        parts = self._edge_parts()
        along = topology.find_edges(np.concatenate(self.loops))
        origin = Origin(
            mesh.topology,
            self._point_sources(),
            self._corner_sources(corner_rows),
            owner[order],
            np.column_stack((topology.find_edges(parts[:, :2]), parts[:, 2])).astype(np.int64),
        ).with_roles({}, {"loop": along}, len(topology.edges.ends))
        return Cut(carry(mesh, topology, origin), origin, along)

    def _point_sources(self) -> Weighted:
        """Return where the points come from: the old ones, then those on edges and inside faces."""
        sources, weights = np.concatenate(self.sources), np.concatenate(self.weights)
        old, new = self.mesh.point_count, len(sources)
        rows = np.concatenate((np.arange(old), np.repeat(np.arange(old, old + new), 4)))
        columns, values = np.concatenate((np.arange(old), sources.ravel())), np.concatenate((np.ones(old), weights.ravel()))
        used = values != 0
        return Weighted(scipy.sparse.csr_array((values[used], (rows[used], columns[used])), shape=(old + new, old)))

    def _corner_sources(self, order: Ints) -> Weighted:
        """Return where the corners come from, in an order."""
        columns = np.concatenate([corners.reshape(-1) for corners, _ in self.mixes])
        values = np.concatenate([mix.reshape(-1) for _, mix in self.mixes])
        widths = np.concatenate([np.full(mix.shape[0] * mix.shape[1], mix.shape[2]) for _, mix in self.mixes])
        rows = np.repeat(np.arange(len(widths)), widths)
        used = values != 0
        shape = (len(widths), len(self.topology.face_corners))
        return Weighted(scipy.sparse.csr_array((values[used], (rows[used], columns[used])), shape=shape)[order])

    def _edge_parts(self) -> Ints:
        """Return the parts of all old edges: both ends and the edge (k, 3)."""
        ends = self.topology.edges.ends.astype(np.int64)
        line = np.column_stack((ends[:, 0], self.number, ends[:, 1]))
        rows = []
        for flags in ((False, False), (True, False), (False, True), (True, True)):
            own = np.flatnonzero((self.cut == flags).all(axis=1))
            picked = line[own][:, [True, *flags, True]]
            pairs = np.stack((picked[:, :-1], picked[:, 1:]), axis=-1).reshape(-1, 2)
            rows.append(np.column_stack((pairs, np.repeat(own, 1 + sum(flags)))))
        return np.concatenate(rows)
