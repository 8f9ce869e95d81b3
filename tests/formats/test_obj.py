"""OBJ against trimesh, and quads kept."""

import io

import numpy as np
import trimesh

from glass_spoon.formats.gltf import NamedMesh
from glass_spoon.formats.obj import write_obj
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from tests.zoo import cube_mesh, sphere


def lines_of(data: bytes, word: str) -> list[list[str]]:
    return [line.split()[1:] for line in data.decode().splitlines() if line.split()[:1] == [word]]


def test_quads_are_kept_with_uv_and_normals():
    """Every face line has four corners of three indices that exist."""
    mesh = mesh_surface(sphere(5.0), 16, 9)
    data = write_obj([NamedMesh("buoy", mesh)])
    faces = lines_of(data, "f")
    assert len(faces) == mesh.face_count
    indices = np.array([[corner.split("/") for corner in face] for face in faces], dtype=int)
    assert indices.shape == (mesh.face_count, 4, 3)
    for column, word in enumerate(("v", "vt", "vn")):
        assert indices[..., column].min() == 1
        assert indices[..., column].max() == len(lines_of(data, word))
    assert np.array_equal(indices[..., 0] - 1, mesh.topology.face_corners.reshape(-1, 4))


def test_positions_come_back_to_nine_digits():
    """Coordinates in millimetres as they are."""
    mesh = mesh_surface(sphere(5.0), 8, 5)
    read = np.array(lines_of(write_obj([NamedMesh("a", mesh)]), "v"), dtype=float)
    assert np.allclose(read, mesh.positions, atol=1e-8)


def test_trimesh_reads_two_objects():
    """Two cubes, the second numbered on."""
    data = write_obj([NamedMesh("one", cube_mesh(1.0)), NamedMesh("two", cube_mesh(3.0))])
    loaded = trimesh.load(io.BytesIO(data), file_type="obj", split_object=True, group_material=False)
    whole = loaded.to_mesh() if hasattr(loaded, "to_mesh") else loaded
    assert np.allclose(whole.extents, 3)
    assert "millimetres" in data.decode().splitlines()[1]


def test_mixed_faces_are_written_in_order():
    """A fan gives triangles and quads."""
    mesh = mesh_surface(sphere(5.0), 9, 6, poles="fan")
    faces = lines_of(write_obj([NamedMesh("a", mesh)]), "f")
    assert [len(face) for face in faces] == mesh.topology.face_sides.tolist()


def test_every_corner_has_its_own_uv():
    """Values that differ at every corner, over two meshes in one file: the indices lead to them."""
    rng = np.random.default_rng(2)
    meshes = [
        Mesh(cube_mesh(size).topology, cube_mesh(size).positions, corners={"uv": rng.random((24, 2)).round(6)})
        for size in (1.0, 3.0)
    ]
    data = write_obj([NamedMesh(str(k), mesh) for k, mesh in enumerate(meshes)])
    written = np.array(lines_of(data, "vt"), dtype=float)
    corners = [corner.split("/") for face in lines_of(data, "f") for corner in face]
    read = written[np.array([int(corner[1]) - 1 for corner in corners])]
    assert np.allclose(read, np.concatenate([mesh.corners["uv"] for mesh in meshes]), atol=1e-9)
