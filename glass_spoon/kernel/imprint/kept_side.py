"""What is taken out of a mesh about the seams that it is to end on: a block of faces, and its border in front of each seam.

The faces that a seam crosses go, and those with points too near to it; inner corners of the block are filled. Edges where
the skin has a crease are followed from the border to the seam, so that the faces made there keep it.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, Ints, lengths
from glass_spoon.kernel.errors import FacesTooLarge, KernelError
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.imprint.seam_line import SeamLine, least_away, nearest_line
from glass_spoon.kernel.imprint.solids import Share
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.mesh_loops import chains_of, usual_edge
from glass_spoon.kernel.meshes.topology import Topology

CREASE = np.cos(np.radians(50))
"""Cosine of the angle between neighbouring faces beyond which their edge is a crease that is kept."""

FILLED = 2.5
"""Inner corners of the block are filled where the face there reaches no farther from the seam, in edges."""

ON = 1e-6
"""What lies nearer to a seam than this share of an edge lies on it."""


@dataclass(frozen=True, eq=False)
class Cut:
    """A crease or rim between the border and the seam. at: its number in the border; way: how far along the seam it ends, in
    mm; path (p, 3): its places from the border to the seam; edge: the old edge that it is part of.
    """

    at: int
    way: float
    path: Floats
    edge: int


@dataclass(frozen=True, eq=False)
class Border:
    """What stands in front of a seam. points (k,): one after another, the block on the left; against: they run against the
    seam; lies_on: they lie on it already; closed: the last is followed by the first. cuts: in the order of the border; one
    that is not closed begins and ends with one, on the rims of the mesh. ways (k,): how far along the seam its nearest place
    to each point is, in mm; away: the mean distance to it, in mm.
    """

    points: Ints
    ways: Floats
    against: bool
    lies_on: bool
    cuts: tuple[Cut, ...]
    away: float
    closed: bool = True

    @property
    def is_disc(self) -> bool:
        """Whether there is no border: the little that stays is filled from the seam."""
        return len(self.points) == 0

    def counts(self) -> list[int]:
        """Return the edges between each cut and the next, round and round; all of them where there are no cuts."""
        at = [cut.at for cut in self.cuts]
        if not at:
            return [len(self.points)]
        if not self.closed:
            return [b - a for a, b in pairwise(at)]
        return [(b - a) % len(self.points) or len(self.points) for a, b in zip(at, [*at[1:], at[0]], strict=True)]


NO_BORDER = Border(np.zeros(0, dtype=np.int64), np.zeros(0), against=False, lies_on=False, cuts=(), away=0.0)
"""Of a seam that all that stays is filled from."""


@dataclass(frozen=True, eq=False)
class Side:
    """What is done to one body. gone (f,): the faces that go; edge: usual length of an edge near the seams, in mm; borders:
    one in front of each seam; tubes: pairs of seams between which nothing is left, to be joined straight to each other.
    """

    gone: Bools
    edge: float
    borders: list[Border]
    tubes: tuple[tuple[int, int], ...] = ()


def creases(mesh: Mesh) -> Bools:
    """Mark the edges (e,) that are creases: sharp by angle, or by their sharpness."""
    topology = mesh.topology
    pair = topology.edge_faces
    inner = (pair[:, 0] >= 0) & (pair[:, 1] >= 0)
    found = np.zeros(len(pair), dtype=bool)
    normals = mesh.face_normals
    found[inner] = np.einsum("ei,ei->e", normals[pair[inner, 0]], normals[pair[inner, 1]]) < CREASE
    sharp = mesh.edges.get("sharpness")
    return found if sharp is None else found | (inner & (sharp > 0))


def kept_side(mesh: Mesh, own: Bools, seams: list[SeamLine], share: Share, how: tuple[float, Bools]) -> Side:
    """Return what goes of the faces marked `own` (f,), and the borders; seams: closed lines on them.

    share: over all faces and points; how: points nearer to a seam than this many edges go, and the creases (e,). Raises
    KernelError, with what to do, where a seam cannot be reached.
    """
    topology, (apart, bent) = mesh.topology, how
    gone = own & share.gone
    if not seams:
        return Side(gone, 1.0, [])
    crossed = own & ~share.whole & ~share.gone
    sharp = bent | (topology.edge_face_counts == 1)
    on, touched = _lying_on(mesh, own, share, seams, sharp)
    edge = usual_edge(mesh, crossed if crossed.any() else own)
    lines = [seam.refined(0.15 * edge) for seam in seams]
    gone |= crossed
    reached = [line for line, lies in zip(lines, on, strict=True) if not lies]
    if reached:
        gone |= own & _near(mesh, reached, sharp, crossed | touched, apart * edge)
        gone = _filled(mesh, gone, own, sharp, (reached, FILLED * edge))
    borders = _sorted_borders(mesh, _walks(topology, gone, own), lines)
    tubes = _tubes(mesh, own & gone & ~share.gone, lines, [walk is None for walk in borders])
    walked = _Creases(mesh, gone, sharp, share)
    result = [
        NO_BORDER if walk is None else walked.border(walk, line, edge, lies=lies)
        for walk, line, lies in zip(borders, lines, on, strict=True)
    ]
    walked.check(own)
    return Side(gone, edge, result, tubes)


def _lying_on(mesh: Mesh, own: Bools, share: Share, seams: list[SeamLine], sharp: Bools) -> tuple[list[bool], Bools]:
    """Return which seams run along edges between faces that stay and faces that go, and the faces (f,) beside edges along
    which only a part of a seam runs; raises KernelError where these are creases.
    """
    pair = mesh.topology.edge_faces
    inner = (pair[:, 0] >= 0) & (pair[:, 1] >= 0) & own[np.maximum(pair[:, 0], 0)]
    a, b = pair[:, 0], np.maximum(pair[:, 1], 0)
    between = np.flatnonzero(inner & ((share.whole[a] & share.gone[b]) | (share.gone[a] & share.whole[b])))
    touched = np.zeros(mesh.face_count, dtype=bool)
    if not len(between):
        return [False] * len(seams), touched
    ends = mesh.topology.edges.ends[between]
    start, end = mesh.positions[ends[:, 0]], mesh.positions[ends[:, 1]]
    size = lengths(end - start)
    result = []
    for seam in seams:
        tolerance = ON * max(float(size.max()), 1e-9)
        on = np.ones(len(ends), dtype=bool)
        for place in (start, end, (start + end) / 2):
            on &= seam.nearest(place)[1] <= tolerance
        result.append(float(size[on].sum()) >= (1 - 1e-3) * seam.length)
        if not result[-1]:
            if sharp[between[on]].any():
                raise KernelError(
                    "The seam runs along a sharp edge of a body for a part of its way. Move one body a little."
                )
            touched[pair[between[on]].ravel()] = True
    return result, touched & share.whole


def _near(mesh: Mesh, lines: list[SeamLine], sharp: Bools, crossed: Bools, most: float) -> Bools:
    """Mark the faces (f,) at points of crossed faces that lie too near to a seam; a point of a crease only goes where the
    seam crosses that crease.
    """
    topology = mesh.topology
    ends = topology.edges.ends
    count = np.bincount(ends[sharp].ravel(), minlength=mesh.point_count)
    pair = topology.edge_faces
    cut = sharp & crossed[pair[:, 0]] & ((pair[:, 1] < 0) | crossed[np.maximum(pair[:, 1], 0)])
    at_cut = np.zeros(mesh.point_count, dtype=bool)
    at_cut[ends[cut].ravel()] = True
    own = np.unique(topology.face_corners[crossed[topology.face_of_corner]])
    away = least_away(lines, mesh.positions[own], most)
    near = np.zeros(mesh.point_count, dtype=bool)
    near[own] = np.isfinite(away)
    near &= (count == 0) | (at_cut & (count == 2))
    found = np.zeros(mesh.face_count, dtype=bool)
    found[topology.face_of_corner[near[topology.face_corners]]] = True
    return found


def _filled(mesh: Mesh, gone: Bools, own: Bools, sharp: Bools, reach: tuple[list[SeamLine], float]) -> Bools:
    """Return the block with its inner corners filled, near the seams and not over creases; and without pinched points."""
    topology = mesh.topology
    inner = np.flatnonzero((topology.edge_faces[:, 1] >= 0) & own[topology.edge_faces[:, 0]])
    pair = topology.edge_faces[inner]
    gone = gone.copy()
    for _ in range(24):
        first = gone[pair[:, 0]]
        border = np.flatnonzero(first != gone[pair[:, 1]])
        outer = np.where(first[border], pair[border, 1], pair[border, 0])
        faces, sides = np.unique(outer[~sharp[inner[border]]], return_counts=True)
        more = np.zeros(mesh.face_count, dtype=bool)
        more[faces[sides > 2]] = True
        corner = faces[(sides == 2) & own[faces]]
        if len(corner):
            far = _reach(mesh, corner, reach[0])
            more[corner[far <= reach[1]]] = True
        points, meeting = np.unique(topology.edges.ends[inner[border]], return_counts=True)
        if (meeting > 2).any():
            pinched = np.zeros(mesh.point_count, dtype=bool)
            pinched[points[meeting > 2]] = True
            more[topology.face_of_corner[pinched[topology.face_corners]]] = True
        more |= _across_creases(topology, gone, sharp)
        more &= own & ~gone
        more &= ~_between(mesh, gone & own, more, reach[0])
        if not more.any():
            return gone
        gone |= more
    return gone


def _across_creases(topology: Topology, gone: Bools, sharp: Bools) -> Bools:
    """Mark faces (f,) across a crease from one that goes, where the crease runs on into the block: a border along it would
    meet it again in a straight corner.
    """
    result = np.zeros(topology.face_count, dtype=bool)
    every = np.flatnonzero(sharp)
    creased = every[topology.edge_faces[every, 1] >= 0]
    if not len(creased):
        return result
    pair, ends = topology.edge_faces[creased], topology.edges.ends[creased]
    first, second = gone[pair[:, 0]], gone[pair[:, 1]]
    count = np.bincount(topology.edges.ends[every].ravel(), minlength=topology.point_count)
    inside = np.zeros(topology.point_count, dtype=bool)
    inside[ends[first & second].ravel()] = True
    inside &= count == 2
    lone = (first != second) & (inside[ends[:, 0]] | inside[ends[:, 1]])
    result[pair[lone].ravel()] = True
    return result


def _between(mesh: Mesh, gone: Bools, faces: Bools, lines: list[SeamLine]) -> Bools:
    """Mark those of some faces (f,) that touch the blocks of two seams: where they went too, nothing were left between."""
    result = np.zeros(mesh.face_count, dtype=bool)
    if len(lines) < 2 or not faces.any():
        return result
    topology = mesh.topology
    block = np.full(mesh.face_count, -1)
    block[gone | faces] = nearest_line(lines, mesh.face_centers[gone | faces])
    least, most = np.full(mesh.point_count, len(lines)), np.full(mesh.point_count, -1)
    corners = np.flatnonzero((gone | faces)[topology.face_of_corner])
    np.minimum.at(least, topology.face_corners[corners], block[topology.face_of_corner[corners]])
    np.maximum.at(most, topology.face_corners[corners], block[topology.face_of_corner[corners]])
    both = (least < most)[topology.face_corners]
    result[topology.face_of_corner[both]] = True
    return np.asarray(result & faces)


def _reach(mesh: Mesh, faces: Ints, lines: list[SeamLine]) -> Floats:
    """Return how far (k,) in mm the farthest corner of each of some faces (k,) is from the nearest seam."""
    corners, owner = mesh.topology.corners_of_faces(faces)
    away = least_away(lines, mesh.positions[mesh.topology.face_corners[corners]])
    return np.asarray(np.maximum.reduceat(away, np.flatnonzero(np.diff(owner, prepend=-1))))


def _walks(topology: Topology, gone: Bools, own: Bools) -> list[tuple[Ints, bool]]:
    """Return the borders (k,) between what goes and what stays, the former on the left, and whether they are closed: others
    run from rim to rim.
    """
    corners = np.flatnonzero(gone[topology.face_of_corner])
    pair = topology.edge_faces[topology.edges.of_corner[corners]]
    other = np.where(pair[:, 0] == topology.face_of_corner[corners], pair[:, 1], pair[:, 0])
    rim = corners[(other >= 0) & own[np.maximum(other, 0)] & ~gone[np.maximum(other, 0)]]
    start, end = topology.face_corners[rim], topology.face_corners[topology.next_corner[rim]]
    if len(np.unique(start)) != len(start) or len(np.unique(end)) != len(end):
        raise FacesTooLarge("Two seams, or two parts of one, come too near to each other.")
    following = dict(zip(start.tolist(), end.tolist(), strict=True))
    return [(np.array(walk, dtype=np.int64), closed) for walk, closed in chains_of(following)]


def _sorted_borders(mesh: Mesh, walks: list[tuple[Ints, bool]], lines: list[SeamLine]) -> list[Ints | None]:
    """Return the one border in front of each seam, None where there is none; raises KernelError where one has two."""
    result: list[Ints | None] = [None] * len(lines)
    for walk, closed in walks:
        label = np.bincount(nearest_line(lines, mesh.positions[walk]), minlength=len(lines))
        seam = int(label.argmax())
        if result[seam] is not None:
            raise FacesTooLarge("A seam has two borders: faces there are too large for it.")
        if closed != lines[seam].closed:
            raise FacesTooLarge("A seam comes too near to an open rim of the mesh.")
        result[seam] = walk
    return result


def _tubes(mesh: Mesh, faces: Bools, lines: list[SeamLine], alone: list[bool]) -> tuple[tuple[int, int], ...]:
    """Return the pairs of seams without a border that share the piece of faces (f,) beside them; the others are filled.

    Raises KernelError where a seam without a border shares its piece with more, or with one that has a border.
    """
    if not any(alone):
        return ()
    pair = mesh.topology.neighbours
    inner = faces[pair[:, 0]] & faces[pair[:, 1]]
    group = joined_groups(pair[inner, 0], pair[inner, 1], mesh.face_count)
    middles = scipy.spatial.cKDTree(mesh.face_centers[faces])
    label = group[np.flatnonzero(faces)]
    held = [set(label[middles.query(line.places)[1]].tolist()) for line in lines]
    tubes = set()
    for number, own in enumerate(held):
        others = [k for k, other in enumerate(held) if k != number and own & other] if alone[number] else []
        if len(others) > 1 or any(not alone[k] for k in others):
            raise FacesTooLarge("Nothing is left of the skin between two seams.")
        if others:
            tubes.add((min(number, others[0]), max(number, others[0])))
    return tuple(sorted(tubes))


class _Creases:
    """Follows creases through a block."""

    def __init__(self, mesh: Mesh, gone: Bools, sharp: Bools, share: Share) -> None:
        self.mesh, self.share = mesh, share
        topology = mesh.topology
        pair = topology.edge_faces
        self.count = np.bincount(topology.edges.ends[sharp].ravel(), minlength=mesh.point_count)
        inner = sharp & gone[pair[:, 0]] & ((pair[:, 1] < 0) | gone[np.maximum(pair[:, 1], 0)])
        self.beside: dict[int, list[tuple[int, int]]] = {}
        for number, (a, b) in zip(np.flatnonzero(inner).tolist(), topology.edges.ends[inner].tolist(), strict=True):
            self.beside.setdefault(a, []).append((number, b))
            self.beside.setdefault(b, []).append((number, a))
        self.gone = gone
        self.walked: set[int] = set()

    def border(self, walk: Ints, line: SeamLine, edge: float, *, lies: bool) -> Border:
        """Return a border with the creases that run from it to the seam, in order."""
        positions = self.mesh.positions[walk]
        ways, away = line.nearest(positions)
        step = np.diff(np.append(ways, ways[0]) if line.closed else ways)
        if line.closed:
            step -= line.length * np.rint(step / line.length)
        against = float(step.sum()) < 0
        if lies:
            return Border(walk, ways, against, lies_on=True, cuts=(), away=0.0)
        cuts = []
        for at, vertex in enumerate(walk.tolist()):
            ahead = self.beside.get(vertex, [])
            if len(ahead) > 1:
                raise FacesTooLarge("Creases of a body meet too near to the seam.")
            if ahead:
                cuts.append(self._cut(at, vertex, line, edge))
        turned = [-cut.way if against else cut.way for cut in cuts]
        if not line.closed:
            ends = [cut.at for cut in cuts[:1] + cuts[-1:]] == [0, len(walk) - 1]
            if not ends or (np.diff(turned) <= 1e-9 * line.length).any():
                raise FacesTooLarge("The seam does not reach the rim of the mesh cleanly.")
            return Border(walk, ways, against, lies_on=False, cuts=tuple(cuts), away=float(away.mean()), closed=False)
        rising = np.mod(np.diff([*turned, turned[0]]) if turned else np.zeros(0), line.length)
        if len(cuts) > 1 and (not np.isclose(rising.sum(), line.length) or (rising <= 1e-9 * line.length).any()):
            raise FacesTooLarge("The seam crosses creases of a body too near to each other.")
        return Border(walk, ways, against, lies_on=False, cuts=tuple(cuts), away=float(away.mean()))

    def _cut(self, at: int, vertex: int, line: SeamLine, edge: float) -> Cut:
        """Follow a crease from a point of the border to the seam."""
        places, here, first = [self.mesh.positions[vertex]], vertex, -1
        came = -1
        for _ in range(64):
            onward = [(number, other) for number, other in self.beside.get(here, []) if number != came]
            if len(onward) != 1 or (here != vertex and self.count[here] != 2):
                break
            came, there = onward[0]
            first = came if first < 0 else first
            self.walked.update((here, there))
            found = _crossing(self.mesh.positions[here], self.mesh.positions[there], line, edge)
            if found is not None:
                way, place = found
                return Cut(at, way, np.array([*places, place]), first)
            places.append(self.mesh.positions[there])
            here = there
        raise FacesTooLarge("A crease of a body ends, or meets others, too near to the seam.")

    def check(self, own: Bools) -> None:
        """Raise KernelError where a crease would be lost that no seam crosses."""
        topology = self.mesh.topology
        kept = np.zeros(self.mesh.point_count, dtype=bool)
        kept[topology.face_corners[(own & ~self.gone)[topology.face_of_corner]]] = True
        lost = (self.count > 0) & self.share.points & ~kept
        lost[topology.face_corners[~own[topology.face_of_corner]]] = False
        lost[list(self.walked)] = False
        if lost.any():
            raise FacesTooLarge("A crease of a body runs too near to the seam.")


def _crossing(start: Floats, end: Floats, line: SeamLine, edge: float) -> tuple[float, Floats] | None:
    """Return how far along a seam it meets a piece of a crease, and the place; None where it does not."""
    run = end - start
    size = float(run @ run)
    middle, reach = (start + end) / 2, np.sqrt(size) / 2 + ON * edge
    near = np.array(line.tree.query_ball_point(middle, reach), dtype=np.int64)
    if not len(near):
        return None
    share = np.clip((line.places[near] - start) @ run / max(size, 1e-300), 0, 1)
    away = lengths(start + share[:, None] * run - line.places[near])
    close = near[away <= 100 * ON * edge]
    if not len(close):
        return None
    best = close[np.argmin(lengths(line.places[close] - start))]
    return float(line.way[best]), line.places[best]
