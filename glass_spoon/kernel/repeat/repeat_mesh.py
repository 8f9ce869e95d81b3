"""A mesh repeated at places: topology and attributes follow, so that copies need not be made one by one."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import owned
from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.topology import make_topology


def repeat_mesh(mesh: Mesh, moves: tuple[Placement, ...], pieces: int | None = None) -> Mesh:
    """Return one mesh of copies moved by rigid `moves`; "piece" is numbered on, "normal" turned, all else repeated.

    pieces: how many there are, where more are known than have faces.
    """
    times = len(moves)
    corners = mesh.topology.face_corners[None] + (np.arange(times) * mesh.point_count)[:, None]
    sides = np.tile(mesh.topology.face_sides, times)
    offsets = None if mesh.topology.is_quads else np.concatenate(([0], np.cumsum(sides)))
    faces = corners.reshape(-1, 4) if offsets is None else corners.ravel()
    topology = make_topology(times * mesh.point_count, faces, offsets=offsets)
    points = {name: np.concatenate([values] * times) for name, values in mesh.points.items()}
    if "normal" in mesh.points:
        points["normal"] = np.concatenate([mesh.points["normal"] @ move.matrix.T for move in moves])
    own = {name: np.concatenate([values] * times) for name, values in mesh.faces.items()}
    if "piece" in mesh.faces:
        count = int(mesh.faces["piece"].max(initial=-1)) + 1 if pieces is None else pieces
        own["piece"] = np.concatenate([mesh.faces["piece"] + k * count for k in range(times)])
    copied = mesh.topology.find_edges(topology.edges.ends % mesh.point_count) if mesh.edges else None
    return Mesh(
        topology,
        owned(np.concatenate([move.apply(mesh.positions) for move in moves])),
        points=points,
        edges={name: value[copied] for name, value in mesh.edges.items()},
        corners={name: np.concatenate([values] * times) for name, values in mesh.corners.items()},
        faces=own,
    )
