"""Marked faces lifted off, with walls between where they were and where they go: what pulling out and insetting share."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, directions, lengths
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.mesh_edits.assemble import Assembly
from glass_spoon.kernel.mesh_edits.keep_and_merge import keep_faces, split_points
from glass_spoon.kernel.mesh_edits.thicken import first_folds, leans
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import KEPT, Reworked
from glass_spoon.kernel.meshes.topology import Topology

CORNER = np.cos(np.radians(20))
"""A rim has a corner where it turns by more."""

ALIKE = np.cos(np.radians(15))
"""A point's normal on the surface is taken where it is no farther from that of the faces."""

TOP, SIDE, RIM = "top", "side", "rim"
"""Roles: the faces that were lifted, those between, and the edges about the lifted ones."""


@dataclass(frozen=True, eq=False)
class Lifted(Reworked):
    """Faces lifted off. folded: old faces (k,) that fold; fits: the largest share of the way where none does, at most 1."""

    folded: Ints
    fits: float


@dataclass(frozen=True, eq=False)
class Region:
    """Some faces of a mesh as a mesh of their own, parted where they only touch. part: the mesh; points (k,), corners (c,),
    faces (r,): where its elements come from; rim (e,): the corners of the part whose edges part from what is beside them.
    """

    part: Mesh
    points: Ints
    corners: Ints
    faces: Ints
    rim: Ints

    @classmethod
    def of(cls, mesh: Mesh, chosen: Bools, *, each: bool = False) -> Region:
        """Return the region of faces marked (f,); each: every face by itself. Raises KernelError for none."""
        if not chosen.any():
            raise KernelError("The marks hold no faces of this mesh. Pick others.")
        kept = keep_faces(mesh, np.flatnonzero(chosen))
        topology = kept.mesh.topology
        of_corner = np.arange(len(topology.face_corners)) if each else _fans(topology)
        first = np.zeros(int(of_corner.max()) + 1, dtype=np.int64)
        first[of_corner] = topology.face_corners
        parted = split_points(kept.mesh, of_corner, first)
        points = kept.origin.points.first[parted.origin.points.first]
        corners = kept.origin.corners.first[parted.origin.corners.first]
        made = parted.mesh.topology
        rim = np.flatnonzero(made.edge_face_counts[made.edges.of_corner] == 1)
        return cls(parted.mesh, points, corners, kept.origin.faces, rim)

    @classmethod
    def about(cls, mesh: Mesh, chosen: Bools) -> Region:
        """Return the faces that touch the rim of faces marked (f,), from outside; they part from these alone.

        Raises KernelError where nothing is beside them.
        """
        topology = mesh.topology
        twin = topology.twins
        own = chosen[topology.face_of_corner]
        beside = own & (twin >= 0) & ~chosen[topology.face_of_corner[np.maximum(twin, 0)]]
        at_rim = np.zeros(mesh.point_count, dtype=bool)
        at_rim[topology.face_corners[beside]] = True
        at_rim[topology.face_corners[topology.next_corner[beside]]] = True
        if not beside.any():
            raise KernelError("Nothing is beside the marked faces into which they could grow. Mark fewer of them.")
        touching = np.zeros(mesh.face_count, dtype=bool)
        touching[topology.face_of_corner[at_rim[topology.face_corners]]] = True
        region = cls.of(mesh, touching & ~chosen)
        over = twin[region.corners[region.rim]]
        return replace(region, rim=region.rim[(over >= 0) & chosen[topology.face_of_corner[np.maximum(over, 0)]]])

    def rim_ends(self) -> tuple[Ints, Ints]:
        """Return the points (k,), (k,) of the part at which edges along its rim start and end."""
        topology = self.part.topology
        return topology.face_corners[self.rim].astype(np.int64), topology.face_corners[
            topology.next_corner[self.rim]
        ].astype(np.int64)

    @property
    def leans(self) -> Floats:
        """How far (k, 3) each point goes for the faces to be lifted by 1 mm: along the surface's normals where these are its
        own, not those of a side beside the region.
        """
        bare = replace(self.part, points={name: value for name, value in self.part.points.items() if name != "normal"})
        plain, _ = leans(bare)
        known = self.part.points.get("normal")
        if known is None:
            return plain
        true, _ = leans(self.part)
        alike = np.einsum("ki,ki->k", directions(plain), directions(known)) > ALIKE
        return np.asarray(np.where(alike[:, None], true, plain))


def _fans(topology: Topology) -> Ints:
    """Return a number (h,) for each corner: those at a point are alike where their faces hang together by edges there."""
    edge = topology.edges.of_corner
    order = np.argsort(edge, kind="stable")
    same = edge[order][1:] == edge[order][:-1]
    one, two = order[:-1][same], order[1:][same]
    after = topology.next_corner
    alike = topology.face_corners[one] == topology.face_corners[two]
    # Corners of two faces at the same end of a shared edge.
    first = np.concatenate((one, after[one]))
    second = np.concatenate((np.where(alike, two, after[two]), np.where(alike, after[two], two)))
    labels = joined_groups(first, second, len(topology.face_corners))
    return np.unique(labels, return_inverse=True)[1].ravel()


def lift(mesh: Mesh, region: Region, levels: list[Floats], *, mixed: bool = False, inside: Bools | None = None) -> Lifted:
    """Return the mesh with a region lifted to the last of some levels (k, 3) of its points, walls through the others.

    mixed: the lifted faces lie within the old ones, and their values are mixed from these. inside (f,): the region lies
    about these faces, which are the tops then, and only its points on the rim between go.
    """
    build = Assembly(mesh)
    part = region.part.topology
    start, end = region.rim_ends()
    rim_points = np.unique(np.concatenate((start, end)))
    tops = region.points.copy()
    going = np.arange(len(tops)) if inside is None else rim_points
    tops[going] = build.copy_points(region.points[going], levels[-1][going])
    rows = [region.points]
    for places in levels[:-1]:
        row = np.full(len(region.points), -1)
        row[rim_points] = build.copy_points(region.points[rim_points], places[rim_points])
        rows.append(row)
    rows.append(tops)
    corner = region.corners[region.rim]
    beyond = mesh.topology.next_corner[corner].astype(np.int64)
    old = mesh.topology.face_of_corner[corner].astype(np.int64)
    for low, high in pairwise(rows):
        quads = np.column_stack((low[start], low[end], high[end], high[start]))
        build.add_faces(quads, np.column_stack((corner, beyond, beyond, corner)), old, SIDE)
    chosen = np.zeros(mesh.face_count, dtype=bool)
    chosen[region.faces] = True
    if mixed:
        build.gone = chosen
        _add_mixed(build, region, levels[-1], (tops, TOP if inside is None else KEPT))
    else:
        build.corner_points[region.corners] = tops[part.face_corners]
        build.name_faces(chosen, TOP)
    if inside is not None:
        build.name_faces(inside, TOP)
    rim = tops if inside is None else region.points
    build.name_edges(np.column_stack((rim[start], rim[end])), RIM)
    done, _ = build.finish()
    least = first_folds(region.part, levels[-1] - region.part.positions)
    return Lifted(done.mesh, done.origin, region.faces[least <= 1], float(min(1.0, least.min(initial=np.inf))))


def _add_mixed(build: Assembly, region: Region, places: Floats, tops: tuple[Ints, str]) -> None:
    """Add the lifted faces, over numbers of points and with a role, with values from within the old ones."""
    part = region.part.topology
    for sides in np.unique(part.face_sides).tolist():
        own = np.flatnonzero(part.face_sides == sides)
        at = part.face_offsets[own].astype(np.int64)[:, None] + np.arange(sides)
        points = part.face_corners[at]
        weights = weights_within(region.part.positions[points], places[points])
        corners = np.repeat(region.corners[at][:, None], sides, axis=1)
        build.add_faces(tops[0][points], corners, region.faces[own], tops[1], weights)


def weights_within(faces: Floats, places: Floats) -> Floats:
    """Return weights (q, k, s) of the corners of faces (q, s, 3) that mix to places (q, k, 3) near their planes: for each
    place those nearest to the weights of the corner with its number, by least squares.
    """
    count = faces.shape[1]
    middle = faces.mean(axis=1, keepdims=True)
    size = np.maximum(np.abs(faces - middle).max(axis=(1, 2), keepdims=True), 1e-300)
    rows = np.concatenate(((faces - middle) / size, np.ones((*faces.shape[:2], 1))), axis=2)
    inverse = np.linalg.pinv(rows.transpose(0, 2, 1), rcond=1e-6)
    away = (places - faces[:, : places.shape[1]]) / size
    move = np.concatenate((away, np.zeros((*away.shape[:2], 1))), axis=2)
    found: Floats = np.eye(count)[None, : places.shape[1]] + np.einsum("qsr,qkr->qks", inverse, move)
    return found / found.sum(axis=2, keepdims=True)


def rim_insets(region: Region, normals: Floats, *, each: bool = False) -> Floats:
    """Return how far (k, 3) points of a region go for its rim to run 1 mm inside itself, at corners of any angle.

    normals (k, 3): out of the region at its points. Points that are not on the rim stay.
    """
    positions = region.part.positions
    start, end = region.rim_ends()
    along = directions(positions[end] - positions[start])
    inward = directions(np.cross(normals[start] + normals[end], along))
    squares = np.zeros((len(positions), 3, 3))
    wanted = np.zeros((len(positions), 3))
    for points in (start, end):
        np.add.at(squares, points, inward[:, :, None] * inward[:, None, :])
        np.add.at(wanted, points, inward)
    result = np.zeros_like(positions)
    at = np.unique(np.concatenate((start, end)))
    values, vectors = np.linalg.eigh(squares[at])
    inverse = np.where(values > 1e-3 * values[:, -1:], 1 / np.maximum(values, 1e-300), 0.0)
    result[at] = np.einsum("pij,pj->pi", vectors, np.einsum("pij,pi->pj", vectors, wanted[at]) * inverse)
    return result if each else result + _slides(region, result)  # alone, a face has no points between corners


def _slides(region: Region, moves: Floats) -> Floats:
    """Return by how much (k, 3) points between the corners of a rim go along it, for it to shrink evenly as these go."""
    positions = region.part.positions
    slides = np.zeros_like(positions)
    for loop in region.part.topology.boundary_loops:
        along = directions(np.roll(positions[loop], -1, axis=0) - positions[loop])
        behind = np.roll(along, 1, axis=0)
        corner = np.flatnonzero(np.einsum("ki,ki->k", along, behind) < CORNER)
        for first, last in zip(corner, np.roll(corner, -1), strict=True) if len(corner) > 1 else ():
            row = (first + np.arange((last - first) % len(loop) + 1)) % len(loop)
            between = row[1:-1]
            if not len(between):
                continue
            way = np.cumsum(lengths(np.diff(positions[loop[row]], axis=0)))
            share = way[:-1] / way[-1]
            start, end = float(moves[loop[first]] @ along[first]), float(moves[loop[last]] @ behind[last])
            ahead = directions(along[between] + behind[between])
            slides[loop[between]] = ((1 - share) * start + share * end)[:, None] * ahead
    return slides
