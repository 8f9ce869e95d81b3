"""Faces of a body halved both ways on the surface that it stands for, so that seams have room."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.subdivision.catmull_clark import split_plain
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet

ON = 1e-6
"""Points lie on their surface where they are nearer to it than this share of its size."""


def halve_faces(mesh: Mesh, times: int, shape: NurbsSurface | SurfaceSet | None = None) -> Mesh:
    """Return the mesh with every face divided about its middle `times` times; where all corners of a face lie on its surface
    of the shape, the new points do too.

    All values are carried, see `split_plain`.
    """
    for _ in range(times):
        finer = split_plain(mesh, 1)
        mesh = finer if shape is None else _laid_on(mesh, finer, shape)
    return mesh


def _laid_on(before: Mesh, finer: Mesh, shape: NurbsSurface | SurfaceSet) -> Mesh:
    """Return the finer mesh with its new points on the surfaces of the faces that they are corners of."""
    members = (shape,) if isinstance(shape, NurbsSurface) else shape.surfaces
    pieces = finer.faces.get("piece")
    if len(members) > 1 and pieces is None:
        return finer
    # A set of one surface may have caps, whose faces bear numbers from one on.
    number = np.zeros(finer.face_count, dtype=np.int64)
    if pieces is not None and isinstance(shape, SurfaceSet):
        number = pieces.astype(np.int64)
    topology, places = finer.topology, finer.positions.copy()
    old = before.point_count
    for one, surface in enumerate(members):
        # Points on a crease go onto both surfaces, one after the other.
        own = np.unique(topology.face_corners[number[topology.face_of_corner] == one])
        if not len(own):
            continue
        kept = own[own < old]
        if len(kept) and float(closest_points(surface, places[kept])[2].max()) > ON * surface.size:
            continue  # it was worked on, and is no longer the surface
        new = own[own >= old]
        u, v, _ = closest_points(surface, places[new])
        places[new] = surface_points(surface, u, v)
    return finer.moved(places) if float(lengths(places - finer.positions).max(initial=0.0)) > 0 else finer
