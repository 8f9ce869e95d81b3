"""What closed outlines on a skin hold, cut out of it: edges run along the outlines, and all stays quads."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints
from glass_spoon.kernel.errors import FacesTooLarge, KernelError
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.imprint.along_seams import Body, Joined, along_seams
from glass_spoon.kernel.imprint.join_solids import Shape
from glass_spoon.kernel.imprint.seam_line import SeamLine
from glass_spoon.kernel.imprint.skins import near_surfaces
from glass_spoon.kernel.imprint.solids import Share
from glass_spoon.kernel.mesh_edits.open_along import LYING
from glass_spoon.kernel.mesh_edits.outline_on_skin import SeenOutline, rim_off, sharp_places
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.mesh_loops import faces_marked, usual_edge


def keep_inside(mesh: Mesh, outlines: list[Floats], host: Shape = None) -> tuple[Joined, float]:
    """Return what closed outlines (n, 3) mm that lie on a mesh hold, and how far in mm the rims' edges lie off them at most.

    host: the surface that points belong on. Raises KernelError, with what to do, for an outline that does not lie on the
    mesh, has corners, goes too far round a body or crosses another, or where faces are too large for it.
    """
    near = NearestOnMesh(mesh)
    count = mesh.face_count
    whole, crossed, points = np.zeros(count, dtype=bool), np.zeros(count, dtype=bool), np.zeros(mesh.point_count, dtype=bool)
    seams = []
    for number, outline in enumerate(outlines, 1):
        name = f"Outline {number}" if len(outlines) > 1 else "The outline"
        places, faces, away = near.ask(outline)
        own = faces_marked(mesh, faces)
        if float(away.max()) > LYING * usual_edge(mesh, own):
            raise KernelError(
                f"{name} lies up to {float(away.max()):.3g} mm off the mesh. Project it onto the surface first, or carry it."
            )
        if len(sharp_places(outline)):
            raise KernelError(f"{name} has corners: Round them first, so that edges can follow it.")
        plane = SeenOutline.through(places, mesh.face_normals[faces], name)
        if (crossed & own).any() or (whole & own).any():
            raise FacesTooLarge(f"{name} crosses another, or lies too near to it.")
        held = _held(mesh, plane, own)
        crossed |= own
        whole |= held & ~own
        points |= _points_in(mesh, plane, held, own)
        seams.append(SeamLine(places[::-1] if plane.backwards else places))
    every = np.ones(count, dtype=bool)
    body = Body(every, Share(whole, ~whole & ~crossed, points), near_surfaces(mesh, every, host, seams))
    done = along_seams(mesh, [body], seams)
    off = max(rim_off(seam.places, done.mesh.positions[ring[0]]) for seam, ring in zip(seams, done.rings, strict=True))
    return done, off


def _held(mesh: Mesh, plane: SeenOutline, crossed: Bools) -> Bools:
    """Mark the faces (f,) that hang together, not over crossed ones, with those beside them that the outline holds."""
    pair = mesh.topology.neighbours
    inner = ~crossed[pair[:, 0]] & ~crossed[pair[:, 1]]
    group = joined_groups(pair[inner, 0], pair[inner, 1], mesh.face_count)
    beside = np.unique(pair[crossed[pair].any(axis=1)])
    beside = beside[~crossed[beside]]
    held = beside[plane.holds(mesh.face_centers[beside])]
    return np.asarray(np.isin(group, group[held]) & ~crossed)


def _points_in(mesh: Mesh, plane: SeenOutline, held: Bools, crossed: Bools) -> Bools:
    """Mark the points (n,) of faces that are held, and those of crossed ones inside."""
    topology = mesh.topology
    result = np.zeros(mesh.point_count, dtype=bool)
    result[topology.face_corners[held[topology.face_of_corner]]] = True
    asked: Ints = np.unique(topology.face_corners[crossed[topology.face_of_corner]])
    result[asked] = plane.holds(mesh.positions[asked])
    return result
