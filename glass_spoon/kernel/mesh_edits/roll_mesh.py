"""A mesh that lies in the plan rolled onto a cylinder or wrapped on a sphere: reliefs, gratings, rows of cells."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import owned
from glass_spoon.kernel.mesh_edits.weld import weld
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Reworked, unchanged
from glass_spoon.kernel.surfaces.make.roll_sheet import ALL_ROUND, RollBody, RollFrame, check_room

SEAM = 1e-6
"""Points of both ends of what closes all round become one within this share of its width."""


@dataclass(frozen=True, eq=False)
class Rolled(Reworked):
    """A mesh that was rolled. seam: how many points of its ends became one, 0 where it does not close."""

    seam: int


def flat_frame(mesh: Mesh, body: RollBody, radius: float, direction: float = 0.0, *, inside: bool = False) -> RollFrame:
    """Return how a mesh over the plan is rolled: its lowest points keep their lengths, the middle of its box stays.

    direction: of the way in which it bends, radians from the right. inside: the body lies above it, not below.
    """
    low, high = mesh.positions.min(axis=0), mesh.positions.max(axis=0)
    along = np.array([np.cos(direction), np.sin(direction), 0.0])
    up = np.array([0.0, 0.0, -1.0 if inside else 1.0])
    across = np.cross(up, along)
    origin = np.array([*((low + high) / 2)[:2], high[2] if inside else low[2]])
    off = mesh.positions - origin
    for way in (along, across):
        reach = off @ way
        origin = origin + (reach.max() + reach.min()) / 2 * way
    return RollFrame(origin, along, across, up, body, radius)


def width_along(mesh: Mesh, frame: RollFrame) -> float:
    """Return how far in mm a mesh reaches along the way in which it bends."""
    return float(np.ptp((mesh.positions - frame.origin) @ frame.along))


def roll_mesh(mesh: Mesh, frame: RollFrame) -> Rolled:
    """Return a mesh as it lies on the body; what goes just all round is welded at its ends.

    Raises InvalidInput when it would overlap itself, or reach through the middle of the body.
    """
    check_room(mesh.positions, frame)
    width = width_along(mesh, frame)
    moved = Mesh(
        mesh.topology,
        owned(frame.carry(mesh.positions)),
        {name: value for name, value in mesh.points.items() if name != "normal"},
        mesh.edges,
        mesh.corners,
        mesh.faces,
    )
    closes = frame.body == "cylinder" and abs(width - 2 * np.pi * frame.radius) <= (SEAM + ALL_ROUND) * width
    if not closes:
        return Rolled(moved, unchanged(mesh).origin, 0)
    welded = weld(moved, 10 * SEAM * width, "open")
    return Rolled(welded.mesh, welded.origin, welded.plan.merged)
