"""A mesh repeated at places: topology and attributes follow, so that copies need not be made one by one."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import AnyInts, Floats, directions, owned
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.topology import make_topology
from glass_spoon.kernel.repeat.placements import Placements


def repeat_mesh(mesh: Mesh, places: Placements, pieces: int | None = None) -> Mesh:
    """Return one mesh of copies at `places`, which may turn, stretch and mirror: a mirrored copy faces as the body does.

    "piece" is numbered on, "normal" goes over by the inverse transpose, all else is repeated. pieces: how many there are,
    where more are known than have faces.
    """
    times = len(places)
    mirrored = places.determinants < 0
    order = _backwards(mesh) if mirrored.any() else None
    corners = np.broadcast_to(mesh.topology.face_corners, (times, len(mesh.topology.face_corners)))
    if order is not None:
        corners = np.where(mirrored[:, None], mesh.topology.face_corners[order], corners)
    numbered = corners + (np.arange(times) * mesh.point_count)[:, None]
    sides = np.tile(mesh.topology.face_sides, times)
    offsets = None if mesh.topology.is_quads else np.concatenate(([0], np.cumsum(sides)))
    topology = make_topology(
        times * mesh.point_count, numbered.reshape(-1, 4) if offsets is None else numbered.ravel(), offsets=offsets
    )
    points = {name: np.concatenate([values] * times) for name, values in mesh.points.items()}
    if "normal" in mesh.points:
        points["normal"] = _normals(mesh.points["normal"], places)
    own = {name: np.concatenate([values] * times) for name, values in mesh.faces.items()}
    if "piece" in mesh.faces:
        count = int(mesh.faces["piece"].max(initial=-1)) + 1 if pieces is None else pieces
        own["piece"] = np.concatenate([mesh.faces["piece"] + k * count for k in range(times)])
    copied = mesh.topology.find_edges(topology.edges.ends % mesh.point_count) if mesh.edges else None
    return Mesh(
        topology,
        owned(places.apply(mesh.positions).reshape(-1, 3)),
        points=points,
        edges={name: value[copied] for name, value in mesh.edges.items()},
        corners={
            name: np.concatenate([values if order is None or not turned else values[order] for turned in mirrored])
            for name, values in mesh.corners.items()
        },
        faces=own,
    )


def _normals(normals: Floats, places: Placements) -> Floats:
    """Return normals (p, 3) at every placement, one copy after another; out of the body also where it is mirrored."""
    across = np.linalg.inv(places.matrices)
    return owned(directions((normals @ across).reshape(-1, 3)))


def _backwards(mesh: Mesh) -> AnyInts:
    """Return the order of corners (c,) in which every face runs the other way round, from the same first corner."""
    topology = mesh.topology
    starts = topology.face_offsets[:-1].astype(np.int64)
    sides = topology.face_sides.astype(np.int64)
    within = np.arange(len(topology.face_corners)) - np.repeat(starts, sides)
    return np.asarray(np.repeat(starts, sides) + (-within) % np.repeat(sides, sides))
