"""A panel fitted to a part of a body: a copy of some of its faces with a wall, in from their edge by a joint, and off it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, owned
from glass_spoon.kernel.detail.inset import inset
from glass_spoon.kernel.detail.lift import TOP, Region, lift
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.mesh_edits.keep_and_merge import keep_faces
from glass_spoon.kernel.mesh_edits.thicken import Rim, Thickened, Wall, leans, thicken
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Reworked
from glass_spoon.kernel.meshes.topology import Topology

SAMPLES = 16
"""Places along each edge of a border by which the joint is measured."""


@dataclass(frozen=True)
class PanelShape:
    """What panel is made. wall: its thickness in mm; gap: how far in mm it ends from the edge of what it covers, rounded or
    flat; lift: how far off that it lies, in mm. rim, steps: how it ends, as a wall does. lip: how far in mm a band along its
    edge stands up, towards the body below zero; lip_width: how wide that is, in mm.
    """

    wall: float
    gap: float = 0.0
    lift: float = 0.0
    rim: Rim = "flat"
    steps: int = 0
    lip: float = 0.0
    lip_width: float = 0.0


@dataclass(frozen=True, eq=False)
class Panel(Reworked):
    """A panel. wall: how its wall came out; joint: the least and the largest width in mm of the gap round it. narrow: the
    gap is wider than some of what is covered; tight: it folds as it is lifted off.
    """

    wall: Thickened
    joint: tuple[float, float]
    narrow: bool
    tight: bool


def fitted_panel(mesh: Mesh, chosen: Bools, shape: PanelShape) -> Panel:
    """Return a panel over the marked faces (f,) of a mesh, which stays as it is.

    Raises KernelError where nothing is marked, or where the gap leaves nothing of it.
    """
    if not chosen.any():
        raise KernelError("No faces are marked for the panel.")
    border = _border(mesh, chosen)
    done, narrow, tight = keep_faces(mesh, np.flatnonzero(chosen)), False, False
    round_rim = shape.wall / 2 if shape.rim == "rounded" and len(border) else 0.0  # which stands out by as much
    if shape.gap + round_rim > 0:
        if not len(border):
            raise KernelError("What is covered closes on itself and has no edge. Mark a part of it, or use no joint.")
        lifted = inset(mesh, chosen, shape.gap + round_rim)
        narrow = len(lifted.folded) > 0
        done = lifted.then(keep_faces(lifted.mesh, np.flatnonzero(lifted.origin.faces_in(TOP))))
    rim = done.mesh.positions[done.mesh.topology.edges.ends[done.mesh.topology.boundary_edges]].mean(axis=1)
    joint = (0.0, 0.0)
    if shape.gap > 0 and len(rim):
        away = np.asarray(scipy.spatial.cKDTree(border).query(rim)[0])
        joint = float(away.min()) - round_rim, float(away.max()) - round_rim
    if shape.lift:
        lean = leans(done.mesh)[0]
        off = done.mesh.moved(owned(done.mesh.positions + shape.lift * lean))
        tight = bool((np.einsum("fi,fi->f", off.face_normals, done.mesh.face_normals) <= 0).any())
        done = Reworked(off, done.origin)
    band = np.zeros(0, dtype=bool)
    if shape.lip:
        if not len(border):
            raise KernelError("What is covered closes on itself and has no edge for a lip. Mark a part of it.")
        ringed = inset(done.mesh, np.ones(done.mesh.face_count, dtype=bool), shape.lip_width)
        narrow = narrow or len(ringed.folded) > 0
        band = ~ringed.origin.faces_in(TOP)
        done = Reworked(done.mesh, done.origin).then(ringed)
    count = done.mesh.point_count
    walled = thicken(done.mesh, Wall(np.full(count, shape.wall), np.zeros(count), shape.rim, shape.steps))
    whole = done.then(walled)
    if shape.lip:
        whole = whole.then(_with_lip(walled.mesh, band, shape.lip))
    return Panel(whole.mesh, whole.origin, walled, joint, narrow, tight)


def _with_lip(walled: Mesh, band: Bools, lip: float) -> Reworked:
    """Return a wall whose band (f,), of the faces of its sheet, stands out of the outer skin, or below zero of the inner."""
    chosen = np.zeros(walled.face_count, dtype=bool)
    start = 0 if lip > 0 else len(band)
    chosen[start : start + len(band)] = band
    region = Region.of(walled, chosen)
    return lift(walled, region, [region.part.positions + abs(lip) * region.leans])


def _border(mesh: Mesh, chosen: Bools) -> Floats:
    """Return places (k, 3) close together along the edges between marked faces and others, and along rims."""
    topology: Topology = mesh.topology
    pair = topology.edge_faces
    inside = (pair >= 0) & chosen[np.maximum(pair, 0)]
    ends = topology.edges.ends[inside[:, 0] != inside[:, 1]]
    share = np.linspace(0, 1, SAMPLES)[:, None, None]
    start, end = mesh.positions[ends[:, 0]], mesh.positions[ends[:, 1]]
    return np.asarray((start + share * (end - start)).reshape(-1, 3))
