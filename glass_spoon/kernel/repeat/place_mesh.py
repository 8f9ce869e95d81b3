"""A mesh moved, turned, stretched or mirrored."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from glass_spoon.kernel.arrays import directions
from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.kernel.mesh_edits.clean_mesh import reverse_faces
from glass_spoon.kernel.meshes.mesh import Mesh


def place_mesh(mesh: Mesh, placement: Placement) -> Mesh:
    """Return the mesh under a map that can be taken back; mirrored faces run the other way round, so they face as before.

    Normals go over by the inverse transpose. Raises numpy.linalg.LinAlgError for a map that flattens.
    """
    across = np.linalg.inv(placement.matrix)
    moved = mesh.moved(placement.apply(mesh.positions))
    if "normal" in mesh.points:
        moved = replace(moved, points={**moved.points, "normal": directions(mesh.points["normal"] @ across)})
    if np.linalg.det(placement.matrix) >= 0:
        return moved
    # Mirrored, a normal that was mapped along points out already, while turning all faces would turn it once more.
    turned = reverse_faces(moved, np.arange(mesh.face_count)).mesh
    return replace(turned, points=moved.points)
