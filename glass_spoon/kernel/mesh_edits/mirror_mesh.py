"""Half a mesh made whole by its mirror image: one skin, welded in the mirror."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, owned
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.mesh_edits.keep_and_merge import keep_faces, merge_points
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Reworked

EVEN = 1e-6
"""Sides that reach equally far, up to this share, are even: that to which the mirror's normal points is kept."""


class AwayFromMirror(KernelError):
    """A mesh that does not reach its mirror; `gap` is how far it stays away, in mm."""

    def __init__(self, gap: float) -> None:
        self.gap = gap
        super().__init__(
            f"The mesh stays {gap:.4g} mm away from the mirror, so nothing can be welded there. Move the mirror to its rim, "
            "or bring points onto it from farther away."
        )


@dataclass(frozen=True, eq=False)
class Halved(Reworked):
    """What of a mesh lies on one side of a plane, its rim in the plane.

    seam: points (k,) in the plane. beyond: faces on the other side or in the plane, left out; brought: points brought onto
    the plane; farthest: how far the farthest of them, in mm.
    """

    seam: Ints
    beyond: int
    brought: int
    farthest: float


def halve(mesh: Mesh, origin: Floats, normal: Floats, within: float) -> Halved:
    """Return the part of a mesh on that side of a plane to which it reaches farther: through origin (3,) mm, normal (3,).

    Faces whose middle lies on the other side or in the plane go. The points where they hung on, all that stand beyond the
    plane, and points on rims within `within` mm of it, are brought onto it along its normal: no cut parts a face. Raises
    AwayFromMirror where no point lies in the plane in the end.
    """
    away = (mesh.positions - origin) @ normal
    if -away.min(initial=0.0) > (1 + EVEN) * away.max(initial=0.0):
        away = -away
        normal = -normal
    slack = 1e-9 * max(float(np.abs(mesh.positions).max(initial=0.0)), within)
    near = (np.abs(away) <= slack) | (mesh.topology.on_boundary & (np.abs(away) <= within))
    corners = np.where(near, 0.0, away)[mesh.topology.face_corners]
    middles = np.add.reduceat(corners, mesh.topology.face_offsets[:-1].astype(np.int64))
    stays = middles > slack
    hung = np.zeros(mesh.point_count, dtype=bool)
    hung[mesh.topology.face_corners[~stays[mesh.topology.face_of_corner]]] = True
    kept = keep_faces(mesh, np.flatnonzero(stays))
    if not kept.mesh.face_count:
        raise AwayFromMirror(0.0)
    at = np.zeros(kept.mesh.point_count, dtype=np.int64)
    there = kept.of_point >= 0
    at[kept.of_point[there]] = np.flatnonzero(there)
    left = away[at]
    brought = (left < -slack) | near[at] | hung[at]
    seam = np.flatnonzero(brought)
    if not len(seam):
        raise AwayFromMirror(float(left.min()))
    positions = kept.mesh.positions.copy()
    positions[seam] -= left[seam, None] * normal
    moved = np.abs(left[seam]) > slack
    return Halved(
        kept.mesh.moved(owned(positions), None if moved.any() else kept.mesh.points.get("normal")),
        kept.origin,
        seam,
        mesh.face_count - kept.mesh.face_count,
        int(moved.sum()),
        float(np.abs(left[seam]).max(initial=0.0)) if moved.any() else 0.0,
    )


def weld_halves(both: Mesh, seam: Ints) -> Reworked:
    """Return a mesh of two halves, the second the first's image with as many points, with points `seam` of both made one."""
    labels = np.arange(both.point_count)
    labels[seam + both.point_count // 2] = seam
    return merge_points(both, labels)
