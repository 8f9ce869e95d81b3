"""Mesh files out and in again, and read by other libraries: trimesh, and usd-core for OpenUSD."""

from __future__ import annotations

import io
import json

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from pxr import Usd, UsdGeom

from glass_spoon.formats.gltf import NamedMesh, write_glb
from glass_spoon.formats.obj import read_obj, write_obj
from glass_spoon.formats.ply import read_ply, write_ply
from glass_spoon.formats.read_gltf import read_gltf
from glass_spoon.formats.read_mesh import UnreadableMesh
from glass_spoon.formats.stl import read_stl, write_stl
from glass_spoon.formats.usd import write_usd
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.meshes.mesh_surface import mesh_surface
from glass_spoon.kernel.meshes.weld import weld
from tests.zoo import cube_mesh, torus

RING = mesh_surface(torus(30, 10), 24, 12)
NAMED = [NamedMesh("ring", RING)]
MIXED = make_mesh([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [2, 0.5, 0]], [0, 1, 2, 3, 1, 4, 2], offsets=[0, 4, 7])


def test_obj_comes_back_as_it_was() -> None:
    read = read_obj(write_obj(NAMED))
    assert read.unit == 1.0
    assert read.groups == ("ring",)
    assert read.mesh.topology.key == RING.topology.key
    assert np.allclose(read.mesh.positions, RING.positions, atol=1e-6)
    assert np.allclose(read.mesh.corners["uv"], RING.corners["uv"], atol=1e-8)


def test_obj_keeps_many_sided_faces_groups_and_counts_backwards() -> None:
    points = b"# units: inches\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 2 .5 0\n"
    read = read_obj(points + b"g first\nf 1 2 3 4\ng second part\nf -4 -1 -3\nl 1 2\n")
    assert read.mesh.topology.face_sides.tolist() == [4, 3]
    assert read.groups == ("first", "second part")
    assert read.mesh.faces["piece"].tolist() == [0.0, 1.0]
    assert read.unit == 25.4
    assert "left out" in read.left_out[0]


@pytest.mark.parametrize("corner", ["{0}", "{0}/{0}", "{0}//{0}", "{0}/{0}/{0}"])
def test_obj_corners_may_be_written_in_four_ways(corner: str) -> None:
    rows = "\n".join(f"v {x} {y} 0\nvt {x} {y}\nvn 0 0 1" for x, y in ((0, 0), (1, 0), (1, 1), (0, 1)))
    face = "f " + " ".join(corner.format(k) for k in (1, 2, 3, 4))
    read = read_obj(f"{rows}\n{face}\n".encode())
    assert read.mesh.topology.face_corners.tolist() == [0, 1, 2, 3]
    assert ("uv" in read.mesh.corners) == (corner.count("/") > 0 and "//" not in corner)


def test_stl_closes_again_and_other_software_reads_it() -> None:
    data = write_stl(NAMED)
    read = read_stl(data)
    assert read.unit == 1.0
    assert read.mesh.point_count == RING.point_count
    assert enclosed_volume(read.mesh) == pytest.approx(enclosed_volume(RING), rel=2e-2)
    other = trimesh.load(io.BytesIO(data), file_type="stl")
    assert other.is_watertight
    assert other.volume == pytest.approx(enclosed_volume(read.mesh), rel=1e-5)


def test_text_stl_is_read() -> None:
    text = trimesh.exchange.stl.export_stl_ascii(trimesh.creation.box((2, 3, 4)))
    read = read_stl(text.encode())
    assert read.unit is None
    assert read.mesh.point_count == 8
    assert enclosed_volume(read.mesh) == pytest.approx(24)


def test_ply_comes_back_with_its_quads_and_other_software_reads_it() -> None:
    data = write_ply(NAMED)
    read = read_ply(data)
    assert read.mesh.topology.key == RING.topology.key
    assert np.allclose(read.mesh.positions, RING.positions, atol=1e-5)
    other = trimesh.load(io.BytesIO(data), file_type="ply")
    assert other.is_watertight


def test_ply_keeps_faces_of_different_sides_in_all_three_writings() -> None:
    assert read_ply(write_ply([NamedMesh("mixed", MIXED)])).mesh.topology.key == MIXED.topology.key
    head = "ply\nformat {} 1.0\nelement vertex 5\nproperty double x\nproperty double y\nproperty double z\n"
    head += "element face 2\nproperty list uchar int vertex_index\nend_header\n"
    rows = "\n".join(" ".join(map(str, point)) for point in MIXED.positions) + "\n4 0 1 2 3\n3 1 4 2\n"
    assert read_ply((head.format("ascii") + rows).encode()).mesh.topology.key == MIXED.topology.key
    body = MIXED.positions.astype(">f8").tobytes()
    for face in ([0, 1, 2, 3], [1, 4, 2]):
        body += bytes([len(face)]) + np.array(face, dtype=">i4").tobytes()
    big = head.format("binary_big_endian").encode() + body
    assert read_ply(big).mesh.topology.key == MIXED.topology.key


def test_glb_comes_back_at_its_size_and_upright() -> None:
    read = read_gltf(write_glb(NAMED))
    assert read.unit == 1000.0
    mesh = weld(read.in_millimetres(1000.0), 1e-3).mesh
    assert np.allclose(np.ptp(mesh.positions, axis=0), [80, 80, 20], rtol=1e-5)
    assert enclosed_volume(mesh) == pytest.approx(enclosed_volume(RING), rel=2e-2)
    assert read.groups == ("ring",)


def test_text_gltf_of_another_library_is_read_where_its_data_is_inside() -> None:
    scene = trimesh.Scene(trimesh.creation.box((1, 2, 3)))
    scene.apply_transform(trimesh.transformations.translation_matrix([5, 0, 0]))
    files = scene.export(file_type="glb")
    read = read_gltf(files)
    assert np.allclose(np.sort(np.ptp(read.mesh.positions, axis=0)), [1, 2, 3])
    assert read.mesh.positions[:, 0].mean() == pytest.approx(5)
    with pytest.raises(UnreadableMesh, match="another file"):
        read_gltf(json.dumps(_with_outside_buffer()).encode())


def _with_outside_buffer() -> dict:
    return {
        "asset": {"version": "2.0"},
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}],
        "bufferViews": [{"buffer": 0, "byteLength": 36}],
        "buffers": [{"byteLength": 36, "uri": "data.bin"}],
    }


def test_usd_holds_the_cage_its_scheme_and_its_creases(tmp_path) -> None:
    cube = cube_mesh(2.0)
    sharpness = np.zeros(12)
    sharpness[:4] = (np.inf, 2.5, 1.0, 0.5)
    soft = Mesh(cube.topology, cube.positions, {}, {"sharpness": sharpness})
    path = tmp_path / "out.usdc"
    path.write_bytes(write_usd([NamedMesh("my cube", soft), NamedMesh("my cube", RING)]))
    stage = Usd.Stage.Open(str(path))
    assert UsdGeom.GetStageMetersPerUnit(stage) == 0.001
    assert UsdGeom.GetStageUpAxis(stage) == "Z"
    meshes = [UsdGeom.Mesh(prim) for prim in stage.Traverse() if prim.IsA(UsdGeom.Mesh)]
    first, second = meshes
    assert first.GetSubdivisionSchemeAttr().Get() == "catmullClark"
    assert list(first.GetFaceVertexCountsAttr().Get()) == [4] * 6
    assert sorted(first.GetCreaseSharpnessesAttr().Get()) == [0.5, 1.0, 2.5, 10.0]
    assert np.allclose(np.array(first.GetPointsAttr().Get()), cube.positions)
    ends = np.array(first.GetCreaseIndicesAttr().Get()).reshape(-1, 2)
    assert np.array_equal(ends, cube.topology.edges.ends[:4])
    assert len(UsdGeom.PrimvarsAPI(second).GetPrimvar("st").Get()) == len(RING.topology.face_corners)
    assert UsdGeom.Mesh.ValidateTopology(
        second.GetFaceVertexIndicesAttr().Get(), second.GetFaceVertexCountsAttr().Get(), RING.point_count
    )[0]


def two_groups() -> NamedMesh:
    """The ring in two groups, its faces taken in turn."""
    turns = (np.arange(RING.face_count) % 3 == 0).astype(float)
    return NamedMesh("ring", Mesh(RING.topology, RING.positions, faces={"piece": turns}), groups=("plain", "every third"))


def test_groups_go_into_obj_and_come_back() -> None:
    read = read_obj(write_obj([two_groups()]))
    assert read.groups == ("plain", "every third")
    assert np.bincount(read.mesh.faces["piece"].astype(int)).tolist() == [
        RING.face_count - len(range(0, RING.face_count, 3)),
        len(range(0, RING.face_count, 3)),
    ]
    assert enclosed_volume(read.in_millimetres(1.0)) == pytest.approx(enclosed_volume(RING))


def test_groups_are_subsets_of_faces_in_usd(tmp_path) -> None:
    path = tmp_path / "out.usdc"
    path.write_bytes(write_usd([two_groups()]))
    stage = Usd.Stage.Open(str(path))
    mesh = next(UsdGeom.Mesh(prim) for prim in stage.Traverse() if prim.IsA(UsdGeom.Mesh))
    subsets = {subset.GetPrim().GetName(): subset for subset in UsdGeom.Subset.GetGeomSubsets(mesh)}
    assert set(subsets) == {"plain", "every_third"}
    assert list(subsets["every_third"].GetIndicesAttr().Get()) == list(range(0, RING.face_count, 3))
    assert UsdGeom.Subset.ValidateFamily(mesh, UsdGeom.Tokens.face, "group")[0]


def test_colours_of_gltf_groups_are_read() -> None:
    read = read_gltf(write_glb([NamedMesh("red", RING, (0.5, 0.25, 0.125)), NamedMesh("white", RING, (1.0, 1.0, 1.0))]))
    assert read.colors == ((0.5, 0.25, 0.125), None)


@pytest.mark.parametrize(
    ("reader", "data", "words"),
    [
        (read_obj, b"v 0 0 0\n", "no faces"),
        (read_obj, b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n", "does not hold"),
        (read_obj, b"v 0 0 zero\nf 1 1 1\n", "numbers"),
        (read_obj, b"v 0 0 0\nv 1 0 0\nf 1 2 2\n", "three different"),
        (read_obj, b"v 0 0 nan\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "no numbers"),
        (read_stl, b"nothing of the kind", "not an STL"),
        (read_stl, write_stl(NAMED)[:-20], "not an STL"),
        (read_ply, b"plywood", "header"),
        (read_ply, write_ply(NAMED)[:-20], "cut short"),
        (read_gltf, b"{}", "no triangles"),
        (read_gltf, b"not json", "broken"),
        (read_gltf, write_glb(NAMED)[:-200], "cut short"),
    ],
)
def test_broken_files_are_refused_in_words(reader, data: bytes, words: str) -> None:
    with pytest.raises(UnreadableMesh, match=words):
        reader(data)


@settings(max_examples=60, deadline=None)
@given(st.sampled_from([read_obj, read_stl, read_ply, read_gltf]), st.data())
def test_damaged_files_give_a_mesh_or_a_sentence(reader, data: st.DataObject) -> None:
    """Bytes of a good file changed at random places."""
    good = bytearray({read_obj: write_obj, read_stl: write_stl, read_ply: write_ply, read_gltf: write_glb}[reader](NAMED))
    for _ in range(data.draw(st.integers(1, 6))):
        good[data.draw(st.integers(0, len(good) - 1))] = data.draw(st.integers(0, 255))
    try:
        read = reader(bytes(good))
    except UnreadableMesh as error:
        assert str(error).endswith((".", "?"))
    else:
        assert read.mesh.face_count > 0
