"""Skins cut back to seams and joined there, all quads: edges run along the seam, and what is far from it stays as it was."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from glass_spoon.kernel.arrays import AnyInts, Bools, Floats, Ints, directions, lengths, owned
from glass_spoon.kernel.errors import FacesTooLarge, KernelError
from glass_spoon.kernel.gauges.crossings import crossing_faces
from glass_spoon.kernel.imprint.cutters import Cutter
from glass_spoon.kernel.imprint.kept_side import Border, creases, kept_side
from glass_spoon.kernel.imprint.rebuild import Rebuild
from glass_spoon.kernel.imprint.ring_counts import ODD, Ring, ring_for, start_beside
from glass_spoon.kernel.imprint.seam_line import SeamLine
from glass_spoon.kernel.imprint.skins import FACES_ALONE, Skin, Surfaces, foot_on, on_all
from glass_spoon.kernel.imprint.solids import Share
from glass_spoon.kernel.mesh_edits.draw_points import Drawing, corner_turns, points_about, untangled
from glass_spoon.kernel.mesh_edits.keep_and_merge import keep_faces
from glass_spoon.kernel.mesh_edits.strips import nearest_turn, strip_counts, strips_between, strips_needed
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.meshes.origin import Reworked
from glass_spoon.kernel.meshes.topology import Topology
from glass_spoon.kernel.meshing.fill_plane import fill_plane
from glass_spoon.kernel.surfaces.sets.surface_set import plane_axes

APART = (0.5, 0.75, 0.3, 1.0)
"""How near to a seam points may lie, in edges, that stay: the first with good corners is taken, else the best."""

GOOD, WORST = np.radians(35), np.radians(15)
"""A narrowest corner that is good, and one that is not given."""

ROUNDS, PULLED, NEARED, CHECKED = 30, 2, 5, 10
"""Rounds of smoothing, and after how many of them points are brought back onto the seams, the faces, and the surfaces."""

MOVED = 2
"""Rings of points about a seam that are smoothed with it."""

ABOUT = 3
"""Rings of faces about a seam on which its new points are sought."""

SEAM, BAND = "seam", "band"
"""Roles: the edges along a seam, and the faces that were made beside it."""


@dataclass(frozen=True, eq=False)
class Body:
    """One of the skins that a mesh holds. own (f,): its faces; share: what stays of it, over all faces and points of it all;
    surfaces: what its points belong on, empty for the mesh itself; lines: where it ends, if not on the seams themselves.
    """

    own: Bools
    share: Share
    surfaces: Surfaces = FACES_ALONE
    lines: tuple[SeamLine, ...] | None = None


@dataclass(frozen=True, eq=False)
class Joined(Reworked):
    """Skins joined along seams. rings: the points of each seam, in order, for each body; narrowest: the narrowest corner of
    the faces made, in radians.
    """

    rings: list[list[Ints]]
    narrowest: float


Filling = Callable[[Rebuild, list[list[Ints]], list[Skin]], None]
"""What else is built between the rings: of a seam for each body, with the skins to take values from."""


def along_seams(
    mesh: Mesh, bodies: list[Body], seams: list[SeamLine], filling: Filling | None = None, cutter: Cutter | None = None
) -> Joined:
    """Return the bodies cut back to closed seams on them. Bodies without lines of their own share the points of a seam.

    cutter: what the seams lie on besides, if on anything. Raises KernelError, with what to do, where faces are too large for
    a seam.
    """
    sharp = creases(mesh)
    best: Joined | None = None
    trouble: KernelError | None = None
    for apart in APART:
        try:
            made = _Work(mesh, bodies, seams, _How(apart, sharp, cutter)).done(filling)
        except KernelError as error:
            trouble = error if trouble is None else trouble
            continue
        if made.narrowest >= WORST and _crosses(made):
            trouble = FacesTooLarge("Faces beside the seam would cross each other.")
            continue
        if best is None or made.narrowest > best.narrowest:
            best = made
        if best.narrowest >= GOOD or not seams:
            break
    if best is None:
        assert trouble is not None
        raise trouble
    if best.narrowest < WORST:
        told = f"have a corner of {np.degrees(best.narrowest):.0f}°" if best.narrowest > 0 else "fold"
        raise FacesTooLarge(f"A face beside the seam would {told}.")
    return best


@dataclass(frozen=True, eq=False)
class _Sliding:
    """Points (n,) that slide on a seam. ways (n,): how far along it they are, in mm; fixed: numbers of those that stay."""

    points: Ints
    line: SeamLine
    ways: Floats
    fixed: Ints

    @property
    def free(self) -> Bools:
        """Those (n,) that slide."""
        result = np.ones(len(self.points), dtype=bool)
        result[self.fixed] = False
        return result

    def numbered(self, number: Ints) -> _Sliding:
        """Return the same with points numbered anew."""
        return _Sliding(number[self.points], self.line, self.ways, self.fixed)

    def pull(self, places: Floats) -> None:
        """Put points that were drawn off the seam back on it, none past its neighbours; changes places (n, 3) and ways."""
        size = self.line.length
        wanted = self.line.nearest(places[self.points])[0]
        step = wanted - self.ways
        step -= size * np.rint(step / size)
        if not self.line.closed:
            step = wanted - self.ways
        behind, ahead = (_gap(self.ways, np.roll(self.ways, turn), size) for turn in (1, -1))
        middle = (ahead - behind) / 2 if self.line.closed else np.zeros(len(step))
        step = np.clip((step + middle) / 2, -0.4 * behind, 0.4 * ahead) * self.free
        self.ways[:] = self.ways + step
        places[self.points[self.free]] = self.line.at(self.ways[self.free])


def _gap(first: Floats, second: Floats, size: float) -> Floats:
    """Return how far apart neighbours on a closed line are."""
    gap = np.abs(first - second)
    return np.minimum(gap, np.abs(size - gap))


def _crosses(made: Joined) -> bool:
    """Return whether faces that were made run through each other or through faces near by."""
    band = np.zeros(made.mesh.face_count, dtype=bool) if made.origin.face_roles is None else made.origin.face_roles > 0
    if not band.any():
        return False
    about = _about(made.mesh.topology, band, np.ones(made.mesh.face_count, dtype=bool))
    part = keep_faces(made.mesh, np.flatnonzero(about))
    triangles, faces = NearestOnMesh(part.mesh).triangles  # so that faces which share a point are looked at too
    found = crossing_faces(make_mesh(part.mesh.positions, triangles))
    return bool(band[part.origin.faces[faces[found]]].any())


@dataclass(frozen=True, eq=False)
class _How:
    """How a try is made. apart: how near to a seam points may lie, in edges, that stay; sharp (e,): the creases; cutter:
    what the seams lie on besides, if on anything.
    """

    apart: float
    sharp: Bools
    cutter: Cutter | None


class _Work:
    """One try at a seam."""

    def __init__(self, mesh: Mesh, bodies: list[Body], seams: list[SeamLine], how: _How) -> None:
        self.mesh, self.bodies, self.seams, self.how = mesh, bodies, seams, how
        near = (how.apart, how.sharp)
        self.sides = [kept_side(mesh, body.own, list(body.lines or seams), body.share, near) for body in bodies]
        self.build = Rebuild(mesh)
        self.held: list[Ints] = []
        self.skins = [
            Skin.of(mesh, _about(mesh.topology, side.gone & ~body.share.gone, body.own))
            for side, body in zip(self.sides, bodies, strict=True)
        ]
        self.body_of: list[tuple[Ints, int]] = []
        self.sliding: list[_Sliding] = []

    def done(self, filling: Filling | None) -> Joined:
        """Cut, join, smooth."""
        rings = [self._ring(number) for number in range(len(self.seams))]
        for body, side in enumerate(self.sides):
            for first, second in side.tubes:
                self._tube(body, rings[first][body], rings[second][body])
        if filling is not None:
            filling(self.build, rings, self.skins)
        self.build.gone = np.any([side.gone for side in self.sides], axis=0)
        made, number = self.build.finish()
        moved, narrowest = self._smoothed(made, number)
        numbered = [[number[ring] for ring in own] for own in rings]
        return Joined(moved.mesh, moved.origin, numbered, narrowest)

    def _ring(self, seam: int) -> list[Ints]:
        """Add the points of a seam, and the bands from every border to them; return the points for each body."""
        line = self.seams[seam]
        borders = [
            side.borders[seam] if body.lines is None else _seen_from(line, body.lines[seam], side.borders[seam])
            for side, body in zip(self.sides, self.bodies, strict=True)
        ]
        ring = ring_for(line, borders, min(side.edge for side in self.sides))
        shared: Ints | None = None
        result = []
        for k, (body, border) in enumerate(zip(self.bodies, borders, strict=True)):
            if border.lies_on:
                own = border.points[np.argsort(np.mod(border.ways, line.length))]
                if shared is not None:
                    self.build.same.update(zip(own.tolist(), shared.tolist(), strict=True))
            elif shared is not None and body.lines is None:
                own = shared
            else:
                fixed = next((other for other in borders if other.lies_on), None)
                if fixed is not None and body.lines is None:
                    own = fixed.points[np.argsort(np.mod(fixed.ways, line.length))]
                else:
                    own = self.build.add_points(self._places(seam, k, ring))
                    if body.lines is None:
                        ends = sorted({number for part in ring.cuts for number in part})
                        self.sliding.append(_Sliding(own, line, ring.ways.copy(), np.array(ends, dtype=np.int64)))
            shared = own if body.lines is None else shared
            self.held.append(own)
            self.build.name_edges(np.column_stack((own, np.roll(own, -1)))[: len(own) if line.closed else -1], SEAM)
            if border.is_disc and any(seam in tube for tube in self.sides[k].tubes):
                pass  # joined to the other seam once both are there
            elif border.is_disc:
                self._disc(k, own if k == 0 else own[::-1])
            elif not border.lies_on:
                self._band(k, border, (ring, own, ring.cuts[k]), seam)
            result.append(own)
        return result

    def _places(self, seam: int, body: int, ring: Ring) -> Floats:
        """Return the places (n, 3) of a ring for a body: on its own line, or on the seam, on the surfaces of all."""
        line = self.seams[seam]
        own = self.bodies[body].lines
        if own is not None:
            return own[seam].at(_over(ring.ways, line, own[seam]))
        places = line.at(ring.ways)
        cuts = [k for part in ring.cuts for k in part]
        sharing = [other for other in self.bodies if other.lines is None]
        if not any(other.surfaces for other in sharing) and not self._is_bent:
            return places
        loose = np.setdiff1d(np.arange(len(places)), cuts)
        result = places.copy()
        result[loose] = on_all(
            [other.surfaces for other in sharing],
            [self.skins[self.bodies.index(other)] for other in sharing],
            places[loose],
            self.how.cutter,
        )
        return result

    @property
    def _is_bent(self) -> bool:
        """Whether what cuts is no plane."""
        return self.how.cutter is not None and not self.how.cutter.flat

    def _band(self, body: int, border: Border, ring: tuple[Ring, Ints, list[int]], seam: int) -> None:
        """Add the quads between a border and the points of a seam."""
        solved, own, ends = ring
        line = self.seams[seam]
        at = [cut.at for cut in border.cuts]
        if not at:
            first = start_beside(line, border)
            gap = np.abs(np.mod(solved.ways - first + line.length / 2, line.length) - line.length / 2)
            at, ends = [0], [int(np.argmin(gap))]
        sectors = []
        for k in range(len(at) if border.closed else len(at) - 1):
            low = _stretch(border.points, at[k], at[(k + 1) % len(at)], 1)
            high = _stretch(own, ends[k], ends[(k + 1) % len(at)], -1 if border.against else 1)
            sectors.append((low, high))
        least = max(1, round(border.away / self.sides[body].edge))
        strips = strips_needed([(len(low) - 1, len(high) - 1) for low, high in sectors], least)
        feet = [(low[0], high[0]) for low, high in sectors]
        if not border.closed:
            feet.append((sectors[-1][0][-1], sectors[-1][1][-1]))
        walls = [self._wall(body, border, k, ends_of, strips) for k, ends_of in enumerate(feet)]
        for k, (low, high) in enumerate(sectors):
            counts = strip_counts(len(low) - 1, len(high) - 1, strips)
            assert counts is not None
            self._sector(body, (low, high), counts, (walls[k], walls[(k + 1) % len(walls)]))

    def _disc(self, body: int, loop: Ints) -> None:
        """Add quads inside a seam that runs counter-clockwise round what stays, seen from outside."""
        places = self.build.places[loop]
        middle = places.mean(axis=0)
        ahead = np.roll(places, -1, axis=0)
        normal = directions(np.cross(places - middle, ahead - middle).sum(axis=0))
        frame = plane_axes(normal)
        filled = fill_plane([(places - middle) @ frame.T])
        inner = self.build.add_points(middle + filled.points[len(loop) :] @ frame)
        self.body_of.append((inner, body))
        self.build.add_quads(np.concatenate((loop, inner))[filled.faces], BAND, self.skins[body])

    def _tube(self, body: int, first: Ints, second: Ints) -> None:
        """Add quads between two seams with nothing left between; what stays is on the left of both for the first body."""
        low, high = (first, second[::-1]) if body == 0 else (first[::-1], second)
        if (len(low) - len(high)) % 2:
            raise KernelError(ODD)
        places = self.build.places
        turn = nearest_turn(places[low], places[high])
        high = np.roll(high, -turn)
        away = float(lengths(places[low] - places[high[(np.arange(len(low)) * len(high)) // len(low)]]).mean())
        strips = strips_needed([(len(low), len(high))], max(1, round(away / self.sides[body].edge)))
        counts = strip_counts(len(low), len(high), strips)
        assert counts is not None
        ends = (int(low[0]), int(high[0]))
        share = np.linspace(0, 1, strips + 1)[1:-1, None]
        inner = self.build.add_points(places[ends[0]] + share * (places[ends[1]] - places[ends[0]]))
        self.body_of.append((inner, body))
        wall = np.array([ends[0], *inner.tolist(), ends[1]])
        self._sector(body, (np.append(low, low[0]), np.append(high, high[0])), counts, (wall, wall))

    def _wall(self, body: int, border: Border, number: int, ends: tuple[int, int], strips: int) -> Ints:
        """Return the points from a border to the seam along a crease, or straight on where there is none."""
        places = self.build.places
        cut = border.cuts[number] if border.cuts else None
        path = places[list(ends)] if cut is None else cut.path
        way = np.concatenate(([0.0], np.cumsum(lengths(np.diff(path, axis=0)))))
        at = np.linspace(0, way[-1], strips + 1)[1:-1]
        inner = self.build.add_points(np.stack([np.interp(at, way, column) for column in path.T], axis=1))
        self.body_of.append((inner, body))
        points = np.array([ends[0], *inner.tolist(), ends[1]])
        if cut is not None:
            self.held.append(inner)
            self.build.continue_edges(np.column_stack((points[:-1], points[1:])), np.full(len(points) - 1, cut.edge))
        return points

    def _sector(self, body: int, sides: tuple[Ints, Ints], counts: list[int], walls: tuple[Ints, Ints]) -> None:
        """Add the quads between a stretch of border and a stretch of seam, between two walls."""
        low, high = sides
        strips = strips_between(counts)
        ids = np.full(len(strips.shares), -1, dtype=np.int64)
        for row, left, right in zip(strips.rows, walls[0].tolist(), walls[1].tolist(), strict=True):
            ids[row[0]], ids[row[-1]] = left, right
        ids[strips.rows[0]], ids[strips.rows[-1]] = low, high
        free = np.flatnonzero(ids < 0)
        places = self.build.places
        along, height = strips.shares[free].T
        start, end = (_along(places[points], along) for points in (low, high))
        ids[free] = self.build.add_points(start + height[:, None] * (end - start))
        self.body_of.append((ids[free], body))
        self.build.add_quads(ids[strips.quads], BAND, self.skins[body])

    def _smoothed(self, made: Reworked, number: Ints) -> tuple[Reworked, float]:
        """Return the change with its bands smoothed on the skins, and the narrowest corner there."""
        mesh, topology = made.mesh, made.mesh.topology
        band = made.origin.faces_in(BAND)
        if not band.any():
            return made, float(np.pi / 2)
        loose = points_about(topology, band, MOVED - 1)
        held = np.zeros(self.build.count, dtype=bool)
        held[self.mesh.topology.edges.ends[self.how.sharp].ravel()] = True
        for points in self.held:
            held[points] = True
        loose[number[held & (number >= 0)]] = False
        body_of = np.full(self.build.count, -1)
        for k, body in enumerate(self.bodies):
            body_of[self.mesh.topology.face_corners[body.own[self.mesh.topology.face_of_corner]]] = k
        for points, k in self.body_of:
            body_of[points] = k
        there = np.full(mesh.point_count, -1)
        there[number[number >= 0]] = body_of[number >= 0]
        loose &= there >= 0
        slides = [sliding.numbered(number) for sliding in self.sliding]
        for k, slide in enumerate(slides):
            loose[slide.points[slide.free]] = True
            there[slide.points] = -1 - k
        drawing = Drawing.of(topology, loose, band)
        places = mesh.positions.copy()
        own = [np.flatnonzero(there[drawing.points] == k) for k in range(len(self.bodies))]
        for turn in range(1, ROUNDS + 1):
            drawn = drawing.drawn(places)
            last = turn % CHECKED == 0
            for body, skin, mine in zip(self.bodies, self.skins, own, strict=True) if turn % NEARED == 0 else ():
                drawn[mine] = foot_on(body.surfaces if last else FACES_ALONE, skin, drawn[mine])[0]
            places[drawing.points] = drawn
            for slide in slides if turn % PULLED == 0 else ():
                slide.pull(places)
        self._settle(places, drawing.points, own, slides)
        outward = self._outward(made, places, drawing.faces)
        places = untangled(topology, places, drawing, outward, lambda points, at: self._brought(there[points], at))
        self._settle(places, drawing.points, own, slides)
        return Reworked(mesh.moved(owned(places)), made.origin), _narrowest(topology, places, drawing.faces, outward)

    def _outward(self, made: Reworked, places: Floats, faces: Ints) -> Floats:
        """Return which way (f, 3) the faces are to look: as the skins do where some of them lie."""
        topology = made.mesh.topology
        result = made.mesh.face_normals.copy()
        corners = np.flatnonzero(np.isin(topology.face_of_corner, faces))
        middles = np.zeros((topology.face_count, 3))
        np.add.at(middles, topology.face_of_corner[corners], places[topology.face_corners[corners]])
        middles[faces] /= topology.face_sides[faces, None]
        skinned = made.origin.faces_in(BAND)[faces]
        if made.origin.face_roles is not None:
            skinned |= made.origin.face_roles[faces] == 0
        for body, skin in zip(self.bodies, self.skins, strict=True):
            own = faces[skinned & body.own[made.origin.faces[faces]]]
            result[own] = foot_on(FACES_ALONE, skin, middles[own])[1]
        return result

    def _settle(self, places: Floats, points: Ints, own: list[Ints], slides: list[_Sliding]) -> None:
        """Put points on their surfaces, and those of seams on all of them; changes places (n, 3)."""
        for body, skin, mine in zip(self.bodies, self.skins, own, strict=True):
            if body.surfaces:
                places[points[mine]] = foot_on(body.surfaces, skin, places[points[mine]])[0]
        free = np.concatenate([slide.points[slide.free] for slide in slides]) if slides else np.zeros(0, dtype=np.int64)
        if len(free) and (self._is_bent or any(body.surfaces for body in self.bodies)):
            places[free] = on_all([body.surfaces for body in self.bodies], self.skins, places[free], self.how.cutter)

    def _brought(self, body: Ints, places: Floats) -> Floats:
        """Return places (k, 3) brought onto the skins of bodies (k,), or onto seams, by numbers from -1 down."""
        result = places.copy()
        for k, sliding in enumerate(self.sliding):
            mine = body == -1 - k
            if mine.any():
                result[mine] = sliding.line.at(sliding.line.nearest(places[mine])[0])
        for k, skin in enumerate(self.skins):
            mine = body == k
            result[mine] = foot_on(FACES_ALONE, skin, places[mine])[0]
        return result


def _over(ways: Floats, line: SeamLine, other: SeamLine) -> Floats:
    """Return how far along another line of as many places the places are that are some way (n,) along a closed line."""
    turns = np.floor(ways / line.length)
    return np.interp(ways - turns * line.length, line.way, other.way) + turns * other.length


def _seen_from(line: SeamLine, own: SeamLine, border: Border) -> Border:
    """Return a border in front of a line of its own, with its ways along the seam."""
    if border.cuts:
        raise KernelError("A round seam cannot run over a crease of a body. Leave it sharp, or round that crease first.")
    return border if border.is_disc else replace(border, ways=_over(border.ways, own, line))


def _narrowest(topology: Topology, places: Floats, faces: Ints, outward: Floats) -> float:
    """Return the narrowest corner of the quads among some faces, in radians."""
    faces = faces[topology.face_sides[faces] == 4]
    quads = topology.face_corners[topology.face_offsets[faces][:, None] + np.arange(4)]
    return float(corner_turns(places[quads], outward[faces]).min(initial=np.pi / 2))


def _about(topology: Topology, faces: Bools, own: Bools) -> Bools:
    """Mark faces (f,) and those of the same body within some rings of them."""
    found = faces & own
    last: AnyInts = np.flatnonzero(found)
    for _ in range(ABOUT):
        points = np.unique(topology.face_corners[topology.corners_of_faces(last)[0]])
        beside = np.unique(topology.face_of_corner[topology.corners_at(points)])
        last = beside[own[beside] & ~found[beside]]
        found[last] = True
    return found if found.any() else own


def _stretch(points: Ints, start: int, stop: int, step: int) -> Ints:
    """Return the points (k,) of a closed row from one to another, both included; all the way round from one to itself."""
    count = len(points)
    size = ((stop - start) * step) % count or count
    return points[(start + step * np.arange(size + 1)) % count]


def _along(points: Floats, share: Floats) -> Floats:
    """Return places (n, 3) between points (k, 3), counted by points, at shares (n,) of the row."""
    at = share * (len(points) - 1)
    return np.stack([np.interp(at, np.arange(len(points)), column) for column in points.T], axis=1)
