"""Rims filled with quads: flat, or smooth with the faces about them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, Ints, directions
from glass_spoon.kernel.detail.rims import Rim, rims_of
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.mesh_edits.assemble import Assembly
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Reworked
from glass_spoon.kernel.meshes.topology import Topology
from glass_spoon.kernel.meshing.fill_plane import fill_plane
from glass_spoon.kernel.surfaces.sets.surface_set import plane_axes

RINGS, BESIDE = 2, 0.2
"""Rings of faces about a rim that a smooth fill goes on from; and how far beside it, in edges, their points must lie."""

MOST_KNOWN = 800
"""Points about a rim that a smooth fill goes through at most: of more, every second, third and so on."""

CAP, RIM = "cap", "rim"
"""Roles: the faces that fill a rim, and its edges."""


@dataclass(frozen=True, eq=False)
class Filled(Reworked):
    """Rims filled. rims: how many; odd: rims with an odd count, where one face is a triangle."""

    rims: int
    odd: int


def fill_rims(mesh: Mesh, edges: Bools, gone: Bools, *, smooth: bool) -> Filled:
    """Return the mesh with the rims along marked edges (e,), and about faces (f,) that go, filled by quads.

    smooth: inner points lie where the skin bends least with the faces about it; else on a skin stretched over the rim. A rim
    with an odd count gets one triangle. Raises KernelError for no rim, and for one that crosses itself, seen from above.
    """
    rims = rims_of(mesh, edges, gone)
    if not rims:
        raise KernelError("The marks hold no rim: mark open edges, or faces to be taken out and filled anew.")
    build = Assembly(mesh)
    build.gone = gone.copy()
    inner = [_fill(build, rim) for rim in rims]
    for rim in rims:
        build.name_edges(np.column_stack((rim.points, np.roll(rim.points, -1))), RIM)
    done, number = build.finish()
    places = done.mesh.positions.copy()
    free = number[np.concatenate(inner)]
    if len(free):
        places[free] = _settled(done.mesh.topology, places, free, smooth=smooth)
    if smooth:
        for rim, points in zip(rims, inner, strict=True):
            _lay_on(build, rim, number[points], places)
    return Filled(done.mesh.moved(places), done.origin, len(rims), sum(len(rim.points) % 2 for rim in rims))


def _fill(build: Assembly, rim: Rim) -> Ints:
    """Fill a rim, flat at first; return the numbers of the points inside."""
    mesh, count = build.mesh, len(rim.points)
    corner, face = rim.corners, mesh.topology.face_of_corner[rim.corners].astype(np.int64)
    loop = rim.points
    if count == 3:
        build.add_faces(loop[None], corner[None], face[:1], CAP)
        return np.zeros(0, dtype=np.int64)
    places = mesh.positions[loop]
    if count % 2:  # one triangle at the sharpest corner leaves an even rim
        ear_at = int(np.argmin(_corners(places)))
        ear = np.array([[loop[ear_at - 1], loop[ear_at], loop[(ear_at + 1) % count]]])
        build.add_faces(ear, corner[[[ear_at - 1, ear_at, ear_at]]], face[[ear_at]], CAP)
        loop, corner, face = (np.delete(part, ear_at) for part in (loop, corner, face))
        places = np.delete(places, ear_at, axis=0)
    middle, frame = _plane_of(places)
    if len(loop) == 4:
        build.add_faces(loop[None], corner[None], face[:1], CAP)
        return np.zeros(0, dtype=np.int64)
    filled = fill_plane([(places - middle) @ frame[:2].T])
    new = build.add_points(middle + filled.points[len(loop) :] @ frame[:2])
    nearest = np.linalg.norm(filled.points[len(loop) :, None] - filled.points[None, : len(loop)], axis=2).argmin(axis=1)
    build.mix(new, loop[nearest][:, None], np.ones((len(new), 1)))
    at = np.concatenate((np.arange(len(loop)), nearest))[filled.faces]
    build.add_faces(np.concatenate((loop, new))[filled.faces], corner[at], face[at[:, 0]], CAP)
    return new


def _plane_of(places: Floats) -> tuple[Floats, Floats]:
    """Return the middle (3,) of a loop (k, 3), and a frame (3, 3) whose last row is its normal."""
    middle: Floats = places.mean(axis=0)
    normal = directions(np.cross(places - middle, np.roll(places, -1, axis=0) - middle).sum(axis=0))
    return middle, np.vstack((plane_axes(normal), normal))


def _lay_on(build: Assembly, rim: Rim, points: Ints, places: Floats) -> None:
    """Put points (k,) that fill a rim on the smoothest height over its plane that goes on from the faces about it, where
    these lie beside the rim, seen so. Changes places (n, 3).
    """
    mesh, topology = build.mesh, build.mesh.topology
    known = np.zeros(mesh.point_count, dtype=bool)
    known[rim.points] = True
    stays = ~build.gone[topology.face_of_corner]
    for _ in range(RINGS):
        faces = np.zeros(mesh.face_count, dtype=bool)
        faces[topology.face_of_corner[known[topology.face_corners] & stays]] = True
        known[topology.face_corners[faces[topology.face_of_corner] & stays]] = True
    middle, frame = _plane_of(mesh.positions[rim.points])
    loop = (mesh.positions[rim.points] - middle) @ frame.T
    around = (mesh.positions[known] - middle) @ frame.T
    edge = float(np.median(np.linalg.norm(np.diff(loop, axis=0), axis=1)))
    away = np.linalg.norm(around[:, None, :2] - loop[None, :, :2], axis=2).min(axis=1)
    others = ~np.isin(np.flatnonzero(known), rim.points)
    inside = _holds(loop[:, :2], around[others, :2])
    stacked = len(scipy.spatial.cKDTree(around[:, :2]).query_pairs(BESIDE * edge)) > 0  # a wall goes down there
    if not len(points) or stacked or inside.any() or (away[others] < BESIDE * edge).any() or others.sum() < 2 * len(loop):
        return
    around = around[:: -(-len(around) // MOST_KNOWN)]
    at = (places[points] - middle) @ frame.T
    size = float(np.ptp(loop[:, :2], axis=0).max())
    height = scipy.interpolate.RBFInterpolator(around[:, :2] / size, around[:, 2], kernel="quintic", degree=2)
    places[points] = middle + np.column_stack((at[:, :2], height(at[:, :2] / size))) @ frame


def _holds(loop: Floats, points: Floats) -> Bools:
    """Mark the flat points (k, 2) that a loop (n, 2) goes round, by the angle it turns about them."""
    away = loop[None] - points[:, None]
    ahead = np.roll(away, -1, axis=1)
    turn = np.arctan2(away[..., 0] * ahead[..., 1] - away[..., 1] * ahead[..., 0], (away * ahead).sum(axis=2))
    return np.asarray(np.abs(turn.sum(axis=1)) > np.pi)


def _corners(places: Floats) -> Floats:
    """Return the angles (k,) at the corners of a loop (k, 3), in radians."""
    ahead, behind = directions(np.roll(places, -1, axis=0) - places), directions(np.roll(places, 1, axis=0) - places)
    return np.asarray(np.arccos(np.clip(np.einsum("ki,ki->k", ahead, behind), -1, 1)))


def _settled(topology: Topology, places: Floats, free: Ints, *, smooth: bool) -> Floats:
    """Return the places (k, 3) of free points at which the skin has the least stretch, or where it is smooth the least bend:
    the sum of squares of Laplacians, of free points and of their neighbours.
    """
    count = topology.point_count
    ends = topology.edges.ends.astype(np.int64)
    ones = np.ones(2 * len(ends))
    links = scipy.sparse.coo_array(
        (ones, (np.concatenate(ends.T), np.concatenate(ends.T[::-1]))), shape=(count, count)
    ).tocsr()
    degree: Floats = np.asarray(links.sum(axis=1), dtype=np.float64).ravel()
    laplace = scipy.sparse.csr_array(
        scipy.sparse.eye_array(count) - scipy.sparse.diags_array(1 / np.maximum(degree, 1)) @ links
    )
    if smooth:
        touched = np.zeros(count, dtype=bool)
        touched[free] = True
        near = np.flatnonzero((links @ touched.astype(float) > 0) | touched)
        near = near[~topology.on_boundary[near]]
        rows = laplace[near]
        energy = scipy.sparse.csr_array(rows.T @ rows)
    else:
        energy = scipy.sparse.csr_array(scipy.sparse.diags_array(degree) - links)
    kept = np.ones(count, dtype=bool)
    kept[free] = False
    own = energy[free]
    known = np.asarray(own[:, np.flatnonzero(kept)] @ places[kept], dtype=np.float64)
    return np.asarray(scipy.sparse.linalg.splu(own[:, free].tocsc()).solve(-known))
