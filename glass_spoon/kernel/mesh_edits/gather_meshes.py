"""Several meshes laid together as one, nothing welded."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Ints
from glass_spoon.kernel.meshes.attributes import Values
from glass_spoon.kernel.meshes.mesh import Attributes, Mesh
from glass_spoon.kernel.meshes.topology import make_topology


def gather_meshes(meshes: list[Mesh]) -> Mesh:
    """Return one mesh of all; vertices and pieces are numbered on. Values that not all meshes have are kept as zeros."""
    firsts = np.cumsum([0, *(mesh.point_count for mesh in meshes)])
    corners = [mesh.topology.face_corners.astype(np.int64) + first for mesh, first in zip(meshes, firsts, strict=False)]
    sides = np.concatenate([mesh.topology.face_sides for mesh in meshes]) if meshes else np.zeros(0, dtype=np.int64)
    offsets = np.concatenate(([0], np.cumsum(sides)))
    flat = np.concatenate(corners) if corners else np.zeros(0, dtype=np.int64)
    topology = make_topology(int(firsts[-1]), flat, offsets=offsets)
    faces = _joined([mesh.faces for mesh in meshes], [mesh.face_count for mesh in meshes])
    faces["piece"] = np.concatenate(
        [np.zeros(0, dtype=np.int32), *_numbered_on([mesh.faces.get("piece", np.zeros(mesh.face_count)) for mesh in meshes])]
    )
    points = _joined([mesh.points for mesh in meshes], [mesh.point_count for mesh in meshes])
    if not all("normal" in mesh.points for mesh in meshes):
        points.pop("normal", None)
    edges = _joined([mesh.edges for mesh in meshes], [len(mesh.topology.edges.ends) for mesh in meshes])
    ends = np.concatenate(
        [np.zeros((0, 2))]
        + [mesh.topology.edges.ends.astype(np.int64) + first for mesh, first in zip(meshes, firsts, strict=False)]
    )
    return Mesh(
        topology,
        np.concatenate([mesh.positions for mesh in meshes]) if meshes else np.zeros((0, 3)),
        points,
        _laid(edges, topology.find_edges(ends), len(topology.edges.ends)),
        _joined([mesh.corners for mesh in meshes], [len(mesh.topology.face_corners) for mesh in meshes]),
        faces,
    )


def _laid(values: dict[str, Values], at: Ints, count: int) -> dict[str, Values]:
    """Return edge values by name where the edges lie in the joined table, whose numbers need not run on."""
    result: dict[str, Values] = {}
    for name, value in values.items():
        result[name] = np.zeros((count, *value.shape[1:]), dtype=value.dtype)
        result[name][at] = value
    return result


def _joined(values: list[Attributes], counts: list[int]) -> dict[str, Values]:
    """Return values by name one after another, zeros where a mesh has none of a name."""
    result: dict[str, Values] = {}
    for name in sorted({name for own in values for name in own}):
        known = next(own[name] for own in values if name in own)
        result[name] = np.concatenate(
            [
                own.get(name, np.zeros((count, *known.shape[1:]), dtype=known.dtype))
                for own, count in zip(values, counts, strict=True)
            ]
        )
    return result


def _numbered_on(pieces: list[Values]) -> list[Ints]:
    """Return numbers of pieces, those of each mesh after those of the ones before."""
    result: list[Ints] = []
    first = 0
    for own in pieces:
        result.append(own.astype(np.int64) + first)
        first += int(own.max(initial=-1)) + 1
    return result
