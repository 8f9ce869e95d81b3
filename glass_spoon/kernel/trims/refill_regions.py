"""Faces of one region filled anew as one, where each by itself came out slanted: patches that were trimmed together."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, directions, lengths, owned
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.topology import make_topology
from glass_spoon.kernel.meshing.fill_with_grid import fill_with_grid
from glass_spoon.kernel.meshing.seen_pieces import SeenPieces
from glass_spoon.kernel.meshing.whole_regions import RISES, SLANTED, turned_along
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.polygons import signed_area
from glass_spoon.kernel.surfaces.sets.surface_set import plane_axes
from glass_spoon.kernel.trims.face import FaceSet


@dataclass(frozen=True, eq=False)
class _Fill:
    """A part of a mesh filled anew: the faces (n,) that go, its inner vertices (m, 3) and their normals, quads (f, 4) by the
    numbers of the rim's vertices and of inner ones behind `first`, the uv (f, 4, 2) of their corners, and their pieces (f,).
    """

    gone: Ints
    inner: Floats
    normals: Floats
    faces: Ints
    uv: Floats
    pieces: Floats


def refill_regions(mesh: Mesh, shape: FaceSet, step: float) -> Mesh:
    """Return a mesh of faces, all quads, in which those of one region are filled anew with edges of about a step in mm,
    where that makes their worst corner better. Rims stay; points carry "normal", corners "uv", faces "piece".
    """
    fills, total = list[_Fill](), mesh.point_count
    for region in shape.regions:
        members = [number for number, face in enumerate(shape.faces) if face.surface.key in region]
        if len({shape.faces[number].surface.key for number in members}) > 1:
            for part in _parts(mesh, np.isin(mesh.faces["piece"], members)):
                fill = _filled(mesh, shape, members, part, step, total)
                if fill is not None:
                    fills.append(fill)
                    total += len(fill.inner)
    return _with(mesh, fills) if fills else mesh


def _parts(mesh: Mesh, own: Bools) -> list[Ints]:
    """Return the faces that are marked, by parts (n,) that hang together."""
    pair = mesh.topology.edge_faces
    inner = (pair[:, 1] >= 0) & own[pair[:, 0]] & own[np.maximum(pair[:, 1], 0)]
    group = joined_groups(pair[inner, 0], pair[inner, 1], mesh.face_count)
    return [np.flatnonzero(own & (group == number)) for number in np.unique(group[own]).tolist()]


def _filled(mesh: Mesh, shape: FaceSet, members: list[int], part: Ints, step: float, first: int) -> _Fill | None:
    """Return some faces that hang together filled anew, None where that is no better; first: the number that its first inner
    vertex takes.
    """
    quads = mesh.topology.face_corners.reshape(-1, 4)[part]
    corners = mesh.positions[quads]
    worst = _worst_corner(corners)
    spans = np.cross(corners[:, 2] - corners[:, 0], corners[:, 3] - corners[:, 1])
    normal = directions(spans.sum(axis=0)[None])[0]
    seen = spans @ normal
    if worst >= SLANTED or seen.min() <= 0 or lengths(spans).sum() > RISES * seen.sum():
        return None
    rings = _rings(quads.astype(np.int64))
    if not rings:
        return None
    axes = turned_along([mesh.positions[np.append(ring, ring[0])] for ring in rings], plane_axes(normal))
    flat = [mesh.positions[ring] @ axes.T for ring in rings]
    order = sorted(range(len(rings)), key=lambda k: -signed_area(flat[k]))
    if any((signed_area(flat[k]) > 0) != (place == 0) for place, k in enumerate(order)):
        return None
    try:
        fill = fill_with_grid([flat[k] for k in order], step)
    except KernelError:
        return None
    rim = np.concatenate([rings[k] for k in order])
    surfaces = list({shape.faces[number].surface.key: shape.faces[number].surface for number in members}.values())
    laid = SeenPieces(surfaces, axes).laid(fill, len(rim))
    if _worst_corner(np.concatenate((mesh.positions[rim], laid.inner))[fill.faces]) <= worst:
        return None
    uv, numbers = np.empty((len(fill.faces), 4, 2)), np.empty(len(fill.faces))
    for k in np.unique(laid.of_face).tolist():
        own = laid.of_face == k
        low, high = np.array([surfaces[k].domain(axis) for axis in (0, 1)]).T
        uv[own] = (laid.params[own] - low) / (high - low)
        numbers[own] = _face_numbers(shape, members, surfaces[k], laid.middles[own])
    facing = np.sign((laid.normals @ normal).sum()) or 1.0  # a trimmed face may look to the other side of its surface
    vertices = np.concatenate((rim, first + np.arange(len(laid.inner))))
    return _Fill(part, laid.inner, facing * laid.normals, vertices[fill.faces], uv, numbers)


def _worst_corner(corners: Floats) -> float:
    """Return how near in radians the corners of quads (f, 4, 3) come to being straight or shut."""
    ahead, back = np.roll(corners, -1, axis=1) - corners, np.roll(corners, 1, axis=1) - corners
    cosines = np.abs((directions(ahead) * directions(back)).sum(axis=2))
    return float(np.arccos(min(float(cosines.max()), 1.0)))


def _rings(quads: Ints) -> list[Ints]:
    """Return the rims of quads as rings of vertices, the quads on their left; none where two rims touch."""
    used, numbered = np.unique(quads, return_inverse=True)
    rings = [used[loop] for loop in make_topology(len(used), numbered.reshape(-1, 4)).boundary_loops]
    every = np.concatenate(rings) if rings else used[:0]
    return rings if len(np.unique(every)) == len(every) else []


def _with(mesh: Mesh, fills: list[_Fill]) -> Mesh:
    """Return a mesh in which some faces have given way to fills."""
    kept = np.ones(mesh.face_count, dtype=bool)
    kept[np.concatenate([fill.gone for fill in fills])] = False
    old = mesh.topology.face_corners.reshape(-1, 4)[kept]
    used, numbered = np.unique(np.concatenate((old, *(fill.faces for fill in fills))), return_inverse=True)
    topology = make_topology(len(used), numbered.reshape(-1, 4))
    edges: dict[str, Floats] = {}
    if "sharpness" in mesh.edges:
        number = np.full(int(used[-1]) + 1 + mesh.point_count, -1)
        number[used] = np.arange(len(used))
        ends = number[mesh.topology.edges.ends[mesh.edges["sharpness"] > 0]]
        found = topology.find_edges(ends[(ends >= 0).all(axis=1)])
        edges["sharpness"] = np.zeros(len(topology.edges.ends))
        edges["sharpness"][found[found >= 0]] = np.inf
    uv = mesh.corners["uv"].reshape(-1, 4, 2)[kept]
    return Mesh(
        topology,
        owned(np.concatenate((mesh.positions, *(fill.inner for fill in fills)))[used]),
        points={"normal": owned(np.concatenate((mesh.points["normal"], *(fill.normals for fill in fills)))[used])},
        corners={"uv": owned(np.concatenate((uv, *(fill.uv for fill in fills))).reshape(-1, 2))},
        edges=edges,
        faces={"piece": np.concatenate((mesh.faces["piece"][kept], *(fill.pieces for fill in fills)))},
    )


def _face_numbers(shape: FaceSet, members: list[int], surface: NurbsSurface, places: Floats) -> Ints:
    """Return which of some faces (n,) hold places (n, 2) of their surface; the first where none does."""
    own = [number for number in members if shape.faces[number].surface.key == surface.key]
    result = np.full(len(places), own[0])
    for number in own[1:]:
        result[shape.faces[number].holds(places)] = number
    return result
