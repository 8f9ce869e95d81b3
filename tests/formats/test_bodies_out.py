"""Bodies in files: one mesh and its places in glTF and OpenUSD, read back by other libraries; elsewhere all faces."""

from __future__ import annotations

import io
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from pxr import Usd, UsdGeom
from scipy.spatial.transform import Rotation

from glass_spoon.formats.gltf import INSTANCING, NamedMesh, write_glb, write_view_glb
from glass_spoon.formats.usd import write_usd
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshing.six_sides import SixSides, mesh_six_sides
from glass_spoon.kernel.repeat.placements import Placements, grid_places
from glass_spoon.kernel.repeat.repeat_mesh import repeat_mesh
from glass_spoon.sheet.files_out import MESH_FORMATS, written_out
from tests.formats.test_gltf import json_chunk, validate

BODY = mesh_six_sides(SixSides((3, 2, 1), 0.5, (3, 2, 1), 1, 2)).mesh


def some_places(mirrored: bool = True) -> Placements:
    """Return turned, scaled and (some) mirrored places."""
    turns = Rotation.random(6, random_state=4).as_matrix() * np.linspace(0.5, 2, 6)[:, None, None]
    if mirrored:
        turns[1::2] = turns[1::2] @ np.diag([-1.0, 1.0, 1.0])
    return Placements(turns, np.arange(18.0).reshape(6, 3) * 10)


def skewed() -> Placements:
    return Placements(np.array([np.eye(3), [[1, 0.5, 0], [0, 1, 0], [0, 0, 2]]]), np.array([[0.0, 0, 0], [9, 0, 0]]))


@pytest.mark.parametrize("instanced", [True, False])
@pytest.mark.parametrize("places", [some_places(), skewed(), grid_places(np.diag([9, 9, 9.0]), [3, 2, 1])])
def test_bodies_are_valid_gltf(places: Placements, instanced: bool) -> None:
    """As instances and as nodes; a file for the board too."""
    for data in (
        write_glb([NamedMesh("bodies", BODY, places=places)], instanced=instanced),
        write_view_glb([NamedMesh("bodies", BODY, places=places)]),
    ):
        issues = validate(data)["issues"]
        assert issues["numErrors"] == 0, issues
        warned = {message["code"] for message in issues["messages"] if message["severity"] == 1}
        assert warned <= {"UNSUPPORTED_EXTENSION"}, issues


@pytest.mark.parametrize("places", [some_places(), skewed()])
def test_nodes_of_bodies_stand_where_the_copies_do(places: Placements) -> None:
    """Read by trimesh: every copy's box, in metres and y up."""
    scene = trimesh.load(io.BytesIO(write_glb([NamedMesh("b", BODY, places=places)])), file_type="glb")
    boxes = sorted(
        tuple(np.round(trimesh.transform_points(scene.geometry[name].vertices, matrix).min(axis=0), 6))
        for matrix, name in (scene.graph[node] for node in scene.graph.nodes_geometry)
    )
    every = places.apply(BODY.positions)[..., [0, 2, 1]] * [0.001, 0.001, -0.001]
    wanted = sorted(tuple(np.round(copy.min(axis=0), 6)) for copy in every)
    assert np.array(boxes) == pytest.approx(np.array(wanted), abs=2e-6)


def test_instances_are_one_node_with_its_list_and_the_extension_is_named() -> None:
    """Moves, turns and sizes of the list give the maps again; ten thousand cost forty bytes each."""
    places = some_places()
    data = write_glb([NamedMesh("b", BODY, places=places)], instanced=True)
    document = json_chunk(data)
    assert document["extensionsUsed"] == document["extensionsRequired"] == [INSTANCING]
    (node,) = [node for node in document["nodes"] if "mesh" in node]
    binary = data[20 + len(data[20:]) - document["buffers"][0]["byteLength"] :]
    values = {}
    for name, number in node["extensions"][INSTANCING]["attributes"].items():
        accessor = document["accessors"][number]
        view = document["bufferViews"][accessor["bufferView"]]
        raw = np.frombuffer(binary, np.float32, view["byteLength"] // 4, view["byteOffset"])
        values[name] = raw.reshape(accessor["count"], -1).astype(float)
    again = Rotation.from_quat(values["ROTATION"]).as_matrix() * values["SCALE"][:, None, :]
    assert again == pytest.approx(places.matrices, abs=1e-6)
    assert values["TRANSLATION"] == pytest.approx(places.offsets)
    many = grid_places(np.diag([9, 9, 9.0]), [100, 100, 1])
    assert len(write_glb([NamedMesh("b", BODY, places=many)], instanced=True)) < 10_000 * 40 + 100_000


@pytest.mark.parametrize("places", [some_places(), grid_places(np.diag([9, 9, 9.0]), [3, 2, 1])])
def test_openusd_has_a_point_instancer(places: Placements, tmp_path: Path) -> None:
    """Its own maths puts the prototype where the copies are."""
    path = tmp_path / "bodies.usdc"
    path.write_bytes(write_usd([NamedMesh("slats", BODY, places=places)]))
    stage = Usd.Stage.Open(str(path))
    many = UsdGeom.PointInstancer(stage.GetPrimAtPath("/Part/slats"))
    time = Usd.TimeCode.Default()
    maps = np.array(many.ComputeInstanceTransformsAtTime(time, time))
    assert maps[:, :3, :3].swapaxes(1, 2) == pytest.approx(places.matrices, abs=1e-5)
    assert maps[:, 3, :3] == pytest.approx(places.offsets, abs=1e-4)
    assert len(UsdGeom.Mesh(stage.GetPrimAtPath("/Part/slats/body")).GetPointsAttr().Get()) == BODY.point_count


def test_skewed_copies_are_written_out_in_openusd(tmp_path: Path) -> None:
    """A point instancer holds moves, turns and sizes only."""
    path = tmp_path / "skewed.usdc"
    path.write_bytes(write_usd([NamedMesh("skewed", BODY, places=skewed())]))
    stage = Usd.Stage.Open(str(path))
    mesh = UsdGeom.Mesh(stage.GetPrimAtPath("/Part/skewed"))
    assert np.array(mesh.GetPointsAttr().Get()) == pytest.approx(repeat_mesh(BODY, skewed()).positions, abs=1e-5)


@pytest.mark.parametrize("ending", ["obj", "stl", "ply"])
def test_formats_without_copies_get_every_face(ending: str) -> None:
    """Read by trimesh: as much volume as all copies have."""
    places = some_places()
    data = MESH_FORMATS[ending].write([NamedMesh("b", BODY, places=places)])
    found = trimesh.load(io.BytesIO(data), file_type=ending, force="mesh")
    one = trimesh.load(io.BytesIO(MESH_FORMATS[ending].write([NamedMesh("b", BODY)])), file_type=ending, force="mesh")
    assert found.volume == pytest.approx(one.volume * float(np.abs(places.determinants).sum()), rel=1e-5)


def test_too_many_faces_to_write_out_are_told_before_memory_is_taken() -> None:
    """With the formats that keep each body once."""
    many = replace(NamedMesh("b", BODY), places=grid_places(np.diag([9, 9, 9.0]), [100, 100, 10]))
    with pytest.raises(KernelError, match="glTF and OpenUSD keep each body once"):
        written_out([many])
