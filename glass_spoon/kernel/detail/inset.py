"""Faces inset: their rim runs inside itself by an even distance, at corners of any angle; sunk or raised as well."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, owned
from glass_spoon.kernel.detail.lift import TOP, Lifted, Region, lift, rim_insets
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.mesh import Mesh

OFF = 1e-6
"""Points that a move takes off the faces by more than this share of it are brought back."""


def inset(mesh: Mesh, chosen: Bools, distance: float, depth: float = 0.0, *, each: bool = False, loops: int = 1) -> Lifted:
    """Return the mesh with marked faces (f,) inset by a distance in mm, outwards below zero; and raised by a depth in mm.

    loops: rows of faces about them. Inner points follow the rim evenly, as heat would spread from it, and all stay on the
    faces where they are not raised.
    """
    if loops < 1:
        raise InvalidInput("The loops", "1 or more", str(loops))
    if distance < 0:
        return _outwards(mesh, chosen, -distance, depth, each=each, loops=loops)
    region = Region.of(mesh, chosen, each=each)
    part = region.part
    if each:
        normals = np.zeros_like(part.positions)
        normals[part.topology.face_corners] = part.face_normals[part.topology.face_of_corner]
        lean = normals
    else:
        normals, lean = part.vertex_normals, region.leans
    move = distance * rim_insets(region, normals, each=each)
    shares = np.arange(1, loops + 1) / loops
    if each:
        return lift(mesh, region, [part.positions + share * (move + depth * lean) for share in shares], mixed=True)
    move = _spread(region, move)
    levels = [_on(part, share * move) + share * depth * lean for share in shares]
    return lift(mesh, region, levels, mixed=True)


def _on(part: Mesh, move: Floats) -> Floats:
    """Return the points of a mesh moved (n, 3), and brought back onto its faces where that takes them off."""
    places = part.positions + move
    found, _, away = NearestOnMesh(part).ask(places)
    off = away > OFF * np.sqrt(np.einsum("ni,ni->n", move, move))
    places[off] = found[off]
    return places


def _outwards(mesh: Mesh, chosen: Bools, distance: float, depth: float, *, each: bool, loops: int) -> Lifted:
    """Return the mesh with a band about marked faces (f,), taken from the faces beside them, over creases as well."""
    if each:
        raise KernelError("Faces that touch cannot each grow outwards. Inset them together, or by a distance above zero.")
    around = Region.about(mesh, chosen)
    move = distance * rim_insets(around, around.part.vertex_normals, each=True)
    levels = [around.part.positions + share / loops * move for share in range(1, loops + 1)]
    done = lift(mesh, around, levels, mixed=True, inside=chosen)
    if not depth:
        return done
    region = Region.of(done.mesh, done.origin.faces_in(TOP))
    places = done.mesh.positions.copy()
    places[region.points] += depth * region.leans
    return replace(done, mesh=done.mesh.moved(owned(places)))


def _spread(region: Region, move: Floats) -> Floats:
    """Return moves (k, 3) known on the rim spread over the region: each inner point's is the mean of its neighbours'."""
    topology = region.part.topology
    ends = topology.edges.ends.astype(np.int64)
    count = region.part.point_count
    inner = ~topology.on_boundary
    if not inner.any():
        return move
    links = scipy.sparse.coo_array(
        (np.ones(2 * len(ends)), (np.concatenate(ends.T), np.concatenate(ends.T[::-1]))), shape=(count, count)
    ).tocsr()
    laplace = scipy.sparse.csr_array(scipy.sparse.diags_array(np.asarray(links.sum(axis=1)).ravel()) - links)
    rows = laplace[np.flatnonzero(inner)]
    known = rows[:, np.flatnonzero(~inner)] @ move[~inner]
    result = move.copy()
    result[inner] = scipy.sparse.linalg.splu(rows[:, np.flatnonzero(inner)].tocsc()).solve(-known)
    return result
