"""What new points lie on: some faces of a mesh, or the surfaces that they stand for."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from glass_spoon.kernel.arrays import BESIDE, Bools, Floats, Ints, directions
from glass_spoon.kernel.imprint.cutters import Cutter
from glass_spoon.kernel.imprint.seam_line import SeamLine, least_away
from glass_spoon.kernel.mesh_edits.keep_and_merge import keep_faces
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.mesh_loops import usual_edge
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points_normals
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet

REACH = 4.0
"""Edges from a seam within which points may be moved."""

ON = 1e-4
"""A point off the surfaces by no more than this share of an edge lies on them."""


@dataclass(frozen=True, eq=False)
class Surfaces:
    """What the points of a skin belong on. members: none where its faces themselves are all there is; of_face (f,): which of
    them each face of the mesh stands for.
    """

    members: tuple[NurbsSurface, ...]
    of_face: Ints

    def __bool__(self) -> bool:
        """Return whether there are any."""
        return bool(self.members)


FACES_ALONE = Surfaces((), np.zeros(0, dtype=np.int64))
"""No surfaces: a skin of flat faces."""


@dataclass(frozen=True, eq=False)
class Skin:
    """Some faces of a mesh, asked for the nearest place and for what is there."""

    near: NearestOnMesh
    points: Ints
    corners: Ints
    faces: Ints

    @classmethod
    def of(cls, mesh: Mesh, faces: Bools) -> Skin:
        """Return the skin of some faces (f,)."""
        part = keep_faces(mesh, np.flatnonzero(faces))
        points, corners = (getattr(part.origin, name).first for name in ("points", "corners"))
        return cls(NearestOnMesh(part.mesh), points, corners, part.origin.faces)

    @cached_property
    def size(self) -> float:
        """The largest extent in mm."""
        return float(np.ptp(self.near.mesh.positions, axis=0).max())

    def weights(self, places: Floats) -> tuple[Floats, Ints]:
        """Return weights (n, 3), and the corners (n, 3) of the whole mesh that they mix."""
        weights, corners = self.near.weights(places)
        return weights, self.corners[corners]


def foot_on(surfaces: Surfaces, skin: Skin, points: Floats) -> tuple[Floats, Floats]:
    """Return the nearest places (k, 3) on the surfaces that the nearest faces of a skin stand for, or on these faces, and
    the normals (k, 3) there.
    """
    if not len(points):
        return points, points
    aside = points + BESIDE * skin.size
    if not surfaces:
        places, faces, _ = skin.near.ask(aside)
        return places, skin.near.mesh.face_normals[faces]
    best, normals = points.copy(), np.zeros_like(points)
    which = surfaces.of_face[skin.faces[skin.near.ask(aside)[1]]]
    for number in np.unique(which).tolist():
        own, surface = which == number, surfaces.members[number]
        u, v, _ = closest_points(surface, points[own])
        best[own], normals[own] = surface_points_normals(surface, u, v)
    return best, normals


def on_all(surfaces: list[Surfaces], skins: list[Skin], places: Floats, cutter: Cutter | None = None) -> Floats:
    """Return places (n, 3) brought onto several skins, and onto what cuts them, at once: Newton's steps of least length."""
    found = places.copy()
    for _ in range(8):
        feet = [foot_on(own, skin, found) for own, skin in zip(surfaces, skins, strict=True)]
        if cutter is not None:
            feet.append(cutter.foot(found))
        normals = np.stack([directions(out) for _, out in feet], axis=1)
        gaps = np.stack(
            [
                np.einsum("ni,ni->n", out, foot - found)
                for (foot, _), out in zip(feet, normals.transpose(1, 0, 2), strict=True)
            ],
            1,
        )
        step = np.einsum("nij,nj->ni", np.linalg.pinv(normals, rcond=1e-3), gaps)
        found = found + step
        if float(np.abs(step).max(initial=0.0)) < 1e-12 * float(np.ptp(places, axis=0).max() or 1.0):
            break
    return found


def near_surfaces(mesh: Mesh, own: Bools, shape: NurbsSurface | SurfaceSet | None, seams: list[SeamLine]) -> Surfaces:
    """Return the surfaces that points near some seams belong on, of a shape that a body (its faces (f,) marked) stands for.

    None where a point there lies off them: a cap, or a mesh that was worked on.
    """
    if shape is None or not seams:
        return FACES_ALONE
    corners = np.flatnonzero(own[mesh.topology.face_of_corner])
    edge = usual_edge(mesh, own)
    points = np.unique(mesh.topology.face_corners[corners])
    away = least_away([seam.refined(edge) for seam in seams], mesh.positions[points])
    near = np.zeros(mesh.point_count, dtype=bool)
    near[points[away <= REACH * edge]] = True
    faces = np.unique(mesh.topology.face_of_corner[corners[near[mesh.topology.face_corners[corners]]]])
    members = (shape,) if isinstance(shape, NurbsSurface) else shape.surfaces
    number = np.zeros(mesh.face_count, dtype=np.int64)
    pieces = mesh.faces.get("piece")
    if len(members) > 1:
        if pieces is None:
            return FACES_ALONE
        number[own] = pieces[own] - pieces[own].min()
    if not near.any() or number[faces].min() < 0 or number[faces].max() >= len(members):
        return FACES_ALONE
    for one in np.unique(number[faces]).tolist():
        touched = np.unique(mesh.topology.face_corners[np.isin(mesh.topology.face_of_corner, faces[number[faces] == one])])
        if float(closest_points(members[one], mesh.positions[touched])[2].max()) > ON * edge:
            return FACES_ALONE
    return Surfaces(tuple(members), number)
