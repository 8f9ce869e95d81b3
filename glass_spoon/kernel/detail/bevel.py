"""Edges bevelled: a band of even width, or of a true radius, in their place; corners of several made of quads.

Every side of a point between bevelled edges gets a point of its own, where the planes of its faces and the lines at the
width from the edges meet. Between two such points lies a profile of some steps. Where three edges or more meet the profiles
close a patch, which lies on a ball where they do. A row of edges that ends inside the mesh runs out to a point.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, cross, directions, lengths
from glass_spoon.kernel.detail.corner_patch import balls, patch
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.mesh_edits.assemble import Assembly
from glass_spoon.kernel.mesh_edits.thicken import first_folds
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.meshes.origin import Reworked

Profile = Literal["round", "flat", "hollow"]

STRIP, CORNER, RIM = "strip", "corner", "rim"
"""Roles: the faces in place of edges, those in place of points where several meet, and the edges on both sides."""

FLAT = 1e-9


STRAIGHT = 1e-3
"""A corner of a quad whose part of it is below this share is straight: two triangles are laid there."""


@dataclass(frozen=True, eq=False)
class Bevelled(Reworked):
    """Edges bevelled. fits: the largest share of the width that folds no face, at most 1; folded: old faces (k,) that fold;
    odd: faces with other than four corners that were made.
    """

    fits: float
    folded: Ints
    odd: int


def bevel(mesh: Mesh, chosen: Bools, widths: Floats, steps: int = 1, profile: Profile = "round") -> Bevelled:
    """Return the mesh with marked edges (e,) bevelled: widths (e,) in mm from each edge to the rims of its band; steps:
    faces across it.

    Raises KernelError for edges without two sides, and for an edge that runs out at both ends.
    """
    if steps < 1:
        raise InvalidInput("The steps", "1 or more", str(steps))
    if not (widths[chosen] > 0).all():
        raise InvalidInput("The width", "above zero", f"{widths[chosen].min(initial=0.0):.4g} mm")
    topology = mesh.topology
    if not chosen.any() or (topology.edge_face_counts[chosen] != 2).any() or topology.same_direction[chosen].any():
        raise KernelError("Only edges with a face on both sides can be bevelled. Mark others, or clean the mesh.")
    return _Bevel(mesh, chosen, widths, steps, profile).done()


def widths_for_radius(mesh: Mesh, chosen: Bools, radius: float | Floats) -> Floats:
    """Return the widths (e,) in mm at which a ball of a radius, or of one (e,) each, touches both faces of marked edges."""
    normals = mesh.face_normals
    pair = mesh.topology.edge_faces
    result = np.zeros(len(pair))
    cosine = np.clip(np.einsum("ei,ei->e", normals[pair[chosen, 0]], normals[pair[chosen, 1]]), -1, 1)
    own = np.broadcast_to(np.asarray(radius, dtype=np.float64), result.shape)[chosen]
    result[chosen] = own * np.tan(np.arccos(cosine) / 2)
    if (result[chosen] <= FLAT * own).any():
        raise KernelError("An edge between faces that lie flat has no radius. Mark edges by their angle, or give a width.")
    return result


class _Bevel:
    """The work on one set of edges."""

    def __init__(self, mesh: Mesh, chosen: Bools, widths: Floats, steps: int, profile: Profile) -> None:
        self.mesh, self.chosen, self.widths, self.steps, self.profile = mesh, chosen, widths, steps, profile
        topology = mesh.topology
        ends = topology.edges.ends.astype(np.int64)
        self.at_point = np.bincount(ends[chosen].ravel(), minlength=mesh.point_count)
        inner = ~topology.on_boundary
        lone = (self.at_point == 1) & inner
        self.runs_out = lone & (topology.valences != 3)
        self.cut_off = lone & (topology.valences == 3)
        if self.runs_out[ends[chosen]].all(axis=1).any():
            raise KernelError("A marked edge by itself runs out at both ends. Mark the edges that go on from it too.")
        self.side = self._sides()
        self.build = Assembly(mesh)
        self.odd = 0

    def _sides(self) -> Ints:
        """Return the side (h,) of its point that each corner lies on: those between the same bevelled edges; -1 for corners
        of points that stay.
        """
        topology = self.mesh.topology
        before = topology.previous_corner
        over = topology.twins[before]
        crossed = topology.edges.of_corner[before]
        free = (over >= 0) & ~self.chosen[crossed] & ~self.cut_off[topology.face_corners]
        own = (self.at_point > 0)[topology.face_corners]
        at = np.flatnonzero(free & own)
        label = joined_groups(at, over[at], len(topology.face_corners))
        result = np.full(len(topology.face_corners), -1, dtype=np.int64)
        result[own] = np.unique(label[own], return_inverse=True)[1].ravel()
        return result

    def done(self) -> Bevelled:
        """Lay the points, then the bands, the corners and the ends."""
        topology = self.mesh.topology
        corners = topology.face_corners.astype(np.int64)
        moves = self._moves()
        touched = (self.at_point[corners] > 0) & ~self.runs_out[corners]
        of_side = np.full(int(self.side.max()) + 1, -1, dtype=np.int64)
        sides, first = np.unique(self.side[touched], return_index=True)
        owner = corners[np.flatnonzero(touched)[first]]
        of_side[sides] = self.build.copy_points(owner, self.mesh.positions[owner] + moves[sides])
        self.point_of = np.where(touched, of_side[self.side], corners)
        self.build.corner_points = self.point_of.copy()
        chains, keys = self._chains()
        self._strips(chains, keys)
        self._corners(chains, keys)
        self._cut_ends(chains, keys)
        self._lead_creases_over(chains, keys)
        fits, folded = self._fits()
        done, _ = self.build.finish()
        return Bevelled(done.mesh, done.origin, fits, folded, self.odd)

    def _moves(self) -> Floats:
        """Return how far (s, 3) the point of each side goes from the old one."""
        mesh, topology = self.mesh, self.mesh.topology
        corners = topology.face_corners.astype(np.int64)
        count = int(self.side.max()) + 1
        squares, wanted = np.zeros((count, 3, 3)), np.zeros((count, 3))
        at = np.flatnonzero((self.at_point[corners] > 0) & ~self.runs_out[corners])
        normal = mesh.face_normals[topology.face_of_corner[at]]
        np.add.at(squares, self.side[at], normal[:, :, None] * normal[:, None, :])
        cut = at[self.cut_off[corners[at]]]
        if len(cut):  # the face beyond the end holds both points in its plane
            self._hold_in_end(cut, squares)
        for corner, edge in ((at, topology.edges.of_corner[at]), (topology.previous_corner[at], None)):
            of = topology.edges.of_corner[corner] if edge is None else edge
            own = self.chosen[of]
            start = mesh.positions[corners[corner[own]]]
            end = mesh.positions[corners[topology.next_corner[corner[own]]]]
            inward = directions(cross(normal[own], end - start))
            np.add.at(squares, self.side[at[own]], inward[:, :, None] * inward[:, None, :])
            np.add.at(wanted, self.side[at[own]], inward * self.widths[of[own], None])
        values, vectors = np.linalg.eigh(squares)
        inverse = np.where(values > 1e-4 * np.maximum(values[:, -1:], 1e-300), 1 / np.maximum(values, 1e-300), 0.0)
        return np.asarray(np.einsum("sij,sj->si", vectors, np.einsum("sij,si->sj", vectors, wanted) * inverse))

    def _hold_in_end(self, cut: Ints, squares: Floats) -> None:
        """Hold the points of the two faces beside an edge that is cut off in the plane of the face beyond its end."""
        topology = self.mesh.topology
        beside = (
            self.chosen[topology.edges.of_corner[cut]] | self.chosen[topology.edges.of_corner[topology.previous_corner[cut]]]
        )
        beyond = {
            int(topology.face_corners[corner]): int(topology.face_of_corner[corner]) for corner in cut[~beside].tolist()
        }
        faces = np.array([beyond[int(point)] for point in topology.face_corners[cut[beside]].tolist()], dtype=np.int64)
        normal = self.mesh.face_normals[faces]
        np.add.at(squares, self.side[cut[beside]], normal[:, :, None] * normal[:, None, :])

    def _chains(self) -> tuple[Ints, Ints]:
        """Return the profiles as rows of points (k, steps + 1), and for both ends of every marked edge (m, 2) which it has.
        At its first corner's start first; both run from the face of that corner to the other.
        """
        mesh, topology = self.mesh, self.mesh.topology
        first = topology.edge_corners[self.chosen, 0].astype(np.int64)
        twin = topology.twins[first].astype(np.int64)
        ahead = topology.next_corner
        sides = np.stack((np.column_stack((first, ahead[twin])), np.column_stack((ahead[first], twin))), axis=1).reshape(
            -1, 2
        )
        faces = topology.face_of_corner[np.column_stack((first, twin))].repeat(2, axis=0)
        a, b = self.point_of[sides[:, 0]], self.point_of[sides[:, 1]]
        key = np.column_stack((np.minimum(a, b), np.maximum(a, b)))
        ends, which = np.unique(key, axis=0, return_inverse=True)
        which = which.ravel()
        normals = np.zeros((2, len(ends), 3))
        up = a <= b
        for column in (0, 1):
            normal = mesh.face_normals[faces[:, column]]
            np.add.at(normals, (np.where(up, column, 1 - column), which), normal)
        places = self._profile(ends, directions(normals))
        rows = np.empty((len(ends), self.steps + 1), dtype=np.int64)
        rows[:, 0], rows[:, -1] = ends.T
        live = ends[:, 0] != ends[:, 1]
        if self.steps > 1:
            owner = np.zeros(len(ends), dtype=np.int64)
            owner[which] = topology.face_corners[sides[:, 0]]
            new = self.build.copy_points(np.repeat(owner[live], self.steps - 1), places[live, 1:-1].reshape(-1, 3))
            rows[live, 1:-1] = new.reshape(-1, self.steps - 1)
            rows[~live, 1:-1] = ends[~live, :1]
        self.corner_of = sides
        return rows, np.where(up, which + 1, -which - 1).reshape(-1, 2)

    def _profile(self, ends: Ints, normals: Floats) -> Floats:
        """Return the places (k, steps + 1, 3) of profiles between points (k, 2) with normals (2, k, 3) there."""
        every = self.build.places
        start, end = every[ends[:, 0]], every[ends[:, 1]]
        share = (np.arange(self.steps + 1) / self.steps)[None, :, None]
        flat = start[:, None] + share * (end - start)[:, None]
        if self.profile == "flat" or self.steps == 1:
            return np.asarray(flat)
        angle = np.arccos(np.clip(np.einsum("ki,ki->k", *normals), -1, 1))
        bent = angle > 1e-4
        # Where three edges meet a profile may run along its edge as well: its radius is that of what goes across.
        edge = directions(cross(normals[0], normals[1]))
        wide = end - start - np.einsum("ki,ki->k", end - start, edge)[:, None] * edge
        size = np.where(bent, lengths(wide) / (2 * np.sin(np.where(bent, angle, 1.0) / 2)), 0.0)
        size *= np.where(np.einsum("ki,ki->k", normals[0], end - start) <= 0, 1.0, -1.0)
        sine = np.where(bent, np.sin(angle), 1.0)[:, None, None]
        turn = angle[:, None, None]
        way = (np.sin((1 - share) * turn) * normals[0][:, None] + np.sin(share * turn) * normals[1][:, None]) / sine
        arc = size[:, None, None] * way
        arc = arc - ((1 - share) * arc[:, :1] + share * arc[:, -1:])
        arc = np.where(bent[:, None, None], arc, 0.0)
        bow = flat + arc
        # Hollow, it is the same bow turned over in its chord.
        return np.asarray(bow if self.profile == "round" else (start + end)[:, None] - bow[:, ::-1])

    def _row(self, chains: Ints, key: int) -> Ints:
        """Return a profile by its number from 1, backwards below zero."""
        return chains[key - 1] if key > 0 else chains[-key - 1][::-1]

    def _rows(self, chains: Ints, keys: Ints) -> Ints:
        """Return profiles (m, steps + 1) by their numbers from 1, backwards below zero."""
        rows = chains[np.abs(keys) - 1]
        return np.where((keys > 0)[:, None], rows, rows[:, ::-1])

    def _strips(self, chains: Ints, keys: Ints) -> None:
        """Add the bands in place of edges."""
        topology = self.mesh.topology
        first = topology.edge_corners[self.chosen, 0].astype(np.int64)
        twin = topology.twins[first].astype(np.int64)
        here, there = self._rows(chains, keys[:, 0]), self._rows(chains, keys[:, 1])
        ahead = topology.next_corner.astype(np.int64)
        for step in range(self.steps):
            low, high = step / self.steps, (step + 1) / self.steps
            near = first if low + high <= 1 else ahead[twin]
            far = ahead[first] if low + high <= 1 else twin
            quads = np.column_stack((there[:, step], here[:, step], here[:, step + 1], there[:, step + 1]))
            corners = np.column_stack((far, near, near, far))
            whole = (here[:, step] != here[:, step + 1]) & (there[:, step] != there[:, step + 1])
            self.build.add_faces(quads[whole], corners[whole], topology.face_of_corner[near[whole]].astype(np.int64), STRIP)
        for row in (0, -1):
            self.build.name_edges(np.column_stack((here[:, row], there[:, row])), RIM)
        self._run_out(first, here, there, at_start=True)
        self._run_out(first, here, there, at_start=False)

    def _run_out(self, first: Ints, here: Ints, there: Ints, *, at_start: bool) -> None:
        """Add the faces at the end of a band that runs out to a point: two steps to a quad where that has no hollow corner,
        as beside a hollow profile; triangles about a round one.
        """
        own = (here[:, 0] == here[:, -1]) if at_start else (there[:, 0] == there[:, -1])
        if not own.any():
            return
        tip, row = (here[own, 0], there[own]) if at_start else (there[own, 0], here[own])
        corner = first[own]
        face = self.mesh.topology.face_of_corner[corner].astype(np.int64)

        def add(chosen: Bools, points: list[Ints]) -> None:
            faces = np.column_stack(points if at_start else points[::-1])[chosen]
            self.build.add_faces(faces, np.repeat(corner[chosen, None], faces.shape[1], axis=1), face[chosen], STRIP)
            self.odd += len(faces) if faces.shape[1] == 3 else 0

        for step in range(0, self.steps, 2):
            paired = np.zeros(len(row), dtype=bool)
            if step + 2 <= self.steps:
                a, b, c = row[:, step], row[:, step + 1], row[:, step + 2]
                places = [self.build.places[points] for points in (a, b, c, tip)]
                area = cross(places[2] - places[0], places[1] - places[3])
                turn = np.einsum("ki,ki->k", cross(places[0] - places[1], places[2] - places[1]), area)
                paired = turn > STRAIGHT * np.einsum("ki,ki->k", area, area)
                add(paired, [a, tip, c, b])
                add(~paired, [b, tip, c])
            add(~paired, [row[:, step], tip, row[:, step + 1]])

    def _corners(self, chains: Ints, keys: Ints) -> None:
        """Fill the patches where three edges or more meet: round a point they run against the profiles that start there."""
        points = self.mesh.topology.face_corners[self.corner_of[:, 0]]
        ends = np.flatnonzero(self.at_point[points] >= 3)
        rows = self._rows(chains, (keys * (-1, 1)).ravel()[ends])
        starting = np.full(self.build.count, -1, dtype=np.int64)
        starting[rows[:, 0]] = np.arange(len(ends))
        _, first, sides = np.unique(points[ends], return_index=True, return_counts=True)
        order = np.argsort(first)
        first, sides = first[order], sides[order]
        for count in dict.fromkeys(sides.tolist()):
            walked = [first[sides == count]]
            for _ in range(count):
                walked.append(starting[rows[walked[-1], -1]])
            if (np.array(walked) < 0).any() or (walked[-1] != walked[0]).any():
                raise KernelError(
                    "Bevelled edges meet at an open rim in a way that has no corner. Mark fewer of them there."
                )
            loops = np.concatenate([rows[step, :-1] for step in walked[:-1]], axis=1)
            self._patches(count, loops, self.corner_of[ends[walked[-2]], 0])

    def _patches(self, sides: int, loops: Ints, corners: Ints) -> None:
        """Fill patches of as many sides, by their rims (c, sides * steps) and a corner (c,) each to take values from."""
        topology = self.mesh.topology
        face = topology.face_of_corner[corners].astype(np.int64)
        if self.steps == 1:
            self.odd += len(loops) if sides != 4 else 0
            self.build.add_faces(loops, np.repeat(corners[:, None], sides, axis=1), face, CORNER)
            return
        grid, shares = patch(sides, self.steps)
        rims = self.build.places[loops]
        inner = np.einsum("kr,crd->ckd", shares, rims)
        if self.profile != "flat":
            middle, radius = balls(rims)
            on = radius > 0
            way = directions((inner[on] - middle[on, None]).reshape(-1, 3)).reshape(-1, *inner.shape[1:])
            inner[on] = middle[on, None] + radius[on, None, None] * way
        owner = topology.face_corners[corners].astype(np.int64)
        new = self.build.copy_points(np.repeat(owner, inner.shape[1]), inner.reshape(-1, 3)).reshape(len(loops), -1)
        ids = np.concatenate((loops, new), axis=1)
        for faces in grid:
            made = ids[:, faces].reshape(-1, faces.shape[1])
            self.odd += len(made) if faces.shape[1] != 4 else 0
            values = np.repeat(corners, len(faces))
            self.build.add_faces(
                made, np.repeat(values[:, None], faces.shape[1], axis=1), np.repeat(face, len(faces)), CORNER
            )

    def _lead_creases_over(self, chains: Ints, keys: Ints) -> None:
        """Let a crease that crosses bevelled edges go on over the band, as sharp as the softer of its two sides."""
        topology = self.mesh.topology
        sharpness = self.mesh.edges.get("sharpness")
        if sharpness is None:
            return
        points = topology.face_corners[self.corner_of[:, 0]]
        crossed = (self.at_point[points] == 2) & (topology.valences[points] == 4) & ~topology.on_boundary[points]
        chain = np.full(self.mesh.point_count, -1, dtype=np.int64)
        chain[points[crossed]] = np.abs(keys.ravel()[crossed]) - 1
        edges = np.flatnonzero(~self.chosen & (sharpness > 0))
        ends = topology.edges.ends[edges].astype(np.int64)
        at, edge = ends.ravel(), np.repeat(edges, 2)
        both = (chain[at] >= 0) & (np.bincount(at, minlength=self.mesh.point_count)[at] == 2)
        at, edge = at[both], edge[both]
        order = np.lexsort((sharpness[edge], at))
        at, edge = at[order][::2], edge[order][::2]
        for step in range(self.steps):
            self.build.continue_edges(chains[chain[at], step : step + 2], edge)

    def _cut_ends(self, chains: Ints, keys: Ints) -> None:
        """Give the face beyond the end of an edge, at a point of three edges, the profile in place of its corner."""
        topology = self.mesh.topology
        points = topology.face_corners[self.corner_of[:, 0]]
        number = keys.ravel()
        row_of: dict[int, Ints] = {}
        for end in np.flatnonzero(self.cut_off[points]).tolist():
            # The face beyond runs from the point beside the other face to that beside the first.
            key = int(number[end]) if end % 2 else -int(number[end])
            row_of[int(points[end])] = self._row(chains, key)
        if not row_of:
            return
        corners = topology.face_corners.astype(np.int64)
        cut = np.flatnonzero(self.cut_off[corners])
        own = (
            self.chosen[topology.edges.of_corner[cut]] | self.chosen[topology.edges.of_corner[topology.previous_corner[cut]]]
        )
        ends = set(cut[~own].tolist())
        for face in np.unique(topology.face_of_corner[cut[~own]]).tolist():
            at = np.arange(topology.face_offsets[face], topology.face_offsets[face + 1])
            loop: list[int] = []
            values: list[int] = []
            for corner in at.tolist():
                beyond = corner in ends
                row = row_of[int(corners[corner])].tolist() if beyond else [int(self.point_of[corner])]
                loop += row
                values += [corner] * len(row)
            self.build.gone[face] = True
            self.build.add_faces(np.array([loop]), np.array([values]), np.array([face]), "kept")
            self.odd += len(loop) != 4

    def _fits(self) -> tuple[float, Ints]:
        """Return the largest share of the widths that folds no old face, and the faces that fold."""
        topology = self.mesh.topology
        moved = self.point_of != topology.face_corners
        faces = np.unique(topology.face_of_corner[moved])
        at, _ = topology.corners_of_faces(faces)
        corners = topology.face_corners[at].astype(np.int64)
        offsets = np.concatenate(([0], np.cumsum(topology.face_sides[faces])))
        apart = make_mesh(self.mesh.positions[corners], np.arange(len(corners)), offsets=offsets)
        least = first_folds(apart, self.build.places[self.point_of[at]] - apart.positions)
        return float(min(1.0, least.min(initial=np.inf))), faces[least <= 1].astype(np.int64)
