"""Corners cut off at points: each gives way to a patch whose rim crosses its faces, at a width from it along its edges.

B-------------Q        Even counts across a face make all quads: a face with one corner cut is filled from the corner
|           . |        across (this picture, two steps), one with more of them by strips between their rims. At an open
|     .       |        rim nothing is put in the point's place: the corner of a sheet is cut or rounded off.
o   o         |
  P   o-------A        The rim runs straight (flat), as an arc tangent to the edges (round), or at the width from the
                       point all about (hollow): a true circle on a flat.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache, cached_property

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, cross, directions, lengths
from glass_spoon.kernel.detail.bevel import CORNER, RIM, Profile
from glass_spoon.kernel.detail.corner_patch import balls, patch
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.mesh_edits.assemble import Assembly
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Reworked

KEPT = "kept"
"""Role: the faces about a point, cut anew."""

_STRAIGHT = 1e-4
"""A face's corner whose half angle has a cosine below this lies in a straight line: its rim has no arc."""

_Local = tuple[tuple[int, ...], ...]


@dataclass(frozen=True, eq=False)
class PointsBevelled(Reworked):
    """Points bevelled. fits: the largest share of the width that folds nothing, at most 1; folded: old faces (k,) with edges
    that are too short; odd: faces with other than four corners that were made; opened: points at open rims, cut off.
    """

    fits: float
    folded: Ints
    odd: int
    opened: int


def bevel_points(mesh: Mesh, chosen: Bools, width: float, steps: int = 2, profile: Profile = "round") -> PointsBevelled:
    """Return the mesh with marked points (n,) cut off at a width in mm along their edges; steps: across each face.

    Raises KernelError for points where skins meet that hang together by nothing else.
    """
    if steps < 1:
        raise InvalidInput("The steps", "1 or more", str(steps))
    if not width > 0:
        raise InvalidInput("The width", "above zero", f"{width:.4g} mm")
    return _PointBevel(mesh, chosen, width, steps, profile).done()


class _PointBevel:
    """The work on one set of points."""

    def __init__(self, mesh: Mesh, chosen: Bools, width: float, steps: int, profile: Profile) -> None:
        self.mesh, self.width, self.steps, self.profile = mesh, width, steps, profile
        topology = mesh.topology
        self.corners = topology.face_corners.astype(np.int64)
        self.cut = chosen & (np.bincount(self.corners, minlength=mesh.point_count) > 0)
        self.at = np.flatnonzero(self.cut[self.corners])
        self.build = Assembly(mesh)
        self.odd = 0

    def done(self) -> PointsBevelled:
        """Lay the points, fill the faces about them, then put patches in their places."""
        topology = self.mesh.topology
        starts, counts, is_open = self._fans()
        self._lay_rows()
        self._fill_faces()
        for sides in np.unique(counts[~is_open]).tolist():
            self._fill_points(starts[~is_open & (counts == sides)], sides)
        self._continue_edges()
        size = lengths(np.diff(self.mesh.positions[topology.edges.ends], axis=1)[:, 0])
        taken = self.cut[topology.edges.ends].sum(axis=1) * self.width
        short = taken >= size
        least = np.min(size[taken > 0] / taken[taken > 0], initial=np.inf)
        folded = np.unique(topology.face_of_corner[short[topology.edges.of_corner]]).astype(np.int64)
        done, _ = self.build.finish()
        return PointsBevelled(done.mesh, done.origin, float(min(1.0, least)), folded, self.odd, int(is_open.sum()))

    def _fans(self) -> tuple[Ints, Ints, Bools]:
        """Return a first corner of each point, how many corners it has, and whether its fan is open.

        An open fan starts at the corner whose outgoing edge is on the rim, so that going over to the next finds all.
        """
        topology = self.mesh.topology
        lone = self.at[topology.twins[self.at] < 0]
        starts = np.full(self.mesh.point_count, -1, dtype=np.int64)
        starts[self.corners[self.at]] = self.at
        starts[self.corners[lone]] = lone
        is_open = np.bincount(self.corners[lone], minlength=self.mesh.point_count) > 0
        points = np.flatnonzero(self.cut)
        start = starts[points]
        counts = np.zeros(len(points), dtype=np.int64)
        here, live = start.copy(), np.ones(len(points), dtype=bool)
        while live.any():
            counts[live] += 1
            here[live] = self._over(here[live])
            live &= (here >= 0) & (here != start)
        if (counts != np.bincount(self.corners, minlength=self.mesh.point_count)[points]).any():
            raise KernelError(
                "Skins meet in a marked point that hang together by nothing else there. Mark others, or clean the mesh."
            )
        return start, counts, is_open[points]

    def _over(self, corner: Ints) -> Ints:
        """Return the next corners of the same points, over the edges that come in; -1 beyond an open rim."""
        return self.mesh.topology.twins[self.mesh.topology.previous_corner[corner]].astype(np.int64)

    def _lay_rows(self) -> None:
        """Lay the rims: self.rows (h, steps + 1) points of each corner from its edge in to its edge out, and self.shares
        (h, steps + 1, 3), by which they are mixed of the corner before it, its own and the one after it.
        """
        mesh, topology, at = self.mesh, self.mesh.topology, self.at
        before, after = topology.previous_corner[at].astype(np.int64), topology.next_corner[at].astype(np.int64)
        place = mesh.positions[self.corners[at]]
        sides = [mesh.positions[self.corners[corner]] - place for corner in (before, after)]
        back, ahead = (directions(side) for side in sides)
        rows = place[:, None] + self._arcs(back, ahead, mesh.face_normals[topology.face_of_corner[at]])
        ends = topology.edges.ends.astype(np.int64)
        numbers = np.full((len(ends), 2), -1, dtype=np.int64)
        edge, end = np.nonzero(self.cut[ends])
        length = lengths(np.diff(mesh.positions[ends[edge]], axis=1)[:, 0])
        share = (self.width / np.maximum(length, 1e-300))[:, None]
        own, other = ends[edge, end], ends[edge, 1 - end]
        numbers[edge, end] = self.build.add_points(
            mesh.positions[own] + share * (mesh.positions[other] - mesh.positions[own])
        )
        self.build.mix(numbers[edge, end], np.column_stack((own, other)), np.hstack((1 - share, share)))
        self.on_edge = numbers
        self.rows = np.full((len(self.corners), self.steps + 1), -1, dtype=np.int64)
        for column, corner in ((0, before), (self.steps, at)):
            crossed = topology.edges.of_corner[corner]
            self.rows[at, column] = numbers[crossed, (ends[crossed, 1] == self.corners[at]).astype(np.int64)]
        self.shares = np.zeros((len(self.corners), self.steps + 1, 3))
        self.shares[at] = _shares_of(rows - place[:, None], *sides)
        inner = rows[:, 1:-1].reshape(-1, 3)
        if len(inner):
            new = self.build.add_points(inner)
            points = np.column_stack((self.corners[before], self.corners[at], self.corners[after]))
            self.build.mix(new, np.repeat(points, self.steps - 1, axis=0), self.shares[at, 1:-1].reshape(-1, 3))
            self.rows[at, 1:-1] = new.reshape(len(at), -1)

    def _arcs(self, back: Floats, ahead: Floats, normal: Floats) -> Floats:
        """Return the rims (k, steps + 1, 3) about points at the origin, between edges by their directions (k, 3)."""
        run = (np.arange(self.steps + 1) / self.steps)[None, :, None]
        straight = self.width * ((1 - run) * back[:, None] + run * ahead[:, None])
        if self.profile == "flat" or self.steps == 1:
            return np.asarray(straight)
        turned = cross(ahead, back)
        angle = np.arctan2(lengths(turned), np.einsum("ki,ki->k", ahead, back))
        angle = np.where(np.einsum("ki,ki->k", turned, normal) < 0, 2 * np.pi - angle, angle)
        half = angle / 2
        # The middle of the corner, and square to it in its plane towards the edge in.
        across = directions(back - ahead)
        middle = directions(back + ahead - np.einsum("ki,ki->k", back + ahead, across)[:, None] * across)
        flat = np.abs(np.cos(half)) < _STRAIGHT
        middle = np.where(
            flat[:, None], directions(cross(normal, ahead)), np.where((half > np.pi / 2)[:, None], -middle, middle)
        )
        if self.profile == "hollow":
            turn = half[:, None, None] * (1 - 2 * run)
            return np.asarray(self.width * (np.cos(turn) * middle[:, None] + np.sin(turn) * across[:, None]))
        cosine = np.where(flat, 1.0, np.cos(half))
        turn = (np.pi / 2 - half)[:, None, None] * (1 - 2 * run)
        radius = (self.width * np.sin(half) / cosine)[:, None, None]
        arc = (self.width / cosine)[:, None, None] * middle[:, None]
        arc = arc + radius * (np.sin(turn) * across[:, None] - np.cos(turn) * middle[:, None])
        return np.where(flat[:, None, None], straight, arc)

    def _fill_faces(self) -> None:
        """Fill the faces about the points, those with the same corners cut together."""
        topology = self.mesh.topology
        touched = np.unique(topology.face_of_corner[self.at]).astype(np.int64)
        self.build.gone[touched] = True
        sides = topology.face_sides.astype(np.int64)
        for count in np.unique(sides[touched]).tolist():
            faces = touched[sides[touched] == count]
            corners = topology.face_offsets[faces].astype(np.int64)[:, None] + np.arange(count)
            flags = self.cut[self.corners[corners]]
            patterns, which = np.unique(flags, axis=0, return_inverse=True)
            for number, pattern in enumerate(patterns):
                own = which.ravel() == number
                self._fill_alike(faces[own], corners[own], tuple(pattern.tolist()))

    def _fill_alike(self, faces: Ints, corners: Ints, pattern: tuple[bool, ...]) -> None:
        """Fill faces (q,) whose corners (q, s) are cut in the same pattern."""
        count, width = len(pattern), self.steps + 1
        table = np.concatenate((self.corners[corners], self.rows[corners].reshape(len(faces), -1)), axis=1)
        weights = np.zeros((len(faces), count * (1 + width), count))
        weights[:, np.arange(count), np.arange(count)] = 1.0
        for corner in range(count):
            rows = slice(count + corner * width, count + (corner + 1) * width)
            for side, other in enumerate((corner - 1, corner, (corner + 1) % count)):
                weights[:, rows, other] += self.shares[corners[:, corner], :, side]
        for polygon in _polygons(pattern, self.steps):
            made = table[:, list(polygon)]
            source = np.repeat(corners[:, None], len(polygon), axis=1)
            self.odd += len(faces) if len(polygon) != 4 else 0
            self.build.add_faces(made, source, faces, KEPT, weights[:, list(polygon)])

    def _fill_points(self, starts: Ints, sides: int) -> None:
        """Put patches in place of points with as many faces, by a corner (c,) of each."""
        if not len(starts) or sides * self.steps < 3:
            return
        fan = [starts]
        for _ in range(sides - 1):
            fan.append(self._over(fan[-1]))
        corners = np.column_stack(fan)
        loops = self.rows[corners][:, :, :0:-1].reshape(len(starts), -1)
        self.build.name_edges(np.column_stack((loops.ravel(), np.roll(loops, -1, axis=1).ravel())), RIM)
        rims = self.build.places[loops]
        # Of the point itself and its neighbours, each by the corner after its own in the fan.
        weights = np.zeros((len(starts), sides * self.steps, sides + 1))
        share = self.shares[corners][:, :, :0:-1]
        for side in range(sides):
            rows = slice(side * self.steps, (side + 1) * self.steps)
            for column, part in ((1 + (side + 1) % sides, 0), (0, 1), (1 + side, 2)):
                weights[:, rows, column] += share[:, side, :, part]
        topology = self.mesh.topology
        ahead = topology.next_corner[corners].astype(np.int64)
        points = np.column_stack((self.corners[starts], self.corners[ahead]))
        sources = np.column_stack((starts, ahead))
        own = topology.face_of_corner[corners].astype(np.int64)
        if self.steps == 1:
            self.odd += len(starts) if sides != 4 else 0
            self._add_patch(loops[:, None], weights[:, None], sources, corners[:, :1], own[:, :1])
            return
        grid, shares = patch(sides, self.steps)
        inner = np.einsum("kr,crd->ckd", shares, rims)
        if self.profile == "round":
            middle, radius = balls(rims)
            on = radius > 0
            way = directions((inner[on] - middle[on, None]).reshape(-1, 3)).reshape(-1, *inner.shape[1:])
            inner[on] = middle[on, None] + radius[on, None, None] * way
        mixed = np.einsum("kr,crm->ckm", shares, weights)
        new = self.build.add_points(inner.reshape(-1, 3))
        self.build.mix(new, np.repeat(points, inner.shape[1], axis=0), mixed.reshape(-1, sides + 1))
        ids = np.concatenate((loops, new.reshape(len(starts), -1)), axis=1)
        weights = np.concatenate((weights, mixed), axis=1)
        for faces in grid:
            self.odd += len(starts) * len(faces) if faces.shape[1] != 4 else 0
            side = (np.min(np.where(faces < sides * self.steps, faces, sides * self.steps - 1), axis=1)) // self.steps
            self._add_patch(ids[:, faces], weights[:, faces], sources, corners[:, side], own[:, side])

    def _add_patch(self, faces: Ints, weights: Floats, sources: Ints, corners: Ints, own: Ints) -> None:
        """Add patches' faces (c, q, s), mixed by weights (c, q, s, m) of corners (c, m); of faces own (c, q).

        Where values jump between the faces about a point, as at a seam of a texture, each takes those of a corner (c, q).
        """
        each, sides = faces.shape[1:]
        seam = self.jumps[self.corners[sources[:, 0]]]
        for some, mixed in ((~seam, True), (seam, False)):
            if not some.any():
                continue
            made = faces[some].reshape(-1, sides)
            old = own[some].ravel()
            if mixed:
                source = np.broadcast_to(sources[some][:, None, None], (int(some.sum()), each, sides, sources.shape[1]))
                self.build.add_faces(
                    made,
                    source.reshape(-1, sides, sources.shape[1]),
                    old,
                    CORNER,
                    weights[some].reshape(-1, sides, sources.shape[1]),
                )
            else:
                self.build.add_faces(made, np.repeat(corners[some].reshape(-1, 1), sides, axis=1), old, CORNER)

    @cached_property
    def jumps(self) -> Bools:
        """At which points (n,) the values of corners jump between the faces about them, as at a seam of a texture."""
        result = np.zeros(self.mesh.point_count, dtype=bool)
        points = self.corners[self.at]
        for values in self.mesh.corners.values():
            if not np.issubdtype(np.asarray(values).dtype, np.floating):
                continue
            here = np.asarray(values)[self.at].reshape(len(self.at), -1)
            own = np.zeros((self.mesh.point_count, here.shape[1]))
            own[points] = here
            result[points[(np.abs(here - own[points]) > 1e-9).any(axis=1)]] = True
        return result

    def _continue_edges(self) -> None:
        """Let what is left of the edges about the points keep their values."""
        ends = self.mesh.topology.edges.ends.astype(np.int64)
        touched = np.flatnonzero(self.cut[ends].any(axis=1))
        left = np.where(self.on_edge[touched] >= 0, self.on_edge[touched], ends[touched])
        self.build.continue_edges(left, touched)


def _shares_of(moves: Floats, back: Floats, ahead: Floats) -> Floats:
    """Return the weights (k, j, 3) of the ends of two sides from a corner, and of the corner, that give moves (k, j, 3) from
    it: those of the end of `back` first, the corner's, those of the end of `ahead`.
    """
    gram = np.stack((back, ahead), axis=1)
    squares = np.einsum("kai,kbi->kab", gram, gram)
    flat = np.linalg.det(squares) <= 1e-12 * squares[:, 0, 0] * squares[:, 1, 1]
    squares[flat] += 1e-6 * np.maximum(squares[flat, 0, 0], squares[flat, 1, 1])[:, None, None] * np.eye(2)
    parts = np.einsum("kab,kjb->kja", np.linalg.inv(squares), np.einsum("kji,kai->kja", moves, gram))
    return np.stack((parts[..., 0], 1 - parts.sum(axis=2), parts[..., 1]), axis=2)


@cache
def _polygons(pattern: tuple[bool, ...], steps: int) -> _Local:
    """Return what a face becomes whose corners are cut in a pattern, as polygons over its corners and then their rims."""
    count = len(pattern)

    def row(corner: int, step: int) -> int:
        return count + (corner % count) * (steps + 1) + step

    rows = [[row(corner, step) for step in range(steps + 1)] if pattern[corner] else [corner] for corner in range(count)]
    if count != 4 or steps % 2:
        return (tuple(point for part in rows for point in part),)
    cut = [corner for corner in range(4) if pattern[corner]]
    if len(cut) == 1:
        (i,) = cut
        return _fan((i + 2) % 4, [(i + 3) % 4, *rows[i], (i + 1) % 4])
    if len(cut) == 2 and cut[1] - cut[0] == 2:
        return _between_opposite(rows, *cut)
    half = steps // 2
    pairs = [(i, (i + 1) % 4) for i in range(4) if pattern[i] and pattern[(i + 1) % 4]]
    strips = tuple(
        (row(i, steps - 1 - t), row(i, steps - t), row(j, t), row(j, t + 1)) for i, j in pairs for t in range(half)
    )
    if len(cut) == 4:
        return (*strips, tuple(row(i, half) for i in range(4)))
    if len(cut) == 3:
        lone = next(i for i in range(4) if not pattern[i])
        first, middle, last = (lone + 1) % 4, (lone + 2) % 4, (lone + 3) % 4
        return (*strips, *_fan(lone, [*rows[first][: half + 1], row(middle, half), *rows[last][half:]]))
    i, j = pairs[0]
    rest = tuple((row(i, half - t), row(j, half + t), row(j, half + t + 1), row(i, half - t - 1)) for t in range(half))
    return (*strips, *rest, (row(i, 0), row(j, steps), (j + 1) % 4, (j + 2) % 4))


def _fan(apex: int, rim: list[int]) -> _Local:
    """Return quads from a point to every second one of an odd number in a row."""
    return tuple((apex, *rim[step : step + 3]) for step in range(0, len(rim) - 2, 2))


def _between_opposite(rows: list[list[int]], first: int, second: int) -> _Local:
    """Return quads between the rims of two corners across from each other, the other two corners at the ends."""
    one, two = rows[first], rows[second]
    steps = len(one) - 1
    ladder = [(one[steps - 2 - t], one[steps - 1 - t], two[t], two[t + 1]) for t in range(steps - 1)]
    return (
        (one[steps - 1], one[steps], (first + 1) % 4, two[0]),
        *ladder,
        (one[0], two[steps - 1], two[steps], (second + 1) % 4),
    )
