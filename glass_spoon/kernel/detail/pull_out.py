"""Faces pulled out: together or each by itself, along their normals, one way, to a plane, or along a path."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, directions
from glass_spoon.kernel.detail.lift import Lifted, Region, lift
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.meshes.mesh import Mesh

Plane = tuple[Floats, Floats]


def pull_out(mesh: Mesh, chosen: Bools, distance: float, *, each: bool = False, rows: int = 1) -> Lifted:
    """Return the mesh with marked faces (f,) pulled out along their normals by a distance in mm, inwards below zero.

    Together, creases of the faces keep the distance on both sides. rows: faces along the walls.
    """
    region = Region.of(mesh, chosen, each=each)
    if each:
        lean = region.part.face_normals[region.part.topology.face_of_corner]
        ordered = np.zeros_like(region.part.positions)
        ordered[region.part.topology.face_corners] = lean
        return lift(mesh, region, _straight(region.part.positions, distance * ordered, rows))
    return lift(mesh, region, _straight(region.part.positions, distance * region.leans, rows))


def pull_way(mesh: Mesh, chosen: Bools, way: Floats, *, each: bool = False, rows: int = 1) -> Lifted:
    """Return the mesh with marked faces (f,) pulled out by a vector (3,) in mm."""
    if not np.abs(way).max() > 0:
        raise InvalidInput("The way", "of some length", "of none")
    region = Region.of(mesh, chosen, each=each)
    return lift(mesh, region, _straight(region.part.positions, np.broadcast_to(way, region.part.positions.shape), rows))


def pull_to_plane(mesh: Mesh, chosen: Bools, way: Floats, plane: Plane, *, rows: int = 1) -> Lifted:
    """Return the mesh with marked faces (f,) pulled out along a way (3,) until they lie in a plane."""
    unit = directions(way)
    lean = float(unit @ plane[1])
    if abs(lean) < 1e-6:
        raise KernelError("The way runs along the plane and never meets it. Choose another way, or another plane.")
    region = Region.of(mesh, chosen)
    reach = ((plane[0] - region.part.positions) @ plane[1]) / lean
    return lift(mesh, region, _straight(region.part.positions, reach[:, None] * unit, rows))


def pull_to_places(mesh: Mesh, chosen: Bools, meet: Callable[[Floats, Floats], Floats], *, rows: int = 1) -> Lifted:
    """Return the mesh with marked faces (f,) pulled out to where `meet` says that points (k, 3) come along their mean normal
    (3,).
    """
    region = Region.of(mesh, chosen)
    way = directions(mesh.face_vectors[chosen].sum(axis=0))
    if not np.abs(way).max() > 0:
        raise KernelError("The marked faces look all ways: they have no common one. Pull them out by parts.")
    start = region.part.positions
    return lift(mesh, region, _straight(start, meet(start, way) - start, rows))


def pull_along(mesh: Mesh, chosen: Bools, frames: Floats, places: Floats, scales: Floats) -> Lifted:
    """Return the mesh with marked faces (f,) pulled along a path: frames (n, 3, 3), whose columns turn as it runs, at places
    (n, 3) in mm, the faces scaled (n,) about it; the first frame is where they are.
    """
    region = Region.of(mesh, chosen)
    start = region.part.positions - _middle(region)
    levels = [_middle(region) + start]
    middle = _middle(region)
    for frame, place, scale in zip(frames[1:], places[1:], scales[1:], strict=True):
        levels.append(middle + (place - places[0]) + scale * start @ (frame @ frames[0].T).T)
    return lift(mesh, region, levels[1:])


def _middle(region: Region) -> Floats:
    """Return the middle (3,) of the faces of a region, by area."""
    areas = np.linalg.norm(region.part.face_vectors, axis=1)
    found: Floats = (region.part.face_centers * areas[:, None]).sum(axis=0) / max(float(areas.sum()), 1e-300)
    return found


def _straight(start: Floats, way: Floats, rows: int) -> list[Floats]:
    """Return the levels (k, 3) on the way to where points go."""
    if rows < 1:
        raise InvalidInput("The rows", "1 or more", str(rows))
    return [start + share / rows * way for share in range(1, rows + 1)]
