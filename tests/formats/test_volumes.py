"""The volume that the gauges tell is that of the files sent out, as trimesh measures them."""

from __future__ import annotations

import io

import numpy as np
import pytest
import trimesh

from glass_spoon.formats.gltf import NamedMesh, write_glb
from glass_spoon.formats.stl import write_stl
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from tests.zoo import cube_mesh


def bent_box(seed: int) -> Mesh:
    """Return a box of 9 mm whose corners were pulled about: every face is bent."""
    faces = [[0, 3, 2, 1], [4, 5, 6, 7], [0, 1, 5, 4], [1, 2, 6, 5], [2, 3, 7, 6], [3, 0, 4, 7]]
    corners = np.array([[x, y, z] for z in (0, 9) for x, y in ((0, 0), (9, 0), (9, 9), (0, 9))], dtype=float)
    return make_mesh(corners + np.random.default_rng(seed).normal(size=(8, 3)), faces)


@pytest.mark.parametrize("seed", range(12))
def test_bent_quads_are_cut_one_way_for_the_gauge_and_for_files(seed: int) -> None:
    """Diagonals chosen otherwise would be up to a tenth apart here."""
    mesh = bent_box(seed)
    told = enclosed_volume(mesh)
    stl = trimesh.load(io.BytesIO(write_stl([NamedMesh("box", mesh)])), file_type="stl")
    assert stl.volume == pytest.approx(told, rel=1e-5)
    glb = trimesh.load(io.BytesIO(write_glb([NamedMesh("box", mesh)])), file_type="glb").to_mesh()
    assert glb.volume * 1e9 == pytest.approx(told, rel=1e-5)


def test_volume_of_flat_faces_is_what_it_was() -> None:
    """The enclosed volume of a cube is the product of its sides."""
    assert enclosed_volume(cube_mesh()) == pytest.approx(np.prod(np.ptp(cube_mesh().positions, axis=0)))
