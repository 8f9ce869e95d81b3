"""A mesh cut by a plane or a surface: what lies on one side stays, its new rim left open, or closed by quads on the cut."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, lengths
from glass_spoon.kernel.errors import FacesTooLarge, KernelError
from glass_spoon.kernel.imprint.along_seams import Body, Joined, along_seams
from glass_spoon.kernel.imprint.cutters import CurvedCutter, Cutter, crossing_shares
from glass_spoon.kernel.imprint.rebuild import Rebuild
from glass_spoon.kernel.imprint.ring_counts import ODD
from glass_spoon.kernel.imprint.seam_line import SeamLine
from glass_spoon.kernel.imprint.skins import FACES_ALONE, Skin, near_surfaces, on_all
from glass_spoon.kernel.imprint.solids import Share
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.mesh_loops import chains_of, usual_edge
from glass_spoon.kernel.meshing.fill_plane import fill_plane
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet

IN_PLANE = 1e-9
"""A point nearer to the plane than this share of the mesh's size lies on its far side: so no edge lies in it."""

REACHED = 1e-6
"""Places of a cut lie no farther off the surface than this share of the mesh's size."""

CAP = "cap"
"""The role of faces that close a cut."""


@dataclass(frozen=True, eq=False)
class CutMesh(Joined):
    """A mesh cut. seams: how many lines it was cut along; length: of all of them, in mm; capped: whether it was closed."""

    seams: int
    length: float
    capped: bool


def cut_mesh(mesh: Mesh, cutter: Cutter, *, close: bool, shape: NurbsSurface | SurfaceSet | None = None) -> CutMesh:
    """Return what of a mesh lies on the side of a plane or surface that is kept, its new rim on it.

    shape: what the mesh stands for. Raises KernelError where the cutter misses the mesh or ends in it, or faces are too
    large.
    """
    away = cutter.away(mesh.positions)
    size = float(np.ptp(mesh.positions, axis=0).max(initial=0.0)) if mesh.point_count else 0.0
    over = away > IN_PLANE * size
    corners = over[mesh.topology.face_corners]
    starts = mesh.topology.face_offsets[:-1].astype(np.int64)
    whole = np.logical_and.reduceat(corners, starts)
    gone = ~np.logical_or.reduceat(corners, starts)
    if whole.all() or gone.all():
        raise KernelError(f"The {'plane' if cutter.flat else 'surface'} misses the mesh: move it in.")
    seams = _contours(mesh, cutter, np.where(over, away, np.minimum(away, -IN_PLANE * size)), over)
    own = np.ones(mesh.face_count, dtype=bool)
    if isinstance(cutter, CurvedCutter):
        places = np.concatenate([seam.places for seam in seams])
        if cutter.leaves(places).any() or float(np.abs(cutter.away(places)).max()) > REACHED * size:
            raise KernelError("The surface ends inside the mesh: Extend it, so that it reaches through.")
        edge = usual_edge(mesh, ~whole & ~gone)
        skin = Skin.of(mesh, ~whole & ~gone)
        fine = [seam.refined(edge / 4) for seam in seams]
        seams = [SeamLine(on_all([FACES_ALONE], [skin], seam.places, cutter), seam.closed) for seam in fine]
    body = Body(own, Share(whole, gone, over), near_surfaces(mesh, own, shape, seams))
    capped = close and all(seam.closed for seam in seams)
    done = along_seams(mesh, [body], seams, _Caps(cutter) if capped else None, cutter)
    return CutMesh(
        done.mesh, done.origin, done.rings, done.narrowest, len(seams), sum(seam.length for seam in seams), capped
    )


def _contours(mesh: Mesh, cutter: Cutter, away: Floats, over: Bools) -> list[SeamLine]:
    """Return the lines in which triangles of a mesh cross what cuts them, that points lie `away` (n,) mm from; what stays is
    on their left, seen from outside.
    """
    triangles = NearestOnMesh(mesh).triangles[0]
    above = over[triangles]
    kind = above.sum(axis=1)
    cut = triangles[(kind == 1) | (kind == 2)]
    lone = np.where((kind == 1)[:, None], above, ~above)[(kind == 1) | (kind == 2)].argmax(axis=1)
    rows = np.arange(len(cut))
    tip, ahead, behind = (cut[rows, (lone + step) % 3] for step in range(3))
    single = over[tip]
    # Along a triangle's rim the line enters on one edge and leaves on another, what is over the plane on its left.
    enter = np.where(single[:, None], np.column_stack((tip, ahead)), np.column_stack((tip, behind)))
    leave = np.where(single[:, None], np.column_stack((tip, behind)), np.column_stack((tip, ahead)))
    count = mesh.point_count
    keys = [np.minimum(*ends.T) * count + np.maximum(*ends.T) for ends in (enter, leave)]
    following = dict(zip(keys[0].tolist(), keys[1].tolist(), strict=True))
    lines = []
    for walk, closed in chains_of(following):
        ends = np.array(walk)
        low, high = ends // count, ends % count
        share = crossing_shares(cutter, mesh.positions[low], mesh.positions[high], (away[low], away[high]))
        places = mesh.positions[low] + share[:, None] * (mesh.positions[high] - mesh.positions[low])
        if cutter.flat:
            places = cutter.foot(places)[0]
        kept = lengths(np.diff(places, axis=0, append=places[:1])) > 0
        kept[-1] |= not closed
        lines.append(SeamLine(places[kept], closed))
    return lines


class _Caps:
    """Closes rims on what cut them."""

    def __init__(self, cutter: Cutter) -> None:
        self.cutter = cutter

    def __call__(self, build: Rebuild, rings: list[list[Ints]], skins: list[Skin]) -> None:
        """Fill the outlines, each with the holes in it."""
        loops = [ring[0][::-1] for ring in rings]
        if any(len(loop) % 2 for loop in loops):
            raise KernelError(ODD)
        places = build.places
        flat = self.cutter.unrolled([places[loop] for loop in loops])
        for outline, holes in _nested(flat):
            numbers = [outline, *holes]
            filled = fill_plane([flat[k] for k in numbers])
            rim = np.concatenate([loops[k] for k in numbers])
            inner = build.add_points(self.cutter.rolled(filled.points[len(rim) :]))
            build.add_quads(np.concatenate((rim, inner))[filled.faces], CAP, skins[0])


def _nested(loops: list[Floats]) -> list[tuple[int, list[int]]]:
    """Return the outlines among flat loops (n, 2), counter-clockwise, each with the holes, clockwise, in it."""
    areas = [float(loop[:, 0] @ np.roll(loop[:, 1], -1) - loop[:, 1] @ np.roll(loop[:, 0], -1)) / 2 for loop in loops]
    outlines = [k for k, area in enumerate(areas) if area > 0]
    result: dict[int, list[int]] = {k: [] for k in outlines}
    for hole in (k for k, area in enumerate(areas) if area <= 0):
        around = [k for k in outlines if holds_place(loops[k], loops[hole][0])]
        if not around:
            raise FacesTooLarge("A cut has a hole without an outline about it.")
        result[min(around, key=lambda k: areas[k])].append(hole)
    return list(result.items())


def holds_place(loop: Floats, point: Floats) -> bool:
    """Return whether a flat loop (n, 2) goes round a point (2,)."""
    x, y = (loop - point).T
    turn = np.arctan2(x * np.roll(y, -1) - y * np.roll(x, -1), x * np.roll(x, -1) + y * np.roll(y, -1))
    return abs(float(turn.sum())) > np.pi
