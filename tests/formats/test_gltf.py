"""Binary glTF against the Khronos validator and trimesh."""

import io
import json
import struct
import subprocess
from pathlib import Path

import numpy as np
import pytest
import trimesh

from glass_spoon.formats.gltf import NamedMesh, write_glb, write_moved_glb, write_view_glb
from glass_spoon.kernel.meshes.mesh import make_mesh
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.kernel.subdivision.catmull_clark import subdivide
from glass_spoon.kernel.surfaces.make.revolve import revolve_curve
from tests.zoo import ORIGIN, TURN, UP, cube_mesh, kettle_profile, sphere

ROOT = Path(__file__).resolve().parents[2]
KETTLE = mesh_surface(revolve_curve(kettle_profile(), ORIGIN, UP, TURN), 24, 18)
SCRIPT = """
const { validateBytes } = require("gltf-validator");
const bytes = new Uint8Array(require("fs").readFileSync(0));
validateBytes(bytes).then((report) => console.log(JSON.stringify(report)));
"""


def validate(data: bytes) -> dict:
    """Return the Khronos validator's report (npm: gltf-validator)."""
    done = subprocess.run(["node", "-e", SCRIPT], input=data, capture_output=True, cwd=ROOT, check=True)
    return json.loads(done.stdout)


def json_chunk(data: bytes) -> dict:
    length = struct.unpack_from("<I", data, 12)[0]
    return json.loads(data[20 : 20 + length])


@pytest.mark.parametrize("writer", [write_glb, write_view_glb, write_moved_glb])
@pytest.mark.parametrize(
    "mesh", [KETTLE, cube_mesh(), mesh_surface(sphere(3.0), 9, 6, poles="fan"), subdivide(KETTLE, 1)], ids=range(4)
)
def test_files_are_valid(writer, mesh):
    """No errors and no warnings, for sent-out files and for both kinds of view files."""
    issues = validate(writer([NamedMesh("body", mesh)], {"note": "é"}))["issues"]
    assert issues["numErrors"] == 0, issues
    assert issues["numWarnings"] == 0, issues


def test_file_without_meshes_is_valid():
    """An empty scene is a valid file too."""
    assert validate(write_glb([]))["issues"]["numErrors"] == 0


def test_units_are_metres_and_y_is_up():
    """A kettle 158 mm high stands 0.158 m high along y."""
    scene = trimesh.load(io.BytesIO(write_glb([NamedMesh("kettle", KETTLE)])), file_type="glb")
    size = np.ptp(KETTLE.positions, axis=0)
    assert np.allclose(scene.bounding_box.extents, size[[0, 2, 1]] / 1000, rtol=1e-6)  # float32
    assert scene.bounds[0][1] == pytest.approx(0.0, abs=1e-9)


def test_area_survives_and_faces_look_outwards():
    """Trimesh finds the area of the triangles in square metres and normals away from the axis."""
    loaded = trimesh.load(io.BytesIO(write_glb([NamedMesh("kettle", KETTLE)])), file_type="glb").to_mesh()
    ours = np.linalg.norm(KETTLE.face_vectors, axis=1).sum() / 1e6
    assert loaded.area == pytest.approx(ours, rel=2e-4)  # warped quads cut into two triangles
    body = (loaded.triangles_center[:, 1] > 0.03) & (loaded.triangles_center[:, 1] < 0.1)
    outward = np.einsum("ij,ij->i", loaded.face_normals[body][:, [0, 2]], loaded.triangles_center[body][:, [0, 2]])
    assert (outward > 0).all()


def test_names_normals_and_uv_are_written():
    """The node is called as the item; normals have length one; v is counted from the top."""
    loaded = trimesh.load(io.BytesIO(write_glb([NamedMesh("camp kettle", KETTLE)])), file_type="glb")
    assert "camp kettle" in loaded.geometry
    mesh = loaded.geometry["camp kettle"]
    assert np.allclose(np.linalg.norm(mesh.vertex_normals, axis=1), 1, atol=1e-6)
    heights = mesh.visual.uv[:, 1]
    assert heights.min() == pytest.approx(0, abs=1e-6)
    assert heights.max() == pytest.approx(1, abs=1e-6)


def test_creases_break_normals():
    """A cube with all edges sharp has three normals at each corner."""
    cube = cube_mesh()
    from glass_spoon.kernel.meshes.mesh import Mesh

    sharp = Mesh(cube.topology, cube.positions, edges={"sharpness": np.full(12, np.inf)})
    document = json_chunk(write_glb([NamedMesh("cube", sharp)]))
    assert document["accessors"][0]["count"] == 24


def test_view_file_names_faces_of_triangles_only_where_needed():
    """All quads need no table; a fan does."""
    assert "triangleFaces" not in json_chunk(write_view_glb([NamedMesh("a", KETTLE)]))["meshes"][0]["extras"]
    fan = mesh_surface(sphere(3.0), 9, 6, poles="fan")
    assert "triangleFaces" in json_chunk(write_view_glb([NamedMesh("a", fan)]))["meshes"][0]["extras"]


def test_moved_file_holds_points_only_and_names_the_topology():
    """What follows a drag has no indices."""
    document = json_chunk(write_moved_glb([NamedMesh("a", KETTLE)]))
    assert "indices" not in document["meshes"][0]["primitives"][0]
    assert document["meshes"][0]["extras"]["topology"] == KETTLE.topology.key


def test_face_without_area_is_still_valid():
    """A collapsed quad has no normal; the file has a unit one."""
    flat = make_mesh([[0, 0, 0], [1, 0, 0], [1, 0, 0], [0, 0, 0]], [[0, 1, 2, 3]])
    assert validate(write_glb([NamedMesh("flat", flat)]))["issues"]["numErrors"] == 0
