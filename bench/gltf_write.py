"""A binary glTF of 100,000 quads with normals, beside trimesh's export of the same triangles and normals."""

from __future__ import annotations

import numpy as np
import trimesh

from bench.measure import median_seconds
from glass_spoon.formats.gltf import NamedMesh, write_glb
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from tests.zoo import torus


def run() -> dict[str, float]:
    made = mesh_surface(torus(100.0, 30.0), 400, 250)
    parts = (made.topology, made.positions, {"normal": made.points["normal"]})
    quads = made.topology.face_corners.reshape(-1, 4)
    peer = trimesh.Trimesh(
        made.positions,
        np.vstack((quads[:, [0, 1, 2]], quads[:, [0, 2, 3]])),
        vertex_normals=made.points["normal"],
        process=False,
    )
    # A fresh mesh each time, so that nothing derived is kept between runs.
    ours = median_seconds(lambda: write_glb([NamedMesh("torus", Mesh(*parts))]), 9)
    theirs = median_seconds(lambda: peer.export(file_type="glb", include_normals=True), 9)
    return {"quads": len(quads), "ours_s": ours, "trimesh_s": theirs, "times_faster": theirs / ours}
